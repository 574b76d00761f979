"""Coordinate frames CORD2R, CORD2C and CORD2S: each given by three points in another frame."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from oddseam.arrays import Array

KINDS = {"CORD2R": 0, "CORD2C": 1, "CORD2S": 2}


@dataclass(frozen=True, eq=False)
class Frame:
    """A frame in the basic system: kind, origin (3,) and unit axes (3, 3) in rows."""

    kind: int
    origin: Array
    axes: Array

    def to_basic(self, points: Array) -> Array:
        """Points (n, 3) given in this frame, in the basic system; angles are in degrees."""
        local = points
        if self.kind == 1:
            angle = np.radians(points[:, 1])
            local = np.column_stack([points[:, 0] * np.cos(angle), points[:, 0] * np.sin(angle), points[:, 2]])
        elif self.kind == 2:
            polar, angle = np.radians(points[:, 1]), np.radians(points[:, 2])
            across = points[:, 0] * np.sin(polar)
            local = np.column_stack([across * np.cos(angle), across * np.sin(angle), points[:, 0] * np.cos(polar)])
        return np.asarray(self.origin + local @ self.axes)

    def from_basic(self, points: Array, near: Array | None = None) -> Array:
        """Points (n, 3) of the basic system, in this frame, with angles in the turn of those of ``near`` (n, 3)."""
        local: Array = (points - self.origin) @ self.axes.T
        if self.kind == 0:
            return local
        angle = np.degrees(np.arctan2(local[:, 1], local[:, 0]))
        if near is not None:
            angle = angle + 360.0 * np.round((near[:, self.kind] - angle) / 360.0)
        across = np.hypot(local[:, 0], local[:, 1])
        if self.kind == 1:
            return np.column_stack([across, angle, local[:, 2]])
        return np.column_stack([np.linalg.norm(local, axis=1), np.degrees(np.arctan2(across, local[:, 2])), angle])

    def directions(self, point: Array) -> Array:
        """(3, 3) the directions in which coordinates grow at a point of the basic system, in rows, of unit length."""
        if self.kind == 0:
            return self.axes
        x, y, z = self.axes @ (point - self.origin)
        angle = np.arctan2(y, x)
        out = np.array([np.cos(angle), np.sin(angle), 0.0])
        round_ = np.array([-np.sin(angle), np.cos(angle), 0.0])
        if self.kind == 1:
            return np.asarray(np.stack([out, round_, [0.0, 0.0, 1.0]]) @ self.axes)
        polar = np.arctan2(np.hypot(x, y), z)
        up = np.array([0.0, 0.0, 1.0])
        radial, down = np.sin(polar) * out + np.cos(polar) * up, np.cos(polar) * out - np.sin(polar) * up
        return np.asarray(np.stack([radial, down, round_]) @ self.axes)


BASIC = Frame(0, np.zeros(3), np.eye(3))


def resolve(given: dict[int, tuple[int, int, Array]]) -> dict[int, Frame]:
    """Frames in the basic system, from (kind, parent, three points (3, 3)) each.

    Raises ValueError for a parent that is not there, a loop of parents, or points in a line.
    """
    done: dict[int, Frame] = {0: BASIC}

    def settle(number: int, below: tuple[int, ...]) -> Frame:
        if number in done:
            return done[number]
        if number in below:
            raise ValueError(f"frame {number} refers to itself")
        if number not in given:
            raise ValueError(f"frame {below[-1]} refers to frame {number}, which is not there")
        kind, parent, points = given[number]
        a, b, c = settle(parent, (*below, number)).to_basic(points)
        z = b - a
        y = np.cross(z, c - a)
        if not (np.linalg.norm(z) > 0 and np.linalg.norm(y) > 0):
            raise ValueError(f"the three points of frame {number} lie in a line")
        z, y = z / np.linalg.norm(z), y / np.linalg.norm(y)
        done[number] = Frame(kind, a, np.stack([np.cross(y, z), y, z]))
        return done[number]

    for number in given:
        settle(number, ())
    return done


def to_basic(given: Array, frame_of: Array, frames: dict[int, Frame]) -> Array:
    """Points (n, 3), each in its own frame, in the basic system."""
    points = given.copy()
    for number in np.unique(frame_of).tolist():
        if number:
            here = frame_of == number
            points[here] = frames[number].to_basic(given[here])
    return points
