"""Reading image files: PNG, JPEG, TIFF, OpenEXR, and what else Pillow reads safely (BMP, TGA, WebP).

Files are untrusted: what a file is, is told by its content; its size is checked before anything is decoded.
"""

import io
import struct
import tempfile
import warnings
import zlib
from pathlib import Path

import cv2
import numpy as np
import OpenEXR
import tifffile
from numpy.typing import NDArray
from PIL import Image, UnidentifiedImageError

from evenpalette.core.errors import ImageFileError
from evenpalette.core.raster.raster import Encoding, Raster

MAX_SIDE_TEXELS = 16384
MAX_TEXELS = 16384 * 8192
MAX_FILE_BYTES = 2 << 30
#: File endings that the window offers to open.
READABLE = (".png", ".jpg", ".jpeg", ".tif", ".tiff", ".exr", ".bmp", ".tga", ".webp")

Image.MAX_IMAGE_PIXELS = MAX_TEXELS


def read_image(path: Path | str, encoding: Encoding | None = None) -> Raster:
    """Read an image file into a Raster.

    8-bit files give uint8, 16-bit ones uint16, OpenEXR and float TIFF float32; palettes are expanded to color.
    `encoding` says what the numbers mean; without it, float files are taken as `linear` and all others as `srgb`.
    Raises ImageFileError with the file's name for anything missing, damaged, too large or of an unknown kind.
    """
    path = Path(path)
    try:
        if path.stat().st_size > MAX_FILE_BYTES:
            raise ImageFileError(f"{path.name} is larger than {MAX_FILE_BYTES >> 30} GiB and was not read.")
        content = path.read_bytes()
    except FileNotFoundError:
        raise ImageFileError(f"{path} does not exist.") from None
    except OSError as error:
        raise ImageFileError(f"{path} cannot be read: {error.strerror}.") from error
    pixels = decode_image(content, path.name)
    if encoding is None:
        encoding = Encoding.LINEAR if pixels.dtype == np.float32 else Encoding.SRGB
    return Raster(pixels, encoding)


def decode_image(content: bytes, name: str) -> NDArray:
    """The pixels of an image file held in memory, (height, width, channels) in R, G, B, A order."""
    if not content:
        raise ImageFileError(f"{name} is empty.")
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("error", Image.DecompressionBombWarning)
            pixels = _decode_by_kind(content, name)
    except ImageFileError:
        raise
    except Exception as error:
        raise ImageFileError(f"{name} is damaged or not an image that can be read ({_one_line(error)}).") from error
    if pixels.ndim == 2:
        pixels = pixels[..., None]
    if pixels.ndim != 3 or pixels.shape[2] not in (1, 2, 3, 4):
        raise ImageFileError(f"{name} has {pixels.shape[-1]} channels; 1 to 4 can be read.")
    if pixels.dtype == np.float32 and not np.isfinite(pixels).all():
        pixels = np.nan_to_num(pixels, nan=0.0, posinf=65504.0, neginf=-65504.0)
    return np.ascontiguousarray(pixels)


def _decode_by_kind(content: bytes, name: str) -> NDArray:
    if content.startswith(b"\x89PNG\r\n\x1a\n"):
        return _decode_png(content, name)
    if content.startswith(b"\x76\x2f\x31\x01"):
        return _decode_exr(content, name)
    if content[:4] in (b"II*\0", b"MM\0*", b"II+\0", b"MM\0+"):
        return _decode_tiff(content, name)
    return _decode_with_pillow(content, name)


def _check_size(width: int, height: int, name: str) -> None:
    if width < 1 or height < 1:
        raise ImageFileError(f"{name} has no texels.")
    if width > MAX_SIDE_TEXELS or height > MAX_SIDE_TEXELS or width * height > MAX_TEXELS:
        raise ImageFileError(
            f"{name} is {width} x {height} texels; the limit is {MAX_SIDE_TEXELS} a side "
            f"and {MAX_TEXELS // 1_000_000} million in all. Make it smaller first."
        )


