"""What Pillow reads safely."""

import io

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.errors import ImageFileError
from evenpalette.core.limits import Limits
from evenpalette.core.raster.image_header import Allow, Header, check_header


def decoded(content: bytes, name: str, allow: Allow, kind: str) -> NDArray:
    """The pixels of a file of one of Pillow's formats. Raises ImageFileError, and what Pillow raises."""
    from PIL import Image, UnidentifiedImageError

    # Our own check comes first and says more; this one is for what Pillow decodes on its way.
    Image.MAX_IMAGE_PIXELS = Limits().image_texels * 64
    try:
        opened = Image.open(io.BytesIO(content), formats=(kind,))
    except UnidentifiedImageError:
        raise ImageFileError(f"{name} is damaged: its {kind} data cannot be decoded.") from None
    with opened as image:
        channels = 4 if image.mode == "P" else max(1, len(image.getbands()))
        check_header(Header(image.width, image.height, channels, 1), name, allow)
        if image.mode in ("CMYK", "YCCK", "LAB"):
            raise ImageFileError(f"{name} is a {image.mode} picture made for print. Save it as RGB.")
        image.load()
        wanted = {"1": "L", "P": "RGBA" if "transparency" in image.info else "RGB", "YCbCr": "RGB"}.get(image.mode)
        return np.asarray(image.convert(wanted) if wanted else image)
