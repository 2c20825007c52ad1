"""Delivery, the layout: a file's channels beside each other as pictures of what they hold, with where it comes from."""

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QSize, Qt
from PyQt6.QtGui import QIcon, QImage, QPixmap
from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QMenu, QToolButton, QVBoxLayout, QWidget

from evenpalette.app.plain import plain
from evenpalette.app.session import Session
from evenpalette.app.tasks import Task
from evenpalette.app.widgets.basics import button, label, row, tool
from evenpalette.core.delivery.layouts.planes import Surface, channel_values
from evenpalette.core.document.layout_model import Layout, LayoutChannel, LayoutFile
from evenpalette.core.document.state import State
from evenpalette.core.edits.layouts import layout_of, with_file, with_layout
from evenpalette.core.errors import EvenPaletteError
from evenpalette.core.recipe.attributes import ATTRIBUTES, Holds

_SIDE = 96
_LETTERS = {"r": "Red", "g": "Green", "b": "Blue", "a": "Alpha"}
Pictures = list[NDArray[np.uint8] | str]


def in_words(channel: LayoutChannel) -> str:
    """Where a channel comes from, as one says it."""
    kind, _, rest = channel.source.partition(":")
    key = rest.partition("@")[0]
    words = {
        "attribute": key.replace("_", " "), "region": rest.replace("+", " and "), "id": f"flags of {rest}", "tone": "the tone", "mask": f"mask of {rest}",
        "constant": f"{rest} everywhere",
    }.get(kind, rest)  # fmt: skip
    after = rest.partition("@")[2]
    said = f"{words} after {after}" if after else words
    return said + (", turned" if channel.invert else "")


