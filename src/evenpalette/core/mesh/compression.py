"""Compressed geometry of glTF files, unpacked by packages of their own.

Source: KHR_draco_mesh_compression; EXT_meshopt_compression, KHR_meshopt_compression. What comes out is checked against
what the file says of it before it is used.
"""

from collections.abc import Mapping
from typing import Any

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.errors import MeshFileError

DRACO = "KHR_draco_mesh_compression"
#: Extensions by which buffer views are compressed.
OF_VIEWS = ("KHR_meshopt_compression", "EXT_meshopt_compression")
#: Bytes that Draco may unfold a byte to: its strongest setting on the smoothest mesh stays below it (common practice,
#: no source).
_MOST_FOLD = 2000


def of_view(view: Mapping[str, Any]) -> dict[str, Any] | None:
    """How a buffer view is compressed, None for one that is not."""
    extensions = view.get("extensions")
    held = [
        extensions[key] for key in OF_VIEWS if isinstance(extensions, dict) and isinstance(extensions.get(key), dict)
    ]
    return held[0] if held else None


def decompress_view(content: memoryview, how: Mapping[str, Any], name: str) -> bytes:
    """The bytes of a view, count * byteStride of them. Raises MeshFileError for damage, or where the package is
    missing."""
    try:
        import meshoptimizer
    except ImportError:
        raise MeshFileError(
            f"{name} is compressed with meshopt, which needs the package meshoptimizer: pip install 'evenpalette[meshopt]'. "
            "Or export it without mesh compression."
        ) from None
    count, stride, mode, filter_ = (
        int(how["count"]),
        int(how["byteStride"]),
        str(how.get("mode")),
        str(how.get("filter", "NONE")),
    )
    try:
        if mode == "ATTRIBUTES":
            values = meshoptimizer.decode_vertex_buffer(count, stride, content, np.dtype(f"V{stride}"))
            if filter_ != "NONE":
                unfold = {
                    "OCTAHEDRAL": meshoptimizer.decode_filter_oct, "QUATERNION": meshoptimizer.decode_filter_quat,
                    "EXPONENTIAL": meshoptimizer.decode_filter_exp,
                }[filter_]  # fmt: skip
                values = unfold(values, count, stride)
        elif mode == "TRIANGLES":
            values = np.asarray(meshoptimizer.decode_index_buffer(count, 4, content)).astype(f"<u{stride}")
        elif mode == "INDICES":
            values = np.asarray(meshoptimizer.decode_index_sequence(count, 4, content)).astype(f"<u{stride}")
        else:
            raise KeyError(mode)
    except (KeyError, ValueError, TypeError, RuntimeError) as error:
        raise MeshFileError(
            f"{name} is damaged: a part compressed with meshopt cannot be unpacked ({str(error)[:60]})."
        ) from error
    found = np.ascontiguousarray(values).tobytes()
    if len(found) != count * stride:
        raise MeshFileError(f"{name} is damaged: a part compressed with meshopt has another size than it says.")
    return found


def decompress_draco(
    content: memoryview, corners: int, indices: int, name: str
) -> tuple[NDArray[np.int64], dict[int, NDArray]]:
    """The triangles (N, 3) of a primitive and its attributes by their Draco ids, (corners, width) each.

    corners, indices: what the file says that there are. Raises MeshFileError.
    """
    import DracoPy

    if max(corners * 12, indices * 4) > len(content) * _MOST_FOLD:
        raise MeshFileError(f"{name} is damaged: a compressed part is too small for what it says that it holds.")
    try:
        found = DracoPy.decode(bytes(content))
        faces = np.asarray(found.faces, np.int64).reshape(-1, 3)
        attributes = {int(a["unique_id"]): np.asarray(a["data"]) for a in found.attributes}
    except Exception as error:
        raise MeshFileError(f"{name} is damaged: a part compressed with Draco cannot be unpacked.") from error
    if faces.size != indices or any(len(values) != corners for values in attributes.values()):
        raise MeshFileError(f"{name} is damaged: a part compressed with Draco holds another mesh than it says.")
    return faces, {key: values.reshape(len(values), -1) for key, values in attributes.items()}
