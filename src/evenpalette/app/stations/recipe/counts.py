"""How much there is in a recipe: steps, parameters, and the textures that a game binds for it."""

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QLabel

from evenpalette.app.plain import plain
from evenpalette.app.session import Session
from evenpalette.app.tasks import Task
from evenpalette.app.timers import timer
from evenpalette.app.widgets.basics import counted
from evenpalette.core.document.kit_text import kit_text
from evenpalette.core.errors import EvenPaletteError


class Counts(QLabel):
    """One line of numbers. How many textures are bound the kit's text says; it is made beside the interface."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.setObjectName("note")
        self.setTextFormat(Qt.TextFormat.PlainText)
        self._session = session
        self._is_short = False
        self._bound: int | None = None
        self._timer = timer(self, 200)
        self._timer.timeout.connect(self._count)

    def shorten(self, is_short: bool) -> None:
        """Whether steps alone are shown, where there is more to say beside them; all is under the pointer."""
        self._is_short = is_short
        self._show()

    def follow(self) -> None:
        """Show the recipe as it is now; textures are as many as they were until they have been counted."""
        self._show()
        self._timer.start()

    def _show(self) -> None:
        recipe = self._session.state.project.recipe
        parts = [counted(len(recipe.steps), "step"), counted(len(recipe.parameters), "parameter")]
        parts += [] if self._bound is None else [counted(self._bound, "texture bound", "textures bound")]
        self.setText(parts[0] if self._is_short else ",  ".join(parts))
        self.setToolTip(plain(", ".join(parts)))

    def _count(self) -> None:
        state = self._session.state

        def count() -> int | None:
            try:
                return len(kit_text(state).samplers)
            except EvenPaletteError:  # a step of a newer version
                return None

        def done(found: int | None) -> None:
            if self._session.state.project.recipe.steps is state.project.recipe.steps:
                self._bound = found
                self._show()

        task = Task("Textures bound", lambda _: count(), done, self._session.failed, exclusive=False)
        self._session.tasks.start(task)
