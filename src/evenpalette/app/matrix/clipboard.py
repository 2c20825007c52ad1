"""What goes from the matrix to the clipboard, and what comes from there: values, colors, palettes, reviews."""

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QClipboard, QImage
from PyQt6.QtWidgets import QApplication

from evenpalette.app.matrix.model import MatrixModel
from evenpalette.app.reviewing import take_review
from evenpalette.app.session import Session
from evenpalette.app.tasks import Task
from evenpalette.app.widgets.basics import counted
from evenpalette.app.widgets.pixels import pixels_of
from evenpalette.core.color.hexcode import format_hex
from evenpalette.core.edits import many_values as edit
from evenpalette.core.edits.marks import HEAD, marks_as_text
from evenpalette.core.raster.raster import Encoding, Raster
from evenpalette.core.tones.palettes.reduce import Order, reduce_pictures
from evenpalette.core.values import value_text

#: Texels a side of a pasted picture that are looked at, and colors of it at most.
_SIDE, _MOST = 256, 16
Place = tuple[str | None, str]


def copy_values(session: Session, places: list[Place]) -> None:
    """Chosen cells as text, a line for each variant, for a spreadsheet."""
    lines: dict[str | None, list[str]] = {}
    parameters = {p.id: p for p in session.state.project.parameters}
    for variant, key in places:
        lines.setdefault(variant, []).append(value_text(session.state.values(variant)[key], parameters[key].unit))
    clipboard().setText("\n".join("\t".join(values) for values in lines.values()))
    session.said.emit(f"Copied {counted(len(places), 'value')}.", False)


def copy_review(session: Session) -> None:
    """Marks and notes of all variants as text."""
    clipboard().setText(marks_as_text(session.state))
    session.said.emit("Copied what is said of the variants.", False)


def paste(session: Session, model: MatrixModel, place: Place) -> None:
    """What is on the clipboard: a review, colors, or the palette of a picture, onto the line of a place from its column
    on."""
    data = clipboard().mimeData()
    if data is not None and data.hasImage():
        image = clipboard().image().convertToFormat(QImage.Format.Format_RGB888)
        _paste_picture(session, place, pixels_of(image.scaled(_SIDE, _SIDE, Qt.AspectRatioMode.KeepAspectRatio)))
        return
    text = clipboard().text()
    if text.strip().startswith(HEAD):
        take_review(session, text)
        return
    variant, key = place
    colors = edit.colors_in(text)
    line = next((line.name for line in model.lines if line.id == variant), "")
    session.apply(f"Paste colors onto {line}", lambda s: edit.paste_colors(s, variant, colors, key))


def _paste_picture(session: Session, place: Place, pixels: NDArray[np.uint8]) -> None:
    """The main colors of a picture, as many as there are colors to set."""
    variant, key = place
    parameters = edit.color_parameters(session.state)
    begin = next((k for k, p in enumerate(parameters) if p.id == key), 0)
    wanted = max(1, min(len(parameters) - begin, _MOST))

    def work(_: object) -> list[str]:
        held = reduce_pictures([Raster(pixels, Encoding.SRGB)], max(2, wanted), order=Order.SHARE)
        return [format_hex((int(r), int(g), int(b))) for r, g, b in held.palette[:wanted, :3]]

    def done(colors: list[str]) -> None:
        session.apply("Paste a picture's palette", lambda s: edit.paste_colors(s, variant, colors, key))

    session.tasks.start(Task("Finding a picture's palette", work, done, session.failed, exclusive=False))


def clipboard() -> QClipboard:
    """The one of the desktop."""
    held = QApplication.clipboard()
    assert held is not None
    return held
