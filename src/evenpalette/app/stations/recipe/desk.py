"""What the cards and inputs of the recipe share: the document, the copy that is shown, and what they ask of the
bench."""

from collections.abc import Callable

from PyQt6.QtCore import QObject, QPoint, pyqtSignal
from PyQt6.QtGui import QCursor, QKeyEvent
from PyQt6.QtWidgets import QMenu, QWidget

from evenpalette.app.plain import entry
from evenpalette.app.session import Session
from evenpalette.app.views import TwinViews
from evenpalette.core.edits import recipe as edit
from evenpalette.core.recipe.recipe import Step


class RecipeDesk(QObject):
    """The session and the views for one bench; its signals are what cards want."""

    #: The cards are to be laid anew.
    rebuild_wanted = pyqtSignal()
    #: The menu of the selected step, at a place of the screen.
    menu_wanted = pyqtSignal(QPoint)
    #: The selected step is to be renamed.
    rename_wanted = pyqtSignal()
    #: A key was pressed on a card; whoever knows it accepts it.
    keyed = pyqtSignal(QKeyEvent)

    def __init__(self, session: Session, views: TwinViews, window: QWidget) -> None:
        """window: what dialogs and menus belong to."""
        super().__init__(window)
        self.session, self.window = session, window
        self._views = views
        #: The step that is shown alone.
        self.alone: str | None = None

    @property
    def copy(self) -> int:
        """Number of the copy that is shown."""
        return self._views.shown.copy

    def pick(self, callback: Callable[[str], None]) -> None:
        """Take the next color that is clicked on the views."""
        self._views.start_pick(callback)

    def seal(self) -> None:
        """The next change is an undo step of its own."""
        self.session.history.seal()

    def toggle_alone(self, step_id: str) -> None:
        """Show only this step, or all again."""
        self.alone = None if self.alone == step_id else step_id
        self.session.selection.select_step(step_id)
        self.rebuild_wanted.emit()

    def row_name(self, step: Step, row_id: str | None) -> str:
        """What a row is called in proposals: its regions' name, else the step's."""
        row = step.row(row_id)
        regions = [self.session.state.project.regions.find(r) for r in (row.regions or () if row else ())]
        names = [region.name for region in regions if region is not None]
        return names[0] if len(names) == 1 else step.name

    def choose_regions(self, step_id: str, row_id: str) -> None:
        """Ask for the regions of a row."""
        session = self.session
        step = edit.step_of(session.state.project.recipe, step_id)
        row = step.row(row_id)
        if row is None:
            return
        menu = QMenu(self.window)

        def choose(regions: tuple[str, ...] | None) -> None:
            session.apply("Regions of the row", lambda s: edit.set_row_regions(s, step_id, row_id, regions))

        whole = menu.addAction("The whole surface" if len(step.rows) == 1 else "Everywhere else", lambda: choose(None))
        assert whole is not None
        whole.setCheckable(True)
        whole.setChecked(row.regions is None)
        chosen = row.regions or ()
        regions = session.state.project.regions
        for division in regions.divisions:
            menu.addSection(entry(division.name)) if len(regions.divisions) > 1 else menu.addSeparator()
            for region in division.regions:
                kept = tuple(r for r in chosen if regions.division_of(r) is division)
                toggled = tuple(r for r in kept if r != region.id) if region.id in kept else (*kept, region.id)
                text = f"{regions.number(region.id)}  {region.name}"
                action = menu.addAction(entry(text), lambda t=toggled: choose(t))
                assert action is not None
                action.setCheckable(True)
                action.setChecked(region.id in chosen)
        menu.exec(QCursor.pos())
