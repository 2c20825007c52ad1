"""A shared value changed in all projects that follow it: what would change, and taking it."""

from collections.abc import Iterable, Mapping
from pathlib import Path

from evenpalette.core.collection.files import CollectionFile
from evenpalette.core.collection.model import CollectedProject, Collection, SharedValue, free_id
from evenpalette.core.collection.shared import SharedChange, change_of, is_same_file, take
from evenpalette.core.dataclass import dataclass
from evenpalette.core.document.project import Project
from evenpalette.core.document.state import State
from evenpalette.core.errors import CollectionError, EvenPaletteError
from evenpalette.core.parallel import Progress, no_progress
from evenpalette.core.storage.held import check_free
from evenpalette.core.storage.storage import Storage
from evenpalette.core.values import Value


@dataclass(frozen=True)
class Effect:
    """What a change of shared values does to one project. changes: those of its values that follow. problem: why it
    cannot be said, '' where it can."""

    project: CollectedProject
    name: str
    changes: tuple[SharedChange, ...] = ()
    problem: str = ""

    @property
    def count(self) -> int:
        """How many values would change."""
        return sum(change.changes for change in self.changes)

    @property
    def own(self) -> int:
        """How many are set otherwise there and stay."""
        return sum(change.is_own for change in self.changes)


def with_shared(collection: Collection, shared_id: str, value: Value) -> Collection:
    """The collection with another value. Raises CollectionError for one that it cannot have."""
    shared = collection.shared_value(shared_id)
    try:
        changed = shared.model_copy(update={"value": shared.accept(value)})
    except (ValueError, EvenPaletteError) as error:
        raise CollectionError(f"{shared.name}: {error}") from error
    return collection.model_copy(
        update={"shared": tuple(changed if s.id == shared.id else s for s in collection.shared)}
    )


def add_shared(collection: Collection, name: str, value: Value) -> tuple[Collection, SharedValue]:
    """With another shared value: a color where it is written as one, else a number. Raises CollectionError."""
    kind = "color" if isinstance(value, str) else "number"
    try:
        made = SharedValue.model_validate(
            {"id": free_id(name, (s.id for s in collection.shared)), "name": name, "type": kind, "value": value}
        )
        if any(s.name.lower() == made.name.lower() for s in collection.shared):
            raise CollectionError(f"There is a shared value '{made.name}' already.")
    except ValueError as error:
        raise CollectionError(f"'{name[:80]}' cannot be shared: {str(error).splitlines()[-2].strip()[:200]}") from error
    return collection.model_copy(update={"shared": (*collection.shared, made)}), made


def effects_of(file: CollectionFile, collection: Collection, progress: Progress = no_progress) -> list[Effect]:
    """What the values of a collection, as it is given, would change in each project, by what its file says."""
    found = []
    for number, project in enumerate(collection.projects):
        progress(number / len(collection.projects))
        try:
            state = State(Storage(file.folder_of(project)).open_description())
            found.append(Effect(project, state.project.name, tuple(changes_in(state, file.path, collection))))
        except EvenPaletteError as error:
            found.append(Effect(project, project.id, problem=str(error)))
    return found


def changes_in(state: State, path: Path, collection: Collection) -> Iterable[SharedChange]:
    """What would become of the values of a project that follow this collection."""
    for one in state.project.follows:
        if is_same_file(one.path, path) and (change := change_of(state, one, collection)) is not None:
            yield change


def values_with(
    project: Project, values: Mapping[str, Value], variant: str | None, changes: Iterable[SharedChange]
) -> dict[str, Value]:
    """The values of a variant, by the parameter's id, as they would be with changes taken: its own, and those that it
    has from its parents."""
    chain = [variant]
    by_id = {v.id: v for v in project.variants}
    while chain[-1] is not None and len(chain) <= len(by_id):
        chain.append(by_id[chain[-1]].parent if chain[-1] in by_id else None)
    found = dict(values)
    for change in changes:
        if not change.changes or change.follow.variant not in chain:
            continue
        # What is nearer to the variant than where it follows covers it.
        nearer = chain[: chain.index(change.follow.variant)]
        if not any(change.follow.parameter in by_id[v].values for v in nearer if v in by_id):
            found[change.follow.parameter] = change.after
    return found


@dataclass(frozen=True)
class Taken:
    """What became of a change in one project. count: values that were changed. own: those that are set otherwise there,
    and stay. problem: why it was not taken."""

    project: CollectedProject
    name: str
    count: int
    own: int = 0
    problem: str = ""


def take_everywhere(
    file: CollectionFile, collection: Collection, progress: Progress = no_progress, besides: Path | None = None
) -> list[Taken]:
    """Take what the values of a collection have become in all projects that follow them, and save those; one that a
    window holds, or that cannot be saved, is left and said. besides: a folder whose project is looked after elsewhere.
    Taking the former values again undoes it."""
    found = []
    for number, project in enumerate(collection.projects):
        progress(number / len(collection.projects))
        try:
            folder = file.folder_of(project)
            if besides is not None and folder.resolve() == besides:
                continue
            storage = Storage(folder)
            state = State(storage.open_description())
            every = list(changes_in(state, file.path, collection))
            changes = [change for change in every if change.changes]
            if changes:
                check_free(folder)
                storage.save_description(take(state, changes).project)
            own = sum(change.is_own for change in every)
            found.append(Taken(project, state.project.name, len(changes), own))
        except EvenPaletteError as error:
            found.append(Taken(project, project.id, 0, problem=str(error)))
    return found
