"""Options of the verb that carries a change of the design into a mesh."""

from __future__ import annotations

from oddseam.cli.options import Verbs, looks_from, may_write, number, reads, reports


def add_morph(verbs: Verbs) -> None:
    """Morph."""
    p = verbs.add("morph", "carry a change of the design into a mesh: coordinates change, ids and connectivity stay")
    reads(p)
    may_write(p, "a deck comes back byte for byte, but for the coordinates that change")
    reports(p)
    what = p.add_argument_group("changes; each may be repeated")
    for option, form, text in (
        ("--move", "PICK=X,Y,Z", "move a pick as it is"),
        ("--turn", "PICK=DEGREES,AX,AY,AZ,X,Y,Z", "turn it about an axis through a point"),
        ("--scale", "PICK=F,X,Y,Z", "scale it about a point, by one factor or three"),
        ("--offset", "PICK=DISTANCE", "move it along its normals, out of the material"),
        ("--wall", "PICK=THICKNESS", "make the wall behind it so thick"),
        ("--bore", "X,Y,Z=DIAMETER", "give the cylinder nearest to a point another diameter"),
        ("--bore-centre", "X,Y,Z=X,Y,Z", "another centre"),
        ("--bore-axis", "X,Y,Z=AX,AY,AZ", "another direction"),
        ("--bore-outline", "X,Y,Z", "the panel there, which gets another diameter, keeps its outline"),
        ("--push", "I,J,K=X,Y,Z", "push a control point of the lattice"),
    ):
        what.add_argument(option, action="append", metavar=form, help=text)
    what.add_argument("--lattice", metavar="X,Y,Z,X,Y,Z", help="box of control points: two corners")
    what.add_argument("--counts", metavar="I,J,K", default="4,4,4", help="control points each way (4,4,4 by default)")
    what.add_argument("--targets", metavar="CSV", help="where nodes are to go: id,x,y,z")
    what.add_argument("--shape", metavar="FILE", help="a faceted surface of the changed part, to be followed")
    what.add_argument("--shape-of", metavar="PICK", help="the patches that it shows (all by default)")
    what.add_argument("--smooth", action="store_true", help="follow cylinders and so on in it, not its facets")
    what.add_argument("--changes", metavar="TOML", help="a file that holds several, and what is held")
    p.add_argument("--hold", action="append", metavar="PICK", help="what stays where it is; may be repeated")
    p.add_argument("--plane", action="append", metavar="x=NUMBER", help="a plane of symmetry; may be repeated")
    p.add_argument("--reach", type=number, metavar="DISTANCE", help="what is farther from all that is changed stays")
    p.add_argument("--limit", action="append", metavar="MEASURE=VALUE", help="a quality that no element may break")
    p.add_argument("--preview", action="store_true", help="write no mesh, but say what would become of it")
    p.add_argument("--pictures", metavar="DIR", help="draw displacement.png and quality.png into a folder")
    looks_from(p)
