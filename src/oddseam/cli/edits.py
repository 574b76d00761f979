"""Verbs that change what is picked, or one place."""

from __future__ import annotations

import argparse
import json
from collections import Counter
from typing import Any

import oddseam
from oddseam.cli import tables
from oddseam.cli.arguments import as_numbers, as_point, check_output, finish, read, with_property
from oddseam.errors import Refusal
from oddseam.picks.listing import picked_nodes, rows_of


def run_pick(args: argparse.Namespace) -> int:
    """Say what a pick selects."""
    if (args.group is None) != (args.output is None):
        raise Refusal("a group is kept with both --group NAME and -o FILE")
    if args.output is not None:
        check_output(args)
    mesh = read(args)
    found = _picked(mesh, args)
    written = None
    if args.output is not None:
        written = oddseam.write_mesh(oddseam.add_group(mesh, args.group, args.pick, of=args.of), args.output)
    if args.picture is not None:
        oddseam.draw(mesh, args.picture, marked=args.pick, title=f"{args.input}: {args.pick}", plain=True)
    if args.json:
        print(json.dumps(found))
    else:
        tables.print_picked(args, found)
        if written is not None:
            tables.print_written(written, mesh)
    return 0


def _picked(mesh: oddseam.Mesh, args: argparse.Namespace) -> dict[str, Any]:
    """What a pick selected: how many, of what kinds, the box of their nodes, ids, and rows with places and values."""
    chosen = oddseam.pick(mesh, args.pick, of=args.of)
    rows = rows_of(mesh, chosen, args.pick, args.of)
    on = picked_nodes(mesh, chosen, args.of)
    kinds = dict(Counter(row["kind"] for row in rows)) if args.of == "elements" else {}
    ids = [row["ids"][0] if args.of in ("elements", "nodes") else row["ids"] for row in rows]
    box = [mesh.nodes[on].min(axis=0).tolist(), mesh.nodes[on].max(axis=0).tolist()]
    return {
        "file": args.input, "pick": args.pick, "of": args.of, "count": len(rows), "kinds": kinds, "ids": ids,
        "box": box, "rows": rows,
    }  # fmt: skip


def run_delete(args: argparse.Namespace) -> int:
    """Delete what is picked."""
    check_output(args)
    mesh = oddseam.delete(read(args), args.pick)
    return finish(with_property(mesh, args), args)


def run_flip(args: argparse.Namespace) -> int:
    """Turn over what is picked."""
    check_output(args)
    mesh = oddseam.flip(read(args), args.pick)
    return finish(with_property(mesh, args), args)


def run_fill(args: argparse.Namespace) -> int:
    """Fill by hand."""
    check_output(args)
    near = None if args.near is None else [as_point(text, "--near") for text in args.near]
    nodes = None if args.nodes is None else as_numbers(args.nodes, "--nodes", int)
    mesh = read(args)
    mesh = oddseam.fill(mesh, near=near, below=args.below, nodes=nodes, flat=args.flat, may_cross=args.may_cross)
    return finish(with_property(mesh, args), args)


def run_cut(args: argparse.Namespace) -> int:
    """Cut an opening."""
    check_output(args)
    mesh = read(args)
    if args.table is not None:
        openings = oddseam.read_openings(args.table)
    else:
        given = {name: getattr(args, name) for name in ("shape", "diameter", "length", "width", "turn", "nodes")}
        openings = [given | {"at": as_point(args.at, "--at"), "collars": _collars(args)}]
        if args.along is not None:
            openings[0]["direction"] = as_point(args.along, "--along")
    for number, opening in enumerate(openings, start=1):
        try:
            mesh = oddseam.cut_opening(mesh, **opening, split_lines=args.split_lines)
        except Refusal as refusal:
            raise Refusal(f"opening {number} of {len(openings)}: {refusal}" if args.table else str(refusal)) from None
    return finish(with_property(mesh, args), args)


def _collars(args: argparse.Namespace) -> tuple[float, ...]:
    return () if args.collars is None else as_numbers(args.collars, "--collars", float)


def run_openings(args: argparse.Namespace) -> int:
    """List openings, or change one."""
    if (args.output is None) != (args.near is None):
        raise Refusal("changing an opening needs both --near and -o; without them openings are listed")
    if args.output is not None:
        check_output(args)
    mesh = read(args)
    if args.output is not None:
        to = None if args.to is None else as_point(args.to, "--to")
        near, collars = as_point(args.near, "--near"), _collars(args)
        mesh = oddseam.move_opening(mesh, near=near, to=to, diameter=args.diameter, nodes=args.nodes, collars=collars)
        return finish(mesh, args)
    rows = oddseam.list_openings(mesh)
    if args.json:
        print(json.dumps({"file": args.input, "openings": rows}, indent=1))
    else:
        tables.print_openings(args.input, mesh, rows)
    return 0


