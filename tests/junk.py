"""Calls that work, and what nobody should give in the place of one of their arguments."""

from __future__ import annotations

import inspect
import tempfile
import warnings
from collections.abc import Callable
from functools import cache
from pathlib import Path
from typing import Any

import numpy as np
import test_laws_of_operations as laws
from hypothesis import strategies as st

import oddseam
from oddseam.accounts.recording import RECORDED

_TET = oddseam.Mesh.from_elements([[0, 0, 0], [1, 0, 0], [0, 1, 0], [0, 0, 1]], tet=[[0, 1, 2, 3]])
_NOTHING = oddseam.Mesh(np.zeros((0, 3)))
_NUMBERS = st.one_of(
    st.integers(-5, 5), st.integers(), st.floats(), st.floats(-20.0, 20.0),
    st.sampled_from([1e308, -1e308, 1e-300, 1e60, 1e-60, 2**63, np.float32(2), np.int8(1), np.float64("nan")]),
)  # fmt: skip
_WORDS = st.one_of(
    st.text(max_size=12),
    st.sampled_from(
        ["all", "none", "union", "stl", "m", "near (9,3,0)", "part nothing", "ids 1-9", "minimum_angle", "x=1"]
    ),
)
_SHAPES = st.sampled_from([(0,), (0, 3), (1,), (3,), (2, 2), (2, 3), (4, 1, 3), (1, 3)])
_PLAIN = st.one_of(st.none(), st.booleans(), _NUMBERS, _WORDS, st.binary(max_size=4), st.builds(object))
#: Anything at all.
JUNK = st.one_of(
    _PLAIN,
    st.lists(_PLAIN, max_size=4),
    st.lists(_NUMBERS, min_size=3, max_size=3),
    st.lists(st.lists(_NUMBERS, max_size=4), max_size=3),
    st.dictionaries(st.one_of(_WORDS, st.integers(0, 3)), _PLAIN, max_size=2),
    st.tuples(_WORDS, _WORDS),
    st.builds(np.full, _SHAPES, st.sampled_from([0, 1.5, np.nan, np.inf, -7, "x", True])),
    st.sampled_from([_TET, _NOTHING, laws.deck(), np.array("x"), {1, 2}, range(3), Path("nowhere"), print, lambda *_: None]),
)  # fmt: skip


@cache
def calls() -> dict[str, tuple[Callable[..., Any], dict[str, Any]]]:
    """By name a public function, and arguments with which it works."""
    for name in oddseam.__all__:
        getattr(oddseam, name)
    frame = laws.Frame()
    found = {}
    for name in laws.OPERATIONS:
        prepare, do, _ = laws.OPERATIONS[name]
        function = RECORDED[name]
        found[function.__name__] = function, _arguments(function, do, prepare(laws.deck(), frame), frame)
    folder, mesh = Path(tempfile.mkdtemp()), oddseam.find_features(laws.deck())
    for file, text in (
        ("openings.csv", "x,y,z,diameter\n9,3,0,1\n"), ("changes.toml", '[[move]]\npick = "near (9,3,0)"\nby = [0, 0, 1]\n'),
        ("targets.csv", "id,x,y,z\n1,0,0,0\n"), ("rules.toml", "base = 2\n"),
    ):  # fmt: skip
        (folder / file).write_text(text)
    oddseam.write_mesh(mesh, folder / "a.seam")
    field, drawn = oddseam.make_sizes(mesh, base=2.0), laws.creased(laws.deck(), frame)
    others: dict[str, dict[str, Any]] = {
        "survey": {"mesh": mesh, "thin": False}, "measure": {"mesh": mesh, "nodes": [1, 2]}, "local_lengths": {"mesh": mesh, "of": "thickness"},
        "find_chambers": {"mesh": mesh, "inside": [(0, 0, 0)]}, "compare": {"before": mesh, "after": mesh},
        "compare_ids": {"before": mesh, "after": mesh}, "list_pieces": {"mesh": mesh}, "list_openings": {"mesh": mesh},
        "rim_points": {"mesh": mesh, "near": (0, 0, 0)}, "list_parts": {"mesh": mesh},
        "read_openings": {"path": folder / "openings.csv"}, "list_patches": {"mesh": mesh}, "list_creases": {"mesh": drawn},
        "list_small": {"mesh": mesh, "below": 0.1}, "as_written": {"mesh": mesh, "format": "stl"}, "prove": {"mesh": mesh},
        "read_mesh": {"path": folder / "a.seam"}, "write_mesh": {"mesh": mesh, "path": folder / "b.stl"},
        "read_changes": {"path": folder / "changes.toml"}, "read_targets": {"path": folder / "targets.csv"},
        "list_picked": {"mesh": mesh, "pick": "all"}, "pick": {"mesh": mesh, "pick": "all"}, "make_sizes": {"mesh": mesh, "base": 2.0},
        "read_rules": {"path": folder / "rules.toml"}, "make_picture": {"mesh": mesh, "path": folder / "c.png", "plain": True, "sizes": field},
    }  # fmt: skip
    return found | {name: (getattr(oddseam, name), given) for name, given in others.items()}


def _arguments(function: Callable[..., Any], do: Any, mesh: oddseam.Mesh, frame: laws.Frame) -> dict[str, Any]:
    """What a function is given where an operation calls it."""
    seen: list[dict[str, Any]] = []
    name, signature = function.__name__, inspect.signature(function)

    def watch(*args: Any, **kwargs: Any) -> oddseam.Mesh:
        seen.append(dict(signature.bind(*args, **kwargs).arguments))
        return mesh

    was = getattr(oddseam, name)
    setattr(oddseam, name, watch)
    try:
        do(mesh, frame)
    finally:
        setattr(oddseam, name, was)
    return seen[-1]


def try_junk(name: str, parameter: str, value: Any) -> None:
    """Call a function with junk in the place of one argument: it gives a result, or refuses in one line."""
    function, given = calls()[name]
    signature = inspect.signature(function)
    bound = inspect.BoundArguments(signature, {})  # type: ignore[arg-type]
    bound.arguments = {
        p: v for p in signature.parameters for v in [value if p == parameter else given.get(p, ...)] if v is not ...
    }
    with warnings.catch_warnings():
        warnings.simplefilter("error")
        try:
            function(*bound.args, **bound.kwargs)
        except oddseam.OddSeamError as refusal:
            assert "\n" not in str(refusal)
