"""TIFF, classic and big: 8 and 16 bits and floats."""

import io
import logging

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.errors import ImageFileError
from evenpalette.core.raster.image_header import Allow, Header, check_header
from evenpalette.core.raster.picture_format import PictureFormat
from evenpalette.core.raster.raster import Raster

# What it finds wrong with a file, we say ourselves.
logging.getLogger("tifffile").setLevel(logging.CRITICAL + 1)


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


def _encode(raster: Raster) -> bytes:
    import tifffile

    stream = io.BytesIO()
    tifffile.imwrite(
        stream, raster.pixels[..., 0] if raster.channels == 1 else raster.pixels, compression="zlib",
        photometric="minisblack" if raster.channels <= 2 else "rgb",
        extrasamples=["unassalpha"] if raster.channels in (2, 4) else None,
    )  # fmt: skip
    return stream.getvalue()


FORMAT = PictureFormat(
    "tiff", "TIFF", 2, (".tif", ".tiff"), lambda content: content[:4] in (b"II*\0", b"MM\0*", b"II+\0", b"MM\0+"),
    _decode_tiff, _encode,
)  # fmt: skip
