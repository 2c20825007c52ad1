"""Writing image files: 8 and 16-bit PNG, JPEG, 8/16/float TIFF, float OpenEXR. Every write is atomic."""

from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.errors import ImageFileError
from evenpalette.core.files import reason, write_atomically
from evenpalette.core.raster.formats import format_of, picture_endings
from evenpalette.core.raster.raster import Encoding, Raster, quantize


def encode_image(raster: Raster, ending: str) -> bytes:
    """The raster as the bytes of a file with this ending ('.png', '.jpg', '.tif', '.exr').

    16-bit data goes into 8-bit formats rounded. Raises ImageFileError for an unknown ending.
    """
    known = format_of(ending.lower())
    if known is None or known.encode is None:
        written = ", ".join(picture_endings(written=True))
        raise ImageFileError(f"Images can be written as {written}, not as '{ending.lower()}'.")
    return known.encode(raster)


def write_image(raster: Raster, path: Path | str) -> None:
    """Write the raster in the format that the ending of `path` names. Raises ImageFileError."""
    path = Path(path)
    content = encode_image(raster, path.suffix)
    try:
        write_atomically(path, content)
    except OSError as error:
        raise ImageFileError(f"{path} cannot be written: {reason(error)}.") from error


def mask_raster(coverage: NDArray, depth: int = 8) -> Raster:
    """A coverage plane (height, width) of 0..1 floats or uint8 as a data raster of 8 or 16 bits."""
    if coverage.dtype == np.uint8 and depth == 8:
        return Raster.gray(coverage)
    values = coverage.astype(np.float32) / 255 if coverage.dtype == np.uint8 else coverage
    return Raster(quantize(values[..., None], np.dtype(np.uint8 if depth == 8 else np.uint16)), Encoding.DATA)
