"""Layouts as files."""

from functools import cache
from importlib.resources import files
from pathlib import Path

from evenpalette.core.document.layout_model import Layout, read_layout
from evenpalette.core.errors import LayoutError
from evenpalette.core.files import read_regular, reason

_MOST_BYTES = 4 << 20


@cache
def beginnings() -> tuple[Layout, ...]:
    """Layouts that ship with the application, to begin with, by name."""
    folder = files("evenpalette.core.delivery") / "layouts" / "beginnings"
    found = [
        read_layout(file.read_text("utf-8"), file.name) for file in folder.iterdir() if file.name.endswith(".json")
    ]
    return tuple(sorted(found, key=lambda layout: layout.name))


def read_layout_file(path: Path | str) -> Layout:
    """A layout from its file. Raises LayoutError with the line and the reason."""
    path = Path(path)
    try:
        content = read_regular(path, _MOST_BYTES)
    except FileNotFoundError:
        raise LayoutError(f"{path} does not exist.") from None
    except OSError as error:
        raise LayoutError(f"{path} cannot be read: {reason(error)}.") from error
    try:
        return read_layout(content.decode("utf-8"), str(path))
    except UnicodeDecodeError as error:
        raise LayoutError(f"{path} is no text in UTF-8.") from error
