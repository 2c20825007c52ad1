"""Binary glTF 2.0 through pygltflib; accessors are read here, bounds-checked.

Source: glTF 2.0 specification (ISO/IEC 12113), sections 3.6 and 5.
"""

import numpy as np
import pygltflib
from numpy.typing import NDArray

from evenpalette.core.errors import MeshFileError
from evenpalette.core.limits import limits
from evenpalette.core.mesh.mesh import Mesh, build_mesh, too_many_faces

_DTYPES = {5120: np.int8, 5121: np.uint8, 5122: np.int16, 5123: np.uint16, 5125: np.uint32, 5126: np.float32}
_MOST_PARTS = 20_000
_WIDTHS = {"SCALAR": 1, "VEC2": 2, "VEC3": 3, "VEC4": 4}


def parse_glb(content: bytes, name: str) -> Mesh:
    """Parse the bytes of a GLB file: every triangle primitive of the scene, with its node's place applied.

    Materials name the groups. Raises MeshFileError for compressed geometry and anything out of range.
    """
    if content[:4] != b"glTF":
        raise MeshFileError(f"{name} is not a GLB mesh.")
    if int.from_bytes(content[8:12], "little") > len(content):
        raise MeshFileError(f"{name} is cut short.")
    gltf = pygltflib.GLTF2.load_from_bytes(content)
    required = gltf.extensionsRequired or []
    if "KHR_draco_mesh_compression" in required or "EXT_meshopt_compression" in required:
        raise MeshFileError(f"{name} holds compressed geometry. Export it without mesh compression.")
    wanted = _wanted_primitives(gltf, name)
    parts = [_primitive(gltf, primitive, matrix, mesh_name, name) for primitive, matrix, mesh_name in wanted]
    if not parts:
        raise MeshFileError(f"{name} has no triangles.")
    return _join(parts, name)


