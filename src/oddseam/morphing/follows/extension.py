"""The smooth extension of displacements: p-harmonic, so that strain is spread as evenly as the shape allows.

A harmonic displacement gathers its strain where little is moved within much, and a biharmonic one that is held at
both ends strains the middle of a thin wall half as much again as need be.  The p-harmonic one makes the integral of
``|grad u|^p`` least; for p above 2 elements that strain more are stiffer (P. Mueller, N. Kuehl, M. Siebenborn,
K. Deckelnick, M. Hinze, T. Rung 2021, A novel p-harmonic descent approach applied to fluid dynamic shape optimization).
Between two parallel faces it is linear, exactly.  It is found by harmonic problems with the stiffness of each
element taken from the strain of the last (compare H. Jasak, Z. Tukovic 2006, Automatic mesh motion for the unstructured
finite volume method), on linear triangles and tets, which hexes, wedges and pyramids are taken apart into at their
corners.  Each is solved by conjugate gradients with algebraic multigrid (P. Vanek, J. Mandel, M. Brezina 1996,
Algebraic multigrid by smoothed aggregation for second and fourth order elliptic problems), small ones directly.
"""

from __future__ import annotations

import numpy as np

from oddseam.arrays import Array, for_kernels
from oddseam.geometry.threads import in_shares
from oddseam.model.connectivity import label_components
from oddseam.morphing.follows.simplices import around

#: The power p, and so many problems with weights after the first one.
_POWER, _ROUNDS = 4.0, 3
#: Weights lie within this factor of each other.
_CONTRAST = 1e4
#: The weights of a round are this mean (of logarithms) of those of the last and those of the strain.
_DAMPED = 0.5
#: Up to so many unknowns are solved for directly.
_DIRECT = 3000
#: Residuals are made smaller by this factor.
_ROUGH, _FINE = 1e-3, 1e-7
#: Largest number of iterations of one solution.
_ITERATIONS = 200


def extended(points: Array, simplices: Array, free: Array, u: Array, rounds: int = _ROUNDS) -> None:
    """Give free nodes displacements, in place.

    About O(n).

    Parameters
    ----------
    points : (n, 3) array
    simplices : (s, 3) or (s, 4) int32 array
        Triangles or tets.
    free : (n,) bool array
        Nodes whose displacement is sought; those that no simplex has get none.
    u : (n, 3) array
        Displacements, of nodes that are not free given, of others a first guess.
    rounds : int
        Of weights; 0 makes the extension harmonic.
    """
    problem = _Problem(points, simplices, free, u)
    if not problem.n:
        return
    weight = np.ones(len(problem.simplices))
    for k in range(rounds + 1):
        problem.solve(weight, u, _FINE if k == rounds else _ROUGH)
        if k < rounds:
            strain = problem.strain2(u) ** (0.5 * (_POWER - 2.0))
            top = float(strain.max(initial=0.0))
            if not top > 0:
                return
            wanted = np.maximum(strain / top, 1.0 / _CONTRAST)
            weight = wanted if k == 0 else weight**_DAMPED * wanted ** (1.0 - _DAMPED)


class _Problem:
    """A harmonic problem whose weights change."""

    def __init__(self, points: Array, simplices: Array, free: Array, u: Array) -> None:
        from oddseam.compiled import announce
        from oddseam.morphing.kernels import elastic_sums

        announce(elastic_sums.assemble)
        free = free & _hangs_on(simplices, free, u)
        held = free[simplices].any(axis=1)
        self.points, self.simplices = for_kernels(points), np.ascontiguousarray(simplices[held], np.int32)
        used = np.zeros(len(free), bool)
        used[self.simplices] = True
        u[free & ~used] = 0.0
        self.nodes = np.flatnonzero(free & used)
        self.n = len(self.nodes)
        self.row, self.first, self.of = around(self.simplices, self.nodes, len(free))
        self.begin = np.zeros(self.n + 1, np.int64)
        self._columns(np.zeros(0, np.int32))
        self.begin = np.cumsum(self.begin)
        self.column = np.zeros(int(self.begin[-1]), np.int32)
        if len(self.column):
            self._columns(self.column)

    def _columns(self, column: Array) -> None:
        from oddseam.morphing.kernels import elastic_sums

        in_shares(
            lambda start, stop: elastic_sums.columns(
                start, stop, self.simplices, self.row, self.first, self.of, self.begin, column
            ),
            self.n,
        )

    def strain2(self, u: Array) -> Array:
        """(s,) square of the gradient of a displacement."""
        from oddseam.morphing.kernels import elastic_sums

        out = np.empty(len(self.simplices))
        in_shares(
            lambda start, stop: elastic_sums.strains(start, stop, self.points, self.simplices, u, out),
            len(self.simplices),
        )
        return out

    def solve(self, weight: Array, u: Array, tolerance: float) -> None:
        """Make ``u`` harmonic with weights at the nodes that are sought."""
        from scipy.sparse import csr_matrix
        from scipy.sparse.linalg import splu

        from oddseam.morphing.kernels import elastic_sums

        value, right = np.empty(len(self.column)), np.empty((self.n, 3))
        in_shares(
            lambda start, stop: elastic_sums.assemble(
                start, stop, self.points, self.simplices, weight, self.row, self.first, self.of,
                self.begin, self.column, u, value, right,
            ),
            self.n,
        )  # fmt: skip
        matrix = csr_matrix((value, self.column, self.begin.astype(np.int32)), shape=(self.n, self.n))
        if self.n <= _DIRECT:
            u[self.nodes] = splu(matrix.tocsc()).solve(right)
        else:
            u[self.nodes] = _by_multigrid(matrix, right, u[self.nodes], tolerance)


def _hangs_on(simplices: Array, free: Array, u: Array) -> Array:
    """(n,) bool: nodes that hang together with one that is not free; others get no displacement, in place."""
    own = simplices[free[simplices].any(axis=1)]
    pairs = np.concatenate([own[:, [k, k - 1]] for k in range(own.shape[1])])
    pairs = pairs[free[pairs].all(axis=1)]
    label = label_components(len(free), pairs[:, 0], pairs[:, 1])[1]
    is_anchored = np.zeros(int(label.max(initial=-1)) + 1, bool)
    mixed = own[~free[own].all(axis=1)]
    is_anchored[label[mixed[free[mixed]]]] = True
    found = is_anchored[label]
    u[free & ~found] = 0.0
    return np.asarray(found)


def _by_multigrid(matrix: object, right: Array, guess: Array, tolerance: float) -> Array:
    """Solve for three right sides; the same on every run."""
    from pyamg import smoothed_aggregation_solver

    state = np.random.get_state()
    np.random.seed(1)  # the multigrid draws start vectors of its estimates
    try:
        levels = smoothed_aggregation_solver(matrix, max_coarse=500, symmetry="symmetric", improve_candidates=None)
        found = np.empty_like(right)
        for d in range(3):
            found[:, d] = levels.solve(
                right[:, d], x0=guess[:, d].copy(), tol=tolerance, accel="cg", maxiter=_ITERATIONS
            )
    finally:
        np.random.set_state(state)
    return found
