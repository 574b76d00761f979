"""Reports for people, as plain tables."""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import IO, Any

import numpy as np
from rich.console import Console
from rich.table import Table

import oddseam
from oddseam.findings.comparison import QualityPair, quality_pairs
from oddseam.findings.qualities import quality_rows
from oddseam.formats.registry import Written
from oddseam.geometry.quality import MORE_IS_WORSE

_STYLE = {"fault": "bold red", "warning": "yellow", "note": "dim"}

#: Settings of more characters are not printed whole.
_LONG = 60
#: Coordinates of less than this share of the diagonal are printed as 0.
_NOTHING = 1e-7
#: So many ids of the nodes of a rim are printed.
_IDS = 6
#: So many ranges of ids are printed; --json lists all.
_RANGES = 24


def _console(file: IO[str] | None = None) -> Console:
    console = Console(highlight=False, file=file)
    if not console.is_terminal:
        console = Console(highlight=False, file=file, width=120)
    return console


def _table(*columns: str, right: tuple[int, ...] = ()) -> Table:
    table = Table(box=None, pad_edge=False, header_style="bold")
    for number, name in enumerate(columns):
        table.add_column(name, justify="right" if number in right else "left", no_wrap=number in right)
    return table


def _point(xyz: Any) -> str:
    return ", ".join(f"{c:.5g}" for c in xyz)


def keep_survey(path: Path, name: str, mesh: oddseam.Mesh, found: oddseam.Survey) -> None:
    """Write a survey to a text file as it is printed."""
    with path.open("w", encoding="utf-8") as file:
        print_survey(name, mesh, found, file)


def print_survey(name: str, mesh: oddseam.Mesh, found: oddseam.Survey, file: IO[str] | None = None) -> None:
    """Findings, quality and the state of the surface."""
    console = _console(file)
    console.print(f"[bold]{name}[/bold]", markup=True)
    console.print(str(mesh), markup=False)
    if mesh.unit is None:
        console.print("  the unit of length is unknown; say it with --unit", style="yellow")
    table = _table("finding", "severity", "count", "places", "what", right=(2, 3))
    for f in found.findings:
        table.add_row(f.kind, f"[{_STYLE[f.severity]}]{f.severity}[/]", f"{f.count:,}" if f.count else "-",
                      f"{f.n_places:,}" if f.n_places else "-", f"{f.message}. {f.advice}")  # fmt: skip
    console.print()
    console.print(table)
    _print_places(console, found)
    if found.quality:
        _print_quality(console, found)
    if not len(mesh.faces):
        console.print(
            "\nThere is no surface to judge: the mesh has no shell elements (`oddseam skin` takes that of solids)."
        )
        return
    p = found.proof
    words = [("closed", p.is_closed), ("manifold", p.is_manifold), ("oriented", p.is_oriented)]
    state = ", ".join(word if yes else f"not {word}" for word, yes in words)
    crossing = f"{p.crossing_pairs:,} pairs of facets cross or overlap" if p.crossing_pairs else "no facets cross"
    volume = f"; encloses {p.volume:.8g}" if p.volume is not None else ""
    console.print(f"\nThe surface is {state}{volume}; {crossing}.")


def _print_places(console: Console, found: oddseam.Survey) -> None:
    rows = [(f, p) for f in found.findings if f.severity != "note" for p in f.places[:3]]
    if not rows:
        return
    table = _table("worst places", "at", "size", "items", "ids", right=(2, 3))
    for finding, place in rows:
        size = f"{place.length:.4g} long" if place.length else f"{place.size:.4g} across"
        ids = ", ".join(map(str, place.ids)) + (", ..." if place.count > len(place.ids) > 0 else "")
        table.add_row(finding.kind, _point(place.centre), size, f"{place.count:,}", ids)
    console.print()
    console.print(table)


