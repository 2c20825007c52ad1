"""Encodings: ways to hold the regions in textures, measured on the regions at hand."""

from pathlib import Path

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QColor
from PyQt6.QtWidgets import QFileDialog, QHeaderView, QTableWidget, QTableWidgetItem, QVBoxLayout, QWidget

from evenpalette.app import theme
from evenpalette.app.plain import plain
from evenpalette.app.session import Session
from evenpalette.app.tasks import Task
from evenpalette.app.widgets.basics import button, label, row
from evenpalette.core.delivery.maps import resolved_planes
from evenpalette.core.parallel import Progress
from evenpalette.core.raster.image_write import write_image
from evenpalette.core.regions.encodings.assess import Assessment, assess, recommended
from evenpalette.core.regions.encodings.ways import ENCODINGS, picture_files

_COLUMNS = ("Way", "Holds", "Soft", "Overlap", "Textures", "Bytes", "Edges", "Mip 1", "BC1", "BC3", "BC4", "BC7")
_WIDTHS = (144, 46, 42, 58, 64, 62, 52, 52, 46, 46, 46, 46)
_FIRST_LOSS = 6
_LOSSES = ("edges", "filtered", "BC1", "BC3", "BC4", "BC7")
_TIPS = {
    "Holds": "How many regions it can hold", "Soft": "Whether it can hold soft edges",
    "Textures": "How many textures these regions take",
    "Bytes": "Memory in MiB without block compression, with all mip levels",
    "Overlap": "Whether a texel can belong wholly to several regions",
    "Edges": "Mean difference of soft texels after encoding and reading back as a shader does",
    "Mip 1": "The same, read from the next mip level: what filtering does to it",
    "BC1": "The same through BC1, half a byte a texel", "BC3": "Through BC3, one byte a texel",
    "BC4": "Through BC4, half a byte a texel", "BC7": "Through BC7, one byte a texel",
}  # fmt: skip


