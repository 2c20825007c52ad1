"""OpenEXR: read as float32, written as floats or half floats, ZIP-compressed."""

import tempfile
from collections.abc import Mapping
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.errors import ImageFileError
from evenpalette.core.quiet import quiet_libraries
from evenpalette.core.raster.image_header import Allow, Header, check_header
from evenpalette.core.raster.picture_format import PictureFormat
from evenpalette.core.raster.raster import Raster


def _decode_exr(content: bytes, name: str, allow: Allow) -> NDArray:
    import OpenEXR

    with _as_file(content, ".exr") as path:
        try:
            with OpenEXR.File(path, header_only=True) as header:
                _check_exr_parts([part.header for part in header.parts], name, allow)
            with OpenEXR.File(path, separate_channels=True) as image:
                channels = {key: np.asarray(value.pixels) for key, value in image.channels().items()}
        except RuntimeError:
            # What the library says names the file that we made for it.
            raise ImageFileError(f"{name} is damaged or not an image that can be read.") from None
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


FORMAT = PictureFormat(
    "exr", "OpenEXR", 3, (".exr",), lambda content: content.startswith(b"\x76\x2f\x31\x01"), _decode_exr, encode_exr
)
