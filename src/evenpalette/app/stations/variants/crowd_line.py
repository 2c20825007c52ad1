"""The crowd's line on the bench: how many, how they stand, who each is, what hour it is; the copy that is chosen."""

from collections.abc import Callable

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QComboBox, QGridLayout, QVBoxLayout, QWidget

from evenpalette.app.facets import CROWD, VARIANTS
from evenpalette.app.session import Session
from evenpalette.app.views import TwinViews
from evenpalette.app.widgets.basics import button, caption, captions, choice, counted, label, row, scrolled
from evenpalette.app.widgets.elided import Elided
from evenpalette.app.widgets.forms import slider, whole
from evenpalette.app.widgets.popup import show_above
from evenpalette.core.crowd import LAID
from evenpalette.core.document.crowd import MOST_COPIES, USUAL_SHARE
from evenpalette.core.document.state import State
from evenpalette.core.document.variant import DEFAULTS_NAME
from evenpalette.core.edits.crowd import change_crowd, keep_copy, picked_words
from evenpalette.core.edits.variants import find_variant

_RULES = (("apart", "never two alike beside"), ("share", "by share alone"))
_NUMBERS = (("order", "in order"), ("place", "by place"))
_MOST_SHOWN = 40


class CrowdLine(QWidget):
    """Shown while the crowd is; all that it sets is a change of the document, but for the hour."""

    def __init__(self, session: Session, views: TwinViews) -> None:
        super().__init__()
        self._session, self._crowd = session, views.crowd
        self.count = whole("Copies", 1, MOST_COPIES, 1, suffix=" copies", taken=lambda n: self._set("Copies", count=n))
        self.count.setAccelerated(True)
        self.count.setKeyboardTracking(False)
        self.laid = self._box("How copies are laid", tuple(LAID.items()), "laid")
        self.rule = self._box("Which variant each is", _RULES, "rule")
        self.numbered = self._box("How the game numbers copies", _NUMBERS, "numbered")
        self.numbered.setToolTip("In order, a copy that is moved keeps its look; by place, it gets that of the place")
        self.spacing = slider(
            0.5, 6, 0.5, name="Spacing", decimals=2, ended=session.history.seal,
            tip="How far neighbors stand apart, in widths of the asset; scattered ones at least half of it",
            taken=lambda v: self._set("Spacing of the crowd", "crowd spacing", spacing=v),
        )  # fmt: skip
        self.hour = slider(
            0, 1, 0, name="Day to night", tip="Over all: day, evening, night", decimals=2,
            taken=lambda v: self._crowd.set_light(hour=v),
        )  # fmt: skip
        self.shares = button("Shares ...", self._ask_shares, tip="How often each variant comes")
        self.together = button("", self._put_back, icon="rotate-ccw", tip="Put moved copies back where they were laid")
        self.together.setAccessibleName("Put moved copies back")
        self.facts = Elided()
        self.keep = button(
            "Make it a variant", self._keep, icon="plus",
            tip="A variant that looks as this copy does, wherever it is placed",
        )  # fmt: skip
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(4)
        for wide in (self.spacing, self.hour):
            wide.setFixedWidth(140)
        layout.addWidget(
            row(
                label("Crowd", "heading"), self.count, self.laid, self.rule, self.shares, self.numbered, None,
                caption("spaced", self.spacing), self.spacing, 8, caption("day to night", self.hour), self.hour, spacing=6,
            )
        )  # fmt: skip
        self._below = row(self.facts, self.together, self.keep, spacing=6)
        self._below.layout().setStretch(0, 1)  # type: ignore[union-attr]
        layout.addWidget(self._below)
        self._crowd.switched.connect(lambda _: self._show())
        self._crowd.chosen_changed.connect(self._show)
        self._crowd.came.connect(self._show)
        session.changed.connect(lambda facets: self._show() if facets & {CROWD, VARIANTS} else None)
        self._show()

    def _box(self, name: str, entries: tuple[tuple[str, str], ...], key: str) -> QComboBox:
        return choice(
            name,
            [(words, value) for value, words in entries],
            tip=name,
            taken=lambda value: self._set(name, **{key: value}),
        )

    def _set(self, words: str, key: str = "", **parts: object) -> None:
        self._session.apply(words, lambda s: change_crowd(s, **parts), key or f"crowd {next(iter(parts))}")

    def _show(self) -> None:
        self.setVisible(self._crowd.is_on)
        if not self._crowd.is_on:
            return
        crowd = self._session.state.project.crowd
        for widget, value in ((self.laid, crowd.laid), (self.rule, crowd.rule), (self.numbered, crowd.numbered)):
            widget.setCurrentIndex(max(0, widget.findData(value)))
        self.count.blockSignals(True)
        self.count.setValue(crowd.count)
        self.count.blockSignals(False)
        self.spacing.set_value(crowd.spacing)
        self.hour.set_value(self._crowd.light.hour)
        self.together.setVisible(bool(crowd.moved))
        self._show_copy()

    def _show_copy(self) -> None:
        laid, index = self._crowd.laid, self._crowd.chosen
        self.keep.setEnabled(index >= 0 and laid is not None)
        if laid is None:
            self.facts.say("The crowd is being laid ...")
            return
        if index < 0:
            alike = laid.alike
            text = "Click a copy to choose it, or Ctrl and an arrow; Shift and a drag or an arrow moves it."
            if alike:
                text = f"{counted(alike, 'pair')} side by side are alike: there are too few variants for where copies stand. {text}"
            self.facts.say(text)
            return
        state = self._session.state
        variant, number = self._crowd.variant_of(index), self._crowd.number_of(index)
        held = find_variant(state, variant)
        picks = picked_words(state, variant, number)
        words = f"Copy {index}: {held.name if held is not None else DEFAULTS_NAME}, number {number}"
        said = "; ".join([words, *picks]) if picks else f"{words}; nothing is picked by copy"
        self.facts.say(said, "\n".join([words, *picks]))

    def _keep(self) -> None:
        index = self._crowd.chosen
        if index < 0:
            return
        variant, number = self._crowd.variant_of(index), self._crowd.number_of(index)
        self._session.apply("Keep a copy as a variant", lambda s: keep_copy(s, variant, number))

    def _put_back(self) -> None:
        self._session.apply("Put moved copies back", lambda s: change_crowd(s, moved=[]))

    def _ask_shares(self) -> None:
        popup = SharesPopup(self._session.state, self)
        popup.edited.connect(self._share)
        popup.finished.connect(self._session.history.seal)
        show_above(popup, self.shares)

    def _share(self, variant: str, share: float) -> None:
        held = {**self._session.state.project.crowd.shares, variant: share}
        self._set("Shares of the crowd", f"crowd share {variant}", shares=held)


