"""The glow of a recipe gathered over the surface: its lamps, the bakes of their light, and the step that lays it."""

import json
import time
from collections.abc import Callable
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.baking.bake import RAYS_SHARE, BakedMap, check_layout, gutter_of, notes_on, without_noise
from evenpalette.core.baking.denoise import DENOISERS
from evenpalette.core.baking.glow import bounced
from evenpalette.core.baking.kind import RAYS
from evenpalette.core.baking.points import surface_points
from evenpalette.core.baking.tracing import Casters, Traced
from evenpalette.core.dataclass import dataclass
from evenpalette.core.document.bake import Bake
from evenpalette.core.document.state import State
from evenpalette.core.edits.clear import clear_plane
from evenpalette.core.edits.recipe import add_step, with_recipe
from evenpalette.core.errors import RecipeError
from evenpalette.core.mesh.texels import Texels
from evenpalette.core.parallel import Progress, no_progress, part_of
from evenpalette.core.raster.digest import digest
from evenpalette.core.recipe.attributes import BASE_COLOR, EMISSIVE
from evenpalette.core.recipe.binding import BoundStep
from evenpalette.core.recipe.evaluate import evaluate_surface
from evenpalette.core.recipe.recipe import Binding, Step
from evenpalette.core.recipe.steps import kind_of
from evenpalette.core.recipe.steps.gathered_glow import LAMPS
from evenpalette.core.values import Input, Value, ValueType

GLOW_STEP, GATHERED_STEP = "glow", "gathered_glow"
BOUNCES = Input(
    "bounces",
    "Bounces",
    ValueType.INTEGER,
    1,
    0,
    4,
    description="How often light is sent on; 0 is straight light alone",
)


#: What of a glow with a ramp a lamp is: what has its color, and what has its dim color. The setting of a bake that says
#: so, '' for all of it.
PART, BRIGHT, DIM = "part", "bright", "dim"


@dataclass(frozen=True)
class Lamp:
    """A row of a step that glows. name: of its regions. part: `BRIGHT` or `DIM` of one whose color goes over into
    another, each of which is linear in its color."""

    step: str
    row: str
    name: str
    part: str = ""

    @property
    def color(self) -> str:
        """The input of the step that colors it."""
        return "edge" if self.part == DIM else "color"

    def settings(self, rays: float, bounces: float) -> dict[str, Value]:
        """Of a bake of its light."""
        return {"rays": rays, "bounces": bounces, **({PART: self.part} if self.part else {})}


def lamps_of(state: State) -> list[Lamp]:
    """Everything that glows in the recipe of the state's sheet, row by row; a row with a ramp is two lamps."""
    names = {r.id: r.name for r in state.project.regions.regions}
    found = []
    for step in state.project.recipe.steps:
        for row in step.rows if step.kind == GLOW_STEP and step.enabled else ():
            name = ", ".join(names.get(r, "?") for r in row.regions) if row.regions else step.name
            ramp = step.binding(row, "ramped")
            if ramp is not None and ramp.is_plain and ramp.value is True:
                found += [Lamp(step.id, row.id, name, BRIGHT), Lamp(step.id, row.id, f"{name}, dim", DIM)]
            else:
                found.append(Lamp(step.id, row.id, name))
    return found


def part_of_lamp(wish: Bake) -> str:
    """What of its lamp a bake is of."""
    return str(wish.settings.get(PART, ""))


def _white(state: State, lamp: tuple[str, str], variant: str | None, part: str = "") -> BoundStep:
    """The step of a lamp with nothing of it but that row, or a part of it, in white, at its full amount."""
    step = next((s for s in state.bound_steps(variant) if s.step_id == lamp[0]), None)
    stored = state.project.recipe.step(lamp[0])
    if step is None or stored is None or stored.row(lamp[1]) is None:
        raise RecipeError("What glowed there is no longer in the recipe.")
    place = [row.id for row in stored.rows].index(lamp[1])
    white, black = np.ones(3, np.float32), np.zeros(3, np.float32)
    colors = {"color": black if part == DIM else white, "edge": black if part == BRIGHT else white}
    rows = tuple(
        replace(row, amount=1.0, values={**row.values, **colors, "stops": 0.0, "adds": 1})
        if index == place else replace(row, amount=0.0)
        for index, row in enumerate(step.rows)
    )  # fmt: skip
    return replace(step, amount=1.0, rows=rows)


