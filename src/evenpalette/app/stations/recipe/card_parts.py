"""What cards of steps are put together from: small pictures, swatches, arrows, lit balls of finishes."""

from functools import cache

from PyQt6 import sip
from PyQt6.QtCore import QRectF, QTimer
from PyQt6.QtGui import QColor, QIcon, QImage, QPainter, QPaintEvent, QPixmap
from PyQt6.QtWidgets import QComboBox, QLabel, QWidget

from evenpalette.app import theme
from evenpalette.core.light.ball import lit_sample
from evenpalette.core.recipe.kind import StartingPoint, StepKind

PICTURE = (100, 76)
#: Side of the lit balls beside named finishes.
SAMPLE = 22


@cache
def _icon(finish: tuple[tuple[str, float], ...]) -> QIcon:
    pixels = lit_sample(dict(finish), size=SAMPLE * 2)
    image = QImage(
        pixels.tobytes(), pixels.shape[1], pixels.shape[0], pixels.shape[1] * 4, QImage.Format.Format_RGBA8888
    )
    pixmap = QPixmap.fromImage(image.copy())
    pixmap.setDevicePixelRatio(2)
    return QIcon(pixmap)


def sample_icon(kind: StepKind, point: StartingPoint) -> QIcon:
    """A small lit ball with a starting point's finish; nothing for kinds that set none."""
    values = {
        key: point.values[key] for key in ("metallic", "roughness", "coat", "coat_roughness") if key in point.values
    }
    if "roughness" not in values:
        return QIcon()
    finish = {key: float(value) for key, value in values.items()}
    finish["anisotropy"] = float(kind.input("anisotropy").default) if point.values.get("brushed") else 0.0
    return _icon(tuple(sorted(finish.items())))


def fill_samples(box: QComboBox, kind: StepKind, place: int = 0) -> None:
    """The lit balls of a list of starting points, one in each turn of the event loop."""
    if place >= len(kind.starting_points) or sip.isdeleted(box):
        return
    box.setItemIcon(place + 1, sample_icon(kind, kind.starting_points[place]))
    QTimer.singleShot(0, lambda: fill_samples(box, kind, place + 1))


class Swatches(QWidget):
    """The colors of a step's rows as one line of small fields."""

    def __init__(self, colors: list[str]) -> None:
        super().__init__()
        self.colors = colors
        self.setFixedHeight(10)

    def paintEvent(self, _: QPaintEvent | None) -> None:
        painter = QPainter(self)
        wide = min(16.0, self.width() / max(1, len(self.colors)))
        for place, color in enumerate(self.colors):
            painter.fillRect(QRectF(place * wide, 0, wide - 1, 9), QColor(color))


class CardPicture(QLabel):
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
