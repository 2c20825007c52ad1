"""How a texture is laid, as a short text on a button that opens sliders."""

from collections.abc import Callable
from dataclasses import replace

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QComboBox, QFrame, QGridLayout, QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from evenpalette.app import theme
from evenpalette.app.plain import plain
from evenpalette.app.widgets.basics import button, choice, label, row
from evenpalette.app.widgets.popup import is_open, show_above
from evenpalette.app.widgets.switch import Switch
from evenpalette.app.widgets.value_slider import ValueSlider
from evenpalette.core.errors import ValueProblem
from evenpalette.core.placement import Filter, Placement, Wrap

_WRAPS = {Wrap.REPEAT: "Repeat", Wrap.MIRROR: "Mirror", Wrap.CLAMP: "Clamp"}
_FILTERS = {Filter.TRILINEAR: "Smooth, between levels", Filter.BILINEAR: "Smooth", Filter.NEAREST: "Nearest texel"}
#: How many tiles a grid may have along a side.
_COUNTS = (1, 2, 3, 4, 5, 6, 8, 10, 12, 16, 32, 64)


def placement_words(placement: Placement) -> str:
    """A placement in a few words."""
    words = []
    u, v = placement.scale
    if (u, v) != (1, 1):
        words.append(f"{u:g}x" if u == v else f"{u:g} by {v:g}")
    if placement.turn:
        words.append(f"{placement.turn * 360:g}°")
    if placement.offset != (0, 0):
        words.append("moved")
    if placement.drift != (0, 0):
        words.append("drifts")
    if placement.tiles != (1, 1):
        words.append(f"tile {placement.tile + 1} of {placement.tiles[0] * placement.tiles[1]}")
    elif not placement.is_whole:
        words.append("a part")
    if placement.wrap is not Wrap.REPEAT:
        words.append(placement.wrap.name.lower())
    if placement.filter is Filter.NEAREST:
        words.append("nearest")
    return ", ".join(words) or "as it is"


class PlacementField(QPushButton):
    """A button that says how a texture is laid and opens the editor. Emits `edited` with the placement's text."""

    edited = pyqtSignal(str)
    finished = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self._placement = Placement()
        self._editor: PlacementEditor | None = None
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        theme.restyle(self, "text-align: left; padding: 2px 8px;")
        self.clicked.connect(self.open_editor)
        self._show()

    def set_placement(self, text: str) -> None:
        """Show a placement; nothing is emitted."""
        try:
            self._placement = Placement.parse(text)
        except ValueProblem:
            self._placement = Placement()
        self._show()
        if self._editor is not None and is_open(self._editor):
            self._editor.set_placement(self._placement)

    def _show(self) -> None:
        words = placement_words(self._placement)
        self.setText(self.fontMetrics().elidedText(words, Qt.TextElideMode.ElideRight, 150))
        self.setToolTip(plain(f"How the texture is laid: {words}. Click to change"))

    def open_editor(self) -> None:
        """Show the editor by the button."""
        editor = self._editor = PlacementEditor(self)
        editor.set_placement(self._placement)
        editor.edited.connect(self._took)
        editor.finished.connect(self.finished)
        show_above(editor, self)

    def _took(self, placement: Placement) -> None:
        self._placement = placement
        self._show()
        self.edited.emit(str(placement))


