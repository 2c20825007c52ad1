"""PNG (W3C, third edition): 8 and 16 bits."""

import struct
import zlib

import cv2
import numpy as np
from numpy.typing import NDArray

from evenpalette.core.errors import ImageFileError
from evenpalette.core.raster.image_header import Allow, check_header, png_header
from evenpalette.core.raster.picture_format import PictureFormat
from evenpalette.core.raster.png_write import png_bytes
from evenpalette.core.raster.raster import Raster, quantize

_MARK = b"\x89PNG\r\n\x1a\n"
#: More chunks than any writer makes only cost time.
_MOST_CHUNKS = 500_000
_ROWS_AT_ONCE = 256


def _decode_png(content: bytes, name: str, allow: Allow) -> NDArray:
    """Check every chunk first: the decoder would silently leave the rest of a cut file black."""
    check_header(png_header(content, name), name, allow)
    position, ended = 8, False
    for _ in range(_MOST_CHUNKS):
        if position + 12 > len(content):
            break
        length, kind = struct.unpack(">I4s", content[position : position + 8])
        if position + 12 + length > len(content):
            break
        if kind == b"IHDR" and position != 8:
            raise ImageFileError(f"{name} is damaged: it has two headers.")
        stored = struct.unpack(">I", content[position + 8 + length : position + 12 + length])[0]
        if zlib.crc32(memoryview(content)[position + 4 : position + 8 + length]) != stored:
            raise ImageFileError(f"{name} is damaged: a part of it does not match its checksum.")
        position += 12 + length
        if kind == b"IEND":
            ended = True
            break
    if not ended:
        raise ImageFileError(f"{name} is cut short: the end of the PNG is missing.")
    pixels = cv2.imdecode(np.frombuffer(content, np.uint8), cv2.IMREAD_UNCHANGED)
    if pixels is None:
        raise ImageFileError(f"{name} is damaged: its PNG data cannot be decoded.")
    return _gray_alpha_kept(_bgr_to_rgb(pixels), content)


def _gray_alpha_kept(pixels: NDArray, content: bytes) -> NDArray:
    gray_with_alpha = content[25] == 4
    return pixels[..., [0, 3]] if gray_with_alpha and pixels.ndim == 3 and pixels.shape[2] == 4 else pixels


def _bgr_to_rgb(pixels: NDArray) -> NDArray:
    """The channels in our order, swapped in place in strips: a second copy of a large image is not made."""
    if pixels.ndim != 3 or pixels.shape[2] not in (3, 4):
        return pixels
    code = cv2.COLOR_BGR2RGB if pixels.shape[2] == 3 else cv2.COLOR_BGRA2RGBA
    for top in range(0, len(pixels), _ROWS_AT_ONCE):
        strip = pixels[top : top + _ROWS_AT_ONCE]
        strip[...] = cv2.cvtColor(strip, code)
    return pixels


def encode_png(raster: Raster) -> bytes:
    """The raster as PNG bytes; float32 is stored with 16 bits."""
    pixels = raster.pixels if raster.pixels.dtype != np.float32 else quantize(raster.pixels, np.dtype(np.uint16))
    if pixels.shape[2] == 2:
        pixels = pixels[..., [0, 0, 0, 1]]
    return png_bytes(pixels)


FORMAT = PictureFormat("png", "PNG", 0, (".png",), lambda content: content.startswith(_MARK), _decode_png, encode_png)
