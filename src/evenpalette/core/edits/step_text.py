"""Steps as text: copied from one project, pasted into another; what they name is found there by its name."""

import json
from collections.abc import Sequence
from typing import Any

from pydantic import ValidationError

from evenpalette.core.document.state import State, new_id
from evenpalette.core.document.turned_angles import turned
from evenpalette.core.document.validate import check_tree
from evenpalette.core.edits.parameters import free_parameter_name
from evenpalette.core.errors import EvenPaletteError, RecipeError
from evenpalette.core.recipe.kind import StepKind
from evenpalette.core.recipe.parameters import Parameter
from evenpalette.core.recipe.recipe import Binding, Step
from evenpalette.core.recipe.steps import KINDS, known_kind
from evenpalette.core.values import ValueType

FORMAT, VERSION = "even-palette-steps", 2
#: Text longer than this is nobody's steps.
_LONGEST = 1 << 20


def steps_as_text(state: State, step_ids: Sequence[str]) -> str:
    """Steps with the parameters, regions and textures that they name, as JSON. Raises RecipeError without a step."""
    recipe = state.project.recipe
    steps = [step for step in recipe.steps if step.id in step_ids]
    if not steps:
        raise RecipeError("Choose a step to copy.")
    steps = [unpinned(step) for step in steps]
    followed = {b.parameter for step in steps for b in step.bindings if b.parameter}
    said = [step.model_dump_json(exclude={"link"}) for step in steps] + [
        p.model_dump_json() for p in recipe.parameters if p.id in followed
    ]
    return json.dumps({
        "format": FORMAT, "version": VERSION,
        "steps": [step.model_dump(mode="json", exclude_defaults=True, exclude={"link"}) | {"id": step.id, "kind": step.kind, "name": step.name} for step in steps],
        "parameters": [p.model_dump(mode="json") for p in recipe.parameters if p.id in followed],
        "regions": {r.id: r.name for r in state.project.regions.regions if any(r.id in step.named_regions() for step in steps)},
        "textures": {t.id: t.name for t in state.project.asset.textures if any(t.id in text for text in said)},
    }, indent=1)  # fmt: skip


def unpinned(step: Step) -> Step:
    """The step with picks that go by the copy's number alone: what pins them is its project's own."""

    def free(binding: Binding) -> Binding:
        if binding.pick is None or binding.pick.pin is None:
            return binding
        return Binding(pick=binding.pick.model_copy(update={"pin": None}))

    def freed(inputs: dict[str, Binding]) -> dict[str, Binding]:
        return {key: free(binding) for key, binding in inputs.items()}

    if not any(b.pick is not None and b.pick.pin for b in step.bindings):
        return step
    rows = tuple(r.model_copy(update={"amount": free(r.amount), "inputs": freed(r.inputs)}) for r in step.rows)
    return step.model_copy(update={"amount": free(step.amount), "inputs": freed(step.inputs), "rows": rows})


def paste_steps(state: State, text: str, at: int | None = None) -> tuple[State, list[str]]:
    """Steps of a text put at a place, behind all others where none is given; and what could not be found, in words.

    Parameters, regions and textures are found by name; parameters that are not there are added. Raises RecipeError.
    """
    state, pairs, missing = placed(state, text)
    recipe = state.project.recipe
    place = len(recipe.steps) if at is None else min(max(at, 0), len(recipe.steps))
    made = [here for _, here in pairs]
    all_steps = (*recipe.steps[:place], *made, *recipe.steps[place:])
    return state.with_project(recipe=recipe.model_copy(update={"steps": all_steps})), missing


def placed(state: State, text: str) -> tuple[State, list[tuple[Step, Step]], list[str]]:
    """Every step of a text as it is there and as it is in this project, not yet put anywhere; the state with the
    parameters that they follow; and what could not be found, in words. Raises RecipeError."""
    raw = _read(text)
    try:
        if raw["version"] == 1:
            raw["steps"], raw["parameters"], _ = turned(raw["steps"], raw["parameters"], [])
        steps = [Step.model_validate(step) for step in raw["steps"]]
        parameters = [Parameter.model_validate(p) for p in raw["parameters"]]
        regions, textures = dict(raw["regions"]), dict(raw["textures"])
        for step in steps:
            known_kind(step.kind)
    except (ValidationError, EvenPaletteError, KeyError, TypeError, AttributeError, IndexError, ValueError) as error:
        raise RecipeError(f"These steps cannot be read: {str(error).splitlines()[0][:120]}.") from error
    missing: list[str] = []
    here = {region.name: region.id for region in state.project.regions.regions}
    held = {texture.name: texture.id for texture in state.project.asset.textures}
    regions = {old: here.get(name, "") for old, name in regions.items()}
    missing += [f"region {raw['regions'][old]}" for old, new in regions.items() if not new]
    textures = {old: held.get(name, "") for old, name in textures.items()}
    missing += [f"texture {raw['textures'][old]}" for old, new in textures.items() if not new]
    known = [p for p in (_with_textures(p, textures) for p in parameters) if p is not None]
    state, renamed = _with_parameters(state, known)
    division = {region.id: d.id for d in state.project.regions.divisions for region in d.regions}
    return state, [(step, _here(step, renamed, regions, textures, division)) for step in steps], missing


