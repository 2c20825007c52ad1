"""What a parameter reaches, in a line: how much of which regions, on the views on wish; or why it changes nothing, with
a way to go there."""

from PyQt6.QtCore import QEvent, QObject, Qt
from PyQt6.QtGui import QShowEvent
from PyQt6.QtWidgets import QCheckBox, QHBoxLayout, QSizePolicy, QWidget

from evenpalette.app.facets import ACTIVE, ASSET, COVERAGES, RECIPE, REGIONS, VALUES
from evenpalette.app.newest import Newest, Wish
from evenpalette.app.plain import plain
from evenpalette.app.session import Session
from evenpalette.app.views import TwinViews
from evenpalette.app.widgets.basics import button, label
from evenpalette.core.variants.reach import Reach, reach_of, reach_picture

_PAUSE_MS = 250


class ReachLine(QWidget):
    """Looks at one parameter in the active variant, beside the window; the newest wish only."""

    def __init__(self, session: Session, views: TwinViews) -> None:
        super().__init__()
        self._session, self._views = session, views
        self._parameter: str | None = None
        self._found: Reach | None = None
        self._text = ""
        self._shorter: tuple[str, ...] = ()
        self._words = label("", "note")
        self._words.setAccessibleName("Reach of the parameter")
        self._words.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        self._words.installEventFilter(self)
        self._go = button("Go there", self._go_there, "link", "The step or region that is the reason")
        self._show = QCheckBox("show reach")
        self._show.setToolTip("In both views: the lighter, the more a texel changes when the parameter moves")
        self._show.clicked.connect(lambda _: self._draw())
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(8)
        layout.addWidget(self._words, 1)
        layout.addWidget(self._go)
        layout.addWidget(self._show)
        self._newest = Newest(session, "Looking at reach", _PAUSE_MS, self._wish, self)
        session.changed.connect(
            lambda facets: self._ask() if facets & {VALUES, RECIPE, ACTIVE, REGIONS, COVERAGES, ASSET} else None
        )
        self.look_at(None)

    def look_at(self, parameter: str | None) -> None:
        """Tell the reach of this parameter from now on; None of nothing."""
        if parameter == self._parameter and self._found is not None:
            return
        self._parameter, self._found, self._shorter = parameter, None, ()
        self._set_text("")
        for widget in (self._go, self._show):
            widget.setVisible(False)
        if parameter is None and self._show.isChecked():
            self._show.setChecked(False)
            self._draw()
        self._ask()

    def _ask(self) -> None:
        if self._parameter is not None and self.isVisible():
            self._newest.ask()

    def _wish(self) -> Wish | None:
        state, parameter = self._session.state, self._parameter
        if parameter is None or state.project.recipe.parameter(parameter) is None:
            return None
        variant = state.project.active_variant

        def done(found: Reach) -> None:
            if parameter == self._parameter:
                self._found = found
                self._shorter = found.short_words()
                self._set_text(found.words(self._session.state))
                self._go.setVisible(any(reason.step or reason.region for reason in found.reasons))
                self._show.setVisible(not found.reasons)
                if self._show.isChecked():
                    self._draw()

        return lambda: reach_of(state, parameter, variant), done

    def _draw(self) -> None:
        if not self._show.isChecked() or self._found is None or self._found.reasons:
            self._views.shown.show_both(None)
            self._views.show_extras({})
            return
        self._views.show_extras({"reach": ("Reach", reach_picture(self._found))})
        self._views.shown.show_both("texture:reach")

    def _go_there(self) -> None:
        reason = next((r for r in self._found.reasons if r.step or r.region), None) if self._found is not None else None
        if reason is None:
            return
        if reason.region:
            self._session.set_station("regions")
            self._session.selection.select_region(reason.region)
        else:
            self._session.set_station("recipe")
            self._session.selection.select_step(reason.step)

    def _set_text(self, text: str) -> None:
        self._text = text
        self._words.setToolTip(plain(text))
        metrics, space = self._words.fontMetrics(), max(40, self._words.width())
        # The longest way to say it that is whole.
        whole = (words for words in (text, *self._shorter) if metrics.horizontalAdvance(words) <= space)
        self._words.setText(
            next(
                whole,
                metrics.elidedText(self._shorter[-1] if self._shorter else text, Qt.TextElideMode.ElideRight, space),
            )
        )

    def showEvent(self, event: QShowEvent | None) -> None:
        super().showEvent(event)
        self._ask()

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        if watched is self._words and event is not None and event.type() is QEvent.Type.Resize:
            self._set_text(self._text)
        return False
