"""Simple surfaces found in facets: planes, spheres, cylinders, cones and tori.

A region starts from a facet and those round it.  To these every kind of surface is fitted; where one lies near enough
the region is grown over all facets on it, and the surface fitted again to what it has become, until it grows no
more.  Of all kinds that one is taken which explains most; where several explain as much, that from which the middles of
the edges are least far.  A region counts only if it is more than facets happen to agree on.
After R. Schnabel, R. Wahl, R. Klein (2007), Efficient RANSAC for point-cloud shape detection, and P. Besl,
R. Jain (1988), Segmentation through variable-order surface fitting.
"""

from __future__ import annotations

from collections import deque
from collections.abc import Sequence
from dataclasses import dataclass
from itertools import combinations

import numpy as np

from oddseam.arrays import Array, distinct, for_kernels
from oddseam.features.edges.bands import Bands
from oddseam.features.kernels import patch_growth, region_search
from oddseam.features.kernels.region_search import HOODS, LEAST_CURVED
from oddseam.geometry.shapes.primitives import LEAST_POINTS, PRIMITIVES, Primitive, coded
from oddseam.geometry.triangles import areas_and_normals
from oddseam.model.connectivity import label_components

#: Surfaces are fitted to more facets round a seed where what they grow to is not so many times as much.
_GROWN = 16
#: Surfaces that long facets follow one another on; any two rings of nodes lie on a sphere too.
_RULED = ("cylinder", "cone")
#: A facet lies on a surface if its nodes are within this many tolerances, and it is turned by no more degrees.
_NEAR, _TURN = 3.0, 25.0
#: With a squared distance of less, over that of the tolerance (which is counted in), a plane is beyond doubt.
_BEYOND_DOUBT = 1.1
#: A surface that explains this share of what the best one does comes into question too.
_AS_MUCH = 0.6
#: In a smooth piece, seeds are given up when so many in a row came to nothing, as strips are; so many in all pieces.
_MISSES, _ALL_MISSES = 60, 3000
#: A step of the tessellation bulges by so much more than others at most, squared.
_AS_COARSE = 4.0
#: A smooth piece of whose facets so many surfaces explain less than as many shares is as good as free-form.
_CRUMBS, _CRUMBLY = 200, 2000
#: A region of so many such shares is none.
_COUNTS = 4
#: Rounds that settle facets between two regions.
_SWEEPS = 5
#: The root mean square distance of a region may be this many tolerances: few nodes may be off by chance.
_BY_CHANCE = 1.25


@dataclass(frozen=True, eq=False)
class Recognised:
    """``label`` (m,) is the surface of every facet, an index into ``surfaces``, or -1."""

    label: Array
    surfaces: tuple[Primitive, ...]


def regions_of(label: Array, count: int) -> list[Array]:
    """Rows of each of ``count`` labels; negative labels are left out."""
    order = np.argsort(label, kind="stable").astype(np.int32)
    first = np.searchsorted(label[order], np.arange(count + 1))
    return [order[i:j] for i, j in zip(first[:-1].tolist(), first[1:].tolist(), strict=True)]


def recognised(nodes: Array, triangles: Array, across: Array, tolerance: float) -> Recognised:
    """Find simple surfaces.

    About O(m log m) in the number of facets.

    Parameters
    ----------
    nodes : (n, 3) array
    triangles : (m, 3) int array
    across : (m, 3) int array
        Facet across each edge, -1 where a region ends in any case.
    tolerance : float
        Root mean square distance of the nodes of a region to its surface.
    """
    return _Search(nodes, triangles, across, tolerance).run()


class _Crumbs:
    """Pieces of whose facets so many surfaces explain so few that they are as good as free-form.

    Before such a piece is left, seeds all over it are tried: one may hit upon a surface that counts.
    """

    def __init__(self, piece: Array, count: int) -> None:
        self._size = np.bincount(piece, minlength=count)
        self._hits, self._explained, self._probes = np.zeros((3, count), np.int64)

    def probes_begin(self, piece: int) -> bool:
        """Whether nothing but crumbs has been found in a piece, so that it is to be probed now."""
        few = self._explained[piece] * _CRUMBLY < self._hits[piece] * self._size[piece]
        if self._probes[piece] or self._hits[piece] < _CRUMBS or not few:
            return False
        self._probes[piece] = _CRUMBS
        return True

    def is_given_up(self, piece: int, facets: int) -> bool:
        """Count what a seed has found, and say whether the piece is to be left."""
        self._hits[piece] += facets > 0
        self._explained[piece] += facets
        if not self._probes[piece]:
            return False
        if facets * _CRUMBLY >= self._size[piece] * _COUNTS:
            self._hits[piece] = self._explained[piece] = self._probes[piece] = 0
            return False
        self._probes[piece] -= 1
        return bool(self._probes[piece] == 0)


