"""The one application object of a program with windows."""

import os
import sys
from importlib.resources import files

from PyQt6.QtGui import QIcon, QImage, QPixmap, QSurfaceFormat
from PyQt6.QtWidgets import QApplication

from evenpalette.app import theme
from evenpalette.app.garbage import Garbage
from evenpalette.gpu.software import compile_quickly


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
