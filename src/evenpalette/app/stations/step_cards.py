"""Steps as cards: closed ones with a picture, the open one with all its inputs."""

from typing import TYPE_CHECKING

from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtGui import QColor, QImage, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPixmap
from PyQt6.QtWidgets import (
    QComboBox,
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QMenu,
    QSizePolicy,
    QVBoxLayout,
    QWidget,
)  # fmt: skip

from evenpalette.app import theme
from evenpalette.app.session import Session
from evenpalette.app.stations.step_input import InputRow
from evenpalette.app.widgets.basics import button, label
from evenpalette.core.project.edits import recipe as edit
from evenpalette.core.project.model import Role
from evenpalette.core.recipe.kind import AMOUNT
from evenpalette.core.recipe.model import ChannelRef, Step
from evenpalette.core.recipe.steps import KINDS, kind_of

if TYPE_CHECKING:
    from evenpalette.app.stations.recipe import RecipeBench

PICTURE = (100, 76)
CARD_WIDTH = 118


def region_text(session: Session, step: Step) -> str:
    """'all regions' or the numbers."""
    if step.regions is None:
        return "all regions"
    numbers = [str(session.state.project.regions.number(r)) for r in step.regions]
    return ("region " if len(numbers) == 1 else "regions ") + " ".join(numbers) if numbers else "no region"


class Picture(QLabel):
    """A small picture of the asset."""

    def __init__(self) -> None:
        super().__init__()
        self.setFixedSize(*PICTURE)
        blank = QPixmap(*PICTURE)
        blank.fill(QColor(theme.SURROUND))
        self.setPixmap(blank)

    def show_image(self, image: QImage) -> None:
        """Show a drawn picture."""
        self.setPixmap(QPixmap.fromImage(image))