def lamp_words(state: State, lamp: tuple[str, str]) -> str:
    """What decides the light of a lamp, whatever its color; '' where it is gone. The same on every machine: of what the
    document holds, not of what is computed from it."""
    try:
        step = _white(state, lamp, None)
    except RecipeError:
        return ""
    row = next(row for row in step.rows if row.amount)
    textures = sorted({read.texture for read in row.maps.values()})
    pixels = [digest(state.textures[key].pixels).hex() for key in textures if key in state.textures]
    ids = state.region_ids
    own = ids if row.regions is None else [ids[k] for k in row.regions]
    planes = [digest(state.coverages[region]).hex() for region in own if region in state.coverages]
    numbers = {key: value for key, value in row.values.items() if isinstance(value, int | float)}
    said: list[object] = [numbers, {k: str(v) for k, v in row.maps.items()}, pixels, planes]
    if "picture" in row.maps:
        # Bakes of before 0.10.2 took its mean for white.
        said.append("in its colors")
    return json.dumps(said, sort_keys=True)


def lamp_light(
    state: State, lamp: tuple[str, str], size: int, variant: str | None, part: str = ""
) -> NDArray[np.float32]:
    """How bright each texel is in the light of a lamp, or of a part of it, in white, float32 (size, size, 1);
    (size, size, 3) where it shines through a texture that has colors."""
    sources = replace(state.sources, starts={k: v for k, v in state.sources.starts.items() if k != EMISSIVE})
    made = evaluate_surface(
        [_white(state, lamp, variant, part)], sources, (EMISSIVE,), size=(size, size), float_output=True
    )
    light = np.maximum(made[EMISSIVE].pixels[..., :3], 0)
    return np.ascontiguousarray(light if np.ptp(light, axis=2).any() else light[..., :1], np.float32)


def gather(
    state: State, wish: Bake, texels: Texels, *, progress: Progress = no_progress,
    seen: Callable[[NDArray[np.float32], int], None] | None = None,
) -> BakedMap:  # fmt: skip
    """The light of one lamp in white that arrives at each texel, float32 (h, w, 3), linear. Raises
    EvenPaletteError."""
    begun = time.monotonic()
    check_layout(texels.mesh)
    if wish.lamp is None:
        raise RecipeError("A bake of glow names what glows.")
    variant = wish.variant or state.project.active_variant
    points = surface_points(texels)
    gutter, whole = gutter_of(points, wish.padding), gutter_of(points, -1)
    light = lamp_light(state, wish.lamp, wish.size, variant, part_of_lamp(wish))
    lamp = light.reshape(-1, light.shape[2])[whole]
    steps, size = state.bound_steps(variant), (wish.size, wish.size)
    base = evaluate_surface(steps, state.sources, (BASE_COLOR,), size=size, float_output=True)[BASE_COLOR]
    albedo = np.clip(base.pixels, 0, 1)
    opacity = clear_plane(state, wish.size, variant) if wish.clear else None
    traced = Traced(texels.mesh, Casters(opacity=opacity))
    bounces = int(BOUNCES.accept(wish.settings.get("bounces", BOUNCES.default)))
    rays = int(RAYS.accept(wish.settings.get("rays", RAYS.default)))
    found = None
    for bounce, found in bounced(
        points, traced, lamp if lamp.shape[2] == 1 else lamp[:, :, None], albedo, whole, bounces=bounces, rays=rays,
        progress=part_of(progress, 0, RAYS_SHARE),
    ):  # fmt: skip
        if seen is not None and (bounce, found.rays) != (bounces, rays):
            seen(points.laid(found.light, gutter), found.rays)
    assert found is not None
    clean = without_noise(points, texels, found.light, found.variance, DENOISERS[wish.denoiser], progress)
    return BakedMap(points.laid(clean, gutter), found.rays, time.monotonic() - begun, tuple(notes_on(texels)))


def _bindings(step: Step, of: Lamp, lamp: str) -> dict[str, Binding]:
    """What a lamp of the step that lays gathered light follows: what the glow itself follows."""
    row = step.row(of.row)
    assert row is not None
    made = {}
    for key, name in ((of.color, lamp), ("stops", f"{lamp}_stops")):
        found = step.binding(row, key)
        made[name] = found if found is not None else Binding(value=kind_of(GLOW_STEP).input(key).default)
    own = row.amount if not (row.amount.is_plain and row.amount.value == 1.0) else step.amount
    made[f"{lamp}_amount"] = own
    return made


