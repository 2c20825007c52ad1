"""BMP: read only."""

from evenpalette.core.raster.formats._pillow import decoded
from evenpalette.core.raster.picture_format import PictureFormat

FORMAT = PictureFormat(
    "bmp", "BMP", 4, (".bmp",), lambda content: content[:2] == b"BM",
    lambda content, name, allow: decoded(content, name, allow, "BMP"),
)  # fmt: skip
