"""Delivery, the kit's textures: each with the planes that share it as pictures, which are put together by hand."""

from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtGui import QDrag, QMouseEvent, QResizeEvent
from PyQt6.QtWidgets import QApplication, QHBoxLayout, QMenu, QVBoxLayout, QWidget

from evenpalette.app.facets import ACTIVE, NAME, VALUES
from evenpalette.app.newest import Newest, Wish
from evenpalette.app.plain import entry, plain
from evenpalette.app.session import Session
from evenpalette.app.stations.delivery.taking_picture import TakingPicture
from evenpalette.app.widgets.basics import button, column, counted, label, scrolled
from evenpalette.app.widgets.source_drag import packed
from evenpalette.app.widgets.when_shown import WhenShown
from evenpalette.core.dataclass import dataclass
from evenpalette.core.delivery.blocks import InBlocks, in_blocks
from evenpalette.core.delivery.kit import build_shader
from evenpalette.core.delivery.kit_textures import kit_textures
from evenpalette.core.document.kit_text import packing_of, plane_pixels
from evenpalette.core.document.state import State
from evenpalette.core.edits.kit_packing import (
    KitPlanes,
    KitShare,
    is_by_hand,
    kit_shares,
    packed_by_itself,
    plane_moved,
)
from evenpalette.core.raster.raster import quantize
from evenpalette.core.raster.reading import unit_values

_SIDE, _PAUSE_MS = 44, 60
#: Blocks of a texture that are looked at.
_BLOCKS = 2048
_BETWEEN, _SCROLL_BAR = 14, 12


class KitPage(QWidget):
    """A frame for each texture. A picture that is dropped on another lies in its texture; where that is full the two
    change places."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.pictures: list[PlanePicture] = []
        self._all = 0
        self.said = label("", "note")
        self.said.setAccessibleName("What the kit's textures take")
        self.by_itself = button(
            "As few as can be", self._pack, "link", "Forget what was put together by hand, and pack the planes again"
        )
        held = QWidget()
        self._holder = QVBoxLayout(held)
        self._holder.setContentsMargins(0, 0, 0, 0)
        self._holder.setSpacing(6)
        self._frames: list[QWidget] = []
        top = QHBoxLayout()
        top.addWidget(self.said, 1)
        top.addWidget(self.by_itself)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(4)
        layout.addLayout(top)
        area = scrolled(held)
        area.setAccessibleName("Textures of the kit")
        layout.addWidget(area, 1)
        self._shares: list[KitShare] = []
        self._looked = Newest(session, "Looking at the kit", _PAUSE_MS, self._look, self)
        self._measured = Newest(session, "Measuring blocks", _PAUSE_MS, self._measure, self)
        self._shown = WhenShown(self, self._looked.ask)
        session.changed.connect(lambda facets: self._shown.ask() if facets - {ACTIVE, VALUES, NAME} else None)
        self._shown.ask()

    def _look(self) -> Wish | None:
        """What lies together now, looked up beside the window."""
        state = self._session.state
        return ((lambda: KitLook.of(state)), self._show) if self.isVisible() else None

    def _show(self, look: "KitLook") -> None:
        self.by_itself.setVisible(is_by_hand(self._session.state))
        self._shares = look.shares
        had = next((p.held.word for p in self.pictures if p.hasFocus()), "")
        for frame in self._frames:
            frame.deleteLater()
        self.pictures, self._frames = [], []
        for number, share in enumerate(look.shares, 1):
            row = QWidget()
            beside = QHBoxLayout(row)
            beside.setContentsMargins(0, 0, 0, 0)
            beside.setSpacing(2)
            for held in share.held:
                picture = PlanePicture(held, share)
                picture.show_pixels(look.small[held.word])
                picture.dropped.connect(lambda word, picture=picture: self.put(word, picture.held.word))
                picture.emptied.connect(lambda picture=picture: self.put(picture.held.word, ""))
                picture.clicked.connect(lambda _=False, picture=picture: self._ask(picture))
                beside.addWidget(picture)
                self.pictures.append(picture)
            beside.addStretch(1)
            words = f"{number}: {share.kind}" + (f", {share.free} free" if 0 < share.free < 4 else "")
            self._frames.append(column(label(words, "note"), row, spacing=2))
        self._lay_out()
        again = next((p for p in self.pictures if p.held.word == had), None)
        if again is not None:
            again.setFocus()
        self._all = look.count
        self._say([])
        self._measured.ask()

    def _lay_out(self) -> None:
        """The frames beside each other, in as many rows as the width asks for."""
        while (old := self._holder.takeAt(0)) is not None:
            if (gone := old.layout()) is not None:
                while gone.takeAt(0) is not None:
                    pass
                gone.deleteLater()
        left, line = 0, QHBoxLayout()
        for frame in self._frames:
            wide = frame.sizeHint().width() + _BETWEEN
            if left < wide:
                line = QHBoxLayout()
                line.setSpacing(_BETWEEN)
                line.addStretch(1)
                self._holder.addLayout(line)
                left = self.width() - _SCROLL_BAR
            left -= wide
            line.insertWidget(line.count() - 1, frame)
        self._holder.addStretch(1)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._lay_out()

    def _say(self, lost: list[InBlocks]) -> None:
        text = f"{counted(self._all, 'texture')}, of which {len(self._shares)} have planes that can be moved"
        if lost:
            text += f". BC7 changes {lost[0].holds} most: {lost[0].mean:.1f} codes; BC4 alone {lost[0].alone:.1f}"
        self.said.setText(text)
        self.said.setToolTip(plain(text))
        for picture in self.pictures:
            found = [one for one in lost if one.holds.lower() == picture.held.name.lower()]
            picture.tell(found[0] if found else None)

    def _measure(self) -> Wish | None:
        """What blocks leave of the planes, measured beside the window."""
        state = self._session.state
        if not self.isVisible() or not state.project.recipe.steps:
            return None

        def done(found: list[InBlocks]) -> None:
            if self._session.state is state:
                self._say(found)

        return (lambda: _lost(state)), done

    def put(self, word: str, beside: str) -> None:
        """Have a plane in the texture of another one; '' in one of its own."""
        self._session.apply("Planes of the kit", lambda s: plane_moved(s, word, beside))

    def _pack(self) -> None:
        self._session.apply("Pack the kit by itself", packed_by_itself)

    def _ask(self, picture: "PlanePicture") -> None:
        """The same by keyboard: every texture that it could lie in."""
        menu = QMenu(self)
        for number, share in enumerate(self._shares, 1):
            if share is picture.share or share.kind != picture.share.kind:
                continue
            if share.free >= len(picture.held.planes):
                action = menu.addAction(entry(f"Into texture {number}"))
                assert action is not None
                action.triggered.connect(lambda _=False, share=share: self.put(picture.held.word, share.held[0].word))
                continue
            place = menu.addMenu(entry(f"Into texture {number}, in place of"))
            assert place is not None
            for one in share.held:
                action = place.addAction(entry(one.name))
                assert action is not None
                action.triggered.connect(lambda _=False, one=one: self.put(picture.held.word, one.word))
        if len(picture.share.held) > 1:
            menu.addAction("Into one of its own", lambda: self.put(picture.held.word, ""))
        menu.exec(picture.mapToGlobal(picture.rect().bottomLeft()))


@dataclass(frozen=True, eq=False)
class KitLook:
    """What a kit's textures hold: those whose planes can be moved, how many there are in all, and by the plane's word
    small pictures of its channels."""

    shares: list[KitShare]
    count: int
    small: dict[str, list[NDArray[np.uint8]]]

    @classmethod
    def of(cls, state: State) -> "KitLook":
        """Look at the state's sheet of a document."""
        shares, packing = kit_shares(state), packing_of(state)
        small = {
            one.word: [_few(plane_pixels(state, packing, plane)) for plane in one.planes]
            for share in shares
            for one in share.held
        }
        return cls(shares, len(build_shader(state).samplers), small)


