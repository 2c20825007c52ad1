"""Bringing in the mesh and the textures, and saying what each texture holds."""

import os
from collections.abc import Iterable, Mapping
from dataclasses import replace
from pathlib import Path
from types import MappingProxyType

import numpy as np

from evenpalette.core.document.project import MeshInfo, Role, Sheet, Texture, with_sources
from evenpalette.core.document.state import Resting, State, new_id
from evenpalette.core.edits.guess import PACKED_ORDERS, guess
from evenpalette.core.edits.regions import recompute_coverages
from evenpalette.core.errors import EvenPaletteError, MeshFileError, RegionError
from evenpalette.core.mesh.mesh import Mesh
from evenpalette.core.mesh.read import parse_mesh
from evenpalette.core.mesh.tiles import in_tile
from evenpalette.core.mesh.upright import guess_up, upright
from evenpalette.core.mesh.view import MeshView
from evenpalette.core.names import checked_name, free_name, plain_name, storable
from evenpalette.core.raster.raster import Encoding, Raster
from evenpalette.core.recipe.binding import textures_of
from evenpalette.core.regions.chain import read_by
from evenpalette.core.regions.dividing.face_runs import to_runs
from evenpalette.core.regions.dividing.transfer import transfer_labels
from evenpalette.core.regions.sources.faces import FacesSource, labels_of


def encoding_for(role: Role, raster: Raster) -> Encoding:
    """The encoding a role implies; float color is linear light."""
    if role.encoding is Encoding.SRGB and raster.pixels.dtype.kind == "f":
        return Encoding.LINEAR
    return role.encoding


def set_mesh(state: State, mesh: Mesh, source_path: str = "", uv_set: int | None = None, up: str = "") -> State:
    """Use this mesh; regions made of faces of an old one of the same shape are found again on it. uv_set: which one of
    the file it was laid out by, None for the one that its materials use. up: the axis of the file that points up, ''
    for the one that it had before, or that is guessed.

    Raises MeshFileError for one on which no texture can lie.
    """
    if mesh.uvs is None:
        raise MeshFileError(
            f"{mesh.name} has no UVs, so no texture can lie on it. Unwrap it where it was modeled and bring it in again."
        )
    if abs(mesh.uv_areas()).sum() < 1e-9:
        raise MeshFileError(f"All UVs of {mesh.name} lie in one point or line. Unwrap it and bring it in again.")
    old = state.project.asset.mesh
    if old is not None and old.source_path == source_path:
        # The same file again: it stays laid out as it was.
        if uv_set is None and old.uv_set is not None and mesh.source_bytes:
            uv_set = old.uv_set
            mesh = replace(parse_mesh(mesh.source_bytes, f"mesh{mesh.source_ending}", uv_set), name=mesh.name)
        if old.tile and not mesh.tile:
            mesh = in_tile(mesh, old.tile)
        up = up or old.up
    if mesh.up == "y":
        mesh = upright(mesh, up or guess_up(mesh))
    before = state.mesh.mesh if state.mesh is not None else None
    if before is not None and not np.array_equal(before.faces, mesh.faces):
        state = _faces_on(state, before, mesh)
    info = MeshInfo(
        name=plain_name(mesh.name),
        ending=mesh.source_ending,
        source_path=storable(source_path),
        tile=mesh.tile,
        uv_set=uv_set,
        up=mesh.up,
    )
    asset = state.project.asset.model_copy(update={"mesh": info})
    state = replace(state.with_project(asset=asset), mesh=MeshView(mesh).only(state.sheet.groups))
    if any(r.source.of_faces or r.operations for r in state.project.regions.regions):
        state = recompute_coverages(state)
    return state


def set_tile(state: State, tile: str) -> State:
    """Work on another UV tile of the mesh, 'wrap' for all of them laid into one, '' for the layout of the file."""
    info = state.project.asset.mesh
    if state.mesh is None or info is None:
        raise MeshFileError("Bring in a mesh first.")
    return _laid_anew(state, tile, info.uv_set, info.up)


