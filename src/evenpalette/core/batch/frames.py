"""What goes back and forth between this process and those that work for it: JSON, and bytes behind it."""

import json
import struct
from collections.abc import Mapping
from typing import IO, Any

from evenpalette.core.batch.parts import Made
from evenpalette.core.errors import EvenPaletteError

_HEAD = struct.Struct("<QI")


def write_frame(stream: IO[bytes], said: Mapping[str, Any], files: Mapping[str, bytes]) -> None:
    """Send a piece. Raises OSError, ValueError where nobody reads."""
    head = json.dumps({**said, "files": [[name, len(content)] for name, content in files.items()]}).encode()
    stream.write(_HEAD.pack(len(head), len(files)))
    stream.write(head)
    for content in files.values():
        stream.write(content)
    stream.flush()


def read_said(stream: IO[bytes]) -> dict[str, Any]:
    """What is said in a piece, the bytes behind it left there. Raises EOFError where the other side is gone."""
    length, _ = _HEAD.unpack(_whole(stream, _HEAD.size))
    return dict(json.loads(_whole(stream, length)))


def read_frame(stream: IO[bytes]) -> tuple[dict[str, Any], dict[str, bytes]]:
    """Take a piece. Raises EOFError where the other side is gone."""
    said = read_said(stream)
    return said, {name: _whole(stream, size) for name, size in said.pop("files")}


def _whole(stream: IO[bytes], count: int) -> bytes:
    held = stream.read(count)
    if len(held) != count:
        raise EOFError("the other side is gone")
    return held


def made_said(made: Made) -> dict[str, Any]:
    """What is said of something made, beside its files."""
    return {
        "notes": made.notes,
        "said": made.said,
        "value": made.value,
        "seconds": made.seconds,
        "where": made.where,
    }


def made_from(said: Mapping[str, Any], files: dict[str, bytes]) -> Made:
    """What was made, or the EvenPaletteError that was said of it."""
    if "error" in said:
        raise EvenPaletteError(said["error"])
    return Made(files, **said)
