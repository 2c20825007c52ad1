"""The files of a layout: which there are, and what each holds."""

import io
from collections.abc import Iterator, Mapping, Sequence
from pathlib import Path

import numpy as np
from numpy.typing import DTypeLike, NDArray

from evenpalette.core.dataclass import dataclass
from evenpalette.core.delivery.inputs import fingerprint
from evenpalette.core.delivery.layouts.planes import Source, Surface, channel_rows, is_float, is_srgb
from evenpalette.core.delivery.manifest import Former
from evenpalette.core.delivery.plan import DEFAULTS
from evenpalette.core.delivery.render import delivered_size
from evenpalette.core.document.layout_model import ENDINGS, Layout, LayoutFile, filled_in
from evenpalette.core.document.project import OpacityUse
from evenpalette.core.document.state import State
from evenpalette.core.errors import LayoutError
from evenpalette.core.files import safe_name
from evenpalette.core.parallel import Progress, no_progress
from evenpalette.core.raster.containers import dds_bytes, ktx2_bytes, stored_levels
from evenpalette.core.raster.formats.exr import encode_exr_layers
from evenpalette.core.raster.image_write import encode_image
from evenpalette.core.raster.mips import MipKind, mip_chain
from evenpalette.core.raster.padding import padded
from evenpalette.core.raster.raster import Encoding, Raster, quantize
from evenpalette.core.recipe.attributes import NORMAL, OPACITY, attribute_named

#: What several files store may take so much beside each other; what one alone needs it always may.
_MOST_BYTES = 512 << 20


@dataclass(frozen=True)
class PlannedFile:
    """One file before it is made. name: with its ending."""

    name: str
    file: LayoutFile
    sheet: str
    variant: str | None
    size: tuple[int, int]


def planned_files(
    state: State, layout: Layout, variants: Sequence[str] | None = None, longest: int = 0
) -> list[PlannedFile]:
    """Every file that a layout makes of a project. variants: ids, None is all. longest: side of those that say no size.
    Raises LayoutError where two have one name."""
    chosen = [v for v in state.project.variants if variants is None or v.id in variants]
    named: list[tuple[str | None, str]] = [(v.id, v.name) for v in chosen] or [(None, DEFAULTS)]
    made: list[PlannedFile] = []
    for file in layout.files:
        for sheet in state.project.sheets:
            on = state.on(sheet.id)
            size = file_size(on, file, longest)
            words = {"project": safe_name(state.project.name), "sheet": safe_name(sheet.name), "size": str(max(size))}
            for more, variant in _each(on, file, named):
                said = words | {key: safe_name(value) for key, value in more.items()}
                filled = filled_for(file, more)
                made.append(
                    PlannedFile(filled_in(file.name, said) + ENDINGS[file.format], filled, sheet.id, variant, size)
                )
            if file.per == "once" and "{sheet}" not in file.name:
                break
    names: dict[str, str] = {}
    for planned in made:
        plain = planned.name.lower()
        if "{" in plain or "/" in plain or "\\" in plain or plain.startswith("."):
            raise LayoutError(f"'{planned.name[:80]}' is no plain file name. A layout writes into one folder.")
        if plain in names:
            raise LayoutError(
                f"Two files would be called '{planned.name}'. Put {{variant}}, {{sheet}}, {{region}} or {{size}} into the name."
            )
        names[plain] = planned.name
    return made


def _each(
    state: State, file: LayoutFile, named: list[tuple[str | None, str]]
) -> Iterator[tuple[dict[str, str], str | None]]:
    """The placeholders' words of each file that a line makes on a sheet, and its variant."""
    first = named[0]
    if file.per == "variant":
        yield from (({"variant": name}, key) for key, name in named)
    elif file.per == "region":
        for division in state.project.regions.divisions:
            yield from (
                ({"region": r.name, "division": division.name, "variant": first[1]}, first[0]) for r in division.regions
            )
    elif file.per == "division":
        yield from (({"division": d.name, "variant": first[1]}, first[0]) for d in state.project.regions.divisions)
    else:
        yield {"variant": first[1]}, first[0]


def filled_for(file: LayoutFile, words: dict[str, str]) -> LayoutFile:
    """The line with region and division filled into its sources."""
    channels = tuple(c.model_copy(update={"source": filled_in(c.source, words)}) for c in file.channels)
    return file.model_copy(update={"channels": channels})


