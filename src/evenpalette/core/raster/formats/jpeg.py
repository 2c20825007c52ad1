"""JPEG: 8 bits, written at quality 95 with all its color."""

import io

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.errors import ImageFileError
from evenpalette.core.raster.formats._pillow import decoded
from evenpalette.core.raster.image_header import Allow
from evenpalette.core.raster.picture_format import PictureFormat
from evenpalette.core.raster.raster import Raster, quantize

#: More scans than any writer makes only cost time.
_MOST_SCANS = 200


def _decode(content: bytes, name: str, allow: Allow) -> NDArray:
    if content.count(b"\xff\xda") > _MOST_SCANS:
        raise ImageFileError(f"{name} is a JPEG with more than {_MOST_SCANS} scans. Save it again.")
    return decoded(content, name, allow, "JPEG")


def _encode(raster: Raster) -> bytes:
    from PIL import Image

    values = quantize(raster.as_unit(), np.dtype(np.uint8))
    stream = io.BytesIO()
    image = Image.fromarray(values[..., 0] if raster.channels <= 2 else values[..., :3])
    image.save(stream, "JPEG", quality=95, subsampling=0)
    return stream.getvalue()


FORMAT = PictureFormat(
    "jpeg", "JPEG", 1, (".jpg", ".jpeg"), lambda content: content[:2] == b"\xff\xd8", _decode, _encode
)
