"""Outlines of openings in a plane: round, slotted and rectangular, with rings round them."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from oddseam.arrays import Array
from oddseam.errors import Refusal
from oddseam.inputs import check_count

#: Fewest nodes of any outline.
_FEWEST = 4
#: More than any opening has, and than a neighbourhood takes.
_MOST = 2_000


@dataclass(frozen=True, eq=False)
class Outline:
    """A closed polygon, anticlockwise about the origin.

    Attributes
    ----------
    points : (n, 2) array
    out : (n, 2) array
        Where a point goes when the outline is offset outwards by one: along the bisector of a corner.
    name : str
        What it is, such as ``"round, diameter 20"``.
    """

    points: Array
    out: Array
    name: str

    def ring(self, offset: float) -> Array:
        """(n, 2) the outline offset outwards."""
        return np.asarray(self.points + offset * self.out)

    def turned(self, degrees: float) -> Outline:
        """The outline turned about the origin."""
        cos, sin = np.cos(np.radians(degrees)), np.sin(np.radians(degrees))
        turn = np.array([[cos, sin], [-sin, cos]])
        return Outline(self.points @ turn, self.out @ turn, self.name)

    @property
    def area(self) -> float:
        """What the polygon encloses."""
        x, y = self.points.T
        return float(0.5 * (x * np.roll(y, -1) - np.roll(x, -1) * y).sum())


def round_outline(diameter: float, nodes: int) -> Outline:
    """A circle."""
    _check({"diameter": diameter}, nodes, _FEWEST)
    turn = np.arange(nodes) * 2.0 * np.pi / nodes
    out = np.column_stack([np.cos(turn), np.sin(turn)])
    return Outline(0.5 * diameter * out, out, f"round, diameter {diameter:g}")


def slotted_outline(length: float, width: float, nodes: int) -> Outline:
    """A slot along x with round ends; its length is from tip to tip."""
    _check({"length": length, "width": width}, nodes, 8)
    if length <= width:
        raise Refusal(f"a slot {length:g} long and {width:g} wide is not longer than wide: cut a round opening")
    if nodes % 2:
        raise Refusal(f"a slot has an even number of nodes, not {nodes}")
    radius, straight = 0.5 * width, length - width
    along = int(np.clip(round(nodes * straight / (2.0 * (straight + np.pi * radius))), 1, nodes // 2 - 2))
    round_end = nodes // 2 - along
    turn = np.linspace(-0.5 * np.pi, 0.5 * np.pi, round_end + 1)
    cap = np.column_stack([np.cos(turn), np.sin(turn)])
    top = np.linspace(0.5 * straight, -0.5 * straight, along + 1)[1:-1]
    half = np.concatenate([radius * cap + (0.5 * straight, 0.0), np.column_stack([top, np.full(len(top), radius)])])
    out = np.concatenate([cap, np.tile([0.0, 1.0], (len(top), 1))])
    return Outline(np.concatenate([half, -half]), np.concatenate([out, -out]), f"slot, {length:g} x {width:g}")


def rectangular_outline(length: float, width: float, nodes: int) -> Outline:
    """A rectangle, its length along x, with a node at every corner."""
    _check({"length": length, "width": width}, nodes, _FEWEST)
    if nodes % 2:
        raise Refusal(f"a rectangle has an even number of nodes, not {nodes}")
    along = int(np.clip(round(0.5 * nodes * length / (length + width)), 1, nodes // 2 - 1))
    up = nodes // 2 - along
    x, y = np.linspace(-0.5 * length, 0.5 * length, along + 1)[:-1], np.linspace(-0.5 * width, 0.5 * width, up + 1)[:-1]
    half = np.concatenate(
        [np.column_stack([x, np.full(along, -0.5 * width)]), np.column_stack([np.full(up, 0.5 * length), y])]
    )
    out = np.concatenate([np.tile([0.0, -1.0], (along, 1)), np.tile([1.0, 0.0], (up, 1))])
    out[0], out[along] = (-1.0, -1.0), (1.0, -1.0)
    return Outline(np.concatenate([half, -half]), np.concatenate([out, -out]), f"rectangle, {length:g} x {width:g}")


def _check(lengths: dict[str, float], nodes: int, fewest: int) -> None:
    for name, value in lengths.items():
        if not 0 < value < np.inf:
            raise Refusal(f"{name} {value} is not positive")
    check_count("nodes of an outline", nodes, least=fewest, most=_MOST)
