"""Triangles of glTF 2.0 files.

Source: glTF 2.0 specification (ISO/IEC 12113), sections 3.6 and 3.7; KHR_mesh_quantization; KHR_texture_transform.
"""

from dataclasses import replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.errors import MeshFileError
from evenpalette.core.limits import limits
from evenpalette.core.mesh.compression import DRACO, decompress_draco
from evenpalette.core.mesh.gltf_file import GltfFile, open_gltf
from evenpalette.core.mesh.gltf_materials import laid_by, material_name, sheets_of
from evenpalette.core.mesh.mesh import Mesh, build_mesh, too_many_faces
from evenpalette.core.mesh.reader import AssetFile, Beside, MeshReader

_MOST_PARTS = 20_000
#: What the indices of a primitive make, by the numbers of its "mode".
_TRIANGLES, _STRIP, _FAN = 4, 5, 6


def parse_glb(content: bytes, name: str, uv_set: int | None = None) -> Mesh:
    """Parse the bytes of a GLB, or of a .gltf that needs no other file; uv_set as in `mesh_of`. Raises
    MeshFileError."""
    if name.lower().endswith(".glb") and content[:4] != b"glTF":
        raise MeshFileError(f"{name} is not a GLB mesh.")
    return mesh_of(open_gltf(content, name), uv_set)


def _brought(content: bytes, name: str, beside: Beside) -> AssetFile:
    gltf = open_gltf(content, name, beside)
    mesh = mesh_of(gltf)
    sheets, notes = sheets_of(gltf, mesh.group_names)
    # A project keeps the mesh in one file, without the pictures, which are textures of it.
    kept = content if content[:4] == b"glTF" and not sheets else gltf.as_glb()
    return AssetFile(replace(mesh, source_bytes=kept, source_ending=".glb"), tuple(sheets), tuple(notes))


def mesh_of(gltf: GltfFile, uv_set: int | None = None) -> Mesh:
    """Every primitive of triangles, strips or fans of the scene, with its node's place applied.

    Materials name the groups. uv_set: the UV set that every part uses where it has it; None is, for each part, the one
    that its base color (else its first texture) is laid by, with its texture transform. Morph targets and skins are
    left in their rest. Raises MeshFileError for anything damaged or out of range.
    """
    wanted = _wanted_primitives(gltf)
    parts = [_primitive(gltf, primitive, matrix, mesh_name, uv_set) for primitive, matrix, mesh_name in wanted]
    if not parts:
        raise MeshFileError(f"{gltf.name} has no triangles.")
    sets = max(sum(key.startswith("TEXCOORD_") for key in primitive["attributes"]) for primitive, *_ in wanted)
    return replace(_join(parts, gltf.name), uv_sets=sets)


