"""Levels of the tone, region by region: rows of a Levels step at the start of the recipe."""

from collections.abc import Mapping

import numpy as np

from evenpalette.core.color.encoding import F32, encode_srgb
from evenpalette.core.color.hexcode import hex_to_linear
from evenpalette.core.dataclass import dataclass
from evenpalette.core.document.state import State, new_id
from evenpalette.core.edits.recipe import add_row, add_step, bind_input, step_of
from evenpalette.core.errors import RegionError
from evenpalette.core.raster.raster import Encoding, Raster
from evenpalette.core.recipe.evaluate import evaluate
from evenpalette.core.recipe.recipe import Binding
from evenpalette.core.recipe.steps.levels import KIND, spread
from evenpalette.core.tones.headroom import grays_of

#: The mean linear gray that suggested levels aim at, between too dark and flat: common practice, no source.
_AIM = 0.5
DEFAULTS: Mapping[str, float] = {made.key: float(made.default) for made in KIND.inputs}


def levels_row(state: State, region_id: str) -> tuple[str, str] | None:
    """The ids of the Levels step and of its row that spread just this region."""
    for step in state.project.recipe.steps:
        for row in step.rows if step.kind == KIND.key and step.enabled else ():
            if row.regions == (region_id,):
                return step.id, row.id
    return None


def levels_of(state: State, region_id: str) -> dict[str, float]:
    """The default levels of a region; those that change nothing where it has none."""
    found = levels_row(state, region_id)
    if found is None:
        return dict(DEFAULTS)
    bound = next(step for step in state.bound_steps(None) if step.step_id == found[0])
    row = next(n for n, row in enumerate(step_of(state.project.recipe, found[0]).rows) if row.id == found[1])
    return {key: float(bound.rows[row].values[key]) for key in DEFAULTS}


def set_levels(state: State, region_id: str, values: Mapping[str, float]) -> State:
    """Spread the tone of a region; a step and a row are added where there is none. Raises RegionError."""
    region = state.project.regions.find(region_id)
    if region is None:
        raise RegionError("That region is no longer in the project.")
    found = levels_row(state, region_id)
    if found is None:
        home = state.project.regions.division_of(region_id).id
        fitting = [
            step.id for step in state.project.recipe.steps
            if step.kind == KIND.key and step.enabled and all(row.regions is not None for row in step.rows)
            and all(state.project.regions.division_of(r).id == home for r in step.named_regions())
        ]  # fmt: skip
        row_id, step_id = new_id("row"), fitting[0] if fitting else new_id("step")
        if fitting:
            state = add_row(state, step_id, (region_id,), row_id)
        else:
            state = add_step(state, KIND.key, (region_id,), 0, step_id)
            row_id = step_of(state.project.recipe, step_id).rows[0].id
        found = step_id, row_id
    for key, value in values.items():
        state = bind_input(state, found[0], key, Binding(value=value), found[1])
    return state


@dataclass(frozen=True)
class Leveled:
    """A region's tone after its levels. grays: linear, of texels evenly spread. dark, bright: which part of them is
    black, and which part comes out brighter than white in some channel under the tint."""

    grays: F32
    dark: float
    bright: float

    @property
    def mean(self) -> float:
        """The mean linear gray."""
        return float(self.grays.mean(dtype=np.float64)) if self.grays.size else 0.0


def leveled(state: State, region_id: str, tint: str, values: Mapping[str, float] | None = None) -> Leveled:
    """What levels make of the tone of a region, its own where none are given. Raises RegionError without a tone."""
    if state.tone is None:
        raise RegionError("There is no tone yet.")
    grays = spread(grays_of(state.tone, state.coverages.get(region_id)), values or levels_of(state, region_id))
    if not grays.size:
        return Leveled(grays, 0.0, 0.0)
    largest = float(np.max(hex_to_linear(tint)))
    # Half a code of 8 bits beyond white is not seen.
    return Leveled(grays, float((grays <= 1e-5).mean()), float((grays * largest > 1.005).mean()))


def suggested_levels(state: State, region_id: str) -> dict[str, float]:
    """Levels in which black and white are nearly reached, and the mean is a gray that leaves room to every tint."""
    if state.tone is None:
        raise RegionError("There is no tone yet.")
    grays = grays_of(state.tone, state.coverages.get(region_id))
    if not grays.size:
        return dict(DEFAULTS)
    low, high = (float(encode_srgb(np.array(v, np.float32))) for v in np.percentile(grays, [0.5, 99.5]))
    # Flat paint has no black of its own: half of the way there keeps it from becoming noise.
    values = {**DEFAULTS, "black": round(min(low * 0.5, 0.9), 3), "white": round(max(high, low * 0.5 + 0.05), 3)}
    mean = float(spread(grays, values).mean(dtype=np.float64))
    if 1e-4 < mean < 0.999:
        low_gamma, high_gamma = 0.4, 2.5
        for _ in range(20):
            middle = (low_gamma * high_gamma) ** 0.5
            if float(spread(grays, {**values, "gamma": middle}).mean(dtype=np.float64)) < _AIM:
                low_gamma = middle
            else:
                high_gamma = middle
        values["gamma"] = round((low_gamma * high_gamma) ** 0.5, 3)
    return values


def true_average(state: State, region_id: str) -> dict[str, float]:
    """The region's levels with the brightness at which its mean gray is 1, so that its mean color is the tint
    itself."""
    now = levels_of(state, region_id)
    mean = leveled(state, region_id, "#ffffff", {**now, "brightness": 1.0}).mean
    if mean < 0.25:
        raise RegionError(
            f"The tone is too dark for that: its mean is {mean:.2f}, and brightness goes up to 4. Lower its white first."
        )
    return {**now, "brightness": 1 / mean}


def clipping_picture(state: State, variant: str | None, most: int = 1024) -> Raster:
    """The default gray after its levels, at most so many texels a side: blue where it is black, red where its color is
    brighter than white. Raises RegionError without a tone."""
    if state.tone is None:
        raise RegionError("There is no tone yet.")
    factor = min(1.0, most / max(state.tone.size))
    width, height = (max(1, round(side * factor)) for side in state.tone.size)
    working = state.sources.at_size(width, height)
    steps = state.bound_steps(variant)
    levels = [n for n, step in enumerate(steps, 1) if step.kind.key == KIND.key]
    tints = [n for n, step in enumerate(steps, 1) if step.kind.tint]
    gray = evaluate(steps[: max(levels, default=0)], working, float_output=True).pixels
    tinted = evaluate(steps[: max([*levels, *tints], default=0)], working, float_output=True).pixels
    codes = np.rint(encode_srgb(np.clip(gray, 0, 1)) * 255).astype(np.uint8)
    codes[(gray <= 1e-5).all(-1)] = (40, 70, 230)
    codes[(tinted > 1.005).any(-1)] = (230, 50, 40)
    return Raster(codes, Encoding.SRGB)
