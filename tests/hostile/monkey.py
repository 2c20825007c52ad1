"""Seeded hands on the real window: clicks, keys, drags, junk in fields, dialogs closed early, on every demo.

python -m tests.hostile.monkey [SEEDS] [ACTIONS] [FIRST]    each seed in a process of its own; prints what went wrong
python -m tests.hostile.monkey --one SEED ACTIONS           one of them, here

What must hold: no exception, no pause over ten seconds, undo returns to the start, what is saved opens equal.
"""

import faulthandler
import os
import random
import subprocess
import sys
import tempfile
import threading
import time
import traceback
from pathlib import Path

import numpy as np
from PyQt6.QtCore import QPoint, QProcess, Qt, QTimer
from PyQt6.QtGui import QDesktopServices, QDrag
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import (
    QAbstractButton,
    QAbstractItemView,
    QAbstractSlider,
    QAbstractSpinBox,
    QApplication,
    QComboBox,
    QDialog,
    QFileDialog,
    QHeaderView,
    QLineEdit,
    QMenu,
    QMessageBox,
    QWidget,
)

from evenpalette.app.main import make_application
from evenpalette.app.stations import STATIONS
from evenpalette.app.window import MainWindow
from evenpalette.core.document.state import State
from evenpalette.core.storage.demo_files import demo_names
from evenpalette.core.storage.storage import Storage

LONGEST_PAUSE_SECONDS = 10.0
JUNK = (
    "",
    " ",
    "n" * 300,
    "-1",
    "1e400",
    "NaN",
    "<b>x</b>",
    "\U0001f3ee\u202e",
    "0.5",
    "#12",
    "#b03020",
    "Ember",
    "a/../b",
    "%s%n",
    "0:0, 1:1",
)
KEYS = (
    "Esc", "Return", "Tab", "Space", "Del", "Up", "Down", "Left", "Right", "PgUp", "PgDown", "Home", "End", "Ctrl+Z", "Ctrl+Shift+Z",
    "Ctrl+C", "Ctrl+V", "Ctrl+D", "[", "]", "L", "U", "C", "B", "G", "R", "F1", "F3", "Ctrl+H", "+", "-", ",", ".", "Ctrl+Left", "Ctrl+Right", "Ctrl+S",
)  # fmt: skip
#: Buttons that lead out of the window, or out of the document that undo belongs to.
LEFT_ALONE = (
    "Quit",
    "Show folder",
    "New project",
    "Open project",
    "Open a project",
    "Open the demo",
    "Recent",
    "First walk",
    "Take over",
)