def lay_gathered(state: State, lamps: list[Lamp], textures: list[str]) -> State:
    """Add the step that lays the gathered light of up to four lamps; their colors, stops and amounts are followed.
    Raises RecipeError."""
    if not 1 <= len(lamps) <= len(LAMPS):
        raise RecipeError(f"One step lays the light of 1 to {len(LAMPS)} lamps, not of {len(lamps)}.")
    state = add_step(state, GATHERED_STEP)
    step = state.project.recipe.steps[-1]
    inputs = dict(step.inputs)
    for name, lamp, texture in zip(LAMPS, lamps, textures, strict=False):
        glow = state.project.recipe.step(lamp.step)
        assert glow is not None
        inputs |= _bindings(glow, lamp, name)
        inputs[f"{name}_map"] = Binding(value=texture)
    for name in LAMPS[len(lamps) :]:
        inputs[f"{name}_map"] = Binding(value="")
    steps = state.project.recipe.steps
    return with_recipe(state, steps=(*steps[:-1], step.model_copy(update={"inputs": inputs})))


def scaled(state: State, scales: dict[str, float]) -> State:
    """Tell the steps that lay gathered light what the stored light of textures is multiplied by."""
    changed = []
    for step in state.project.recipe.steps:
        inputs = dict(step.inputs)
        for name in LAMPS if step.kind == GATHERED_STEP else ():
            texture = inputs.get(f"{name}_map")
            if texture is not None and texture.value in scales:
                inputs[f"{name}_scale"] = Binding(value=scales[str(texture.value)])
        changed.append(step.model_copy(update={"inputs": inputs}) if inputs != step.inputs else step)
    return with_recipe(state, steps=tuple(changed))


def brighter(state: State, lamps: list[Lamp], textures: list[str], size: int = 256) -> float:
    """How many times as bright the sources are with the light that they gather of themselves: the mean over what glows,
    in white and at full amount, whatever the variant has it at. textures: of the lamps, made."""
    variant, shape = state.project.active_variant, (size, size)
    base = evaluate_surface(state.bound_steps(variant), state.sources, (BASE_COLOR,), size=shape, float_output=True)
    before = after = 0.0
    for lamp, texture in zip(lamps, textures, strict=True):
        plane = lamp_light(state, (lamp.step, lamp.row), size, variant, lamp.part).mean(2)
        bake, raster = state.project.asset.texture(texture), state.textures[texture].resized(size, size)
        scale = bake.bake.scale if bake is not None and bake.bake is not None else 1.0
        source = plane > 0.1 * plane.max()
        light = (raster.as_linear() * base[BASE_COLOR].pixels * scale).mean(2)
        before += float(plane[source].sum())
        after += float((plane + light)[source].sum())
    return after / before if before > 0 else 1.0


def lamps_laid_by(state: State, step: Step) -> tuple[list[Lamp], list[str]]:
    """The lamps whose gathered light a step lays, and the textures that hold it."""
    lamps, textures = [], []
    glowing = {(lamp.step, lamp.row) for lamp in lamps_of(state)}
    for name in LAMPS:
        bound = step.inputs.get(f"{name}_map")
        texture = state.project.asset.texture(str(bound.value)) if bound is not None and bound.value else None
        bake = texture.bake if texture is not None else None
        if texture is not None and bake is not None and bake.lamp is not None and bake.lamp in glowing:
            lamps.append(Lamp(*bake.lamp, texture.name, part_of_lamp(bake)))
            textures.append(texture.id)
    return lamps, textures


def kept_bright(state: State, texture_id: str) -> tuple[State, str]:
    """Turn the steps that lay a texture's light down so that their sources keep their look, once all of their lamps are
    baked; and say by how much, '' where nothing was to be said yet."""
    steps, said = [], ""
    for step in state.project.recipe.steps:
        lamps, textures = lamps_laid_by(state, step) if step.kind == GATHERED_STEP else ([], [])
        held = [state.project.asset.texture(t) for t in textures]
        if texture_id in textures and all(t is not None and t.bake is not None and t.bake.read for t in held):
            times = brighter(state, lamps, textures)
            strength = round(1 / max(times, 1e-6), 4)
            if f"{strength:.2f}" != "1.00":
                said = f"The bake is {times:.3g} times as strong: turned down to {strength:.2f}"
            step = step.model_copy(update={"inputs": {**step.inputs, "strength": Binding(value=strength)}})
        steps.append(step)
    return with_recipe(state, steps=tuple(steps)), said
