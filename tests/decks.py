"""Decks with loads, spiders, frames, sets and rigid elements, and a little reader that knows nothing of the library."""

from __future__ import annotations

import re

import numpy as np

N = 12  # elements along each side of the panel
HOLE = {(i, j) for i in (5, 6) for j in (5, 6)}  # elements left out in the middle
HUB, HUB_ELEMENT, MASS = 9000, 9001, 9002


def node(i: int, j: int) -> int:
    """The number of a node of the panel."""
    return 1 + i + j * (N + 1)


def element(i: int, j: int) -> int:
    """The number of an element of the panel."""
    return 1 + i + j * N


def used_nodes() -> list[tuple[int, int]]:
    """Nodes of the panel that are not in the middle of the hole."""
    return [(i, j) for j in range(N + 1) for i in range(N + 1) if (i, j) != (6, 6)]


def rim() -> list[int]:
    """Nodes round the hole."""
    return [node(i, j) for j in (5, 6, 7) for i in (5, 6, 7) if (i, j) != (6, 6)]


def ribbed_panel() -> str:
    """The panel with a rib that stands on it, in a T-joint, and a pressure on that."""
    first, lines = 3000, ["PSHELL,4,1,1.5,1,,1"]
    rib = [[node(3, j) for j in range(N + 1)]]
    for row in (1, 2):
        rib.append([first + 100 * row + j for j in range(N + 1)])
        lines += [f"GRID,{number},,3.,{j}.,{row}." for j, number in enumerate(rib[row])]
        for j in range(N):
            corners = rib[row - 1][j], rib[row - 1][j + 1], rib[row][j + 1], rib[row][j]
            lines.append(f"CQUAD4,{first + 100 * row + j},4," + ",".join(map(str, corners)))
    lines.append(f"PLOAD4,2,{first + 100},0.3")
    return bulk_panel().replace("ENDDATA", "\n".join([*lines, "ENDDATA"]))


def plain_panel() -> str:
    """The panel with nothing on it but what both decks understand."""
    kept = ("SOL", "CEND", "SPC", "LOAD", "BEGIN", "$", "MAT1", "PSHELL", "CQUAD4", "PLOAD4", "ENDDATA")
    lines = [line for line in bulk_panel().splitlines() if line.startswith(kept)]
    grids = [f"GRID,{node(i, j)},,{i}.,{j}.,0." for i, j in used_nodes()]
    return "\n".join([*lines[:-1], *grids, f"FORCE,2,{node(9, 9)},,2.,0.,0.,1.", lines[-1]]) + "\n"


def bulk_panel() -> str:
    """A panel of two parts with a hole, a spider with a mass in it, and all that hangs on it."""
    lines = ["SOL 101", "CEND", "SPC = 1", "LOAD = 2", "BEGIN BULK", "$ a panel"]
    lines += ["MAT1,1,210000.,,.3,7.85-9", "PSHELL,1,1,2.0,1,,1", "PSHELL,2,1,3.0,1,,1", "PBAR,3,1,4.,1.,1.,2."]
    lines += ["CORD2R,7,,0.,0.,0.,0.,0.,1.", ",1.,1.,0.", "CORD2C,8,,6.,6.,0.,6.,6.,1.", ",7.,6.,0."]
    lines += [f"GRID,{node(i, j)},,{i}.,{j}.,0.,7" for i, j in used_nodes()]
    for j in range(N):
        for i in range(N):
            if (i, j) not in HOLE:
                corners = node(i, j), node(i + 1, j), node(i + 1, j + 1), node(i, j + 1)
                lines.append(f"CQUAD4,{element(i, j)},{1 if i < 6 else 2}," + ",".join(map(str, corners)))
    lines += [f"GRID,{HUB},8,0.,0.,1.5,8", "GRID,9100,,3.,3.,5."]
    lines += [f"CBAR,500,3,{node(0, 0)},{node(1, 0)},9100", f"CBAR,501,3,{node(1, 0)},{node(2, 0)},9100"]
    spokes = rim()
    lines += [
        f"RBE2,{HUB_ELEMENT},{HUB},123456," + ",".join(map(str, spokes[:5])),
        "," + ",".join(map(str, spokes[5:])),
    ]
    lines += [
        f"CONM2,{MASS},{HUB},,1.5",
        f"SPC1,1,123456,{node(0, 0)},THRU,{node(N, 0)}",
        f"FORCE,2,{HUB},,10.,0.,0.,1.",
    ]
    lines += [f"PLOAD4,2,{element(0, 0)},0.1,,,,THRU,{element(N - 1, 2)}", f"PLOAD4,2,{element(3, 8)},0.2"]
    lines += [
        "SET1,5," + ",".join(map(str, (node(2, 9), node(3, 9), node(4, 9), node(2, 10), node(3, 10), node(4, 10))))
    ]
    lines += [f"MPC,6,{node(3, 10)},1,1.,{node(4, 10)},1,-1.,,", f",,{node(5, 10)},1,.5"]
    lines += [
        f"PLOTEL,9003,{node(2, 2)},{node(3, 3)}",
        "EIGRL,5,,,10",
        "MPCADD,9,6",
        f"TEMP,3,{node(9, 9)},20.,{node(10, 9)},30.",
    ]
    return "\n".join([*lines, "ENDDATA"]) + "\n"


