"""Layouts by what people call them: a file, or the name of one that ships, is kept, or is the project's own."""

from pathlib import Path

from evenpalette.core.delivery.layouts.of_project import beginnings_of, fitted
from evenpalette.core.delivery.layouts.read import beginnings_by_file, read_layout_file
from evenpalette.core.delivery.layouts.shelf import kept_layouts
from evenpalette.core.document.layout_model import Layout
from evenpalette.core.document.state import State
from evenpalette.core.edits.layouts import layout_of
from evenpalette.core.errors import LayoutError


def layout_named(state: State | None, name: str) -> Layout:
    """The layout of a file, or by its name in any case; those that ship have a short name too, that of their file. Of
    two with one name the project's own comes first, then what is kept; one that was not made for it is fitted to its
    sheets. Raises LayoutError that says what there is."""
    if name.endswith(".json") or "/" in name:
        return read_layout_file(Path(name))
    found: dict[str, Layout] = {}
    own = layout_of(state) if state is not None else None
    if state is not None:
        for layout in (*((own,) if own is not None else ()), *beginnings_of(state)):
            found.setdefault(layout.name, layout)
    for layout in kept_layouts()[0]:
        found.setdefault(layout.name, layout)
    for short, layout in beginnings_by_file().items():
        found.setdefault(short, layout)
        found.setdefault(layout.name, layout)
    own_name = own.name if own is not None else None
    wanted = name.strip().lower()
    for key, layout in found.items():
        if key.lower() == wanted:
            return layout if state is None or key == own_name else fitted(layout, state)
    raise LayoutError(f"There is no layout '{name[:80]}'. There are: {', '.join(found)}; or name a file.")
