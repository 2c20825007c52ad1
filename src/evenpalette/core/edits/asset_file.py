"""Taking a mesh file with what it brings along: its textures in their roles, its sheets, its factors."""

from collections.abc import Collection
from dataclasses import replace

import numpy as np

from evenpalette.core.document.project import Role, Sheet
from evenpalette.core.document.state import State, new_id
from evenpalette.core.edits.asset import add_texture, set_mesh
from evenpalette.core.mesh.file_sheets import FileSheet, FileTexture
from evenpalette.core.mesh.reader import AssetFile
from evenpalette.core.names import free_name, plain_name
from evenpalette.core.raster.image_read import decode_image
from evenpalette.core.raster.raster import Raster
from evenpalette.core.storage.budget import Budget, pixel_bytes
from evenpalette.core.storage.contents import fingerprint


class Pictures:
    """The pictures of a file's textures, each decoded once however many materials name it, within a budget."""

    def __init__(self, budget: Budget) -> None:
        self._budget = budget
        self._made: dict[tuple[int, Role, tuple[float, ...]], Raster] = {}

    def raster(self, texture: FileTexture) -> Raster:
        """The picture of a texture, its factor multiplied in: on linear light for color, on the values for data.

        Raises ImageFileError with its name, ProjectError beyond the budget, before memory is taken.
        """
        role = Role(texture.role)
        content, name = texture.content, texture.name
        pixels = self._budget.decoded(
            fingerprint(content), lambda allow: decode_image(content, name, allow=allow), name
        )
        raster = Raster(pixels, role.encoding)
        factor = texture.factor[: raster.channels]
        if not factor or all(f == 1 for f in factor) or role is Role.EMISSIVE:
            return raster
        made = (id(pixels), role, factor)
        if made not in self._made:
            self._budget.take(raster.pixels.nbytes, texture.name)
            values = raster.as_linear().copy()
            values[..., : len(factor)] *= np.array(factor, np.float32)
            self._made[made] = raster.stored_like(values)
        return self._made[made]


def take_asset(
    state: State,
    file: AssetFile,
    source_path: str = "",
    taken: Collection[tuple[int, int]] | None = None,
    *,
    sheets: bool = True,
) -> State:
    """Use a file's mesh, and the textures of it that are taken: (sheet, texture) numbers, None is all of them.

    sheets: groups with textures of their own become sheets, where nothing is made yet and there are several; else all
    textures go to the state's sheet. Raises EvenPaletteError.
    """
    pictures = Pictures(Budget(file.mesh.name, pixel_bytes(state)))
    state = set_mesh(state, file.mesh, source_path)
    chosen = [
        (sheet, [t for number, t in enumerate(sheet.textures) if taken is None or (place, number) in taken])
        for place, sheet in enumerate(file.sheets)
    ]
    if not chosen:
        return state
    fresh = len(state.project.sheets) == 1 and not state.project.regions.regions and not state.project.recipe.steps
    if sheets and len(chosen) > 1 and fresh:
        names = _names([sheet for sheet, _ in chosen])
        made = tuple(
            Sheet(id=state.sheet.id if not n else new_id("sheet"), name=name, groups=sheet.groups)
            for n, ((sheet, _), name) in enumerate(zip(chosen, names, strict=True))
        )
        kept = made[0].model_copy(update={"textures": state.sheet.textures, "tone": state.project.tone})
        state = state.with_project(sheets=(kept, *made[1:]))
        if state.mesh is not None:
            state = replace(state, mesh=state.mesh.only(kept.groups))
        for begun, (sheet, textures) in zip(made, chosen, strict=True):
            state = _filled(state.on(begun.id), sheet, textures, pictures)
        return state.on(made[0].id)
    for sheet, textures in chosen:
        state = _filled(state, sheet, textures, pictures)
    return state


def _names(sheets: list[FileSheet]) -> list[str]:
    names: list[str] = []
    for sheet in sheets:
        names.append(free_name(plain_name(sheet.name) or "Sheet", names))
    return names


def _filled(state: State, sheet: FileSheet, textures: list[FileTexture], pictures: Pictures) -> State:
    """The state's sheet with a file's textures and factors."""
    factors = dict(state.sheet.factors) | sheet.factors
    for texture in textures:
        raster = pictures.raster(texture)
        channels = texture.channels if Role(texture.role) is Role.PACKED else ()
        state = add_texture(state, raster, texture.name, Role(texture.role), texture.source, channels)
        if Role(texture.role) is Role.EMISSIVE and texture.factor and any(f != 1 for f in texture.factor):
            factors["emissive"] = texture.factor[:3]
    kept = {key: values for key, values in factors.items() if all(0 <= v <= 65504 for v in values)}
    changed = state.sheet.model_copy(update={"factors": kept})
    return state.with_project(sheets=tuple(changed if s.id == changed.id else s for s in state.project.sheets))
