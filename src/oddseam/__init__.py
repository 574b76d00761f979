"""Odd Seam: turns meshes without CAD into meshes that a solver accepts.

Functions are loaded on first use, so that importing this package costs nothing.
"""

from __future__ import annotations

import ast
import importlib
from typing import TYPE_CHECKING, Any

from oddseam._version import VERSION as __version__

if TYPE_CHECKING:
    from oddseam.accounts import (
        Account as Account,
        Entry as Entry,
        Loss as Loss,
        LostPlace as LostPlace,
        Outcome as Outcome,
        Step as Step,
    )
    from oddseam.editing.attach import attach as attach
    from oddseam.editing.change_openings import change_openings as change_openings
    from oddseam.editing.combine import combine as combine
    from oddseam.editing.cut import cut as cut
    from oddseam.editing.imprint import imprint as imprint
    from oddseam.editing.lift import lift as lift
    from oddseam.editing.list_openings import Opening as Opening, list_openings as list_openings
    from oddseam.editing.make_creases import make_creases as make_creases
    from oddseam.editing.make_group import make_group as make_group
    from oddseam.editing.make_part import make_part as make_part
    from oddseam.editing.move_node import move_node as move_node
    from oddseam.editing.name_parts import name_parts as name_parts
    from oddseam.editing.number_new import number_new as number_new
    from oddseam.editing.read_openings import read_openings as read_openings
    from oddseam.editing.repeat import repeat as repeat
    from oddseam.editing.rim_points import rim_points as rim_points
    from oddseam.editing.splice import splice as splice
    from oddseam.editing.stitch import stitch as stitch
    from oddseam.editing.weld import weld as weld
    from oddseam.errors import (
        BadArgument as BadArgument,
        FormatError as FormatError,
        MeshError as MeshError,
        OddSeamError as OddSeamError,
        PickError as PickError,
        Refusal as Refusal,
    )
    from oddseam.features.find_features import find_features as find_features
    from oddseam.features.list_creases import CreaseChain as CreaseChain, list_creases as list_creases
    from oddseam.features.list_patches import DescribedPatch as DescribedPatch, list_patches as list_patches
    from oddseam.features.list_small import SmallThing as SmallThing, list_small as list_small
    from oddseam.features.name_patches import name_patches as name_patches
    from oddseam.features.split_parts import split_parts as split_parts
    from oddseam.findings import (
        Chamber as Chamber,
        Chambers as Chambers,
        Finding as Finding,
        Limits as Limits,
        Measure as Measure,
        Measures as Measures,
        Survey as Survey,
        find_chambers as find_chambers,
        measure as measure,
        survey as survey,
    )
    from oddseam.findings.classes.local_lengths import local_lengths as local_lengths
    from oddseam.findings.compare import Comparison as Comparison, compare as compare
    from oddseam.findings.judged.compare_ids import compare_ids as compare_ids
    from oddseam.findings.list_parts import DescribedPart as DescribedPart, list_parts as list_parts
    from oddseam.findings.list_pieces import Piece as Piece, list_pieces as list_pieces
    from oddseam.formats import (
        Written as Written,
        as_written as as_written,
        read_mesh as read_mesh,
        write_mesh as write_mesh,
    )
    from oddseam.listing import Listing as Listing
    from oddseam.mending.delete import delete as delete
    from oddseam.mending.fill import fill as fill
    from oddseam.mending.flip import flip as flip
    from oddseam.mending.mend import mend as mend
    from oddseam.model import (
        Creases as Creases,
        Elements as Elements,
        Groups as Groups,
        Material as Material,
        Mesh as Mesh,
        Part as Part,
        Patch as Patch,
        Patches as Patches,
    )
    from oddseam.model.assign_property import assign_property as assign_property
    from oddseam.model.connectivity import Connectivity as Connectivity, Rim as Rim
    from oddseam.model.convert import convert as convert
    from oddseam.model.prove import Proof as Proof, prove as prove
    from oddseam.model.skin import skin as skin
    from oddseam.morphing.changes import (
        Bore as Bore,
        Lattice as Lattice,
        Move as Move,
        Offset as Offset,
        Scale as Scale,
        Shape as Shape,
        Targets as Targets,
        Turn as Turn,
        Wall as Wall,
    )
    from oddseam.morphing.morph import morph as morph
    from oddseam.morphing.read_changes import read_changes as read_changes
    from oddseam.morphing.read_targets import read_targets as read_targets
    from oddseam.picks import Picked as Picked, list_picked as list_picked, pick as pick
    from oddseam.pictures import make_picture as make_picture
    from oddseam.remeshing.absorb import absorb as absorb
    from oddseam.remeshing.coarsen import coarsen as coarsen
    from oddseam.remeshing.improve import improve as improve
    from oddseam.remeshing.refine import refine as refine
    from oddseam.remeshing.remesh import remesh as remesh
    from oddseam.sizes import SizeField as SizeField, Zone as Zone
    from oddseam.sizes.make_sizes import make_sizes as make_sizes
    from oddseam.sizes.read_rules import read_rules as read_rules


def _homes() -> dict[str, str]:
    """The module of every name that is handed out: what is imported above for type checkers is the one list of them."""
    with open(__file__, encoding="utf-8") as file:
        guarded = next(one for one in ast.parse(file.read()).body if isinstance(one, ast.If))
    lines = [line for line in guarded.body if isinstance(line, ast.ImportFrom)]
    return {name.name: str(line.module) for line in lines for name in line.names}


_HOME = _homes()
__all__ = [*_HOME, "__version__"]  # noqa: PLE0604


def __getattr__(name: str) -> Any:
    if name not in _HOME:
        raise AttributeError(f"module 'oddseam' has no attribute {name!r}")
    value = getattr(importlib.import_module(_HOME[name]), name)
    globals()[name] = value
    return value


def __dir__() -> list[str]:
    return sorted(__all__)
