"""Sound small files of every format and ways to spoil them, each case told by a number alone."""

import base64
import io
import json
import struct
import zlib
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
import trimesh
from PIL import Image

from evenpalette.core.document.project import Role
from evenpalette.core.document.state import State
from evenpalette.core.edits.asset import add_texture, set_mesh
from evenpalette.core.edits.recipe import add_step, bind_input
from evenpalette.core.edits.refining import add_operation
from evenpalette.core.edits.regions import regions_from_channels, regions_from_id_map
from evenpalette.core.edits.variants import add_variant
from evenpalette.core.mesh.read import parse_mesh
from evenpalette.core.raster.image_write import encode_image
from evenpalette.core.raster.raster import Encoding, Raster
from evenpalette.core.recipe.recipe import Binding, Pick
from evenpalette.core.recipe.steps import KINDS
from evenpalette.core.storage.storage import Storage
from tests.helpers.gltf import Writer, two_materials

OBJ = b"""# a strip
mtllib a.mtl
v 0 0 0 1 0 0
v 1 0 0 0 1 0
v 1 1 0 0 0 1
v 0 1 0 1 1 1
v 2 0 0 1 0 1
vt 0 0
vt 1 0
vt 1 1
vt 0 1
vn 0 0 1
g left
usemtl paper
f 1/1/1 2/2/1 3/3/1 4/4/1
usemtl brass
f -1/2/1 3/3/1 2/2/1
f 2/1/1 5/2/1 3/3/1
"""
BARE = OBJ + b"f 1//1 2//1 3//1\n"


def image_seeds() -> dict[str, bytes]:
    """One small image of each format and depth that is read, by a name with its ending."""
    rng = np.random.default_rng(5)
    color = rng.integers(0, 256, (24, 20, 3), np.uint8)
    rgba = np.dstack([color, color[..., :1]])
    gray16 = color[..., :1].astype(np.uint16) * 257
    floats = color.astype(np.float32) / 255
    seeds = {
        "color.png": encode_image(Raster(color, Encoding.SRGB), ".png"),
        "alpha.png": encode_image(Raster(rgba, Encoding.SRGB), ".png"),
        "deep.png": encode_image(Raster(gray16, Encoding.DATA), ".png"),
        "color.tif": encode_image(Raster(color, Encoding.SRGB), ".tif"),
        "float.tif": encode_image(Raster(floats, Encoding.LINEAR), ".tif"),
        "float.exr": encode_image(Raster(floats, Encoding.LINEAR), ".exr"),
        "color.jpg": encode_image(Raster(color, Encoding.SRGB), ".jpg"),
    }
    for ending, format, picture in (
        (".bmp", "BMP", Image.fromarray(color)), (".tga", "TGA", Image.fromarray(rgba)),
        (".webp", "WEBP", Image.fromarray(color)), (".png", "PNG", Image.fromarray(color).quantize(7)),
    ):  # fmt: skip
        stream = io.BytesIO()
        picture.save(stream, format)
        seeds[f"other{ending}"] = stream.getvalue()
    return seeds


def as_text(made: Writer) -> bytes:
    """A .gltf that has everything in itself."""
    uri = "data:application/octet-stream;base64," + base64.b64encode(made.blob).decode()
    return json.dumps({**made.tree, "buffers": [{"byteLength": len(made.blob), "uri": uri}]}).encode()


def mesh_seeds() -> dict[str, bytes]:
    """One small mesh of each format, with UVs and colors."""
    box = trimesh.creation.icosphere(subdivisions=1)
    box.visual = trimesh.visual.TextureVisuals(uv=np.abs(box.vertices[:, :2]) / 2)
    plain = trimesh.creation.box()
    plain.visual.vertex_colors = np.arange(32, dtype=np.uint8).reshape(8, 4)
    return {
        "strip.obj": OBJ,
        "bare.obj": BARE,
        "ball.glb": bytes(box.export(file_type="glb")),
        "case.glb": two_materials().glb(),
        "case.gltf": as_text(two_materials()),
        "box.ply": bytes(plain.export(file_type="ply")),
        "text.ply": bytes(plain.export(file_type="ply", encoding="ascii")),
    }


def small_state() -> State:
    """A document that has something of everything, with rasters of a few texels."""
    rng = np.random.default_rng(9)
    flags = np.zeros((16, 16, 3), np.uint8)
    flags[:, :8], flags[:, 8:] = (255, 0, 0), (0, 255, 0)
    state = set_mesh(State(), parse_mesh(OBJ, "strip.obj"))
    for name, pixels, role in (
        ("id.png", flags, Role.ID_MAP), ("mask.png", rng.integers(0, 256, (16, 16, 3), np.uint8), Role.CHANNEL_MASK),
        ("painted.png", rng.integers(0, 256, (16, 16, 3), np.uint8), Role.PAINTED),
    ):  # fmt: skip
        state = add_texture(state, Raster(pixels, Encoding.SRGB), name, role)
    id_map, mask = (t.id for t in state.project.asset.textures[:2])
    state = regions_from_channels(regions_from_id_map(state, id_map), mask)
    state = add_operation(state, state.region_ids[0], "noise")
    for kind in KINDS.values():
        state = add_step(state, kind.key)
        for map_ in kind.maps:
            step = state.project.recipe.steps[-1].id
            value = id_map if map_.whole else f"{id_map}:1:inverted"
            state = bind_input(state, step, map_.key, Binding(value=value))
            state = bind_input(
                state, step, map_.placement.key, Binding(value="scale=2,3; turn=0.1; tiles=2; wrap=mirror")
            )
    state = bind_input(state, state.project.recipe.steps[0].id, "amount", Binding(pick=Pick(low=0.2, high=0.9, seed=4)))
    for name in ("One", "Two", "Three"):
        state = add_variant(state, name)
    return state


