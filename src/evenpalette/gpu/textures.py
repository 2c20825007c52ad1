"""Rasters on the GPU, uploaded once each; large ones strip by strip, with a coarse stand-in until they are there."""

import time
from collections.abc import Callable, Mapping, Sequence
from concurrent.futures import Future

import moderngl
import numpy as np
from numpy.typing import NDArray

from evenpalette.core.color.encoding import decode_srgb_8bit_half
from evenpalette.core.raster.box import Box, joined
from evenpalette.core.raster.mips import MipKind, halved, mip_chain, next_level
from evenpalette.core.raster.packing import packed
from evenpalette.core.raster.raster import Encoding, Raster
from evenpalette.gpu.elsewhere import Elsewhere
from evenpalette.gpu.mip_levels import Space, free, make_room, read_level, texture_in, write_level
from evenpalette.gpu.software import draws_by

#: Bilinear within the nearest mip level: half the reads of trilinear, which counts where the CPU draws.
SMOOTH = (moderngl.LINEAR_MIPMAP_NEAREST, moderngl.LINEAR)
#: Texels as squares when seen from near.
SQUARE = (moderngl.LINEAR_MIPMAP_NEAREST, moderngl.NEAREST)
#: Rasters with more texels than this are staged.
LARGE_TEXELS = 2048 * 2048
_STAND_IN_TEXELS = 512
_STRIP_TEXELS = 1 << 19
#: Mip levels below the first that a patch makes from the texels of its own box.
_EXACT_LEVELS = 4
_SRGB8, _SRGB8_ALPHA8 = 0x8C41, 0x8C43
_DTYPES = {np.dtype(np.uint8): "f1", np.dtype(np.uint16): "nu2", np.dtype(np.float32): "f4", np.dtype(np.float16): "f2"}


