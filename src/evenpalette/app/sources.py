"""Files beside the project that a document names, and whether they may be read."""

from collections.abc import Iterable
from pathlib import Path
from typing import TYPE_CHECKING

from evenpalette.app.facets import ASSET
from evenpalette.app.settings import trust_sources, trusted_sources
from evenpalette.core.consent import inside

if TYPE_CHECKING:
    from evenpalette.app.session import Session


class Sources:
    """The files that the document of a session names."""

    def __init__(self, session: "Session") -> None:
        self._session = session
        self._read_from: dict[str, int] = {}

    def read_from(self, paths: Iterable[Path | str], moment: int) -> None:
        """These come in, as they were at a moment, in nanoseconds of the clock that files are stamped by."""
        self._read_from = {str(path): moment for path in paths}

    def has_changed_since_read(self, path: str) -> bool:
        """Whether a file that has just come in became another one meanwhile; asked once."""
        moment = self._read_from.pop(path, None)
        try:
            return moment is not None and Path(path).stat().st_ctime_ns > moment
        except OSError:
            return False

    def may_read(self, path: str) -> bool:
        """Whether a file that the document names may be read: it lies in the project, or the artist said so."""
        return path in trusted_sources() or inside(self._session.path)(path)

    def links(self) -> list[str]:
        """Files that steps follow."""
        return [
            step.link.path
            for sheet in self._session.state.project.sheets
            for step in sheet.steps
            if step.link is not None
        ]

    def strange(self) -> list[str]:
        """Files that the document names and that may not be read yet."""
        project = self._session.state.project
        named = [t.source_path for sheet in project.sheets for t in sheet.textures] + self.links()
        named += [project.mesh.source_path] if project.mesh else []
        return [path for path in dict.fromkeys(named) if path and not self.may_read(path)]

    def trust(self, paths: list[str]) -> None:
        """The artist has brought these files in, or said that they may be read."""
        trust_sources(paths)
        self._session.changed.emit(frozenset({ASSET}))
        self._session.watch.again()
