"""Reading image files: PNG, JPEG, TIFF, OpenEXR, and what else Pillow reads safely (BMP, TGA, WebP).

Files are untrusted: what a file is, is told by its content; its size is checked before anything is decoded.
"""

import io
import logging
import struct
import tempfile
import warnings
import zlib
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray

from evenpalette.core.errors import EvenPaletteError, ImageFileError
from evenpalette.core.files import read_regular, reason
from evenpalette.core.limits import Limits, limits
from evenpalette.core.quiet import quiet_libraries
from evenpalette.core.raster.image_header import Allow, Header, any_size, check_header, png_header
from evenpalette.core.raster.raster import Encoding, Raster

#: File endings that the window offers to open.
IMAGE_ENDINGS = (".png", ".jpg", ".jpeg", ".tif", ".tiff", ".exr", ".bmp", ".tga", ".webp")
#: More chunks or scans than any writer makes only cost time.
_MOST_CHUNKS, _MOST_SCANS = 500_000, 200
_ROWS_AT_ONCE = 256

# What it finds wrong with a file, we say ourselves.
logging.getLogger("tifffile").setLevel(logging.CRITICAL + 1)


def read_image(path: Path | str, encoding: Encoding | None = None) -> Raster:
    """Read an image file into a Raster.

    8-bit files give uint8, 16-bit ones uint16, OpenEXR and float TIFF float32; palettes are expanded to color.
    `encoding` says what the numbers mean; without it, float files are taken as `linear` and all others as `srgb`.
    Raises ImageFileError with the file's name for anything missing, damaged, too large or of an unknown kind.
    """
    path = Path(path)
    try:
        content = read_regular(path, limits().image_file_bytes)
    except FileNotFoundError:
        raise ImageFileError(f"{path} does not exist.") from None
    except OSError as error:
        raise ImageFileError(f"{path} cannot be read: {reason(error)}.") from error
    pixels = decode_image(content, path.name)
    if encoding is None:
        encoding = Encoding.LINEAR if pixels.dtype == np.float32 else Encoding.SRGB
    return Raster(pixels, encoding)


def decode_image(content: bytes, name: str, *, allow: Allow = any_size) -> NDArray:
    """The pixels of an image file held in memory, (height, width, channels) in R, G, B, A order.

    allow: is asked, with the bytes that the pixels will take, before they are decoded; it may raise.
    """
    if not content:
        raise ImageFileError(f"{name} is empty.")
    try:
        with warnings.catch_warnings(), quiet_libraries():
            warnings.simplefilter("ignore")
            pixels = _decode_by_kind(content, name, allow)
    except EvenPaletteError:
        raise
    except Exception as error:
        raise ImageFileError(f"{name} is damaged or not an image that can be read ({_one_line(error)}).") from error
    if pixels.ndim == 2:
        pixels = pixels[..., None]
    if pixels.ndim != 3 or pixels.shape[2] not in (1, 2, 3, 4):
        raise ImageFileError(f"{name} has {pixels.shape[-1]} channels; 1 to 4 can be read.")
    if not pixels.size:
        raise ImageFileError(f"{name} has no texels.")
    if pixels.dtype == np.float32 and not np.isfinite(pixels).all():
        pixels = np.nan_to_num(pixels, nan=0.0, posinf=65504.0, neginf=-65504.0)
    return np.ascontiguousarray(pixels)


def _decode_by_kind(content: bytes, name: str, allow: Allow) -> NDArray:
    if content.startswith(b"\x89PNG\r\n\x1a\n"):
        return _decode_png(content, name, allow)
    if content.startswith(b"\x76\x2f\x31\x01"):
        return _decode_exr(content, name, allow)
    if content[:4] in (b"II*\0", b"MM\0*", b"II+\0", b"MM\0+"):
        return _decode_tiff(content, name, allow)
    return _decode_with_pillow(content, name, allow)


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


def _decode_exr(content: bytes, name: str, allow: Allow) -> NDArray:
    import OpenEXR

    with _as_file(content, ".exr") as path:
        with OpenEXR.File(path, header_only=True) as header:
            _check_exr_parts([part.header for part in header.parts], name, allow)
        with OpenEXR.File(path, separate_channels=True) as image:
            channels = {key: np.asarray(value.pixels) for key, value in image.channels().items()}
    for wanted in (("R", "G", "B", "A"), ("R", "G", "B"), ("Y", "A"), ("Y",), ("V",)):
        if all(key in channels for key in wanted):
            return np.stack([channels[key].astype(np.float32) for key in wanted], -1)
    if len(channels) in (1, 2, 3, 4):
        return np.stack([value.astype(np.float32) for _, value in sorted(channels.items())], -1)
    listed = ", ".join(sorted(channels)[:8])
    raise ImageFileError(f"{name} has the channels {listed}; R, G, B, A or Y are needed.")


