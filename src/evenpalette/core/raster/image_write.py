"""Writing image files: 8 and 16-bit PNG, JPEG, 8/16/float TIFF, float OpenEXR. Every write is atomic."""

import io
import tempfile
from collections.abc import Mapping
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.errors import ImageFileError
from evenpalette.core.files import reason, write_atomically
from evenpalette.core.quiet import quiet_libraries
from evenpalette.core.raster.png_write import png_bytes
from evenpalette.core.raster.raster import Encoding, Raster, quantize

WRITABLE = (".png", ".jpg", ".jpeg", ".tif", ".tiff", ".exr")


def encode_png(raster: Raster) -> bytes:
    """The raster as PNG bytes; float32 is stored with 16 bits."""
    pixels = raster.pixels if raster.pixels.dtype != np.float32 else quantize(raster.pixels, np.dtype(np.uint16))
    if pixels.shape[2] == 2:
        pixels = pixels[..., [0, 0, 0, 1]]
    return png_bytes(pixels)


def encode_exr(raster: Raster) -> bytes:
    """The raster's stored values as 32-bit float OpenEXR bytes, ZIP-compressed; color is stored as linear light."""
    values = raster.as_linear()
    return encode_exr_of(values, gray_alpha=raster.channels == 2)


def encode_exr_of(values: NDArray, *, half: bool = False, gray_alpha: bool = False) -> bytes:
    """Values (height, width, 1 to 4) as OpenEXR bytes, ZIP-compressed, float32 or half floats. gray_alpha: what two
    channels are; else red and green."""
    return encode_exr_layers({"": values}, half=half, gray_alpha=gray_alpha)


def encode_exr_layers(layers: Mapping[str, NDArray], *, half: bool = False, gray_alpha: bool = False) -> bytes:
    """Values as `encode_exr_of`, by the name of their layer, '' for the file's own channels: those of the layer `dirt`
    are called dirt.R, dirt.G ... ("Interpreting OpenEXR Channels"). All are of one size."""
    import OpenEXR

    kind = np.float16 if half else np.float32
    channels: dict[str, NDArray] = {}
    for layer, values in layers.items():
        names = {1: ("Y",), 2: ("Y", "A") if gray_alpha else ("R", "G"), 3: ("R", "G", "B"), 4: ("R", "G", "B", "A")}[
            values.shape[2]
        ]
        before = f"{layer}." if layer else ""
        channels |= {before + name: np.ascontiguousarray(values[..., i].astype(kind)) for i, name in enumerate(names)}
    header = {"compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage}
    try:
        with tempfile.TemporaryDirectory() as folder, quiet_libraries():
            path = Path(folder) / "image.exr"
            with OpenEXR.File(header, channels) as image:
                image.write(str(path))
            return path.read_bytes()
    except (RuntimeError, OSError) as error:  # the library raises its own for a full disk
        raise ImageFileError(
            f"The OpenEXR file could not be made in {tempfile.gettempdir()} ({str(error)[:120]}). Free some space there."
        ) from error


def encode_image(raster: Raster, ending: str) -> bytes:
    """The raster as the bytes of a file with this ending ('.png', '.jpg', '.tif', '.exr').

    16-bit data goes into 8-bit formats rounded. Raises ImageFileError for an unknown ending.
    """
    ending = ending.lower()
    if ending == ".png":
        return encode_png(raster)
    if ending == ".exr":
        return encode_exr(raster)
    stream = io.BytesIO()
    if ending in (".tif", ".tiff"):
        pixels: NDArray = raster.pixels[..., 0] if raster.channels == 1 else raster.pixels
        import tifffile

        tifffile.imwrite(
            stream,
            pixels,
            photometric="minisblack" if raster.channels <= 2 else "rgb",
            compression="zlib",
            extrasamples=["unassalpha"] if raster.channels in (2, 4) else None,
        )
        return stream.getvalue()
    if ending in (".jpg", ".jpeg"):
        from PIL import Image

        values = quantize(raster.as_unit(), np.dtype(np.uint8))
        image = Image.fromarray(values[..., 0] if raster.channels <= 2 else values[..., :3])
        image.save(stream, "JPEG", quality=95, subsampling=0)
        return stream.getvalue()
    raise ImageFileError(f"Images can be written as {', '.join(WRITABLE)}, not as '{ending}'.")


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