class Monkey:
    """Does one thing after the other, in whatever is in front."""

    def __init__(self, window: MainWindow, seed: int, actions: int, folder: Path) -> None:
        self.window, self.left, self.folder = window, actions, folder
        self.chance = random.Random(seed)
        self.done: list[str] = []
        self.longest = 0.0
        self._beat = time.monotonic(), time.process_time()
        heart = QTimer(window, interval=25)
        heart.timeout.connect(self._tick)
        heart.start()

    def _tick(self) -> None:
        # What other programs took of the machine meanwhile is no pause of ours.
        now = time.monotonic(), time.process_time()
        self.longest = max(self.longest, min(b - a for a, b in zip(self._beat, now, strict=True)))
        self._beat = now

    def start(self) -> None:
        QTimer.singleShot(0, self.act)

    def act(self) -> None:
        # A chain of single shots goes on inside the loops of dialogs and menus, the last of which it closes.
        if self.left <= 0:
            if _close_front():
                QTimer.singleShot(20, self.act)
            return
        self.left -= 1
        QTimer.singleShot(self.chance.choice((0, 5, 20, 60)), self.act)
        front = QApplication.activePopupWidget() or QApplication.activeModalWidget()
        if isinstance(front, QMenu):
            self._in_menu(front)
        elif isinstance(front, QMessageBox):
            self._note(f"answer {front.windowTitle()}")
            self.chance.choice([b for b in front.buttons() if b.text().replace("&", "") != "Take over"]).click()
        elif front is not None and self.chance.random() < 0.15:
            self._note(f"close {type(front).__name__}")
            QTest.keyClick(front, Qt.Key.Key_Escape)
        else:
            self._in_window(front or self.window)

    def _note(self, what: str) -> None:
        self.done.append(what)

    def _in_menu(self, menu: QMenu) -> None:
        entries = [
            a
            for a in menu.actions()
            if a.isEnabled() and a.isVisible() and not a.isSeparator() and not a.text().startswith(LEFT_ALONE)
        ]
        if not entries or self.chance.random() < 0.3:
            self._note("leave a menu")
            QTest.keyClick(menu, Qt.Key.Key_Escape)
            return
        entry = self.chance.choice(entries)
        self._note(f"menu {entry.text()}")
        inner = entry.menu()
        if inner is not None:
            inner.popup(menu.mapToGlobal(QPoint(10, 10)))
            return
        menu.close()
        entry.trigger()

    def _in_window(self, within: QWidget) -> None:
        roll = self.chance.random()
        if roll < 0.06 and within is self.window:
            station = self.chance.choice(STATIONS).key
            self._note(f"go to {station}")
            self.window.bench(station)
        elif roll < 0.2:
            keys = self.chance.choice(KEYS)
            self._note(f"keys {keys}")
            QTest.keySequence(QApplication.focusWidget() or within, keys)
        elif roll < 0.34 and within is self.window:
            self._drag(self.window.views)
        else:
            self._touch(within)

    def _drag(self, widget: QWidget) -> None:
        def spot() -> QPoint:
            return QPoint(self.chance.randrange(max(1, widget.width())), self.chance.randrange(max(1, widget.height())))

        begin, button = spot(), self.chance.choice((Qt.MouseButton.LeftButton,) * 3 + (Qt.MouseButton.RightButton,))
        self._note(f"drag {type(widget).__name__} {begin.x()},{begin.y()}")
        modifier = self.chance.choice(
            (Qt.KeyboardModifier.NoModifier,) * 3
            + (Qt.KeyboardModifier.ShiftModifier, Qt.KeyboardModifier.ControlModifier)
        )
        QTest.mousePress(widget, button, modifier, begin)
        for _ in range(self.chance.randrange(4)):
            QTest.mouseMove(widget, spot())
        QTest.mouseRelease(widget, button, modifier, spot())

    def _touch(self, within: QWidget) -> None:
        kinds = (QAbstractButton, QComboBox, QLineEdit, QAbstractSlider, QAbstractSpinBox, QAbstractItemView)
        found = [
            w
            for w in within.findChildren(QWidget)
            if w.isVisible() and w.isEnabled() and (isinstance(w, kinds) or w.focusPolicy() != Qt.FocusPolicy.NoFocus)
        ]
        if not found:
            QTest.keyClick(within, Qt.Key.Key_Escape)
            return
        widget = self.chance.choice(found)
        name = widget.accessibleName() or widget.toolTip()[:40] or widget.objectName()
        text = widget.text() if isinstance(widget, QAbstractButton) else ""
        if text.startswith(LEFT_ALONE) or name.startswith(LEFT_ALONE):
            return
        self._note(f"{type(widget).__name__} {text or name}")
        if isinstance(widget, QAbstractButton):
            QTest.mouseClick(widget, Qt.MouseButton.LeftButton)
        elif isinstance(widget, QComboBox) and widget.count():
            place = self.chance.randrange(widget.count())
            widget.setCurrentIndex(place)
            widget.activated.emit(place)
        elif isinstance(widget, QLineEdit | QAbstractSpinBox):
            widget.setFocus()
            if isinstance(widget, QLineEdit):
                widget.selectAll()
            junk = self.chance.choice(JUNK)
            if junk.isascii():
                QTest.keyClicks(widget, junk)
            elif isinstance(widget, QLineEdit):
                widget.insert(junk)
                widget.textEdited.emit(widget.text())
            QTest.keyClick(widget, self.chance.choice((Qt.Key.Key_Return, Qt.Key.Key_Tab)))
        elif isinstance(widget, QAbstractItemView) and not isinstance(widget, QHeaderView):
            self._row(widget)
        else:
            self._drag(widget)

    def _row(self, view: QAbstractItemView) -> None:
        model = view.model()
        if model is None or not model.rowCount():
            return
        index = model.index(self.chance.randrange(model.rowCount()), 0)
        port = view.viewport()
        assert port is not None
        spot = view.visualRect(index).center()
        how = self.chance.random()
        if how < 0.55:
            QTest.mouseClick(port, Qt.MouseButton.LeftButton, pos=spot)
        elif how < 0.75:
            QTest.mouseDClick(port, Qt.MouseButton.LeftButton, pos=spot)
        elif how < 0.85:
            view.setFocus()
            QTest.keyClick(
                view, self.chance.choice((Qt.Key.Key_F2, Qt.Key.Key_Space, Qt.Key.Key_Delete, Qt.Key.Key_Down))
            )
        else:
            view.customContextMenuRequested.emit(spot)