class Arrow(QWidget):
    """A small arrow between cards."""

    def __init__(self) -> None:
        super().__init__()
        self.setFixedWidth(16)

    def paintEvent(self, _: QPaintEvent | None) -> None:
        painter = QPainter(self)
        theme.icon("arrow-right", "#8d8d8d").paint(painter, 1, self.height() // 2 - 7, 14, 14)


class StepCard(QFrame):
    """A step that is not open: picture, name, regions, alone, on or off."""

    def __init__(self, bench: "RecipeBench", step: Step, index: int) -> None:
        super().__init__()
        self._bench, self.step_id = bench, step.id
        self.setObjectName("card")
        self.setFixedWidth(CARD_WIDTH)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(f"Step {index + 1}, {step.name}")
        self.setToolTip(f"{step.name}: {kind_of(step.kind).summary}" if step.kind in KINDS else step.name)
        self.picture = Picture()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(8, 8, 8, 6)
        layout.setSpacing(3)
        layout.addWidget(self.picture)
        name = label(self.fontMetrics().elidedText(step.name, Qt.TextElideMode.ElideRight, CARD_WIDTH - 18))
        layout.addWidget(name)
        layout.addWidget(label(region_text(bench.session, step), "note"))
        layout.addStretch(1)
        layout.addWidget(bench.foot(step, index))

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        self._bench.session.select_step(self.step_id)

    def contextMenuEvent(self, event) -> None:  # type: ignore[no-untyped-def]
        self._bench.session.select_step(self.step_id)
        self._bench.step_menu().exec(event.globalPos())

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        if not self._bench.key(event):
            super().keyPressEvent(event)


class OpenCard(QFrame):
    """The selected step with all its inputs."""

    def __init__(self, bench: "RecipeBench", step: Step, index: int) -> None:
        super().__init__()
        self.bench, self.step_id = bench, step.id
        self.setObjectName("card")
        self.setProperty("selected", True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Expanding)
        self.setAccessibleName(f"Step {index + 1}, {step.name}, open")
        self.picture = Picture()
        kind = KINDS.get(step.kind)
        left = QVBoxLayout()
        left.setSpacing(3)
        left.addWidget(self.picture)
        name = button(step.name, bench.rename, "link", "Rename this step (F2)")
        name.setStyleSheet(f"color: {theme.INK}; font-weight: 600; padding: 2px 0;")
        name.setFixedWidth(PICTURE[0])
        left.addWidget(name)
        self.regions = button(
            region_text(bench.session, step), self._choose_regions, "link", "Choose the regions this step is limited to"
        )
        self.regions.setStyleSheet("padding: 1px 0;")
        left.addWidget(self.regions)
        left.addStretch(1)
        left.addWidget(bench.foot(step, index))
        layout = QHBoxLayout(self)
        layout.setContentsMargins(8, 8, 12, 6)
        layout.setSpacing(14)
        layout.addLayout(left)
        self.rows: list[InputRow] = []
        if kind is not None:
            layout.addLayout(self._grid(step, kind))

    def _grid(self, step: Step, kind) -> QGridLayout:  # type: ignore[no-untyped-def]
        grid = QGridLayout()
        grid.setHorizontalSpacing(10)
        grid.setVerticalSpacing(2)
        inputs = [*kind.inputs, AMOUNT]
        cells = len(inputs) + len(kind.channels)
        per_column = 6 if cells <= 6 else (cells + 1) // 2
        for index, input in enumerate(inputs):
            line, offset = index % per_column, index // per_column * 6
            made = InputRow(self.bench, step, input)
            self.rows.append(made)
            for column, widget in enumerate((made.name, made.editor, made.undo, made.source)):
                grid.addWidget(widget, line, offset + column)
            grid.setColumnMinimumWidth(offset + 3, 100)
            if offset:
                grid.setColumnMinimumWidth(offset - 1, 10)
        for extra, channel in enumerate(kind.channels):
            index = len(inputs) + extra
            line, offset = index % per_column, index // per_column * 6
            name = label(channel.label)
            name.setToolTip(channel.description)
            grid.addWidget(name, line, offset)
            grid.addWidget(self._channel_box(step, channel.key), line, offset + 1, 1, 3)
        grid.setRowStretch(per_column, 1)
        return grid

    def _channel_box(self, step: Step, key: str) -> QWidget:
        box = QComboBox()
        box.addItem("no texture", None)
        current = step.channels.get(key)
        for texture in self.bench.session.state.project.asset.textures:
            if texture.role in (Role.NORMAL,):
                continue
            raster = self.bench.session.state.textures.get(texture.id)
            channels = raster.channels if raster else 1
            for channel in range(1 if channels <= 2 else channels):
                suffix = "" if channels <= 2 else f", {('red', 'green', 'blue', 'alpha')[channel]}"
                for invert in (False, True):
                    ref = ChannelRef(texture=texture.id, channel=channel, invert=invert)
                    box.addItem(texture.name + suffix + (", inverted" if invert else ""), ref)
                    if ref == current:
                        box.setCurrentIndex(box.count() - 1)
        box.setMaximumWidth(300)
        session, step_id = self.bench.session, step.id
        box.activated.connect(
            lambda i: session.apply("Choose texture", lambda s: edit.set_channel(s, step_id, key, box.itemData(i)))
        )
        return box

    def refresh(self) -> None:
        """Show all values as they are now."""
        for made in self.rows:
            made.refresh()

    def _choose_regions(self) -> None:
        session = self.bench.session
        step = edit.step_of(session.state.project.recipe, self.step_id)
        menu = QMenu(self)

        def choose(regions: tuple[str, ...] | None) -> None:
            session.apply(f"Regions of {step.name}", lambda s: edit.update_step(s, self.step_id, regions=regions))

        whole = menu.addAction("The whole surface", lambda: choose(None))
        assert whole is not None
        whole.setCheckable(True)
        whole.setChecked(step.regions is None)
        menu.addSeparator()
        chosen = step.regions or ()
        for number, region in enumerate(session.state.project.regions.regions, 1):
            toggled = tuple(r for r in chosen if r != region.id) if region.id in chosen else (*chosen, region.id)
            action = menu.addAction(f"{number}  {region.name}", lambda t=toggled: choose(t))  # type: ignore[misc]
            assert action is not None
            action.setCheckable(True)
            action.setChecked(region.id in chosen)
        menu.exec(self.regions.mapToGlobal(QPoint(0, self.regions.height())))

    def contextMenuEvent(self, event) -> None:  # type: ignore[no-untyped-def]
        self.bench.step_menu().exec(event.globalPos())

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        if not self.bench.key(event):
            super().keyPressEvent(event)
