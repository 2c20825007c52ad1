"""WebP: read only."""

from evenpalette.core.raster.formats._pillow import decoded
from evenpalette.core.raster.picture_format import PictureFormat

FORMAT = PictureFormat(
    "webp", "WebP", 6, (".webp",), lambda content: content[:4] == b"RIFF" and content[8:12] == b"WEBP",
    lambda content, name, allow: decoded(content, name, allow, "WEBP"),
)  # fmt: skip