class EncodingsPage(QWidget):
    """The page of the bench Regions that compares encodings."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.found: list[Assessment] = []
        self._of: object = None
        self.measure = button("Measure", self.run, "primary", "Try every way on these regions and measure what is lost")
        self.write = button("Write files ...", self._ask, tip="Write the regions as the chosen way holds them, as PNG")
        self._advice = label("", "note")
        self._advice.setAccessibleName("Recommendation")
        self.table = QTableWidget(0, len(_COLUMNS))
        self.table.setAccessibleName("Encodings")
        self.table.setHorizontalHeaderLabels(_COLUMNS)
        self.table.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        self.table.setSelectionBehavior(QTableWidget.SelectionBehavior.SelectRows)
        self.table.setSelectionMode(QTableWidget.SelectionMode.SingleSelection)
        vertical, header = self.table.verticalHeader(), self.table.horizontalHeader()
        assert vertical is not None
        assert header is not None
        vertical.hide()
        vertical.setMinimumSectionSize(18)
        vertical.setDefaultSectionSize(19)
        header.setSectionResizeMode(QHeaderView.ResizeMode.Fixed)
        header.setStretchLastSection(True)
        header.setFixedHeight(22)
        for index, word in enumerate(_COLUMNS):
            self.table.setColumnWidth(index, _WIDTHS[index])
            item = self.table.horizontalHeaderItem(index)
            assert item is not None
            item.setToolTip(plain(_TIPS.get(word, "")))
            side = Qt.AlignmentFlag.AlignRight if index else Qt.AlignmentFlag.AlignLeft
            item.setTextAlignment(side | Qt.AlignmentFlag.AlignVCenter)
        self.table.itemSelectionChanged.connect(self._follow)
        self.table.setShowGrid(False)
        self.table.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(6)
        layout.addWidget(row(self.measure, self.write, self._advice, None, spacing=8))
        layout.addWidget(self.table, 1)

    def refresh(self) -> None:
        """Say whether what is shown is still of the regions as they are."""
        state = self._session.state
        self.measure.setEnabled(bool(state.coverages))
        if not self.found:
            self._advice.setText("What each way costs and what the GPU leaves of it.")
        elif self._of is not state.coverages:
            self._advice.setText("The regions have changed. Measure again.")
        self._follow()

    def _follow(self) -> None:
        line = self.table.currentRow()
        self.write.setEnabled(0 <= line < len(self.found) and not self.found[line].reason)

    def run(self) -> None:
        """Measure all ways."""
        state = self._session.state
        division = state.project.regions.division_of(self._session.selection.region)
        flags = [region.flag for region in division.regions]

        def done(found: list[Assessment]) -> None:
            self.found, self._of = found, state.coverages
            self._show()

        self._session.tasks.start(
            Task(
                "Measuring encodings",
                lambda p: assess(resolved_planes(state, division), flags, p),
                done,
                self._session.failed,
            )
        )

    def _show(self) -> None:
        best = recommended(self.found)
        self.table.setRowCount(len(self.found))
        for line, way in enumerate(self.found):
            self._show_way(line, way, way is best)
        if best is None:
            self._advice.setText("No way holds these regions without loss. Use fewer regions, or larger textures.")
        else:
            number = f"{best.textures} textures" if best.textures > 1 else "one texture"
            packing = f"in {best.fit_form}" if best.fit_form != "none" else "unpacked"
            size = best.texture_bytes[best.fit_form] / 2**20
            self._advice.setText(f"Recommended: {best.encoding.label}, {number} {packing}, {size:.1f} MiB")
            self.table.selectRow(self.found.index(best))
        self._follow()

    def _show_way(self, line: int, way: Assessment, is_best: bool) -> None:
        held = way.encoding
        cells = [
            held.label, str(held.most) if held.most else "any", held.soft, "yes" if held.holds_overlap else "no",
            str(way.textures), f"{way.texture_bytes['none'] / 2**20:.1f} M",
        ]  # fmt: skip
        cells += [f"{way.losses[k].mean:.3f}" if k in way.losses else "" for k in _LOSSES]
        if way.reason:
            cells[_FIRST_LOSS] = way.reason
        for place, text in enumerate(cells):
            item = QTableWidgetItem(text)
            item.setFont(theme.font(theme.TEXT, strong=is_best and place == 0))
            loss = way.losses.get(_LOSSES[place - _FIRST_LOSS]) if place >= _FIRST_LOSS else None
            if loss is not None:
                item.setForeground(QColor(theme.INK if loss.is_small else theme.WARN))
                item.setToolTip(
                    plain(
                        f"{loss.wrong:.2%} of all texels are off by more than an eighth, the worst by {loss.worst:.2f}"
                    )
                )
            if way.reason:
                item.setForeground(QColor(theme.MUTED))
            if place > 0 and not (way.reason and place == _FIRST_LOSS):
                item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
            if place == 0:
                item.setToolTip(plain(held.summary))
            self.table.setItem(line, place, item)
        if way.reason or self.table.columnSpan(line, _FIRST_LOSS) > 1:
            self.table.setSpan(line, _FIRST_LOSS, 1, len(_LOSSES) if way.reason else 1)

    def _ask(self) -> None:
        path = QFileDialog.getExistingDirectory(self, "Folder for the textures of the regions")
        if path:
            self.write_to(Path(path))

    def write_to(self, folder: Path) -> None:
        """Write the regions as the chosen way holds them."""
        way, state = ENCODINGS[self.table.currentRow()], self._session.state
        division = state.project.regions.division_of(self._session.selection.region)
        flags = [region.flag for region in division.regions]

        def work(progress: Progress) -> int:
            pictures = picture_files(way, resolved_planes(state, division), flags)
            for done, (name, raster) in enumerate(pictures.items(), 1):
                write_image(raster, folder / f"{name}.png")
                progress(done / len(pictures))
            return len(pictures)

        def done(count: int) -> None:
            self._session.said.emit(f"Wrote {count} {'picture' if count == 1 else 'pictures'} to {folder}", False)

        self._session.tasks.start(Task("Writing the regions", work, done, self._session.failed))