def _wanted_primitives(gltf, name):  # type: ignore[no-untyped-def]
    """The triangle primitives with their places and mesh names; their faces are counted before any is gathered."""
    wanted: list = []
    faces = corners = 0
    for node_index, matrix in _placed_nodes(gltf):
        node = gltf.nodes[node_index]
        if node.mesh is None:
            continue
        for primitive in gltf.meshes[node.mesh].primitives:
            if primitive.mode not in (None, 4) or primitive.attributes.POSITION is None:
                if primitive.attributes.POSITION is None:
                    raise MeshFileError(f"{name} has a part without positions.")
                continue
            used = primitive.attributes.POSITION if primitive.indices is None else primitive.indices
            faces += max(0, int(gltf.accessors[used].count)) // 3
            corners += max(0, int(gltf.accessors[primitive.attributes.POSITION].count))
            if max(faces, corners // 3) > limits().mesh_faces or len(wanted) > _MOST_PARTS:
                raise too_many_faces(name, max(faces, corners // 3))
            wanted.append((primitive, matrix, gltf.meshes[node.mesh].name or "all"))
    return wanted


def _placed_nodes(gltf: pygltflib.GLTF2) -> list[tuple[int, NDArray]]:
    scene = gltf.scenes[gltf.scene or 0] if gltf.scenes else None
    roots = scene.nodes if scene else range(len(gltf.nodes))
    found, stack, seen = [], [(index, np.eye(4)) for index in roots], set()
    while stack:
        index, above = stack.pop()
        if index in seen:
            continue
        seen.add(index)
        matrix = above @ _local_matrix(gltf.nodes[index])
        found.append((index, matrix))
        stack.extend((child, matrix) for child in gltf.nodes[index].children or [])
    return sorted(found, key=lambda item: item[0])


def _local_matrix(node: pygltflib.Node) -> NDArray:
    if node.matrix:
        return np.array(node.matrix, np.float64).reshape(4, 4).T
    matrix = np.eye(4)
    x, y, z, w = node.rotation or (0, 0, 0, 1)
    turn = np.array(
        [
            [1 - 2 * (y * y + z * z), 2 * (x * y - z * w), 2 * (x * z + y * w)],
            [2 * (x * y + z * w), 1 - 2 * (x * x + z * z), 2 * (y * z - x * w)],
            [2 * (x * z - y * w), 2 * (y * z + x * w), 1 - 2 * (x * x + y * y)],
        ]
    )
    matrix[:3, :3] = turn * np.array(node.scale or (1, 1, 1))
    matrix[:3, 3] = node.translation or (0, 0, 0)
    return matrix


def _primitive(gltf, primitive, matrix, mesh_name, name):  # type: ignore[no-untyped-def]
    attributes = primitive.attributes
    positions = _accessor(gltf, attributes.POSITION, name, (3,))
    if primitive.indices is None:
        faces = np.arange(len(positions) // 3 * 3).reshape(-1, 3)
    else:
        indices = _accessor(gltf, primitive.indices, name, (1,)).reshape(-1)
        faces = indices[: len(indices) // 3 * 3].astype(np.int64).reshape(-1, 3)
    if len(faces) and (faces.min() < 0 or faces.max() >= len(positions)):
        raise MeshFileError(f"{name}: faces name vertices that do not exist. Export the mesh again.")

    def corner(accessor: int | None, *widths: int) -> NDArray | None:
        if accessor is None:
            return None
        values = _accessor(gltf, accessor, name, widths, normalized=True)
        if len(faces) and faces.max() >= len(values):
            raise MeshFileError(f"{name} is damaged: its corners have fewer values than positions.")
        return values[faces]

    if np.linalg.det(matrix[:3, :3]) < 0:
        faces = faces[:, ::-1]
    uvs = corner(attributes.TEXCOORD_0, 2)
    normals = corner(attributes.NORMAL, 3)
    if normals is not None:
        normals = normals @ np.linalg.inv(matrix[:3, :3])
    colors = corner(getattr(attributes, "COLOR_0", None), 3, 4)
    if colors is not None and colors.shape[-1] == 3:
        colors = np.concatenate([colors, np.ones_like(colors[..., :1])], -1)
    material = mesh_name
    if primitive.material is not None:
        material = gltf.materials[primitive.material].name or f"material {primitive.material + 1}"
    placed = positions @ matrix[:3, :3].T + matrix[:3, 3]
    return placed, faces, uvs, normals, colors, material


def _accessor(
    gltf: pygltflib.GLTF2, index: int, name: str, widths: tuple[int, ...], normalized: bool = False
) -> NDArray:
    """The values of an accessor, (count, width); its width must be one of `widths`."""
    accessor = gltf.accessors[index]
    if accessor.sparse is not None or accessor.bufferView is None:
        raise MeshFileError(f"{name} uses sparse accessors, which cannot be read. Export it without them.")
    view = gltf.bufferViews[accessor.bufferView]
    dtype, width = np.dtype(_DTYPES[accessor.componentType]), _WIDTHS[accessor.type]
    if width not in widths:
        raise MeshFileError(f"{name} is damaged: an accessor holds {accessor.type} where {widths[-1]} numbers are needed.")
    if accessor.count > limits().mesh_faces * 3:
        raise too_many_faces(name, accessor.count // 3)
    blob = gltf.binary_blob() or b""
    start = (view.byteOffset or 0) + (accessor.byteOffset or 0)
    stride = view.byteStride or dtype.itemsize * width
    end = start + stride * (accessor.count - 1) + dtype.itemsize * width
    if accessor.count < 1 or start < 0 or end > len(blob):
        raise MeshFileError(f"{name} is damaged: an accessor reaches past the end of the data.")
    values = np.ndarray((accessor.count, width), dtype, blob, start, (stride, dtype.itemsize))
    if (normalized or accessor.normalized) and dtype.kind in "ui":
        return np.maximum(values / np.float32(np.iinfo(dtype.str).max), -1).astype(np.float32)
    return values.astype(np.float64) if dtype.kind == "f" else values.astype(np.int64)


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