class SharesPopup(QWidget):
    """A slider for each variant."""

    edited = pyqtSignal(str, float)
    finished = pyqtSignal()

    def __init__(self, state: State, parent: QWidget) -> None:
        super().__init__(parent, Qt.WindowType.Popup)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setObjectName("chrome")
        held = QWidget()
        grid = QGridLayout(held)
        grid.setContentsMargins(12, 10, 12, 10)
        shown: list[tuple[str, QWidget]] = []
        for variant in state.project.variants[:_MOST_SHOWN]:
            share = state.project.crowd.shares.get(variant.id, USUAL_SHARE)
            made = slider(
                0, 100, share, name=f"Share of {variant.name}", decimals=0, taken=self._tell(variant.id),
                ended=self.finished.emit,
            )  # fmt: skip
            shown.append((variant.name, made))
        captions(grid, shown)
        if len(state.project.variants) > _MOST_SHOWN:
            grid.addWidget(
                label(f"The first {_MOST_SHOWN}; the others come as often as 10.", "note"), _MOST_SHOWN, 0, 1, 2
            )
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addWidget(scrolled(held))
        self.resize(320, min(420, held.sizeHint().height() + 8))

    def _tell(self, variant: str) -> Callable[[float], None]:
        return lambda share: self.edited.emit(variant, share)
