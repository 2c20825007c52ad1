"""Delivery: which variants, how large, where to; and the shader as a game will run it."""

from pathlib import Path

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QFont
from PyQt6.QtWidgets import (
    QComboBox,
    QFileDialog,
    QHBoxLayout,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QPlainTextEdit,
    QWidget,
)

from evenpalette.app import theme
from evenpalette.app.facets import ACTIVE, NAME, VALUES
from evenpalette.app.mishaps import in_words
from evenpalette.app.plain import plain
from evenpalette.app.session import Session
from evenpalette.app.station import Station
from evenpalette.app.stations.delivery.distance_page import MipPage
from evenpalette.app.tasks import Task
from evenpalette.app.verbs import Verb
from evenpalette.app.widgets.basics import button, column, counted, label, row
from evenpalette.app.widgets.pages import Pages
from evenpalette.app.widgets.when_shown import WhenShown
from evenpalette.core.delivery.deliver import deliver
from evenpalette.core.delivery.kit import build_shader
from evenpalette.core.delivery.render import delivered_size
from evenpalette.core.errors import Cancelled, EvenPaletteError, RecipeError
from evenpalette.core.recipe.attributes import ATTRIBUTES

SIZES = (0, 256, 512, 1024, 2048, 4096, 8192)


class DeliveryBench(QWidget):
    """The bench of the station Delivery."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._size = QComboBox()
        self._size.setToolTip(
            "Longest side of the delivered maps. Smaller ones are evaluated in full and averaged in linear light"
        )
        self._size.activated.connect(lambda i: self._set(size=self._size.itemData(i)))
        self._kit_size = QComboBox()
        self._kit_size.setAccessibleName("Size of the kit's textures")
        self._kit_size.setToolTip(
            "Longest side of the textures in the kit, averaged in linear light where they are color"
        )
        self._kit_size.activated.connect(lambda i: self._set(kit_size=self._kit_size.itemData(i)))
        self.folder = QLineEdit()
        self.folder.setAccessibleName("Folder to deliver to")
        self.folder.setPlaceholderText("Folder to deliver to")
        self._deliver = button("Deliver", self.deliver, "primary", "Write the variants and the kit", "download")
        self._nothing_yet = label("Nothing to deliver yet: add a step at Recipe.", "note")
        self._result = label("", "note")
        self._result.setWordWrap(True)
        choose = button("Choose ...", self._ask, icon="folder-open")
        left = column(
            label("Delivery", "heading"), row(column(label("Maps", "note"), self._size, spacing=2), column(label("Kit textures", "note"), self._kit_size, spacing=2), spacing=8), label("Folder", "note"), row(self.folder, choose),
            4, row(self._deliver, None), self._nothing_yet, self._result, None, spacing=4,
        )  # fmt: skip
        left.setFixedWidth(320)
        self.variants = QListWidget()
        self.variants.setAccessibleName("Variants to deliver")
        self.variants.setWordWrap(True)
        self.variants.setToolTip("Space turns a variant on or off")
        self.variants.itemChanged.connect(self._toggled)
        self.maps = QListWidget()
        self.maps.setToolTip("Space turns a map on or off. The kit makes all of them in any case")
        self.maps.setAccessibleName("Maps to deliver")
        self.maps.itemChanged.connect(self._map_toggled)
        middle = row(
            column(label("Variants to deliver", "note"), self.variants), column(label("Maps of each", "note"), self.maps),
            spacing=12,
        )  # fmt: skip
        middle.setFixedWidth(316)
        self._shader = QPlainTextEdit()
        self._shader.setAccessibleName("recipe.glsl")
        self._shader.setReadOnly(True)
        self._shader.setLineWrapMode(QPlainTextEdit.LineWrapMode.NoWrap)
        mono = QFont("monospace")
        mono.setStyleHint(QFont.StyleHint.Monospace)
        mono.setPixelSize(theme.NOTE)
        self._shader.setFont(mono)
        self._shader_facts = label("", "note")
        self.mips = MipPage(session)
        self.pages = Pages({"recipe.glsl": column(self._shader_facts, self._shader), "At a distance": self.mips})
        right = column(row(self.pages.switch, None), self.pages, spacing=4)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(16, 8, 16, 8)
        layout.setSpacing(24)
        layout.addWidget(left)
        layout.addWidget(middle)
        layout.addWidget(right, 1)
        self._shown = WhenShown(self, self.refresh)
        session.changed.connect(self._on_change)
        self.refresh()

    def _on_change(self, facets: frozenset[str]) -> None:
        if facets - {ACTIVE, VALUES, NAME}:
            self._shown.ask()

    def refresh(self) -> None:
        """Show what would be delivered now."""
        state = self._session.state
        settings = state.project.delivery
        self._size.clear()
        for size in SIZES:
            width, height = delivered_size(state, size)
            self._size.addItem(f"{width} x {height}" + (", as the sources" if size == 0 else ""), size)
        self._size.setCurrentIndex(max(0, self._size.findData(settings.size)))
        self._kit_size.clear()
        for size in SIZES[:-2]:
            self._kit_size.addItem(f"at most {size}" if size else "as they are", size)
        self._kit_size.setCurrentIndex(max(0, self._kit_size.findData(settings.kit_size)))
        self.variants.blockSignals(True)
        self.variants.clear()
        for variant in state.project.variants:
            item = QListWidgetItem(variant.name)
            item.setFlags(Qt.ItemFlag.ItemIsUserCheckable | Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable)
            chosen = settings.variants is None or variant.id in settings.variants
            item.setCheckState(Qt.CheckState.Checked if chosen else Qt.CheckState.Unchecked)
            item.setData(Qt.ItemDataRole.UserRole, variant.id)
            self.variants.addItem(item)
        if not state.project.variants:
            item = QListWidgetItem("No variants yet: the defaults are delivered as one")
            item.setFlags(Qt.ItemFlag.NoItemFlags)
            self.variants.addItem(item)
        self.variants.blockSignals(False)
        self.maps.blockSignals(True)
        self.maps.clear()
        for key in dict.fromkeys((*state.attributes, *settings.maps)):
            item = QListWidgetItem(ATTRIBUTES[key].label)
            item.setToolTip(plain(ATTRIBUTES[key].description))
            item.setFlags(Qt.ItemFlag.ItemIsUserCheckable | Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable)
            item.setCheckState(Qt.CheckState.Checked if key in settings.maps else Qt.CheckState.Unchecked)
            item.setData(Qt.ItemDataRole.UserRole, key)
            self.maps.addItem(item)
        self.maps.blockSignals(False)
        ready = bool(state.project.recipe.steps)
        self._deliver.setEnabled(ready)
        self._nothing_yet.setVisible(not ready)
        try:
            shader = build_shader(state)
        except RecipeError as error:
            self._shader.setPlainText(str(error))
            return
        self._shader_facts.setText(
            f"{counted(len(shader.samplers), 'texture')}, {counted(len(shader.uniforms), 'uniform')}, "
            f"{counted(shader.text.count(chr(10)), 'line')}"
        )
        place = self._shader.verticalScrollBar().value()  # type: ignore[union-attr]
        self._shader.setPlainText(shader.text)
        self._shader.verticalScrollBar().setValue(place)  # type: ignore[union-attr]

    def _set(self, **parts: object) -> None:
        self._session.apply(
            "Delivery settings",
            lambda s: s.with_project(delivery=s.project.delivery.model_copy(update=parts)),
            f"delivery {sorted(parts)}",
        )

    def _toggled(self, _: QListWidgetItem) -> None:
        items = [self.variants.item(i) for i in range(self.variants.count())]
        chosen = tuple(
            item.data(Qt.ItemDataRole.UserRole) for item in items if item and item.checkState() == Qt.CheckState.Checked
        )
        self._set(variants=None if len(chosen) == len(items) else chosen)

    def _map_toggled(self, _: QListWidgetItem) -> None:
        items = [item for i in range(self.maps.count()) if (item := self.maps.item(i)) is not None]
        chosen = tuple(i.data(Qt.ItemDataRole.UserRole) for i in items if i.checkState() == Qt.CheckState.Checked)
        if chosen:
            self._set(maps=chosen)
        else:
            self._session.said.emit("At least one map is delivered.", True)
            self.refresh()

    def _ask(self) -> None:
        path = QFileDialog.getExistingDirectory(self, "Deliver to", self.folder.text())
        if path:
            self.folder.setText(path)

    def deliver(self) -> None:
        """Write the kit off the interface thread."""
        if not self.folder.text().strip():
            self._ask()
        folder = self.folder.text().strip()
        if not folder:
            return
        if not Path(folder).expanduser().is_absolute():
            # Where the program was started from is nobody's choice: beside the project, or at home.
            beside = self._session.path.parent if self._session.path is not None else Path.home()
            folder = str(beside / folder)
        folder = str(Path(folder).expanduser())
        self.folder.setText(folder)
        state, settings = self._session.state, self._session.state.project.delivery

        def failed(error: Exception) -> None:
            text = "Stopped. The folder is as it was." if isinstance(error, Cancelled) else in_words(error)
            self._result.setText(text)
            if isinstance(error, EvenPaletteError):
                self._session.said.emit(text, not isinstance(error, Cancelled))

        def done(files: list[Path]) -> None:
            size = sum(path.stat().st_size for path in files if path.exists())
            text = f"{len(files)} files, {size / 1e6:.1f} MB, in {folder}"
            self._result.setText(text)
            self._session.said.emit(f"Delivered: {text}", False)

        self._session.tasks.start(Task(
            "Delivering",
            lambda progress: deliver(
                state, folder, variants=settings.variants, longest=settings.size, kit_longest=settings.kit_size,
                maps=settings.maps, progress=progress,
            ),
            done, failed,
        ))  # fmt: skip


STATION = Station(
    lambda room: DeliveryBench(room.session),
    lambda _, bench: [Verb("Delivery", "Deliver", "Ctrl+E", lambda: bench().deliver())],
)  # fmt: skip
