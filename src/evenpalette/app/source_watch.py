"""Files that the asset was brought in from: when one changes on disk it is read again."""

from pathlib import Path

from PyQt6.QtCore import QFileSystemWatcher, QObject

from evenpalette.app.facets import ASSET, RECIPE
from evenpalette.app.session import Session
from evenpalette.app.stations.asset.bring_in import read_again
from evenpalette.app.timers import timer

#: Other programs write in several steps: a file is read when it has been quiet for so long.
_QUIET_MILLISECONDS = 500


class SourceWatch(QObject):
    """Watches the source files of the open document, those that the artist brought in or said may be read."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self._session = session
        self._watcher = QFileSystemWatcher(self)
        self._watcher.fileChanged.connect(self._note)
        self._watcher.directoryChanged.connect(lambda _: self._look())
        self._stamps: dict[str, tuple[int, int] | None] = {}
        self._changed: set[str] = set()
        self._timer = timer(self, _QUIET_MILLISECONDS)
        self._timer.timeout.connect(self._read)
        session.changed.connect(lambda facets: self._follow() if facets & {ASSET, RECIPE} else None)

    def _paths(self) -> set[str]:
        asset = self._session.state.project.asset
        paths = {texture.source_path for texture in asset.textures}
        if asset.mesh is not None:
            paths.add(asset.mesh.source_path)
        return {path for path in paths if path and self._session.sources.may_read(path)}

    def _links(self) -> set[str]:
        """Files that steps follow."""
        return {path for path in self._session.sources.links() if self._session.sources.may_read(path)}

    def _follow(self) -> None:
        """Watch the files of the document as it is now, and their folders: a file may be replaced by another."""
        wanted = {path for path in self._paths() | self._links() if Path(path).is_file()}
        folders = {str(Path(path).parent) for path in wanted}
        watched = set(self._watcher.files()) | set(self._watcher.directories())
        if gone := watched - wanted - folders:
            self._watcher.removePaths(list(gone))
        if new := (wanted | folders) - watched:
            self._watcher.addPaths(list(new))
        stamps = {path: self._stamps.get(path) or _stamp(path) for path in wanted}
        for path in wanted:
            if self._session.sources.has_changed_since_read(path):
                stamps[path] = 0, 0
                self._note(path)
        self._stamps = stamps

    def _note(self, path: str) -> None:
        self._changed.add(path)
        self._timer.start()

    def _look(self) -> None:
        for path in self._paths() | self._links():
            if path in self._stamps and _stamp(path) not in (None, self._stamps[path]):
                self._note(path)

    def _read(self) -> None:
        """Read what has changed, when nothing else is under way."""
        if self._session.tasks.is_busy:
            self._timer.start()
            return
        changed, self._changed = self._changed, set()
        if changed & self._links():
            # What has changed is a finding: it is shown before anybody takes it.
            self._session.watch.again()
        paths = []
        for path in sorted(changed & self._paths()):
            stamp = _stamp(path)
            if stamp is not None and stamp != self._stamps.get(path):
                self._stamps[path] = stamp
                paths.append(Path(path))
        self._follow()
        if paths:
            read_again(self._session, paths, "changed on disk and was read again")


def _stamp(path: str) -> tuple[int, int] | None:
    try:
        found = Path(path).stat()
    except OSError:
        return None
    return found.st_mtime_ns, found.st_size
