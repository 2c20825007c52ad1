"""PLY, text and binary, through trimesh; vertex properties are taken from its raw table by their usual names."""

import io
import logging

import numpy as np

from evenpalette.core.errors import MeshFileError
from evenpalette.core.limits import limits
from evenpalette.core.mesh.mesh import Mesh, build_mesh, too_many_faces
from evenpalette.core.mesh.reader import MeshReader

_MOST_HEADER = 1 << 16
_UV_NAMES = (("s", "t"), ("u", "v"), ("texture_u", "texture_v"), ("texture_s", "texture_t"))


def parse_ply(content: bytes, name: str) -> Mesh:
    """Parse the bytes of a PLY file. UVs come from s,t / u,v / texture_u,texture_v; colors from red, green, blue."""
    if not content.startswith(b"ply"):
        raise MeshFileError(f"{name} is not a PLY mesh.")
    _check_counts(content, name)
    # A second of the program's start hangs on this import, and few sessions read a PLY.
    import trimesh

    logging.getLogger("trimesh").setLevel(logging.CRITICAL + 1)

    loaded = trimesh.load(io.BytesIO(content), file_type="ply", process=False, maintain_order=True)
    if not isinstance(loaded, trimesh.Trimesh) or not len(loaded.faces):
        raise MeshFileError(f"{name} has no faces.")
    raw = loaded.metadata.get("_ply_raw", {}).get("vertex", {}).get("data")
    fields = getattr(getattr(raw, "dtype", None), "names", None) or (list(raw) if isinstance(raw, dict) else [])
    faces = np.asarray(loaded.faces, np.int64)
    if faces.min() < 0 or faces.max() >= len(loaded.vertices):
        raise MeshFileError(f"{name}: faces name vertices that do not exist. Export the mesh again.")
    uvs = normals = colors = None
    for u, v in _UV_NAMES:
        if u in fields and v in fields:
            table = np.stack([_column(raw, u), 1.0 - _column(raw, v)], -1)
            uvs = table[faces]
            break
    if all(key in fields for key in ("nx", "ny", "nz")):
        normals = np.stack([_column(raw, key) for key in ("nx", "ny", "nz")], -1)[faces]
    if all(key in fields for key in ("red", "green", "blue")):
        channels = [_color(raw, key) for key in ("red", "green", "blue")]
        channels.append(_color(raw, "alpha") if "alpha" in fields else np.ones_like(channels[0]))
        colors = np.stack(channels, -1)[faces]
    return build_mesh(name, loaded.vertices, faces, uvs=uvs, normals=normals, colors=colors, weld=True)


def _check_counts(content: bytes, name: str) -> None:
    """Refuse counts in the header that the rest of the file cannot hold, before anybody makes room for them."""
    end = content.find(b"end_header", 0, _MOST_HEADER)
    if end < 0:
        raise MeshFileError(f"{name} is damaged: its header does not end.")
    for line in content[:end].split(b"\n"):
        words = line.split()
        if len(words) >= 3 and words[0] == b"element":
            count = int(words[2])
            if words[1] == b"face" and count > limits().mesh_faces:
                raise too_many_faces(name, count)
            # No element takes less than a byte.
            if not 0 <= count <= len(content) - end:
                raise MeshFileError(
                    f"{name} is cut short: it has no room for {count:,} of its {words[1].decode('latin-1')}."
                )


def _column(raw, key: str) -> np.ndarray:  # type: ignore[no-untyped-def]
    return np.asarray(raw[key], np.float32).reshape(-1)


def _color(raw, key: str) -> np.ndarray:  # type: ignore[no-untyped-def]
    column = np.asarray(raw[key]).reshape(-1)
    return column.astype(np.float32) / 255 if column.dtype.kind in "ui" else column.astype(np.float32)


READER = MeshReader("ply", (".ply",), lambda content, name, _: parse_ply(content, name), 20)