def set_uv_set(state: State, uv_set: int | None) -> State:
    """Lay the mesh out by another UV set of its file, None for the one that its materials use. Raises MeshFileError."""
    if state.mesh is None or state.project.asset.mesh is None:
        raise MeshFileError("Bring in a mesh first.")
    return _laid_anew(state, "", uv_set, state.project.asset.mesh.up)


def set_up(state: State, up: str) -> State:
    """Say which axis of the mesh's file points up: what is made of directions follows. Raises MeshFileError."""
    info = state.project.asset.mesh
    if state.mesh is None or info is None:
        raise MeshFileError("Bring in a mesh first.")
    return _laid_anew(state, info.tile, info.uv_set, up)


def _laid_anew(state: State, tile: str, uv_set: int | None, up: str) -> State:
    """The mesh of the file with another layout, or set upright otherwise."""
    info, view = state.project.asset.mesh, state.mesh
    assert info is not None
    assert view is not None
    mesh = view.whole.mesh
    if mesh.source_bytes:
        mesh = replace(parse_mesh(mesh.source_bytes, f"mesh{mesh.source_ending}", uv_set), name=mesh.name)
    elif mesh.up != up:
        raise MeshFileError(f"The file of {mesh.name} is not kept. Bring it in again.")
    laid = in_tile(mesh, tile)
    state = state.with_project(
        asset=state.project.asset.model_copy(
            update={"mesh": info.model_copy(update={"tile": "", "uv_set": None, "up": up})}
        )
    )
    state = set_mesh(state, laid, info.source_path, uv_set, up)
    return remade_everywhere(state)


def remade_everywhere(state: State) -> State:
    """Coverages that follow the layout of the mesh made anew on every sheet."""
    here = state.sheet.id
    for sheet in state.project.sheets:
        state = state.on(sheet.id)
        if any(r.source.of_faces or r.operations for r in state.project.regions.regions):
            state = recompute_coverages(state)
    return state.on(here)


def move_groups(state: State, groups: tuple[str, ...], sheet_id: str | None, name: str = "") -> State:
    """Put material groups on another sheet, None is a new one with this name; a sheet that has none left and nothing
    made on it goes. What was made of faces follows. Raises EvenPaletteError.
    """
    if state.mesh is None:
        raise MeshFileError("Bring in a mesh first.")
    known = state.mesh.whole.mesh.group_names
    moved = [group for group in known if group in groups]
    sheets = list(state.project.sheets)
    if sheet_id is None:
        sheets.append(
            Sheet(
                id=new_id("sheet"),
                name=free_name(name.strip() or (moved[0] if moved else "Sheet"), (sheet.name for sheet in sheets)),
                groups=(),
            )
        )
        sheet_id = sheets[-1].id
    if not any(sheet.id == sheet_id for sheet in sheets):
        raise EvenPaletteError("That sheet is no longer in the project.")
    kept = []
    for sheet in sheets:
        has = known if sheet.groups is None else sheet.groups
        has = tuple(g for g in known if (g in has and g not in moved) or (sheet.id == sheet_id and g in moved))
        is_bare = not sheet.textures and not sheet.regions.regions and not sheet.steps
        if has or not is_bare:
            kept.append(sheet.model_copy(update={"groups": has}))
    if not any(sheet.groups for sheet in kept):
        raise EvenPaletteError("Some sheet must have the mesh.")
    if len(kept) == 1:
        kept = [kept[0].model_copy(update={"groups": None})]
    target = next(sheet for sheet in kept if sheet.id == sheet_id) if any(s.id == sheet_id for s in kept) else kept[0]
    left = state.sheet.id
    resting = dict(state.resting) | {left: Resting(state.coverages, state.made, state.tone)}
    there = resting.pop(target.id, Resting())
    resting = {key: value for key, value in resting.items() if any(s.id == key for s in kept)}
    project = state.project.model_copy(update={"sheets": tuple(kept), "active_sheet": target.id})
    state = replace(
        state, project=project, mesh=state.mesh.only(target.groups), coverages=there.coverages, made=there.made,
        tone=there.tone, resting=MappingProxyType(resting), chosen=None,
    )  # fmt: skip
    return remade_everywhere(state)


