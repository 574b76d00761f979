"""Damaged files: each is read as a mesh, or refused in one clear line."""

from __future__ import annotations

import random
from collections.abc import Callable

import numpy as np

import oddseam


def read_or_refused(read: Callable[[bytes], oddseam.Mesh], content: bytes) -> None:
    """Read one file; anything but a mesh or one line fails the test."""
    try:
        assert np.isfinite(read(content).nodes).all()
    except oddseam.OddSeamError as error:
        assert "\n" not in str(error)


def survives(read: Callable[[bytes], oddseam.Mesh], whole: bytes, *, seed: int, count: int, bytes_at_once: int) -> None:
    """Change up to so many bytes of a file, cut a quarter of the files short, and read them."""
    rng = random.Random(seed)
    for _ in range(count):
        broken = bytearray(whole)
        for _ in range(rng.randint(1, bytes_at_once)):
            broken[rng.randrange(len(broken))] = rng.randrange(256)
        if rng.random() < 0.25:
            broken = broken[: rng.randrange(1, len(broken))]
        read_or_refused(read, bytes(broken))
