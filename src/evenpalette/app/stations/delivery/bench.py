"""Delivery: which variants, how large, where to; and the shader as a game will run it."""

import sys
from pathlib import Path

from PyQt6.QtCore import QProcess
from PyQt6.QtGui import QFont
from PyQt6.QtWidgets import (
    QCheckBox,
    QFileDialog,
    QHBoxLayout,
    QLineEdit,
    QPlainTextEdit,
    QWidget,
)

from evenpalette.app import theme
from evenpalette.app.facets import ACTIVE, NAME, VALUES
from evenpalette.app.mishaps import in_words
from evenpalette.app.plain import plain
from evenpalette.app.session import Session
from evenpalette.app.settings import delivered_to, remember_delivery
from evenpalette.app.station import Station
from evenpalette.app.stations.delivery.cost_page import CostPage
from evenpalette.app.stations.delivery.distance_page import MipPage
from evenpalette.app.stations.delivery.kit_page import KitPage
from evenpalette.app.stations.delivery.layout_choice import LayoutChoice
from evenpalette.app.stations.delivery.layout_page import LayoutPage
from evenpalette.app.stations.delivery.since_page import SincePage
from evenpalette.app.tasks import Task
from evenpalette.app.verbs import Verb
from evenpalette.app.views import TwinViews
from evenpalette.app.widgets.basics import button, choice, column, counted, label, row, scrolled
from evenpalette.app.widgets.check_list import CheckList, Row
from evenpalette.app.widgets.pages import Pages
from evenpalette.app.widgets.when_shown import WhenShown
from evenpalette.core.delivery.deliver import deliver, known_targets
from evenpalette.core.delivery.kit import build_shader
from evenpalette.core.delivery.kit_set import SET_FILE
from evenpalette.core.delivery.manifest import Report, remove_left
from evenpalette.core.delivery.preview import PAGE_FILE
from evenpalette.core.delivery.render import delivered_size
from evenpalette.core.delivery.targets import TARGETS
from evenpalette.core.document.layout_model import read_layout
from evenpalette.core.document.state import State
from evenpalette.core.edits.delivered import noted
from evenpalette.core.errors import Cancelled, EvenPaletteError, RecipeError
from evenpalette.core.files import reason
from evenpalette.core.parallel import Progress
from evenpalette.core.recipe.attributes import ATTRIBUTES

#: What is written where nobody chose.
_USUAL = tuple(key for key, target in TARGETS.items() if target.usual)
SIZES = (0, 256, 512, 1024, 2048, 4096, 8192)


