"""A collection, worked on by a script: projects that are delivered together and share values."""

from collections.abc import Iterator, Mapping, Sequence
from pathlib import Path

from evenpalette.api.project import Delivery, Project
from evenpalette.api.project import open as open_project
from evenpalette.core.batch.deliver import deliver_all
from evenpalette.core.batch.delivery import FAILED, Asset
from evenpalette.core.batch.executors import executor_named
from evenpalette.core.batch.wish import Wish
from evenpalette.core.collection import across
from evenpalette.core.collection.files import CollectionFile
from evenpalette.core.collection.model import Collection as Held
from evenpalette.core.collection.model import VariantSet, free_id
from evenpalette.core.dataclass import dataclass
from evenpalette.core.delivery.layouts.named import layout_named
from evenpalette.core.document.lookup import variant_named
from evenpalette.core.errors import CollectionError, EvenPaletteError
from evenpalette.core.files import safe_name
from evenpalette.core.recipe.attributes import BASE_COLOR, attribute_named
from evenpalette.core.storage.storage import Storage


@dataclass(frozen=True)
class SharedEffect:
    """What a shared value does to a project, or did. project: its id. count: values that change. own: those that follow
    it but are set otherwise there, and stay. problem: why it cannot be said or was not taken, '' where it could."""

    project: str
    count: int
    own: int
    problem: str