def run_weld(args: argparse.Namespace) -> int:
    """Join nodes."""
    check_output(args)
    mesh = read(args)
    parts = None if args.parts is None else (args.parts[0], args.parts[1])
    mesh = oddseam.weld(mesh, tolerance=args.tolerance, parts=parts)
    return finish(with_property(mesh, args), args)


def run_imprint(args: argparse.Namespace) -> int:
    """Imprint points."""
    check_output(args)
    mesh = read(args)
    along = None if args.along is None else as_point(args.along, "--along")
    closed, count = args.closed or args.through is None, args.count
    if args.through is not None:
        values = as_numbers(args.through, "--through", float)
        if len(values) % 3:
            raise Refusal(f"--through {args.through}: points are wanted, each of three numbers")
        points = [(values[k], values[k + 1], values[k + 2]) for k in range(0, len(values), 3)]
    elif args.near is None:
        raise Refusal("--rim-of and --circle need --near")
    elif args.rim_of is not None:
        other = oddseam.read_mesh(args.rim_of, unit=args.unit)
        points = oddseam.rim_points(other, near=as_point(args.near, "--near"))
    else:
        if along is None:
            raise Refusal("--circle needs --along, its axis")
        points = oddseam.circle_points(as_point(args.near, "--near"), along, args.circle, count or 24)
        count = None
    mesh = oddseam.imprint(
        mesh, points, closed=closed, opening=args.opening, direction=along, count=count, split_lines=args.split_lines
    )
    return finish(with_property(mesh, args), args)


def run_combine(args: argparse.Namespace) -> int:
    """Put two meshes in one file."""
    check_output(args)
    mesh = read(args)
    mesh = oddseam.combine(mesh, other=oddseam.read_mesh(args.other, unit=args.unit))
    return finish(with_property(mesh, args), args)


def run_stitch(args: argparse.Namespace) -> int:
    """Sew two rims."""
    check_output(args)
    mesh = oddseam.stitch(
        read(args),
        one=as_point(args.one, "--one"),
        two=None if args.two is None else as_point(args.two, "--two"),
        within=args.within,
        moves=args.moves,
    )
    return finish(with_property(mesh, args), args)


def run_attach(args: argparse.Namespace) -> int:
    """Attach an edge to a face."""
    check_output(args)
    mesh = read(args)
    return finish(
        with_property(oddseam.attach(mesh, near=as_point(args.near, "--near"), within=args.within), args), args
    )


def run_repeat(args: argparse.Namespace) -> int:
    """Repeat a feature."""
    check_output(args)
    mesh = oddseam.repeat(
        read(args),
        args.pick,
        times=args.times,
        vector=None if args.vector is None else as_point(args.vector, "--vector"),
        axis=None if args.axis is None else as_point(args.axis, "--axis"),
        about=as_point(args.about, "--about"),
        angle=args.angle,
    )
    return finish(with_property(mesh, args), args)


def run_lift(args: argparse.Namespace) -> int:
    """Lift a region."""
    check_output(args)
    mesh = oddseam.lift(
        read(args),
        args.pick,
        height=args.height,
        taper=args.taper,
        rounding=args.rounding,
        direction=None if args.along is None else as_point(args.along, "--along"),
        rows=args.rows,
    )
    return finish(with_property(mesh, args), args)


def run_splice(args: argparse.Namespace) -> int:
    """Splice, or say what that would do."""
    if args.output is not None:
        check_output(args)
    mesh = oddseam.splice(
        read(args),
        args.pick,
        replacement=oddseam.read_mesh(args.other, unit=args.unit),
        within=args.within,
        keep=None if args.keep is None else as_point(args.keep, "--keep"),
    )
    if args.output is not None:
        return finish(mesh, args)
    if args.json:
        print(json.dumps({"account": mesh.account.to_list()}, indent=1))
    else:
        tables.print_entry(mesh.account.last)
        print("nothing is written; say -o FILE")
    return 0


def run_move_node(args: argparse.Namespace) -> int:
    """Move a node."""
    check_output(args)
    mesh = read(args)
    mesh = oddseam.move_node(mesh, args.node, to=as_point(args.to, "--to"), free=args.free)
    return finish(with_property(mesh, args), args)


def run_merge_nodes(args: argparse.Namespace) -> int:
    """Merge two nodes."""
    check_output(args)
    mesh = oddseam.merge_nodes(read(args), args.keep, args.gone, collapse=args.collapse)
    return finish(with_property(mesh, args), args)


def run_drop_nodes(args: argparse.Namespace) -> int:
    """Drop nodes that nothing uses."""
    check_output(args)
    return finish(with_property(oddseam.drop_unused_nodes(read(args)), args), args)
