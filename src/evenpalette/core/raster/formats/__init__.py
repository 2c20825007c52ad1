"""The formats of picture files, one file each. A file here that defines FORMAT is one; nothing lists them by hand."""

from evenpalette.core.raster.picture_format import PictureFormat
from evenpalette.core.registry import Registry

FORMATS: Registry[PictureFormat] = Registry(__name__, __path__, "FORMAT")


def picture_endings(*, written: bool = False) -> tuple[str, ...]:
    """Endings of all files that can be read, or of those that can be written."""
    return tuple(ending for one in FORMATS.values() if one.encode or not written for ending in one.endings)


def format_of(ending: str) -> PictureFormat | None:
    """The format of files with this ending, lower case."""
    return next((one for one in FORMATS.values() if ending in one.endings), None)