def _print_quality(console: Console, found: oddseam.Survey) -> None:
    table = _table(
        "quality",
        "min",
        "5 %",
        "median",
        "95 %",
        "max",
        "limit",
        "beyond",
        "worst elements",
        right=(1, 2, 3, 4, 5, 6, 7),
    )
    for row in found.quality:
        sign = ">" if row.measure in MORE_IS_WORSE else "<"
        values = [row.minimum, row.p05, row.median, row.p95, row.maximum]
        table.add_row(
            f"{row.kind} {row.measure.replace('_', ' ')}", *(f"{v:.3g}" for v in values),
            f"{sign} {row.limit:g}", f"{row.beyond:,}", ", ".join(map(str, row.worst_ids[:3])),
        )  # fmt: skip
    console.print()
    console.print(table)


def print_measures(name: str, measures: oddseam.Measures) -> None:
    """Lengths with their ends."""
    console = _console()
    console.print(f"[bold]{name}[/bold], lengths in {measures.unit or 'an unknown unit'}", markup=True)
    table = _table("length of", "", "along x", "y", "z", "from", "ids", right=(1, 2, 3, 4))
    for row in measures.rows:
        along = (f"{b - a:.5g}" for a, b in zip(row.start, row.end, strict=True))
        table.add_row(row.what, f"{row.length:.6g}", *along, _point(row.start), ", ".join(map(str, row.ids)))
    console.print(table)


def print_chambers(name: str, chambers: oddseam.Chambers, points: Sequence[tuple[float, ...]]) -> None:
    """Closed volumes, and which one holds each point."""
    console = _console()
    many = f"{len(chambers.rows):,} chamber(s)" if chambers.rows else "no chamber: nothing is closed"
    cubic = f"{chambers.unit}³" if chambers.unit else "an unknown unit"
    console.print(f"[bold]{name}[/bold], {many}, volumes in {cubic}", markup=True)
    if chambers.rows:
        head = ("chamber", "kind", "volume", "inside", "beside", "parts", "facets", "from", "to")
        table = _table(*head, right=(0, 2, 6))
        for row in chambers.rows:
            beside = ", ".join(str(k) if k else "outside" for k in row.beside)
            table.add_row(
                str(row.number), row.kind, f"{row.volume:.6g}", str(row.inside) if row.inside else "", beside,
                ", ".join(row.parts), f"{row.facets:,}", _point(row.low), _point(row.high),
            )  # fmt: skip
        console.print(table)
    for point, held in zip(points, chambers.held, strict=True):
        where = "on a wall" if held is None else f"in chamber {held}" if held else "outside"
        console.print(f"  {_point(point)}: {where}", markup=False)


#: Patches that are listed; all are in the JSON report.
_MOST_PATCHES = 40


def _place(xyz: Any, mesh: oddseam.Mesh) -> str:
    """A place that was worked out; what is nothing beside the size of the part is 0."""
    return _point(np.where(np.abs(xyz) < _NOTHING * mesh.diagonal, 0.0, xyz))


def print_patches(name: str, mesh: oddseam.Mesh) -> None:
    """Patches with what they are, the largest first."""
    console = _console()
    rows = oddseam.describe_patches(mesh)
    kinds: dict[str, int] = {}
    for row in rows:
        kinds[row["kind"]] = kinds.get(row["kind"], 0) + 1
    many = ", ".join(f"{count:,} {kind}" for kind, count in kinds.items())
    n_creases = 0 if mesh.creases is None else len(mesh.creases.edges)
    console.print(f"[bold]{name}[/bold], {len(rows):,} patch(es): {many}; {n_creases:,} crease edges", markup=True)
    table = _table("", "patch", "area", "radius", "axis", "centre", "elements", "beside", right=(0, 2, 3, 6))
    for row in rows[:_MOST_PATCHES]:
        radius = "" if row["radius"] is None else f"{row['radius']:.5g}" + ("\u00b0" if row["kind"] == "cone" else "")
        radius += "" if row["tube"] is None else f" / {row['tube']:.5g}"
        beside = ", ".join(map(str, row["neighbours"][:6])) + (", ..." if len(row["neighbours"]) > 6 else "")
        table.add_row(
            str(row["number"]), row["name"], f"{row['area']:.5g}", radius,
            "" if row["axis"] is None else _point(np.round(row["axis"], 5) + 0.0),
            "" if row["centre"] is None else _place(row["centre"], mesh), f"{row['elements']:,}", beside,
        )  # fmt: skip
    console.print(table)
    if len(rows) > _MOST_PATCHES:
        console.print(f"and {len(rows) - _MOST_PATCHES:,} smaller ones (--json lists all)")