def write_project(folder: Path) -> dict[str, Any]:
    """The small document saved into a folder; returns its project.json."""
    Storage(folder).save(small_state())
    return json.loads((folder / "project.json").read_text())


_NUMBERS = (0, 1, 2, 127, 128, 255, 256, 65535, 65536, 2**31 - 1, 2**31, 2**32 - 1)
_WORDS: tuple[Any, ...] = (
    None, True, False, 0, -1, 1, 0.5, 1e9, -1e9, 1e308, -1e308, 2**63, "", "x", "../x", "/etc/passwd", "a\0b", "\ud800",
    "\u202ename", "line\nbreak", "*/", "\\", "#ffffff", "#12345", "y" * 5000, [], {}, [1], {"a": 1}, [[0, 5]], "nan",
)  # fmt: skip


def spoil(data: bytes, rng: np.random.Generator) -> bytes:
    """Bytes with a few things wrong: flipped, cut, repeated, overwritten by telling numbers."""
    if rng.random() < 0.03:
        return rng.integers(0, 256, int(rng.integers(0, 400)), np.uint8).tobytes()
    content = bytearray(data)
    for _ in range(int(rng.choice([1, 1, 1, 2, 3, 5]))):
        if not content:
            break
        at = int(rng.integers(0, len(content)))
        # Headers are where it hurts.
        at = at if rng.random() < 0.5 else at % min(len(content), 128)
        match int(rng.integers(0, 7)):
            case 0:
                content[at] ^= 1 << int(rng.integers(0, 8))
            case 1:
                content[at] = int(rng.choice([0, 255, 127, 128, 45, 47]))
            case 2:
                size = int(rng.choice([2, 4]))
                value = int(rng.choice(_NUMBERS)) & ((1 << 8 * size) - 1)
                content[at : at + size] = value.to_bytes(size, "little" if rng.random() < 0.5 else "big")
            case 3:
                del content[at : at + int(rng.integers(1, 40))]
            case 4:
                content[at:at] = content[at : at + int(rng.integers(1, 200))] * int(rng.integers(1, 5))
            case 5:
                del content[at:]
            case _:
                content[at:at] = rng.integers(0, 256, int(rng.integers(1, 8)), np.uint8).tobytes()
    return bytes(content)


def repair_png(data: bytes) -> bytes:
    """A spoiled PNG whose checksums are right again, so that it gets past the first look."""
    content, position = bytearray(data), 8
    while position + 12 <= len(content):
        length = struct.unpack(">I", content[position : position + 4])[0]
        if position + 12 + length > len(content):
            break
        checksum = zlib.crc32(bytes(content[position + 4 : position + 8 + length]))
        content[position + 8 + length : position + 12 + length] = struct.pack(">I", checksum)
        position += 12 + length
    return bytes(content)


def spoil_tree(tree: Any, rng: np.random.Generator) -> Any:
    """A JSON value with some of its parts replaced, removed or doubled."""
    copy = json.loads(json.dumps(tree))
    for _ in range(int(rng.integers(1, 4))):
        holders: list[Any] = []
        stack = [copy]
        while stack:
            item = stack.pop()
            if isinstance(item, dict | list) and item:
                holders.append(item)
                stack.extend(item.values() if isinstance(item, dict) else item)
        holder = holders[int(rng.integers(0, len(holders)))]
        key = (
            list(holder)[int(rng.integers(0, len(holder)))]
            if isinstance(holder, dict)
            else int(rng.integers(0, len(holder)))
        )
        match int(rng.integers(0, 5)):
            case 0 if isinstance(holder, dict):
                del holder[key]
            case 0 | 1 if isinstance(holder, list):
                holder.append(holder[key])
            case 2 if isinstance(holder, dict):
                other = holders[int(rng.integers(0, len(holders)))]
                holder[key] = json.loads(json.dumps(other)) if other is not copy else 0
            case _:
                holder[key] = _WORDS[int(rng.integers(0, len(_WORDS)))]
    return copy


class Cases:
    """All cases by number. read: what is done with one; it must end soundly or with our own kind of error."""

    def __init__(self, folder: Path, readers: dict[str, Callable[[bytes, str], object]]) -> None:
        self.images, self.meshes = image_seeds(), mesh_seeds()
        self.project = write_project(folder / "project")
        self.folder = folder / "project"
        self._seeds = [*self.images.items(), *self.meshes.items()]
        self._readers = readers

    def format(self, number: int) -> str:
        """The format of a case."""
        return "project" if number % 4 == 0 else self._seeds[number % len(self._seeds)][0].rsplit(".", 1)[1]

    def run(self, number: int) -> None:
        """Read the case. Raises what the reader raises."""
        rng = np.random.default_rng(number)
        if number % 4 == 0:
            tree = spoil_tree(self.project, rng)
            text = json.dumps(tree).encode()
            if rng.random() < 0.1:
                text = spoil(text, rng)
            (self.folder / "project.json").write_bytes(text)
            self._readers["project"](b"", str(self.folder))
            return
        name, seed = self._seeds[number % len(self._seeds)]
        content = spoil(seed, rng)
        if name.endswith(".png") and rng.random() < 0.6:
            content = repair_png(content)
        self._readers["mesh" if name in self.meshes else "image"](content, name)
