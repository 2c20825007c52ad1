"""Small pictures of the model for cards and the rail, drawn in between when there is time."""

from collections.abc import Callable, Sequence

from PyQt6.QtCore import QObject
from PyQt6.QtGui import QImage

from evenpalette.app.answers import answer
from evenpalette.app.timers import timer
from evenpalette.gpu.look import Look

#: Pictures drawn in one turn, so that the window answers in between.
_A_TURN = 2
#: A picture asked for: how the model looks, its size in logical pixels, and degrees that it is turned by.
Wanted = tuple[Look, tuple[int, int], float]


class PictureQueue(QObject):
    """Requests by key; a newer one with the same key replaces an older one."""

    def __init__(self, draw: Callable[[Sequence[Wanted]], list[QImage] | None], parent: QObject) -> None:
        """draw: makes pictures now, or None while that cannot be."""
        super().__init__(parent)
        self._draw_now = draw
        self._wanted: dict[object, tuple[Wanted, Callable[[QImage], None]]] = {}
        self._timer = timer(self, 60)
        self._timer.timeout.connect(self._draw)

    @property
    def is_empty(self) -> bool:
        """Whether all pictures are drawn."""
        return not self._wanted

    def request(self, key: object, look: Look, size: tuple[int, int], callback: Callable[[QImage], None], turn: float = 0.0) -> None:  # fmt: skip
        """Draw the model small, seen from where Form is seen and turned by degrees, and hand the picture over."""
        self._wanted[key] = ((look, size, turn), callback)
        self._timer.start(60)

    def drop(self, prefix: str) -> None:
        """Forget requests whose key begins with a word."""
        self._wanted = {k: v for k, v in self._wanted.items() if not (isinstance(k, tuple) and k[0] == prefix)}

    def _draw(self) -> None:
        keys = list(self._wanted)[:_A_TURN]
        if not keys:
            return
        images = self._draw_now([self._wanted[key][0] for key in keys])
        if images is None:
            self._timer.start(200)
            return
        for key, image in zip(keys, images, strict=True):
            answer(self._wanted.pop(key)[1], image)
        if self._wanted:
            self._timer.start(0)
