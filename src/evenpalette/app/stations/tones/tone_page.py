"""Tones, the gray: from the painted color, how well the recipe rebuilds the original with it, and its levels."""

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QColor
from PyQt6.QtWidgets import (
    QHBoxLayout,
    QHeaderView,
    QSizePolicy,
    QTableWidget,
    QTableWidgetItem,
    QWidget,
)

from evenpalette.app import theme
from evenpalette.app.facets import ACTIVE, ASSET, COVERAGES, RECIPE, REGIONS, TONE, VALUES
from evenpalette.app.session import Session
from evenpalette.app.stations.tones.gray_sheet import TILE, gray_sheet
from evenpalette.app.stations.tones.levels_part import LevelsPart
from evenpalette.app.tasks import Task
from evenpalette.app.views import TwinViews
from evenpalette.app.widgets.basics import button, choice, column, label, row, scrolled
from evenpalette.app.widgets.forms import slider
from evenpalette.app.widgets.when_shown import WhenShown
from evenpalette.core.document.project import Role
from evenpalette.core.edits import tone as edit
from evenpalette.core.edits.splitting import split_by_hue
from evenpalette.core.parallel import Progress
from evenpalette.core.raster.raster import Raster
from evenpalette.core.tones.gray import LABELS, METHODS, to_gray
from evenpalette.gpu.look import Show

COMPARED = ("fit", *METHODS)
WORDS = {"fit": "Fit", **LABELS}


