"""TGA: read only. Its files have no mark at their beginning: what its header may say tells it."""

from evenpalette.core.raster.formats._pillow import decoded
from evenpalette.core.raster.picture_format import PictureFormat


def _is_tga(content: bytes) -> bool:
    """Truevision TGA, version 2.0: color map type, image type and pixel depth at bytes 1, 2 and 16; from memory."""
    return (
        len(content) > 18 and content[1] in (0, 1) and content[2] in (1, 2, 3, 9, 10, 11)
        and content[16] in (1, 8, 15, 16, 24, 32)
    )  # fmt: skip


FORMAT = PictureFormat(
    "tga", "TGA", 9, (".tga",), _is_tga, lambda content, name, allow: decoded(content, name, allow, "TGA")
)