def _close_front() -> bool:
    """Close what stands before the window; whether there was something."""
    front = QApplication.activePopupWidget() or QApplication.activeModalWidget()
    if isinstance(front, QDialog):
        front.reject()
    elif front is not None:
        front.close()
    return front is not None


def same(one: State, other: State) -> list[str]:
    """What two documents differ in."""
    found = [] if one.project == other.project else ["project"]
    for name in ("textures", "coverages"):
        left, right = getattr(one, name), getattr(other, name)
        if left.keys() != right.keys():
            found.append(f"{name}: {left.keys() ^ right.keys()}")
            continue
        for key in left:
            a, b = (np.asarray(getattr(v, "pixels", v)) for v in (left[key], right[key]))
            if not np.array_equal(a, b):
                found.append(f"{name} {key}")
    return found


def run_one(seed: int, actions: int) -> int:
    """One hand; 0 where all held."""
    faulthandler.enable()
    # A hand that stands still says where.
    faulthandler.dump_traceback_later(200 + actions, exit=True)
    folder = Path(tempfile.mkdtemp(prefix="monkey-"))
    os.chdir(folder)
    os.environ |= {
        "EVENPALETTE_STATE": str(folder / "state"),
        "XDG_CONFIG_HOME": str(folder / "config"),
        "HOME": str(folder),
    }
    wrong: list[str] = []
    sys.excepthook = lambda kind, error, trace: wrong.append("".join(traceback.format_exception(kind, error, trace)))
    application = make_application()  # kept: an application that nobody holds goes
    assert application is not None
    window = MainWindow()
    window.show()
    QTest.qWaitForWindowExposed(window)
    session = window.session
    demo = demo_names()[seed % len(demo_names())]
    window.project.open_demo(demo, into=folder / "market")
    end = time.monotonic() + 60
    while not (session.state.region_ids and session.is_calm) and time.monotonic() < end:
        QTest.qWait(20)
    monkey = Monkey(window, seed, actions, folder)
    chance = monkey.chance
    (folder / "junk.png").write_bytes(b"no picture")
    (folder / "junk.obj").write_text("f 1 2 3\n")
    (folder / "steps.steps.json").write_text("{}")
    pictures = sorted((folder / "market").rglob("*.png"))[:6]

    def path(*_: object, **__: object) -> tuple[str, str]:
        return str(
            chance.choice(
                [
                    "",
                    "",
                    folder / "junk.png",
                    folder / "junk.obj",
                    folder / "steps.steps.json",
                    folder / "new.png",
                    *pictures,
                ]
            )
        ), ""

    for name in ("getOpenFileName", "getSaveFileName"):
        setattr(QFileDialog, name, staticmethod(path))
    QFileDialog.getOpenFileNames = staticmethod(lambda *_, **__: ([p for p in (path()[0],) if p], ""))  # type: ignore[method-assign]
    QFileDialog.getExistingDirectory = staticmethod(lambda *_, **__: chance.choice(["", str(folder / "out")]))  # type: ignore[method-assign]
    # A drag waits for a button that no synthetic hand lets go.
    QDrag.exec = lambda *_, **__: Qt.DropAction.IgnoreAction  # type: ignore[method-assign,assignment]
    QDesktopServices.openUrl = staticmethod(lambda *_: True)  # type: ignore[method-assign]
    # A player would stand there when this hand is done, and hold what it writes to.
    QProcess.startDetached = staticmethod(lambda *_, **__: (True, 0))  # type: ignore[method-assign,assignment]
    # Undo belongs to one document.
    session.open_state = lambda *_, **__: None  # type: ignore[method-assign]
    window.closeEvent = lambda event: event.ignore()  # type: ignore[method-assign,assignment]
    first, history = session.state, session.history
    monkey.start()
    try:
        while monkey.left > 0 and not wrong:
            QTest.qWait(20)
        monkey.left = 0
        end = time.monotonic() + 120
        while _close_front() and time.monotonic() < end:
            QTest.qWait(20)
        session.tasks.cancel()
        while not session.is_calm and time.monotonic() < end:
            QTest.qWait(20)
        if not session.is_calm:
            wrong.append(f"it did not come to rest: {[t.name for t in threading.enumerate()]}")
        if session.history is not history:
            wrong.append("another document was opened")
        elif history.labels[0].startswith("Opened"):
            last, place = session.state, history.position
            while history.position:
                session.undo()
            # What a delivery told a game stays known.
            told = session.state.project.delivery.uniforms
            first = first.with_project(delivery=first.project.delivery.model_copy(update={"uniforms": told}))
            wrong += [f"undo does not return to the start: {what}" for what in same(first, session.state)]
            session.move_to(place)
            wrong += [f"redo does not return to the end: {what}" for what in same(last, session.state)]
        Storage(folder / "saved").save(session.state)
        wrong += [
            f"saved and opened again it differs: {what}"
            for what in same(session.state, Storage(folder / "saved").open())
        ]
    except Exception:
        wrong.append(traceback.format_exc())
    if monkey.longest > LONGEST_PAUSE_SECONDS:
        wrong.append(f"the window stood still for {monkey.longest:.1f} s")
    print(
        f"seed {seed}, {demo}: {len(monkey.done)} actions, {len(history.labels)} changes, longest pause {monkey.longest:.1f} s, {len(wrong)} wrong"
    )
    if wrong:
        print("\n".join((*wrong[:3], "Last:", *monkey.done[-12:])))
    sys.stdout.flush()
    os._exit(1 if wrong else 0)


def main() -> int:
    """Many hands, two at a time."""
    if sys.argv[1:2] == ["--one"]:
        return run_one(int(sys.argv[2]), int(sys.argv[3]))
    seeds, actions, first = (int(value) for value in (*sys.argv[1:], *("30", "400", "0")[len(sys.argv) - 1 :]))
    running: list[subprocess.Popen[str]] = []
    bad = 0

    def collect(one: "subprocess.Popen[str]") -> int:
        try:
            out, _ = one.communicate(timeout=60 + actions * 3)
        except subprocess.TimeoutExpired:
            one.kill()
            out, _ = one.communicate()
            out += "\nit did not end in time"
        print(out.strip(), flush=True)
        return int(one.returncode != 0)

    for seed in range(first, first + seeds):
        running.append(
            subprocess.Popen(
                [sys.executable, "-m", "tests.hostile.monkey", "--one", str(seed), str(actions)],
                stdout=subprocess.PIPE,
                stderr=subprocess.STDOUT,
                text=True,
            )
        )
        if len(running) == 2:
            bad += collect(running.pop(0))
    bad += sum(collect(one) for one in running)
    print(f"{seeds} hands, {bad} of them broke something")
    return 1 if bad else 0


if __name__ == "__main__":
    sys.exit(main())
