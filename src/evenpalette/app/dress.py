"""The one application object of a program with windows."""

import os
import sys
from collections.abc import Callable
from importlib.resources import files
from typing import TypeVar

from PyQt6.QtGui import QIcon, QImage, QPixmap, QSurfaceFormat
from PyQt6.QtWidgets import QApplication, QMessageBox, QWidget

from evenpalette.app import theme
from evenpalette.app.garbage import Garbage
from evenpalette.core.errors import NoDrawing
from evenpalette.gpu.software import compile_quickly

W = TypeVar("W", bound=QWidget)


def opened(make: Callable[[], W]) -> W | None:
    """A new window; None, and said why, where nothing can be drawn."""
    try:
        return make()
    except NoDrawing as error:
        print(f"evenpalette: {error}", file=sys.stderr, flush=True)
        QMessageBox.critical(None, QApplication.applicationName(), str(error))
        return None


def dressed_application(name: str) -> QApplication:
    """The application, by the name that the desktop shows: its looks, its icon, how its windows are drawn in. One that
    is there already stays as it is."""
    existing = QApplication.instance()
    if isinstance(existing, QApplication):
        return existing
    compile_quickly()
    surface = QSurfaceFormat()
    surface.setVersion(3, 3)
    surface.setProfile(QSurfaceFormat.OpenGLContextProfile.CoreProfile)
    surface.setDepthBufferSize(0)
    surface.setSwapInterval(0 if os.environ.get("LIBGL_ALWAYS_SOFTWARE") else 1)
    QSurfaceFormat.setDefaultFormat(surface)
    app = QApplication(sys.argv[:1])
    app.setApplicationName(name)
    app.setDesktopFileName("evenpalette")
    # Named as what it is: an icon by its file makes Qt load all the readers of pictures that it has.
    content = (files("evenpalette.desktop") / "icons" / "evenpalette-64.png").read_bytes()
    app.setWindowIcon(QIcon(QPixmap.fromImage(QImage.fromData(content, "PNG"))))
    theme.install(app)
    Garbage(app)
    return app
