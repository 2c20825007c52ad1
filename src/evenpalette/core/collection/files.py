"""Collections on disk: read, and written only over what was read."""

import hashlib
from pathlib import Path

from evenpalette.core.collection.model import (
    CollectedProject,
    Collection,
    collection_text,
    free_id,
    is_collection,
    parse_collection,
)
from evenpalette.core.errors import CollectionError
from evenpalette.core.files import read_regular, reason, write_atomically
from evenpalette.core.storage.description import PROJECT_FILE, project_folder

MOST_BYTES = 32 << 20


class CollectionFile:
    """One file of a collection, and what it held when it was read or written last."""

    def __init__(self, path: Path | str) -> None:
        self.path = Path(path)
        self._seen = ""

    @property
    def folder(self) -> Path:
        """Where its projects lie, or beneath."""
        return self.path.parent

    def read(self) -> Collection:
        """What it holds now. Raises CollectionError."""
        content = self._bytes()
        made = parse_collection(content, self.path.name)
        self._seen = hashlib.sha256(content).hexdigest()
        return made

    @property
    def is_changed_outside(self) -> bool:
        """Whether another one wrote it since."""
        try:
            return bool(self._seen) and hashlib.sha256(self._bytes()).hexdigest() != self._seen
        except CollectionError:
            return True

    def write(self, collection: Collection) -> None:
        """Write it, whole or not at all. Raises CollectionError: where it cannot be written, and where another one
        changed it since it was read, so that nobody's change is lost unseen."""
        if not is_collection(self.path):
            raise CollectionError(f"{self.path.name} is no name of a collection: those end in .collection.json.")
        if self._seen and self.is_changed_outside:
            raise CollectionError(
                f"{self.path.name} was changed by somebody else meanwhile. Read it again, and do yours once more."
            )
        if not self._seen and self.path.exists():
            raise CollectionError(f"{self.path.name} is there already. Open it, or take another name.")
        content = collection_text(collection).encode()
        parse_collection(content, self.path.name)
        try:
            write_atomically(self.path, content)
        except OSError as error:
            raise CollectionError(f"{self.path} cannot be written: {reason(error)}.") from error
        self._seen = hashlib.sha256(content).hexdigest()

    def _bytes(self) -> bytes:
        try:
            return read_regular(self.path, MOST_BYTES)
        except FileNotFoundError:
            raise CollectionError(f"{self.path} does not exist.") from None
        except (OSError, ValueError) as error:
            why = reason(error) if isinstance(error, OSError) else "this is no file name"
            raise CollectionError(f"{self.path} cannot be read: {why}.") from error

    def folder_of(self, project: CollectedProject) -> Path:
        """The folder of a project. Raises CollectionError where a link leads out of the collection's folder."""
        place = self.folder / project.path
        try:
            whole = place.resolve()
            inside = whole.is_relative_to(self.folder.resolve())
        except (OSError, RuntimeError) as error:
            raise CollectionError(f"{project.path} leads in a circle.") from error
        if not inside:
            raise CollectionError(f"{project.path} leads out of the folder of {self.path.name}, so it is not read.")
        return place

    def with_projects(self, collection: Collection, folders: list[Path]) -> Collection:
        """With more projects, each once. Raises CollectionError for a folder that is none, or that lies elsewhere."""
        known = {p.path.lower() for p in collection.projects}
        added = list(collection.projects)
        for given in folders:
            folder = project_folder(given)
            if not (folder / PROJECT_FILE).is_file():
                raise CollectionError(f"{folder} holds no Even Palette project.")
            try:
                path = folder.resolve().relative_to(self.folder.resolve()).as_posix()
            except ValueError:
                raise CollectionError(
                    f"{folder} lies elsewhere. A collection's projects lie in its folder, {self.folder}, or beneath."
                ) from None
            if path.lower() not in known:
                known.add(path.lower())
                added.append(CollectedProject(id=free_id(folder.name, (p.id for p in added)), path=path))
        return Collection.model_validate({**collection.model_dump(), "projects": [p.model_dump() for p in added]})
