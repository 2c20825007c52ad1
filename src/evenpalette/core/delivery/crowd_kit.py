"""What a crowd is drawn from: a kit's description and texts, its textures with all their levels, its model with fewer
triangles for what is far. Made beside the thread that draws, of delivered files or of a document."""

import json
from collections.abc import Mapping, Sequence
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.color.encoding import decode_srgb
from evenpalette.core.dataclass import dataclass
from evenpalette.core.delivery.kit_files import KitFiles, KitSheetFiles
from evenpalette.core.delivery.kit_model import KitDescription, KitTexture
from evenpalette.core.errors import KitError
from evenpalette.core.mesh.far import clustered
from evenpalette.core.raster.image_read import decode_image
from evenpalette.core.raster.mips import mip_chain
from evenpalette.core.raster.raster import Encoding, Raster

#: Levels of fewer triangles: cells along the model, the coarsest first.
FAR_CELLS = (8, 12, 18, 27, 40, 60)
#: Where there is no mesh: a square, as place, normal, tangent and uv of its corners.
_SQUARE = np.array([[-0.5, 0, 0, 0, 0, 1, 1, 0, 0, 1, 0, 1], [0.5, 0, 0, 0, 0, 1, 1, 0, 0, 1, 1, 1], [0.5, 1, 0, 0, 0, 1, 1, 0, 0, 1, 1, 0], [-0.5, 1, 0, 0, 0, 1, 1, 0, 0, 1, 0, 0]], np.float32)  # fmt: skip


@dataclass(frozen=True, eq=False)
class TextureLevels:
    """Pixels of a texture as a graphics card takes them, (height, width, channels) each, the whole one first. srgb:
    8-bit codes that are decoded when they are read."""

    levels: tuple[NDArray, ...]
    srgb: bool


@dataclass(frozen=True, eq=False)
class Model:
    """vertices: float32 (n, 12): place, normal, tangent with sign, uv. corners: of all triangles, uint32 (m, 3).
    extent: the longest side of the box around the whole asset, 0 where there is nothing to leave out."""

    vertices: NDArray[np.float32]
    corners: NDArray[np.uint32]
    extent: float = 0.0

    @cached_property
    def levels(self) -> tuple[NDArray[np.uint32], ...]:
        """Corners of all triangles first, then of fewer and fewer; made when they are first asked for, which takes
        longer than a picture: ask beside the thread that draws."""
        levels = [self.corners]
        for cells in reversed(FAR_CELLS) if self.extent else ():
            fewer = clustered(self.vertices[:, :3], self.corners, self.extent / cells)
            levels.append(fewer if len(fewer) < len(levels[-1]) else levels[-1])
        return tuple(levels)


@dataclass(frozen=True, eq=False)
class CrowdSheet:
    """One sheet. where: what a message calls its recipe's text. rows: of the table, float32 (rows, width, 4), None for
    a kit that has none."""

    where: str
    said: KitDescription
    recipe: str
    light: str
    textures: tuple[tuple[KitTexture, TextureLevels], ...]
    rows: NDArray[np.float32] | None
    model: Model


@dataclass(frozen=True, eq=False)
class CrowdKit:
    """An asset. low, high: corners of the box around it."""

    name: str
    sheets: tuple[CrowdSheet, ...]
    low: NDArray[np.float32]
    high: NDArray[np.float32]

    def make_levels(self) -> None:
        """Make the triangles for what is far, beside the thread that draws."""
        for sheet in self.sheets:
            _ = sheet.model.levels

    @property
    def radius(self) -> float:
        """Half of what the model is wide, in its own units."""
        return max(float(np.linalg.norm(self.high - self.low)) / 2, 1e-6)

    @property
    def step(self) -> float:
        """How far neighbors stand from each other."""
        return max(float(self.high[0] - self.low[0]), float(self.high[2] - self.low[2]), 1e-6) * 1.35

    @property
    def variants(self) -> list[str]:
        """Names of the variants, in the order of their rows, the first of which is row 1."""
        return [variant.name for variant in self.sheets[0].said.variants]


def crowd_kit(files: KitFiles) -> CrowdKit:
    """What was delivered, ready to be drawn. Raises KitError."""
    models, low, high = models_of(files.mesh, [sheet.name for sheet in files.sheets], str(files.folder / "mesh.glb"))
    sheets = tuple(_sheet(sheet, model) for sheet, model in zip(files.sheets, models, strict=True))
    return CrowdKit(files.name, sheets, low, high)


