"""What a tool of the left button is, and what it is given of the views."""

from collections.abc import Mapping
from typing import Protocol

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QPointF, Qt

from evenpalette.app.views.frame import Frame
from evenpalette.core.document.state import State
from evenpalette.core.raster.box import Box


class Drawing(Protocol):
    """The views as they are drawn now."""

    frame: Frame

    def places(self) -> tuple[NDArray[np.int32], NDArray[np.float32]] | None:
        """Face and (u, v) of every device pixel of Form, rows from the bottom; None before the first drawing."""

    def faces_in(self, x: int, y: int, width: int, height: int) -> NDArray[np.int32] | None:
        """Faces in a rectangle of Form's device pixels from the bottom left, -1 for none."""

    def show_live(self, state: State | None, copies: Mapping[str, tuple[NDArray, NDArray]] | None = None) -> None:
        """Draw this state instead of the document's; None ends it."""

    def patch_live(self, regions: set[str], boxes: list[Box]) -> None:
        """Texels of coverages of the live state changed in place."""

    def look_from(self, normal: NDArray[np.float32], u: float, v: float) -> None:
        """Take both views to a face with this normal and a texel."""


class Tool(Protocol):
    """What the left button works with instead of turning and moving."""

    @property
    def ready(self) -> bool:
        """Whether a press works."""

    def radius_at(self, place: QPointF) -> float:
        """Radius of the circle at the pointer in logical pixels, 0 for none."""

    def press(self, place: QPointF, modifiers: Qt.KeyboardModifier, pressure: float | None = None) -> None:
        """Begin."""

    def drag(self, place: QPointF, pressure: float | None = None) -> None:
        """Go on."""

    def release(self) -> None:
        """The pointer is lifted."""