class DeliveryBench(QWidget):
    """The bench of the station Delivery."""

    def __init__(self, session: Session, views: TwinViews) -> None:
        super().__init__()
        self._session = session
        left, middle, right = self._settings(), self._lists(), self._looks(views)
        # What is packed takes the place of variants and maps: a layout says itself which go where, a kit has them all.
        self.pages.changed.connect(
            lambda: middle.setVisible(self.pages.currentWidget() not in (self.layout_page, self.kit_page))
        )
        layout = QHBoxLayout(self)
        layout.setContentsMargins(16, 8, 16, 8)
        layout.setSpacing(16)
        layout.addWidget(left)
        layout.addWidget(middle)
        layout.addWidget(right, 1)
        self._shown = WhenShown(self, self.refresh)
        session.changed.connect(self._on_change)
        self.refresh()

    def _settings(self) -> QWidget:
        """How large, in what forms, by which layout, where to."""
        self._size = choice(
            "Size of the maps",
            tip="Longest side of the delivered maps. Smaller ones are evaluated in full and averaged in linear light",
            taken=lambda value: self._set(size=value),
        )
        self._kit_size = choice(
            "Size of the kit's textures",
            tip="Longest side of the textures in the kit, averaged in linear light where they are color",
            taken=lambda value: self._set(kit_size=value),
        )
        #: The forms that are written on wish, by their keys.
        self.also = {key: QCheckBox(target.label.split(" ")[0]) for key, target in TARGETS.items() if not target.usual}
        for key, box in self.also.items():
            box.setAccessibleName(TARGETS[key].label)
            box.setToolTip(plain(TARGETS[key].description))
            box.toggled.connect(lambda _: self._also_toggled())
        self.layout_choice = LayoutChoice(self._session)
        self.folder = QLineEdit()
        self.folder.setAccessibleName("Folder to deliver to")
        self.folder.setPlaceholderText("Folder to deliver to")
        self._deliver = button("Deliver", self.deliver, "primary", "Write the variants and the kit", "download")
        self._play = button("Play it", self.play, "", "Show the delivered kit as a game does, in a window of its own")
        self._play.setEnabled(False)
        self.folder.textChanged.connect(lambda _: self._look_for_kit())
        self._nothing_yet = label("Nothing to deliver yet: add a step at Recipe.", "note")
        self._result = label("", "note")
        self._result.setWordWrap(True)
        self._left: tuple[Path, Report] | None = None
        self._known: Path | None = None
        self._clean = button(
            "Remove them", self._remove_left, "link", "Remove what a former delivery wrote and this one does not"
        )
        self._clean.hide()
        choose = button("Choose ...", self._ask, icon="folder-open")
        # What forms could not say may be more than there is room for.
        result = scrolled(self._result)
        result.setMinimumHeight(24)
        result.setAccessibleName("What was delivered")
        left = column(
            row(column(label("Maps", "note"), self._size, spacing=2), column(label("Kit textures", "note"), self._kit_size, spacing=2), spacing=8),
            row(*self.also.values(), None, spacing=10), self.layout_choice,
            row(self.folder, choose), row(self._deliver, self._play, None), self._nothing_yet, result, row(self._clean, None), spacing=2,
        )  # fmt: skip
        left.setFixedWidth(320)
        return left

    def _lists(self) -> QWidget:
        """Which variants, and which maps of each."""
        self.variants = CheckList("Variants to deliver", "Space turns a variant on or off")
        self.variants.turned.connect(self._toggled)
        self.maps = CheckList("Maps to deliver", "Space turns a map on or off. The kit makes all of them in any case")
        self.maps.turned.connect(self._map_toggled)
        middle = row(
            column(label("Variants to deliver", "note"), self.variants), column(label("Maps of each", "note"), self.maps),
            spacing=12,
        )  # fmt: skip
        middle.setFixedWidth(280)
        return middle

    def _looks(self, views: TwinViews) -> QWidget:
        """What is written, page by page."""
        session = self._session
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
        self.layout_page = LayoutPage(session, views)
        self.kit_page = KitPage(session)
        self.costs = CostPage(session)
        self.since = SincePage(session, views, lambda: self.folder.text().strip())
        self.pages = Pages({
            "recipe.glsl": column(self._shader_facts, self._shader), "Distance": self.mips, "Layout": self.layout_page, "Textures": self.kit_page, "Costs": self.costs,
            "Changes": self.since,
        })  # fmt: skip
        return column(row(self.pages.switch, None), self.pages, spacing=4)

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
        for key, box in self.also.items():
            box.blockSignals(True)
            box.setChecked(key in settings.targets)
            box.blockSignals(False)
        self.layout_choice.refresh()
        chosen = settings.variants
        self.variants.show_rows(
            (Row(v.id, v.name, chosen is None or v.id in chosen) for v in state.project.variants),
            "No variants yet: the defaults are delivered as one",
        )
        known = [ATTRIBUTES[key] for key in dict.fromkeys((*state.attributes, *settings.maps))]
        self.maps.show_rows(Row(a.key, a.label, a.key in settings.maps, a.description) for a in known)
        if self._session.path != self._known:
            # Another project: where it was delivered to last, so that one key delivers it again.
            self._known = self._session.path
            self.folder.setText(delivered_to(self._known) if self._known is not None else "")
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

    def _toggled(self, chosen: tuple[str, ...]) -> None:
        self._set(variants=None if len(chosen) == self.variants.count() else chosen)

    def _map_toggled(self, chosen: tuple[str, ...]) -> None:
        if chosen:
            self._set(maps=chosen)
        else:
            self._session.said.emit("At least one map is delivered.", True)
            self.refresh()

    def _also_toggled(self) -> None:
        chosen = tuple(key for key, box in self.also.items() if box.isChecked())
        self._set(targets=(*_USUAL, *chosen) if chosen else ())

    def _ask(self) -> None:
        path = QFileDialog.getExistingDirectory(self, "Deliver to", self.folder.text())
        if path:
            self.folder.setText(path)

    def _remove_left(self) -> None:
        """Only what a manifest of ours has, and this delivery does not make."""
        if self._left is None:
            return
        try:
            count = remove_left(*self._left)
        except OSError as error:
            self._session.said.emit(f"Not all could be removed: {reason(error)}.", True)
            return
        self._left = None
        self._clean.hide()
        self._result.setText(f"Removed {counted(count, 'file')} of a former delivery.")

    def _look_for_kit(self) -> None:
        """There is something to play where a kit lies in the folder."""
        folder = self.folder.text().strip()
        self._play.setEnabled(bool(folder) and (Path(folder).expanduser() / "kit" / SET_FILE).is_file())

    def play(self) -> None:
        """Open the player on what lies in the folder: a program of its own, that knows only its files."""
        folder = str(Path(self.folder.text().strip()).expanduser())
        started, _ = QProcess.startDetached(sys.executable, ["-m", "evenpalette", "play", folder])
        if not started:
            self._session.said.emit("The player could not be started.", True)

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
        state = self._session.state

        def failed(error: Exception) -> None:
            text = "Stopped. The folder is as it was." if isinstance(error, Cancelled) else in_words(error)
            self._result.setText(text)
            if isinstance(error, EvenPaletteError):
                self._session.said.emit(text, not isinstance(error, Cancelled))

        def done(report: Report) -> None:
            size = sum(path.stat().st_size for path in report.files if path.exists())
            text = f"{report.said}, {size / 1e6:.1f} MB, in {folder}"
            page = next((path for path in report.files if path.name == PAGE_FILE), None)
            if page is not None:
                text += f"; the page has {page.stat().st_size / 1e6:.1f} MB"
            self._result.setText(" ".join((f"{text}.", *report.notes)))
            self._result.setToolTip(plain("\n".join(report.notes)))
            if self._session.path is not None:
                remember_delivery(self._session.path, folder)
            if noted(state) is not state:
                self._session.note(noted)
            self._left = (Path(folder), report) if report.left else None
            self._clean.setVisible(self._left is not None)
            self._look_for_kit()
            self._session.said.emit(f"Delivered: {text}", False)

        self._session.tasks.start(Task(
            "Delivering",
            lambda progress: _delivered(state, folder, progress),
            done, failed,
        ))  # fmt: skip


def _delivered(state: State, folder: str, progress: Progress) -> Report:
    """Everything that a project says is delivered."""
    settings = state.project.delivery
    layout = read_layout(settings.layout, "The layout of this project") if settings.layout else None
    return deliver(
        state, folder, variants=settings.variants, longest=settings.size, kit_longest=settings.kit_size, maps=settings.maps,
        targets=known_targets(settings.targets) or _USUAL, layout=layout, progress=progress,
    )  # fmt: skip


STATION = Station(
    lambda room: DeliveryBench(room.session, room.views),
    lambda _, bench: [Verb("Delivery", "Deliver", "Ctrl+E", lambda: bench().deliver())],
)  # fmt: skip
