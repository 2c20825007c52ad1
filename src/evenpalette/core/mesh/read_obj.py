"""OBJ text. Read here rather than by a library to keep the file's own vertex sharing, groups and polygons.

Source: the Wavefront OBJ description as archived by the Library of Congress (format fdd000507).
Read: v (with optional r g b), vt, vn, f (n-gons, negative indices), usemtl, g, o. Materials name the groups;
where the file uses none, groups and objects do.
"""

import numpy as np

from evenpalette.core.errors import MeshFileError
from evenpalette.core.mesh.mesh import Mesh, build_mesh, triangulate


def parse_obj(content: bytes, name: str) -> Mesh:
    """Parse the bytes of an OBJ file. Raises MeshFileError naming the line."""
    positions: list[list[float]] = []
    uvs: list[list[float]] = []
    normals: list[list[float]] = []
    corners: list[tuple[int, int, int]] = []
    face_groups: list[tuple[str, str]] = []
    material, group = "", ""
    try:
        lines = content.decode("utf-8", errors="strict").replace("\\\n", " ").splitlines()
    except UnicodeDecodeError:
        lines = content.decode("latin-1").replace("\\\n", " ").splitlines()
    if not any(line.startswith(("v ", "v\t")) for line in lines):
        raise MeshFileError(f"{name} is not an OBJ mesh: it has no vertices.")
    for number, line in enumerate(lines, 1):
        words = line.split()
        if not words or words[0].startswith("#"):
            continue
        try:
            match words[0]:
                case "v":
                    positions.append([float(word) for word in words[1:7]])
                case "vt":
                    uvs.append([float(words[1]), 1.0 - float(words[2]) if len(words) > 2 else 0.0])
                case "vn":
                    normals.append([float(word) for word in words[1:4]])
                case "f":
                    polygon = [_corner(word, len(positions), len(uvs), len(normals)) for word in words[1:]]
                    if len(polygon) < 3:
                        continue
                    for triangle in triangulate(len(polygon)):
                        corners.extend(polygon[i] for i in triangle)
                        face_groups.append((material, group))
                case "usemtl":
                    material = " ".join(words[1:])
                case "g" | "o":
                    group = " ".join(words[1:])
        except (ValueError, IndexError):
            raise MeshFileError(f"{name}, line {number}: '{line.strip()[:60]}' cannot be read.") from None
    return _assemble(name, positions, uvs, normals, corners, face_groups)


def _corner(word: str, position_count: int, uv_count: int, normal_count: int) -> tuple[int, int, int]:
    """'7', '7/2', '7//3' or '7/2/3' to indices from 0; -1 is missing. Negative ones count back from the newest."""
    parts = (word.split("/") + ["", ""])[:3]
    found = []
    for part, count in zip(parts, (position_count, uv_count, normal_count), strict=True):
        index = int(part) if part else 0
        # An index that is out of range must stay out of range; -1 would read as "missing".
        found.append(
            index - 1
            if index > 0
            else count + index
            if index < 0 and count + index >= 0
            else -1
            if not index
            else 1 << 40
        )
    if found[0] < 0:
        found[0] = 1 << 40
    return found[0], found[1], found[2]


def _assemble(name, positions, uvs, normals, corners, face_groups) -> Mesh:  # type: ignore[no-untyped-def]
    if not corners:
        raise MeshFileError(f"{name} has no faces.")
    indices = np.array(corners, np.int64).reshape(-1, 3, 3)
    by_material = any(material for material, _ in face_groups)
    labels = [(material if by_material else group) or "all" for material, group in face_groups]
    group_names = tuple(dict.fromkeys(labels))
    lookup = {label: i for i, label in enumerate(group_names)}
    colors = None
    if positions and all(len(position) >= 6 for position in positions):
        table = np.array([position[3:6] for position in positions], np.float32)
        if (indices[..., 0] < len(table)).all():
            corner_colors = table[indices[..., 0]]
            colors = np.concatenate([corner_colors, np.ones_like(corner_colors[..., :1])], -1)
    return build_mesh(
        name,
        np.array([position[:3] for position in positions], np.float32),
        indices[..., 0],
        uvs=_gather(name, "UVs", uvs, indices[..., 1]),
        normals=_gather(name, "normals", normals, indices[..., 2]),
        colors=colors,
        groups=np.array([lookup[label] for label in labels], np.int32),
        group_names=group_names,
    )


def _gather(name: str, what: str, table: list[list[float]], indices: np.ndarray) -> np.ndarray | None:
    if not table or (indices < 0).any():
        return None
    if indices.max() >= len(table):
        raise MeshFileError(f"{name}: faces name {what} that do not exist. Export the mesh again.")
    return np.array(table, np.float32)[indices]
