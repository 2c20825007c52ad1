"""What a recipe reads, as instructions: stored texels are decoded a block at a time; what is placed, looked up or of
another form is read for the tile, and copied."""

from collections.abc import Callable, Mapping, Sequence

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.color.encoding import DECODE_8BIT
from evenpalette.core.raster.box import Box
from evenpalette.core.raster.raster import Encoding, Raster
from evenpalette.core.raster.reading import channel_index
from evenpalette.core.recipe import texels
from evenpalette.core.recipe.attributes import BASE_COLOR, NORMAL
from evenpalette.core.recipe.binding import BoundRow, BoundStep
from evenpalette.core.recipe.blocks import Line
from evenpalette.core.recipe.instructions import Instructions, Need
from evenpalette.core.recipe.kind import UV, MapInput, Planes
from evenpalette.core.recipe.sources import Sources, Start, TileReads


class BlockReads:
    """Reads of one stretch of instructions; what several rows read alike is read once."""

    def __init__(self, sources: Sources, do: Instructions) -> None:
        self._sources, self._do = sources, do
        self._read: dict[tuple, tuple[list[Line], Need]] = {}

    def forget(self) -> None:
        """Another stretch begins: lines hold one block, and it begins with the first one again."""
        self._read.clear()

    def _reading(self, key: tuple, row: BoundRow, count: int, read: Callable[[list[Line], Need], None]) -> list[Line]:
        """Lines that are read once for all rows that read the same."""
        regions = {None} if row.regions is None else set(row.regions)
        if key not in self._read:
            self._read[key] = self._do.held.lines(count), self._do.need()
            read(*self._read[key])
        lines, need = self._read[key]
        need.regions.update(regions)
        return lines

    def begin(self, attribute: str, lines: Sequence[Line], *, is_read: bool) -> None:
        """What an attribute begins with, into lines. is_read: whether anybody looks at it."""
        if not is_read:
            # Something replaces it everywhere before anybody looks.
            for one in lines:
                self._do.emit(texels.fill, [0.0], [one])
            return
        constant = self._sources.constant(attribute)
        if attribute == BASE_COLOR and _is_read_in_blocks(self._sources.base):
            self._whole(self._sources.base, lines, None)
            return
        start = self._sources.starts.get(attribute)
        if constant is None and start is not None and not start.as_color:
            raster = self._sources.fitted(self._sources.textures[start.texture])
            if raster.pixels.dtype == np.uint8:
                self._channels_of(start, raster, lines, is_normal=attribute == NORMAL)
                return
        for k, one in enumerate(lines):
            if constant is not None:
                self._do.emit(texels.fill, [constant[k]], [one])
            else:
                self._do.from_tile(
                    texels.copy, (), 4, [one], (), None, _plane_of(k, lambda reads: reads.start(attribute))
                )

    def _channels_of(self, start: Start, raster: Raster, lines: Sequence[Line], *, is_normal: bool) -> None:
        factors = (*start.factor, *[1.0] * len(lines))[: len(lines)]
        if not is_normal:
            for one, channel, factor in zip(lines, start.channels, factors, strict=True):
                self._channel(raster, channel, one, None, factor=factor)
            return
        vectors = [*lines, *self._do.held.lines(1)]
        for one, channel in zip(vectors, start.channels, strict=True):
            self._channel(raster, channel, one, None)
        self._do.emit(texels.slopes, factors, vectors)

    def _whole(self, raster: Raster, lines: Sequence[Line], need: Need | None) -> None:
        """Linear red, green and blue."""
        is_color = raster.encoding is Encoding.SRGB
        if raster.channels < 3:
            for one in lines[:3]:
                self._channel(raster, 0, one, need)
            return
        self._do.from_tile(
            texels.read_color if is_color else texels.read_three, DECODE_8BIT if is_color else (), raster.channels,
            lines[:3], [raster.channels], need, lambda box, _: cut(raster.pixels, box),
        )  # fmt: skip

    def _channel(
        self,
        raster: Raster,
        channel: int,
        out: Line,
        need: Need | None,
        *,
        inverted: bool = False,
        factor: float = 1.0,
    ) -> None:
        index, unit = channel_index(raster.channels, channel), factor / 255
        if index < 0:
            self._do.emit(texels.fill, [0.0 if inverted else factor], [out])
            return
        factors = (-unit, 1.0) if inverted else (unit, 0.0)
        self._do.from_tile(
            texels.read_channel, factors, raster.channels, [out], [raster.channels, index], need,
            lambda box, _: cut(raster.pixels, box),
        )  # fmt: skip

    def _map(self, map_: MapInput, step: BoundStep, row: BoundRow) -> list[Line]:
        """The lines of what a row reads through a map."""
        read = row.maps.get(map_.key)
        texture = self._sources.textures.get(read.texture) if read is not None else None
        if read is None or texture is None:
            return [self._do.held.filled(value) for value in map_.neutral]
        is_plain = read.placement.is_plain and not (map_.looks_up or map_.cells) and texture.pixels.dtype == np.uint8
        if read.channel is None:
            is_plain = is_plain and not read.invert and _is_read_in_blocks(texture)
        if not is_plain:
            return self._map_of_tile(map_, step, row)

        def lay(lines: list[Line], need: Need) -> None:
            if read.channel is not None:
                raster = self._sources.fitted(texture.with_encoding(Encoding.DATA))
                self._channel(raster, read.channel, lines[0], need, inverted=read.invert)
                return
            raster = self._sources.fitted(texture)
            self._whole(raster, lines, need)
            self._channel(raster, 3, lines[3], need)

        return self._reading((read, map_.whole), row, map_.planes, lay)

    def _map_of_tile(self, map_: MapInput, step: BoundStep, row: BoundRow) -> list[Line]:
        planes = _once(lambda reads: reads.of(step, row, (map_.key,))[map_.key])

        def lay(lines: list[Line], need: Need) -> None:
            for k, one in enumerate(lines):
                self._do.from_tile(texels.copy, (), 4, [one], (), need, _plane_of(k, planes))

        return self._reading((id(step), id(row), map_.key), row, map_.planes, lay)

    def _uv(self, row: BoundRow) -> list[Line]:
        def lay(lines: list[Line], need: Need) -> None:
            for k, one in enumerate(lines):
                self._do.from_tile(texels.copy, (), 4, [one], (), need, _plane_of(k, TileReads.places))

        return self._reading((UV,), row, 2, lay)

    def taken(
        self, wanted: Sequence[tuple[str, int]], step: BoundStep, row: BoundRow, seen: Mapping[str, Sequence[Line]]
    ) -> list[Line]:
        """The lines that a kernel takes besides those that it works on."""
        found: list[Line] = []
        for key, count in wanted:
            lines = (
                seen[key] if key in seen else self._uv(row) if key == UV else self._map(step.kind.map(key), step, row)
            )
            found += lines[:count]
        return found


def _is_read_in_blocks(raster: Raster) -> bool:
    return raster.pixels.dtype == np.uint8 and (raster.encoding is not Encoding.SRGB or raster.channels >= 3)


def cut(pixels: NDArray, box: Box) -> NDArray:
    """What of stored texels (height, width, ...) lies in a box, without gaps."""
    left, top, right, bottom = box
    return np.ascontiguousarray(pixels[top:bottom, left:right])


def _plane_of(k: int, planes: Callable[[TileReads], Planes]) -> Callable[[Box, TileReads], NDArray]:
    return lambda _box, reads: planes(reads)[k]


def _once(planes: Callable[[TileReads], Planes]) -> Callable[[TileReads], Planes]:
    """The planes of a tile, found once for all that ask for one of them."""
    last: list[tuple[TileReads, Planes]] = []

    def found(reads: TileReads) -> Planes:
        if not last or last[0][0] is not reads:
            last[:] = [(reads, planes(reads))]
        return last[0][1]

    return found
