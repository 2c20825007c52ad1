"""Draw the icon of the application in its sizes from its SVG: run after changing it."""

import sys
from pathlib import Path

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QGuiApplication, QImage, QPainter
from PyQt6.QtSvg import QSvgRenderer

from evenpalette.desktop import ICON_SIDES

FOLDER = Path(__file__).parents[1] / "src" / "evenpalette" / "desktop" / "icons"

if __name__ == "__main__":
    app = QGuiApplication([*sys.argv[:1], "-platform", "offscreen"])
    drawn = QSvgRenderer(str(FOLDER / "evenpalette.svg"))
    for side in ICON_SIDES:
        image = QImage(side, side, QImage.Format.Format_ARGB32)
        image.fill(Qt.GlobalColor.transparent)
        painter = QPainter(image)
        drawn.render(painter)
        painter.end()
        image.save(str(FOLDER / f"evenpalette-{side}.png"))