def print_creases(name: str, mesh: oddseam.Mesh) -> None:
    """Chains of creases, the longest first."""
    console = _console()
    rows = oddseam.list_creases(mesh)
    total, in_open = sum(row["length"] for row in rows), sum(row["open_ends"] for row in rows)
    console.print(
        f"[bold]{name}[/bold], {len(rows):,} chains of creases, {total:.6g} long; {in_open:,} ends in the open",
        markup=True,
    )
    table = _table("", "length", "edges", "kind", "open ends", "from", "to", right=(0, 1, 2, 4))
    for row in rows[:_MOST_PATCHES]:
        places = [_point(np.round(place, 9) + 0.0) for place in row["places"]]
        table.add_row(
            str(row["number"]), f"{row['length']:.6g}", f"{row['edges']:,}", ", ".join(row["kinds"]),
            str(row["open_ends"]) if row["open_ends"] else "", places[0], places[1] if len(places) > 1 else "(closed)",
        )  # fmt: skip
    console.print(table)
    if len(rows) > _MOST_PATCHES:
        console.print(f"and {len(rows) - _MOST_PATCHES:,} shorter ones (--json lists all)")


def print_pieces(name: str, mesh: oddseam.Mesh, rows: Sequence[Mapping[str, Any]]) -> None:
    """Pieces, the widest first."""
    console = _console()
    closed = sum(row["is_closed"] for row in rows)
    words = f"{len(rows):,} piece(s), {closed:,} closed, lengths in {mesh.unit_name}"
    console.print(f"[bold]{name}[/bold], {words}", markup=True)
    table = _table("", "across", "facets", "area", "volume", "rims", "middle", "parts", right=(0, 1, 2, 3, 4, 5))
    for row in rows[:_MOST_PATCHES]:
        volume = "open" if row["volume"] is None else f"{row['volume']:.5g}"
        table.add_row(
            str(row["number"]), f"{row['across']:.5g}", f"{row['facets']:,}", f"{row['area']:.5g}", volume,
            str(row["rims"] or ""), _point(np.round(row["place"], 9) + 0.0), ", ".join(row["parts"]),
        )  # fmt: skip
    console.print(table)
    if len(rows) > _MOST_PATCHES:
        console.print(f"and {len(rows) - _MOST_PATCHES:,} smaller ones (--json lists all)")
    if len(rows) > 1:
        console.print(f"  `oddseam delete {name} 'piece {len(rows)}' -o FILE` drops the last one", markup=False)


def print_small(name: str, rows: Sequence[Mapping[str, Any]], below: float) -> None:
    """What is small in the network of creases, the narrowest first."""
    console = _console()
    counts = {kind: sum(row["kind"] == kind for row in rows) for kind in ("edge", "sliver", "double edge")}
    many = ", ".join(f"{count:,} {kind}{'s' if count > 1 else ''}" for kind, count in counts.items() if count)
    console.print(f"[bold]{name}[/bold], below {below:g}: {many or 'nothing'}", markup=True)
    if not rows:
        return
    table = _table("what", "width", "length", "patch", "place", right=(1, 2))
    for row in rows[:_MOST_PATCHES]:
        place = _point(np.round(row["place"], 9) + 0.0)
        table.add_row(row["kind"], f"{row['width']:.4g}", f"{row['length']:.4g}", row["patch"], place)
    console.print(table)
    if len(rows) > _MOST_PATCHES:
        console.print(f"and {len(rows) - _MOST_PATCHES:,} wider ones (--json lists all)")