class _Search:
    def __init__(self, nodes: Array, triangles: Array, across: Array, tolerance: float) -> None:
        m = len(triangles)
        self.nodes, self.triangles = for_kernels(nodes), for_kernels(triangles, np.int32)
        self.across, self.tolerance = for_kernels(across, np.int32), tolerance
        self.area, self.normals = areas_and_normals(self.nodes[triangles])
        self.label = np.full(m, -1, np.int32)
        self.surfaces: list[Primitive] = []
        levels = np.empty((len(HOODS), m, 3))  # what is not needed takes no memory
        levels[0] = self.normals
        self.ground = region_search.Ground(
            self.nodes, self.triangles, self.across, self.label, self.area, levels, np.arange(len(HOODS)) == 0,
            np.empty(m, np.int32), np.empty(m, np.int32), np.zeros(m, np.int32), np.zeros(len(nodes), np.int32),
            np.zeros(1, np.int64),
        )  # fmt: skip
        self.near = region_search.Near(_NEAR * tolerance, float(np.cos(np.radians(_TURN))), _BY_CHANCE * tolerance)
        self.bands = Bands(self.nodes, triangles, across, self.area, self.normals, self.label, tolerance)

    def run(self) -> Recognised:
        m = len(self.triangles)
        inside = self.across.ravel() >= 0
        row = np.repeat(np.arange(m), 3)[inside]
        n_pieces, piece = label_components(m, row, self.across.ravel()[inside])
        misses, all_misses = np.zeros(n_pieces, np.int64), 0
        crumbs = _Crumbs(piece, n_pieces)
        is_tried = np.zeros(m, bool)
        queue = deque(np.argsort(-self.area, kind="stable").tolist())
        while queue:
            seed = queue.popleft()
            its = int(piece[seed])
            if self.label[seed] >= 0 or is_tried[seed] or misses[its] >= _MISSES or not self.area[seed] > 0:
                continue
            found = self._from(seed)
            if found is None:
                misses[its] += 1
                all_misses += 1
                is_tried[self._hood(seed, HOODS[0])] = True
                if all_misses >= _ALL_MISSES:
                    break
            else:
                misses[its] = 0
                self._keep(*found)
            if crumbs.is_given_up(its, 0 if found is None else len(found[1])):
                misses[its] = _MISSES
            if crumbs.probes_begin(its):
                left = np.flatnonzero((piece == its) & (self.label < 0))
                queue.extendleft(left[:: 1 + len(left) // _CRUMBS].tolist())
        self._find_bands(piece, n_pieces)
        self._unwrap_spheres()
        self._join_strips()
        self._absorb_steps()
        self._settle()
        return self._tidied()

    def _find_bands(self, piece: Array, n_pieces: int) -> None:
        """Cylinders and cones of but a few rows of facets, which no hood is all on; in what is left without surface."""
        misses, all_misses = np.zeros(n_pieces, np.int64), 0
        left = np.flatnonzero(self.label < 0)
        for seed in left[np.argsort(-self.area[left], kind="stable")].tolist():
            its = int(piece[seed])
            if self.label[seed] >= 0 or misses[its] >= _MISSES or not self.area[seed] > 0:
                continue
            found = self._best(self._ruled(seed))
            if found is not None:
                self._keep(*found)
                misses[its] = 0
                continue
            misses[its] += 1
            all_misses += 1
            if all_misses >= _ALL_MISSES:
                break

    def _unwrap_spheres(self) -> None:
        """Two rings of a cone are on a sphere as well, but there its long edges are not."""
        for k, facets in enumerate(regions_of(self.label, len(self.surfaces))):
            if self.surfaces[k].kind != "sphere":
                continue
            self.label[facets] = -1
            found = [(self.surfaces[k], facets)]
            found += [its for its in self._explained(facets, _RULED, True) if len(its[1]) == len(facets)]
            self.surfaces[k] = min(found, key=lambda its: self._sag(*its))[0]
            self.label[facets] = k

    def _join_strips(self) -> None:
        """Give planes that are steps of the tessellation of one cylinder or cone to that: three, for two always are."""
        regions, misses = regions_of(self.label, len(self.surfaces)), 0
        for k in [k for k, surface in enumerate(self.surfaces) if surface.kind == "plane"]:
            beyond = self.label[self.across[regions[k]]][self.across[regions[k]] >= 0]
            beside = [j for j in np.unique(beyond).tolist() if j >= 0 and j != k and self.surfaces[j].kind == "plane"]
            for i, j in combinations(beside, 2):
                if misses >= _MISSES:
                    return
                facets = np.concatenate([regions[k], regions[i], regions[j]])
                before = self.label[facets]
                if not np.isin(before, (k, i, j)).all():
                    continue
                self.label[facets] = -1
                found = [its for its in self._explained(facets, _RULED, True) if len(its[1]) >= len(facets)]
                best = self._best([its for its in found if self._counts(*its)])
                if best is None:
                    self.label[facets] = before
                    misses += 1
                else:
                    self._keep(*best)
                    misses = 0

    def _keep(self, surface: Primitive, facets: Array) -> None:
        self.label[facets] = len(self.surfaces)
        self.surfaces.append(surface)

    def _hood(self, seed: int, most: int) -> Array:
        ground = self.ground
        ground.stamp[0] += 1
        count = patch_growth.hood(seed, most, self.across, self.label, ground.queue, ground.mark, ground.stamp[0])
        return ground.queue[:count].copy()

    def _ruled(self, seed: int, kinds: Sequence[str] = _RULED) -> list[tuple[Primitive, Array]]:
        """Cylinders and cones on bands of facets."""
        bands = self.bands.at(seed, HOODS[0], LEAST_CURVED)
        regions = [region for band in bands for region in self._explained(band, kinds, True)]
        return [region for region in regions if self._counts(*region) and self.bands.stand_out(region[1])]

    def _from(self, seed: int) -> tuple[Primitive, Array] | None:
        """The best surface that a facet lies on, and the region it explains."""
        flat = self._grown(self._hood(seed, 1), "plane")
        found = [flat] if flat is not None and self._counts(*flat) else []
        if found and self._is_all(found[0][1]) and self._sag(*found[0]) < _BEYOND_DOUBT * self.tolerance**2:
            return found[0]  # nothing could explain more, nor better
        if self.bands.is_slender[seed]:  # what is near lies beyond its ends
            found += self._ruled(seed, _RULED[:1])
        tried = 0
        for most in HOODS:
            hood = self._hood(seed, most)
            if len(hood) == tried:
                break
            tried = len(hood)
            # facets that are too few to be a curved region at all need no fits
            regions = self._explained(hood, PRIMITIVES if tried >= LEAST_CURVED else PRIMITIVES[:1])
            found += [region for region in regions if self._counts(*region)]
            if not regions or max(len(facets) for _, facets in regions) >= _GROWN * tried:
                break
        return self._best(found)

    def _best(self, found: list[tuple[Primitive, Array]]) -> tuple[Primitive, Array] | None:
        if not found:
            return None
        areas = [float(self.area[facets].sum()) for _, facets in found]
        equal = [one for one, area in zip(found, areas, strict=True) if area >= _AS_MUCH * max(areas)]
        # the simpler kind, unless the edges say something else
        return min(equal, key=lambda one: self._sag(*one) * (1.0 + 0.2 * PRIMITIVES.index(one[0].kind)))

    def _explained(self, hood: Array, kinds: Sequence[str], is_whole: bool = False) -> list[tuple[Primitive, Array]]:
        """What surfaces of some kinds explain that are fitted to some facets; beside whole bands other ones begin."""
        return [region for region in (self._grown(hood, kind, is_whole) for kind in kinds) if region is not None]

    def _is_all(self, facets: Array) -> bool:
        """Whether nothing without a surface hangs together with facets."""
        mark, stamp = self.ground.mark, self.ground.stamp
        stamp[0] += 1
        mark[facets] = stamp[0]
        beyond = self.across[facets]
        beyond = beyond[beyond >= 0]
        return bool(((mark[beyond] == stamp[0]) | (self.label[beyond] >= 0)).all())

    def _sag(self, surface: Primitive, facets: Array) -> float:
        code, numbers = surface.code
        facets = np.asarray(facets, np.int32)
        return float(patch_growth.sag2(facets, code, numbers, self.nodes, self.triangles)) + self.tolerance**2

    def _grown(self, hood: Array, kind: str, is_whole: bool = False) -> tuple[Primitive, Array] | None:
        """A surface of one kind fitted to facets and what they grow to, or ``None``."""
        numbers = np.zeros(8)
        count = region_search.grown_from(
            PRIMITIVES.index(kind), hood, is_whole, LEAST_POINTS[kind], self.ground, self.near, numbers
        )
        return (Primitive.of(kind, numbers), self.ground.region[:count].copy()) if count else None

    def _fitted(self, facets: Array, kind: str) -> Primitive | None:
        """A surface of one kind, or ``None``."""
        numbers = np.zeros(8)
        code, least = PRIMITIVES.index(kind), LEAST_POINTS[kind]
        is_near = region_search.fit_facets(code, facets, False, least, self.ground, self.near, numbers)
        return Primitive.of(kind, numbers) if is_near else None

    def _nodes_on(self, facets: Array) -> Array:
        """The places of the nodes of facets, each once."""
        return self.nodes[distinct(self.triangles[facets])]

    def _counts(self, surface: Primitive, facets: Array) -> bool:
        """Whether a region is more than facets happen to agree on."""
        if not region_search.is_region(PRIMITIVES.index(surface.kind), facets, self.ground):
            return False
        return surface.kind != "torus" or self._shows_tube(surface, facets)

    def _shows_tube(self, torus: Primitive, facets: Array) -> bool:
        """Whether nodes are at more places along the tube than any circle goes through."""
        away = self._nodes_on(facets) - torus.centre
        along = away @ torus.axis
        out = np.linalg.norm(away - along[:, None] * torus.axis, axis=1) - torus.radius
        places = np.sort(np.arctan2(along, out))
        at = 0
        for _ in range(3):
            at = int(np.searchsorted(places, places[at] + 2.0 * _NEAR * self.tolerance / torus.tube, side="right"))
            if at == len(places):
                return False
        return True

    def _absorb_steps(self) -> None:
        """Give planes that are but steps of the tessellation of a curved surface beside them to that surface."""
        while self._absorbed_steps():
            pass

    def _absorbed_steps(self) -> bool:
        """Whether a plane went to a surface beside it; others may be beside that now."""
        regions, before = regions_of(self.label, len(self.surfaces)), self.label.copy()
        is_curved = np.array([surface.kind != "plane" for surface in self.surfaces] + [False])  # the last has none
        for k, facets in enumerate(regions):
            if is_curved[k] or not len(facets):
                continue
            beyond = self.across[facets]
            beside = self.label[beyond[beyond >= 0]]
            beside = beside[is_curved[beside]]
            if not len(beside):
                continue
            points = self._nodes_on(facets)
            for other in distinct(beside).tolist():
                surface = self.surfaces[other]
                if np.abs(surface.distance(points)).max() > _NEAR * self.tolerance:
                    continue
                if self._sag(surface, facets) <= _AS_COARSE * self._sag(surface, regions[other]):
                    self.label[facets] = other
                    break
        return bool((self.label != before).any())

    def _settle(self) -> None:
        """Let facets between two regions go to the surface that they are nearest to, and fit the surfaces again."""
        for _ in range(_SWEEPS if len(self.surfaces) > 1 else 0):
            codes, numbers = coded(self.surfaces)
            before = self.label.copy()
            while patch_growth.settle(self.label, codes, numbers, self.nodes, self.triangles, self.across):
                pass
            changed = self.label != before
            if not changed.any():
                break
            regions = regions_of(self.label, len(self.surfaces))
            for k in np.union1d(before[changed], self.label[changed]).tolist():
                better = self._fitted(regions[k], self.surfaces[k].kind) if len(regions[k]) else None
                if better is not None:
                    self.surfaces[k] = better

    def _tidied(self) -> Recognised:
        """Surfaces that kept facets, fitted to all of them once more."""
        label = np.full_like(self.label, -1)
        surfaces: list[Primitive] = []
        for facets, surface in zip(regions_of(self.label, len(self.surfaces)), self.surfaces, strict=True):
            if len(facets):
                label[facets] = len(surfaces)
                better = self._fitted(facets, surface.kind)
                surfaces.append(surface if better is None else better)
        return Recognised(label, tuple(surfaces))
