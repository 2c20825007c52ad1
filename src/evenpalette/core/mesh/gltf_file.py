"""The container of a glTF 2.0 file: its JSON and its buffers, from a GLB or from a .gltf with files beside it.

Source: glTF 2.0 specification (ISO/IEC 12113), sections 3.6 and 4.4.
"""

import base64
import binascii
import json
import struct
from collections.abc import Iterator
from dataclasses import field
from typing import Any
from urllib.parse import unquote

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.dataclass import dataclass
from evenpalette.core.errors import MeshFileError
from evenpalette.core.limits import RAISE, limits, readable_bytes
from evenpalette.core.mesh import compression
from evenpalette.core.mesh.mesh import too_many_faces
from evenpalette.core.mesh.reader import Beside, nothing_beside

_JSON, _BIN = 0x4E4F534A, 0x004E4942
_DTYPES = {5120: np.int8, 5121: np.uint8, 5122: np.int16, 5123: np.uint16, 5125: np.uint32, 5126: np.float32}
_WIDTHS = {"SCALAR": 1, "VEC2": 2, "VEC3": 3, "VEC4": 4}
#: How many times the largest mesh file all that a mesh names may be, pictures included.
_FOLD = 2


@dataclass
class GltfFile:
    """JSON and buffers. name: for messages. Values of the JSON are untrusted; readers check what they use."""

    tree: dict[str, Any]
    name: str
    _blob: bytes
    _beside: Beside
    _read: dict[str, bytes] = field(default_factory=dict)
    _views: dict[int, bytes] = field(default_factory=dict)
    _taken: int = 0

    def items(self, key: str) -> list[dict[str, Any]]:
        """One of the lists at the top of the file."""
        found = self.tree.get(key, [])
        return found if isinstance(found, list) else []

    def buffer(self, index: int) -> bytes:
        """The bytes of a buffer."""
        uri = self.items("buffers")[index].get("uri")
        return self._blob if uri is None else self.resource(uri)

    def resource(self, uri: str) -> bytes:
        """The bytes behind a data URI or a file beside this one, read once however often they are named."""
        if uri not in self._read:
            content = self._resource(uri)
            self._take(len(content))
            self._read[uri] = content
        return self._read[uri]

    @property
    def is_full(self) -> bool:
        """Whether more was asked for than a mesh may bring along."""
        return self._taken > limits().mesh_file_bytes * _FOLD

    def _take(self, count: int) -> None:
        """Count bytes that are held. Raises MeshFileError beyond what a mesh may bring along."""
        self._taken += count
        if self.is_full:
            most = limits().mesh_file_bytes * _FOLD
            raise MeshFileError(f"{self.name} brings along more than {readable_bytes(most)}. {RAISE}")

    def _resource(self, uri: str) -> bytes:
        if uri.startswith("data:"):
            head, _, text = uri.partition(",")
            try:
                return (
                    base64.b64decode(text, validate=True)
                    if head.endswith(";base64")
                    else unquote(text).encode("latin-1")
                )
            except (binascii.Error, ValueError, UnicodeEncodeError) as error:
                raise MeshFileError(f"{self.name} is damaged: a data URI cannot be decoded.") from error
        return self._beside(unquote(uri))

    def view(self, index: int) -> tuple[memoryview, int | None]:
        """The bytes of a buffer view, decompressed, and its stride."""
        view = self.items("bufferViews")[index]
        packed = compression.of_view(view)
        if packed is not None:
            return memoryview(self._decompressed(index, packed)), int(packed["byteStride"])
        content = self._span(int(view.get("buffer", 0)), view)
        stride = view.get("byteStride")
        return content, None if stride is None else int(stride)

    def _span(self, buffer: int, where: dict[str, Any]) -> memoryview:
        """The part of a buffer that a view, or its compressed form, says."""
        blob, start, length = self.buffer(buffer), int(where.get("byteOffset", 0)), int(where["byteLength"])
        if start < 0 or length < 0 or start + length > len(blob):
            raise MeshFileError(f"{self.name} is damaged: a part of its data reaches past the end.")
        return memoryview(blob)[start : start + length]

    def _decompressed(self, index: int, packed: dict[str, Any]) -> bytes:
        if index not in self._views:
            count, stride = int(packed["count"]), int(packed["byteStride"])
            if not (0 < count <= limits().mesh_faces * 3 and 0 < stride <= 256):
                raise MeshFileError(
                    f"{self.name} is damaged: a compressed part says that it has {count} values of {stride} bytes."
                )
            self._take(count * stride)
            self._views[index] = compression.decompress_view(
                self._span(int(packed["buffer"]), packed), packed, self.name
            )
        return self._views[index]

    def accessor(self, index: int, widths: tuple[int, ...], *, normalized: bool = False) -> NDArray:
        """The values of an accessor, (count, width), sparse ones put in; its width must be one of `widths`.

        Integers that are marked as normalized (or with `normalized`) become floats of -1..1 or 0..1, other integers
        int64, floats float64.
        """
        accessor = self.items("accessors")[index]
        dtype, width, count = (
            np.dtype(_DTYPES[accessor["componentType"]]),
            _WIDTHS[accessor["type"]],
            int(accessor["count"]),
        )
        if width not in widths:
            raise MeshFileError(
                f"{self.name} is damaged: an accessor holds {accessor['type']} where {widths[-1]} numbers are needed."
            )
        if not 1 <= count <= limits().mesh_faces * 3:
            if count > 0:
                raise too_many_faces(self.name, count // 3)
            raise MeshFileError(f"{self.name} is damaged: an accessor is empty.")
        if "bufferView" in accessor:
            values = self._strided(accessor["bufferView"], int(accessor.get("byteOffset", 0)), dtype, width, count)
        else:
            values = np.zeros((count, width), dtype)
        if (sparse := accessor.get("sparse")) is not None:
            values = self._with_sparse(values, sparse, dtype, width)
        return _plain(values, normalized=normalized or bool(accessor.get("normalized")))

    def as_said(self, index: int, values: NDArray, widths: tuple[int, ...], *, normalized: bool = False) -> NDArray:
        """Values that were unpacked for an accessor, read as it says."""
        accessor = self.items("accessors")[index]
        if values.shape[1] not in widths:
            raise MeshFileError(
                f"{self.name} is damaged: an unpacked part has {values.shape[1]} numbers where {widths[-1]} are needed."
            )
        return _plain(values, normalized=normalized or bool(accessor.get("normalized")))

    def _strided(self, view: int, start: int, dtype: np.dtype, width: int, count: int) -> NDArray:
        blob, stride = self.view(view)
        stride = stride or dtype.itemsize * width
        end = start + stride * (count - 1) + dtype.itemsize * width
        if start < 0 or stride <= 0 or end > len(blob):
            raise MeshFileError(f"{self.name} is damaged: an accessor reaches past the end of the data.")
        return np.ndarray((count, width), dtype, blob, start, (stride, dtype.itemsize))

    def _with_sparse(self, values: NDArray, sparse: dict[str, Any], dtype: np.dtype, width: int) -> NDArray:
        count, indices, held = int(sparse["count"]), sparse["indices"], sparse["values"]
        if not 0 < count <= len(values):
            raise MeshFileError(f"{self.name} is damaged: it changes more values than it has.")
        kind = np.dtype(_DTYPES[indices["componentType"]])
        places = self._strided(indices["bufferView"], int(indices.get("byteOffset", 0)), kind, 1, count)[:, 0].astype(
            np.int64
        )
        if places.min() < 0 or places.max() >= len(values):
            raise MeshFileError(f"{self.name} is damaged: it changes values that do not exist.")
        values = values.copy()
        values[places] = self._strided(held["bufferView"], int(held.get("byteOffset", 0)), dtype, width, count)
        return values

    def _views_of_meshes(self) -> set[int]:
        """The buffer views that positions, indices and the like lie in."""
        used: set[int] = set()
        for accessor in self.items("accessors"):
            used.update(_number(accessor, "bufferView"))
            used.update(_number(accessor, "sparse", "indices", "bufferView"))
            used.update(_number(accessor, "sparse", "values", "bufferView"))
        for mesh in self.items("meshes"):
            for primitive in mesh.get("primitives", []):
                used.update(_number(primitive, "extensions", compression.DRACO, "bufferView"))
        return {index for index in used if 0 <= index < len(self.items("bufferViews"))}

    def as_glb(self) -> bytes:
        """The file as one GLB without its pictures: what a project keeps of it."""
        tree = {key: value for key, value in self.tree.items() if key not in ("images", "textures", "samplers")}
        blob = bytearray()
        places: dict[tuple[int, int, int], int] = {}
        views: list[dict[str, Any]] = [
            {"buffer": 0, "byteOffset": 0, "byteLength": 0} for _ in self.items("bufferViews")
        ]
        for index in sorted(self._views_of_meshes()):
            content, stride = self.view(index)
            view = self.items("bufferViews")[index]
            key = (int(view.get("buffer", 0)), int(view.get("byteOffset", 0)), len(content))
            if compression.of_view(view) is not None or key not in places:
                self._take(len(content))
                blob += b"\0" * (-len(blob) % 8)
                places[key] = len(blob)
                blob += content
            views[index] = {"buffer": 0, "byteOffset": places[key], "byteLength": len(content)}
            if stride is not None:
                views[index]["byteStride"] = stride
        tree["buffers"] = [{"byteLength": len(blob)}] if blob else []
        tree["bufferViews"] = views
        for said in ("extensionsUsed", "extensionsRequired"):
            if said in tree:
                tree[said] = [name for name in tree[said] if name not in compression.OF_VIEWS]
        text = json.dumps(tree).encode()
        text += b" " * (-len(text) % 4)
        blob += b"\0" * (-len(blob) % 4)
        chunks = struct.pack("<II", len(text), _JSON) + text + struct.pack("<II", len(blob), _BIN) + bytes(blob)
        return struct.pack("<III", 0x46546C67, 2, 12 + len(chunks)) + chunks


def _plain(values: NDArray, *, normalized: bool) -> NDArray:
    dtype = values.dtype
    if normalized and dtype.kind in "ui":
        return np.maximum(values / np.float32(np.iinfo(dtype.str).max), -1).astype(np.float32)
    return values.astype(np.float64) if dtype.kind == "f" else values.astype(np.int64)


def _number(item: dict[str, Any], *path: str) -> Iterator[int]:
    """A number at a path inside, where there is one."""
    held: Any = item
    for key in path:
        held = held.get(key) if isinstance(held, dict) else None
    if isinstance(held, int):
        yield held


def open_gltf(content: bytes, name: str, beside: Beside = nothing_beside) -> GltfFile:
    """The container of a GLB or .gltf. Raises MeshFileError for what is cut short or not glTF 2."""
    blob = b""
    if content[:4] == b"glTF":
        text, blob = _chunks(content, name)
    else:
        text = content
    try:
        tree = json.loads(text.decode("utf-8-sig"))
    except (UnicodeDecodeError, ValueError, RecursionError) as error:
        raise MeshFileError(f"{name} is not a glTF mesh: its JSON cannot be read.") from error
    if not isinstance(tree, dict) or "asset" not in tree:
        raise MeshFileError(f"{name} is not a glTF mesh.")
    version = str(tree["asset"].get("version", "")) if isinstance(tree["asset"], dict) else ""
    if not version.startswith("2"):
        raise MeshFileError(f"{name} is glTF {version or 'of no version'}; only glTF 2.0 is read. Export it again.")
    return GltfFile(tree, name, blob, beside)


def _chunks(content: bytes, name: str) -> tuple[bytes, bytes]:
    version = int.from_bytes(content[4:8], "little")
    if len(content) >= 8 and version != 2:
        raise MeshFileError(f"{name} is glTF {version}; only glTF 2.0 is read. Export it again.")
    if len(content) < 20 or int.from_bytes(content[8:12], "little") > len(content):
        raise MeshFileError(f"{name} is cut short.")
    text, blob, place = b"", b"", 12
    while place + 8 <= len(content):
        size, kind = struct.unpack_from("<II", content, place)
        part = content[place + 8 : place + 8 + size]
        if len(part) < size:
            raise MeshFileError(f"{name} is cut short.")
        if kind == _JSON and not text:
            text = part
        elif kind == _BIN and not blob:
            blob = part
        place += 8 + size + (-size % 4)
    return text, blob