def print_picked(args: Any, found: Mapping[str, Any]) -> None:
    """How many things a pick selected, where they are, and the first of them."""
    kinds = ", ".join(f"{count:,} {name}" for name, count in found["kinds"].items())
    low, high = (_point(np.array(corner)) for corner in found["box"])
    console = _console()
    console.print(f"{found['count']:,} {args.of}{f' ({kinds})' if kinds else ''}, from {low} to {high}", markup=False)
    rows = found["rows"]
    measures = list(dict.fromkeys(name for row in rows for name in row["values"]))
    words = "id" if args.of in ("elements", "nodes") else "nodes"
    heads = (name.replace("_", " ") for name in measures)
    table = _table(words, "kind", *heads, "place", right=tuple(range(2, 2 + len(measures))))
    for row in rows[:_MOST_PATCHES]:
        ids = "-".join(map(str, row["ids"][:_IDS])) + ("-..." if len(row["ids"]) > _IDS else "")
        values = (f"{row['values'][name]:.4g}" if name in row["values"] else "" for name in measures)
        table.add_row(ids, row["kind"], *values, _point(np.round(row["place"], 9) + 0.0))
    console.print(table)
    if len(rows) > _MOST_PATCHES:
        console.print(f"and {len(rows) - _MOST_PATCHES:,} more (--json lists all)")


def print_openings(name: str, mesh: oddseam.Mesh, rows: Sequence[Mapping[str, Any]]) -> None:
    """Openings, the smallest first."""
    console = _console()
    console.print(f"[bold]{name}[/bold], {len(rows):,} opening(s), lengths in {mesh.unit_name}", markup=True)
    if not rows:
        return
    table = _table(
        "what", "diameter", "length", "width", "roundness", "nodes", "part", "centre", "axis", right=(1, 2, 3, 4, 5)
    )
    for row in rows[:_MOST_PATCHES]:
        axis = "" if row["roundness"] < 0.5 else _point(np.round(row["axis"], 5) + 0.0)
        table.add_row(
            row["kind"], f"{row['diameter']:.6g}", f"{row['length']:.5g}", f"{row['width']:.5g}",
            f"{row['roundness']:.3f}", str(row["nodes"]), row["part"],
            _place(row["centre"], mesh), axis,
        )  # fmt: skip
    console.print(table)
    if len(rows) > _MOST_PATCHES:
        console.print(f"and {len(rows) - _MOST_PATCHES:,} larger ones (--json lists all)")


def print_sizes(args: Any, mesh: oddseam.Mesh, field: oddseam.SizeField, points: Sequence[tuple[float, ...]]) -> None:
    """What a size field is, and what it asks for."""
    sizes = field.at(mesh.nodes)
    spread = np.quantile(sizes, (0.0, 0.05, 0.5, 0.95, 1.0)).tolist() if len(sizes) else []
    at = [(point, float(field.at(np.array([point]))[0])) for point in points]
    if args.json:
        report = {"written": args.output, "field": field.as_setting(), "at_nodes": spread, "at": at}
        print(json.dumps(report, indent=1))
        return
    console = _console()
    console.print(f"wrote {args.output}: {field.as_setting()}, in {mesh.unit_name}", markup=False)
    table = _table("size at nodes", "min", "5 %", "median", "95 %", "max", right=(1, 2, 3, 4, 5))
    table.add_row("", *(f"{value:.4g}" for value in spread))
    console.print(table)
    for point, size in at:
        console.print(f"  at {_point(point)}: {size:.5g}", markup=False)


def print_comparison(before: str, after: str, found: oddseam.Comparison) -> None:
    """Two meshes side by side."""
    console = _console()
    console.print(f"{before} -> {after}", markup=False)
    table = _table("", "before", "after", right=(1, 2))
    for name in dict.fromkeys([*found.counts[0], *found.counts[1]]):
        table.add_row(name, *(f"{counts.get(name, 0):,}" for counts in found.counts))
    table.add_row("area", *(f"{area:.6g}" for area in found.area))
    table.add_row("volume", *("open" if volume is None else f"{volume:.6g}" for volume in found.volume))
    _add_quality(table, found.quality)
    console.print(table)
    table = _table("distance", "largest", "95 %", "mean", "place of the largest", right=(1, 2, 3))
    for what, off in (("before to after", found.there), ("after to before", found.back)):
        table.add_row(what, f"{off.most:.4g}", f"{off.p95:.4g}", f"{off.mean:.4g}", _point(off.place))
    console.print(table)
    table = _table("ids", "count", "which", right=(1,))
    for what, kinds in found.touched.items():
        for kind, ids in kinds.items():
            table.add_row(f"{what} {kind}", f"{len(ids):,}", _ranges(ids))
    console.print(table)


