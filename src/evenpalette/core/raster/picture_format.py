"""What a format of picture files knows."""

from collections.abc import Callable

from numpy.typing import NDArray

from evenpalette.core.dataclass import dataclass
from evenpalette.core.raster.image_header import Allow
from evenpalette.core.raster.raster import Raster


@dataclass(frozen=True)
class PictureFormat:
    """A format. A file in `raster/formats` that defines FORMAT is one.

    key: a stable word. label: as people write it. endings: of its files, the usual one first. is_this: whether a file's
    content is of it; what has no mark of its own comes last. decode: the pixels, (height, width) or (height, width,
    channels) in R, G, B, A order, of content, name and what is asked before they are decoded; raises ImageFileError for
    what is damaged, too large or not for games. encode: a raster as bytes, None where it is only read.
    """

    key: str
    label: str
    order: float
    endings: tuple[str, ...]
    is_this: Callable[[bytes], bool]
    decode: Callable[[bytes, str, Allow], NDArray]
    encode: Callable[[Raster], bytes] | None = None