class LayoutPage(QWidget):
    """One file of the layout at a time. A click on a picture, or Space, asks what is to lie there."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.files = QComboBox()
        self.files.setAccessibleName("File of the layout")
        self.files.setToolTip("The files of the layout, by the templates of their names")
        self.files.activated.connect(lambda _: self.refresh())
        self._facts = label("", "note")
        self._add = button("Add a file", self.add_file)
        self._remove = tool("trash-2", "Take this file out of the layout", self.remove_file)
        self._holder = QHBoxLayout()
        self._holder.setSpacing(8)
        self.pictures: list[QToolButton] = []
        self._asked: object = None
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(4)
        layout.addWidget(row(self.files, self._remove, self._add, None, spacing=6))
        layout.addWidget(self._facts)
        layout.addLayout(self._holder)
        layout.addStretch(1)

    @property
    def file(self) -> LayoutFile | None:
        """The file that is looked at."""
        layout = layout_of(self._session.state)
        at = self.files.currentIndex()
        return layout.files[at] if layout is not None and 0 <= at < len(layout.files) else None

    def refresh(self) -> None:
        """Show the layout as it is now."""
        layout = layout_of(self._session.state)
        at = max(0, self.files.currentIndex())
        self.files.clear()
        self.files.addItems([file.name for file in layout.files] if layout is not None else [])
        self.files.setVisible(layout is not None)
        self._remove.setVisible(layout is not None)
        if layout is not None:
            self.files.setCurrentIndex(min(at, len(layout.files) - 1))
        while (held := self._holder.takeAt(0)) is not None:
            if (widget := held.widget()) is not None:
                widget.deleteLater()
        self.pictures = []
        file = self.file
        if file is None:
            self._facts.setText("No layout yet: add a file, or choose one to begin with at Layout ...")
            return
        size = "as the sources" if file.size is None else str(file.size)
        packed = "" if file.compression == "none" else f", {file.compression.upper()}"
        self._facts.setText(
            f"{file.format.upper()}, {file.bits} bits{packed}, {size}, per {file.per}{', mip levels' if file.mips else ''}"
        )
        for channel in file.channels:
            self.pictures.append(self._picture(channel))
        if file.channel_count < 4:
            more = self._picture(None)
            more.setText(f"{_LETTERS['rgba'[file.channel_count]]}:\nnothing")
            self.pictures.append(more)
        for picture in self.pictures:
            self._holder.addWidget(picture)
        self._holder.addStretch(1)
        self._draw(file)

    def _picture(self, channel: LayoutChannel | None) -> QToolButton:
        made = QToolButton()
        made.setIconSize(QSize(_SIDE, _SIDE))
        made.setFixedWidth(_SIDE + 22)
        made.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextUnderIcon)
        if channel is not None:
            letters = " ".join(_LETTERS[letter] for letter in channel.to) if len(channel.to) < 3 else "Color"
            made.setText(f"{letters}:\n{in_words(channel)}")
            made.setToolTip(plain(channel.source))
        made.setAccessibleName(" ".join(made.text().split()) or "A free channel")
        made.clicked.connect(lambda _=False, made=made, channel=channel: self._ask(made, channel))
        return made

    def _draw(self, file: LayoutFile) -> None:
        """Make the pictures beside the window; what comes too late is dropped."""
        state, token = self._session.state, object()
        self._asked = token

        def make(_: object) -> Pictures:
            variant = state.project.active_variant
            surface = Surface(state, variant, (_SIDE, _SIDE))
            words = state.project.regions.regions
            filled = file.channels
            if words:
                first = state.project.regions.divisions[0].name
                filled = tuple(
                    c.model_copy(
                        update={"source": c.source.replace("{region}", words[0].name).replace("{division}", first)}
                    )
                    for c in filled
                )
            made: Pictures = []
            for channel in filled:
                try:
                    values = channel_values(surface, file, channel)
                    made.append(np.rint(np.clip(values, 0, 1) * 255).astype(np.uint8))
                except EvenPaletteError as error:
                    made.append(str(error))
            return made

        def done(made: Pictures) -> None:
            if self._asked is token:
                self._show(made)

        self._session.tasks.start(Task("Looking at the layout", make, done, self._session.failed, exclusive=False))

    def _show(self, made: Pictures) -> None:
        for picture, pixels in zip(self.pictures, made, strict=False):
            if isinstance(pixels, str):
                picture.setToolTip(plain(pixels))
                continue
            rgb = np.repeat(pixels, 3, 2) if pixels.shape[2] == 1 else pixels[..., :3]
            if rgb.shape[2] == 2:
                rgb = np.concatenate([rgb, np.full_like(rgb[..., :1], 255)], 2)
            whole = np.ascontiguousarray(rgb)
            image = QImage(
                whole.tobytes(), whole.shape[1], whole.shape[0], whole.shape[1] * 3, QImage.Format.Format_RGB888
            ).copy()
            picture.setIcon(QIcon(QPixmap.fromImage(image)))

    # --- changes ---------------------------------------------------------------------------------------------------

    def _ask(self, picture: QToolButton, channel: LayoutChannel | None) -> None:
        """What may lie in a channel, by what this project has."""
        state, menu = self._session.state, QMenu(self)

        def offer(where: QMenu, words: str, source: str) -> None:
            action = where.addAction(words)
            assert action is not None
            action.triggered.connect(lambda _=False: self.put(channel, source))

        for words, sources in self._offers(state).items():
            below = menu.addMenu(words)
            assert below is not None
            for name, source in sources:
                offer(below, name, source)
        if channel is not None:
            menu.addSeparator()
            turned = menu.addAction("As it is" if channel.invert else "Turned around")
            assert turned is not None
            turned.triggered.connect(
                lambda _=False: self._change(channel, lambda c: c.model_copy(update={"invert": not c.invert}))
            )
            if self.file is not None and len(self.file.channels) > 1:
                gone = menu.addAction("Nothing")
                assert gone is not None
                gone.triggered.connect(lambda _=False: self._change(channel, lambda _: None))
        menu.exec(picture.mapToGlobal(picture.rect().bottomLeft()))

    @staticmethod
    def _offers(state: State) -> dict[str, list[tuple[str, str]]]:
        found = {"Surface": [(ATTRIBUTES[key].label, f"attribute:{key}") for key in state.attributes]}
        found["Regions"] = [(region.name, f"region:{region.name}") for region in state.project.regions.regions]
        found["Masks of steps"] = [(step.name, f"mask:{step.name}") for step in state.project.recipe.steps]
        found["Textures"] = [(f"{t.name}, red", f"texture:{t.name}.r") for t in state.project.asset.textures]
        found["Numbers"] = [("0 everywhere", "constant:0"), ("1 everywhere", "constant:1")]
        return {words: sources for words, sources in found.items() if sources}

    def put(self, channel: LayoutChannel | None, source: str) -> None:
        """Have a source in a channel, or in the next free one."""
        file = self.file
        if file is None:
            return
        kind, _, key = source.partition(":")
        is_wide = kind == "attribute" and ATTRIBUTES[key].holds is not Holds.DATA
        if channel is not None:
            if is_wide and len(channel.to) == 1:
                source += ".r"
            self._change(channel, lambda c: c.model_copy(update={"source": source}))
            return
        free = "rgba"[file.channel_count]
        made = LayoutChannel(to=free, source=f"{source}.r" if is_wide else source)
        self._apply(lambda f: f.model_copy(update={"channels": (*f.channels, made)}))

    def _change(self, channel: LayoutChannel, change: Callable[[LayoutChannel], LayoutChannel | None]) -> None:
        def changed(file: LayoutFile) -> LayoutFile:
            found = [change(c) if c == channel else c for c in file.channels]
            return file.model_copy(update={"channels": tuple(c for c in found if c is not None)})

        self._apply(changed)

    def _apply(self, change: Callable[[LayoutFile], LayoutFile]) -> None:
        file = self.file
        if file is not None:
            self._session.apply("Layout", lambda s: with_file(s, file.name, change))
            self.refresh()

    def add_file(self) -> None:
        """Another file, which begins with the color."""

        def more(state: State) -> State:
            layout = layout_of(state) or Layout(name=state.project.name[:80], files=(_new_file(0),))
            if layout_of(state) is not None:
                layout = layout.model_copy(update={"files": (*layout.files, _new_file(len(layout.files)))})
            return with_layout(state, layout)

        self._session.apply("Add a file to the layout", more)
        self.refresh()
        self.files.setCurrentIndex(self.files.count() - 1)
        self.refresh()

    def remove_file(self) -> None:
        """The file that is looked at goes; with the last one the layout does."""
        file = self.file
        if file is None:
            return

        def fewer(state: State) -> State:
            layout = layout_of(state)
            left = tuple(f for f in layout.files if f.name != file.name) if layout is not None else ()
            return with_layout(
                state, layout.model_copy(update={"files": left}) if layout is not None and left else None
            )

        self._session.apply("Take a file out of the layout", fewer)
        self.refresh()


def _new_file(number: int) -> LayoutFile:
    name = "{project}_{variant}" + (f"_{number + 1}" if number else "")
    return LayoutFile(name=name, channels=(LayoutChannel(to="rgb", source="attribute:base_color"),))
