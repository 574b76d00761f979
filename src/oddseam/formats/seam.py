"""``.seam``, the working file: everything of a mesh, losslessly.

A NumPy zip container whose members are stored plainly, so that no member can be larger than
the file; a JSON header with a version; no pickles.
"""

from __future__ import annotations

import io
import json
import warnings
import zipfile
from dataclasses import asdict
from pathlib import Path
from tokenize import TokenError
from typing import Any, BinaryIO

import numpy as np

from oddseam.accounts import Account
from oddseam.arrays import Array
from oddseam.errors import FormatError, MeshError
from oddseam.formats.dangling import list_dangling
from oddseam.formats.files import DAMAGE, Data, damaged, write_whole
from oddseam.formats.losses import Remarks
from oddseam.model import Creases, Elements, Groups, Material, Mesh, Part, Patch, Patches, Source
from oddseam.model.source import Records

VERSION = 1
_HEADER = "header"


def recognises(data: Data) -> bool:
    """A zip container with our header first."""
    return data[:4] == b"PK\x03\x04" and data[30 : 30 + len(_HEADER)] == _HEADER.encode()


def rounded(mesh: Mesh) -> Mesh:
    """Nothing is lost."""
    return mesh


# ---------------------------------------------------------------------- writing


def write(mesh: Mesh, path: Path) -> Remarks:
    """Write all of it; nothing is dropped.  What refers to the gone in a deck that it holds is listed."""
    arrays: dict[str, Array] = {"nodes": mesh.nodes, "node_ids": mesh.node_ids}
    for name, block in mesh.elements.items():
        for column in ("connectivity", "ids", "part"):
            arrays[f"elements/{name}/{column}"] = getattr(block, column)
    group_names = {}
    for kind in ("nodes", "elements", "sides"):
        members = getattr(mesh.groups, kind)
        group_names[kind] = list(members)
        for number, values in enumerate(members.values()):
            arrays[f"groups/{kind}/{number}"] = values
    header: dict[str, Any] = {
        "format": "odd seam working file",
        "version": VERSION,
        "unit": mesh.unit,
        "last_ids": mesh.last_ids,
        "elements": list(mesh.elements),
        "parts": [asdict(part) for part in mesh.parts],
        "groups": group_names,
        "creases": mesh.creases is not None,
        "patches": None if mesh.patches is None else [asdict(patch) for patch in mesh.patches.table],
        "account": mesh.account.to_list(),
        "source": None,
    }
    if mesh.creases is not None:
        arrays["creases/edges"], arrays["creases/kind"] = mesh.creases.edges, mesh.creases.kind
    if mesh.patches is not None:
        arrays["patches/label"] = mesh.patches.label
    if mesh.source is not None:
        source = mesh.source
        header["source"] = {
            "format": source.format,
            "name": source.name,
            "precision": source.precision,
            "carried": dict(source.carried),
            "parts": [asdict(part) for part in source.parts],
            "records": source.records is not None,
        }
        if source.records is not None:
            for name in Records.LAYOUT:
                arrays[f"records/{name}"] = getattr(source.records, name)
    text = np.frombuffer(json.dumps(header).encode(), np.uint8)

    def fill(file: BinaryIO) -> None:
        np.savez(file, allow_pickle=False, **{_HEADER: text, **arrays})

    write_whole(path, fill)
    said = Remarks()
    list_dangling(mesh, said)
    return said


# ---------------------------------------------------------------------- reading


def read(path: Path, data: Data) -> Mesh:
    """Read a working file."""
    arrays = {name: _array(path, name, content) for name, content in _members(path, data).items()}
    header = json.loads(arrays[f"{_HEADER}.npy"].tobytes())
    if header["version"] != VERSION:
        raise FormatError(str(path), f"is of version {header['version']}; this program reads version {VERSION}")
    return _mesh(header, {name.removesuffix(".npy"): array for name, array in arrays.items()})


def _members(path: Path, data: Data) -> dict[str, bytes]:
    """The members of the container by name."""
    try:
        with zipfile.ZipFile(io.BytesIO(data[:])) as container:
            for info in container.infolist():
                if info.compress_type != zipfile.ZIP_STORED or info.file_size > len(data):
                    raise FormatError(str(path), "is packed in a way that no working file is", info.filename)
            return {info.filename: container.read(info) for info in container.infolist()}
    except (zipfile.BadZipFile, EOFError, OSError, NotImplementedError, RuntimeError, ValueError) as error:
        raise FormatError(str(path), f"the container is damaged ({error})") from error


def _array(path: Path, name: str, content: bytes) -> Array:
    """An array of the container; what its header leaves to guess, NumPy warns of and we refuse."""
    with warnings.catch_warnings():
        warnings.simplefilter("error")
        try:
            array: Array = np.lib.format.read_array(io.BytesIO(content), allow_pickle=False, max_header_size=10_000)
        except (*DAMAGE, TokenError, Warning) as error:
            raise damaged(path, error, name) from error
    return array


def _part(data: dict[str, Any]) -> Part:
    material = data.pop("material")
    return Part(**data, material=None if material is None else Material(**material))


def _patch(data: dict[str, Any]) -> Patch:
    for name in ("axis", "centre"):
        data[name] = None if data[name] is None else tuple(data[name])
    return Patch(**data)


def _mesh(header: dict[str, Any], arrays: dict[str, Array]) -> Mesh:
    elements = {
        name: Elements(*(arrays[f"elements/{name}/{c}"] for c in ("connectivity", "ids", "part")))
        for name in header["elements"]
    }
    groups = {
        kind: {name: arrays[f"groups/{kind}/{number}"] for number, name in enumerate(header["groups"][kind])}
        for kind in ("nodes", "elements", "sides")
    }
    source = None
    if header["source"] is not None:
        about = header["source"]
        records = None
        if about["records"]:
            records = Records(**{name: arrays[f"records/{name}"] for name in Records.LAYOUT})
        parts = tuple(_part(part) for part in about["parts"])
        source = Source(about["format"], about["name"], about["precision"], about["carried"], records, parts)
    patches = None
    if header["patches"] is not None:
        patches = Patches(arrays["patches/label"], tuple(_patch(patch) for patch in header["patches"]))
    creases = Creases(arrays["creases/edges"], arrays["creases/kind"]) if header["creases"] else None
    nodes = arrays["nodes"]
    if nodes.dtype != np.float64:
        raise MeshError(f"nodes are {nodes.dtype}, not float64")
    return Mesh(
        nodes,
        elements,
        tuple(_part(part) for part in header["parts"]),
        arrays["node_ids"],
        Groups(**groups),
        creases,
        patches,
        header["unit"],
        Account.from_list(header["account"]),
        source,
        **({"last_ids": tuple(header["last_ids"])} if "last_ids" in header else {}),
    )