class Upload:
    """A texture on its way to the GPU, level by level. It answers with linear light for color and with the stored
    values for data."""

    def __init__(self, ctx: moderngl.Context, raster: Raster, kind: MipKind = MipKind.PLAIN) -> None:
        self._ctx, self._raster, self._row, self._level, self._kind = ctx, raster, 0, 0, kind
        # Levels that keep a share need the whole; the others are made strip by strip.
        self._chain = mip_chain(raster, kind).levels if kind is MipKind.CUT_OUT else None
        self._halved: list[Raster] = []
        internal = None
        self._as_linear = False
        if raster.encoding is Encoding.SRGB:
            if raster.pixels.dtype == np.uint8 and raster.channels >= 3 and _decodes_exactly(ctx):
                internal = _SRGB8 if raster.channels == 3 else _SRGB8_ALPHA8
            else:
                self._as_linear = True
        dtype = "f2" if self._as_linear else _DTYPES[raster.pixels.dtype]
        self.room = Space(raster.size, raster.channels, dtype, internal)
        self.texture: moderngl.Texture | None = None

    def begin(self, name: int) -> None:
        """Take a texture that was made as `room` asks."""
        self.texture = texture_in(self._ctx, name, self.room)
        if self.room.components == 1:
            self.texture.swizzle = "RRR1"
        elif self.room.components == 2:
            self.texture.swizzle = "RRRG"
        self.texture.repeat_x = self.texture.repeat_y = True

    def step(self) -> bool:
        """Send the next strip; True when all is there."""
        assert self.texture is not None
        width, height = self._raster.size
        stop = min(height, self._row + max(2, _STRIP_TEXELS // width // 2 * 2))
        strip = Raster(self._raster.pixels[self._row : stop], self._raster.encoding)
        self._send(strip)
        strips_halve = width % 2 == 0 and height % 2 == 0 and self._chain is None
        if strips_halve:
            self._halved.append(next_level(strip, self._kind))
        self._row = stop
        if stop < height:
            return False
        if max(width, height) == 1:
            self.texture.filter = SMOOTH
            return True
        self._level, self._row = self._level + 1, 0
        if self._chain is not None:
            self._raster = self._chain[self._level]
        elif strips_halve:
            pixels = [part.pixels for part in self._halved]
            self._raster = Raster(pixels[0] if len(pixels) == 1 else np.concatenate(pixels), self._raster.encoding)
        else:
            self._raster = next_level(self._raster, self._kind)
        self._halved = []
        return False

    def _send(self, strip: Raster) -> None:
        rows = _as_half(strip) if self._as_linear else strip.pixels
        assert self.texture is not None
        write_level(self.texture, self._level, rows, 0, self._row)


def _as_half(color: Raster) -> NDArray[np.float16]:
    """Linear light of a raster of color."""
    if color.pixels.dtype == np.uint8 and color.channels in (1, 3):
        return decode_srgb_8bit_half(color.pixels)
    return color.as_linear().astype(np.float16)


def upload(ctx: moderngl.Context, raster: Raster, kind: MipKind = MipKind.PLAIN) -> moderngl.Texture:
    """The whole raster at once, with all its levels."""
    made = Upload(ctx, raster, kind)
    made.begin(make_room(made.room))
    while not made.step():
        pass
    assert made.texture is not None
    return made.texture


def _decodes_exactly(ctx: moderngl.Context) -> bool:
    """Software drivers approximate the sRGB decoding by up to a code; they get linear half floats instead."""
    return not draws_by(ctx)


#: A region, and the plane of its coverage, uint8 (h, w).
Named = tuple[str, NDArray[np.uint8]]


def _planes_key(named: Sequence[Named]) -> tuple:
    """The regions, and which versions of their planes."""
    return tuple(region for region, _ in named), *(id(plane) for _, plane in named)


class TextureCache:
    """Textures of rasters, and of the coverages of regions, each in the versions that were drawn; the least recently
    used go first. A version is told by the array, which nobody changes but whoever says so with `patch`."""

    def __init__(self, ctx: moderngl.Context, longest: int = 48, elsewhere: Elsewhere | None = None) -> None:
        self._ctx, self._longest, self._elsewhere = ctx, longest, elsewhere
        self._coming: tuple[tuple, Callable[[], tuple[Upload, int]], Future[tuple[Upload, int]] | None] | None = None
        self._held: dict[tuple, tuple[tuple, moderngl.Texture]] = {}
        self._staged: dict[tuple, tuple[Callable[[], Raster], MipKind]] = {}
        self._running: tuple[tuple, Upload] | None = None

    def of(self, raster: Raster, kind: MipKind = MipKind.PLAIN) -> moderngl.Texture:
        """The texture of a raster; a coarse stand-in while a large one is staged."""
        large = raster.width * raster.height > LARGE_TEXELS
        key = ((), id(raster.pixels), raster.encoding, kind)
        return self._get(key, (raster.pixels,), large, lambda coarse: _coarse(raster, coarse), kind)

    def of_planes(self, named: Sequence[Named]) -> moderngl.Texture:
        """Up to four coverage planes, each with its region, as one RGBA texture.

        Where a texture of the same regions is held that differs little, only that is sent, as after a stroke or its
        undo.
        """
        key, planes = _planes_key(named), [plane for _, plane in named]
        if key not in self._held:
            self._take_over(key, planes)

        def make(coarse: bool) -> Raster:
            stride = max(1, max(planes[0].shape) // _STAND_IN_TEXELS) if coarse else 1
            return Raster(packed([plane[::stride, ::stride] for plane in planes]), Encoding.DATA)

        large = planes[0].size > LARGE_TEXELS
        return self._get(key, tuple(planes), large, make)

    def _take_over(self, key: tuple, planes: list[NDArray[np.uint8]]) -> None:
        """Make the texture held of the same regions that has the most of these planes theirs, where little differs."""

        def alike(old: tuple) -> int:
            return sum(a is b for a, b in zip(self._held[old][0], planes, strict=True))

        best = max((old for old in self._held if old[0] == key[0]), key=alike, default=None)
        if best is None or alike(best) < min(1, len(planes) - 1):
            return
        owners, texture = self._held[best]
        if owners[0].shape != planes[0].shape or texture.size != planes[0].shape[::-1]:
            return
        box = _differs(owners, planes)
        if box is None or (box[2] - box[0]) * (box[3] - box[1]) <= planes[0].size // 4:
            self._held[key] = tuple(planes), self._held.pop(best)[1]
            if box is not None:
                self._send(key, [box])

    def adopt(self, copies: Mapping[str, tuple[NDArray[np.uint8], NDArray[np.uint8]]]) -> None:
        """Textures of these regions that are of the first plane of each are of the second, its copy, from now on."""
        for key in [key for key in self._held if any(region in copies for region in key[0])]:
            if key in self._staged or any(one is not None and one[0] == key for one in (self._coming, self._running)):
                continue  # What is on its way is of the old planes: the new ones are compared with it later.
            owners, texture = self._held.pop(key)
            taken = [
                copies[region][1] if region in copies and copies[region][0] is owner else owner
                for region, owner in zip(key[0], owners, strict=True)
            ]
            self._held[_planes_key(list(zip(key[0], taken, strict=True)))] = tuple(taken), texture

    def patch(self, named: Sequence[Named], boxes: Sequence[Box]) -> None:
        """Send boxes of texels of the regions' planes again, in every mip level, where they are held."""
        self._send(_planes_key(named), boxes)

    def _send(self, key: tuple, boxes: Sequence[Box]) -> None:
        planes, texture = self._held.get(key, ((), None))
        if texture is None or texture.size != planes[0].shape[::-1]:
            return
        (height, width), step = planes[0].shape, 1 << _EXACT_LEVELS
        if width % step or height % step:
            data, level = packed(planes), 0
            write_level(texture, 0, data)
            while max(data.shape[:2]) > 1:
                data, level = halved(Raster(data, Encoding.DATA)).pixels, level + 1
                write_level(texture, level, data)
            return
        for box in boxes:
            left, top = box[0] // step * step, box[1] // step * step
            right, bottom = min(width, -(-box[2] // step) * step), min(height, -(-box[3] // step) * step)
            data = packed([plane[top:bottom, left:right] for plane in planes])
            for level in range(_EXACT_LEVELS + 1):
                write_level(texture, level, data, left >> level, top >> level)
                if level < _EXACT_LEVELS:
                    data = halved(Raster(data, Encoding.DATA)).pixels
        # The few texels of the coarser levels are made from the last exact one as a whole.
        data, level = read_level(texture, _EXACT_LEVELS), _EXACT_LEVELS
        while max(data.shape[:2]) > 1:
            data, level = halved(Raster(data, Encoding.DATA)).pixels, level + 1
            write_level(texture, level, data)

    def magnify(self, filter: tuple[int, int]) -> None:
        """Set how all textures are seen from near: SMOOTH or SQUARE."""
        for _, texture in self._held.values():
            if texture.filter != filter:
                texture.filter = filter

    @property
    def is_waiting(self) -> bool:
        """Whether large textures are still on their way."""
        return bool(self._staged) or self._coming is not None or self._running is not None

    def continue_uploads(self, seconds: float) -> bool:
        """Go on with large textures for about so long; True when one of them took its stand-in's place."""
        end, arrived = time.monotonic() + seconds, False
        while self.is_waiting and time.monotonic() < end:
            if self._running is None:
                self._running = self._next()
                if self._running is None:
                    return arrived
            key, made = self._running
            if made.step():
                assert made.texture is not None
                self._running = None
                if key in self._held:
                    owners, stand_in = self._held[key]
                    self._held[key] = owners, made.texture
                    free(stand_in)
                    arrived = True
                else:
                    free(made.texture)
        return arrived

    def _next(self) -> "tuple[tuple, Upload] | None":
        """The next large texture, with room for its levels. What makes it is done elsewhere, where that can be: None
        while it is on its way."""
        if self._coming is None:
            key = next(iter(self._staged))
            make, kind = self._staged.pop(key)

            def begun() -> tuple[Upload, int]:
                made = Upload(self._ctx, make(), kind)
                return made, make_room(made.room)

            self._coming = key, begun, self._elsewhere(begun) if self._elsewhere is not None else None
        key, begun, future = self._coming
        if future is not None and not future.done():
            return None
        self._coming = None
        upload, name = begun() if future is None or future.exception() else future.result()
        upload.begin(name)
        return key, upload

    def _get(
        self, key: tuple, owners: tuple, large: bool, make: Callable[[bool], Raster], kind: MipKind = MipKind.PLAIN
    ) -> moderngl.Texture:
        if key in self._held:
            self._held[key] = self._held.pop(key)
            return self._held[key][1]
        texture = upload(self._ctx, make(large), kind)
        if large:
            self._staged[key] = (lambda: make(False)), kind
        # The arrays are kept, so that their ids are not given to others while the texture lives.
        self._held[key] = (owners, texture)
        while len(self._held) > self._longest:
            free(self._held.pop(next(iter(self._held)))[1])
        return texture


def _differs(a: tuple, b: list[NDArray[np.uint8]]) -> Box | None:
    """The box in which planes differ, None where they are equal."""
    found = None
    for old, new in zip(a, b, strict=True):
        if old is new:
            continue
        different = old != new
        rows, columns = np.flatnonzero(different.any(1)), np.flatnonzero(different.any(0))
        if len(rows):
            box = (int(columns[0]), int(rows[0]), int(columns[-1]) + 1, int(rows[-1]) + 1)
            found = box if found is None else joined(found, box)
    return found


def _coarse(raster: Raster, coarse: bool) -> Raster:
    return raster.sampled(_STAND_IN_TEXELS) if coarse else raster
