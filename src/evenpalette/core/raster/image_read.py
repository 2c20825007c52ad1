"""Reading image files of every format that there is.

Files are untrusted: what a file is, is told by its content; its size is checked before anything is decoded.
"""

import warnings
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.errors import EvenPaletteError, ImageFileError
from evenpalette.core.files import read_regular, reason, told_by
from evenpalette.core.limits import limits
from evenpalette.core.quiet import quiet_libraries
from evenpalette.core.raster.formats import FORMATS
from evenpalette.core.raster.image_header import Allow, any_size
from evenpalette.core.raster.raster import Encoding, Raster


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
        raise ImageFileError(f"{name} is damaged or not an image that can be read{told_by(error)}.") from error
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
    known = next((one for one in FORMATS.values() if one.is_this(content)), None)
    if known is None:
        *others, last = (one.label for one in FORMATS.values())
        raise ImageFileError(f"{name} is not an image that can be read. {', '.join(others)} and {last} can.")
    return known.decode(content, name, allow)
