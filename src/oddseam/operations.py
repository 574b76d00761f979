"""The table of operations: every verb, in the order of the job.

A verb is the name of its function; where that is ``make_X``, ``find_X``, ``list_X`` or ``transfer_X``, it is X.  What
arguments it takes is read from the signature and the docstring of the function, see :mod:`oddseam.signatures`, and
stands nowhere else.  The command line, its help and completion, the reference and the laws' tests are made from here.
"""

from __future__ import annotations

import importlib
import re
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from functools import cached_property
from typing import Any

from oddseam import _HOME
from oddseam.signatures import Signature, Source

#: Parts of the job, in order.
GROUPS = (
    "look", "mend", "features and sizes", "mesh", "openings and joints", "change of shape", "solids", "hand over",
    "the rest",
)  # fmt: skip
_PREFIX = re.compile(r"(make|find|list|transfer)_(.+)")


@dataclass(frozen=True)
class Operation:
    """One verb.

    Attributes
    ----------
    group : str
        One of :data:`GROUPS`.
    function : str
        Name of a public function, or ``module:name`` of another one.
    example : str
        A command line that works on the demo data, after the examples that stand above it in the table.
    shows : str
        The public function whose listing is shown with the result; then the result need not be written.
    picture : mapping of str to str
        What ``make_picture`` is given to draw the result, by its keywords: words, or ``@NAME`` for an argument of the
        operation.
    file : (str, str) or None
        A keyword under which arguments may come from a file, and the public function that reads them.
    """

    group: str
    function: str
    example: str
    shows: str = ""
    picture: Mapping[str, str] = field(default_factory=dict)
    file: tuple[str, str] | None = None

    @property
    def name(self) -> str:
        """The name of the function."""
        return self.function.rpartition(":")[2]

    @property
    def verb(self) -> str:
        """What it is called on the command line."""
        found = _PREFIX.fullmatch(self.name)
        return (self.name if found is None else found[2]).replace("_", "-")

    @property
    def listed(self) -> str:
        """What the rows are that it lists, such as ``patches``."""
        return (self.shows or self.name).removeprefix("list_")

    @property
    def _home(self) -> str:
        return self.function.rpartition(":")[0] or _HOME[self.function]

    @cached_property
    def signature(self) -> Signature:
        """The function by its source; nothing is imported."""
        return Signature(Source(self._home).home(self.name), self.name)

    def load(self) -> Callable[..., Any]:
        """The function."""
        found: Callable[..., Any] = getattr(importlib.import_module(self._home), self.name)
        return found


_IN_BLOCK = "bearing_block.bdf --unit mm"
_IN_TUBE = "draft_tube.bdf --unit mm"
_IN_COWL = "inlet_cowl.stl --unit mm"

