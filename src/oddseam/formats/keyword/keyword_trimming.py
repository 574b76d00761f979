"""Lines of a keyword deck without what they name that is gone, and what comes in its place."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field

import numpy as np

from oddseam.arrays import Array, runs_text
from oddseam.formats.decks import Care
from oddseam.formats.heirs import Successors
from oddseam.formats.keyword.keyword_elements import TYPES
from oddseam.formats.keyword.keyword_lines import Block, Lines
from oddseam.formats.keyword.keyword_reference_table import RULES
from oddseam.formats.keyword.keyword_references import mentions
from oddseam.formats.keyword.texts import id_rows
from oddseam.model.references import ELEMENT_IDS, Ids, Mention, Named, id_of

#: Keywords whose lines list members; what is gone is taken out of the line.
_LISTS = {"NSET", "ELSET", "SUBMODEL", "CONTACT NODE SET", "DISPLAY BODY", "EMBEDDED ELEMENT", "MODEL CHANGE"}
#: Keywords of which nothing can be taken out: they are only listed.
_WHOLE = {"ORIENTATION", "STATIC", "NGEN", "ELGEN", "CONTOUR INTEGRAL", "SLIDE LINE", "DISTRIBUTION"}
#: Keywords that give a set of carried elements what they are made of.
_SECTIONS = {"MASS", "SPRING", "DASHPOT", "GAP", "ROTARY INERTIA", "CONNECTOR SECTION", "DISTRIBUTING COUPLING"}
#: Loads that lie on elements.
_ON_ELEMENTS = {"DLOAD", "DFLUX", "FILM", "RADIATE", "DECHARGE", "DECURRENT"}


@dataclass
class Trimmed:
    """New texts of rows of the deck, what is inserted behind the elements, and what is to be said."""

    rows: dict[int, str] = field(default_factory=dict)
    more: list[str] = field(default_factory=list)
    carried: list[str] = field(default_factory=list)
    lost: list[str] = field(default_factory=list)


def trimmed_lines(
    lines: Lines, gone: dict[str, Array], left: dict[str, Array], successors: Successors, care: Care
) -> Trimmed:
    """What is done with lines that name what is gone.

    Parameters
    ----------
    lines : Lines
    gone, left : dict of str to (k,) int64 arrays
        Ids that are no more, and those that are, by what they are of.
    successors : Successors
        What came in the place of elements that are gone.
    care : Care
    """
    result = Trimmed()
    if care.carry_loads:
        _carry(lines, successors, result)
    if care.carry_loads or care.trim_references:
        _extend_sets(lines, successors, None if care.trim_references else _loaded_sets(lines), result)
    if care.trim_references:
        ids = Ids.of(gone, left)
        for block in lines.blocks:
            if block.name in RULES and block.name not in _WHOLE:
                _trim(lines, block, ids, result)
        _drop_empty(lines, ids.lost[ELEMENT_IDS], result)
    return result


def _carry(lines: Lines, successors: Successors, result: Trimmed) -> None:
    """Loads on elements that are gone, on those in their place."""
    count = 0
    for block in lines.blocks:
        if block.name not in _ON_ELEMENTS:
            continue
        for row, words in lines.words(block):
            new = successors.of_elements([id_of(words[0])])
            if new:
                result.rows[row] = "".join(", ".join([str(number), *words[1:]]) + "\n" for number in new)
                count += len(new)
    if count:
        result.carried.append(f"loads on what is gone, to {count:,} new elements in its place")


def _loaded_sets(lines: Lines) -> set[str]:
    """Sets of elements that loads lie on."""
    blocks = (block for block in lines.blocks if block.name in _ON_ELEMENTS)
    return {words[0].upper() for block in blocks for _, words in lines.words(block)}


def _extend_sets(lines: Lines, successors: Successors, only: set[str] | None, result: Trimmed) -> None:
    """Sets with what came in the place of members that are gone, in blocks of their own."""
    held: dict[tuple[str, str], list[Mention]] = {}
    for block in lines.blocks:
        if block.name in ("NSET", "ELSET"):
            name = block.options.get(block.name, "")
            if only is None or (block.name == "ELSET" and name.upper() in only):
                held.setdefault((block.name, name), []).extend(m for _, m in mentions(lines, block))
    for (keyword, name), its in held.items():
        ids = Named(its)
        new = successors.of_nodes(ids) if keyword == "NSET" else successors.of_elements(ids)
        new = [number for number in new if number not in ids]
        if new:
            result.more.append(f"*{keyword}, {keyword}={name}\n")
            result.more += id_rows(new)
            what = "nodes" if keyword == "NSET" else "elements"
            result.carried.append(f"membership of the set {name}, to {len(new):,} new {what} in the place of old ones")


def _trim(lines: Lines, block: Block, ids: Ids, result: Trimmed) -> None:
    """One block without what is gone."""
    hits: dict[int, list[Mention]] = {}
    for row, mention in mentions(lines, block):
        if not mention.gives and row != block.line and ids.is_hit(mention):
            hits.setdefault(row, []).append(mention)
    if not hits:
        return
    taken = set[int]()
    if block.name in _LISTS:
        for row, its in hits.items():
            result.rows[row] = _shorter(lines.text(row), its, "GENERATE" in block.options, ids)
            taken |= {
                number for m in its for number in ids.lost[m.what] if number in range(m.first, m.last + 1, m.step)
            }
        name = block.options.get(block.name, "")
        result.carried.append(
            f"the list of *{block.name} {name}".rstrip() + f", without {runs_text(np.array([*taken]))}"
        )
        return
    dropped = 0
    for rows in _units(lines, block):
        if not hits.keys().isdisjoint(rows):
            fresh = [row for row in rows if row not in result.rows]
            result.rows |= dict.fromkeys(fresh, "")
            dropped += bool(fresh)
            taken |= {m.first for row in fresh for m in hits.get(row, ())}
    if dropped:
        result.lost.append(
            f"{dropped:,} line(s) of *{block.name} at line {block.line + 1}, for what they act on is gone: "
            f"{runs_text(np.array([*taken]))}"
        )


def _shorter(text: str, hit: list[Mention], is_run: bool, ids: Ids) -> str:
    """A line of a list without some of its members."""
    words = [word.strip() for word in text.rstrip().rstrip(",").split(",")]
    if not is_run:
        fields = {mention.field for mention in hit}
        words = [word for number, word in enumerate(words, 1) if number not in fields and word]
        return ", ".join(words) + "\n" if words else ""
    (mention,) = hit
    runs = mention.without(ids.gone[mention.what], ids.left[mention.what])
    return "".join(", ".join([str(first), str(last), *words[2:]]) + "\n" for first, last in runs)


def _units(lines: Lines, block: Block) -> Iterator[list[int]]:
    """Rows that belong together: the lines of an equation or of an element, else each for itself."""
    rows: list[int] = []
    left = 0
    for row in lines.data_rows(block).tolist():
        text = lines.text(row).rstrip()
        words = [word for word in text.split(",") if word.strip()]
        if block.name in ("EQUATION", "NETWORK MPC"):
            if left <= 0:
                left, rows = id_of(words[0].strip()), [row]
                continue
            left -= -(-len(words) // 3)
            rows.append(row)
            if left <= 0:
                yield rows
            continue
        rows.append(row)
        if not text.endswith(","):
            yield rows
            rows = []
    if rows and block.name not in ("EQUATION", "NETWORK MPC"):
        yield rows


def _drop_empty(lines: Lines, gone: set[int], result: Trimmed) -> None:
    """Keywords of which no line is left, and what is made of sets of elements none of which is left."""
    full, empty = set[str](), set[str]()
    for block in lines.blocks:
        rows = lines.data_rows(block).tolist()
        of_elements = block.name == "ELEMENT"
        if of_elements and block.options.get("TYPE", "").upper() in TYPES:
            is_left = any(id_of(words[0]) not in gone for _, words in lines.words(block) if id_of(words[0]))
        else:
            is_left = any(result.rows.get(row, "left") for row in rows)
        if of_elements:
            (full if is_left else empty).add(block.options.get("ELSET", "").upper())
        touched = any(row in result.rows for row in rows) or (of_elements and not is_left)
        if rows and not is_left and touched and block.name not in ("NSET", "ELSET", "SURFACE"):
            result.rows |= dict.fromkeys(range(block.line, block.first), "")
    for block in lines.blocks:
        name = block.options.get("ELSET", "").upper()
        if block.name in _SECTIONS and name in empty - full:
            result.rows |= dict.fromkeys(range(block.line, block.last), "")
            result.lost.append(f"*{block.name} at line {block.line + 1}, for nothing of the set {name} is left")
