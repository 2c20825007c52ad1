"""Textures made of others by mending them: added beside what they are made of, and made anew when that changes."""

from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.document.project import Mended, Role, Texture
from evenpalette.core.document.state import State
from evenpalette.core.edits.asset import add_texture, replace_texture, with_texture
from evenpalette.core.edits.rewire import rewired
from evenpalette.core.errors import EvenPaletteError
from evenpalette.core.mesh.texels import Texels
from evenpalette.core.parallel import Progress, no_progress
from evenpalette.core.raster.mending.mend import mend
from evenpalette.core.raster.mending.settings import Mending
from evenpalette.core.raster.raster import Raster

_REFUSED = {
    Role.ID_MAP: "An ID map holds flags, which must not be blended.",
    Role.INDEX: "Index art holds positions in a palette, which must not be blended. Mend the picture, then reduce it.",
    Role.STRIP: "A strip holds a palette, not a picture.",
}


def why_not_mended(texture: Texture) -> str:
    """Why a texture cannot be mended, '' where it can."""
    return _REFUSED.get(texture.role, "")


def mended_raster(state: State, texture_id: str, mending: Mending, progress: Progress = no_progress) -> Raster:
    """What mending makes of a texture. Raises EvenPaletteError."""
    texture = state.project.asset.texture(texture_id)
    if texture is None or texture_id not in state.textures:
        raise EvenPaletteError("That texture is no longer in the project.")
    if reason := why_not_mended(texture):
        raise EvenPaletteError(reason)
    raster = state.textures[texture_id]
    is_normal = texture.role is Role.NORMAL
    return mend(raster, mending, _islands(state, texture, raster), is_normal=is_normal, progress=progress)


def _islands(state: State, texture: Texture, raster: Raster) -> NDArray[np.int32] | None:
    """The UV islands at the size of a raster; None without a mesh, or where the texture is tiled over the surface."""
    if state.mesh is None or state.mesh.mesh.uvs is None or texture.role is Role.PATTERN:
        return None
    return Texels(state.mesh.mesh, state.mesh.topology, (raster.height, raster.width)).islands


def add_mended(
    state: State, texture_id: str, mending: Mending, *, take_over: bool = True, progress: Progress = no_progress
) -> State:
    """Add a texture that is another one, mended. take_over: whatever uses the other one uses it from now on."""
    texture = state.project.asset.texture(texture_id)
    made = mended_raster(state, texture_id, mending, progress)
    assert texture is not None
    name = Path(texture.name)
    state = add_texture(state, made, f"{name.stem[:100]}-mended.png", texture.role, channels=texture.channels)
    new = state.project.asset.textures[-1]
    state = with_texture(state, new.model_copy(update={"mended": Mended(source=texture_id, mending=mending)}))
    return rewired(state, {texture_id: new.id}) if take_over else state


def set_mending(state: State, texture_id: str, mending: Mending, progress: Progress = no_progress) -> State:
    """Mend the source of a texture in another way. Raises EvenPaletteError."""
    texture = state.project.asset.texture(texture_id)
    if texture is None or texture.mended is None:
        raise EvenPaletteError("That texture is not made of another one.")
    made = mended_raster(state, texture.mended.source, mending, progress)
    mended = texture.mended.model_copy(update={"mending": mending})
    return replace_texture(with_texture(state, texture.model_copy(update={"mended": mended})), texture_id, made)


def with_made_anew(state: State, changed: set[str], progress: Progress = no_progress) -> State:
    """Make anew what is made of textures that changed, and what is made of that."""
    for texture in state.project.asset.textures:
        mended = texture.mended
        if mended is not None and mended.source in changed and mended.source in state.textures:
            made = mended_raster(state, mended.source, mended.mending, progress)
            state = replace_texture(state, texture.id, made)
            changed = {*changed, texture.id}
    return state
