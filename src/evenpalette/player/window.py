"""The player's window: a kit as a game shows it, following its files."""

import time
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import replace
from pathlib import Path

from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtGui import QCloseEvent
from PyQt6.QtWidgets import QCheckBox, QHBoxLayout, QMainWindow, QPushButton, QVBoxLayout, QWidget

from evenpalette.app.widgets.basics import button, column, counted, label, row, scrolled
from evenpalette.core.crowd import BY_ORDER, BY_PLACE, LAID, Laid
from evenpalette.core.delivery.crowd_kit import CrowdKit, crowd_kit
from evenpalette.core.delivery.kit_files import KitFiles, read_kit
from evenpalette.core.errors import EvenPaletteError
from evenpalette.gpu.crowd.scene import CrowdAsset
from evenpalette.player.controls import Slide, boxed, values_of
from evenpalette.player.stage import Stage

#: Milliseconds between looks at the files, and between pictures while time runs.
_LOOK, _FRAME = 700, 33
#: File systems tell when something was written by a clock that may be so much behind (nanoseconds).
_COARSE_NS = 20_000_000


def _read(folder: Path) -> tuple[KitFiles, CrowdKit]:
    files = read_kit(folder)
    return files, crowd_kit(files)


class PlayerWindow(QMainWindow):
    """A window of its own: on the left the kit, on the right what a game would set."""

    def __init__(self, folder: Path) -> None:
        super().__init__()
        self.setWindowTitle("Even Palette player")
        self.resize(1280, 800)
        self._folder = folder
        self._threads = ThreadPoolExecutor(1)
        self._reading: Future[tuple[KitFiles, CrowdKit]] | None = None
        self._seen: tuple[object, ...] = ()
        self._began = 0
        self._ready: CrowdKit | None = None
        self._files: tuple[Path, ...] = ()
        self.stage = Stage()
        self.message = label("", "warn")
        self.message.setWordWrap(True)
        self.message.hide()
        self.facts = label("", "note")
        self.facts.setWordWrap(True)
        self.copy_facts = label("Click a copy to choose it; Shift and a drag move it, Del takes it away.", "note")
        self.copy_facts.setWordWrap(True)
        self._side = QVBoxLayout()
        self._build()
        # What a paint has to say is said when it is over: widgets that come and go would paint inside of it.
        later = Qt.ConnectionType.QueuedConnection
        self.stage.loaded.connect(self._loaded, later)  # type: ignore[call-arg]
        self.stage.refused.connect(self._say, later)  # type: ignore[call-arg]
        self.stage.painted.connect(self._painted, later)  # type: ignore[call-arg]
        self.stage.chosen.connect(lambda _: self._tell_copy())
        self.stage.moved.connect(lambda index, x, z: self._lay(self._laid().with_move(index, (x, z))))
        self.stage.deleted.connect(lambda index: self._lay(self._laid().without(index)))
        self._looking = QTimer(self)
        self._looking.timeout.connect(self._look)
        self._looking.start(_LOOK)
        self._running = QTimer(self)
        self._running.timeout.connect(self._tick)
        self._last = 0.0
        self._look()

    # --- the side --------------------------------------------------------------------------------------------------

    def _build(self) -> None:
        self.count = Slide("Copies", 1, 10_000, 1, whole=True)
        self.count.changed.connect(
            lambda n: self._lay(replace(self._laid(), count=round(n), gone=frozenset()), frame=True)
        )
        self.laid = boxed(list(LAID.values()), "How copies are laid")
        self.laid.activated.connect(
            lambda at: self._lay(replace(self._laid(), laid=list(LAID)[at], moved={}), frame=True)
        )
        self.numbered = boxed([BY_ORDER, BY_PLACE], "How the game numbers copies")
        self.numbered.setToolTip("By order, a copy that is moved keeps its look; by place, it gets that of the place")
        self.numbered.textActivated.connect(lambda text: self._lay(replace(self._laid(), numbered=text)))
        self.add = button(
            "Add one", lambda: self._lay(self._laid().with_one_more()), tip="Add a copy behind all others"
        )
        self.hour = Slide("Time of day", 0, 1, 0)
        self.hour.changed.connect(lambda v: self._light(hour=v))
        self.exposure = Slide("Exposure", -4, 4, 0)
        self.exposure.changed.connect(lambda v: self._light(exposure=2.0**v))
        self.flame = QCheckBox("Flames burn")
        self.flame.setChecked(True)
        self.flame.toggled.connect(lambda on: self._light(flame=float(on)))
        self.unlit = QCheckBox("Base color alone")
        self.unlit.toggled.connect(lambda on: self._light(unlit=on))
        self.play = QPushButton("Play")
        self.play.setCheckable(True)
        self.play.toggled.connect(self._run)
        self.speed = Slide("Speed", 0, 4, 1)
        self.other = boxed(["nothing"], "What every copy turns into")
        self.other.activated.connect(lambda at: self._moment(to=at - 1))
        self.turn = Slide("Turned", 0, 1, 0)
        self.turn.changed.connect(lambda v: self._moment(turn=v))
        self.variant = boxed([], "Variant whose values are set")
        self.variant.activated.connect(lambda _: self._show_values())
        self._shares = QWidget()
        self._values = QWidget()
        self._shares_at, self._values_at = QVBoxLayout(), QVBoxLayout()
        for layout, held in ((self._shares_at, self._shares), (self._values_at, self._values)):
            layout.setContentsMargins(0, 0, 0, 0)
            layout.addWidget(held)
        side = column(
            label("Copies", "section"), self.count, row(self.laid, self.numbered), row(self.add, None), self.copy_facts,
            label("Light", "section"), label("Day to night", "note"), self.hour, label("Exposure, in stops", "note"), self.exposure, self.flame, self.unlit,
            label("Time", "section"), row(self.play, None), label("Speed", "note"), self.speed,
            label("Turn into", "section"), self.other, self.turn,
            label("Values of a variant", "section"), self.variant, spacing=4, margins=(0, 0, 8, 0),
        )  # fmt: skip
        inside = side.layout()
        assert isinstance(inside, QVBoxLayout)
        inside.addLayout(self._values_at)
        inside.addWidget(label("Shares of the variants", "section"))
        inside.addLayout(self._shares_at)
        inside.addStretch(1)
        # Controls have their places when there is something to set: the first picture does not wait for them.
        self._controls, self._beside = side, scrolled(QWidget())
        self._beside.setFixedWidth(300)
        holder = QWidget()
        whole = QHBoxLayout(holder)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.setSpacing(0)
        left = column(self.stage, self.message, self.facts, spacing=0)
        for text in (self.message, self.facts):
            text.setMargin(8)
        left.layout().setStretch(0, 1)  # type: ignore[union-attr]
        whole.addWidget(left, 1)
        frame = QWidget()
        framed = QHBoxLayout(frame)
        framed.setContentsMargins(12, 8, 4, 8)
        framed.addWidget(self._beside)
        whole.addWidget(frame)
        self.setCentralWidget(holder)

    def _laid(self) -> Laid:
        return self.stage.laid or Laid(1, "grid", 1.0, (1.0,))

    def _lay(self, laid: Laid, *, frame: bool = False) -> None:
        self.stage.laid = laid
        self.count.set(laid.count)
        if frame:
            self.stage.frame_all()
        self.stage.update()
        self._tell_copy()

    def _light(self, **parts: float) -> None:
        self.stage.light = replace(self.stage.light, **parts)  # type: ignore[arg-type]
        self.stage.update()

    def _moment(self, **parts: float) -> None:
        self.stage.moment = replace(self.stage.moment, **parts)  # type: ignore[arg-type]
        self.stage.update()

    def _tell_copy(self) -> None:
        laid, scene = self._laid(), self.stage.scene
        known = laid.indices()
        if scene is None or self.stage.selected not in known:
            self.copy_facts.setText("Click a copy to choose it; Shift and a drag move it, Del takes it away.")
            return
        one = laid.copies()[known.index(self.stage.selected)]
        names = ["Defaults", *scene.kit.variants]
        at = int(one["row"])
        self.copy_facts.setText(
            f"Copy {self.stage.selected}: {names[at] if at < len(names) else 'Defaults'}, number {int(one['number'])}"
        )

    # --- values ----------------------------------------------------------------------------------------------------

    def numbers(self, row_: int, uniform: str) -> list[float]:
        """The numbers of a parameter in a row of the table."""
        scene = self.stage.scene
        for sheet in scene.sheets if scene is not None else ():
            for place in sheet.sheet.said.table.places:
                if place.uniform == uniform and sheet.sheet.rows is not None:
                    begin = "rgba".index(place.components[0])
                    return [float(v) for v in sheet.rows[row_, place.texel, begin : begin + len(place.components)]]
        return []

    def set_numbers(self, row_: int, uniform: str, numbers: list[float]) -> None:
        """Have other numbers, in all sheets."""
        scene = self.stage.scene
        if scene is None:
            return
        self.stage.make_current()
        for sheet in scene.sheets:
            for place in sheet.sheet.said.table.places:
                if place.uniform == uniform and sheet.sheet.rows is not None:
                    begin = "rgba".index(place.components[0])
                    sheet.rows[row_, place.texel, begin : begin + len(numbers)] = numbers
                    sheet.tell()
        self.stage.done_current()
        self.stage.update()

    def _show_values(self) -> None:
        scene = self.stage.scene
        if scene is None:
            return
        at = max(self.variant.currentIndex(), 0)
        told = {p.uniform: p for sheet in scene.kit.sheets for p in sheet.said.parameters}
        made = values_of(
            list(told.values()), lambda u: self.numbers(at, u), lambda u, numbers: self.set_numbers(at, u, numbers)
        )
        self._values_at.replaceWidget(self._values, made)
        self._values.deleteLater()
        self._values = made

    def _show_shares(self, scene: CrowdAsset) -> None:
        shares = list(self._laid().shares)
        slides = []
        for at, name in enumerate(scene.kit.variants):
            slide = Slide(f"Share of {name}", 0, 100, shares[at] if at < len(shares) else 0, whole=True, unit="")
            slide.changed.connect(lambda v, at=at: self._share(at, v))
            slides += [label(name, "note"), slide]
        made = column(*slides, spacing=2)
        self._shares_at.replaceWidget(self._shares, made)
        self._shares.deleteLater()
        self._shares = made

    def _share(self, at: int, value: float) -> None:
        shares = list(self._laid().shares)
        shares[at] = value
        self._lay(replace(self._laid(), shares=tuple(shares)))

    # --- files -----------------------------------------------------------------------------------------------------

    def _signature(self) -> tuple[object, ...]:
        found: list[object] = []
        for file in (*self._files, self._folder / "kit.json", self._folder / "kit" / "kit.json"):
            try:
                at = file.stat()
                found.append((str(file), at.st_mtime_ns, at.st_size, at.st_ino))
            except OSError:
                found.append((str(file), None))
        return tuple(found)

    def _look(self) -> None:
        """Read the kit where its files have changed; the picture stays meanwhile."""
        if self._reading is not None:
            if self._reading.done():
                self._take(self._reading)
                self._reading = None
            return
        now = self._signature()
        if now != self._seen or not self._files:
            self._seen, self._began = now, time.time_ns()
            self._reading = self._threads.submit(_read, self._folder)
            QTimer.singleShot(50, self._look)

    def _take(self, reading: "Future[tuple[KitFiles, CrowdKit]]") -> None:
        try:
            files, kit = reading.result()
        except EvenPaletteError as error:
            self._say(str(error))
            return
        if self._files != files.files:
            # What was seen before the reading was of other files: what came or changed since may not have been read.
            self._files = files.files
            self._seen = self._signature() if not self._changed_since(self._began - _COARSE_NS) else ()
        self.stage.take(kit)

    def _changed_since(self, moment: int) -> bool:
        """Whether a file was written or put in its place since then (nanoseconds)."""
        for file in self._files:
            try:
                if file.stat().st_ctime_ns >= moment:
                    return True
            except OSError:
                return True
        return False

    def _show_controls(self) -> None:
        if self._beside.widget() is not self._controls:
            self._beside.setWidget(self._controls)

    def _say(self, text: str) -> None:
        """What is wrong; the last picture stays."""
        self._show_controls()
        self.message.setText(text + (" The last good picture stays." if self.stage.scene is not None else ""))
        self.message.show()

    def _loaded(self) -> None:
        scene = self.stage.scene
        assert scene is not None
        self.message.hide()
        self.setWindowTitle(f"{scene.kit.name} in the player")
        count = len(scene.kit.variants)
        old = self.stage.laid
        if old is None or len(old.shares) != count:
            self.stage.laid = Laid(
                old.count if old else 1, old.laid if old else "grid", scene.kit.step, (10.0,) * count
            )
            self.stage.camera = scene.camera(self.stage.laid.copies(), (self.stage.width(), self.stage.height()))
        self.stage.moment = replace(self.stage.moment, to=-1)
        self.stage.update()

    def _fill_controls(self, scene: CrowdAsset) -> None:
        """What a game would set of this kit."""
        chosen = self.variant.currentText()
        for box, first in ((self.variant, "Defaults"), (self.other, "nothing")):
            box.clear()
            box.addItems([first, *(["Defaults"] if first == "nothing" else []), *scene.kit.variants])
        count = len(scene.kit.variants)
        self.variant.setCurrentIndex(max(0, self.variant.findText(chosen)) if chosen else min(1, count))
        self._show_values()
        self._show_shares(scene)
        self._show_controls()

    # --- time ------------------------------------------------------------------------------------------------------

    def _run(self, on: bool) -> None:
        self.play.setText("Pause" if on else "Play")
        self._last = time.monotonic()
        if on:
            self._running.start(_FRAME)
        else:
            self._running.stop()

    def _tick(self) -> None:
        now = time.monotonic()
        seconds = self.stage.moment.seconds + (now - self._last) * self.speed.number.value()
        self._last = now
        scene = self.stage.scene
        ends = (
            [s.said.time.repeats_after for s in scene.kit.sheets if s.said.time is not None]
            if scene is not None
            else []
        )
        if len(ends) == 1 and ends[0]:
            seconds %= ends[0]
        self._moment(seconds=seconds)

    def _painted(self, seconds: float) -> None:
        scene = self.stage.scene
        if scene is None:
            return
        if self._ready is not scene.kit:
            # What is far and what can be set wait for the first picture.
            self._ready = scene.kit
            self._fill_controls(scene)
            self._threads.submit(scene.kit.make_levels)
        copies = len(self._laid().indices())
        self.facts.setText(
            f"{counted(copies, 'copy', 'copies')}, {counted(self.stage.crowd.draws if self.stage.crowd else 0, 'draw call')}, {seconds * 1000:.1f} ms a picture, "
            f"{scene.memory / 2**20:.1f} MiB of textures, {scene.reads} texture reads a pixel"
        )

    def closeEvent(self, event: QCloseEvent | None) -> None:
        self._looking.stop()
        self._running.stop()
        self._threads.shutdown(wait=True, cancel_futures=True)
        self.stage.end()
        super().closeEvent(event)
