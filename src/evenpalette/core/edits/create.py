"""A project from files, without a window."""

import re
from collections.abc import Sequence
from pathlib import Path

from evenpalette.core.dataclass import dataclass
from evenpalette.core.document.layout_model import Layout
from evenpalette.core.document.project import Role
from evenpalette.core.document.state import State
from evenpalette.core.edits.asset import add_texture, rename_project, set_role, set_tile
from evenpalette.core.edits.asset_file import take_asset
from evenpalette.core.edits.face_sets import regions_from_mesh
from evenpalette.core.edits.layouts import taken_apart
from evenpalette.core.edits.recipe import set_base
from evenpalette.core.edits.regions import regions_from_channels, regions_from_id_map
from evenpalette.core.edits.tone import add_missing_tints, make_tone
from evenpalette.core.errors import EvenPaletteError
from evenpalette.core.mesh.asset_file import read_asset
from evenpalette.core.mesh.tiles import FIRST, WRAP
from evenpalette.core.parallel import Progress, no_progress
from evenpalette.core.raster.image_read import read_image
from evenpalette.core.regions.dividing.mesh_sources import MESH_SOURCES

#: The number of a tile in a picture's name (common practice, no source).
_TILE = re.compile(r"(?<![0-9])1[0-9]{3}(?![0-9])")


@dataclass(frozen=True)
class TextureFile:
    """A texture to bring in; role None is guessed from its name and its pixels."""

    path: Path
    role: Role | None = None


def role_named(name: str) -> Role:
    """A role by its name in the window, in lower case with `-` for spaces. Raises EvenPaletteError with those there
    are."""
    for role in Role:
        if role.value.lower().replace(" ", "-") == name.strip().lower():
            return role
    known = ", ".join(role.value.lower().replace(" ", "-") for role in Role)
    raise EvenPaletteError(f"'{name}' is not what a texture can hold. There are: {known}.")


def create_project(
    mesh: Path, textures: Sequence[TextureFile] = (), regions: str = "", *, fit: bool = False, name: str = "", tile: str = "",
    layout: Layout | None = None, progress: Progress = no_progress,
) -> State:  # fmt: skip
    """A document of a mesh with what its file brings along, more textures, regions, one Tint step, and on wish a tone.

    regions: a kind of what the mesh brings along, 'id:FILE' or 'channels:FILE', '' for none. Textures go to the first
    sheet; regions that come of the mesh are made on every sheet. tile: of the layout, 'wrap' for all laid into one,
    which is guessed where one picture repeats over several. layout: by which packed textures are taken apart. fit:
    needs a painted texture and regions. Raises EvenPaletteError.
    """
    state = take_asset(State(), read_asset(mesh), str(mesh))
    state = rename_project(state, name or mesh.stem[:80] or "Untitled")
    first = state.sheet.id
    if tile or _repeats(state, textures):
        state = set_tile(state, tile or WRAP)
    brought = {
        (sheet.id, held.id): Path(held.source_path).resolve()
        for sheet in state.project.sheets for held in sheet.textures if held.source_path
    }  # fmt: skip
    for texture in textures:
        known = [place for place, path in brought.items() if path == texture.path.resolve()]
        for sheet_id, held_id in known:
            if texture.role is not None:
                state = set_role(state.on(sheet_id), held_id, texture.role).on(first)
        if known:
            continue
        raster = read_image(texture.path)
        parts = taken_apart(layout, texture.path.name, raster) if layout is not None and texture.role is None else []
        for part in parts:
            state = add_texture(state, part.raster, part.name, part.role)
        if not parts:
            state = add_texture(state, raster, texture.path.name, texture.role, str(texture.path))
    progress(0.2)
    kind, _, file = regions.partition(":")
    if kind in ("id", "channels") and file:
        state = _from_image(state, kind, Path(file))
    elif regions in MESH_SOURCES:
        for sheet in state.project.sheets:
            state = regions_from_mesh(state.on(sheet.id), regions)
        state = state.on(first)
    elif regions:
        raise EvenPaletteError(
            f"Regions can come from {', '.join(MESH_SOURCES)}, id:FILE or channels:FILE, not from '{regions}'."
        )
    progress(0.4)
    for sheet in state.project.sheets:
        state = _begun(state.on(sheet.id), fit=fit)
    state = state.on(first)
    if fit and state.tone is None:
        if not state.project.regions.regions:
            raise EvenPaletteError("A tone cannot be fitted without regions (--regions).")
        held = ", ".join(f"{t.name} as {t.role.value}" for t in state.project.asset.textures[:4])
        taken = f" Taken were {held}: say it with --texture FILE=painted-color." if held else ""
        raise EvenPaletteError(f"A tone cannot be fitted without a painted texture.{taken}")
    progress(1.0)
    return state


def _repeats(state: State, textures: Sequence[TextureFile]) -> bool:
    """Whether a layout that leaves the first tile most likely repeats its pictures: none of them says by its name of
    which tile it is."""
    tiles = state.mesh.whole.tiles if state.mesh is not None else {}
    names = [t.name for sheet in state.project.sheets for t in sheet.textures] + [t.path.name for t in textures]
    return any(tile != FIRST for tile in tiles) and not any(_TILE.search(name) for name in names)


def _from_image(state: State, kind: str, path: Path) -> State:
    held = next((t for t in state.project.asset.textures if t.source_path == str(path)), None)
    if held is None:
        role = Role.ID_MAP if kind == "id" else Role.CHANNEL_MASK
        state = add_texture(state, read_image(path), path.name, role, str(path))
        held = state.project.asset.textures[-1]
    return regions_from_id_map(state, held.id) if kind == "id" else regions_from_channels(state, held.id)


def _begun(state: State, *, fit: bool) -> State:
    """The state's sheet with a row for each region, and its tone or the painted texture to start from."""
    painted = state.project.tone.painted
    if not state.project.regions.regions:
        return set_base(state, painted) if painted else state
    if fit and painted:
        return make_tone(state)
    state = add_missing_tints(state)
    return set_base(state, painted) if painted else state
