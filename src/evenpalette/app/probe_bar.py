"""The probe: everything known about the texel under the pointer, in one line."""

from collections.abc import Callable, Sequence
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QProgressBar, QVBoxLayout, QWidget

from evenpalette.app import theme
from evenpalette.app.newest import Newest, Wish
from evenpalette.app.plain import plain
from evenpalette.app.session import Session
from evenpalette.app.timers import timer
from evenpalette.app.widgets.basics import label, tool
from evenpalette.app.widgets.popup import show_above
from evenpalette.core.color.hexcode import linear_to_hex
from evenpalette.core.dataclass import dataclass
from evenpalette.core.document.state import State
from evenpalette.core.recipe.attributes import ATTRIBUTES, BASE_COLOR
from evenpalette.core.recipe.binding import BoundStep
from evenpalette.core.recipe.evaluate import trace, weight_at

_SAY_MS = 7000
#: Between the parts of the line.
_GAP = "    "


def _attribute_text(key: str, values: NDArray[np.float32]) -> str:
    """An attribute of the texel in a few letters."""
    name = ATTRIBUTES[key].label.lower()
    return f"{name} {' '.join(f'{value:.2f}' for value in values)}"


@dataclass(frozen=True)
class Part:
    """One thing that is known of a texel. chain: its pieces follow from each other, so the first may go where there is
    no room. stays: it is said whatever room there is."""

    pieces: tuple[str, ...]
    chain: bool = False
    stays: bool = False
    cut: bool = False

    @property
    def text(self) -> str:
        """In a part of a line."""
        return ("... > " if self.cut else "") + (" > " if self.chain else "  ").join(self.pieces)


def _line(parts: Sequence[Part]) -> str:
    return _GAP.join(part.text for part in parts)


def shortened(parts: Sequence[Part], fits: Callable[[str], bool]) -> str:
    """All of it as one line, or what has room: steps go first, the ends stay."""
    left = list(parts)
    while len(left) > 4 and not fits(_line(left)):
        at = next((i for i, part in enumerate(left) if part.chain and len(part.pieces) > 1), None)
        if at is not None:
            left[at] = replace(left[at], pieces=left[at].pieces[1:], cut=True)
        else:
            left.pop(next((i for i, part in enumerate(left) if not part.stays), 1))
    return _line(left)


def _known_of(state: State, steps: Sequence[BoundStep], uv: tuple[float, float]) -> tuple[Part, ...]:
    """What is known of the texel at (u, v) of a document with textures, after the steps of a variant."""
    u, v = uv
    width, height = state.sources.size
    place = f"{min(width - 1, int(u * width))}, {min(height - 1, int(v * height))}"
    parts = [Part((place,), stays=True), Part((f"uv {u:.3f}, {v:.3f}",))]
    texel = state.sources.at_point(u, v)
    regions = state.project.regions.regions
    covered = [(n, r.name, texel.coverages[n - 1][0, 0]) for n, r in enumerate(regions, 1)]
    shares = tuple(f"{n} {name} {value / 255:.2f}" for n, name, value in covered if value)
    parts.append(Part(shares or ("no region",)))
    if state.tone is not None and state.base is state.tone:
        parts.append(Part((f"tone {texel.base.channel(0)[0, 0]:.3f}",)))
    made = state.attributes
    found = trace(steps, texel, 0, 0, made)
    colors = [attributes[BASE_COLOR] for attributes in found]
    chain = []
    decided, largest = None, 0.0
    for step, before, after in zip(steps, colors, colors[1:], strict=False):
        change = float(np.abs(after - before).max())
        if change > 1e-4:
            chain.append(f"{step.name} {linear_to_hex(after)}")
            if change >= largest:
                decided, largest = step, change
    final = colors[-1]
    if chain:
        parts.append(Part(tuple(chain), chain=True))
    said = f"final {linear_to_hex(final)}", f"linear {final[0]:.3f} {final[1]:.3f} {final[2]:.3f}"
    parts.append(Part(said, stays=True))
    if decided is not None:
        weight = weight_at(decided, texel, 0, 0)
        parts.append(Part((f"decided by {decided.name}, weight {weight:.2f}",), stays=True))
    others = tuple(_attribute_text(key, found[-1][key]) for key in made if key != BASE_COLOR)
    if others:
        parts.append(Part(others, stays=True))
    return tuple(parts)


