"""Steps that follow a file which several projects share: edit it once, all follow, and what each made its own stays."""

import hashlib
import json
from collections.abc import Mapping, Sequence
from pathlib import Path

from evenpalette.core.consent import MayRead
from evenpalette.core.dataclass import dataclass
from evenpalette.core.document.state import State
from evenpalette.core.edits.step_text import placed, steps_as_text
from evenpalette.core.errors import EvenPaletteError, RecipeError
from evenpalette.core.files import read_regular, reason, write_atomically
from evenpalette.core.recipe.kind import AMOUNT
from evenpalette.core.recipe.recipe import Binding, Link, Row, Step
from evenpalette.core.recipe.steps import KINDS

ENDING = ".steps.json"
_MOST_BYTES = 1 << 20


@dataclass(frozen=True)
class Change:
    """What a linked step's file has that the step has not. what: in words, one for each value. problem: why the file
    cannot be followed, '' where it can."""

    step_id: str
    name: str
    path: str
    what: tuple[str, ...] = ()
    problem: str = ""


def save_linked(state: State, step_ids: Sequence[str], path: Path) -> State:
    """Write steps into a file and let them follow it from now on. Raises EvenPaletteError."""
    text = steps_as_text(state, step_ids)
    try:
        write_atomically(path, text.encode())
    except OSError as error:
        raise RecipeError(f"{path.name} cannot be written: {reason(error)}.") from error
    inside = {step["id"]: step for step in json.loads(text)["steps"]}

    def linked(step: Step) -> Step:
        if step.id not in step_ids:
            return step
        rows = {row.id: row.id for row in step.rows}
        return step.model_copy(
            update={"link": Link(path=str(path), key=step.id, rows=rows, base=_base(step), seen=_hash(inside[step.id]))}
        )

    return _with_steps(state, [linked(step) for step in state.project.recipe.steps])


def link_steps(state: State, path: Path, at: int | None = None) -> tuple[State, list[str]]:
    """Put the steps of a file into the recipe, following it; and what could not be found here. Raises
    EvenPaletteError."""
    state, inside, missing = _read(state, str(path))
    made = [
        here.model_copy(update={"link": _link(str(path), there, here, seen)}) for there, here, seen in inside.values()
    ]
    steps = list(state.project.recipe.steps)
    place = len(steps) if at is None else min(max(at, 0), len(steps))
    return _with_steps(state, [*steps[:place], *made, *steps[place:]]), missing


def detach(state: State, step_id: str) -> State:
    """Let a step follow its file no longer; it stays as it is."""
    return _with_steps(
        state, [s.model_copy(update={"link": None}) if s.id == step_id else s for s in state.project.recipe.steps]
    )


def changes_of(state: State, may_read: MayRead) -> list[Change]:
    """What the files of linked steps have that the steps have not, and files that cannot be followed. Files that may
    not be read are left alone."""
    found = []
    for step in state.project.recipe.steps:
        if step.link is not None and may_read(step.link.path):
            change = _change(state, step, step.link)
            if change is not None:
                found.append(change)
    return found


def _change(state: State, step: Step, link: Link) -> Change | None:
    try:
        _, inside, _ = _read(state, link.path)
        there, fresh, seen = _held(inside, step, link)
        base = _taken(step, link)
    except EvenPaletteError as error:
        return Change(step.id, step.name, link.path, problem=str(error).splitlines()[0])
    if seen == link.seen:
        return None
    new = _aligned(fresh, there, link)
    merged = _merged(step, base, new)
    return Change(
        step.id, step.name, link.path, tuple(_words(step, merged)) or ("nothing that is not set otherwise here",)
    )


def take_changes(state: State, step_ids: Sequence[str] | None = None) -> State:
    """Take what the files of linked steps have: of these steps, of all where none are named. What was changed here
    stays.

    Raises EvenPaletteError for a file that cannot be followed.
    """
    for step in state.project.recipe.steps:
        link = step.link
        if link is None or (step_ids is not None and step.id not in step_ids):
            continue
        grown, inside, _ = _read(state, link.path)
        there, fresh, seen = _held(inside, step, link)
        if seen == link.seen:
            continue
        new = _aligned(fresh, there, link)
        merged = _merged(step, _taken(step, link), new)
        taken = link.model_copy(update={
            "base": _base(new), "seen": seen, "rows": {row.id: other.id for row, other in zip(new.rows, there.rows, strict=True)},
        })  # fmt: skip
        merged = merged.model_copy(update={"link": taken})
        state = _with_steps(grown, [merged if s.id == step.id else s for s in grown.project.recipe.steps])
    return state


def _with_steps(state: State, steps: Sequence[Step]) -> State:
    return state.with_project(recipe=state.project.recipe.model_copy(update={"steps": tuple(steps)}))


def _text(path: str) -> str:
    """A file of steps. Raises RecipeError."""
    place = Path(path)
    if not place.name.endswith(ENDING):
        raise RecipeError(f"{place.name} is no file of steps: those end in {ENDING}.")
    try:
        return read_regular(place, _MOST_BYTES).decode("utf-8")
    except FileNotFoundError:
        raise RecipeError(
            f"{place.name} is not there any more. Detach the steps that follow it, or put it back."
        ) from None
    except OSError as error:
        raise RecipeError(f"{place.name} cannot be read: {reason(error)}.") from error
    except UnicodeDecodeError as error:
        raise RecipeError(f"{place.name} cannot be read: it is no text.") from error


Inside = dict[str, tuple[Step, Step, str]]


