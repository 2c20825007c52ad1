"""Ramps of the asset: strip textures whose rows are drawn from stops."""

from collections.abc import Sequence
from pathlib import Path

import numpy as np

from evenpalette.core.document.project import Role, Texture
from evenpalette.core.document.state import State, new_id
from evenpalette.core.edits.asset import add_texture, replace_texture, with_texture
from evenpalette.core.edits.palette import lay_palette, rows_of
from evenpalette.core.edits.parameters import set_first_row
from evenpalette.core.edits.recipe import add_step
from evenpalette.core.errors import EvenPaletteError
from evenpalette.core.raster.raster import Encoding, Raster
from evenpalette.core.raster.reading import resize_plane
from evenpalette.core.recipe.steps import KINDS
from evenpalette.core.recipe.steps.ramp import BETWEEN, STOPS
from evenpalette.core.tones.ramps import Between, Ramp, Stop, best_path, of_palette, simplified
from evenpalette.core.tones.settings import StoredRamp, StoredStop
from evenpalette.core.values import Value

#: Texels of a row: the levels of an 8-bit gray, so that each has an entry of its own.
WIDTH = 256
MOST_ROWS = 256


def stored(ramp: Ramp) -> StoredRamp:
    """A ramp as the document has it."""
    stops = tuple(StoredStop(position=stop.position, color=stop.color) for stop in ramp.stops)
    return StoredRamp(stops=stops, between=ramp.between.value)


def ramp_of(held: StoredRamp) -> Ramp:
    """A ramp of the document."""
    return Ramp(tuple(Stop(stop.position, stop.color) for stop in held.stops), Between(held.between))


def ramps_of(state: State, texture_id: str) -> list[Ramp]:
    """The ramps of a strip, one for each row. Raises EvenPaletteError where it has none."""
    texture = state.project.asset.texture(texture_id)
    if texture is None or not texture.ramps:
        raise EvenPaletteError("That is no ramp.")
    return [ramp_of(held) for held in texture.ramps]


def strips_with_ramps(state: State) -> list[Texture]:
    """The textures that are ramps."""
    return [texture for texture in state.project.asset.textures if texture.ramps]


def _drawn(ramps: Sequence[Ramp]) -> Raster:
    return Raster(np.concatenate([ramp.strip(WIDTH).pixels for ramp in ramps]), Encoding.SRGB)


def add_ramp(state: State, ramp: Ramp, name: str = "ramp") -> State:
    """Add a strip of one ramp, 256 texels wide, as a texture of the asset."""
    taken = {texture.name for texture in state.project.asset.textures}
    free = next(
        f"{name}{number}.png"
        for number in ("", *(f"-{k}" for k in range(2, 1000)))
        if f"{name}{number}.png" not in taken
    )
    state = add_texture(state, _drawn([ramp]), free, Role.STRIP)
    made = state.project.asset.textures[-1]
    return with_texture(state, made.model_copy(update={"ramps": (stored(ramp),)}))


def set_ramps(state: State, texture_id: str, ramps: Sequence[Ramp]) -> State:
    """Give the rows of a strip other ramps, at least one."""
    texture = state.project.asset.texture(texture_id)
    if texture is None or not 1 <= len(ramps) <= MOST_ROWS:
        raise EvenPaletteError(f"A strip has 1 to {MOST_ROWS} rows.")
    state = with_texture(state, texture.model_copy(update={"ramps": tuple(stored(ramp) for ramp in ramps)}))
    return replace_texture(state, texture_id, _drawn(ramps))


def set_ramp(state: State, texture_id: str, row: int, ramp: Ramp) -> State:
    """Give one row another ramp."""
    ramps = ramps_of(state, texture_id)
    ramps[row] = ramp
    return set_ramps(state, texture_id, ramps)


def ramp_of_picture(state: State, texture_id: str, stops: int, region_id: str | None = None) -> Ramp:
    """The best path through a texture's colors; region_id: only its texels decide. Raises EvenPaletteError."""
    raster = state.textures.get(texture_id)
    if raster is None:
        raise EvenPaletteError("That texture is no longer in the project.")
    importance = None
    if region_id is not None and region_id in state.coverages:
        importance = resize_plane(state.coverages[region_id].astype(np.float32), raster.size)
    return best_path(raster, stops, importance)


def ramp_of_index(state: State, index_id: str, row: int = 0) -> Ramp:
    """A ramp through the palette of index art."""
    return of_palette(rows_of(state, index_id)[row], Between.OKLAB)


def lay_ramp(state: State, texture_id: str, row: int = 0, gray_id: str = "") -> State:
    """Add the step that colors a gray by a ramp.

    Without a gray texture a Ramp step on what is below, with the six stops that come nearest; with one a Palette step
    that looks each texel up in the strip, all its rows within reach of parameters.
    """
    ramp = simplified(ramps_of(state, texture_id)[row], STOPS)
    if gray_id:
        gray = state.project.asset.texture(gray_id)
        if gray is None:
            raise EvenPaletteError("That texture is no longer in the project.")
        return lay_palette(state, gray_id, texture_id, row)
    recipe = state.project.recipe
    order = KINDS["ramp"].order
    under = [n for n, step in enumerate(recipe.steps, 1) if step.kind in KINDS and KINDS[step.kind].order <= order]
    step_id = new_id("step")
    state = add_step(state, "ramp", None, max(under, default=0), step_id)
    words = dict(zip((Between.LINEAR, Between.OKLAB, Between.STEPPED), BETWEEN, strict=True))
    values: dict[str, Value] = {"stops": max(2, len(ramp.stops)), "between": words[ramp.between]}
    for k in range(1, STOPS + 1):
        stop = ramp.stops[min(k, len(ramp.stops)) - 1]
        values |= {f"color_{k}": stop.color, f"place_{k}": round(stop.position, 4) if k <= len(ramp.stops) else 1.0}
    return set_first_row(state, step_id, values)


def name_for(source: str) -> str:
    """What a ramp of a texture is called."""
    return f"{Path(source).stem[:80]}-ramp"