def _wanted_primitives(gltf: GltfFile) -> list[tuple[dict[str, Any], NDArray, str]]:
    """The triangle primitives with their places and mesh names; their faces are counted before any is gathered."""
    wanted: list = []
    faces = corners = 0
    nodes, meshes, accessors = gltf.items("nodes"), gltf.items("meshes"), gltf.items("accessors")
    for node_index, matrix in _placed_nodes(gltf):
        mesh_index = nodes[node_index].get("mesh")
        if mesh_index is None:
            continue
        for primitive in meshes[mesh_index]["primitives"]:
            position = primitive.get("attributes", {}).get("POSITION")
            if position is None:
                raise MeshFileError(f"{gltf.name} has a part without positions.")
            mode = primitive.get("mode", _TRIANGLES)
            if mode not in (_TRIANGLES, _STRIP, _FAN):
                continue
            used = primitive.get("indices", position)
            count = max(0, int(accessors[used]["count"]))
            faces += count // 3 if mode == _TRIANGLES else max(0, count - 2)
            corners += max(0, int(accessors[position]["count"]))
            if max(faces, corners // 3) > limits().mesh_faces or len(wanted) > _MOST_PARTS:
                raise too_many_faces(gltf.name, max(faces, corners // 3))
            wanted.append((primitive, matrix, str(meshes[mesh_index].get("name") or "all")))
    return wanted


def _placed_nodes(gltf: GltfFile) -> list[tuple[int, NDArray]]:
    nodes, scenes = gltf.items("nodes"), gltf.items("scenes")
    scene = scenes[int(gltf.tree.get("scene", 0))] if scenes else None
    roots = scene.get("nodes", []) if scene is not None else range(len(nodes))
    found, stack, seen = [], [(int(index), np.eye(4)) for index in roots], set()
    while stack:
        index, above = stack.pop()
        if index in seen:
            continue
        seen.add(index)
        matrix = above @ _local_matrix(nodes[index])
        found.append((index, matrix))
        stack.extend((int(child), matrix) for child in nodes[index].get("children") or [])
    return sorted(found, key=lambda item: item[0])


def _local_matrix(node: dict[str, Any]) -> NDArray:
    if node.get("matrix"):
        return np.array(node["matrix"], np.float64).reshape(4, 4).T
    matrix = np.eye(4)
    x, y, z, w = node.get("rotation") or (0, 0, 0, 1)
    turn = np.array(
        [
            [1 - 2 * (y * y + z * z), 2 * (x * y - z * w), 2 * (x * z + y * w)],
            [2 * (x * y + z * w), 1 - 2 * (x * x + z * z), 2 * (y * z - x * w)],
            [2 * (x * z - y * w), 2 * (y * z + x * w), 1 - 2 * (x * x + y * y)],
        ]
    )
    matrix[:3, :3] = turn * np.array(node.get("scale") or (1, 1, 1))
    matrix[:3, 3] = node.get("translation") or (0, 0, 0)
    return matrix


def _faces_of(indices: NDArray, mode: int) -> NDArray:
    """Triangles (F, 3) of what a primitive's indices string together. Source: glTF 2.0 section 3.7.2.1."""
    if mode == _TRIANGLES:
        return indices[: len(indices) // 3 * 3].reshape(-1, 3)
    at = np.arange(max(0, len(indices) - 2))
    if mode == _FAN:
        return np.stack([indices[at + 1], indices[at + 2], indices[at * 0]], -1)
    odd = at % 2
    strung = np.stack([indices[at], indices[at + 1 + odd], indices[at + 2 - odd]], -1)
    # Strips are joined by triangles without area.
    return strung[(strung[:, 0] != strung[:, 1]) & (strung[:, 1] != strung[:, 2]) & (strung[:, 0] != strung[:, 2])]


def _primitive(  # type: ignore[no-untyped-def]
    gltf: GltfFile, primitive: dict[str, Any], matrix: NDArray, mesh_name: str, wanted: int | None
):  # fmt: skip
    attributes, name = primitive["attributes"], gltf.name
    draco = (primitive.get("extensions") or {}).get(DRACO)
    packed = _unpacked(gltf, primitive, draco) if draco is not None else None

    def values_of(key: str, widths: tuple[int, ...], *, normalized: bool = False) -> NDArray:
        if packed is None or key not in packed[1]:
            return gltf.accessor(attributes[key], widths, normalized=normalized)
        return gltf.as_said(attributes[key], packed[1][key], widths, normalized=normalized)

    positions = values_of("POSITION", (3,)).astype(np.float64)
    if packed is not None:
        faces = packed[0]
    elif "indices" not in primitive:
        faces = _faces_of(np.arange(len(positions)), primitive.get("mode", _TRIANGLES))
    else:
        faces = _faces_of(
            gltf.accessor(primitive["indices"], (1,)).reshape(-1).astype(np.int64), primitive.get("mode", _TRIANGLES)
        )
    if len(faces) and (faces.min() < 0 or faces.max() >= len(positions)):
        raise MeshFileError(f"{name}: faces name vertices that do not exist. Export the mesh again.")

    def corner(key: str, *widths: int, normalized: bool = False) -> NDArray | None:
        if key not in attributes:
            return None
        values = values_of(key, widths, normalized=normalized)
        if len(faces) and faces.max() >= len(values):
            raise MeshFileError(f"{name} is damaged: its corners have fewer values than positions.")
        return values[faces]

    if np.linalg.det(matrix[:3, :3]) < 0:
        faces = faces[:, ::-1]
    uv_set, transform = laid_by(gltf, primitive.get("material"))
    if wanted is not None and wanted != uv_set:
        uv_set, transform = wanted, None
    uvs = corner(f"TEXCOORD_{uv_set}", 2)
    if uvs is None:
        uvs = corner("TEXCOORD_0", 2)
    if uvs is not None and transform is not None:
        uvs = uvs @ transform[:, :2].T + transform[:, 2]
    normals = corner("NORMAL", 3)
    if normals is not None:
        normals = normals @ np.linalg.inv(matrix[:3, :3])
    colors = corner("COLOR_0", 3, 4, normalized=True)
    if colors is not None and colors.shape[-1] == 3:
        colors = np.concatenate([colors, np.ones_like(colors[..., :1])], -1)
    placed = positions @ matrix[:3, :3].T + matrix[:3, 3]
    return placed, faces, uvs, normals, colors, material_name(gltf, primitive.get("material"), mesh_name)


def _unpacked(gltf: GltfFile, primitive: dict[str, Any], draco: dict[str, Any]) -> tuple[NDArray, dict[str, NDArray]]:
    """Triangles and attributes, by their names, of a primitive that is compressed with Draco."""
    accessors = gltf.items("accessors")
    corners = int(accessors[primitive["attributes"]["POSITION"]]["count"])
    indices = int(accessors[primitive["indices"]]["count"])
    content, _ = gltf.view(int(draco["bufferView"]))
    faces, held = decompress_draco(content, corners, indices, gltf.name)
    return faces, {key: held[int(number)] for key, number in draco["attributes"].items() if int(number) in held}


def _join(parts: list, name: str) -> Mesh:
    offset, positions, faces, groups = 0, [], [], []
    group_names = tuple(dict.fromkeys(part[5] for part in parts))
    for placed, part_faces, *_, material in parts:
        positions.append(placed)
        faces.append(part_faces + offset)
        groups.append(np.full(len(part_faces), group_names.index(material), np.int32))
        offset += len(placed)

    def joined(column: int) -> NDArray | None:
        columns = [part[column] for part in parts]
        return None if any(c is None for c in columns) else np.concatenate(columns)

    return build_mesh(
        name,
        np.concatenate(positions),
        np.concatenate(faces),
        uvs=joined(2),
        normals=joined(3),
        colors=joined(4),
        groups=np.concatenate(groups),
        group_names=group_names,
        weld=True,
    )


READER = MeshReader("gltf", (".glb", ".gltf"), parse_glb, 30, _brought, is_spread=True)