def _read(text: str) -> dict[str, Any]:
    if len(text) > _LONGEST:
        raise RecipeError("That is too long to be steps.")
    try:
        raw = json.loads(text)
        check_tree(raw)
    except (ValueError, RecursionError) as error:
        raise RecipeError("The clipboard holds no steps. Copy some from a recipe first.") from error
    if not isinstance(raw, dict) or raw.get("format") != FORMAT:
        raise RecipeError("The clipboard holds no steps. Copy some from a recipe first.")
    if raw.get("version") not in range(1, VERSION + 1):
        raise RecipeError("These steps were copied from a newer version of Even Palette.")
    return raw


def _with_textures(parameter: Parameter, textures: dict[str, str]) -> Parameter | None:
    """A parameter that chooses among textures, among those that are here; None where none of them is."""
    if parameter.type is not ValueType.TEXTURE:
        return parameter
    choices = tuple(new for old in parameter.choices if (new := textures.get(old, "")))
    default = textures.get(str(parameter.default), "")
    return parameter.model_copy(update={"choices": choices, "default": default or choices[0]}) if choices else None


def _with_parameters(state: State, parameters: Sequence[Parameter]) -> tuple[State, dict[str, str]]:
    """The state with what is missing of these parameters, and the id here of each."""
    ids: dict[str, str] = {}
    for parameter in parameters:
        recipe = state.project.recipe
        same = next(
            (
                p
                for p in recipe.parameters
                if (p.name, p.type, p.choices) == (parameter.name, parameter.type, parameter.choices)
            ),
            None,
        )
        if same is None:
            same = parameter.model_copy(
                update={"id": new_id("parameter"), "name": free_parameter_name(recipe, parameter.name)}
            )
            state = state.with_project(recipe=recipe.model_copy(update={"parameters": (*recipe.parameters, same)}))
        ids[parameter.id] = same.id
    return state, ids


def _here(
    step: Step, parameters: dict[str, str], regions: dict[str, str], textures: dict[str, str], division: dict[str, str]
) -> Step:
    kind = KINDS[step.kind]

    def bound(key: str, binding: Binding) -> Binding:
        if binding.parameter is not None:
            found = parameters.get(binding.parameter)
            return binding.model_copy(update={"parameter": found}) if found else Binding(value=kind.input(key).default)
        if binding.value and _names_texture(kind, key):
            head, colon, rest = str(binding.value).partition(":")
            new = textures.get(head, "")
            return binding.model_copy(update={"value": f"{new}{colon}{rest}" if new else ""})
        return binding

    def amount(binding: Binding) -> Binding:
        if binding.parameter is None:
            return binding
        found = parameters.get(binding.parameter)
        return binding.model_copy(update={"parameter": found}) if found else Binding(value=1.0)

    known = kind.by_key
    rows = []
    for row in step.rows:
        named = None if row.regions is None else tuple(new for r in row.regions if (new := regions.get(r, "")))
        if named:
            # Regions of one division only, as all rows of a step are.
            named = tuple(r for r in named if division.get(r) == division.get(named[0]))
        inputs = {key: bound(key, b) for key, b in row.inputs.items() if key in known}
        rows.append(
            row.model_copy(
                update={"id": new_id("row"), "regions": named, "inputs": inputs, "amount": amount(row.amount)}
            )
        )
    inputs = {key: bound(key, b) for key, b in step.inputs.items() if key in known}
    return step.model_copy(
        update={
            "id": new_id("step"),
            "rows": tuple(rows),
            "inputs": inputs,
            "amount": amount(step.amount),
            "link": None,
        }
    )


def _names_texture(kind: StepKind, key: str) -> bool:
    return key in kind.by_key and kind.input(key).type in (ValueType.TEXTURE, ValueType.CHANNEL)
