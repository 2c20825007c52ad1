"""What a verb is given, project folders and collections, as projects."""

from collections.abc import Iterator, Sequence
from pathlib import Path

from evenpalette.core.collection.files import CollectionFile
from evenpalette.core.collection.model import is_collection
from evenpalette.core.dataclass import dataclass
from evenpalette.core.errors import EvenPaletteError
from evenpalette.core.files import safe_name
from evenpalette.core.storage.description import project_folder


@dataclass(frozen=True)
class Named:
    """A project that was named. name: what its folder in a delivery is called. collection: the file that names it, None
    for one that was named itself. error: why it cannot be found, '' where it can."""

    name: str
    folder: Path
    collection: Path | None = None
    error: str = ""


def named_projects(places: Sequence[Path]) -> list[Named]:
    """The projects of folders and collections, each once, in their order. Raises EvenPaletteError for a collection that
    cannot be read; a project that is not there is found out when it is opened."""
    found: list[Named] = []
    seen: set[Path] = set()
    for named in _each(places):
        try:
            whole = named.folder.resolve()
        except (OSError, RuntimeError):
            whole = named.folder.absolute()
        if whole not in seen:
            seen.add(whole)
            found.append(named)
    names = _told_apart([named.name for named in found])
    return [Named(name, one.folder, one.collection, one.error) for name, one in zip(names, found, strict=True)]


def _each(places: Sequence[Path]) -> Iterator[Named]:
    for place in places:
        if not is_collection(place):
            folder = project_folder(place)
            yield Named(safe_name(folder.resolve().name), folder)
            continue
        file = CollectionFile(place)
        for project in file.read().projects:
            folder, error = file.folder / project.path, ""
            try:
                folder = file.folder_of(project)
            except EvenPaletteError as problem:
                error = str(problem)
            yield Named(safe_name(project.id), folder, place, error)


def _told_apart(names: Sequence[str]) -> list[str]:
    """Equal names with numbers, in order."""
    made: list[str] = []
    for name in names:
        one, number = name, 2
        while one in made:
            one, number = f"{name}-{number}", number + 1
        made.append(one)
    return made
