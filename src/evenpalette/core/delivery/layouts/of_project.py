"""Layouts to begin with that are made from what a project has: its regions four to a file, index art, heights."""

from evenpalette.core.document.layout_model import Layout, LayoutChannel, LayoutFile
from evenpalette.core.document.project import Role
from evenpalette.core.document.state import State


def beginnings_of(state: State) -> tuple[Layout, ...]:
    """Those that this project gives a reason for."""
    made = [_masks(state), _index_art(state), _height(state)]
    return tuple(layout for layout in made if layout is not None)


def fitted(layout: Layout, state: State) -> Layout:
    """A layout that others made for one sheet, for a project of several: the sheet is said in names that lack it."""
    if len(state.project.sheets) < 2:
        return layout

    def named(file: LayoutFile) -> LayoutFile:
        lacks = file.per != "once" and "{sheet}" not in file.name
        return file.model_copy(update={"name": f"{file.name}_{{sheet}}"}) if lacks else file

    return layout.model_copy(update={"files": tuple(map(named, layout.files))})


def _masks(state: State) -> Layout | None:
    regions = [r.id if "+" in r.name else r.name for r in state.project.regions.regions]
    if not regions:
        return None
    files = []
    for number, begin in enumerate(range(0, len(regions), 4)):
        some = zip("rgba", regions[begin : begin + 4], strict=False)
        channels = tuple(LayoutChannel(to=letter, source=f"region:{name}") for letter, name in some)
        # A format whose alpha is straight: a coverage is 0 almost everywhere.
        files.append(LayoutFile(name=f"{{project}}_masks_{number}", per="once", format="ktx2", channels=channels))
    return Layout(
        name="Masks of all regions, four to a file", description="Coverage in each channel", files=tuple(files)
    )


def _index_art(state: State) -> Layout | None:
    textures = state.project.asset.textures
    found = [t for t in textures if t.role is Role.INDEX]
    strips = [t for t in textures if t.role is Role.STRIP]
    if not found and not strips:
        return None
    files = [
        LayoutFile(
            name=f"{{project}}_index_{n}", per="once", channels=(LayoutChannel(to="r", source=f"index:{t.name}"),)
        )
        for n, t in enumerate(found)
    ]
    files += [
        LayoutFile(
            name=f"{{project}}_strip_{n}", per="once", channels=(LayoutChannel(to="rgb", source=f"strip:{t.name}"),)
        )
        for n, t in enumerate(strips)
    ]
    return Layout(
        name="Index art with its strips", description="Texels as they are, never filtered", files=tuple(files)
    )


def _height(state: State) -> Layout | None:
    held = next((t for t in state.project.asset.textures if t.role is Role.HEIGHT), None)
    if held is None:
        return None
    source = f"texture:{held.name}.r"
    channels = (LayoutChannel(to="rgb", source="attribute:base_color"), LayoutChannel(to="a", source=source))
    file = LayoutFile(name="{project}_{variant}_color", channels=channels)
    return Layout(name="Height in the color's alpha", description="Color, and the height beside it", files=(file,))
