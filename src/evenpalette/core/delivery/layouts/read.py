"""Layouts as files."""

from functools import cache
from importlib.resources import files
from pathlib import Path

from evenpalette.core.document.layout_model import Layout, read_layout
from evenpalette.core.errors import LayoutError
from evenpalette.core.files import read_regular, reason

_MOST_BYTES = 4 << 20


@cache
def beginnings_by_file() -> dict[str, Layout]:
    """Layouts that ship with the application, to begin with, by the names of their files; in the order of their own."""
    folder = files("evenpalette.core.delivery") / "layouts" / "beginnings"
    found = {
        file.name.removesuffix(".json"): read_layout(file.read_text("utf-8"), file.name)
        for file in folder.iterdir()
        if file.name.endswith(".json")
    }
    return dict(sorted(found.items(), key=lambda item: item[1].name))


def beginnings() -> tuple[Layout, ...]:
    """Layouts that ship with the application, by name."""
    return tuple(beginnings_by_file().values())


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