def _sheet(files: KitSheetFiles, model: Model) -> CrowdSheet:
    textures = tuple(
        (said, levels_of(said, decode_image(files.textures[said.file], said.file))) for said in files.said.textures
    )
    where = str(files.folder / files.said.recipe)
    return CrowdSheet(where, files.said, files.recipe, files.light, textures, files.table, model)


def levels_of(said: KitTexture, pixels: NDArray) -> TextureLevels:
    """A texture's pixels as its description wants them read: with all levels where it has mips."""
    if pixels.shape[2] == 2:
        pixels = np.concatenate([np.repeat(pixels[..., :1], 3, 2), pixels[..., 1:]], 2)
    is_color, srgb = said.encoding == "srgb", False
    if is_color and pixels.dtype == np.uint8 and pixels.shape[2] >= 3:
        if pixels.shape[2] == 3:
            pixels = np.concatenate([pixels, np.full((*pixels.shape[:2], 1), 255, np.uint8)], 2)
        srgb = True
    elif is_color and pixels.dtype != np.float32:
        unit = pixels / np.float32(np.iinfo(pixels.dtype).max)
        pixels = np.concatenate([decode_srgb(unit[..., :3]), unit[..., 3:]], 2).astype(np.float16)
    levels = [pixels]
    if said.mips and said.filter != "nearest":
        # Color that is linear light by now is averaged as it is.
        stored = pixels.astype(np.float32) if pixels.dtype == np.float16 else pixels
        chain = mip_chain(Raster(stored, Encoding.SRGB if srgb else Encoding.DATA))
        levels += [level.pixels.astype(pixels.dtype) for level in chain.levels[1:]]
    return TextureLevels(tuple(levels), srgb)


def models_of(
    mesh: bytes, names: Sequence[str], where: str = "the mesh"
) -> tuple[list[Model], NDArray[np.float32], NDArray[np.float32]]:
    """The model of each sheet and the box around all; a square for each where there is no mesh. mesh: a binary glTF
    file as a kit has it. Raises KitError."""
    if not mesh:
        square = Model(_SQUARE, np.array([[0, 1, 2], [0, 2, 3]], np.uint32))
        return [square for _ in names], np.array([-0.5, 0, 0], np.float32), np.array([0.5, 1, 0], np.float32)
    try:
        return _models(mesh, list(names))
    except (KeyError, ValueError, IndexError, TypeError) as error:
        raise KitError(f"{where} is not as a kit's mesh is. Deliver the kit again.") from error


def _models(content: bytes, names: list[str]) -> tuple[list[Model], NDArray[np.float32], NDArray[np.float32]]:
    length = int.from_bytes(content[12:16], "little")
    said, body = json.loads(content[20 : 20 + length]), content[28 + length :]

    def numbers(accessor: int, width: int) -> NDArray:
        told = said["accessors"][accessor]
        offset = said["bufferViews"][told["bufferView"]].get("byteOffset", 0)
        kind = "<u4" if width == 1 else "<f4"
        return np.frombuffer(body, kind, told["count"] * width, offset).reshape(-1, width)

    vertices: list[list[NDArray]] = [[] for _ in names]
    corners: list[list[NDArray]] = [[] for _ in names]
    for primitive in said["meshes"][0]["primitives"]:
        has: Mapping[str, int] = primitive["attributes"]
        sheet = primitive.get("extras", {}).get("sheet", "")
        at = names.index(sheet) if sheet in names else 0
        columns = [numbers(has["POSITION"], 3), numbers(has["NORMAL"], 3), numbers(has["TANGENT"], 4)]
        columns.append(numbers(has["TEXCOORD_0"], 2) if "TEXCOORD_0" in has else np.zeros((len(columns[0]), 2)))
        begin = sum(len(held) for held in vertices[at])
        vertices[at].append(np.concatenate(columns, 1))
        corners[at].append(numbers(primitive["indices"], 1).reshape(-1, 3) + begin)
    places = np.concatenate([part[:, :3] for held in vertices for part in held])
    low, high = places.min(0), places.max(0)
    extent = float(np.max(high - low))
    nothing = Model(np.zeros((1, 12), np.float32), np.zeros((1, 3), np.uint32))
    models = [
        Model(np.concatenate(held).astype(np.float32), np.concatenate(made).astype(np.uint32), extent)
        if held
        else nothing
        for held, made in zip(vertices, corners, strict=True)
    ]
    return models, low, high
