"""Projects that have what demos lack."""

from dataclasses import replace
from types import MappingProxyType

import numpy as np

from evenpalette.core.document.project import Role, Sheet, Texture
from evenpalette.core.document.state import Resting, State
from evenpalette.core.edits.parameters import name_texture, name_vector
from evenpalette.core.edits.recipe import add_step, bind_input
from evenpalette.core.edits.variants import set_value
from evenpalette.core.raster.raster import Encoding, Raster
from evenpalette.core.recipe.parameters import Parameter
from evenpalette.core.recipe.recipe import Binding

PAPERS = ("paper-0", "paper-1", "paper-2")


def with_choices(lantern: State) -> tuple[State, str, Parameter, Parameter]:
    """The lantern with three papers to choose among, laid four times, and a finish of four numbers, which the first
    three variants have each in another way; the id of the step that lays the paper, and both parameters."""
    rng, state = np.random.default_rng(6), lantern
    for k, key in enumerate(PAPERS):
        # One of them has an alpha: they are read by one shader all the same.
        raster = Raster(rng.integers(0, 256, (32, 32, 4 if k == 1 else 3), np.uint8), Encoding.SRGB)
        texture = Texture(id=key, name=key, role=Role.COLOR, encoding=Encoding.SRGB)
        asset = state.project.asset.model_copy(update={"textures": (*state.project.asset.textures, texture)})
        state = replace(state.with_project(asset=asset), textures=MappingProxyType({**state.textures, key: raster}))
    state = add_step(state, "fill", None, 2)
    fill = state.project.recipe.steps[2].id
    state = bind_input(state, fill, "picture", Binding(value=PAPERS[0]))
    state = bind_input(state, fill, "picture_placed", Binding(value="scale=4"))
    first = state.project.recipe.steps[2].rows[0]
    state = name_texture(
        state, fill, "picture", "Paper pattern", row_id=first.id if "picture" in first.inputs else None
    )
    pattern = state.project.parameters[-1]
    assert set(PAPERS) <= set(pattern.choices)
    state = add_step(state, "finish", None)
    finish = state.project.recipe.steps[-1]
    keys = ["roughness", "metallic", "coat", "coat_roughness"]
    row = finish.rows[0].id if "roughness" in finish.rows[0].inputs else None
    state = name_vector(state, finish.id, keys, "Wear", row_id=row)
    wear = state.project.parameters[-1]
    for k, variant in enumerate(state.project.variants[:3]):
        state = set_value(state, variant.id, pattern.id, PAPERS[k])
        state = set_value(state, variant.id, wear.id, f"0.{k + 2}, 0.{k}, 0.5, 0.1")
    return state, fill, pattern, wear


def on_two_sheets(state: State) -> State:
    """The project with its cap on a sheet of its own, which is tinted as the first step's first row is."""
    step = state.project.recipe.steps[0]
    row = step.rows[0].model_copy(update={"id": "badge-row", "regions": None})
    badge = Sheet(
        id="sheet-badge",
        name="Badge",
        groups=("Cap",),
        steps=(step.model_copy(update={"id": "badge", "rows": (row,)}),),
    )
    gray = Raster(np.full((64, 64, 1), 30000, np.uint16), Encoding.DATA)
    made = state.with_project(sheets=(*state.project.sheets, badge))
    return replace(made, resting=MappingProxyType({"sheet-badge": Resting(tone=gray)}))