def _faces_on(state: State, before: Mesh, mesh: Mesh) -> State:
    """The regions made of faces, moved to the nearest faces of another mesh where that stands in the same place."""
    regions = state.project.regions
    owned = [r for r in regions.regions if r.source.of_faces]
    if not owned:
        return state
    labels = labels_of(owned, before.face_count)
    try:
        moved = transfer_labels(mesh, before, labels).labels
    except RegionError:
        return state
    made = {r.id: FacesSource(runs=to_runs(moved == index)) for index, r in enumerate(owned)}
    changed = tuple(r.model_copy(update={"source": made[r.id]}) if r.id in made else r for r in regions.regions)
    return state.with_project(regions=regions.with_regions(changed))


def add_texture(
    state: State,
    raster: Raster,
    name: str,
    role: Role | None = None,
    source_path: str = "",
    channels: tuple[str, ...] = (),
) -> State:
    """Bring in a texture; its encoding follows what it holds, which is guessed where it is not said. The first painted
    color becomes what tones are made from. channels: of packed data."""
    guessed = guess(name, raster) if role is None else None
    role = role or (guessed.role if guessed is not None else Role.PAINTED)
    encoding = encoding_for(role, raster)
    texture = Texture(
        id=new_id("texture"), name=_file_name(name), role=role, encoding=encoding, source_path=storable(source_path),
        channels=channels or (guessed.channels if guessed is not None else ()) or (PACKED_ORDERS["orm"] if role is Role.PACKED else ()),
        guessed=guessed.why if guessed is not None else "",
    )  # fmt: skip
    asset = state.project.asset
    parts: dict[str, object] = {"asset": asset.model_copy(update={"textures": (*asset.textures, texture)})}
    if role is Role.PAINTED and state.project.tone.painted is None:
        parts["tone"] = state.project.tone.model_copy(update={"painted": texture.id})
    textures = {**state.textures, texture.id: raster.with_encoding(encoding)}
    return replace(state.with_project(**parts), textures=MappingProxyType(textures))


def replace_texture(state: State, texture_id: str, raster: Raster) -> State:
    """Put new pixels in a texture's place, e.g. after its file changed; coverages that are made from it follow."""
    texture = _texture(state, texture_id)
    textures = {**state.textures, texture_id: raster.with_encoding(texture.encoding)}
    return recompute_coverages(replace(state, textures=MappingProxyType(textures)))


def set_role(state: State, texture_id: str, role: Role) -> State:
    """Say what a texture holds; its numbers stay, only their meaning changes."""
    texture = _texture(state, texture_id)
    raster = state.textures[texture_id]
    encoding = encoding_for(role, raster)
    channels = (texture.channels or PACKED_ORDERS["orm"]) if role is Role.PACKED else ()
    parts = {"role": role, "encoding": encoding, "guessed": "", "channels": channels}
    state = with_texture(state, texture.model_copy(update=parts))
    textures = {**state.textures, texture_id: raster.with_encoding(encoding)}
    tone = state.project.tone
    if role is Role.PAINTED and tone.painted is None:
        state = state.with_project(tone=tone.model_copy(update={"painted": texture_id}))
    return replace(state, textures=MappingProxyType(textures))


def set_channels(state: State, texture_id: str, channels: tuple[str, ...]) -> State:
    """Say what each channel of packed data holds."""
    return with_texture(state, _texture(state, texture_id).model_copy(update={"channels": channels, "guessed": ""}))