class _Laid(QWidget):
    """Where the texture's edges come to lie on the surface's tile."""

    def __init__(self) -> None:
        super().__init__()
        self.setFixedSize(116, 116)
        self.placement = Placement()

    def sizeHint(self) -> QSize:
        return self.size()

    def paintEvent(self, _: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        area = QRectF(8, 8, 100, 100)
        painter.fillRect(area, QColor(theme.SURROUND))
        painter.setClipRect(area)
        p = self.placement
        (a, b), (c, d) = p.linear.tolist()
        size = abs(a * d - b * c)
        if size > 1e-6 and size < 900:
            # The surface's corners in the texture, and from there the lattice of repeats that meets them.
            corners = [(a * u + b * v + p.offset[0], c * u + d * v + p.offset[1]) for u in (0, 1) for v in (0, 1)]
            for i in range(int(min(x for x, _ in corners)) - 1, int(max(x for x, _ in corners)) + 2):
                for j in range(int(min(y for _, y in corners)) - 1, int(max(y for _, y in corners)) + 2):
                    inside = p.wrap is not Wrap.CLAMP or (i, j) == (0, 0)
                    self._cell(painter, area, (a, b, c, d), i, j, first=(i, j) == (0, 0), inside=inside)
        painter.setClipping(False)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(QColor("#5a5a5a"), 1))
        painter.drawRect(area)

    def _cell(
        self,
        painter: QPainter,
        area: QRectF,
        m: tuple[float, float, float, float],
        i: int,
        j: int,
        *,
        first: bool,
        inside: bool,
    ) -> None:
        a, b, c, d = m
        det = a * d - b * c

        def on_surface(x: float, y: float) -> QPointF:
            x, y = x - self.placement.offset[0], y - self.placement.offset[1]
            u, v = (d * x - b * y) / det, (a * y - c * x) / det
            return QPointF(area.left() + u * area.width(), area.top() + v * area.height())

        outline = QPolygonF([on_surface(i, j), on_surface(i + 1, j), on_surface(i + 1, j + 1), on_surface(i, j + 1)])
        mirrored = self.placement.wrap is Wrap.MIRROR and (i + j) % 2
        if inside:
            painter.setBrush(QColor("#e8e8e8" if first else "#b9b9b9" if mirrored else "#cfcfcf"))
            painter.setPen(QPen(QColor("#6f6f6f"), 1))
            painter.drawPolygon(outline)
            if first:
                # The corner where the texture begins.
                painter.setBrush(QColor(theme.ACCENT))
                painter.setPen(Qt.PenStyle.NoPen)
                painter.drawPolygon(QPolygonF([on_surface(0, 0), on_surface(0.28, 0), on_surface(0, 0.28)]))


