"""The parser and the way errors leave: exit status 0 done, 1 unmet, 2 refused or unreadable."""

from __future__ import annotations

import argparse
import importlib
import logging
import os
import sys
from collections.abc import Sequence

from oddseam._version import VERSION
from oddseam.errors import OddSeamError

_UNITS = ("um", "mm", "cm", "m", "in", "ft")
_DESCRIPTION = """\
Turn meshes without CAD into meshes that a solver accepts.

  oddseam survey PART.stl --unit mm            look for defects, with places
  oddseam mend PART.stl -o CLEAN.stl           mend what can be mended, and prove it
  oddseam remesh CLEAN.stl -o EVEN.stl --size 4
  oddseam picture EVEN.stl -o EVEN.png
"""
_STATUS = "Exit status: 0 done; 1 done, but something asked for is unmet (it says what); 2 refused or unreadable."


def build_parser() -> argparse.ArgumentParser:
    """The whole command line; imports nothing that takes time."""
    parser = argparse.ArgumentParser(
        prog="oddseam", description=_DESCRIPTION, epilog=_STATUS, formatter_class=argparse.RawDescriptionHelpFormatter
    )
    parser.add_argument("--version", action="version", version=f"oddseam {VERSION}")
    verbs = parser.add_subparsers(dest="verb", metavar="VERB", required=True)

    def verb(name: str, text: str) -> argparse.ArgumentParser:
        return verbs.add_parser(name, help=text, description=text, epilog=_STATUS)

    def reads(p: argparse.ArgumentParser) -> None:
        p.add_argument(
            "input",
            metavar="FILE",
            help="mesh file: STL, OBJ, PLY, OFF, 3MF, GLB, VTU, CGNS, NASTRAN bulk data, CalculiX deck, or .seam",
        )
        p.add_argument("--unit", choices=_UNITS, help="unit of length of a file that does not say")

    def writes(p: argparse.ArgumentParser) -> None:
        p.add_argument("-o", "--output", required=True, metavar="FILE", help="the suffix chooses the format")
        p.add_argument("--overwrite", action="store_true", help="allow the output to be the input")
        data = p.add_argument_group("for a deck (a solver refuses shells without these)")
        data.add_argument("--thickness", type=float, help="shell thickness, in the unit of the mesh")
        data.add_argument("--young", type=float, metavar="E", help="Young's modulus of the material")
        data.add_argument("--poisson", type=float, metavar="NU", help="Poisson's ratio")
        data.add_argument("--density", type=float, metavar="RHO", help="mass density")

    def follows_creases(p: argparse.ArgumentParser) -> None:
        p.add_argument(
            "--crease",
            type=float,
            default=30.0,
            metavar="ANGLE",
            help="edges that turn by more degrees are creases (default 30)",
        )

    def picks_some(p: argparse.ArgumentParser) -> None:
        p.add_argument(
            "--only", metavar="PICK", help="only these elements, such as 'part hood'; the rest stays to the last bit"
        )

    def reports(p: argparse.ArgumentParser) -> None:
        p.add_argument("--json", action="store_true", help="print the report as JSON")

    p = verb("survey", "look for defects and judge element quality, with places and advice")
    reads(p)
    reports(p)
    p.add_argument(
        "--thin",
        action=argparse.BooleanOptionalAction,
        default=True,
        help="measure the thinnest wall and the smallest gap (about half of the work)",
    )
    for name, text in (
        ("radius-ratio", "poor below this"),
        ("aspect-ratio", "poor above this"),
        ("minimum-angle", "poor below this, degrees"),
        ("skewness", "poor above this"),
    ):
        p.add_argument(f"--{name}", type=float, metavar="LIMIT", help=text)

    p = verb("measure", "measure a part: its box, edges, thinnest wall and smallest gap, or between nodes")
    reads(p)
    reports(p)
    p.add_argument("--nodes", metavar="ID,ID,...", help="the distance from each of these nodes to the next")

    p = verb("features", "find creases, shallow and tangent ones too, and patches: planes, cylinders and so on")
    reads(p)
    reports(p)
    p.add_argument("-o", "--output", metavar="FILE", help="keep them: a .seam file holds creases and patches")
    p.add_argument("--overwrite", action="store_true", help="allow the output to be the input")
    follows_creases(p)
    p.add_argument(
        "--ridge", type=float, default=5.0, metavar="ANGLE", help="least angle of a shallow ridge (default 5)"
    )
    p.add_argument("--noise", type=float, metavar="DISTANCE", help="how far nodes are off (estimated by default)")
    p.add_argument("--name", action="append", metavar="PATCH=NAME", help="rename a patch; may be repeated")
    p.add_argument("--split", action="store_true", help="make a part of every patch")
    p.add_argument(
        "--boundary", action="append", metavar="PATCH=KIND", help="wall, inlet, outlet or symmetry, with --split"
    )

    p = verb("creases", "list the chains of creases; tidy them up, draw some, and take some out")
    reads(p)
    reports(p)
    p.add_argument("-o", "--output", metavar="FILE", help="keep what becomes of them, best in a .seam file")
    p.add_argument("--overwrite", action="store_true", help="allow the output to be the input")
    p.add_argument("--gaps", type=float, default=0.0, metavar="LENGTH", help="lead open ends on to creases as near")
    p.add_argument("--stubs", type=float, default=0.0, metavar="LENGTH", help="drop open chains that are shorter")
    p.add_argument("--loops", type=float, default=0.0, metavar="LENGTH", help="drop closed chains that are shorter")
    p.add_argument("--zigzags", action="store_true", help="lead chains straight that go round facets")
    p.add_argument("--along", action="append", metavar="ID,ID,...", help="draw a crease along nodes; may be repeated")
    p.add_argument(
        "--across", action="append", metavar="X,Y,Z,X,Y,Z", help="draw one straight across facets; may be repeated"
    )
    p.add_argument("--erase", action="append", metavar="X,Y,Z", help="take out the chain nearest to a point")

    p = verb("absorb", "list what is small in the network of creases, and merge it: tiny edges, slivers, double edges")
    reads(p)
    reports(p)
    p.add_argument("--below", type=float, required=True, metavar="SIZE", help="in the unit of the mesh")
    p.add_argument("-o", "--output", metavar="FILE", help="merge it, and write what comes of it; without, it is listed")
    p.add_argument("--overwrite", action="store_true", help="allow the output to be the input")
    follows_creases(p)

    p = verb("chambers", "list the closed volumes, how they nest, and which one holds a point")
    reads(p)
    reports(p)
    p.add_argument("--at", metavar="X,Y,Z", action="append", help="which chamber holds this point; may be repeated")

    p = verb("mend", "join, drop duplicates and walls, sew cracks, orient, fill rims, and prove the result")
    reads(p)
    writes(p)
    reports(p)
    p.add_argument(
        "--close",
        default="small",
        metavar="WHAT",
        help="rims to fill: small (up to 5 %% of the diagonal, the default), all, none, or a diameter",
    )
    p.add_argument(
        "--width",
        type=float,
        metavar="GAP",
        help="sew cracks up to this wide (0: none; a ten-thousandth of the diagonal by default)",
    )
    p.add_argument(
        "--keep-joints",
        action=argparse.BooleanOptionalAction,
        help="edges with three facets and coincident nodes are meant (by default they are in a deck)",
    )
    p.add_argument(
        "--overlaps",
        choices=("union", "imprint", "keep"),
        help="facets that cross: one surface round all that is solid (the default but for a deck), "
        "shared nodes and edges, or left",
    )
    p.add_argument(
        "--trim",
        choices=("inside", "outside"),
        help="cut open sheets off where a solid cuts them: what sticks into it, or what hangs outside",
    )
    p.add_argument(
        "--crumbs",
        type=float,
        metavar="SIZE",
        help="drop floating pieces smaller than this (0: none; 0.5 %% of the diagonal by default)",
    )

    p = verb("sizes", "make a size field: a base size, and smaller ones by curvature, walls, patches, parts and zones")
    reads(p)
    reports(p)
    p.add_argument("-o", "--output", required=True, metavar="FIELD", help="an .npz file, for `oddseam remesh --sizes`")
    p.add_argument("--rules", metavar="TOML", help="a file with all of these; options given besides count instead")
    p.add_argument("--base", type=float, help="largest size, in the unit of the mesh")
    p.add_argument("--smallest", type=float, help="curvature and walls ask for no less (a hundredth of the base)")
    p.add_argument("--growth", type=float, help="growth of the size over the distance (default 0.35)")
    p.add_argument("--per-turn", type=float, metavar="N", help="elements round a full turn of curved surface")
    p.add_argument("--across", type=float, metavar="N", help="elements across a wall or a gap")
    p.add_argument("--patch", action="append", metavar="NAME=SIZE", help="size on a patch; may be repeated")
    p.add_argument("--part", action="append", metavar="NAME=SIZE", help="size on a part; may be repeated")
    p.add_argument(
        "--zone",
        action="append",
        metavar="ZONE=SIZE",
        help="box:x,y,z,x,y,z=SIZE, sphere:x,y,z,r=SIZE or cylinder:x,y,z,x,y,z,r=SIZE; may be repeated",
    )
    p.add_argument(
        "--along", action="append", metavar="X,Y,Z=SIZE", help="size along the crease or rim nearest to a point"
    )
    p.add_argument("--elements-along", action="append", metavar="X,Y,Z=N", help="so many elements along it")
    p.add_argument("--within", action="append", metavar="FILE=SIZE", help="size inside of another, closed mesh")
    p.add_argument("--at", action="append", metavar="X,Y,Z", help="print the size at this point; may be repeated")
    p.add_argument(
        "--crease", type=float, metavar="ANGLE", help="edges that turn by more degrees are no curvature (30)"
    )

    p = verb("remesh", "make even triangles of a wanted edge length; creases, rims and borders are kept")
    reads(p)
    writes(p)
    reports(p)
    wanted = p.add_mutually_exclusive_group(required=True)
    wanted.add_argument("--size", type=float, help="wanted edge length, in the unit of the mesh")
    wanted.add_argument("--sizes", metavar="FIELD", help="a size field that `oddseam sizes` has made")
    picks_some(p)
    follows_creases(p)
    p.add_argument(
        "--chord", type=float, metavar="DISTANCE", help="how far an edge may leave its crease (1.85 %% of the size)"
    )
    p.add_argument("--growth", type=float, default=0.35, help="growth of the size over the distance (default 0.35)")
    p.add_argument("--facets", action="store_true", help="keep to the old facets on recognised round patches too")
    p.add_argument("--smooth", action="store_true", help="put nodes on a smooth surface through those of the facets")
    p.add_argument("--quads", action="store_true", help="quads where they fit, triangles between them")

    p = verb("coarsen", "leave fewer triangles; creases, rims and borders are kept")
    reads(p)
    writes(p)
    reports(p)
    p.add_argument("--facets", type=int, metavar="N", help="triangles to be left")
    p.add_argument(
        "--deviation", type=float, metavar="DISTANCE", help="how far either surface may be from the other, at most"
    )
    picks_some(p)
    follows_creases(p)

    p = verb("refine", "halve the edges of picked elements; those beside them are split to fit")
    reads(p)
    p.add_argument("pick", metavar="PICK", help="such as 'sphere (0,0,9) 2.5 rings 1'")
    writes(p)
    reports(p)
    how = p.add_mutually_exclusive_group()
    how.add_argument("--times", type=int, metavar="N", help="how often (default 1)")
    how.add_argument("--size", type=float, help="until no edge of what is picked is longer")
    p.add_argument("--facets", action="store_true", help="keep to the old facets on recognised round patches too")

    p = verb("improve", "move nodes, and mesh places anew, until limits of quality hold")
    reads(p)
    writes(p)
    reports(p)
    for name, text in _IMPROVABLE.items():
        p.add_argument(f"--{name}", type=float, metavar="LIMIT", help=text)
    picks_some(p)
    p.add_argument(
        "--deviation", type=float, metavar="DISTANCE", help="how far the surface may be left (0.1 %% of the diagonal)"
    )
    follows_creases(p)

    p = verb("convert", "write a mesh in another format, and list what it cannot hold")
    reads(p)
    writes(p)
    reports(p)
    p.add_argument("--text", action="store_true", help="write STL, PLY or VTU as text, with every digit")

    p.add_argument("--to-unit", choices=_UNITS, help="convert lengths to this unit")

    p = verb("pick", "count and list what a pick selects; draw it, or keep it as a group")
    reads(p)
    p.add_argument("pick", metavar="PICK", help="such as 'near (0,0,9) flat 10' or 'worst 20 minimum-angle'")
    p.add_argument("--of", choices=("elements", "nodes", "edges", "rims"), default="elements")
    reports(p)
    p.add_argument("--picture", metavar="PNG", help="draw the elements that are picked, or that have what is")
    p.add_argument("--group", metavar="NAME", help="keep elements or nodes as a group of that name, with -o")
    p.add_argument("-o", "--output", metavar="FILE", help="the suffix chooses the format")
    p.add_argument("--overwrite", action="store_true", help="allow the output to be the input")

    for name, text in (("delete", "delete the elements of a pick"), ("flip", "turn the shell elements of a pick over")):
        p = verb(name, text)
        reads(p)
        p.add_argument("pick", metavar="PICK", help="such as 'ids 5 7-9' or 'part hood and not sphere (0,0,9) 2.5'")
        writes(p)
        reports(p)

    p = verb("fill", "fill a rim, all rims below a diameter, or the loop of some nodes")
    reads(p)
    writes(p)
    reports(p)
    p.add_argument("--near", metavar="X,Y,Z", help="the rim nearest to this point")
    p.add_argument("--below", type=float, metavar="DIAMETER", help="every rim less than this across")
    p.add_argument("--nodes", metavar="ID,ID,...", help="ids of nodes in order round the hole")

    p = verb("cut", "cut a round, slotted or rectangular opening, with rings of regular elements round it")
    reads(p)
    writes(p)
    reports(p)
    where = p.add_mutually_exclusive_group(required=True)
    where.add_argument("--at", metavar="X,Y,Z", help="its middle")
    where.add_argument("--table", metavar="CSV", help="many at once: x,y,z and any of dx,dy,dz and what follows, named")
    p.add_argument("--along", metavar="X,Y,Z", help="its direction (the normal of the surface by default)")
    p.add_argument("--shape", choices=("round", "slot", "rectangle"), default="round")
    p.add_argument("--diameter", type=float, help="of a round opening")
    p.add_argument("--length", type=float, help="of a slot, from tip to tip, or a rectangle")
    p.add_argument("--width", type=float)
    p.add_argument("--turn", type=float, default=0.0, metavar="DEGREES", help="of the length, from the axis x")
    p.add_argument("--nodes", type=int, metavar="N", help="on the rim")
    p.add_argument("--collars", metavar="WIDTH,WIDTH,...", help="rings of regular elements round the rim")

    p = verb("openings", "list openings; move one, or give it another diameter")
    reads(p)
    reports(p)
    p.add_argument("--near", metavar="X,Y,Z", help="change the round opening nearest to this point")
    p.add_argument("--to", metavar="X,Y,Z", help="where its middle goes")
    p.add_argument("--diameter", type=float, help="that it gets")
    p.add_argument("--nodes", type=int, metavar="N", help="on its rim (as many as it has by default)")
    p.add_argument("--collars", metavar="WIDTH,WIDTH,...", help="rings of regular elements round its rim")
    p.add_argument("-o", "--output", metavar="FILE", help="the suffix chooses the format")
    p.add_argument("--overwrite", action="store_true", help="allow the output to be the input")

    p = verb("imprint", "imprint a line or a loop of points, as nodes that the mesh follows, or as a rim")
    reads(p)
    writes(p)
    reports(p)
    what = p.add_mutually_exclusive_group(required=True)
    what.add_argument("--through", metavar="X,Y,Z,X,Y,Z,...", help="points, in order")
    what.add_argument("--rim-of", metavar="OTHER", help="the rim of another mesh that is nearest to --near")
    what.add_argument("--circle", type=float, metavar="RADIUS", help="a circle about --near, across --along")
    p.add_argument("--near", metavar="X,Y,Z", help="for --rim-of and --circle")
    p.add_argument("--along", metavar="X,Y,Z", help="bring points to the surface this way (to the nearest place)")
    p.add_argument("--closed", action="store_true", help="join the last point to the first")
    p.add_argument("--opening", action="store_true", help="cut away what the loop encloses")
    p.add_argument("--count", type=int, metavar="N", help="so many points, evenly spaced")

    p = verb("combine", "put another mesh beside a mesh, in one file")
    reads(p)
    p.add_argument("other", metavar="OTHER", help="its ids stay where they are free")
    writes(p)
    reports(p)

    p = verb("stitch", "sew two closed rims together, node for node")
    reads(p)
    writes(p)
    reports(p)
    p.add_argument("--one", required=True, metavar="X,Y,Z", help="the rim nearest to this point")
    p.add_argument("--two", metavar="X,Y,Z", help="the other (the one nearest to the first by default)")
    p.add_argument("--within", type=float, metavar="DISTANCE", help="how far apart they may be")
    p.add_argument("--moves", choices=("both", "one", "two"), default="both", help="which goes to the other")

    p = verb("repeat", "repeat picked elements along a vector or round an axis, and sew every copy in")
    reads(p)
    p.add_argument("pick", metavar="PICK", help="such as 'part rib'")
    writes(p)
    reports(p)
    p.add_argument("--times", type=int, required=True, metavar="N", help="how many copies")
    p.add_argument("--vector", metavar="X,Y,Z", help="from each copy to the next")
    p.add_argument("--axis", metavar="X,Y,Z", help="direction of an axis to go round")
    p.add_argument("--about", default="0,0,0", metavar="X,Y,Z", help="a point of the axis (the origin by default)")
    p.add_argument("--angle", type=float, metavar="DEGREES", help="from each to the next (evenly all round by default)")

    p = verb("move-node", "move a node along its face or crease; what that does to elements is said")
    reads(p)
    p.add_argument("node", type=int, metavar="ID")
    p.add_argument("--to", required=True, metavar="X,Y,Z", help="where it is to go")
    p.add_argument("--free", action="store_true", help="exactly there, off its face too")
    writes(p)
    reports(p)

    p = verb("merge-nodes", "merge a node into another one")
    reads(p)
    p.add_argument("keep", type=int, metavar="ID", help="the node that stays")
    p.add_argument("gone", type=int, metavar="ID", help="the node that goes into it")
    writes(p)
    reports(p)

    p = verb("weld", "join nodes within a tolerance; the lowest id stays, where it is")
    reads(p)
    writes(p)
    reports(p)
    p.add_argument("--tolerance", type=float, required=True, help="in the unit of the mesh")
    p.add_argument("--parts", nargs=2, metavar="PART", help="only between these two parts")

    p = verb("skin", "take the outer faces of a solid mesh as a shell; node ids are kept")
    reads(p)
    writes(p)
    reports(p)

    p = verb("picture", "draw a mesh as PNG, with numbered rings where something was found")
    reads(p)
    p.add_argument("-o", "--output", required=True, metavar="PNG")
    p.add_argument(
        "--direction", default="corner", help="corner, below, behind, front, back, left, right, top, bottom, or x,y,z"
    )
    p.add_argument("--title", help="the name of the file by default")
    p.add_argument("--only", metavar="PICK", help="show only these elements, such as 'part hood'")
    p.add_argument("--hide", metavar="PICK", help="do not show these")
    p.add_argument("--cut", metavar="PLANE", help="cut away what is before x=NUMBER (or y, z), or X,Y,Z,NX,NY,NZ")
    p.add_argument(
        "--colour", metavar="MEASURE",
        help="colour by quality, such as minimum-angle, marking the worst; by patch; by thickness of walls, or gap",
    )  # fmt: skip
    p.add_argument("--sizes", metavar="FIELD", help="colour by a size field that `oddseam sizes` has made")
    p.add_argument("--before", metavar="FILE", help="draw this mesh beside it, from the same direction")
    p.add_argument("--plain", action="store_true", help="do not survey, mark nothing: a fraction of the time")

    p = verb("account", "say what was done to a mesh (.seam files hold that)")
    p.add_argument("input", metavar="FILE")
    reports(p)

    verb("warm-up", "compile what is not compiled for this processor yet")

    p = verb("demo", "run the story of the inlet cowl of Alder Weir on generated data")
    p.add_argument("-o", "--output", default="inlet_cowl_demo", metavar="DIR", help="folder for the results")
    return parser