def file_size(state: State, file: LayoutFile, longest: int = 0) -> tuple[int, int]:
    """(width, height) of a file on the state's sheet. longest: side of those that say no size."""
    if isinstance(file.size, float):
        width, height = delivered_size(state, 0)
        return max(1, round(width * file.size)), max(1, round(height * file.size))
    return delivered_size(state, file.size or longest)


def write_files(
    state: State, planned: list[PlannedFile], folder: Path, former: Former, workers: int = 0, progress: Progress = no_progress
) -> None:  # fmt: skip
    """Make files and write them into a folder, but for those that lie there already and were made from the same.
    Raises LayoutError, ImageFileError, OSError."""
    new: list[PlannedFile] = []
    for one in planned:
        inputs = fingerprint(state.on(one.sheet), one.variant, "layout", one.size, one.file.model_dump_json())
        if former.take([one.name], inputs) is None:
            former.note(one.name, inputs)
            new.append(one)
    count = max(1, len({(one.sheet, one.variant, one.size) for one in new}))
    for done, (some, surface) in enumerate(_by_surface(state, new, workers)):
        for together in _within_memory(some):
            made = all_layers(surface, [one.file for one in together])
            for one in together:
                (folder / one.name).write_bytes(content_of(surface, one.file, made.pop(0)))
        progress((done + 1) / count)


def _within_memory(planned: Sequence[PlannedFile]) -> Iterator[list[PlannedFile]]:
    """Files of one surface, together as far as what they store has room beside each other."""
    some: list[PlannedFile] = []
    held = 0
    for one in planned:
        size = one.size[0] * one.size[1] * sum(len(c.to) for c in one.file.channels) * stored_kind(one.file).itemsize
        if some and held + size > _MOST_BYTES:
            yield some
            some, held = [], 0
        some.append(one)
        held += size
    if some:
        yield some


def by_surface(planned: Sequence[PlannedFile]) -> dict[tuple[str, str | None, tuple[int, int]], list[PlannedFile]]:
    """Files by the sheet, the variant and the size that they are made of: those are evaluated together."""
    groups: dict[tuple[str, str | None, tuple[int, int]], list[PlannedFile]] = {}
    for one in planned:
        groups.setdefault((one.sheet, one.variant, one.size), []).append(one)
    return groups


def _by_surface(state: State, planned: list[PlannedFile], workers: int) -> Iterator[tuple[list[PlannedFile], Surface]]:
    """Files that are made of the same variant, sheet and size, together."""
    for (sheet, variant, size), some in by_surface(planned).items():
        yield some, Surface(state.on(sheet), variant, size, workers)


class _Filling:
    """Pixels of a file that are filled some rows at a time, (height, width, channels) in a dtype: whole numbers rounded
    to the nearest, floats as they are; letters that nothing fills are 0, alpha 1. Raises LayoutError."""

    def __init__(self, surface: Surface, file: LayoutFile, dtype: np.dtype) -> None:
        self._surface, self._file = surface, file
        try:
            self._taken = [(channel, channel_rows(surface, file, channel)) for channel in file.channels]
        except LayoutError as error:
            raise LayoutError(f"The layout's file {file.name}: {error}") from error
        self.height, self.width, _ = self._taken[0][1].shape
        for channel, rows in self._taken:
            if rows.shape[:2] != (self.height, self.width):
                raise LayoutError(f"'{channel.source}' has another size than the rest of the file '{file.name}'.")
        self._made = np.zeros((self.height, self.width, file.channel_count), dtype)
        self._made[..., 3:] = 1 if dtype.kind == "f" else np.iinfo(dtype).max

    def take(self, part: slice) -> None:
        """Fill these rows of the surface; of a file of another size, all of it."""
        if (self.width, self.height) != self._surface.size:
            part = slice(0, self.height if part.start == 0 else 0)
        dtype = self._made.dtype
        for channel, rows in self._taken:
            values = rows.of(part)
            letters = ["rgba".index(letter) for letter in channel.to]
            self._made[part, :, letters] = values if dtype.kind == "f" else quantize(values, dtype)

    def pixels(self) -> NDArray:
        """What was filled, the gutter of the islands too where the file wants it."""
        padding = self._file.padding
        if isinstance(padding, int) and padding > 0:
            return padded(self._made, self._surface.state.used_at((self.width, self.height)), padding)
        return self._made


