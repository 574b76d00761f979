"""Primitives are found from points and rough normals, whatever their pose, and the simplest one is taken."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings, strategies as st

from oddseam.geometry.shapes.primitives import PRIMITIVES, Primitive, fit_primitive


def patch(kind: str, random: np.random.Generator, count: int = 150) -> tuple[Primitive, np.ndarray, np.ndarray]:
    """A primitive anywhere, points on a part of it, and the normals there."""
    turn, _ = np.linalg.qr(random.normal(size=(3, 3)))
    turn *= np.sign(np.linalg.det(turn))
    centre = random.normal(scale=20.0, size=3)
    u = random.uniform(0, random.uniform(1.0, 2 * np.pi), count)
    v = random.uniform(0.0, 1.0, count)
    radius = random.uniform(1.0, 5.0)
    tube = 0.0
    round_about = np.column_stack([np.cos(u), np.sin(u), 0 * u])
    up = np.array([0.0, 0.0, 1.0])
    if kind == "plane":
        points, normals, radius = np.column_stack([5 * u, 5 * v, 0 * u]), np.tile(up, (count, 1)), 0.0
    elif kind == "cylinder":
        points, normals = radius * round_about + 4 * v[:, None] * up, round_about
    elif kind == "cone":
        radius = random.uniform(10.0, 70.0)
        cos, sin = np.cos(np.radians(radius)), np.sin(np.radians(radius))
        along = 2.0 + 4 * v
        points = along[:, None] * (sin * round_about + cos * up)
        normals = cos * round_about - sin * up
    elif kind == "sphere":
        w = np.arccos(1 - 1.2 * v)
        normals = np.sin(w)[:, None] * round_about + np.cos(w)[:, None] * up
        points = radius * normals
    else:
        tube = random.uniform(0.2, 0.8) * radius
        w = v * random.uniform(1.5, 6.0)
        normals = np.cos(w)[:, None] * round_about + np.sin(w)[:, None] * up
        points = radius * round_about + tube * normals
    return Primitive(kind, centre, turn @ up, radius, tube), points @ turn.T + centre, normals @ turn.T


@pytest.mark.parametrize("kind", PRIMITIVES)
@settings(max_examples=25, deadline=None)
@given(seed=st.integers(0, 10**6))
def test_each_kind_is_told_and_measured(kind, seed):
    random = np.random.default_rng(seed)
    true, points, normals = patch(kind, random)
    assert np.abs(true.distance(points)).max() < 1e-10 and true.normal(points) == pytest.approx(normals, abs=1e-9)
    found = fit_primitive(points, points, normals, 1e-7)
    assert found is not None and found.kind == kind
    assert found.radius == pytest.approx(true.radius, rel=1e-5) and found.tube == pytest.approx(true.tube, rel=1e-5)
    assert abs(found.axis @ true.axis) == pytest.approx(1.0, abs=1e-9) or kind == "sphere"
    away = points + random.normal(size=points.shape) * 0.1
    assert np.abs(found.distance(found.projected(away))).max() < 1e-9


@pytest.mark.parametrize(("kind", "share"), [("cylinder", 0.005), ("sphere", 0.005), ("cone", 0.01), ("torus", 0.02)])
def test_noise_and_rough_normals_leave_the_radius(kind, share):
    random = np.random.default_rng(5)
    true, points, normals = patch(kind, random, 600)
    size = np.ptp(points, axis=0).max()
    points = points + random.normal(scale=3e-4 * size, size=points.shape)
    normals = normals + random.normal(scale=0.05, size=normals.shape)
    normals /= np.linalg.norm(normals, axis=1, keepdims=True)
    found = fit_primitive(points, points, normals, 1e-3 * size)
    assert found is not None and found.kind == kind
    assert found.radius == pytest.approx(true.radius, rel=share)


def test_what_is_none_of_these_is_none():
    u, v = np.meshgrid(np.linspace(-1, 1, 20), np.linspace(-1, 1, 20))
    saddle = np.column_stack([u.ravel(), v.ravel(), (u * v).ravel()])
    normals = np.column_stack([-v.ravel(), -u.ravel(), np.ones(400)])
    normals /= np.linalg.norm(normals, axis=1, keepdims=True)
    assert fit_primitive(saddle, saddle, normals, 1e-3) is None
    assert fit_primitive(saddle[:2], saddle[:2], normals[:2], 1e-3) is None
    assert fit_primitive(np.ones((9, 3)), saddle[:9], normals[:9], 1e-3) is None