class Collection:
    """A collection: projects by id, shared values by name, sets of variants.

    Made by `evenpalette.open_collection` and `evenpalette.new_collection`. A change is written at once, whole or not at
    all; one that somebody else made meanwhile is never lost: Error says so. Used from one thread.

    >>> collection = evenpalette.open_collection(market / "market.collection.json")
    >>> list(collection)
    ['moth-lantern', 'pennant', 'stall-sign', 'tea-tin']
    >>> collection.shared
    {'Guild red': '#a7302b', 'Jade': '#2c5a4a'}
    >>> [effect.project for effect in collection.preview("Guild red", "#803030") if effect.count]
    ['pennant', 'stall-sign', 'tea-tin']
    """

    def __init__(self, file: CollectionFile, held: Held) -> None:
        self._file, self._held = file, held

    def _write(self, held: Held) -> None:
        self._file.write(held)
        self._held = held

    @property
    def path(self) -> Path:
        """Its file."""
        return self._file.path

    @property
    def name(self) -> str:
        """What it is called."""
        return self._held.name

    @property
    def projects(self) -> dict[str, Path]:
        """The folders of its projects by id. Raises Error for one that lies elsewhere."""
        return {p.id: self._file.folder_of(p) for p in self._held.projects}

    @property
    def shared(self) -> dict[str, str | float]:
        """Its shared values by name: '#rrggbb' or a number."""
        return {s.name: s.value for s in self._held.shared}

    @property
    def sets(self) -> dict[str, dict[str, str]]:
        """Its sets by name: by project's id the id of the variant that belongs in it."""
        return {s.name: dict(s.members) for s in self._held.sets}

    def __iter__(self) -> Iterator[str]:
        return iter([p.id for p in self._held.projects])

    def __len__(self) -> int:
        return len(self._held.projects)

    def open(self, project: str) -> Project:
        """A project by its id."""
        return open_project(self._folder(project))

    def _folder(self, project: str) -> Path:
        held = self._held.project(project)
        if held is None:
            known = ", ".join(p.id for p in self._held.projects) or "none"
            raise CollectionError(f"There is no project '{project[:80]}'. There are: {known}.")
        return self._file.folder_of(held)

    def add(self, *folders: str | Path) -> list[str]:
        """Add projects, which lie in the collection's folder or beneath; returns the ids of those that are new."""
        before = set(self)
        self._write(self._file.with_projects(self._held, [Path(folder) for folder in folders]))
        return [one for one in self if one not in before]

    def share(self, name: str, value: str | float) -> None:
        """Add a value to share: a color as '#rrggbb', or a number."""
        self._write(across.add_shared(self._held, name, value)[0])

    def follow(self, shared: str, project: str, parameter: str, variant: str | None = None) -> None:
        """Let a parameter of a project, in a variant or as its default (None), have a shared value and follow it."""
        with self.open(project) as opened:
            opened.follow(parameter, self.path, shared, variant)
            opened.save()

    def preview(self, shared: str, value: str | float) -> list[SharedEffect]:
        """What another value would change, project by project; nothing is written."""
        wanted = across.with_shared(self._held, shared, value)
        return [SharedEffect(e.project.id, e.count, e.own, e.problem) for e in across.effects_of(self._file, wanted)]

    def change(self, shared: str, value: str | float) -> list[SharedEffect]:
        """Change a shared value, and take it in all projects that follow it and are not open in a window; those are
        saved. Changing it back takes it back."""
        self._write(across.with_shared(self._held, shared, value))
        return [
            SharedEffect(t.project.id, t.count, t.own, t.problem)
            for t in across.take_everywhere(self._file, self._held)
        ]

    def join(self, name: str, members: Mapping[str, str]) -> None:
        """Make a set, or make it anew: the variant, by name, of each project's id."""
        ids = {}
        for project, variant in members.items():
            ids[project] = variant_named(Storage(self._folder(project)).open(), variant).id
        known = next((s.id for s in self._held.sets if s.name.lower() == name.lower()), None)
        key = known or free_id(name, (s.id for s in self._held.sets))
        made = VariantSet(id=key, name=name, members=ids)
        kept = tuple(made if s.id == key else s for s in self._held.sets)
        self._write(self._held.model_copy(update={"sets": kept if known else (*kept, made)}))

    def deliver(
        self, folder: str | Path, layout: str | Path | None = None, targets: Sequence[str] | None = None,
        executor: str | None = None, size: int = 0, maps: Sequence[str] = (BASE_COLOR,), again: bool = False,
    ) -> dict[str, Delivery]:  # fmt: skip
        """Deliver all projects, each into a folder of its own in this one; what is unchanged is not made again. By id
        what became of each. The words are those of `Project.deliver`; again: make everything. Raises Error once all
        others are done, where one failed."""
        files = layout_named(None, str(layout)) if layout is not None else None
        keys = tuple(attribute_named(name).key for name in maps)
        wish = Wish.of(targets=tuple(targets or ()), layout=files, maps=keys, size=size)
        out = Path(folder)
        assets = [Asset(one, place, out / safe_name(one)) for one, place in self.projects.items()]
        running = executor_named(executor)
        try:
            reports = deliver_all(assets, wish, running, again=again)
        finally:
            running.close()
        failed = [f"{r.name}: {r.error}" for r in reports if r.status == FAILED]
        if failed:
            raise EvenPaletteError(f"{len(failed)} of {len(reports)} projects failed. {failed[0]}")
        return {
            report.name: Delivery(
                asset.out, tuple(asset.out / name for name in report.names), report.written, tuple(report.left),
                tuple(report.notes),
            )
            for asset, report in zip(assets, reports, strict=True)
        }  # fmt: skip

    def __repr__(self) -> str:
        return f"<Collection {self.name!r}, {len(self)} projects>"


def open_collection(path: str | Path) -> Collection:
    """Open a collection by its file. Raises Error."""
    file = CollectionFile(path)
    return Collection(file, file.read())


def new_collection(path: str | Path, projects: Sequence[str | Path] = (), name: str = "") -> Collection:
    """Make a collection, NAME.collection.json, of projects that lie in its folder or beneath. Raises Error."""
    file = CollectionFile(path)
    title = name or file.path.name.removesuffix(".collection.json") or "Collection"
    held = file.with_projects(Held(name=title), [Path(folder) for folder in projects])
    file.write(held)
    return Collection(file, held)
