"""Where a mesh came from, kept so that a deck comes back as it was.

A deck is held as its own bytes, cut into records (cards, comment lines, control lines), with
tables that say which record holds which node, element, property or material.  A record whose
content did not change is written back byte for byte.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from functools import cached_property
from types import MappingProxyType
from typing import ClassVar

from oddseam.arrays import Array, locked
from oddseam.errors import MeshError
from oddseam.frozen import Value
from oddseam.model.parts import Part
from oddseam.model.references import References

#: What a record is.
CARRIED, NODE, ELEMENT, PROPERTY, MATERIAL, END = range(6)


@dataclass(frozen=True, eq=False)
class Records(Value):
    """The records of a deck, and what its nodes and elements were when it was read.

    Attributes
    ----------
    text : (b,) uint8 array
        The whole file.
    start : (k + 1,) int64 array
        Byte offset of every record, and the end of the last.
    role : (k,) int8 array
        What each record is: ``CARRIED``, ``NODE``, ``ELEMENT``, ...
    key : (k,) int64 array
        Id of the node, element, property or material in it; 0 for carried ones.
    node_frame : (n,) int64 array, node_given : (n, 3) float64 array
        For the node records, in order: the frame a node is given in, and its coordinates there.
    element_part : (e,) int64 array
        For the element records, in order: the property id.
    element_first : (e + 1,) int64 array, element_nodes : (c,) int64 array
        The node ids of element i are ``element_nodes[element_first[i]:element_first[i + 1]]``.
    frame_id, frame_kind : (f,) int64 arrays
        Local frames: id, and 0 rectangular, 1 cylindrical, 2 spherical.
    frame_axes : (f, 4, 3) float64 array
        Origin and unit axes of each frame in the basic system.
    include_span : (i, 2) int64 array
        Bytes of the text that came from included files, outer ones first.
    include_first : (i + 1,) int64 array, include_text : (b,) uint8 array
        The statement of span i is ``include_text[include_first[i]:include_first[i + 1]]``.
    """

    text: Array
    start: Array
    role: Array
    key: Array
    node_frame: Array
    node_given: Array
    element_part: Array
    element_first: Array
    element_nodes: Array
    frame_id: Array
    frame_kind: Array
    frame_axes: Array
    include_span: Array
    include_first: Array
    include_text: Array

    #: Array fields with their types and shapes, for checks and for the working file.
    LAYOUT: ClassVar[dict[str, tuple[str, tuple[int, ...]]]] = {
        "text": ("uint8", (-1,)),
        "start": ("int64", (-1,)),
        "role": ("int8", (-1,)),
        "key": ("int64", (-1,)),
        "node_frame": ("int64", (-1,)),
        "node_given": ("float64", (-1, 3)),
        "element_part": ("int64", (-1,)),
        "element_first": ("int64", (-1,)),
        "element_nodes": ("int64", (-1,)),
        "frame_id": ("int64", (-1,)),
        "frame_kind": ("int64", (-1,)),
        "frame_axes": ("float64", (-1, 4, 3)),
        "include_span": ("int64", (-1, 2)),
        "include_first": ("int64", (-1,)),
        "include_text": ("uint8", (-1,)),
    }

    def __post_init__(self) -> None:
        for name, (dtype, shape) in self.LAYOUT.items():
            object.__setattr__(self, name, locked(getattr(self, name), dtype, shape, f"records: {name}"))
        same = (
            len(self.start) == len(self.role) + 1 == len(self.key) + 1
            and len(self.node_frame) == len(self.node_given)
            and len(self.element_first) == len(self.element_part) + 1
            and len(self.frame_id) == len(self.frame_kind) == len(self.frame_axes)
            and len(self.include_span) + 1 == len(self.include_first)
        )
        if not same:
            raise MeshError("records: tables of one deck differ in length")


#: How what the records of a format of decks name is found; the formats enter theirs.
FINDERS: dict[str, Callable[[Records], References]] = {}


@dataclass(frozen=True, eq=False)
class Source(Value):
    """Where a mesh came from.

    Attributes
    ----------
    format : str
        Such as ``"stl"`` or ``"nastran"``.
    name : str
        Name of the file, without its folder.
    precision : float
        Relative spacing of the coordinates in the file (2**-23 for single precision); what
        is nearer than this times the size cannot be told apart.
    carried : mapping of str to int
        What was read but not interpreted, with counts.
    records : Records or None
        The original text of a deck.
    parts : tuple of Part
        The parts as they were read.
    """

    format: str
    name: str
    precision: float
    carried: Mapping[str, int] = field(default_factory=dict)
    records: Records | None = None
    parts: tuple[Part, ...] = ()

    def __post_init__(self) -> None:
        object.__setattr__(self, "carried", MappingProxyType(dict(self.carried)))

    @cached_property
    def references(self) -> References | None:
        """What the cards name that are carried; ``None`` where there are no records."""
        return None if self.records is None else FINDERS[self.format](self.records)
