"""Compiling every kernel ahead of time."""

from __future__ import annotations

import importlib
import multiprocessing
import os
import time
from concurrent.futures import ProcessPoolExecutor

#: Modules with kernels; each has a ``warm_up`` that runs all of them on tiny input.
FAMILIES = (
    "oddseam.model.component_kernels",
    "oddseam.model.edge_kernels",
    "oddseam.model.face_kernels",
    "oddseam.remeshing.kernels",
    "oddseam.remeshing.coarsen_kernels",
    "oddseam.remeshing.cross_kernels",
    "oddseam.sizes.kernels",
    "oddseam.geometry.welding_kernels",
    "oddseam.geometry.boxtree_kernels",
    "oddseam.geometry.solid_angle_kernels",
    "oddseam.geometry.pair_kernels",
    "oddseam.geometry.primitive_kernels",
    "oddseam.features.growing_kernels",
    "oddseam.features.ridge_kernels",
    "oddseam.geometry.ray_kernels",
    "oddseam.remeshing.curve_kernels",
    "oddseam.mending.kernels",
    "oddseam.morphing.kernels",
    "oddseam.morphing.relaxing_kernels",
    "oddseam.pictures.kernels",
    "oddseam.geometry.polygon_kernels",
    "oddseam.formats.number_kernels",
    "oddseam.formats.obj_kernels",
    "oddseam.formats.stl_kernels",
    "oddseam.formats.ply_kernels",
    "oddseam.formats.threemf_kernels",
    "oddseam.formats.nastran.field_kernels",
    "oddseam.formats.keyword.line_kernels",
)


def warm_up() -> float:
    """Compile what is not compiled for this processor yet; returns the seconds it took.

    As many processes as there are cores take families in order, so that what several use is compiled once in each.
    """
    start = time.perf_counter()
    workers = os.cpu_count() or 1
    if workers == 1:
        for name in FAMILIES:
            _drill(name)
    else:
        with ProcessPoolExecutor(workers, multiprocessing.get_context("spawn")) as pool:
            for done in [pool.submit(_drill, name) for name in FAMILIES]:
                done.result()
    return time.perf_counter() - start


def _drill(name: str) -> None:
    """Run all kernels of a family."""
    importlib.import_module(name).warm_up()
