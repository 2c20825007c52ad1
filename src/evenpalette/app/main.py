"""Starting the window."""

import os
import signal
import sys
from collections.abc import Sequence
from pathlib import Path

from PyQt6.QtCore import QCoreApplication, QEvent, QTimer
from PyQt6.QtWidgets import QApplication

from evenpalette.app.dress import dressed_application, opened
from evenpalette.app.mishaps import Mishaps
from evenpalette.app.preparing import Preparing
from evenpalette.app.settings import apply_limits
from evenpalette.app.window import MainWindow


def make_application() -> QApplication:
    """The one application object, dressed."""
    return dressed_application("Even Palette")


def _leave_proof(window: MainWindow, path: str) -> None:
    """Save what the screen shows and end: for machines where nobody can look at the window."""
    screen = window.screen()
    picture = screen.grabWindow(window.winId()) if screen is not None else window.grab()
    if picture.isNull():  # Wayland shows nobody what is on the screen.
        picture = window.grab()
    saved = picture.save(path)
    if not saved:
        print(f"evenpalette: {path} cannot be written.", file=sys.stderr)
    sys.stderr.flush()
    os._exit(0 if saved else 1)


def run(
    project: Path | None = None, *, files: Sequence[Path] = (), demo: bool = False, into: Path | None = None
) -> int:
    """Open the window and stay until it is closed. files: are brought into a new project, as dropping them does."""
    if not (os.environ.get("DISPLAY") or os.environ.get("WAYLAND_DISPLAY") or os.environ.get("QT_QPA_PLATFORM")):
        print("evenpalette: there is no display to open a window on. Try `xvfb-run evenpalette ...`.", file=sys.stderr)
        return 2
    app = make_application()
    apply_limits()
    signal.signal(signal.SIGINT, signal.SIG_DFL)
    window = opened(MainWindow)
    if window is None:
        return 2
    _watch(window)
    window.show()
    shot = os.environ.get("EVENPALETTE_SCREENSHOT")
    preparing = None if shot else Preparing(window.session)
    window.project.take_own_steps()
    if demo:
        window.project.open_demo(into=into)
    elif project is not None:
        window.project.open_path(project)
    elif files:
        QTimer.singleShot(0, lambda: window.take_files([path.absolute() for path in files]))
    if shot:
        QTimer.singleShot(6000, lambda: _leave_proof(window, shot))
    else:
        QTimer.singleShot(0, window.project.offer_recovery)
    code = app.exec()
    if preparing is not None:
        preparing.end()
    # In this order: what draws goes while there is an application, and before Python takes its modules apart.
    window.deleteLater()
    QCoreApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete)
    return code


def _watch(window: MainWindow) -> None:
    """Take what goes wrong inside, and remember what was done until then."""
    session = window.session
    mishaps = Mishaps(lambda text: session.said.emit(text, True), session.keeping.autosave, window)
    session.changed.connect(lambda _: mishaps.note(session.history.labels[session.history.position]))
    session.station_changed.connect(lambda station: mishaps.note(f"went to {station}"))
    session.tasks.started.connect(lambda task: mishaps.note(f"began: {task}"))
    session.said.connect(lambda text, _: mishaps.note(f"said: {text}"))
    mishaps.install()