class PlacementEditor(QFrame):
    """Scale, turn, offset, drift, tile, wrap and filter of a placement."""

    edited = pyqtSignal(object)
    finished = pyqtSignal()

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent, Qt.WindowType.Popup)
        self.setObjectName("card")
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self._placement = Placement()
        self._picture = _Laid()
        self._both = Switch()
        self._both.setAccessibleName("Scale alike")
        self._both.set_on(True)
        grid = QGridLayout()
        grid.setHorizontalSpacing(8)
        grid.setVerticalSpacing(4)
        self._sliders: dict[str, ValueSlider] = {}
        lines: list[tuple[str, str, float, float, str, Callable[[float], Placement]]] = [
            ("Scale u", "su", -16, 16, "", lambda v: self._scaled(v, None)),
            ("Scale v", "sv", -16, 16, "", lambda v: self._scaled(None, v)),
            ("Turn", "turn", -180, 180, "°", lambda v: replace(self._placement, turn=v / 360)),
            ("Offset u", "ou", -1, 1, "", lambda v: replace(self._placement, offset=(v, self._placement.offset[1]))),
            ("Offset v", "ov", -1, 1, "", lambda v: replace(self._placement, offset=(self._placement.offset[0], v))),
            ("Drift u per s", "du", -2, 2, "", lambda v: replace(self._placement, drift=(v, self._placement.drift[1]))),
            ("Drift v per s", "dv", -2, 2, "", lambda v: replace(self._placement, drift=(self._placement.drift[0], v))),
            ("Part, left", "p0", 0, 0.99, "", lambda v: self._parted(0, v)),
            ("Part, top", "p1", 0, 0.99, "", lambda v: self._parted(1, v)),
            ("Part, width", "p2", 0.01, 1, "", lambda v: self._parted(2, v)),
            ("Part, height", "p3", 0.01, 1, "", lambda v: self._parted(3, v)),
        ]
        for line, (words, key, low, high, unit, change) in enumerate(lines):
            slider = self._sliders[key] = ValueSlider(low, high, unit, decimals=1 if key == "turn" else 3)
            slider.setAccessibleName(words)
            slider.edited.connect(lambda value, f=change: self._changed(f(value)))
            slider.finished.connect(self.finished)
            slider.reset.connect(
                lambda k=key: self._sliders[k].edited.emit(1.0 if k[0] == "s" or k in ("p2", "p3") else 0.0)
            )
            grid.addWidget(label(words), line, 0)
            grid.addWidget(slider, line, 1)
        self._columns, self._rows, self._tile = (self._count(n) for n in ("Columns", "Rows", "Tile"))
        self._wrap, self._filter = self._words("Beyond the border", _WRAPS), self._words("Between texels", _FILTERS)
        self._wrap.activated.connect(
            lambda i: self._changed(replace(self._placement, wrap=self._wrap.itemData(i)), done=True)
        )
        self._filter.activated.connect(
            lambda i: self._changed(replace(self._placement, filter=self._filter.itemData(i)), done=True)
        )
        right = QVBoxLayout()
        right.setSpacing(6)
        right.addWidget(self._picture)
        right.addWidget(row(self._both, label("Scale alike"), None, spacing=6))
        right.addWidget(label("Grid of tiles", "note"))
        right.addWidget(row(self._columns, label("by", "note"), self._rows, None, spacing=4))
        right.addWidget(row(label("Tile"), self._tile, None, spacing=4))
        right.addWidget(self._wrap)
        right.addWidget(self._filter)
        right.addStretch(1)
        right.addWidget(
            button("As it is", lambda: self._changed(Placement(), done=True), "link", "Back to every texel where it is")
        )
        layout = QHBoxLayout(self)
        layout.setContentsMargins(12, 12, 12, 12)
        layout.setSpacing(16)
        left = QVBoxLayout()
        left.addLayout(grid)
        left.addStretch(1)
        layout.addLayout(left, 1)
        layout.addLayout(right)
        self.setFixedWidth(470)

    def _words(self, name: str, words: dict) -> QComboBox:
        return choice(name, [(text, value) for value, text in words.items()])

    def _count(self, name: str) -> QComboBox:
        rows = [] if name == "Tile" else [(str(count), count) for count in _COUNTS]
        return choice(name, rows, taken=lambda _: self._tiled())

    def _scaled(self, u: float | None, v: float | None) -> Placement:
        if self._both.is_on:
            value = u if u is not None else v
            assert value is not None
            return replace(self._placement, scale=(value, value))
        now = self._placement.scale
        return replace(self._placement, scale=(now[0] if u is None else u, now[1] if v is None else v))

    def _parted(self, which: int, value: float) -> Placement:
        """The placement with another free part of the texture; what would leave the texture is moved or cut back in."""
        part = [*self._placement.part]
        part[which] = value
        axis = which % 2
        if which < 2:
            part[axis + 2] = min(part[axis + 2], 1 - value)
        else:
            part[axis] = min(part[axis], 1 - value)
        return replace(self._placement, part=(part[0], part[1], part[2], part[3]))

    def _tiled(self) -> None:
        tiles = int(self._columns.currentData()), int(self._rows.currentData())
        tile = min(max(self._tile.currentIndex(), 0), tiles[0] * tiles[1] - 1)
        self._changed(replace(self._placement, tiles=tiles, tile=tile), done=True)

    def set_placement(self, placement: Placement) -> None:
        """Show a placement; nothing is emitted."""
        if not self.isVisible():
            self._both.set_on(placement.scale[0] == placement.scale[1])
        self._placement = self._picture.placement = placement
        values = {
            "su": placement.scale[0], "sv": placement.scale[1], "turn": placement.turn * 360, "ou": placement.offset[0],
            "ov": placement.offset[1], "du": placement.drift[0], "dv": placement.drift[1],
            **{f"p{k}": value for k, value in enumerate(placement.part)},
        }  # fmt: skip
        for key, value in values.items():
            self._sliders[key].set_value(value)
        for box, count in zip((self._columns, self._rows), placement.tiles, strict=True):
            if box.findData(count) < 0:
                box.addItem(str(count), count)
            box.setCurrentIndex(box.findData(count))
        total = placement.tiles[0] * placement.tiles[1]
        if self._tile.count() != total:
            self._tile.clear()
            self._tile.addItems([str(n + 1) for n in range(total)])
        self._tile.setCurrentIndex(placement.tile)
        self._tile.setEnabled(total > 1)
        for k in range(4):
            # A grid and a free part are two ways to say which part is read.
            self._sliders[f"p{k}"].setEnabled(total == 1)
        self._wrap.setCurrentIndex(self._wrap.findData(placement.wrap))
        self._filter.setCurrentIndex(self._filter.findData(placement.filter))
        self._picture.update()

    def _changed(self, placement: Placement, *, done: bool = False) -> None:
        # Through its text, so that what is shown is what is stored.
        placement = Placement.parse(str(placement))
        self.set_placement(placement)
        self.edited.emit(placement)
        if done:
            self.finished.emit()
