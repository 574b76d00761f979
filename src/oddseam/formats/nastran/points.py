"""Nodes of a deck as their cards give them: each in a frame of its own."""

from __future__ import annotations

from math import isclose

import numpy as np

from oddseam.arrays import Array
from oddseam.formats.decks import changed_nodes, real_text, rounded_nodes
from oddseam.formats.nastran.fields import LARGE, SMALL, card_text, parse_card
from oddseam.formats.nastran.frames import Frame, to_basic
from oddseam.model import Mesh
from oddseam.model.source import NODE, Records

#: A coordinate that differs by less, as a share, came through a frame and back.
_ROUNDED = 1e-14
#: Characters of a coordinate.
_WIDTH = 16


def held_records(mesh: Mesh) -> Records | None:
    """The records of the deck that a mesh came from, if it was one of this format."""
    return mesh.source.records if mesh.source is not None and mesh.source.format == "nastran" else None


def frames_of(records: Records) -> dict[int, Frame]:
    """The frames of a deck by number."""
    table = zip(records.frame_id.tolist(), records.frame_kind.tolist(), records.frame_axes, strict=True)
    return {number: Frame(kind, axes[0], axes[1:]) for number, kind, axes in table}


def places_read(records: Records) -> Array:
    """(n, 3) where the node records put their nodes, in the basic system."""
    return to_basic(records.node_given, records.node_frame, frames_of(records))


def nodes_changed(mesh: Mesh) -> Array:
    """(n,) bool: nodes that are elsewhere than their record says, or have none."""
    records = held_records(mesh)
    return changed_nodes(mesh, records, None if records is None else places_read(records))


def rounded(mesh: Mesh) -> Mesh:
    """The mesh with the coordinates that the cards hold: sixteen characters each."""
    return rounded_nodes(mesh, nodes_changed(mesh), _WIDTH)


def grid_card(number: int, xyz: list[float], frame: str = "", rest: list[str] | None = None) -> str:
    """A new card; ``rest`` is what stands behind the coordinates."""
    fields = [str(number), frame, *(real_text(value, _WIDTH) for value in xyz), *(rest or [])]
    if rest and any(rest):
        return card_text("GRID", fields, LARGE)
    x, y, z = fields[2:5]
    return f"GRID*   {number:<16}{frame:<16}{x:<16}{y}".rstrip() + f"\n*       {z}\n"


def new_grids(mesh: Mesh, records: Records, rows: Array) -> list[str]:
    """Cards of new nodes: each in the frames of the nearest one of the deck that elements use, on its superelement."""
    ids, xyz = mesh.node_ids[rows].tolist(), mesh.nodes[rows]
    at = np.flatnonzero(records.role == NODE)
    used = np.flatnonzero(np.isin(records.key[at], records.element_nodes))
    if not len(used) or not len(rows):
        return [grid_card(number, its) for number, its in zip(ids, xyz.tolist(), strict=True)]
    from scipy.spatial import cKDTree

    frames, text = frames_of(records), records.text
    like = used[cKDTree(places_read(records)[used]).query(xyz)[1]]
    rest: dict[int, list[str]] = {}
    for k in np.unique(like).tolist():
        card = parse_card(
            text[records.start[at[k]] : records.start[at[k] + 1]].tobytes().decode("latin-1").splitlines()
        )
        rest[k] = [card.text(6), "", card.text(8)]
    cards = []
    for number, point, k in zip(ids, xyz, like.tolist(), strict=True):
        frame = int(records.node_frame[k])
        local = point if not frame else frames[frame].from_basic(point[None], records.node_given[k][None])[0]
        cards.append(grid_card(number, local.tolist(), str(frame or ""), rest[k]))
    return cards


def moved_grid(text: bytes, xyz: Array, frame: Frame | None, given: Array) -> bytes:
    """A card with other coordinates; what is as it was, except for what a frame rounds, keeps its text."""
    local = xyz if frame is None else frame.from_basic(xyz[None], given[None])[0]
    both = enumerate(zip(local.tolist(), given.tolist(), strict=True))
    changes = {3 + k: real_text(new, _WIDTH) for k, (new, old) in both if not isclose(new, old, rel_tol=_ROUNDED)}
    return replaced(text, changes)


def replaced(text: bytes, changes: dict[int, str]) -> bytes:
    """The card with some fields changed, in its own style if the values fit."""
    card = parse_card(text.decode("latin-1").splitlines())
    fields = list(card.fields)
    for number, value in changes.items():
        fields += [""] * (number - len(fields))
        fields[number - 1] = value
    style = card.style
    if style == SMALL and any(len(value) > 8 for value in fields):
        style = LARGE
    return card_text(card.name, fields, style).encode("latin-1")
