"""What an image file says of its size, read before anything is decoded.

Sources: PNG (W3C, third edition), sections 11.2.1 and 10; OpenEXR and TIFF through their libraries' headers.
"""

import struct
from collections.abc import Callable

from evenpalette.core.dataclass import dataclass
from evenpalette.core.errors import ImageFileError
from evenpalette.core.limits import RAISE, limits, readable_bytes

#: Is told how many bytes the pixels will take, and raises if they may not.
Allow = Callable[[int], None]
_PNG_CHANNELS = {0: 1, 2: 3, 3: 4, 4: 4, 6: 4}


@dataclass(frozen=True)
class Header:
    """Size and depth. parts: everything that is decoded with it counts, also what nobody asked for."""

    width: int
    height: int
    channels: int
    bytes_each: int
    parts: int = 1

    @property
    def bytes(self) -> int:
        """What the decoded pixels take."""
        return self.width * self.height * self.channels * self.bytes_each * self.parts


def any_size(_: int) -> None:
    """For callers that keep no budget."""


def check_header(header: Header, name: str, allow: Allow = any_size) -> None:
    """Refuse what is too large to be decoded. Raises ImageFileError."""
    most = limits()
    if header.width < 1 or header.height < 1:
        raise ImageFileError(f"{name} has no texels.")
    side = most.image_side_texels
    if max(header.width, header.height) > side or header.width * header.height > most.image_texels:
        raise ImageFileError(
            f"{name} is {header.width} x {header.height} texels; the limit is {side} a side "
            f"and {most.image_texels // 1_000_000} million in all. Make it smaller first."
        )
    if header.bytes > most.image_bytes:
        raise ImageFileError(
            f"{name} would take {readable_bytes(header.bytes)} ({header.channels * header.parts} channels); "
            f"the limit is {readable_bytes(most.image_bytes)}. Make it smaller first. {RAISE}"
        )
    allow(header.bytes)


def png_header(content: bytes, name: str) -> Header:
    """The header of PNG bytes. Raises ImageFileError."""
    if len(content) < 33 or content[12:16] != b"IHDR":
        raise ImageFileError(f"{name} is damaged: its PNG header is missing.")
    width, height, depth, color = struct.unpack(">IIBB", content[16:26])
    return Header(width, height, _PNG_CHANNELS.get(color, 4), 2 if depth == 16 else 1)
