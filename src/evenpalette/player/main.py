"""Starting the player."""

import os
import signal
import sys
from pathlib import Path

from PyQt6.QtCore import QCoreApplication, QEvent
from PyQt6.QtWidgets import QApplication

from evenpalette.app.dress import dressed_application, opened
from evenpalette.player.window import PlayerWindow


def make_application() -> QApplication:
    """The one application object, dressed as the window of the application is."""
    return dressed_application("Even Palette player")


def run(kit: Path) -> int:
    """Show a kit until the window is closed; the exit code."""
    if not (os.environ.get("DISPLAY") or os.environ.get("WAYLAND_DISPLAY") or os.environ.get("QT_QPA_PLATFORM")):
        print("evenpalette: there is no display to open a window on. Try `play KIT --picture FILE`.", file=sys.stderr)
        return 2
    app = make_application()
    signal.signal(signal.SIGINT, signal.SIG_DFL)
    window = opened(lambda: PlayerWindow(kit))
    if window is None:
        return 2
    window.show()
    code = app.exec()
    window.deleteLater()
    QCoreApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete)
    return code