def _check_exr_parts(headers: list[dict], name: str, allow: Allow) -> None:
    """The library decodes every channel of every part, so all of them count."""
    if not headers:
        raise ImageFileError(f"{name} holds no image.")
    total = 0
    for part in headers:
        (x0, y0), (x1, y1) = ((int(v) for v in corner) for corner in part["dataWindow"])
        header = Header(x1 - x0 + 1, y1 - y0 + 1, max(1, len(part["channels"])), 4)
        check_header(header, name)
        total += header.bytes
    first = headers[0]["dataWindow"]
    width, height = (int(b) - int(a) + 1 for a, b in zip(first[0], first[1], strict=True))
    check_header(Header(width, height, -(-total // (width * height * 4)), 4), name, allow)


class _as_file:  # noqa: N801 - reads as a verb at its one use
    """OpenEXR reads from paths only; the bytes were already checked in memory."""

    def __init__(self, content: bytes, ending: str) -> None:
        self._file = tempfile.NamedTemporaryFile(suffix=ending)  # noqa: SIM115 - closed in __exit__
        self._file.write(content)
        self._file.flush()

    def __enter__(self) -> str:
        return self._file.name

    def __exit__(self, *_: object) -> None:
        self._file.close()


def _decode_tiff(content: bytes, name: str, allow: Allow) -> NDArray:
    import tifffile

    with tifffile.TiffFile(io.BytesIO(content)) as tiff:
        if not tiff.pages:
            raise ImageFileError(f"{name} holds no image.")
        page = tiff.pages.first
        depth = int(np.dtype(page.dtype).itemsize) if page.dtype is not None else 4
        layers = max(1, int(page.imagedepth))
        check_header(
            Header(page.imagewidth, page.imagelength, max(1, int(page.samplesperpixel)), depth, layers), name, allow
        )
        if page.samplesperpixel > 5 or layers > 1:
            raise ImageFileError(f"{name} has {page.samplesperpixel * layers} channels; 1 to 4 can be read.")
        photometric = getattr(page.photometric, "name", "")
        if photometric not in ("MINISBLACK", "MINISWHITE", "RGB", "PALETTE"):
            raise ImageFileError(f"{name} is a {photometric} TIFF. Save it as gray or RGB.")
        pixels = page.asarray(maxworkers=1)
        if photometric == "PALETTE":
            pixels = np.moveaxis(np.asarray(page.colormap), 0, -1)[pixels].astype(np.uint16)
        planar_first = getattr(page.planarconfig, "name", "") == "SEPARATE"
    if planar_first and pixels.ndim == 3:
        pixels = np.moveaxis(pixels, 0, -1)
    if pixels.dtype in (np.float16, np.float64):
        pixels = pixels.astype(np.float32)
    if pixels.dtype == bool:
        pixels = pixels.astype(np.uint8) * 255
    if pixels.dtype not in (np.uint8, np.uint16, np.float32):
        raise ImageFileError(f"{name} is a {pixels.dtype} TIFF. Save it with 8, 16 or 32 (float) bits a channel.")
    return np.iinfo(pixels.dtype).max - pixels if photometric == "MINISWHITE" and pixels.dtype != np.float32 else pixels


def _decode_with_pillow(content: bytes, name: str, allow: Allow) -> NDArray:
    if content[:2] == b"\xff\xd8" and content.count(b"\xff\xda") > _MOST_SCANS:
        raise ImageFileError(f"{name} is a JPEG with more than {_MOST_SCANS} scans. Save it again.")
    from PIL import Image, UnidentifiedImageError

    # Our own check comes first and says more; this one is for what Pillow decodes on its way.
    Image.MAX_IMAGE_PIXELS = Limits().image_texels * 64
    try:
        image = Image.open(io.BytesIO(content), formats=("JPEG", "BMP", "TGA", "WEBP"))
    except UnidentifiedImageError:
        raise ImageFileError(
            f"{name} is not an image that can be read. PNG, JPEG, TIFF, OpenEXR, BMP, TGA and WebP can."
        ) from None
    with image:
        channels = 4 if image.mode == "P" else max(1, len(image.getbands()))
        check_header(Header(image.width, image.height, channels, 1), name, allow)
        if image.mode in ("CMYK", "YCCK", "LAB"):
            raise ImageFileError(f"{name} is a {image.mode} picture made for print. Save it as RGB.")
        image.load()
        wanted = {"1": "L", "P": "RGBA" if "transparency" in image.info else "RGB", "YCbCr": "RGB"}.get(image.mode)
        return np.asarray(image.convert(wanted) if wanted else image)


def _one_line(error: Exception) -> str:
    return (str(error).strip().splitlines() or [type(error).__name__])[0][:120]
