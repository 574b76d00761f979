"""Reports for people, as plain tables."""

from __future__ import annotations

import itertools
import json
from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import IO, Any

import numpy as np
from rich.console import Console
from rich.markup import escape
from rich.table import Table

import oddseam
from oddseam.findings.judged.qualities import quality_rows
from oddseam.findings.judged.quality_pairs import QualityPair, quality_pairs
from oddseam.formats.write_mesh import Written
from oddseam.geometry.shapes.quality import MORE_IS_WORSE

_STYLE = {"fault": "bold red", "warning": "yellow", "note": "dim"}

#: Settings of more characters are not printed whole.
_LONG = 60
#: So many rows of a listing are printed; --json lists all.
_MOST_ROWS = 40
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


def print_result(args: Any, values: Mapping[str, Any], result: Any) -> None:
    """A report for people, of what a function was given and what it found."""
    match result:
        case oddseam.Survey():
            print_survey(args.mesh, values["mesh"], result)
        case oddseam.Measures():
            print_measures(args.mesh, result)
        case oddseam.Chambers():
            print_chambers(args.mesh, result, values.get("inside", ()))
        case oddseam.Comparison():
            print_comparison(args.before, args.after, result)
        case oddseam.Account():
            print_account(args.mesh, result)
        case oddseam.Listing():
            print_listing(args.mesh, result)


def as_plain(args: Any, name: str, result: Any) -> Any:
    """A report as plain values, ready for JSON; listings stand under a name."""
    match result:
        case oddseam.Account():
            return result.to_list()
        case oddseam.Listing():
            return {"file": args.mesh, name: result.to_list()}
        case oddseam.Comparison():
            return {"before": args.before, "after": args.after, **result.to_dict()}
    return {"file": args.mesh, **result.to_dict()}


def print_listing(name: str, listing: oddseam.Listing[Any]) -> None:
    """The first rows of a listing."""
    console = _console()
    console.print(f"[bold]{escape(name)}[/bold], {escape(listing.title)}", markup=True)
    if not len(listing):
        return
    right = tuple(k for k, is_number in enumerate(listing.numeric) if is_number)
    table = _table(*listing.headings, right=right)
    for cells in itertools.islice(listing.texts(), _MOST_ROWS):
        table.add_row(*map(escape, cells))
    console.print(table)
    if len(listing) > _MOST_ROWS:
        console.print(f"and {len(listing) - _MOST_ROWS:,} more (--json lists all)")


def print_account(name: str, account: oddseam.Account) -> None:
    """All that was done."""
    if not len(account):
        print(f"{name}: no account (.seam files hold one; other formats cannot)")
    for entry in account:
        print_entry(entry)


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


def print_sizes(args: Any, mesh: oddseam.Mesh, field: oddseam.SizeField) -> None:
    """What a size field is, what it asks for, and the sizes at the points that are asked for."""
    sizes = field.at(mesh.nodes)
    spread = np.quantile(sizes, (0.0, 0.05, 0.5, 0.95, 1.0)).tolist() if len(sizes) else []
    at = [(point, float(field.at(np.array([point]))[0])) for point in args.at or ()]
    if args.json:
        report = {"written": args.output, "field": field.as_setting(), "at_nodes": spread, "at": at}
        print(json.dumps(report, indent=1))
    if args.json or args.quiet:
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
        f"{name} {_short(value)}" for name, value in entry.settings.items() if value not in (None, [], {}, False)
    )
    console.print(
        f"[bold]{entry.operation}[/bold]" + (f" ({settings})" if settings else "") + f", {entry.seconds:.1f} s"
    )
    before = ", ".join(f"{n:,} {name}" for name, n in entry.before.items())
    after = ", ".join(f"{n:,} {name}" for name, n in entry.after.items())
    console.print(f"  {before} -> {after}; largest move {entry.largest_move:.4g}", markup=False)
    if entry.outcome.steps:
        console.print(_steps(entry))
    if entry.outcome.loss is not None:
        console.print(f"  loss: {entry.outcome.loss.text}", markup=False, soft_wrap=True)
        for line in entry.outcome.loss.named:
            console.print(f"  loss: {line}", markup=False, soft_wrap=True)
    for note in entry.outcome.notes:
        console.print(f"  note: {note}", markup=False, soft_wrap=True)
    for line in entry.outcome.unmet if unmet else ():
        console.print(f"  unmet: {line}", markup=False, style="red", soft_wrap=True)


def _steps(entry: oddseam.Entry) -> Table:
    table = _table("  step", "count", "largest move", "detail", "first place", right=(1, 2))
    for step in entry.outcome.steps:
        place = _point(step.places[0]) if step.places else ""
        table.add_row("  " + step.name, f"{step.count:,}", f"{step.largest_move:.4g}", step.detail, place)
    return table


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