def print_quality_pairs(before: oddseam.Mesh, after: oddseam.Mesh) -> None:
    """Quality of all elements before and after, and the worst of them."""
    console = _console()
    table = _table("quality", "before", "after", right=(1, 2))
    _add_quality(table, quality_pairs(before, after))
    console.print(table)
    table = _table("worst after", "elements (value)")
    for row in quality_rows(after, oddseam.Limits())[0]:
        words = [f"{number} ({value:.3g})" for number, value in zip(row.worst_ids, row.worst_values, strict=True)]
        table.add_row(f"{row.kind} {row.measure.replace('_', ' ')}", ", ".join(words))
    console.print(table)


def _add_quality(table: Table, pairs: Sequence[QualityPair]) -> None:
    for kind, measure, worst, median in pairs:
        words = zip(worst, median, strict=True)
        values = ["" if a is None or b is None else f"{a:.3g} / {b:.3g}" for a, b in words]
        table.add_row(f"{kind} {measure.replace('_', ' ')}, worst / median", *values)


def _ranges(ids: list[int]) -> str:
    """Ids in order, as ranges where they count up."""
    found: list[list[int]] = []
    for number in ids:
        if found and number == found[-1][1] + 1:
            found[-1][1] = number
        else:
            found.append([number, number])
    words = [str(a) if a == b else f"{a}-{b}" for a, b in found[:_RANGES]]
    return ", ".join(words) + (f", ... ({len(found) - _RANGES:,} more)" if len(found) > _RANGES else "")


def print_entry(entry: oddseam.Entry, *, unmet: bool = True) -> None:
    """One entry of an account, with what is unmet where nobody else says that."""
    console = _console()
    settings = ", ".join(
        f"{name} {_short(value)}" for name, value in entry.settings.items() if value not in (None, [], {})
    )
    console.print(
        f"[bold]{entry.operation}[/bold]" + (f" ({settings})" if settings else "") + f", {entry.seconds:.1f} s"
    )
    before = ", ".join(f"{n:,} {name}" for name, n in entry.before.items())
    after = ", ".join(f"{n:,} {name}" for name, n in entry.after.items())
    console.print(f"  {before} -> {after}; largest move {entry.largest_move:.4g}", markup=False)
    table = _table("  step", "count", "largest move", "detail", "first place", right=(1, 2))
    for step in entry.outcome.steps:
        place = _point(step.places[0]) if step.places else ""
        table.add_row("  " + step.name, f"{step.count:,}", f"{step.largest_move:.4g}", step.detail, place)
    console.print(table)
    if entry.outcome.loss is not None:
        console.print(f"  loss: {entry.outcome.loss.text}", markup=False, soft_wrap=True)
        for line in entry.outcome.loss.named:
            console.print(f"  loss: {line}", markup=False, soft_wrap=True)
    for note in entry.outcome.notes:
        console.print(f"  note: {note}", markup=False, soft_wrap=True)
    for line in entry.outcome.unmet if unmet else ():
        console.print(f"  unmet: {line}", markup=False, style="red", soft_wrap=True)


def _short(value: object) -> str:
    """A setting in words, a long list as its length."""
    if isinstance(value, list) and len(str(value)) > _LONG:
        return f"({len(value)} values)"
    return str(value)


def print_written(written: Written, mesh: oddseam.Mesh) -> None:
    """What was written, and what the format cannot hold."""
    console = _console()
    rounding = f", rounded by {written.largest_rounding:.2g} at most" if written.largest_rounding else ""
    console.print(f"wrote {written.path} ({written.format}{rounding}), unit: {mesh.unit_name}", markup=False)
    for head in ("lost", "converted", "carried", "listed"):
        for item in getattr(written, head):
            console.print(f"  {head}: {item}", markup=False, soft_wrap=True)
