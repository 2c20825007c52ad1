"""The line above: the project with its menu, what is saved, the path, undo and redo, the search."""

from collections.abc import Callable

from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtGui import QAction
from PyQt6.QtWidgets import QHBoxLayout, QMenu, QWidget

from evenpalette.app import theme
from evenpalette.app.dialogs import SearchBox
from evenpalette.app.facets import NAME
from evenpalette.app.path_bar import PathBar
from evenpalette.app.plain import entry, plain
from evenpalette.app.project_actions import ProjectActions
from evenpalette.app.session import Session
from evenpalette.app.settings import recent_projects
from evenpalette.app.verbs import Verb
from evenpalette.app.widgets.basics import button, label, tool
from evenpalette.core.storage.demo_files import demo_names

HEIGHT = 48
#: Width of a path in the menu of recent projects.
_PATH_PIXELS = 360


class TopBar(QWidget):
    """Shows how the document stands and offers what is done with it as a whole."""

    def __init__(
        self, session: Session, project: ProjectActions, verbs: Callable[[], list[Verb]], actions: dict[str, QAction]
    ) -> None:
        """actions: of the verbs, by name."""
        super().__init__()
        self._session, self._project, self._verbs, self._actions = session, project, verbs, actions
        self.path = PathBar(session)
        self._title = button("", self._menu, "link", "Project: new, open, save, demo, settings, about", "chevron-down")
        self._title.setAccessibleName("Project menu")
        self._title.setLayoutDirection(Qt.LayoutDirection.RightToLeft)
        theme.restyle(self._title, "font-size: 16px; color: #1b1b1b; padding: 4px 8px;")
        self._save = tool("save", "Save (Ctrl+S)", project.save)
        self._saved = label("", "note")
        self._undo, self._redo = tool("undo-2", "Undo", session.undo), tool("redo-2", "Redo", session.redo)
        self._search = button("Search  F3", self.search, "link", "Find anything to do")
        theme.restyle(self._search, f"color: {theme.MUTED}; padding: 4px 8px;")
        self.setObjectName("chrome")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedHeight(HEIGHT)
        line = QHBoxLayout(self)
        line.setContentsMargins(8, 0, 8, 0)
        line.setSpacing(4)
        line.addWidget(_side(264, self._title, self._save, self._saved, None))
        line.addStretch(1)
        line.addWidget(self.path)
        line.addStretch(1)
        line.addWidget(_side(180, None, self._undo, self._redo, self._search))
        session.saved_changed.connect(self.refresh)
        session.changed.connect(lambda facets: self.refresh() if NAME in facets else None)
        self.refresh()

    def refresh(self) -> None:
        """Show the document's name and how it stands."""
        session = self._session
        metrics = self._title.fontMetrics()
        self._title.setText(metrics.elidedText(session.state.project.name, Qt.TextElideMode.ElideRight, 150))
        text = "never saved" if session.path is None else "changed" if session.is_dirty else "saved"
        self._saved.setText("read-only" if session.is_read_only else text)
        self._saved.setToolTip(plain(str(session.path) if session.path is not None else ""))
        self._save.setEnabled(session.path is None or session.is_dirty)
        history = session.history
        self._undo.setEnabled(bool(history.undo_label))
        self._redo.setEnabled(bool(history.redo_label))
        self._undo.setToolTip(plain(f"Undo {history.undo_label} (Ctrl+Z)" if history.undo_label else "Nothing to undo"))
        self._redo.setToolTip(
            plain(f"Redo {history.redo_label} (Ctrl+Shift+Z)" if history.redo_label else "Nothing to redo")
        )

    def search(self) -> None:
        """Open the search for things to do."""
        corner = self._search.mapToGlobal(QPoint(self._search.width(), self._search.height()))
        SearchBox(self._verbs(), self).open_at(corner)

    def _menu(self) -> None:
        menu = QMenu(self)
        menu.setToolTipsVisible(True)
        for name in ("New project", "Open project ..."):
            menu.addAction(self._actions[name])
        past = _submenu(menu, "Recent projects")
        for path in recent_projects():
            short = self.fontMetrics().elidedText(str(path), Qt.TextElideMode.ElideMiddle, _PATH_PIXELS)
            action = past.addAction(entry(short), lambda p=path: self._project.open_path(p))
            assert action is not None
            action.setToolTip(plain(str(path)))
        past.setEnabled(not past.isEmpty())
        demo = _submenu(menu, "Demo projects")
        for name in demo_names():
            demo.addAction(name.replace("-", " ").title(), lambda n=name: self._project.open_demo(n))
        for name in ("Collection ...", "New collection ..."):
            menu.addAction(self._actions[name])
        menu.addSeparator()
        for name in ("Save", "Save as ...", "Rename project ...", "Show folder"):
            menu.addAction(self._actions[name])
        self._actions["Show folder"].setEnabled(self._session.path is not None)
        menu.addSeparator()
        settings = _submenu(menu, "Settings")
        for name in (
            "Watch source files ...",
            "File limits ...",
            "Steps of your own ...",
            "Smooth edges of Form at rest",
        ):
            settings.addAction(self._actions[name])
        for name in (
            "History ...",
            "First walk",
            "Guide to this station",
            "Keys and pointer",
            "About and licenses ...",
            "Quit",
        ):
            menu.addAction(self._actions[name])
        menu.exec(self._title.mapToGlobal(QPoint(0, self._title.height())))


def _submenu(menu: QMenu, title: str) -> QMenu:
    made = menu.addMenu(title)
    assert made is not None
    made.setToolTipsVisible(True)
    return made


def _side(width: int, *parts: QWidget | None) -> QWidget:
    """Widgets beside the path, None is a stretch."""
    side = QWidget()
    side.setFixedWidth(width)
    line = QHBoxLayout(side)
    line.setContentsMargins(0, 0, 0, 0)
    line.setSpacing(4)
    for part in parts:
        if part is None:
            line.addStretch(1)
        else:
            line.addWidget(part)
    return side
