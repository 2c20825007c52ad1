"""Tones: a neutral gray from the painted color, and how well the recipe rebuilds the original with it."""

import numpy as np
from PyQt6.QtCore import QRectF, QSize, Qt
from PyQt6.QtGui import QColor, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import (
    QComboBox,
    QHBoxLayout,
    QHeaderView,
    QSizePolicy,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from evenpalette.app import theme
from evenpalette.app.facets import ASSET, COVERAGES, REGIONS, TONE
from evenpalette.app.session import Session
from evenpalette.app.stations.game_page import GamePage
from evenpalette.app.stations.palette_page import PalettePage
from evenpalette.app.stations.ramp_page import RampPage
from evenpalette.app.stations.station import Station
from evenpalette.app.views import TwinViews
from evenpalette.app.widgets.basics import button, column, label, row
from evenpalette.app.widgets.pages import Pages
from evenpalette.app.widgets.value_slider import ValueSlider
from evenpalette.app.widgets.when_shown import WhenShown
from evenpalette.core.project.edits import tone as edit
from evenpalette.core.project.edits.tone import tint_parameter_of
from evenpalette.core.project.model import Role
from evenpalette.core.tones.gray import LABELS, METHODS
from evenpalette.core.tones.headroom import headroom_of
from evenpalette.core.tones.histogram import tone_histogram

COMPARED = ("fit", *METHODS)
WORDS = {"fit": "Fit", **LABELS}


class Histogram(QWidget):
    """How often each encoded gray of the tone occurs in the selected region."""

    def __init__(self) -> None:
        super().__init__()
        self._bins = np.zeros(64)
        self._mean = 0.0
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumSize(160, 80)

    def sizeHint(self) -> QSize:
        return QSize(240, 130)

    def show_bins(self, bins: np.ndarray, mean: float) -> None:
        """Show counts, and the mean encoded gray 0..1."""
        self._bins, self._mean = bins, mean
        self.update()

    def paintEvent(self, _: QPaintEvent | None) -> None:
        painter = QPainter(self)
        area = QRectF(self.rect()).adjusted(0, 0, -1, -14)
        painter.fillRect(area, QColor(theme.SURFACE))
        top = float(self._bins.max()) or 1.0
        width = area.width() / len(self._bins)
        for i, count in enumerate(self._bins):
            height = area.height() * (count / top) ** 0.6
            gray = round((i + 0.5) / len(self._bins) * 255)
            painter.fillRect(
                QRectF(area.left() + i * width, area.bottom() - height, width + 0.5, height), QColor(gray, gray, gray)
            )
        painter.setPen(QPen(QColor(theme.LINE), 1))
        painter.drawRect(area)
        x = area.left() + self._mean * area.width()
        painter.setPen(QPen(QColor(theme.ACCENT), 2))
        painter.drawLine(int(x), int(area.top()), int(x), int(area.bottom()))
        painter.setPen(QColor(theme.MUTED))
        painter.setFont(theme.font(theme.NOTE))
        line = QRectF(area.left(), area.bottom(), area.width(), 15)
        painter.drawText(line, Qt.AlignmentFlag.AlignLeft, "0")
        painter.drawText(line, Qt.AlignmentFlag.AlignRight, "255")
        painter.drawText(line, Qt.AlignmentFlag.AlignHCenter, f"mean {self._mean * 255:.0f}")


class TonesBench(QWidget):
    """The bench of the station Tones."""

    def __init__(self, session: Session, views: TwinViews) -> None:
        super().__init__()
        self._session, self._views = session, views
        self._painted = QComboBox()
        self._painted.setAccessibleName("Painted texture")
        self._painted.activated.connect(
            lambda i: session.apply("Painted texture", lambda s: edit.set_painted(s, self._painted.itemData(i)))
        )
        self._white = ValueSlider(90, 100, "%", decimals=1)
        self._white.setAccessibleName("White of the tone")
        self._white.setToolTip(
            "Which part of a region's brightness the tone holds. 100 loses nothing; less gives up the brightest texels for a lighter tone"
        )
        self._white.edited.connect(
            lambda v: session.apply("White of the tone", lambda s: edit.set_white(s, v), "white")
        )
        self._fit = button(
            "Fit the tone",
            lambda: self.make("fit"),
            "primary",
            "Tint and gray that rebuild the painted color best, region by region",
        )
        self._compare = button(
            "Compare methods", self._compare_all, tip="Rebuild the original with each method and measure"
        )
        self._verdict = label("", "note")
        self._verdict.setAccessibleName("Verdict on the tone")
        self._verdict.setWordWrap(True)
        left = column(
            label("Tone", "heading"), label("made from", "note"), self._painted, label("white at", "note"), self._white,
            row(self._fit, self._compare, None), self._verdict, None, spacing=4,
        )  # fmt: skip
        left.setFixedWidth(262)
        self.table = QTableWidget()
        self.table.setAccessibleName("Differences by region and method")
        self.table.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        self.table.setSelectionBehavior(QTableWidget.SelectionBehavior.SelectRows)
        self.table.setSelectionMode(QTableWidget.SelectionMode.SingleSelection)
        self.table.setToolTip("Double-click or press Enter to use a method")
        self.table.activated.connect(lambda index: self.make(self._methods[index.row()]))
        vertical = self.table.verticalHeader()
        assert vertical is not None
        vertical.hide()
        vertical.setDefaultSectionSize(26)
        self._methods: list[str] = []
        self._use = button("Use this method", self._use_selected, "link")
        middle = column(
            row(
                label("CIEDE2000 of the rebuilt picture: mean, 95th percentile, mean per region", "note"),
                None,
                self._use,
            ),
            self.table,
        )
        self._histogram = Histogram()
        self._histogram_title = label("", "note")
        self._room = label("", "note")
        self._room.setWordWrap(True)
        self._room.setAccessibleName("Headroom of the tone")
        right = column(self._histogram_title, self._histogram, self._room)
        right.setFixedWidth(188)
        fit = QWidget()
        inner = QHBoxLayout(fit)
        inner.setContentsMargins(0, 0, 0, 0)
        inner.setSpacing(24)
        inner.addWidget(left)
        inner.addWidget(middle, 1)
        inner.addWidget(right)
        self.palette_page, self.ramps, self.game = PalettePage(session), RampPage(session), GamePage(session, views)
        self.pages = Pages({"Tone": fit, "Palette": self.palette_page, "Ramp": self.ramps, "In the game": self.game})
        layout = QVBoxLayout(self)
        layout.setContentsMargins(16, 6, 16, 8)
        layout.setSpacing(4)
        layout.addWidget(row(self.pages.switch, None))
        layout.addWidget(self.pages, 1)
        self._shown = WhenShown(self, self.refresh)
        session.changed.connect(self._on_change)
        session.selection_changed.connect(lambda: self._show_histogram() if self.isVisible() else self._shown.ask())
        self.refresh()

    def _on_change(self, facets: frozenset[str]) -> None:
        if facets & {TONE, ASSET, REGIONS, COVERAGES}:
            self._shown.ask()

    def refresh(self) -> None:
        """Show the tone as it is now."""
        state = self._session.state
        settings = state.project.tone
        self._painted.clear()
        for texture in state.project.asset.with_role(Role.PAINTED, Role.COLOR):
            self._painted.addItem(texture.name, texture.id)
        self._painted.setCurrentIndex(self._painted.findData(settings.painted))
        self._white.set_value(settings.white_percentile)
        ready = bool(state.region_ids) and settings.painted is not None
        for widget in (self._fit, self._compare, self._use):
            widget.setEnabled(ready)
        if not ready:
            self._verdict.setText("A tone needs a painted texture and regions.")
        elif settings.report is None:
            self._verdict.setText(
                "No tone yet. Fit finds tint and gray together, so that the default shows the original."
            )
        else:
            report = settings.report
            word = (
                "looks like the original"
                if report.mean < 1
                else "is close to the original"
                if report.mean < 3
                else "differs from the original"
            )
            told = [
                f"In use: {WORDS[report.method]}. The default {word}: mean {report.mean:.2f}, 95th percentile {report.p95:.2f}."
            ]
            if report.causes:
                told.append(f"{', '.join(report.causes)} cannot be undone: what lies under it is guessed.")
            for line in report.rows:
                region = state.project.regions.find(line.region)
                if line.second and region is not None:
                    told.append(f"{region.name} holds a second hue, {line.second}, on {line.second_share:.0%} of it.")
            self._verdict.setText("  ".join(told))
        self._fill_table()
        self._show_histogram()

    def _fill_table(self) -> None:
        state = self._session.state
        reports = sorted(
            state.project.tone.compared, key=lambda r: COMPARED.index(r.method) if r.method in COMPARED else 99
        )
        regions = state.project.regions.regions
        self._methods = [report.method for report in reports]
        self.table.clear()
        self.table.setColumnCount(3 + len(regions))
        self.table.setRowCount(len(reports))
        self.table.setHorizontalHeaderLabels(["Method", "Mean", "95th", *(region.name for region in regions)])
        for line, report in enumerate(reports):
            in_use = report.method == state.project.tone.method and state.tone is not None
            by_region = {r.region: r.mean for r in report.rows}
            cells = [WORDS[report.method] + ("  (in use)" if in_use else ""), f"{report.mean:.2f}", f"{report.p95:.2f}"]
            cells += [f"{by_region[r.id]:.2f}" if r.id in by_region else "" for r in regions]
            for place, text in enumerate(cells):
                item = QTableWidgetItem(text)
                item.setFont(theme.font(theme.TEXT, strong=in_use and place == 0))
                if place:
                    item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
                    value = float(text or 0)
                    item.setForeground(QColor(theme.INK if value < 3 else theme.WARN))
                self.table.setItem(line, place, item)
        header = self.table.horizontalHeader()
        assert header is not None
        header.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        header.setDefaultAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)

    def _show_histogram(self) -> None:
        state, region = self._session.state, self._session.region
        found = state.project.regions.find(region or "")
        if state.tone is None:
            self._histogram_title.setText("")
            self._histogram.setVisible(False)
            return
        self._histogram.setVisible(True)
        bins, mean = tone_histogram(state.tone, state.coverages.get(region or ""))
        self._histogram_title.setText(f"Tone of {found.name}, encoded gray" if found else "Tone, encoded gray")
        self._histogram.show_bins(bins, mean)
        self._show_room(region)

    def _show_room(self, region: str | None) -> None:
        """Which colors a tint reaches in the selected region."""
        state = self._session.state
        assert state.tone is not None
        room = headroom_of(state.tone, state.coverages.get(region or ""))
        parameter = tint_parameter_of(state, region) if region else None
        tint = str(state.values(state.project.active_variant)[parameter]) if parameter else "#ffffff"
        words = {"dark": "Too dark: tints vanish. ", "flat": "Nearly white: tints look flat. ", "good": ""}[room.word]
        self._room.setText(f"{words}{tint} comes out as {room.shown(tint)} on average; white as {room.brightest}.")
        self._room.setToolTip(
            f"The mean gray is {room.mean:.2f}, linear; most of it lies from {room.low:.2f} to {room.high:.2f}. For the mean to be the "
            f"tint itself the tone would have to be {room.gain:.2f} times as bright, and {room.clips:.0%} of it would clip"
        )

    def _use_selected(self) -> None:
        line = self.table.currentRow()
        if 0 <= line < len(self._methods):
            self.make(self._methods[line])

    def make(self, method: str) -> None:
        """Make the tone by a method, off the window's thread."""
        self._session.run(f"Tone by {WORDS[method]}", lambda s, progress: edit.make_tone(s, method, progress))

    def _compare_all(self) -> None:
        self._session.run("Compare tones", lambda s, progress: edit.compare_methods(s, COMPARED, progress))


STATION = Station("tones", "Tones", lambda room: TonesBench(room.session, room.views))
