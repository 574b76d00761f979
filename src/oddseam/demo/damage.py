"""The damage done to the demo parts, on purpose and always the same."""

from __future__ import annotations

import math
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from oddseam.arrays import Array
from oddseam.demo.cowl import AROUND, FLANGE_TOP, MOUTH, WALL, WALL_ROWS, cowl_bodies, outer_radius

#: The torn seam: row of nodes, from and to which angle (whole columns), and how far it gapes.
_SEAM_ROW, _SEAM_SPAN, _SEAM_GAP = 24, (360 * 93 / AROUND, 360 * 106 / AROUND), 0.012
#: The fin: its column, and how far it stands off the wall.
_FIN_ANGLE, _FIN_HEIGHT = 360 * 44 / AROUND, 6.0


@dataclass(frozen=True)
class Damage:
    """What was done to the cowl: numbers of facets, and of nodes that the upper side of the torn seam has more."""

    flipped: int
    duplicated: int
    missing: int
    crumbs: int
    slivers: int
    fin: int
    torn: int


def _on_wall(angle: float, z: float, inside: bool = False) -> Array:
    radius = float(outer_radius(z)) - (WALL if inside else 0.0)
    turn = math.radians(angle)
    return np.array([radius * math.cos(turn), radius * math.sin(turn), z])


def damaged_cowl() -> tuple[Array, Damage]:
    """Corners (m, 3, 3) of the raw cowl's unconnected facets, in single precision, and the damage."""
    (nodes, triangles), (boss_nodes, boss) = cowl_bodies()
    soup, slivers = _with_slivers(nodes[triangles])
    soup, torn = _torn(soup)
    soup = np.concatenate([soup, boss_nodes[boss]])
    fin = _fin(nodes)
    corners = soup.astype(np.float32)
    middle = corners.mean(axis=1)

    def near(point: Array, radius: float) -> Array:
        found: Array = np.linalg.norm(middle - point, axis=1) < radius
        return found

    missing = near(_on_wall(70, 60), 4.5) | near(_on_wall(200, 120), 2.2) | near(_on_wall(300, 40, inside=True), 1.4)
    missing |= near(np.array([-78.0, 12.0, 8.0]), 4.0)
    flipped = near(_on_wall(130, 90), 14.0) & ~missing
    doubled = np.flatnonzero(near(_on_wall(250, 70), 3.0))[:14]
    corners[flipped] = corners[flipped][:, [0, 2, 1]]
    crumbs = _flakes(np.random.default_rng(7))
    soup = np.concatenate([corners[~missing], corners[doubled], crumbs.astype(np.float32), fin.astype(np.float32)])
    order = np.random.default_rng(11).permutation(len(soup))
    damage = Damage(int(flipped.sum()), len(doubled), int(missing.sum()), len(crumbs), slivers, len(fin), torn)
    return soup[order], damage


def _with_slivers(corners: Array) -> tuple[Array, int]:
    """Split some edges next to one of their ends, on both sides: a pair of slivers at each."""
    out, slivers = list(corners), 0
    for angle, z in ((150, 40.0), (160, 55.0), (175, 45.0), (185, 60.0)):
        at = int(np.argmin(np.linalg.norm(corners.mean(axis=1) - _on_wall(angle, z), axis=1)))
        a, b = corners[at][0], corners[at][1]
        m = a + 0.003 * (b - a)
        has = (corners == a).all(axis=2).any(axis=1) & (corners == b).all(axis=2).any(axis=1)
        for row in np.flatnonzero(has).tolist():
            whole = corners[row]
            for end in (a, b):
                piece = whole.copy()
                piece[(whole == end).all(axis=1)] = m
                out.append(piece)
            out[row] = np.full((3, 3), np.nan)
            slivers += 1
    kept = np.array(out)
    return kept[np.isfinite(kept[:, 0, 0])], slivers


def _torn(corners: Array) -> tuple[Array, int]:
    """Tear the outer wall along a row of its nodes: the upper side is meshed twice as fine, and lifted a little."""
    row = FLANGE_TOP + (MOUTH - FLANGE_TOP) * _SEAM_ROW / WALL_ROWS
    radius = np.hypot(corners[..., 0], corners[..., 1])
    angle = np.degrees(np.arctan2(corners[..., 1], corners[..., 0])) % 360
    first, last = _SEAM_SPAN
    outside = np.abs(radius - outer_radius(corners[..., 2])) < 1e-6
    on_seam = outside & (np.abs(corners[..., 2] - row) < 1e-6) & (angle > first - 1e-6) & (angle < last + 1e-6)
    above = corners[..., 2].mean(axis=1) > row
    tip = on_seam & ((angle < first + 1e-6) | (angle > last - 1e-6))
    lifted = corners.copy()
    lifted[..., 2] += np.where(on_seam & ~tip & above[:, None], _SEAM_GAP, 0.0)
    whole, pieces = np.ones(len(corners), bool), []
    for at in np.flatnonzero(above & (on_seam.sum(axis=1) == 2)).tolist():
        k = int(np.flatnonzero(~on_seam[at])[0])
        far, a, b = lifted[at][k], lifted[at][(k + 1) % 3], lifted[at][(k + 2) % 3]
        middle = (a + b) / 2
        middle[:2] *= outer_radius(row) / np.hypot(*middle[:2])  # on the wall, not on the chord
        pieces += [[far, a, middle], [far, middle, b]]
        whole[at] = False
    return np.concatenate([lifted[whole], np.array(pieces)]), len(pieces) // 2


def _fin(nodes: Array) -> Array:
    """A strip of facets that stands off the inner wall along a column of its nodes."""
    z = FLANGE_TOP + (MOUTH - FLANGE_TOP) * np.arange(14, 21) / WALL_ROWS
    feet = [nodes[np.argmin(np.linalg.norm(nodes - _on_wall(_FIN_ANGLE, height, True), axis=1))] for height in z]
    foot = np.array(feet)
    edge = foot.copy()
    stand = _FIN_HEIGHT * np.sin(np.linspace(0.3, 2.8, len(z)))
    edge[:, :2] *= 1 - (stand / np.hypot(foot[:, 0], foot[:, 1]))[:, None]
    return np.array(
        [t for k in range(len(z) - 1) for t in ([foot[k], foot[k + 1], edge[k]], [foot[k + 1], edge[k + 1], edge[k]])]
    )


def _flakes(rng: np.random.Generator) -> Array:
    """Flat crumbs of one or two facets, less than a millimetre across, that float within the hood."""
    flakes = []
    for z in (40.0, 75.0, 110.0, 128.0):
        centre = np.array([*rng.uniform(-30, 30, 2), z])
        u, v = np.linalg.qr(rng.normal(size=(3, 2)))[0].T
        a, b, c, d = (centre + 0.4 * x * u + 0.35 * y * v for x, y in ((-1, -1), (1, -1), (1, 1), (-1, 1)))
        flakes.append([a, b, c])
        if z > 60:
            flakes.append([a, c, d])
    return np.array(flakes)


def write_raw_cowl(path: Path) -> None:
    """Write the raw cowl as a scan program would: unconnected facets, in no order."""
    corners, _ = damaged_cowl()
    record = np.dtype([("normal", "<f4", 3), ("corners", "<f4", (3, 3)), ("attribute", "<u2")])
    table = np.zeros(len(corners), record)
    table["corners"] = corners
    head = b"inlet cowl, Alder Weir, as it arrived".ljust(80)
    path.write_bytes(head + np.uint32(len(table)).tobytes() + table.tobytes())
