"""Options of verbs that look at a mesh, and of those that stand apart."""

from __future__ import annotations

import argparse

from oddseam.cli.options import Verbs, follows_creases, looks_from, may_write, number, reads, reports, writes


def add_looking(verbs: Verbs) -> None:
    """Survey, measure and so on."""
    p = verbs.add("survey", "look for defects and judge element quality, with places and advice")
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
        p.add_argument(f"--{name}", type=number, metavar="LIMIT", help=text)

    p = verbs.add("measure", "measure a part: its box, edges, thinnest wall and smallest gap, or between nodes")
    reads(p)
    reports(p)
    p.add_argument("--nodes", metavar="ID,ID,...", help="the distance from each of these nodes to the next")

    p = verbs.add("features", "find creases, shallow and tangent ones too, and patches: planes, cylinders and so on")
    reads(p)
    reports(p)
    may_write(p, "keep them: a .seam file holds creases and patches")
    follows_creases(p)
    p.add_argument(
        "--ridge", type=number, default=5.0, metavar="ANGLE", help="least angle of a shallow ridge (default 5)"
    )
    p.add_argument("--noise", type=number, metavar="DISTANCE", help="how far nodes are off (estimated by default)")
    p = verbs.add("name-patches", "rename the patches that a file holds; those that get one name become one")
    reads(p)
    p.add_argument("names", nargs="+", metavar="PATCH=NAME", help="such as 'plane 2=flange'")
    writes(p)
    reports(p)

    p = verbs.add("split-parts", "make a part of every patch that a file holds")
    reads(p)
    p.add_argument("--boundary", action="append", metavar="PATCH=KIND", help="wall, inlet, outlet, symmetry, or a word")
    writes(p)
    reports(p)

    p = verbs.add("make-part", "make a part of what is picked")
    reads(p)
    p.add_argument("pick", metavar="PICK", help="such as 'patch lid or near (0,0,9)'")
    p.add_argument("--name", required=True, help="of the part")
    p.add_argument("--boundary", metavar="KIND", help="wall, inlet, outlet, symmetry, or a word of your own")
    writes(p)
    reports(p)

    p = verbs.add("name-parts", "rename parts, and give them kinds of boundary")
    reads(p)
    p.add_argument("names", nargs="*", metavar="PART=NAME", help="such as 'surface=hood'")
    p.add_argument("--boundary", action="append", metavar="PART=KIND", help="by the new name; may be repeated")
    writes(p)
    reports(p)

    p = verbs.add("pieces", "list the pieces with size, area, volume and place; `delete` takes them by number")
    reads(p)
    reports(p)

    p = verbs.add("creases", "list the chains of creases; tidy them up, draw some, and take some out")
    reads(p)
    reports(p)
    may_write(p, "keep what becomes of them, best in a .seam file")
    p.add_argument("--gaps", type=number, default=0.0, metavar="LENGTH", help="lead open ends on to creases as near")
    p.add_argument("--stubs", type=number, default=0.0, metavar="LENGTH", help="drop open chains that are shorter")
    p.add_argument("--loops", type=number, default=0.0, metavar="LENGTH", help="drop closed chains that are shorter")
    p.add_argument("--even", action="store_true", help="even out saw teeth: lead ragged chains along shorter ways")
    p.add_argument("--along", action="append", metavar="ID,ID,...", help="draw a crease along nodes; may be repeated")
    p.add_argument(
        "--across", action="append", metavar="X,Y,Z,X,Y,Z", help="draw one straight across facets; may be repeated"
    )
    p.add_argument(
        "--erase",
        action="append",
        metavar="WHICH",
        help="take out creases: numbers of the list (3,7-9), a kind (recognised), a point '(1,2,3)', or a pick",
    )
    p.add_argument(
        "--name", action="append", metavar="WHICH=NAME", help="name creases, as a group of their nodes; may be repeated"
    )
    p.add_argument("--picture", metavar="PNG", help="draw the creases with their numbers")

    p = verbs.add(
        "absorb", "list what is small in the network of creases, and merge it: tiny edges, slivers, double edges"
    )
    reads(p)
    reports(p)
    p.add_argument("--below", type=number, required=True, metavar="SIZE", help="in the unit of the mesh")
    may_write(p, "merge it, and write what comes of it; without, it is listed")
    follows_creases(p)

    p = verbs.add("chambers", "list the closed volumes, how they nest, and which one holds a point")
    reads(p)
    reports(p)
    p.add_argument("--at", metavar="X,Y,Z", action="append", help="which chamber holds this point; may be repeated")

    p = verbs.add("compare", "compare two meshes: distances both ways, volume, quality, and the ids that differ")
    reads(p)
    p.add_argument("other", metavar="OTHER", help="the later one")
    reports(p)
    p.add_argument("--picture", metavar="PNG", help="draw the later one, coloured by its distance to the first")
    looks_from(p)


def add_others(verbs: Verbs) -> None:
    """Pictures, accounts, the demo."""
    p = verbs.add("picture", "draw a mesh as PNG, with numbered rings where something was found")
    reads(p)
    p.add_argument("-o", "--output", required=True, metavar="PNG")
    looks_from(p)
    p.add_argument("--title", help="the name of the file by default")
    p.add_argument("--only", metavar="PICK", help="show only these elements, such as 'part hood'")
    p.add_argument("--hide", metavar="PICK", help="do not show these")
    p.add_argument("--cut", metavar="PLANE", help="cut away what is before x=NUMBER (or y, z), or X,Y,Z,NX,NY,NZ")
    p.add_argument(
        "--colour", metavar="MEASURE",
        help="colour by quality, such as minimum-angle, marking the worst; by part, or part-thickness; by patch; by "
        "thickness of walls, or gap",
    )  # fmt: skip
    p.add_argument("--sizes", metavar="FIELD", help="colour by a size field that `oddseam sizes` has made")
    p.add_argument("--before", metavar="FILE", help="draw this mesh beside it, from the same direction")
    p.add_argument("--plain", action="store_true", help="do not survey, mark nothing: a fraction of the time")

    p = verbs.add("account", "say what was done to a mesh (.seam files hold that)")
    p.add_argument("input", metavar="FILE")
    reports(p)

    verbs.add("warm-up", "compile what is not compiled for this processor yet")

    p = verbs.add("demo", "run the story of the inlet cowl of Alder Weir on generated data")
    p.add_argument("-o", "--output", default="inlet_cowl_demo", metavar="DIR", help="folder for the results")
    p.add_argument("--data", action="store_true", help="write the data of all pages instead, and tell no story")
