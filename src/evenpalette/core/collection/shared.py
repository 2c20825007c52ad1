"""Values of a project that follow shared ones: taken when asked, never behind anybody's back."""

from collections.abc import Iterator, Sequence
from pathlib import Path

from evenpalette.core.collection.files import CollectionFile
from evenpalette.core.collection.model import Collection, SharedValue
from evenpalette.core.consent import MayRead
from evenpalette.core.dataclass import dataclass
from evenpalette.core.document.project import Follow
from evenpalette.core.document.state import State
from evenpalette.core.edits.variants import find_variant, set_value
from evenpalette.core.errors import CollectionError
from evenpalette.core.values import KINDS, Value, ValueType


@dataclass(frozen=True)
class SharedChange:
    """What a followed value would become. name: of the shared value. before, after: values. is_own: that it is set
    otherwise here, so that it is left as it is. problem: why it cannot be followed, '' where it can."""

    follow: Follow
    name: str
    before: Value
    after: Value
    is_own: bool = False
    problem: str = ""

    @property
    def changes(self) -> bool:
        """Whether taking it changes anything."""
        return not self.problem and not self.is_own and self.before != self.after


def _whole(path: Path | str) -> Path:
    try:
        return Path(path).resolve()
    except (OSError, RuntimeError):
        return Path(path).absolute()


def is_same_file(one: Path | str, two: Path | str) -> bool:
    """Whether two paths lead to one file."""
    return _whole(one) == _whole(two)


def value_now(state: State, follow: Follow) -> Value | None:
    """What the parameter has where it follows: its own value in the variant, or its default; None where it is gone, or
    follows the variant's parent again."""
    parameter = state.project.recipe.parameter(follow.parameter)
    if parameter is None:
        return None
    if follow.variant is None:
        return parameter.default
    variant = find_variant(state, follow.variant)
    return variant.values.get(follow.parameter) if variant is not None else None


def may_follow(type: ValueType, shared: SharedValue) -> bool:
    """Whether a value of this type can be a shared one."""
    return type is ValueType.COLOR if shared.type == "color" else KINDS[type].is_number


def follow(state: State, parameter: str, variant: str | None, path: Path, shared: SharedValue) -> State:
    """Let a parameter, in a variant or as its default (None), have a shared value and follow it from now on. Raises
    EvenPaletteError where it cannot have it."""
    held = state.project.recipe.parameter(parameter)
    if held is None:
        raise CollectionError("That parameter is gone.")
    if not may_follow(held.type, shared):
        raise CollectionError(f"{held.name} is a {held.type.value}; {shared.name} is a {shared.type}.")
    state = set_value(state, variant, parameter, shared.value)
    kept = [f for f in state.project.follows if (f.parameter, f.variant) != (parameter, variant)]
    made = Follow(parameter=parameter, variant=variant, path=str(_whole(path)), shared=shared.id, taken=shared.value)
    return state.with_project(follows=(*kept, made))


def part(state: State, parameter: str, variant: str | None) -> State:
    """Let a value follow nothing; it stays as it is."""
    kept = tuple(f for f in state.project.follows if (f.parameter, f.variant) != (parameter, variant))
    return state.with_project(follows=kept)


def follow_of(state: State, parameter: str, variant: str | None) -> Follow | None:
    """What a value follows."""
    return next((f for f in state.project.follows if (f.parameter, f.variant) == (parameter, variant)), None)


def changes_of(state: State, may_read: MayRead) -> Iterator[SharedChange]:
    """What the files of collections have that the values which follow them have not, and what cannot be followed. Files
    that may not be read are left alone."""
    read: dict[str, Collection | CollectionError] = {}
    for one in state.project.follows:
        if not may_read(one.path):
            continue
        if one.path not in read:
            try:
                read[one.path] = CollectionFile(one.path).read()
            except CollectionError as error:
                read[one.path] = error
        held = read[one.path]
        change = (
            SharedChange(one, one.shared, one.taken, one.taken, problem=str(held))
            if isinstance(held, CollectionError)
            else change_of(state, one, held)
        )
        if change is not None and (change.problem or change.changes or (change.is_own and change.after != one.taken)):
            yield change


def change_of(state: State, one: Follow, collection: Collection) -> SharedChange | None:
    """What a followed value would become; None where nothing is there any more that could follow."""
    now = value_now(state, one)
    if now is None:
        return None
    shared = next((s for s in collection.shared if s.id == one.shared), None)
    if shared is None:
        return SharedChange(
            one, one.shared, now, now, problem=f"{Path(one.path).name} has no shared value '{one.shared}' any more"
        )
    return SharedChange(one, shared.name, now, shared.value, is_own=now != one.taken)


def take(state: State, changes: Sequence[SharedChange]) -> State:
    """Take what shared values have become; what is set otherwise here stays. Raises EvenPaletteError."""
    for change in changes:
        if change.problem or change.is_own:
            continue
        one = change.follow
        state = set_value(state, one.variant, one.parameter, change.after)
        taken = one.model_copy(update={"taken": change.after})
        state = state.with_project(follows=tuple(taken if f == one else f for f in state.project.follows))
    return state
