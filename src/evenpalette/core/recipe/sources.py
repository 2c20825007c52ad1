"""Everything that a recipe reads, and how one tile of it is read."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import field, replace
from threading import Lock

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.color.encoding import DECODE_8BIT, F32, decode_srgb
from evenpalette.core.dataclass import dataclass
from evenpalette.core.kernels import njit
from evenpalette.core.raster.box import Box
from evenpalette.core.raster.raster import Encoding, Raster
from evenpalette.core.raster.reading import channel_values, derived, plane_at, unit_values
from evenpalette.core.raster.sampling import read_placed
from evenpalette.core.raster.stochastic_tiling import Cells
from evenpalette.core.raster.strips import color_table, levels_of
from evenpalette.core.recipe.attributes import ATTRIBUTES, BASE_COLOR, NORMAL, STEEPEST
from evenpalette.core.recipe.binding import BoundRow, BoundStep, MapRead
from evenpalette.core.recipe.kind import CELLS, UV, MapInput, Planes
from evenpalette.core.recipe.weights import Sharing
from evenpalette.core.regions.overlap import Overlap
from evenpalette.core.scratch import filled, scratch


@dataclass(frozen=True)
class Start:
    """What an attribute begins with: channels of a texture (0 red .. 3 alpha), three of a normal map, times a factor.

    texture: its id, '' for the factor alone. as_color: its values are decoded to linear light. factor: one number for
    each plane of the attribute, () for none.
    """

    texture: str
    channels: tuple[int, ...] = ()
    as_color: bool = False
    factor: tuple[float, ...] = ()


def _as_it_is(raster: Raster) -> Raster:
    return raster


@dataclass(frozen=True, eq=False)
class Sources:
    """Everything a recipe reads, by name.

    base: the tone (one channel, data) or a color texture. coverages: uint8 (height, width) planes in region order,
    division after division. sharings: the divisions; by default one, exclusive, of all coverages. textures: what
    steps name, as they are. starts: what attributes besides the base color begin with; the others are neutral.
    fitted: brings a texture onto the grid of texels that is worked on. frame: (width, height, left, top), where this
    grid lies in the whole picture, over which uv goes from 0 to 1; None is all of it. fits: the size that everything
    was brought to, None for none.
    """

    base: Raster
    coverages: Sequence[NDArray[np.uint8]] = ()
    sharings: Sequence[Sharing] = ()
    textures: Mapping[str, Raster] = field(default_factory=dict)
    starts: Mapping[str, Start] = field(default_factory=dict)
    fitted: Callable[[Raster], Raster] = _as_it_is
    frame: tuple[int, int, int, int] | None = None
    fits: tuple[int, int] | None = None

    @property
    def divisions(self) -> Sequence[Sharing]:
        """The divisions, the default one included."""
        return self.sharings or (Sharing(Overlap.EXCLUSIVE, len(self.coverages)),)

    @property
    def size(self) -> tuple[int, int]:
        """The working size: the largest width and height among the base and the coverages."""
        sizes = [self.base.size, *((plane.shape[1], plane.shape[0]) for plane in self.coverages)]
        return max(w for w, _ in sizes), max(h for _, h in sizes)

    def at_point(self, u: float, v: float) -> "Sources":
        """The nearest texel of every source under (u, v), as sources of one texel: what a read-out needs, at any
        size."""

        def cut(pixels: NDArray) -> NDArray:
            height, width = pixels.shape[:2]
            y, x = min(height - 1, max(0, int(v * height))), min(width - 1, max(0, int(u * width)))
            return np.ascontiguousarray(pixels[y : y + 1, x : x + 1])

        width, height = self.size
        return replace(
            self, base=Raster(cut(self.base.pixels), self.base.encoding), coverages=[cut(c) for c in self.coverages],
            fitted=lambda raster: Raster(cut(raster.pixels), raster.encoding),
            frame=(width, height, min(width - 1, max(0, int(u * width))), min(height - 1, max(0, int(v * height)))), fits=None,
        )  # fmt: skip

    def at_size(self, width: int, height: int) -> "Sources":
        """The same sources resampled: bilinear up, area-averaged down. What was made is remembered for a while."""
        size = (width, height)
        if self.fits == size:
            return self
        return replace(
            self, base=self.base.resized(width, height), coverages=[plane_at(plane, size) for plane in self.coverages],
            fitted=lambda raster: raster.resized(width, height), frame=None, fits=size,
        )  # fmt: skip

    def constant(self, attribute: str) -> tuple[float, ...] | None:
        """What an attribute begins with where that is the same everywhere; None where a texture says it."""
        start = self.starts.get(attribute)
        if attribute == BASE_COLOR or (start is not None and start.texture in self.textures):
            return None
        described = ATTRIBUTES[attribute]
        return described.neutral if start is None or start.texture else tuple(start.factor[: described.planes])

    def held_at_size(self, width: int, height: int) -> "Sources":
        """The same, for evaluation part by part: what is made is held as long as the result is, however large."""
        resampled = self.at_size(width, height)
        known = {id(texture.pixels) for texture in self.textures.values()}
        made: dict[tuple[int, Encoding], Raster] = {}
        lock = Lock()

        def fitted(raster: Raster) -> Raster:
            key = id(raster.pixels), raster.encoding
            if key[0] not in known:
                return resampled.fitted(raster)
            with lock:
                if key not in made:
                    made[key] = resampled.fitted(raster)
                return made[key]

        return replace(resampled, fitted=fitted)


@njit(nogil=True, cache=True)
def _load_srgb8(pixels, table, r, g, b):  # type: ignore[no-untyped-def]
    for i in range(r.size):
        r[i], g[i], b[i] = table[pixels[i, 0]], table[pixels[i, 1]], table[pixels[i, 2]]


def _load_color(pixels: NDArray, encoding: Encoding, out: F32) -> Planes:
    """Linear red, green and blue of texels (n, channels), in out (3, n)."""
    r, g, b = out
    channels = pixels.shape[1]
    if encoding is Encoding.SRGB and pixels.dtype == np.uint8 and channels >= 3:
        _load_srgb8(pixels, DECODE_8BIT, r, g, b)
        return r, g, b
    values = unit_values(pixels[:, : 3 if channels >= 3 else 1])
    values = decode_srgb(values) if encoding is Encoding.SRGB else values
    out[:] = values.T
    return r, g, b


class TileReads:
    """The textures of one tile; each (texture, channel, placement) is read once, and only when it is asked for."""

    def __init__(self, sources: Sources, box: Box) -> None:
        self._sources, self._box = sources, box
        self.texels = (box[2] - box[0]) * (box[3] - box[1])
        self._held: dict[tuple[MapRead, bool, Cells | None], Planes] = {}
        self._uv: Planes | None = None
        self._started: dict[str, Planes] = {}

    def start(self, attribute: str) -> Planes:
        """What an attribute begins with, as planes that may be written to; made once."""
        if attribute not in self._started:
            self._started[attribute] = self._make_start(attribute)
        return self._started[attribute]

    def _make_start(self, attribute: str) -> Planes:
        described = ATTRIBUTES[attribute]
        out = scratch(f"start {attribute}", (max(3, described.planes), self.texels))
        if attribute == BASE_COLOR:
            return _load_color(self._cut(self._sources.base), self._sources.base.encoding, out)
        constant = self._sources.constant(attribute)
        if constant is not None:
            return _filled(out, constant)
        start = self._sources.starts[attribute]
        raster = self._sources.fitted(self._sources.textures[start.texture])
        pixels = self._cut(raster)
        if start.as_color:
            planes: Sequence[F32] = _load_color(pixels, raster.encoding, out)
        else:
            planes = [channel_values(pixels, channel, out[k]) for k, channel in enumerate(start.channels)]
        if attribute == NORMAL:
            planes = _slopes(planes)
        for plane, factor in zip(planes, start.factor, strict=False):
            plane *= np.float32(factor)
        return tuple(planes)

    def of(self, step: BoundStep, row: BoundRow, keys: Sequence[str]) -> dict[str, Planes]:
        """What a row reads through these maps, by key; a map without a texture gives its neutral values."""
        maps = [step.kind.map(key) for key in keys if key != UV]
        found = {m.key: self._looked_up(m, row) if m.looks_up else self._map(m, row) for m in maps}
        return {**found, UV: self.places()} if UV in keys else found

    def places(self) -> Planes:
        """u and v of the texels, float32."""
        if self._uv is None:
            left, top, right, bottom = self._box
            width, height, dx, dy = self._frame
            u = (np.arange(left, right, dtype=np.float32) + np.float32(dx + 0.5)) / np.float32(width)
            v = (np.arange(top, bottom, dtype=np.float32) + np.float32(dy + 0.5)) / np.float32(height)
            self._uv = np.tile(u, bottom - top), np.repeat(v, right - left)
        return self._uv

    @property
    def _frame(self) -> tuple[int, int, int, int]:
        return self._sources.frame or (*self._sources.size, 0, 0)

    def _map(self, map_: MapInput, row: BoundRow) -> Planes:
        read, cells = row.maps.get(map_.key), None
        if read is None or read.texture not in self._sources.textures:
            return tuple(filled(self.texels, value) for value in map_.neutral)
        if map_.cells:
            read, cells = _celled(read, row)
        key = read, map_.whole, cells
        if key not in self._held:
            self._held[key] = self._read(read, scratch(f"read {len(self._held)}", (map_.planes, self.texels)), cells)
        return self._held[key]

    def _looked_up(self, map_: MapInput, row: BoundRow) -> Planes:
        """The colors that an index texture stands for, by a row of a strip or between two: linear red, green, blue,
        alpha."""
        read, strip, textures = row.maps.get(map_.key), row.maps.get(map_.looks_up), self._sources.textures
        if read is None or strip is None or read.texture not in textures or strip.texture not in textures:
            return tuple(filled(self.texels, value) for value in map_.neutral)
        index, colors = textures[read.texture], textures[strip.texture]
        one, other, share = (float(row.values[key]) for key in map_.by)
        table = color_table(colors, int(one), int(other), share)
        if read.invert:
            table = np.ascontiguousarray(table[::-1])
        if index.size == self._sources.size and self._sources.frame is None:
            found = np.take(
                table, levels_of(Raster(self._cut(index)[None], index.encoding), read.channel or 0)[0], axis=0
            )
            return tuple(np.ascontiguousarray(found.T))

        def make() -> NDArray[np.float32]:
            return np.take(table, levels_of(index, read.channel or 0), axis=0)

        what = "looked up", index.encoding, colors.encoding, read.channel, read.invert, int(one), int(other), share
        colored = Raster(derived((index.pixels, colors.pixels), what, make), Encoding.LINEAR)
        return tuple(np.ascontiguousarray(self._cut(self._sources.fitted(colored)).T))

    def _read(self, read: MapRead, out: F32, cells: Cells | None) -> Planes:
        raster = self._sources.textures[read.texture]
        if read.channel is not None:
            raster = raster.with_encoding(Encoding.DATA)
        if cells is not None or not read.placement.is_plain:
            left, top, right, bottom = self._box
            width, height, dx, dy = self._frame
            box = (left + dx, top + dy, right + dx, bottom + dy)
            channels = (0, 1, 2, 3) if read.channel is None else (read.channel,)
            read_placed(raster, read.placement, (width, height), box, channels, out, cells=cells)
        else:
            pixels = self._cut(self._sources.fitted(raster))
            if read.channel is None:
                _load_color(pixels, raster.encoding, out[:3])
                channel_values(pixels, 3, out[3])
            else:
                channel_values(pixels, read.channel, out[0])
        if read.invert:
            np.subtract(np.float32(1), out, out=out)
        return tuple(out)

    def _cut(self, raster: Raster) -> NDArray:
        left, top, right, bottom = self._box
        return raster.pixels[top:bottom, left:right].reshape(-1, raster.channels)


def _celled(read: MapRead, row: BoundRow) -> tuple[MapRead, Cells | None]:
    """A read of one tile of a grid, or of tiles by chance."""
    columns, rows, tile, count, seed, soften = (row.values[key] for key in CELLS)
    everything = int(columns) * int(rows)
    first = min(max(int(tile) - 1, 0), everything - 1)
    cells = Cells(int(columns), int(rows), first, min(int(count), everything), int(seed), float(soften))
    placement = (
        read.placement if everything == 1 else replace(read.placement, tiles=(cells.columns, cells.rows), tile=first)
    )
    return replace(read, placement=placement), None if cells.is_one else cells


def _filled(out: F32, values: Sequence[float]) -> Planes:
    """The first planes of out, one value each."""
    for plane, value in zip(out, values, strict=False):
        plane[:] = value
    return tuple(out[: len(values)])


def _slopes(vectors: Sequence[F32]) -> Planes:
    """x / z and y / z of vectors stored as 0..1, in place in the first two planes; steep ones are held at 89
    degrees."""
    x, y, z = vectors
    z *= 2
    z -= 1
    np.maximum(z, np.float32(STEEPEST), out=z)
    for plane in (x, y):
        plane *= 2
        plane -= 1
        plane /= z
    return x, y
