"""Delivery, since last time: what a delivery would change of what lies in the folder, variant by variant."""

from collections.abc import Callable

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QColor, QHideEvent
from PyQt6.QtWidgets import QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from evenpalette.app import theme
from evenpalette.app.plain import plain
from evenpalette.app.session import Session
from evenpalette.app.tasks import Task
from evenpalette.app.views import TwinViews
from evenpalette.app.views.headers import TEXTURE
from evenpalette.app.widgets.basics import button, counted, label, row
from evenpalette.core.delivery.difference import SEEN, Changed, against_former
from evenpalette.core.edits.variants import activate
from evenpalette.gpu.look import Show

_EXTRA = "former"


class SincePage(QWidget):
    """A line for each variant, those that changed most first; the chosen one is shown as it lies in the folder in Flat,
    and as it is now in Form."""

    def __init__(self, session: Session, views: TwinViews, folder: Callable[[], str]) -> None:
        super().__init__()
        self._session, self._views, self._folder = session, views, folder
        self.found: list[Changed] = []
        self._shows = False
        self.compare = button("Compare", self.run, tip="Render every variant small and hold it against the folder")
        self.said = label("What would change of what lies in the folder, in CIEDE2000 of the base color.", "note")
        self.said.setWordWrap(True)
        self.list = QListWidget()
        self.list.setAccessibleName("Variants by how much they changed")
        self.list.setToolTip("The chosen one is shown in Flat as it lies in the folder")
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.setTextElideMode(Qt.TextElideMode.ElideRight)
        self.list.currentRowChanged.connect(self._choose)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(4)
        top = row(self.compare, self.said, spacing=8)
        top.layout().setStretch(1, 1)  # type: ignore[union-attr]
        layout.addWidget(top)
        layout.addWidget(self.list, 1)

    def run(self) -> None:
        """Compare beside the window."""
        folder = self._folder()
        if not folder:
            self.said.setText("Choose the folder first: it is compared with what lies there.")
            return
        state = self._session.state
        settings = state.project.delivery

        def done(found: list[Changed]) -> None:
            self.found = sorted(found, key=lambda one: (not one.is_new, -one.mean))
            self._show()

        self._session.tasks.start(Task(
            "Comparing with the folder",
            lambda p: against_former(state, folder, variants=settings.variants, longest=settings.size, progress=p),
            done, self._session.failed,
        ))  # fmt: skip

    def _show(self) -> None:
        self.list.blockSignals(True)
        self.list.clear()
        for one in self.found:
            item = QListWidgetItem(f"{one.name}{f', {one.sheet}' if one.sheet else ''}: {one.said}")
            item.setToolTip(plain(item.text()))
            item.setForeground(QColor(theme.WARN if one.is_new or one.worst >= SEEN else theme.INK))
            self.list.addItem(item)
        self.list.blockSignals(False)
        changed = sum(one.is_new or one.worst > 0 for one in self.found)
        self.said.setText(
            f"{changed} of {counted(len(self.found), 'variant')} would change." if changed else "Nothing would change."
        )

    def _choose(self, place: int) -> None:
        if not 0 <= place < len(self.found):
            return
        one = self.found[place]
        self._session.apply("Show variant", lambda s: activate(s, one.variant), "activate")
        if one.former is not None:
            self._shows = True
            self._views.show_extras({_EXTRA: ("Last delivered", one.former)})
            self._views.shown.show_flat(TEXTURE + _EXTRA)

    def hideEvent(self, event: QHideEvent | None) -> None:
        super().hideEvent(event)
        if self._shows:
            self._shows = False
            self._views.show_extras({})
            self._views.shown.show_flat(Show.RECIPE)
