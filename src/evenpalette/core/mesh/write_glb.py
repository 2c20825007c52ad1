"""A mesh as a binary glTF 2.0 file: the parts of a model, each a primitive of its own.

Khronos Group, glTF 2.0 Specification, sections 3.6, 3.7 and 4.4.
"""

import json
import struct
from collections.abc import Mapping, Sequence
from dataclasses import field

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.dataclass import dataclass
from evenpalette.core.mesh.mesh import Mesh
from evenpalette.core.mesh.tangents import tangents
from evenpalette.core.vectors import unit

_FLOAT, _UINT, _ARRAY, _ELEMENTS = 5126, 5125, 34962, 34963
_JSON, _BINARY = 0x4E4F534A, 0x004E4942
_TYPES = {2: "VEC2", 3: "VEC3", 4: "VEC4"}


@dataclass(frozen=True)
class Part:
    """Faces that make a primitive. faces: their numbers. extras: what is said of it. material: its number, or none."""

    faces: NDArray[np.int64]
    extras: Mapping[str, object] = field(default_factory=dict)
    material: int | None = None


class Binary:
    """The one buffer of a file as it fills, and what the document says of its pieces."""

    def __init__(self) -> None:
        self._pieces: list[bytes] = []
        self._size = 0
        self.views: list[dict[str, object]] = []
        self.accessors: list[dict[str, object]] = []

    def view(self, content: bytes, target: int | None = None) -> int:
        """Keep bytes, at a place that any number may begin at; returns the number of their view."""
        said: dict[str, object] = {"buffer": 0, "byteOffset": self._size, "byteLength": len(content)}
        self.views.append(said | ({"target": target} if target is not None else {}))
        padded = content + b"\0" * (-len(content) % 4)
        self._pieces.append(padded)
        self._size += len(padded)
        return len(self.views) - 1

    def vectors(self, values: NDArray[np.float32], *, bounds: bool = False) -> int:
        """Keep float32 (n, 2..4) for vertices; returns the number of the accessor."""
        view = self.view(np.ascontiguousarray(values, "<f4").tobytes(), _ARRAY)
        said: dict[str, object] = {
            "bufferView": view, "componentType": _FLOAT, "count": len(values), "type": _TYPES[values.shape[1]],
        }  # fmt: skip
        if bounds:
            said |= {"min": values.min(0).tolist(), "max": values.max(0).tolist()}
        self.accessors.append(said)
        return len(self.accessors) - 1

    def indices(self, values: NDArray[np.int64]) -> int:
        """Keep the corners of triangles; returns the number of the accessor."""
        view = self.view(np.ascontiguousarray(values, "<u4").tobytes(), _ELEMENTS)
        self.accessors.append({"bufferView": view, "componentType": _UINT, "count": len(values), "type": "SCALAR"})
        return len(self.accessors) - 1

    @property
    def content(self) -> bytes:
        """All of it."""
        return b"".join(self._pieces)


def primitives(mesh: Mesh, parts: Sequence[Part], binary: Binary, *, colors: bool = True) -> list[dict[str, object]]:
    """What the document says of the parts of a mesh; their numbers go into the binary. Parts without a face are left
    out."""
    laid = tangents(mesh)
    made: list[dict[str, object]] = []
    for part in parts:
        if not len(part.faces):
            continue
        normals = _unit(mesh.normals[part.faces].reshape(-1, 3))
        columns = [mesh.positions[mesh.faces[part.faces]].reshape(-1, 3), normals]
        columns.append(_unit_tangents(laid[part.faces].reshape(-1, 4)))
        names, with_uv = ["POSITION", "NORMAL", "TANGENT"], mesh.uvs is not None
        if with_uv:
            assert mesh.uvs is not None
            columns.append(mesh.uvs[part.faces].reshape(-1, 2))
            names.append("TEXCOORD_0")
        if colors and mesh.colors is not None:
            columns.append(mesh.colors[part.faces].reshape(-1, 4))
            names.append("COLOR_0")
        rows, order = _joined(np.concatenate(columns, 1).astype(np.float32))
        widths = np.cumsum([column.shape[1] for column in columns])[:-1]
        attributes = {
            name: binary.vectors(values, bounds=name == "POSITION")
            for name, values in zip(names, np.split(rows, widths, 1), strict=True)
        }
        said: dict[str, object] = {"attributes": attributes, "indices": binary.indices(order), "mode": 4}
        if part.material is not None:
            said["material"] = part.material
        made.append(said | ({"extras": dict(part.extras)} if part.extras else {}))
    return made


def glb(document: Mapping[str, object], binary: Binary) -> bytes:
    """The file: a document, to which buffers, views and accessors are added, and its binary."""
    body = binary.content
    whole = {
        "asset": {"version": "2.0", "generator": "Even Palette"}, **document,
        "buffers": [{"byteLength": len(body)}], "bufferViews": binary.views, "accessors": binary.accessors,
    }  # fmt: skip
    text = json.dumps(whole, ensure_ascii=False, separators=(",", ":")).encode()
    text += b" " * (-len(text) % 4)
    head = struct.pack("<4sII", b"glTF", 2, 12 + 8 + len(text) + 8 + len(body))
    return head + struct.pack("<II", len(text), _JSON) + text + struct.pack("<II", len(body), _BINARY) + body


def _joined(rows: NDArray[np.float32]) -> tuple[NDArray[np.float32], NDArray[np.int64]]:
    """Equal vertices once, in the order of their first use, and the place of each corner among them."""
    width = rows.shape[1]
    plain = np.ascontiguousarray(rows + np.float32(0))
    keys = plain.view(np.dtype((np.void, plain.itemsize * width))).reshape(-1)
    _, first, numbers = np.unique(keys, return_index=True, return_inverse=True)
    by_use = np.argsort(first)
    rank = np.empty_like(by_use)
    rank[by_use] = np.arange(len(by_use))
    return plain[first[by_use]], rank[np.asarray(numbers).reshape(-1)]


def _unit(vectors: NDArray[np.float32]) -> NDArray[np.float32]:
    """Upward where there is no direction, as validators want it."""
    made = unit(vectors.astype(np.float64))
    made[~made.any(1)] = (0.0, 1.0, 0.0)
    return made.astype(np.float32)


def _unit_tangents(laid: NDArray[np.float32]) -> NDArray[np.float32]:
    """Tangents as validators want them: unit within the accuracy of their numbers."""
    return np.concatenate([_unit(laid[:, :3]), laid[:, 3:]], 1)
