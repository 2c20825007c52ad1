"""Layouts that a user keeps for all projects: files in a folder of their own, which a team may share by a link."""

import os
from pathlib import Path

import platformdirs

from evenpalette.core.delivery.layouts.read import read_layout_file
from evenpalette.core.document.layout_model import Layout, layout_text
from evenpalette.core.errors import EvenPaletteError, LayoutError
from evenpalette.core.files import reason, safe_name, write_atomically

#: More are not listed.
_MOST = 200


def shelf_folder() -> Path:
    """Where they lie: in the user's data folder, or where EVENPALETTE_LAYOUTS says."""
    said = os.environ.get("EVENPALETTE_LAYOUTS")
    return Path(said) if said else platformdirs.user_data_path("evenpalette") / "layouts"


def kept_layouts() -> tuple[list[Layout], list[str]]:
    """The layouts that are kept, by name, and what is wrong with files that are none."""
    try:
        files = sorted(path for path in shelf_folder().iterdir() if path.suffix == ".json")[:_MOST]
    except OSError:
        return [], []
    found, wrong = [], []
    for file in files:
        try:
            found.append(read_layout_file(file))
        except LayoutError as error:
            wrong.append(str(error))
    return sorted(found, key=lambda layout: layout.name.lower()), wrong


def keep_layout(layout: Layout) -> Path:
    """Put a layout with the others, in place of one that has its name; returns its file. Raises EvenPaletteError."""
    folder = shelf_folder()
    try:
        folder.mkdir(parents=True, exist_ok=True)
        path = folder / f"{safe_name(layout.name)}.json"
        write_atomically(path, layout_text(layout).encode())
    except OSError as error:
        raise EvenPaletteError(f"The layout cannot be kept in {folder}: {reason(error)}.") from error
    return path