class PlanePicture(TakingPicture):
    """Planes that stay together. It is dragged onto others; a click says where else it could lie, Del moves it into a
    texture of its own."""

    def __init__(self, held: KitPlanes, share: KitShare) -> None:
        super().__init__(_SIDE)
        self.held, self.share = held, share
        self._pressed: QPoint | None = None
        if held.planes[0].texture:
            # Names of textures begin alike and end with what they hold.
            words = self.fitted(Path(held.name.partition(": ")[0]).stem, Qt.TextElideMode.ElideLeft)
        else:
            words = self.fitted(held.name)
        self.setText(entry(words))
        self.tell(None)

    def tell(self, lost: InBlocks | None) -> None:
        """Say what it holds, and what blocks would leave of it."""
        words = f"{self.held.name}, in {self.held.channel}"
        if lost is not None:
            words += f"; BC7 changes it by {lost.mean:.1f} codes here, at most {lost.worst}"
        self.setAccessibleName(words)
        self.setToolTip(plain(f"{words}. Drag it onto another, or click"))

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        self._pressed = event.pos() if event.button() is Qt.MouseButton.LeftButton else None
        super().mousePressEvent(event)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        far = QApplication.startDragDistance()
        if self._pressed is None or (event.pos() - self._pressed).manhattanLength() < far:
            return
        self._pressed = None
        self.setDown(False)
        drag = QDrag(self)
        drag.setMimeData(packed(self.held.word))
        drag.setPixmap(self.icon().pixmap(_SIDE, _SIDE))
        drag.exec(Qt.DropAction.CopyAction)


def _few(pixels: NDArray) -> NDArray[np.uint8]:
    """A plane as 8-bit codes, with no more texels than a small picture needs."""
    step = max(1, min(pixels.shape) // (2 * _SIDE))
    return np.ascontiguousarray(quantize(unit_values(np.ascontiguousarray(pixels[::step, ::step])), np.dtype(np.uint8)))


def _lost(state: State) -> list[InBlocks]:
    return in_blocks(kit_textures(state, build_shader(state)), _BLOCKS)