#: Limits that elements can be improved to.
_IMPROVABLE = {
    "minimum-angle": "degrees, such as 20",
    "radius-ratio": "such as 0.3",
    "aspect-ratio": "such as 8",
    "skewness": "such as 0.7",
    "scaled-jacobian": "of quads, such as 0.4",
    "warpage": "of quads, degrees, such as 10",
}


def main(argv: Sequence[str] | None = None) -> int:
    """Run the command line; returns the exit status."""
    args = build_parser().parse_args(argv)
    logging.basicConfig(format="oddseam: %(message)s", level=logging.WARNING, stream=sys.stderr)
    try:
        rooms = [importlib.import_module(f"oddseam.cli.{room}") for room in ("verbs", "edits")]
        name = "run_" + args.verb.replace("-", "_")
        status: int = next(getattr(room, name) for room in rooms if hasattr(room, name))(args)
        sys.stdout.flush()
        return status
    except OddSeamError as error:
        return _refuse(str(error))
    except BrokenPipeError:
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
        return 1
    except MemoryError:
        return _refuse("there is not enough memory for this")
    except KeyboardInterrupt:
        return _refuse("stopped; no file was changed")


def _refuse(message: str) -> int:
    print("oddseam: " + " ".join(message.split()), file=sys.stderr)
    return 2
