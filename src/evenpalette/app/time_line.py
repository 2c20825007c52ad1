"""A line under the views where time is scrubbed and let run: what pulses and drifts, and a turn from one variant into
another; what of it never changes is said."""

import math
import time

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QDoubleSpinBox, QHBoxLayout, QSlider, QWidget

from evenpalette.app import theme
from evenpalette.app.facets import ACTIVE, EVERYTHING, RECIPE, VALUES, VARIANTS
from evenpalette.app.session import Session
from evenpalette.app.timers import timer
from evenpalette.app.views import TwinViews
from evenpalette.app.widgets.basics import choice, label, tool
from evenpalette.app.widgets.elided import Elided
from evenpalette.core.document.variant import DEFAULTS_NAME
from evenpalette.core.edits.variants import find_variant
from evenpalette.core.recipe.moving import moving_steps

#: Milliseconds between pictures while time runs, and places of the slider a second.
_FRAME, _FINE = 33, 100
_USUAL = 4.0


class TimeLine(QWidget):
    """Play, scrub, a loop of n seconds. A turn goes there and back once in the loop."""

    played = pyqtSignal(bool)

    def __init__(self, session: Session, views: TwinViews) -> None:
        super().__init__()
        self.setObjectName("chrome")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self._session, self._views = session, views
        self._seconds, self._last = 0.0, 0.0
        self.play = tool("play", "Let time run, or hold it (Space on the line)", self.toggle)
        self.scrub = QSlider(Qt.Orientation.Horizontal)
        self.scrub.setAccessibleName("Moment")
        self.scrub.setToolTip("The moment that is shown")
        self.scrub.setMinimumWidth(120)
        self.length = QDoubleSpinBox()
        self.length.setRange(0.5, 120)
        self.length.setDecimals(1)
        self.length.setSuffix(" s")
        self.length.setValue(_USUAL)
        self.length.setAccessibleName("Length of the loop")
        self.length.setToolTip("Time begins anew after so many seconds")
        self.into = choice(
            "Turn into", tip="The active variant turns into this one and back once in the loop: colors in OKLab"
        )
        self.into.setMinimumWidth(130)
        self._now, self._said = label("0.0", "note"), Elided()
        self._now.setFixedWidth(30)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(10, 3, 10, 3)
        layout.setSpacing(8)
        for widget in (self.play, self.scrub, self._now, label("of", "note"), self.length, label("turns into", "note"), self.into, self._said):  # fmt: skip
            layout.addWidget(widget, {self.scrub: 2, self._said: 3}.get(widget, 0))
        self._clock = timer(self, _FRAME, once=False)
        self._clock.timeout.connect(self._tick)
        self.scrub.valueChanged.connect(self._scrubbed)
        self.length.valueChanged.connect(lambda _: self._fit())
        self.into.currentIndexChanged.connect(lambda _: self._turned())
        views.headers.clock.toggled.connect(self._open)
        session.changed.connect(self._on_change)
        self.hide()
        self._fit()
        self._fill()

    @property
    def is_playing(self) -> bool:
        """Whether time runs."""
        return self._clock.isActive()

    def toggle(self) -> None:
        """Let time run, or hold it."""
        self._run(not self.is_playing)

    def _run(self, on: bool) -> None:
        self._last = time.monotonic()
        if on:
            self._clock.start()
        else:
            self._clock.stop()
        self.play.setIcon(theme.icon("pause" if on else "play"))
        self.played.emit(on)

    def _open(self, on: bool) -> None:
        self.setVisible(on)
        if not on:
            self._run(False)
            self._seconds = 0.0
            self._views.shown.set_moment(0.0)
        else:
            self._fill()
            self._show()
            self._run(True)

    def _fit(self) -> None:
        self.scrub.blockSignals(True)
        self.scrub.setRange(0, round(self.length.value() * _FINE))
        self.scrub.setPageStep(_FINE)
        self.scrub.setSingleStep(_FINE // 10)
        self._seconds = min(self._seconds, self.length.value())
        self.scrub.setValue(round(self._seconds * _FINE))
        self.scrub.blockSignals(False)
        self._show()

    def _tick(self) -> None:
        now = time.monotonic()
        self._seconds = (self._seconds + now - self._last) % self.length.value()
        self._last = now
        self.scrub.blockSignals(True)
        self.scrub.setValue(round(self._seconds * _FINE))
        self.scrub.blockSignals(False)
        self._show()

    def _scrubbed(self, value: int) -> None:
        if self.is_playing:
            self._run(False)
        self._seconds = value / _FINE
        self._show()

    def _show(self) -> None:
        if self.isHidden():
            return
        into = str(self.into.currentData() or "")
        turned = 0.5 - 0.5 * math.cos(2 * math.pi * self._seconds / self.length.value()) if into else 0.0
        self._now.setText(f"{self._seconds:.1f}")
        self._views.shown.set_moment(self._seconds, into, round(turned, 4))

    def _turned(self) -> None:
        self._say()
        self._show()

    def _on_change(self, facets: frozenset[str]) -> None:
        if facets >= EVERYTHING:
            self._views.headers.clock.setChecked(False)
        if not self.isHidden() and facets & {VARIANTS, ACTIVE, RECIPE, VALUES}:
            self._fill()

    def _fill(self) -> None:
        state = self._session.state
        chosen, active = self.into.currentData(), state.project.active_variant
        self.into.blockSignals(True)
        self.into.clear()
        self.into.addItem("nothing", "")
        for variant in state.project.variants:
            if variant.id != active:
                self.into.addItem(variant.name, variant.id)
        self.into.setCurrentIndex(max(0, self.into.findData(chosen)))
        self.into.blockSignals(False)
        self._turned()

    def _say(self) -> None:
        """What moves, and what never does."""
        state = self._session.state
        active = state.project.active_variant
        moving = moving_steps(state.project.recipe)
        words = ", ".join(f"{name} ({period:g} s)" if period else f"{name} (drifts)" for name, period in moving[:4])
        still = [step.name for step in state.project.recipe.steps if step.enabled and step.name not in dict(moving)]
        said = f"Moves: {words}." if moving else "Nothing of the recipe moves."
        if moving and still:
            said += f" Never changes: {', '.join(still[:4])}{' ...' if len(still) > 4 else ''}."
        other = find_variant(state, self.into.currentData())
        if other is not None:
            mine, theirs = state.values(active), state.values(other.id)
            turns = [p.name for p in state.project.parameters if mine[p.id] != theirs[p.id]]
            here = find_variant(state, active)
            said = f"{here.name if here else DEFAULTS_NAME} to {other.name}: {', '.join(turns[:4])}{' ...' if len(turns) > 4 else ''}. {said}"
        self._said.say(said)

    def keyPressEvent(self, event) -> None:  # type: ignore[no-untyped-def]
        if event.key() == Qt.Key.Key_Space:
            self.toggle()
        else:
            super().keyPressEvent(event)