def _read(state: State, path: str) -> tuple[State, Inside, list[str]]:
    """The steps of a file by their ids there: as they are there, as they are here, and a hash; the state with their
    parameters; what is not here. Raises RecipeError."""
    text = _text(path)
    grown, pairs, missing = placed(state, text)
    hashes = [_hash(raw) for raw in json.loads(text)["steps"]]
    return grown, {there.id: (there, here, seen) for (there, here), seen in zip(pairs, hashes, strict=True)}, missing


def _held(inside: Inside, step: Step, link: Link) -> tuple[Step, Step, str]:
    if link.key not in inside:
        raise RecipeError(f"{Path(link.path).name} has no such step any more. Detach {step.name}, or link another one.")
    return inside[link.key]


def _taken(step: Step, link: Link) -> Step:
    """The step as it was when it was taken. Raises RecipeError where the project keeps no such thing."""
    try:
        return Step.model_validate_json(link.base)
    except (ValueError, RecursionError) as error:
        raise RecipeError(
            f"What {step.name} was when it was taken from {Path(link.path).name} is damaged. Detach it, or link it anew."
        ) from error


def _hash(raw: object) -> str:
    return hashlib.sha256(json.dumps(raw, sort_keys=True).encode()).hexdigest()


def _base(step: Step) -> str:
    return step.model_dump_json(exclude={"link"})


def _link(path: str, there: Step, here: Step, seen: str) -> Link:
    rows = {row.id: other.id for row, other in zip(here.rows, there.rows, strict=True)}
    return Link(path=path, key=there.id, rows=rows, base=_base(here), seen=seen)


def _aligned(fresh: Step, there: Step, link: Link) -> Step:
    """A step as placed anew, with the ids that its rows had here before."""
    known = {file: here for here, file in link.rows.items()}
    rows = tuple(
        row.model_copy(update={"id": known.get(other.id, row.id)})
        for row, other in zip(fresh.rows, there.rows, strict=True)
    )
    return fresh.model_copy(update={"rows": rows})


def _merged(here: Step, base: Step, new: Step) -> Step:
    """Three ways: what was changed here since it was taken stays, everything else is the file's."""
    if here.kind != new.kind:
        return new.model_copy(update={"id": here.id, "name": here.name, "link": here.link})
    mine = {row.id: row for row in here.rows}
    before = {row.id: row for row in base.rows}
    rows = []
    for row in new.rows:
        own, old = mine.pop(row.id, None), before.get(row.id)
        if own is None:
            if old is None:
                rows.append(row)
            continue
        old = old or own
        rows.append(row.model_copy(update={
            "regions": row.regions if own.regions == old.regions else own.regions,
            "amount": row.amount if own.amount == old.amount else own.amount, "inputs": _inputs(own.inputs, old.inputs, row.inputs),
        }))  # fmt: skip
    # Rows of this project's own, and those that were changed here though the file has them no longer.
    rows += [row for key, row in mine.items() if key not in before or row != before[key]]
    return here.model_copy(update={
        "name": new.name if here.name == base.name else here.name,
        "enabled": new.enabled if here.enabled == base.enabled else here.enabled,
        "amount": new.amount if here.amount == base.amount else here.amount,
        "inputs": _inputs(here.inputs, base.inputs, new.inputs), "rows": tuple(rows),
    })  # fmt: skip


def _inputs(mine: Mapping[str, Binding], base: Mapping[str, Binding], new: Mapping[str, Binding]) -> dict[str, Binding]:
    found = {}
    for key in dict.fromkeys((*new, *mine)):
        value = mine.get(key) if mine.get(key) != base.get(key) else new.get(key)
        if value is not None:
            found[key] = value
    return found


def _words(now: Step, then: Step) -> list[str]:
    """How a step would change, a value at a time."""
    kind = KINDS[then.kind]

    def called(key: str) -> str:
        return kind.input(key).label if key in kind.by_key else AMOUNT.label

    def told(row: Row | None, key: str, before: Binding | None, after: Binding | None) -> str:
        where = (
            f" of row {now.rows.index(row) + 1}" if row is not None and row in now.rows and len(now.rows) > 1 else ""
        )
        return f"{called(key)}{where}: {_value(before)} to {_value(after)}"

    found = []
    if now.kind != then.kind:
        return [f"it becomes {kind.label}"]
    if now.name != then.name:
        found.append(f"it is called {then.name}")
    if now.enabled != then.enabled:
        found.append("it is switched " + ("on" if then.enabled else "off"))
    if now.amount != then.amount:
        found.append(told(None, AMOUNT.key, now.amount, then.amount))
    found += [
        told(None, k, now.inputs.get(k), then.inputs.get(k))
        for k in dict.fromkeys((*now.inputs, *then.inputs))
        if now.inputs.get(k) != then.inputs.get(k)
    ]
    rows = {row.id: row for row in then.rows}
    for row in now.rows:
        other = rows.pop(row.id, None)
        if other is None:
            found.append("a row goes")
            continue
        found += [
            told(row, k, row.inputs.get(k), other.inputs.get(k))
            for k in dict.fromkeys((*row.inputs, *other.inputs))
            if row.inputs.get(k) != other.inputs.get(k)
        ]
        if row.amount != other.amount:
            found.append(told(row, AMOUNT.key, row.amount, other.amount))
    return [*found, *("a row comes" for _ in rows)]


def _value(binding: Binding | None) -> str:
    if binding is None:
        return "shared"
    if binding.parameter is not None:
        return "a parameter"
    return "by copy" if binding.pick is not None else "over time" if binding.pulse is not None else str(binding.value)