def _decode_png(content: bytes, name: str) -> NDArray:
    """Check every chunk first: the decoder would silently leave the rest of a cut file black."""
    position, ended = 8, False
    while position + 12 <= len(content):
        length, kind = struct.unpack(">I4s", content[position : position + 8])
        if position + 12 + length > len(content):
            break
        if kind == b"IHDR":
            width, height = struct.unpack(">II", content[position + 8 : position + 16])
            _check_size(width, height, name)
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
    if pixels.ndim == 3 and pixels.shape[2] == 3:
        return cv2.cvtColor(pixels, cv2.COLOR_BGR2RGB)
    if pixels.ndim == 3 and pixels.shape[2] == 4:
        return cv2.cvtColor(pixels, cv2.COLOR_BGRA2RGBA)
    return pixels


def _decode_exr(content: bytes, name: str) -> NDArray:
    with _as_file(content, ".exr") as path:
        with OpenEXR.File(path, header_only=True) as header:
            (x0, y0), (x1, y1) = (tuple(corner) for corner in header.header()["dataWindow"])
            _check_size(int(x1 - x0 + 1), int(y1 - y0 + 1), name)
        with OpenEXR.File(path, separate_channels=True) as image:
            channels = {key: np.asarray(value.pixels) for key, value in image.channels().items()}
    for wanted in (("R", "G", "B", "A"), ("R", "G", "B"), ("Y", "A"), ("Y",), ("V",)):
        if all(key in channels for key in wanted):
            return np.stack([channels[key].astype(np.float32) for key in wanted], -1)
    if len(channels) in (1, 2, 3, 4):
        return np.stack([value.astype(np.float32) for _, value in sorted(channels.items())], -1)
    raise ImageFileError(f"{name} has the channels {', '.join(sorted(channels))}; R, G, B, A or Y are needed.")


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


def _decode_tiff(content: bytes, name: str) -> NDArray:
    with tifffile.TiffFile(io.BytesIO(content)) as tiff:
        if not tiff.pages:
            raise ImageFileError(f"{name} holds no image.")
        page = tiff.pages[0]
        _check_size(page.imagewidth, page.imagelength, name)  # type: ignore[union-attr]
        photometric = getattr(page.photometric, "name", "")  # type: ignore[union-attr]
        if photometric not in ("MINISBLACK", "MINISWHITE", "RGB", "PALETTE"):
            raise ImageFileError(f"{name} is a {photometric} TIFF. Save it as gray or RGB.")
        pixels = page.asarray()
        if photometric == "PALETTE":
            pixels = np.moveaxis(np.asarray(page.colormap), 0, -1)[pixels].astype(np.uint16)  # type: ignore[union-attr]
        planar_first = getattr(page.planarconfig, "name", "") == "SEPARATE"  # type: ignore[union-attr]
    if planar_first and pixels.ndim == 3:
        pixels = np.moveaxis(pixels, 0, -1)
    if pixels.dtype in (np.float16, np.float64):
        pixels = pixels.astype(np.float32)
    if pixels.dtype == bool:
        pixels = pixels.astype(np.uint8) * 255
    if pixels.dtype not in (np.uint8, np.uint16, np.float32):
        raise ImageFileError(f"{name} is a {pixels.dtype} TIFF. Save it with 8, 16 or 32 (float) bits a channel.")
    return np.iinfo(pixels.dtype).max - pixels if photometric == "MINISWHITE" and pixels.dtype != np.float32 else pixels


def _decode_with_pillow(content: bytes, name: str) -> NDArray:
    try:
        image = Image.open(io.BytesIO(content), formats=("JPEG", "BMP", "TGA", "WEBP"))
    except UnidentifiedImageError:
        raise ImageFileError(
            f"{name} is not an image that can be read. PNG, JPEG, TIFF, OpenEXR, BMP, TGA and WebP can."
        ) from None
    with image:
        _check_size(image.width, image.height, name)
        if image.mode in ("CMYK", "YCCK", "LAB"):
            raise ImageFileError(f"{name} is a {image.mode} picture made for print. Save it as RGB.")
        image.load()
        wanted = {"1": "L", "P": "RGBA" if "transparency" in image.info else "RGB", "YCbCr": "RGB"}.get(image.mode)
        return np.asarray(image.convert(wanted) if wanted else image)


def _one_line(error: Exception) -> str:
    return (str(error).strip().splitlines() or [type(error).__name__])[0][:120]