OPERATIONS: list[Operation] = [
    Operation("look", "survey", f"survey {_IN_COWL}"),
    Operation("look", "measure", f"measure {_IN_COWL}"),
    Operation("look", "list_parts", f"parts {_IN_TUBE}"),
    Operation("look", "list_pieces", f"pieces {_IN_COWL}"),
    Operation("look", "list_openings", f"openings {_IN_TUBE}"),
    Operation("look", "find_chambers", f"chambers {_IN_COWL} --inside 0,0,75"),
    Operation(
        "look", "pick", f"pick {_IN_TUBE} 'near (-309, -97, 240) flat 10'", shows="list_picked",
        picture={"marked": "@pick", "plain": "yes"},
    ),
    Operation(
        "look", "compare", "compare bearing_block.bdf bearing_block_new.stl --unit mm",
        picture={"mesh": "@after", "against": "@before", "plain": "yes"},
    ),
    Operation("look", "make_picture", f"picture {_IN_COWL} -o before.png"),
    Operation("mend", "mend", f"mend {_IN_COWL} --fins 6 -o mended.seam"),
    Operation("mend", "fill", f"fill {_IN_TUBE} --near -49,-309,180 -o closed.bdf"),
    Operation(
        "mend", "delete",
        f"delete {_IN_TUBE} 'box (-600,-600,279) (600,600,301) and not part \"property 31\"' -o parted.bdf",
    ),
    Operation("mend", "flip", f"flip {_IN_COWL} \"finding 'misoriented edges'\" -o turned.seam"),
    Operation("mend", "weld", "weld turned.seam --tolerance 0.02 -o welded.seam"),
    Operation("mend", "move_node", f"move-node {_IN_TUBE} 20716 --to -306,-104,243 -o moved.bdf"),
    Operation("features and sizes", "find_features", "features mended.seam -o patches.seam", shows="list_patches"),
    Operation("features and sizes", "list_patches", "patches patches.seam"),
    Operation("features and sizes", "name_patches", "name-patches patches.seam 'plane 2=flange' -o named.seam"),
    Operation(
        "features and sizes", "make_creases", "creases patches.seam --stubs 5 -o tidied.seam", shows="list_creases",
        picture={"colour": "crease", "plain": "yes"},
    ),
    Operation("features and sizes", "list_small", "small patches.seam --below 6"),
    Operation("features and sizes", "absorb", "absorb patches.seam --below 6 -o sharp.seam"),
    Operation(
        "features and sizes", "make_sizes", "sizes patches.seam --base 12 --per-turn 36 -o cowl.npz",
        file=("rules", "read_rules"),
    ),
    Operation("mesh", "remesh", "remesh patches.seam --sizes cowl.npz -o even.seam"),
    Operation(
        "mesh", "coarsen",
        "coarsen mended.seam --facets 20000 --radius-ratio 0.02 --aspect-ratio 20 --minimum-angle 3 --skewness 0.95 "
        "-o light.seam",
    ),
    Operation("mesh", "refine", "refine even.seam 'sphere (82, 0, 97) 18' -o finer.seam"),
    Operation("mesh", "improve", "improve even.seam --minimum-angle 25 -o better.seam"),
    Operation("openings and joints", "cut", f"cut {_IN_TUBE} --at -300,-100,250 --diameter 60 --collars 8 -o cut.bdf"),
    Operation(
        "openings and joints", "change_openings",
        "change-openings cut.bdf --unit mm --near -270,-100,250 --diameter 50 -o narrower.bdf",
    ),
    Operation(
        "openings and joints", "imprint",
        f"imprint {_IN_TUBE} --circle 40 --near -300,-110,300 --direction 0.94,0.34,0 -o ring.seam",
    ),
    Operation("openings and joints", "combine", f"combine {_IN_TUBE} gusset.bdf -o with_gusset.bdf"),
    Operation(
        "openings and joints", "attach",
        "attach with_gusset.bdf --unit mm --near 95,367,420 --distance 3 -o attached.bdf",
    ),
    Operation(
        "openings and joints", "stitch",
        "stitch parted.bdf --unit mm --one 332,0,280 --two 337,0,300 --moves none -o closed_again.bdf",
    ),
    Operation(
        "openings and joints", "lift", f"lift {_IN_TUBE} 'sphere (-315,-114,300) 50' --by 30 -o boss.bdf"
    ),
    Operation(
        "openings and joints", "splice",
        f"splice {_IN_TUBE} 'sphere (-315,-114,300) 78' boss.bdf --distance 0.5 -o spliced.bdf",
    ),
    Operation(
        "openings and joints", "repeat",
        f"repeat {_IN_TUBE} 'near (420,242,560) flat 5' --times 1 --axis 0,0,1 --angle 270 -o four.bdf",
    ),
    Operation(
        "change of shape", "morph", f"morph {_IN_BLOCK} --bore 0,20,25=41.5 -o revised.bdf",
        picture={"moved_from": "@mesh"}, file=("changes", "read_changes"),
    ),
    Operation("solids", "skin", f"skin {_IN_BLOCK} -o skin.seam"),
    Operation("hand over", "convert", "convert even.seam -o cowl.bdf --thickness 5 --young 210000 --poisson 0.3"),
    Operation("hand over", "make_part", "part mended.seam 'near (0, 0, 8) flat 10' --name flange -o parted.seam"),
    Operation("hand over", "name_parts", "name-parts parted.seam flange=foot --boundaries foot=wall -o walls.seam"),
    Operation("hand over", "split_parts", "split-parts named.seam --boundaries flange=wall -o parts.seam"),
    Operation("hand over", "make_group", "group mended.seam 'near (88, 0, 90) flat 20' --name boss -o grouped.seam"),
    Operation("hand over", "assign_property", f"assign-property {_IN_TUBE} --thickness 16 -o thicker.bdf"),
    Operation(
        "hand over", "number_new", "number-new cut.bdf --unit mm --since draft_tube.bdf --node-ids 900001 -o new.bdf"
    ),
    Operation("the rest", "oddseam.cli.others:list_account", "account even.seam"),
    Operation("the rest", "oddseam.cli.others:demo", "demo -o cowl_story"),
    Operation("the rest", "oddseam.cli.others:completion", "completion bash"),
    Operation("the rest", "oddseam.cli.others:warm_up", "warm-up"),
]  # fmt: skip


def by_verb() -> dict[str, Operation]:
    """The operations by their verbs, in the order of the job."""
    ordered = sorted(OPERATIONS, key=lambda one: GROUPS.index(one.group))
    return {one.verb: one for one in ordered}


def register(operation: Operation) -> None:
    """Add an operation to the table.

    Raises
    ------
    ValueError
        If its group is unknown, or there is a verb of that name.
    """
    if operation.group not in GROUPS:
        raise ValueError(f"there is no group {operation.group!r}; there are {', '.join(GROUPS)}")
    if operation.verb in by_verb():
        raise ValueError(f"there is an operation {operation.verb!r} already")
    OPERATIONS.append(operation)