def keyword_panel() -> str:
    """The same panel as a keyword deck that a solver runs."""
    lines = ["*HEADING", "a panel", "*NODE, NSET=NALL"]
    lines += [f"{node(i, j)}, {i}., {j}., 0." for i, j in used_nodes()] + [f"{HUB}, 6., 6., 1.5", "9010, 6., 6., 2.5"]
    for name, left in (("LEFT", True), ("RIGHT", False)):
        lines.append(f"*ELEMENT, TYPE=S4, ELSET={name}")
        for j in range(N):
            for i in range(N):
                if (i, j) not in HOLE and (i < 6) == left:
                    corners = node(i, j), node(i + 1, j), node(i + 1, j + 1), node(i, j + 1)
                    lines.append(f"{element(i, j)}, " + ", ".join(map(str, corners)))
    lines += ["*ELEMENT, TYPE=MASS, ELSET=HEAVY", f"{MASS}, {node(9, 11)}", "*MASS, ELSET=HEAVY", "1.5"]
    lines += [
        "*NSET, NSET=HELD, GENERATE",
        f"{node(0, 0)}, {node(N, 0)}, 1",
        "*NSET, NSET=RIM",
        ", ".join(map(str, rim())),
    ]
    pressed = ", ".join(str(element(i, 9)) for i in range(8))
    lines += ["*ELSET, ELSET=PRESSED", pressed, "*ELSET, ELSET=ALL", "LEFT, RIGHT"]
    lines += ["*MATERIAL, NAME=STEEL", "*ELASTIC", "210000., .3", "*DENSITY", "7.85e-9"]
    lines += ["*SHELL SECTION, ELSET=LEFT, MATERIAL=STEEL", ".02", "*SHELL SECTION, ELSET=RIGHT, MATERIAL=STEEL", ".03"]
    lines += [f"*RIGID BODY, NSET=RIM, REF NODE={HUB}, ROT NODE=9010", "*EQUATION", "2"]
    lines += [f"{node(3, 11)}, 1, 1., {node(4, 11)}, 1, -1.", "*BOUNDARY", "HELD, 1, 6", "*STEP", "*STATIC"]
    lines += [
        "*CLOAD",
        f"{HUB}, 3, 10.",
        f"{node(9, 11)}, 1, 2.",
        "*DLOAD",
        "PRESSED, P, 0.1",
        f"{element(9, 10)}, P, 0.2",
    ]
    lines += ["*NODE PRINT, NSET=NALL", "U", "*END STEP"]
    return "\n".join(lines) + "\n"


def bulk_cards(text: str) -> list[list[str]]:
    """All cards as names and fields, continuations joined; every form of field."""
    found: list[list[str]] = []
    bulk = text.split("BEGIN BULK\n", 1)[-1].split("\nENDDATA", maxsplit=1)[0]
    for line in bulk.split("\n"):
        body = line.split("$")[0].rstrip()
        if not body:
            continue
        if "," in body:
            head, *fields = (word.strip() for word in body.split(","))
            wide = False
            fields = (fields + [""] * 8)[:8]
        else:
            head, wide = body[:8].strip(), "*" in body[:8]
            step = 16 if wide else 8
            fields = [body[k : k + step].strip() for k in range(8, 72, step)]
        name = head.rstrip("*").strip()
        if name and name[0] != "+":
            found.append([name.upper(), *fields])
        else:
            found[-1] += fields
    return found


def bulk_ids(text: str, name: str, place: int = 1) -> list[int]:
    """One field of all cards of a name as whole numbers."""
    return [int(card[place]) for card in bulk_cards(text) if card[0] == name]


def bulk_points(text: str) -> dict[int, tuple[float, ...]]:
    """What every GRID says of its place, in its own frame."""

    def real(word: str) -> float:
        word = word.lower().replace("d", "e")
        return float(re.sub(r"(?<=[\d.])([+-]\d+)$", r"e\1", word)) if word else 0.0

    return {int(card[1]): tuple(real(word) for word in card[3:6]) for card in bulk_cards(text) if card[0] == "GRID"}


def keyword_blocks(text: str) -> list[tuple[str, dict[str, str], list[list[str]]]]:
    """Every keyword with its parameters and its lines of data, cut at commas."""
    found: list[tuple[str, dict[str, str], list[list[str]]]] = []
    for line in text.splitlines():
        if line.startswith("**") or not line.strip():
            continue
        words = [word.strip() for word in line.split(",")]
        if line.startswith("*"):
            options = dict([*word.upper().split("="), ""][:2] for word in words[1:] if word)
            found.append((words[0][1:].upper(), {k.strip(): v.strip() for k, v in options.items()}, []))
        else:
            found[-1][2].append([word for word in words if word])
    return found


def keyword_points(text: str) -> dict[int, tuple[float, ...]]:
    """Where every node is."""
    rows = (row for name, _, rows in keyword_blocks(text) if name == "NODE" for row in rows)
    return {int(row[0]): tuple(map(float, row[1:4])) for row in rows}


def spokes_of(points: dict[int, tuple[float, ...]]) -> np.ndarray:
    """Where the nodes round the hole are."""
    return np.array([points[number] for number in rim() if number in points])