def exchange_texture(state: State, texture_id: str, raster: Raster, name: str, source_path: str) -> State:
    """Put another file in a texture's place; everything that uses it keeps using it."""
    texture = _texture(state, texture_id)
    state = replace_texture(state, texture_id, raster)
    # Whatever it was made of, from now on it is what the file holds.
    own = {"name": _file_name(name), "source_path": storable(source_path), "bake": None, "mended": None}
    return with_texture(state, texture.model_copy(update=own))


def set_encoding(state: State, texture_id: str, encoding: Encoding) -> State:
    """Say how a texture's numbers are to be read, against what its role suggests."""
    texture = _texture(state, texture_id)
    state = with_texture(state, texture.model_copy(update={"encoding": encoding}))
    textures = {**state.textures, texture_id: state.textures[texture_id].with_encoding(encoding)}
    return replace(state, textures=MappingProxyType(textures))


def remove_texture(state: State, texture_id: str) -> State:
    """Take a texture out. Raises EvenPaletteError while something is made from it."""
    texture = _texture(state, texture_id)
    users = [
        f"region {region.name}"
        for region in state.project.regions.regions
        if region.source.reads == texture_id or any(texture_id in read_by(o)[1] for o in region.operations)
    ]
    users += [f"step {s.name}" for s in state.sheet.steps if texture_id in textures_of(s, state.project.parameters)]
    if state.project.recipe.base == texture_id:
        users.append("the start of the recipe")
    if users:
        raise EvenPaletteError(
            f"{texture.name} is still used by {', '.join(users[:4])}. Give these another source first."
        )
    asset = state.project.asset
    kept = tuple(t for t in asset.textures if t.id != texture_id)
    parts: dict[str, object] = {"asset": asset.model_copy(update={"textures": kept})}
    if state.project.tone.painted == texture_id:
        others = [t.id for t in kept if t.role is Role.PAINTED]
        parts["tone"] = state.project.tone.model_copy(update={"painted": others[0] if others else None})
    textures = {key: value for key, value in state.textures.items() if key != texture_id}
    return replace(state.with_project(**parts), textures=MappingProxyType(textures))


def rename_project(state: State, name: str) -> State:
    """Give the project a name. Raises ValueProblem for what is no name."""
    return state.with_project(name=checked_name(name, "A project"))


def _file_name(name: str) -> str:
    return plain_name(Path(name).name)[:120].strip() or "texture"


def _texture(state: State, texture_id: str) -> Texture:
    texture = state.project.asset.texture(texture_id)
    if texture is None:
        raise EvenPaletteError("That texture is no longer in the project.")
    return texture


def with_texture(state: State, changed: Texture) -> State:
    """The state with what is said of a texture replaced."""
    asset = state.project.asset
    textures = tuple(changed if t.id == changed.id else t for t in asset.textures)
    return state.with_project(asset=asset.model_copy(update={"textures": textures}))


def missing_sources(state: State) -> list[str]:
    """Files that textures and the mesh were brought in from and that are not there any more."""
    named = [t.source_path for sheet in state.project.sheets for t in sheet.textures]
    named += [state.project.mesh.source_path] if state.project.mesh is not None else []
    return [path for path in dict.fromkeys(named) if path and not Path(path).is_file()]


def point_to(state: State, found: Mapping[str, str]) -> State:
    """Say where files lie now: old path to new path. What is in the project stays as it is."""
    return replace(state, project=with_sources(state.project, lambda path: found.get(path, path)))


def find_sources(missing: Iterable[str], folder: Path) -> dict[str, str]:
    """Files of the same names in a folder and below, old path to new path. At most some ten thousand entries are looked
    at."""
    wanted: dict[str, list[str]] = {}
    for path in missing:
        wanted.setdefault(Path(path).name, []).append(path)
    found: dict[str, str] = {}
    for seen, (where, _, names) in enumerate(os.walk(folder)):
        for name in wanted.keys() & set(names):
            for old in wanted[name]:
                found.setdefault(old, str(Path(where) / name))
        if seen > 10_000 or len(found) == sum(map(len, wanted.values())):
            break
    return found
