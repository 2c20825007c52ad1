"""Asset, mend: a poor texture made larger, smoother along what it shows, or without noise, beside the one it is made
of."""

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtWidgets import QCheckBox, QGridLayout, QHBoxLayout, QWidget

from evenpalette.app.facets import ASSET
from evenpalette.app.newest import Newest, Wish
from evenpalette.app.plain import plain
from evenpalette.app.session import Session
from evenpalette.app.widgets.basics import button, captions, choice, column, label, row
from evenpalette.app.widgets.before_after import BeforeAfter, image_of
from evenpalette.app.widgets.value_slider import ValueSlider
from evenpalette.app.widgets.when_shown import WhenShown
from evenpalette.core.document.project import Role, Texture
from evenpalette.core.edits.mending import add_mended, set_mending, why_not_mended
from evenpalette.core.raster.box import Box
from evenpalette.core.raster.busiest import busiest_place
from evenpalette.core.raster.mending.mend import mend
from evenpalette.core.raster.mending.settings import Mending
from evenpalette.core.raster.raster import CHANNEL_NAMES, Raster
from evenpalette.core.raster.texture_unit import rgba8

#: How large a texel is shown, in pixels.
_ZOOM = 3
_PAUSE_MS = 120


class MendPage(QWidget):
    """Left what is done, in the middle a part before and after, right what comes of it."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._middle, self._shown_source = (0.5, 0.5), ""
        left, right = self._settings(), self._result()
        self.picture = BeforeAfter("Before and after mending")
        self.picture.looked.connect(self._look)
        self.picture.resized.connect(self._ask)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(20)
        layout.addWidget(left)
        layout.addWidget(self.picture, 1)
        layout.addWidget(right)
        self._newest = Newest(session, "Mending a part", _PAUSE_MS, self._wish, self)
        for slider in (self.noise, self.noise_reach, self.flow, self.flow_reach):
            slider.edited.connect(lambda _: self._ask())
        self.enlarge.activated.connect(lambda _: self._ask())
        for box in (self.edges, *self._channels):
            box.clicked.connect(lambda _: self._ask())
        self._set(Mending(flow=1))
        self._shown = WhenShown(self, self.refresh)
        session.changed.connect(lambda facets: self._shown.ask() if ASSET in facets else None)
        self.refresh()

    def _settings(self) -> QWidget:
        """What is done."""
        self.texture = choice("Texture to mend", taken=lambda _: self._take_up())
        self.noise, self.noise_reach = ValueSlider(0, 4, decimals=2), ValueSlider(1, 16, decimals=0)
        self.flow, self.flow_reach = ValueSlider(0, 1, decimals=2), ValueSlider(1, 64, decimals=0)
        self.enlarge = choice(rows=(("the same size", 1), ("2 times as large", 2), ("4 times as large", 4)))
        self.edges = QCheckBox("along edges")
        self.edges.setToolTip(
            "Edges without stairs, and what area averaging shows to be missing put back; else plain Lanczos"
        )
        self._channels = [QCheckBox(name[0].upper()) for name in CHANNEL_NAMES]
        for box, name in zip(self._channels, CHANNEL_NAMES, strict=True):
            box.setAccessibleName(f"Mend {name}")
        grid = QGridLayout()
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setHorizontalSpacing(8)
        grid.setVerticalSpacing(1)
        lines = (
            ("Noise out", self.noise, "How strong what is taken out may be, in twice the noise that is measured"),
            ("within", self.noise_reach, "How far around a texel is looked, in texels"),
            (
                "Along flow",
                self.flow,
                "Smoothing along strands and grain, not across; nothing happens where there is no flow",
            ),
            ("as far as", self.flow_reach, "How far along the flow to either side, in texels"),
            ("Size", row(self.enlarge, self.edges, None, spacing=6), ""),
            ("Channels", row(*self._channels, None, spacing=4), "What is worked on"),
        )
        captions(grid, [(words, widget) for words, widget, _ in lines])
        for _, widget, tip in lines:
            widget.setToolTip(plain(tip))
        grid.setColumnStretch(1, 1)
        held = QWidget()
        held.setLayout(grid)
        made = column(row(label("Mend", "heading"), self.texture, spacing=8), held, None, spacing=4)
        made.setFixedWidth(290)
        return made

    def _result(self) -> QWidget:
        """What comes of it."""
        self.make = button(
            "Add the mended texture",
            self._make,
            "primary",
            "Beside the one it is made of; made anew when that one's file changes",
        )
        self._instead = QCheckBox("use it instead")
        self._instead.setChecked(True)
        self._instead.setToolTip("The tone and the recipe read it in place of the one it is made of")
        self._facts = label("", "note")
        self._facts.setWordWrap(True)
        self._facts.setAccessibleName("About mending")
        made = column(self._facts, None, self._instead, self.make, spacing=6)
        made.setFixedWidth(188)
        return made

    @property
    def mending(self) -> Mending:
        """What the controls say."""
        chosen = tuple(k for k, box in enumerate(self._channels) if box.isChecked())
        return Mending(
            noise=self.noise.value, noise_reach=round(self.noise_reach.value), flow=self.flow.value, flow_reach=round(self.flow_reach.value),
            enlarge=self.enlarge.currentData(), along_edges=self.edges.isChecked(), channels=() if len(chosen) in (0, 4) else chosen,
        )  # fmt: skip

    def _set(self, mending: Mending) -> None:
        self.noise.set_value(mending.noise)
        self.noise_reach.set_value(mending.noise_reach)
        self.flow.set_value(mending.flow)
        self.flow_reach.set_value(mending.flow_reach)
        self.enlarge.setCurrentIndex(self.enlarge.findData(mending.enlarge))
        self.edges.setChecked(mending.along_edges)
        for k, box in enumerate(self._channels):
            box.setChecked(k in mending.channels or not mending.channels)

    def _current(self) -> Texture | None:
        return self._session.state.project.asset.texture(str(self.texture.currentData() or ""))

    def _source(self) -> Texture | None:
        """The texture that is worked on: that of a mended one."""
        found = self._current()
        return (
            self._session.state.project.asset.texture(found.mended.source)
            if found is not None and found.mended
            else found
        )

    def refresh(self) -> None:
        """Offer the textures as they are now."""
        chosen = self.texture.currentData()
        self.texture.clear()
        for texture in self._session.state.project.asset.textures:
            if not why_not_mended(texture):
                self.texture.addItem(texture.name, texture.id)
        self.texture.setCurrentIndex(max(0, self.texture.findData(chosen)))
        self._take_up()

    def _take_up(self) -> None:
        """Show what is done to the chosen texture, where it is a mended one."""
        texture = self._current()
        if texture is not None and texture.mended is not None:
            self._set(texture.mended.mending)
        source = self._source()
        if source is not None and source.id != self._shown_source and source.id in self._session.state.textures:
            self._shown_source = source.id
            self._middle = busiest_place(self._session.state.textures[source.id])
        mended = texture is not None and texture.mended is not None
        self.make.setText("Mend it so" if mended else "Add the mended texture")
        self._instead.setVisible(not mended)
        self._ask()

    def _look(self, dx: float, dy: float) -> None:
        source = self._source()
        if source is not None and source.id in self._session.state.textures:
            raster = self._session.state.textures[source.id]
            u = self._middle[0] + dx * self.picture.width() / _ZOOM / raster.width
            v = self._middle[1] + dy * self.picture.height() / _ZOOM / raster.height
            self._middle = min(max(u, 0.0), 1.0), min(max(v, 0.0), 1.0)
            self._ask()

    def _ask(self) -> None:
        source, mending = self._source(), self.mending
        raster = self._session.state.textures.get(source.id) if source is not None else None
        self.make.setEnabled(raster is not None and not mending.does_nothing)
        if raster is None:
            self._facts.setText("Bring in a texture first." if source is None else "What it was made of is gone.")
            return
        for k, box in enumerate(self._channels):
            box.setEnabled(k < raster.channels or (k == 3 and raster.channels == 2))
        width, height = raster.width * mending.enlarge, raster.height * mending.enlarge
        words = mending.words()
        self._facts.setText(f"{words[0].upper()}{words[1:]}. {width} x {height} texels.")
        self._newest.ask()

    def _wish(self) -> Wish | None:
        """A part of the texture, with enough around it, mended."""
        source = self._source()
        if source is None or not self.isVisible() or source.id not in self._session.state.textures:
            return None
        raster, mending = self._session.state.textures[source.id], self.mending
        size = max(8, round(self.picture.width() / _ZOOM)), max(8, round(self.picture.height() / _ZOOM))
        part, inside = _part(raster, self._middle, size, mending.flow_reach + mending.noise_reach + 8)
        is_normal = source.role is Role.NORMAL

        def work() -> tuple[NDArray[np.uint8], NDArray[np.uint8]]:
            return _codes(part, inside, 1), _codes(mend(part, mending, is_normal=is_normal), inside, mending.enlarge)

        def done(found: tuple[NDArray[np.uint8], NDArray[np.uint8]]) -> None:
            self.picture.show_pictures(image_of(found[0]), image_of(found[1]))

        return work, done

    def _make(self) -> None:
        texture, mending, instead = self._current(), self.mending, self._instead.isChecked()
        if texture is None:
            return
        if texture.mended is not None:
            self._session.run(f"Mend {texture.name}", lambda s, progress: set_mending(s, texture.id, mending, progress))
            return

        def then() -> None:
            self.texture.setCurrentIndex(self.texture.count() - 1)
            self._take_up()

        self._session.run(
            f"Mend {texture.name}",
            lambda s, progress: add_mended(s, texture.id, mending, take_over=instead, progress=progress), then,
        )  # fmt: skip


def _part(raster: Raster, middle: tuple[float, float], size: tuple[int, int], around: int) -> tuple[Raster, Box]:
    """A part of a texture with so many texels around it, and where the part lies within."""
    width, height = min(size[0], raster.width), min(size[1], raster.height)
    left = int(np.clip(middle[0] * raster.width - width / 2, 0, raster.width - width))
    top = int(np.clip(middle[1] * raster.height - height / 2, 0, raster.height - height))
    x0, y0 = max(0, left - around), max(0, top - around)
    x1, y1 = min(raster.width, left + width + around), min(raster.height, top + height + around)
    part = Raster(np.ascontiguousarray(raster.pixels[y0:y1, x0:x1]), raster.encoding)
    return part, (left - x0, top - y0, left - x0 + width, top - y0 + height)


def _codes(part: Raster, inside: Box, factor: int) -> NDArray[np.uint8]:
    left, top, right, bottom = (side * factor for side in inside)
    return rgba8(Raster(part.pixels[top:bottom, left:right], part.encoding))[..., :3]
