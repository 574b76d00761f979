"""Options of verbs that change what is picked, or one place."""

from __future__ import annotations

from oddseam.cli.options import (
    Verbs,
    edits,
    has_collars,
    may_write,
    number,
    numbers_new,
    reads,
    reports,
    splits_lines,
    writes,
)


def add_edits(verbs: Verbs) -> None:
    """Pick, cut, stitch and so on."""
    p = verbs.add("pick", "count and list what a pick selects; draw it, or keep it as a group")
    reads(p)
    p.add_argument("pick", metavar="PICK", help="such as 'near (0,0,9) flat 10' or 'worst 20 minimum-angle'")
    p.add_argument("--of", choices=("elements", "nodes", "edges", "rims"), default="elements")
    reports(p)
    p.add_argument("--picture", metavar="PNG", help="draw the elements that are picked, or that have what is")
    p.add_argument("--group", metavar="NAME", help="keep elements or nodes as a group of that name, with -o")
    may_write(p)

    for name, text in (("delete", "delete the elements of a pick"), ("flip", "turn the shell elements of a pick over")):
        p = verbs.add(name, text)
        reads(p)
        p.add_argument("pick", metavar="PICK", help="such as 'ids 5 7-9' or 'part hood and not sphere (0,0,9) 2.5'")
        writes(p)
        reports(p)

    p = verbs.add("fill", "fill a rim, all rims below a diameter, or the loop of some nodes")
    reads(p)
    edits(p)
    p.add_argument("--near", action="append", metavar="X,Y,Z", help="the rim nearest to this point; may be repeated")
    p.add_argument("--below", type=number, metavar="DIAMETER", help="every rim less than this across")
    p.add_argument("--nodes", metavar="ID,ID,...", help="ids of nodes in order round the hole")
    p.add_argument("--flat", action="store_true", help="do not follow the curvature round it")
    p.add_argument("--may-cross", action="store_true", help="go on where a fill crosses other facets, and list these")

    p = verbs.add("cut", "cut a round, slotted or rectangular opening, with rings of regular elements round it")
    reads(p)
    edits(p)
    where = p.add_mutually_exclusive_group(required=True)
    where.add_argument("--at", metavar="X,Y,Z", help="its middle")
    where.add_argument("--table", metavar="CSV", help="many at once: x,y,z and any of dx,dy,dz and what follows, named")
    p.add_argument("--along", metavar="X,Y,Z", help="its direction (the normal of the surface by default)")
    p.add_argument("--shape", choices=("round", "slot", "rectangle"), default="round")
    p.add_argument("--diameter", type=number, help="of a round opening")
    p.add_argument("--length", type=number, help="of a slot, from tip to tip, or a rectangle")
    p.add_argument("--width", type=number)
    p.add_argument("--turn", type=number, default=0.0, metavar="DEGREES", help="of the length, from the axis x")
    p.add_argument("--nodes", type=int, metavar="N", help="on the rim")
    has_collars(p)
    splits_lines(p)

    p = verbs.add("openings", "list openings; move one, or give it another diameter")
    reads(p)
    reports(p)
    p.add_argument("--near", metavar="X,Y,Z", help="change the round opening nearest to this point")
    p.add_argument("--to", metavar="X,Y,Z", help="where its middle goes")
    p.add_argument("--diameter", type=number, help="that it gets")
    p.add_argument("--nodes", type=int, metavar="N", help="on its rim (as many as it has by default)")
    has_collars(p)
    may_write(p)
    numbers_new(p)

    p = verbs.add("imprint", "imprint a line or a loop of points, as nodes that the mesh follows, or as a rim")
    reads(p)
    edits(p)
    what = p.add_mutually_exclusive_group(required=True)
    what.add_argument("--through", metavar="X,Y,Z,X,Y,Z,...", help="points, in order")
    what.add_argument("--rim-of", metavar="OTHER", help="the rim of another mesh that is nearest to --near")
    what.add_argument("--circle", type=number, metavar="RADIUS", help="a circle about --near, across --along")
    p.add_argument("--near", metavar="X,Y,Z", help="for --rim-of and --circle")
    p.add_argument("--along", metavar="X,Y,Z", help="bring points to the surface this way (to the nearest place)")
    p.add_argument("--closed", action="store_true", help="join the last point to the first")
    p.add_argument("--opening", action="store_true", help="cut away what the loop encloses")
    p.add_argument("--count", type=int, metavar="N", help="so many points, evenly spaced")
    splits_lines(p)

    p = verbs.add("combine", "put another mesh beside a mesh, in one file")
    reads(p)
    p.add_argument("other", metavar="OTHER", help="its ids stay where they are free")
    writes(p)
    reports(p)

    p = verbs.add("stitch", "sew two rims together, node for node, all round or where they are near; or close the gap")
    reads(p)
    edits(p)
    p.add_argument("--one", required=True, metavar="X,Y,Z", help="the rim nearest to this point")
    p.add_argument("--two", metavar="X,Y,Z", help="the other (the one nearest to the first by default)")
    p.add_argument("--within", type=number, metavar="DISTANCE", help="how far apart they may be")
    p.add_argument(
        "--moves", choices=("both", "one", "two", "none"), default="both",
        help="which goes to the other; with none a strip of elements closes the gap",
    )  # fmt: skip

    p = verbs.add("attach", "attach a free edge to the face beside it, as a T-joint")
    reads(p)
    edits(p)
    p.add_argument("--near", required=True, metavar="X,Y,Z", help="the edge nearest to this point")
    p.add_argument("--within", type=number, required=True, metavar="DISTANCE", help="how far it may be from the face")

    p = verbs.add("repeat", "repeat picked elements along a vector or round an axis, and sew every copy in")
    reads(p)
    p.add_argument("pick", metavar="PICK", help="such as 'part rib'")
    edits(p)
    p.add_argument("--times", type=int, required=True, metavar="N", help="how many copies")
    p.add_argument("--vector", metavar="X,Y,Z", help="from each copy to the next")
    p.add_argument("--axis", metavar="X,Y,Z", help="direction of an axis to go round")
    p.add_argument("--about", default="0,0,0", metavar="X,Y,Z", help="a point of the axis (the origin by default)")
    p.add_argument("--angle", type=number, metavar="DEGREES", help="from each to the next (all round by default)")

    p = verbs.add("lift", "lift a picked region out of its surface, or sink it, with a wall round it")
    reads(p)
    p.add_argument("pick", metavar="PICK", help="such as 'cylinder (0,0,0) (0,0,9) 12'")
    edits(p)
    p.add_argument("--height", type=number, required=True, help="negative sinks it")
    p.add_argument("--taper", type=number, default=0.0, metavar="DEGREES", help="by which the wall leans in")
    p.add_argument("--rounding", type=number, default=0.0, metavar="RADIUS", help="of the rim between wall and top")
    p.add_argument("--along", metavar="X,Y,Z", help="the direction (the mean normal of what is picked by default)")
    p.add_argument("--rows", type=int, metavar="N", help="of elements on the wall")

    p = verbs.add("splice", "put another surface in the place of a picked region, trimmed and joined node for node")
    reads(p)
    p.add_argument("pick", metavar="PICK", help="what is cut out")
    p.add_argument("other", metavar="REPLACEMENT", help="covers the cut; it may reach farther, or be a whole part")
    may_write(p, "without, only what would be done is said: how far old and new are apart, and where")
    reports(p)
    numbers_new(p)
    p.add_argument("--within", type=number, required=True, metavar="DISTANCE", help="how far its border may be off")
    p.add_argument("--keep", metavar="X,Y,Z", help="a point near what is to be kept of the replacement")

    p = verbs.add("move-node", "move a node along its face or crease; what that does to elements is said")
    reads(p)
    p.add_argument("node", type=int, metavar="ID")
    p.add_argument("--to", required=True, metavar="X,Y,Z", help="where it is to go")
    p.add_argument("--free", action="store_true", help="exactly there, off its face too")
    writes(p)
    reports(p)

    p = verbs.add("merge-nodes", "merge a node into another one")
    reads(p)
    p.add_argument("keep", type=int, metavar="ID", help="the node that stays")
    p.add_argument("gone", type=int, metavar="ID", help="the node that goes into it")
    p.add_argument("--collapse", action="store_true", help="let tets that have both go")
    edits(p)

    p = verbs.add("weld", "join nodes within a tolerance; the lowest id stays, where it is")
    reads(p)
    writes(p)
    reports(p)
    p.add_argument("--tolerance", type=number, required=True, help="in the unit of the mesh")
    p.add_argument("--parts", nargs=2, metavar="PART", help="only between these two parts")

    p = verbs.add("drop-nodes", "drop nodes that no element uses, no group holds and no card refers to")
    reads(p)
    writes(p)
    reports(p)

    p = verbs.add("skin", "take the outer faces of a solid mesh as a shell; node ids are kept")
    reads(p)
    writes(p)
    reports(p)