class ProbeCard(QFrame):
    """What the line says of a texel, whole: a line for each part, and for each step what it made."""

    def __init__(self, parts: Sequence[Part], parent: QWidget) -> None:
        super().__init__(parent, Qt.WindowType.Popup)
        self.setObjectName("card")
        self.setAccessibleName("All of the texel")
        layout = QVBoxLayout(self)
        layout.setContentsMargins(14, 10, 14, 10)
        layout.setSpacing(3)
        for line in (piece for part in parts for piece in part.pieces):
            made = label(line)
            made.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
            layout.addWidget(made)


class ProbeBar(QWidget):
    """Shows the probe; messages and the progress of long work take its place while they last."""

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._session = session
        self.setObjectName("chrome")
        self.setFixedHeight(26)
        self._uv: tuple[float, float] | None = None
        self._parts: tuple[Part, ...] = ()
        self._line = label("", "note")
        theme.restyle(self._line, f"color: {theme.INK};")
        self._bar = QProgressBar()
        self._bar.setRange(0, 1000)
        self._bar.setFixedWidth(180)
        self._bar.setTextVisible(False)
        self._stop = tool("x", "Stop (Esc)", session.tasks.cancel)
        self._stop.setFixedSize(20, 20)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(12, 2, 12, 2)
        self._read_last: tuple[Part, ...] = ()
        self._steps: tuple[State, list[BoundStep]] | None = None
        self._all = tool("chevron-up", "All that is known of the texel (I)", self.show_all)
        self._all.setFixedSize(20, 20)
        self._all.hide()
        layout.addWidget(self._line, 1)
        layout.addWidget(self._all)
        layout.addWidget(self._bar)
        layout.addWidget(self._stop)
        self._bar.hide()
        self._stop.hide()
        self._newest = Newest(session, "Reading the texel", 0, self._wish, self, aside=True)
        self._said = timer(self, _SAY_MS)
        self._said.timeout.connect(self._end_said)
        session.said.connect(self.say)
        session.tasks.started.connect(self._start_task)
        session.tasks.progressed.connect(lambda share: self._bar.setValue(round(share * 1000)))
        session.tasks.ended.connect(self._end_task)
        session.changed.connect(lambda _: self.refresh())

    @property
    def text(self) -> str:
        """The whole line, unshortened."""
        return _line(self._parts)

    def say(self, text: str, bad: bool) -> None:
        """Show a message for a while."""
        theme.restyle(self._line, f"color: {'#9a1f1f' if bad else theme.ACCENT};")
        self._show((Part((text,)),))
        self._said.start()

    def _end_said(self) -> None:
        theme.restyle(self._line, f"color: {theme.INK};")
        self.refresh()

    def _start_task(self, text: str) -> None:
        self.say(text + " ...", False)
        self._bar.setValue(0)
        self._bar.show()
        self._stop.show()

    def _end_task(self) -> None:
        self._bar.hide()
        self._stop.hide()
        self._said.stop()
        self._end_said()

    def show_all(self) -> None:
        """Everything about the texel that was read last, a line each."""
        if not self._read_last:
            self._session.said.emit("Point at the model or the texture first.", False)
            return
        self._card = ProbeCard(self._read_last, self)
        show_above(self._card, self)

    def set_texel(self, uv: tuple[float, float] | None) -> None:
        """Read this texel from now on."""
        self._uv = uv
        if uv is not None and not self._session.tasks.is_busy:
            self._said.stop()
            theme.restyle(self._line, f"color: {theme.INK};")
        self.refresh()

    def refresh(self) -> None:
        """Read the texel anew."""
        if self._uv is not None:
            self._newest.ask()
        elif not self._said.isActive():
            self._show(())

    def _wish(self) -> Wish | None:
        """What is known of the texel, found beside the window: the first one asks for all that evaluates recipes."""
        state, uv = self._session.state, self._uv
        if uv is None:
            return None

        def read() -> tuple[Part, ...]:
            if not state.project.asset.textures:
                return ()
            if self._steps is None or self._steps[0] is not state:
                # A pointer asks of the same document again and again.
                self._steps = state, state.bound_steps(state.project.active_variant)
            return _known_of(state, self._steps[1], uv)

        return read, self._take

    def _take(self, parts: tuple[Part, ...]) -> None:
        if self._uv is None or self._said.isActive():
            return
        self._read_last = parts or self._read_last
        self._all.setVisible(bool(self._read_last))
        self._show(parts)

    def _show(self, parts: tuple[Part, ...]) -> None:
        self._parts = parts
        self._line.setToolTip(plain(self.text))
        space = max(60, self._line.width())
        metrics = self._line.fontMetrics()
        text = shortened(parts, lambda line: metrics.horizontalAdvance(line) <= space)
        self._line.setText(metrics.elidedText(text, Qt.TextElideMode.ElideRight, space))

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._show(self._parts)
