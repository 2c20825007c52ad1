"""The regions as rows of the ledger: what they say, and how they are painted."""

from collections.abc import Iterable

from PyQt6.QtCore import QMimeData, QModelIndex, QRect, QRectF, QSize, Qt
from PyQt6.QtGui import QColor, QPainter, QPen
from PyQt6.QtWidgets import (
    QStyle,
    QStyleOptionViewItem,
)  # fmt: skip

from evenpalette.app import theme
from evenpalette.app.session import Session
from evenpalette.app.widgets.named_list import NamedDelegate, NamedModel
from evenpalette.app.widgets.source_drag import packed
from evenpalette.core.edits import regions as edit
from evenpalette.core.edits.tone import tint_parameter_of
from evenpalette.core.regions.region_set import Division, Region

ROW_HEIGHT, HEADING_HEIGHT = 40, 24


class RegionModel(NamedModel):
    """The regions as rows. With several divisions each has a heading, which folds it away."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.folded: set[str] = set()

    def entries(self) -> list[Region | Division]:
        divisions = self._session.state.project.regions.divisions
        if len(divisions) == 1:
            return list(divisions[0].regions)
        rows: list[Region | Division] = []
        for division in divisions:
            rows.append(division)
            rows += () if division.id in self.folded else division.regions
        return rows

    def place(self, region_id: str | None) -> int:
        """The row of a region, -1 while it is folded away."""
        found = (i for i, entry in enumerate(self.entries()) if isinstance(entry, Region) and entry.id == region_id)
        return next(found, -1)

    def name(self, entry: object) -> str:
        assert isinstance(entry, Region | Division)
        return entry.name

    def tip(self, entry: object) -> str:
        if isinstance(entry, Division):
            return f"Division {entry.name}, {len(entry.regions)} regions, {entry.overlap.value}. Click to fold"
        assert isinstance(entry, Region)
        number = self._session.state.project.regions.number(entry.id)
        share = self._session.watch.shares.get(entry.id)
        covers = f", {share:.1%} of the used UV area" if share is not None else ""
        return f"Region {number}, {entry.name}, flag {entry.flag}{covers}"

    def flags(self, index: QModelIndex) -> Qt.ItemFlag:
        return super().flags(index) | (
            Qt.ItemFlag.ItemIsDragEnabled if isinstance(entry_at(index), Region) else Qt.ItemFlag(0)
        )

    def mimeTypes(self) -> list[str]:
        return packed("").formats()

    def mimeData(self, indexes: Iterable[QModelIndex]) -> QMimeData | None:
        """A region that is dragged away stands for its coverage."""
        held = next((entry for index in indexes if isinstance(entry := entry_at(index), Region)), None)
        return packed(f"region:{held.id if '+' in held.name else held.name}") if held is not None else None

    def rename(self, entry: object, name: str) -> bool:
        if isinstance(entry, Division):
            return self._session.apply(f"Rename division to {name}", lambda s: edit.rename_division(s, entry.id, name))
        assert isinstance(entry, Region)
        return self._session.apply(f"Rename region to {name}", lambda s: edit.update_region(s, entry.id, name=name))


class RegionDelegate(NamedDelegate):
    """Draws chip, name, share and the color the region has now."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session

    def sizeHint(self, _option: QStyleOptionViewItem, index: QModelIndex) -> QSize:
        return QSize(180, HEADING_HEIGHT if isinstance(entry_at(index), Division) else ROW_HEIGHT)

    def _paint_heading(self, painter: QPainter, option: QStyleOptionViewItem, division: Division, folded: bool) -> None:
        box = QRectF(option.rect).adjusted(4, 2, -10, -1)
        painter.setFont(theme.font(theme.NOTE, strong=True))
        painter.setPen(
            QColor(
                theme.ACCENT
                if option.state & QStyle.StateFlag.State_HasFocus and option.state & QStyle.StateFlag.State_Selected
                else theme.MUTED
            )
        )
        arrow = "\u25b8" if folded else "\u25be"
        painter.drawText(box, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft, f"{arrow}  {division.name}")
        covered = self._session.watch.covered(division.regions)
        said = f"{covered:.0%}" if covered is not None else ""
        painter.setFont(theme.font(theme.NOTE))
        painter.drawText(box, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight, said)

    def editor_rect(self, option: QStyleOptionViewItem) -> tuple[int, int, int, int]:
        return option.rect.left() + 42, option.rect.top() + 4, option.rect.width() - 52, 24

    def paint(self, painter: QPainter | None, option: QStyleOptionViewItem, index: QModelIndex) -> None:
        assert painter is not None
        state, region = self._session.state, entry_at(index)
        if region is None:
            return
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if isinstance(region, Division):
            model = index.model()
            self._paint_heading(painter, option, region, isinstance(model, RegionModel) and region.id in model.folded)
            painter.restore()
            return
        box = QRectF(option.rect).adjusted(2, 1, -2, -1)
        selected = bool(option.state & QStyle.StateFlag.State_Selected)
        if selected:
            painter.setPen(QPen(QColor(theme.ACCENT), 1))
            painter.setBrush(QColor(theme.RAISED))
            painter.drawRoundedRect(box.adjusted(0.5, 0.5, -0.5, -0.5), 5, 5)
        elif option.state & QStyle.StateFlag.State_MouseOver:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QColor("#f1f1f1"))
            painter.drawRoundedRect(box, 5, 5)
        chip = QRectF(box.left() + 7, box.top() + 7, 24, 24)
        painter.setPen(QPen(QColor("#7a7a7a"), 1))
        painter.setBrush(QColor(region.flag))
        painter.drawRoundedRect(chip, 4, 4)
        painter.setPen(QColor(theme.contrast_ink(region.flag)))
        painter.setFont(theme.font(theme.TEXT, strong=True))
        painter.drawText(chip, Qt.AlignmentFlag.AlignCenter, str(state.project.regions.number(region.id)))
        left, right = box.left() + 40, box.right() - 8
        share = self._session.watch.shares.get(region.id)
        painter.setFont(theme.font(theme.TEXT))
        painter.setPen(QColor(theme.MUTED))
        # What is not measured yet is not nothing.
        said = f"{share:.1%}" if share is not None else ""
        painter.drawText(QRectF(right - 50, box.top() + 3, 50, 18), Qt.AlignmentFlag.AlignRight, said)
        if region.locked:
            theme.icon("lock", theme.MUTED).paint(painter, QRect(int(right) - 66, int(box.top()) + 4, 14, 14))
        painter.setPen(QColor(theme.INK))
        name = painter.fontMetrics().elidedText(
            region.name, Qt.TextElideMode.ElideRight, int(right - left - (70 if region.locked else 54))
        )
        painter.drawText(QRectF(left, box.top() + 3, right - left - 52, 18), Qt.AlignmentFlag.AlignLeft, name)
        painter.setPen(Qt.PenStyle.NoPen)
        bar = QRectF(left, box.bottom() - 11, right - left - 24, 3)
        painter.setBrush(QColor("#cfcfcf"))
        painter.drawRoundedRect(bar, 1.5, 1.5)
        painter.setBrush(QColor("#5c5c5c"))
        painter.drawRoundedRect(QRectF(bar.left(), bar.top(), bar.width() * min(1.0, share or 0.0), 3), 1.5, 1.5)
        if parameter := tint_parameter_of(state, region.id):
            color = state.values(state.project.active_variant).get(parameter)
            painter.setPen(QPen(QColor("#8c8c8c"), 1))
            painter.setBrush(QColor(str(color)))
            painter.drawRect(QRectF(right - 14, box.bottom() - 14, 13, 9))
        painter.restore()


def entry_at(index: QModelIndex) -> Region | Division | None:
    """The region or division of a row."""
    model = index.model()
    entry = model.entry(index) if isinstance(model, RegionModel) else None
    return entry if isinstance(entry, Region | Division) else None
