"""Options of verbs that mend a surface, or mesh it anew."""

from __future__ import annotations

import argparse

from oddseam.cli.options import UNITS, Verbs, follows_creases, has_limits, number, picks_some, reads, reports, writes

#: Limits that elements can be improved to.
_IMPROVABLE = {
    "minimum-angle": "degrees, such as 20",
    "radius-ratio": "such as 0.3",
    "aspect-ratio": "such as 8",
    "skewness": "such as 0.7",
    "scaled-jacobian": "of quads, such as 0.4",
    "warpage": "of quads, degrees, such as 10",
}


def add_surface(verbs: Verbs) -> None:
    """Mend, remesh and so on."""
    p = verbs.add("mend", "join, drop duplicates and walls, sew cracks, orient, fill rims, and prove the result")
    reads(p)
    writes(p)
    reports(p)
    p.add_argument(
        "--close",
        default="small",
        metavar="WHAT",
        help="rims to fill: small (up to 5 %% of the diagonal, the default), none, a diameter, or all: "
        "this is one solid, every rim is spanned and what lies within goes",
    )
    p.add_argument(
        "--width",
        type=number,
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
        help="facets that cross: one surface round all that is solid (the default but for a deck; open sheets stay as "
        "they are), shared nodes and edges, or left",
    )
    p.add_argument(
        "--trim",
        choices=("inside", "outside"),
        help="cut open sheets off where a solid cuts them: what sticks into it, or what hangs outside",
    )
    p.add_argument(
        "--crumbs",
        type=number,
        metavar="SIZE",
        help="drop floating pieces smaller than this (0: none; 0.5 %% of the diagonal by default)",
    )
    p.add_argument(
        "--fins",
        type=number,
        metavar="HEIGHT",
        help="fins and folds that stand off no farther may go (0.5 %% of the diagonal by default)",
    )
    p.add_argument(
        "--tolerance",
        type=number,
        metavar="DISTANCE",
        help="how far what was given may be from the result, but for crumbs and fins (a thousandth of the diagonal)",
    )

    p = verbs.add(
        "sizes", "make a size field: a base size, and smaller ones by curvature, walls, patches, parts and zones"
    )
    reads(p)
    reports(p)
    p.add_argument("-o", "--output", required=True, metavar="FIELD", help="an .npz file, for `oddseam remesh --sizes`")
    p.add_argument("--rules", metavar="TOML", help="a file with all of these; options given besides count instead")
    p.add_argument("--base", type=number, help="largest size, in the unit of the mesh")
    p.add_argument("--smallest", type=number, help="curvature and walls ask for no less (a hundredth of the base)")
    p.add_argument("--growth", type=number, help="growth of the size over the distance (default 0.35)")
    p.add_argument("--per-turn", type=number, metavar="N", help="elements round a full turn of curved surface")
    p.add_argument("--across", type=number, metavar="N", help="elements across a wall or a gap")
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
    p.add_argument("--elements-along", action="append", metavar="X,Y,Z=N", help="so many elements along it, exactly")
    p.add_argument("--elements-round", type=int, metavar="N", help="so many round every round rim, bore and pin")
    p.add_argument("--within", action="append", metavar="FILE=SIZE", help="size inside of another, closed mesh")
    p.add_argument("--at", action="append", metavar="X,Y,Z", help="print the size at this point; may be repeated")
    p.add_argument(
        "--crease", type=number, metavar="ANGLE", help="edges that turn by more degrees are no curvature (30)"
    )

    p = verbs.add("remesh", "make even triangles of a wanted edge length; creases, rims and borders are kept")
    reads(p)
    writes(p)
    reports(p)
    wanted = p.add_mutually_exclusive_group(required=True)
    wanted.add_argument("--size", type=number, help="wanted edge length, in the unit of the mesh")
    wanted.add_argument("--sizes", metavar="FIELD", help="a size field that `oddseam sizes` has made")
    picks_some(p)
    follows_creases(p)
    p.add_argument(
        "--chord", type=number, metavar="DISTANCE", help="how far an edge may leave its crease (1.85 %% of the size)"
    )
    p.add_argument("--growth", type=number, default=0.35, help="growth of the size over the distance (default 0.35)")
    p.add_argument("--facets", action="store_true", help="keep to the old facets on recognised round patches too")
    p.add_argument("--smooth", action="store_true", help="put nodes on a smooth surface through those of the facets")
    p.add_argument("--quads", action="store_true", help="quads where they fit, triangles between them")
    has_limits(p)

    p = verbs.add("coarsen", "leave fewer triangles; creases, rims and borders are kept")
    reads(p)
    writes(p)
    reports(p)
    p.add_argument("--facets", type=int, metavar="N", help="triangles to be left")
    p.add_argument(
        "--deviation", type=number, metavar="DISTANCE", help="how far either surface may be from the other, at most"
    )
    picks_some(p)
    follows_creases(p)
    has_limits(p)

    p = verbs.add("refine", "halve the edges of picked elements; those beside them are split to fit")
    reads(p)
    p.add_argument("pick", metavar="PICK", help="such as 'sphere (0,0,9) 2.5 rings 1'")
    writes(p)
    reports(p)
    how = p.add_mutually_exclusive_group()
    how.add_argument("--times", type=int, metavar="N", help="how often (default 1)")
    how.add_argument("--size", type=number, help="until no edge of what is picked is longer")
    p.add_argument("--facets", action="store_true", help="keep to the old facets on recognised round patches too")
    has_limits(p)

    p = verbs.add("improve", "move nodes, and mesh places anew, until limits of quality hold")
    reads(p)
    writes(p)
    reports(p)
    for name, text in _IMPROVABLE.items():
        p.add_argument(f"--{name}", type=number, metavar="LIMIT", help=text)
    picks_some(p)
    p.add_argument(
        "--deviation", type=number, metavar="DISTANCE", help="how far the surface may be left (0.1 %% of the diagonal)"
    )
    follows_creases(p)

    p = verbs.add("convert", "write a mesh in another format, and list what it cannot hold")
    reads(p)
    writes(p)
    reports(p)
    p.add_argument("--text", action="store_true", help="write STL, PLY or VTU as text, with every digit")

    p.add_argument("--to-unit", choices=UNITS, help="convert lengths to this unit")
