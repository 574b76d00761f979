"""Compiling every kernel ahead of time, each family in a process of its own."""

from __future__ import annotations

import importlib
import os
import subprocess
import sys
import time

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
    """Compile what is not compiled for this processor yet; returns the seconds it took."""
    start = time.perf_counter()
    if (os.cpu_count() or 1) == 1:
        for name in FAMILIES:
            importlib.import_module(name).warm_up()
        return time.perf_counter() - start
    running = [
        subprocess.Popen([sys.executable, "-c", f"import {name} as family; family.warm_up()"]) for name in FAMILIES
    ]
    codes = [process.wait() for process in running]
    if any(codes):
        raise RuntimeError("a kernel could not be compiled")
    return time.perf_counter() - start
