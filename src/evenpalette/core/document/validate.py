"""What a project file must keep beside its schema: sane text and numbers, and references that fit what they name.

A file is refused here with the place named, so that nothing later has to doubt what it is given.
"""

import math
from collections.abc import Iterable, Iterator, Mapping
from typing import Any

from evenpalette.core.document.project import Project
from evenpalette.core.errors import EvenPaletteError, ProjectError
from evenpalette.core.names import is_text
from evenpalette.core.recipe.kind import AMOUNT
from evenpalette.core.recipe.parameters import Parameter
from evenpalette.core.recipe.pick import accepted_pick
from evenpalette.core.recipe.pulse import accepted_pulse
from evenpalette.core.recipe.recipe import Binding, Step
from evenpalette.core.recipe.steps import KINDS
from evenpalette.core.regions.operations import operation_kind
from evenpalette.core.values import Input, ValueType

#: No number of a project comes near it; seeds and sizes have bounds of their own.
LARGEST = 1e12
DEEPEST = 60


def check_tree(raw: Any) -> None:
    """Refuse text that no file can hold and numbers that none can count. Raises ValueError."""
    stack: list[tuple[Any, int]] = [(raw, 0)]
    while stack:
        item, depth = stack.pop()
        if depth > DEEPEST:
            raise ValueError("it is nested too deeply")
        if isinstance(item, dict):
            stack.extend((part, depth + 1) for pair in item.items() for part in pair)
        elif isinstance(item, list):
            stack.extend((part, depth + 1) for part in item)
        elif isinstance(item, str):
            if not is_text(item):
                raise ValueError(f"{item[:40]!a} is no text")
        elif isinstance(item, int | float) and not isinstance(item, bool):
            _check_number(item)


def _check_number(value: float) -> None:
    if isinstance(value, float) and not math.isfinite(value):
        raise ValueError("a number is not finite")
    if abs(value) > LARGEST:
        raise ValueError(f"the number {str(value)[:24]} is too large")


def check_project(project: Project, where: str) -> None:
    """Refuse references that do not fit. Raises ProjectError."""
    for problem in _problems(project):
        raise ProjectError(f"{where}: project.json is damaged: {problem}.")


def _problems(project: Project) -> Iterator[str]:
    yield from _repeated("sheet", (s.id for s in project.sheets))
    yield from _repeated("texture", (t.id for s in project.sheets for t in s.textures))
    yield from _repeated("region", (r.id for s in project.sheets for r in s.regions.regions))
    yield from _repeated("step", (step.id for s in project.sheets for step in s.steps))
    yield from _repeated("row", (row.id for s in project.sheets for step in s.steps for row in step.rows))
    yield from _repeated("parameter", (p.id for p in project.parameters))
    yield from _repeated("variant", (v.id for v in project.variants))
    parameters = {p.id: p for p in project.parameters}
    for sheet in project.sheets:
        yield from _repeated("division", (d.id for d in sheet.regions.divisions))
        for region in sheet.regions.regions:
            if region.source.part_of and sheet.regions.find(region.source.part_of) is None:
                yield f"region '{region.name}' is split from a region that is not there"
            for operation in region.operations:
                try:
                    operation_kind(operation.kind).values(operation.settings)
                except EvenPaletteError as error:
                    yield f"region '{region.name}': {str(error).rstrip('.')}"
        home = {region.id: division.id for division in sheet.regions.divisions for region in division.regions}
        for step in sheet.steps:
            yield from _step_problems(step, parameters)
            if len({home[r] for r in step.named_regions() if r in home}) > 1:
                yield f"the rows of step '{step.name}' take regions of several divisions"
            if sum(row.regions is None for row in step.rows) > 1:
                yield f"step '{step.name}' has two rows for everywhere else"
    yield from _circles(project)
    for variant in project.variants:
        for key, value in variant.values.items():
            try:
                if key in parameters:
                    parameters[key].accept(value)
            except EvenPaletteError as error:
                yield f"variant '{variant.name}': {str(error).rstrip('.')}"


def _circles(project: Project) -> Iterator[str]:
    parents = {v.id: v.parent for v in project.variants}
    sound: set[str] = set()
    for variant in project.variants:
        walked: set[str] = set()
        at: str | None = variant.id
        while at in parents and at not in sound:
            if at in walked:
                yield f"variant '{variant.name}' derives from itself"
                return
            walked.add(at)
            at = parents[at]
        sound |= walked


def _repeated(what: str, ids: Iterable[str]) -> Iterator[str]:
    seen: set[str] = set()
    for id_ in ids:
        if id_ in seen:
            yield f"two {what}s have the id '{id_[:40]}'"
        seen.add(id_)


def _step_problems(step: Step, parameters: Mapping[str, Parameter]) -> Iterator[str]:
    if step.kind not in KINDS:
        # It is kept as it is: nobody here knows what its inputs are.
        return
    kind = KINDS[step.kind]
    inputs = kind.by_key
    given = [*step.inputs.items(), *(pair for row in step.rows for pair in row.inputs.items())]
    for key, binding in given:
        if key not in inputs:
            yield f"step '{step.name}' has the input '{key[:40]}', which {kind.label} lacks"
            continue
        yield from _binding_problems(step, inputs[key], binding, parameters)
    for amount in (step.amount, *(row.amount for row in step.rows)):
        yield from _binding_problems(step, AMOUNT, amount, parameters)


def _binding_problems(step: Step, input: Input, binding: Binding, parameters: Mapping[str, Parameter]) -> Iterator[str]:
    parameter = parameters.get(binding.parameter) if binding.parameter else None
    if binding.parameter and parameter is None:
        return
    try:
        if binding.pick is not None:
            accepted_pick(binding.pick, input)
            pin = parameters.get(binding.pick.pin) if binding.pick.pin else None
            if pin is not None and pin.type is not ValueType.INTEGER:
                yield f"step '{step.name}': the pick of {input.label} is pinned by '{pin.name}', which is no whole number"
        if binding.pulse is not None:
            accepted_pulse(binding.pulse, input)
        if parameter is None:
            if binding.value is not None:
                input.accept(binding.value)
        elif parameter.type is ValueType.VECTOR:
            if input.type is not ValueType.NUMBER or binding.part is None or binding.part >= len(parameter.choices):
                yield f"step '{step.name}': {input.label} names no number of the vector '{parameter.name}'"
        elif parameter.type is not input.type:
            yield f"step '{step.name}': {input.label} takes a {input.type.value}, '{parameter.name}' is a {parameter.type.value}"
        elif input.type is ValueType.CHOICE and not set(parameter.choices) <= set(input.choices):
            yield f"step '{step.name}': {input.label} lacks choices that '{parameter.name}' has"
    except EvenPaletteError as error:
        yield f"step '{step.name}': {str(error).rstrip('.')}"