def all_layers(
    surface: Surface, files: Sequence[LayoutFile], kind: DTypeLike | None = None
) -> list[dict[str, NDArray]]:
    """The pixels of each layer of files, (height, width, channels), as the files store them or in another dtype; made
    beside each other. Raises LayoutError."""
    surface.prepare(files)
    made = [
        {name: _Filling(surface, part, np.dtype(kind or stored_kind(file))) for name, part in parts_of(file).items()}
        for file in files
    ]
    for part in surface.strips():
        for layers in made:
            for filling in layers.values():
                filling.take(part)
    return [{name: filling.pixels() for name, filling in layers.items()} for layers in made]


def file_layers(surface: Surface, file: LayoutFile) -> dict[str, NDArray]:
    """The pixels of each layer of a file as it stores them. Raises LayoutError."""
    return all_layers(surface, [file])[0]


def file_pixels(surface: Surface, file: LayoutFile) -> NDArray[np.float32]:
    """What the first layer of a file holds before it is rounded, float32 (height, width, channels). Raises
    LayoutError."""
    return next(iter(all_layers(surface, [file], np.float32)[0].values()))


def stored_kind(file: LayoutFile) -> np.dtype:
    """The dtype of a file's numbers."""
    if file.format == "exr":
        return np.dtype(np.float16 if file.bits == 16 else np.float32)
    return np.dtype(np.float32 if is_float(file) else np.uint8 if file.bits == 8 else np.uint16)


def parts_of(file: LayoutFile) -> dict[str, LayoutFile]:
    """A file for each layer of a file, by the layer's name."""
    return {name: file.model_copy(update={"channels": channels}) for name, channels in file.by_layer().items()}


def content_of(surface: Surface, file: LayoutFile, layers: Mapping[str, NDArray]) -> bytes:
    """The bytes of a file of its `file_layers`. Raises ImageFileError."""
    if file.format == "exr":
        return encode_exr_layers(layers, half=file.bits == 16)
    stored = next(iter(layers.values()))
    srgb = is_srgb(surface.state, file)
    if file.format in ("dds", "ktx2"):
        levels = stored_levels(_levels(surface, file, stored, srgb=srgb), srgb=srgb, compression=file.compression)
        return dds_bytes(levels) if file.format == "dds" else ktx2_bytes(levels, zstd=file.zstd)
    encoding = Encoding.SRGB if srgb else Encoding.DATA
    if stored.shape[2] == 2:
        # Pictures have gray with alpha, or three colors: two channels are two colors.
        stored = np.concatenate([stored, np.zeros_like(stored[..., :1])], 2)
    if file.format == "tga":
        from PIL import Image

        stream = io.BytesIO()
        Image.fromarray(stored[..., 0] if stored.shape[2] == 1 else stored).save(stream, "TGA", compression="tga_rle")
        return stream.getvalue()
    return encode_image(Raster(np.ascontiguousarray(stored), encoding), ENDINGS[file.format])


def _levels(surface: Surface, file: LayoutFile, stored: NDArray, *, srgb: bool) -> list[NDArray]:
    """The mip levels of a file in the numbers that it stores."""
    if not file.mips:
        return [stored]
    if stored.shape[2] == 3:
        stored = np.concatenate(
            [stored, np.full_like(stored[..., :1], 1 if is_float(file) else np.iinfo(stored.dtype).max)], 2
        )
    encoding = Encoding.SRGB if srgb else Encoding.DATA if not is_float(file) else Encoding.LINEAR
    chain = mip_chain(Raster(np.ascontiguousarray(stored), encoding), _kind(surface, file))
    return [level.pixels[..., : file.channel_count] for level in chain.levels]


def _kind(surface: Surface, file: LayoutFile) -> MipKind:
    """How levels are averaged: vectors stay of unit length, what is cut out keeps its share."""
    for channel in file.channels:
        source = Source(channel.source)
        if source.kind != "attribute":
            continue
        key = attribute_named(source.name).key
        if key == NORMAL and channel.to == "rgb" and not channel.invert and channel.range is None:
            return MipKind.NORMAL
        if key == OPACITY and channel.to == "a" and surface.state.sheet.opacity is OpacityUse.CUT_OUT:
            return MipKind.CUT_OUT
    return MipKind.PLAIN
