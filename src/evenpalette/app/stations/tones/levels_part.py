"""Tones: the levels that spread the gray of the selected region, and what a tint makes of it."""

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QCheckBox, QGridLayout, QSizePolicy, QVBoxLayout, QWidget

from evenpalette.app.newest import Newest, Wish
from evenpalette.app.plain import plain
from evenpalette.app.session import Session
from evenpalette.app.views import TwinViews
from evenpalette.app.widgets.basics import button, captions, label, row
from evenpalette.app.widgets.forms import slider
from evenpalette.app.widgets.histogram import Histogram
from evenpalette.core.dataclass import dataclass
from evenpalette.core.document.state import State
from evenpalette.core.edits.tone import tint_parameter_of
from evenpalette.core.edits.tone_levels import (
    DEFAULTS,
    Leveled,
    clipping_picture,
    leveled,
    levels_of,
    set_levels,
    suggested_levels,
    true_average,
)
from evenpalette.core.raster.raster import Raster
from evenpalette.core.recipe.steps.levels import KIND as LEVELS_KIND
from evenpalette.core.tones.headroom import Headroom, headroom_of
from evenpalette.core.tones.histogram import gray_histogram

#: Milliseconds after a value before it is measured what it does: sliders come more often.
_PAUSE_MS = 15
_CLIPPING = "clipping"


class LevelsPart(QWidget):
    """A slider for each level; a histogram, what is clipped and what room tints have, measured beside the window."""

    def __init__(self, session: Session, views: TwinViews) -> None:
        super().__init__()
        self._session, self._views = session, views
        self._newest = Newest(session, "Measuring the tone", _PAUSE_MS, self._wish, self)
        self._is_clipping_new = False
        self._histogram = Histogram()
        self._histogram.setFixedWidth(136)
        self._title = label("", "")
        self._sliders = {
            made.key: slider(
                made.low, made.high, DEFAULTS[made.key], tip=made.description, decimals=2,
                taken=lambda v, key=made.key: self._set_levels({key: v}, f"levels {key}"),  # type: ignore[misc]
                ended=self._session.history.seal,
            )
            for made in LEVELS_KIND.inputs
        }  # fmt: skip
        grid = QGridLayout()
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setHorizontalSpacing(8)
        grid.setVerticalSpacing(0)
        captions(grid, [(made.label, self._sliders[made.key]) for made in LEVELS_KIND.inputs])
        self._suggest = button(
            "Suggest",
            lambda: self._take(suggested_levels),
            "link",
            "Black and white nearly reached, and a mean that leaves room to every tint",
        )
        self._average = button(
            "True average",
            lambda: self._take(true_average),
            "link",
            "So bright that the region's mean color is the tint itself",
        )
        self._plain = button(
            "Reset", lambda: self._set_levels(dict(DEFAULTS), "levels"), "link", "Levels that change nothing"
        )
        self._clipping = QCheckBox("show clipping")
        self._clipping.setToolTip("In Flat: what is black in blue, what is brighter than white under its tint in red")
        self._clipping.clicked.connect(self._choose_clipping)
        self._room = label("", "note")
        self._room.setWordWrap(True)
        self._room.setAccessibleName("Headroom of the tone")
        held = QWidget()
        held.setLayout(grid)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(3)
        layout.addWidget(row(self._title, None, self._suggest, self._average, self._plain, spacing=4))
        layout.addWidget(row(self._histogram, held, spacing=10))
        layout.addWidget(row(self._clipping, self._room, spacing=10))
        self.setFixedWidth(408)
        self._room.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)

    def refresh(self) -> None:
        """Show the levels of the selected region as they are now, and measure what they do."""
        state, region = self._session.state, self._session.selection.region
        found = state.project.regions.find(region or "")
        ready = state.tone is not None and found is not None
        for widget in (
            self._histogram,
            self._suggest,
            self._average,
            self._plain,
            self._clipping,
            *self._sliders.values(),
        ):
            widget.setEnabled(ready)
        self._title.setText(
            self._title.fontMetrics().elidedText(
                found.name if found is not None else "", Qt.TextElideMode.ElideRight, 110
            )
        )
        if not ready:
            self._room.setText("Levels spread the tone of the selected region, once there is one.")
            return
        assert region is not None
        for key, value in levels_of(state, region).items():
            self._sliders[key].set_value(value)
        self._newest.ask()

    def _wish(self) -> Wish | None:
        """What the levels of the selected region do."""
        state, region = self._session.state, self._session.selection.region
        if state.tone is None or region is None or state.project.regions.find(region) is None:
            return None
        is_seen = self._clipping.isChecked()
        variant = state.project.active_variant
        parameter = tint_parameter_of(state, region)
        tint = str(state.values(variant)[parameter]) if parameter else "#ffffff"

        def measure() -> _Measured:
            shown = leveled(state, region, tint)
            return _Measured(
                tint, shown, gray_histogram(shown.grays)[0], headroom_of(shown.grays),
                clipping_picture(state, variant) if is_seen else None,
            )  # fmt: skip

        return measure, self._show

    def _show(self, found: "_Measured") -> None:
        if not self._suggest.isEnabled():
            return  # The tone or the region is gone meanwhile.
        shown, room, tint = found.shown, found.room, found.tint
        self._histogram.show_bins(found.bins, shown.mean, tint, shown.dark, shown.bright)
        words = {"dark": "Too dark: tints vanish. ", "flat": "Nearly white: tints look flat. ", "good": ""}[room.word]
        self._room.setText(f"{words}{tint} comes out as {room.shown(tint)} on average; white as {room.brightest}.")
        self._room.setToolTip(
            plain(
                f"The mean gray is {room.mean:.2f}, linear; most of it lies from {room.low:.2f} to {room.high:.2f}. For the mean to be the "
                f"tint itself the tone would have to be {room.gain:.2f} times as bright, and {room.clips:.0%} of it would be brighter than white"
            )
        )
        if found.clipping is not None and self._clipping.isChecked():
            self._views.show_extras({_CLIPPING: ("Clipping", found.clipping)})
            if self._is_clipping_new:
                self._views.shown.show_flat(f"texture:{_CLIPPING}")
            self._is_clipping_new = False

    def _set_levels(self, values: dict[str, float], key: str) -> None:
        region = self._session.selection.region
        if region:
            self._session.apply("Levels", lambda s: set_levels(s, region, values), f"{key} {region}")

    def _take(self, found: Callable[[State, str], dict[str, float]]) -> None:
        region = self._session.selection.region
        if region:
            self._session.run("Levels", lambda s, _: set_levels(s, region, found(s, region)))

    def _choose_clipping(self, is_wanted: bool) -> None:
        """What is cut off, in Flat: made of a smaller picture, which is enough to see it."""
        self._is_clipping_new = is_wanted
        if is_wanted:
            self._newest.ask()
        else:
            self._views.show_extras({})


@dataclass(frozen=True)
class _Measured:
    """What levels do under a tint; clipping: None where nobody looks at it."""

    tint: str
    shown: Leveled
    bins: NDArray[np.float64]
    room: Headroom
    clipping: Raster | None