class TonePage(QWidget):
    """Left how the tone is made, in the middle how well each way rebuilds the paint, right the region's levels."""

    def __init__(self, session: Session, views: TwinViews) -> None:
        super().__init__()
        self._session, self._views = session, views
        self._levels = LevelsPart(session, views)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(20)
        layout.addWidget(self._made_from())
        layout.addWidget(self._ways(), 1)
        layout.addWidget(self._levels)
        self.table.currentCellChanged.connect(lambda *_: self._show_gray())
        self._shown = WhenShown(self, self.refresh)
        session.changed.connect(self._on_change)
        session.selection.changed.connect(lambda: self._show_region() if self.isVisible() else self._shown.ask())
        self.refresh()

    def _made_from(self) -> QWidget:
        """What the tone is made from and how."""
        session = self._session
        self._painted = choice(
            "Painted texture",
            taken=lambda value: session.apply("Painted texture", lambda s: edit.set_painted(s, value)),
        )
        self._white = slider(
            90, 100, 90, name="White of the tone", unit="%", decimals=1,
            tip="Which part of a region's brightness the tone holds. 100 loses nothing; less gives up the brightest texels for a lighter tone",
            taken=lambda v: session.apply("White of the tone", lambda s: edit.set_white(s, v), "white"),
        )  # fmt: skip
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
        self._residue = button(
            "Add back the rest",
            self._add_residue,
            "link",
            "Hue and chroma that gray and tint cannot rebuild, as a second map that follows the tint",
        )
        self._split = button(
            "Split by hue",
            self._split_region,
            "link",
            "The part of the selected region that has another hue becomes a region of its own",
        )
        left = column(
            row(label("made from", "note"), self._painted), row(label("white at", "note"), self._white),
            row(self._fit, self._compare, None), row(self._residue, self._split, None, spacing=4), scrolled(self._verdict), spacing=3,
        )  # fmt: skip
        left.setFixedWidth(252)
        return left

    def _ways(self) -> QWidget:
        """How well each way rebuilds the paint."""
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
        self._use = button("Use", self._use_selected, "link", "Make the tone by the method of the chosen line")
        self._use.setAccessibleName("Use this method")
        self._sheet = button(
            "All grays", self._show_sheet, "link", "In Flat: the paint and every gray of it beside each other"
        )
        heading = label("CIEDE2000", "note")
        heading.setToolTip("Of the rebuilt picture: mean, 95th percentile, mean of each region")
        heading.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        middle = column(
            row(heading, self._sheet, self._use, spacing=0),
            self.table,
        )
        # On a narrow window the table scrolls, and nothing beside it is cut.
        self.table.setMinimumWidth(90)
        middle.setMinimumWidth(100)
        middle.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Expanding)
        return middle

    def _on_change(self, facets: frozenset[str]) -> None:
        if facets & {TONE, ASSET, REGIONS, COVERAGES}:
            self._shown.ask()
        elif facets & {RECIPE, VALUES, ACTIVE} and self.isVisible():
            self._levels.refresh()

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
        for widget in (self._fit, self._compare, self._use, self._sheet):
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
        self._show_region()

    def _show_region(self) -> None:
        """What can be done with the selected region, and its levels."""
        state, report = self._session.state, self._session.state.project.tone.report
        second = {row.region for row in report.rows if row.second} if report else set()
        self._split.setVisible(self._session.selection.region in second)
        self._residue.setEnabled(state.tone is not None)
        self._levels.refresh()

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

    def _show_gray(self) -> None:
        """The gray of the chosen line, in Flat, and in Form where a texture is shown."""
        line, state = self.table.currentRow(), self._session.state
        painted = state.textures.get(state.project.tone.painted or "")
        if not 0 <= line < len(self._methods) or painted is None or not self.table.hasFocus():
            return
        method = self._methods[line]
        if method == edit.FIT and state.tone is not None:
            self._views.shown.show_flat(Show.TONE)
            return
        small = painted.thumbnail(1024)
        self._session.tasks.start(Task(
            f"Gray by {WORDS[method]}", lambda _: to_gray(small, method),
            lambda gray: self._show_extra("gray", f"Gray: {WORDS[method]}", gray), self._session.failed, exclusive=False,
        ))  # fmt: skip

    def _show_sheet(self) -> None:
        """The paint and all grays in one picture, in Flat, with what was measured of each."""
        state = self._session.state
        painted = state.textures.get(state.project.tone.painted or "")
        if painted is None:
            return
        means = {report.method: f"mean {report.mean:.2f}" for report in state.project.tone.compared}
        fitted = state.tone if state.project.tone.method == edit.FIT else None

        def made(_: Progress) -> list[tuple[Raster, str, str]]:
            paint = painted.thumbnail(TILE)
            tiles = [(paint, "Paint", "")]
            if fitted is not None:
                tiles.append((fitted.thumbnail(TILE), WORDS[edit.FIT], means.get(edit.FIT, "")))
            return tiles + [(to_gray(paint, method), WORDS[method], means.get(method, "")) for method in METHODS]

        self._session.tasks.start(Task(
            "All grays", made, lambda tiles: self._show_extra("grays", "All grays", gray_sheet(tiles), laid_out=False),
            self._session.failed, exclusive=False,
        ))  # fmt: skip

    def _show_extra(self, key: str, name: str, raster: Raster, laid_out: bool = True) -> None:
        self._views.show_extras({key: (name, raster)}, laid_out)
        self._views.shown.show_flat(f"texture:{key}")

    def _use_selected(self) -> None:
        line = self.table.currentRow()
        if 0 <= line < len(self._methods):
            self.make(self._methods[line])

    def make(self, method: str) -> None:
        """Make the tone by a method, off the window's thread."""
        self._session.run(f"Tone by {WORDS[method]}", lambda s, progress: edit.make_tone(s, method, progress))

    def _add_residue(self) -> None:
        self._session.run("Add back the rest", lambda s, progress: edit.with_residue(s, progress=progress))

    def _split_region(self) -> None:
        region = self._session.selection.region
        if region:
            self._session.run(
                "Split by hue", lambda s, progress: edit.make_tone(split_by_hue(s, region), progress=progress)
            )

    def _compare_all(self) -> None:
        self._session.run("Compare tones", lambda s, progress: edit.compare_methods(s, COMPARED, progress))
