"""Delivery, the layout: a file is packed where it is seen. A strip of the files, and of the chosen one its channels
beside each other as pictures of what they hold; Flat shows it as it will be written."""

from collections.abc import Callable, Sequence

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QHideEvent, QShowEvent
from PyQt6.QtWidgets import (
    QHBoxLayout,
    QInputDialog,
    QListWidgetItem,
    QVBoxLayout,
    QWidget,
)

from evenpalette.app.facets import NAME
from evenpalette.app.newest import Newest, Wish
from evenpalette.app.plain import plain
from evenpalette.app.session import Session
from evenpalette.app.stations.delivery.channel_menu import Change, channel_menu
from evenpalette.app.stations.delivery.channel_picture import ChannelPicture
from evenpalette.app.stations.delivery.file_strip import ICON, FileStrip
from evenpalette.app.stations.delivery.file_words import FileWords
from evenpalette.app.stations.delivery.source_list import SourceList
from evenpalette.app.views import TwinViews
from evenpalette.app.views.headers import TEXTURE
from evenpalette.app.widgets.basics import button, clear, column, counted, label, tool
from evenpalette.app.widgets.before_after import BeforeAfter, crop_of, image_of
from evenpalette.app.widgets.when_shown import WhenShown
from evenpalette.core.delivery.layouts.look import FileLook, as_color, look_at
from evenpalette.core.delivery.layouts.planes import Surface
from evenpalette.core.delivery.layouts.write import file_pixels, planned_files
from evenpalette.core.document.layout_model import Layout, LayoutChannel, LayoutFile
from evenpalette.core.document.state import State
from evenpalette.core.edits.layouts import layout_of, with_file, with_layout, with_settings, with_source
from evenpalette.core.errors import EvenPaletteError
from evenpalette.core.raster.busiest import busiest_place
from evenpalette.gpu.look import Show

_PAUSE_MS = 60
#: What Flat is handed the file as.
_EXTRA = "layout"
Icons = list[NDArray[np.uint8] | None]


class LayoutPage(QWidget):
    """One file of the layout at a time."""

    def __init__(self, session: Session, views: TwinViews) -> None:
        super().__init__()
        self._session, self._views = session, views
        self.look: FileLook | None = None
        self._leads = False
        self.files = FileStrip()
        self.files.chosen.connect(self._chosen)
        self.files.renamed.connect(self._renamed)
        self.files.removed.connect(self.remove_file)
        self._add = button("Add a file", self.add_file)
        self._remove = tool("trash-2", "Take this file out of the layout", self.remove_file)
        self._empty = label("No layout yet: add a file, or choose one to begin with at Layout ...", "note")
        self._empty.setWordWrap(True)
        self.words = FileWords()
        self.words.chosen.connect(lambda parts: self.set_file(**parts))
        self.facts = label("", "note")
        self.facts.setWordWrap(True)
        self.facts.setAccessibleName("Size of the file")
        self.sources = SourceList()
        self.sources.itemActivated.connect(self._activated)
        self._holder = QHBoxLayout()
        self._holder.setSpacing(4)
        self.pictures: list[ChannelPicture] = []
        self._letter = "r"
        self.wipe = BeforeAfter("The file before its blocks and as it is written")
        self.wipe.looked.connect(self._move)
        self.wipe.resized.connect(self._place)
        self._middle = 0.5, 0.5
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(2)
        top = QHBoxLayout()
        top.setSpacing(6)
        top.addWidget(self.files, 1000)
        for part in (self._remove, self._add):
            top.addWidget(part)
        top.addStretch(1)
        layout.addLayout(top)
        layout.addWidget(self._empty)
        layout.addWidget(self.words)
        below = QHBoxLayout()
        below.setSpacing(8)
        below.addWidget(self.sources)
        channels = QVBoxLayout()
        channels.addLayout(self._holder)
        channels.addStretch(1)
        below.addLayout(channels)
        self.wipe.setMinimumSize(120, 60)
        below.addWidget(column(self.wipe, self.facts, None, spacing=4), 1)
        layout.addLayout(below, 1)
        self._newest = Newest(session, "Looking at the layout", _PAUSE_MS, self._wish, self)
        self._shown = WhenShown(self, self.refresh)
        session.changed.connect(lambda facets: self._shown.ask() if facets - {NAME} else None)
        self.sources.show_of(self._session.state)
        self.refresh()

    @property
    def file(self) -> LayoutFile | None:
        """The file that is looked at."""
        layout, at = layout_of(self._session.state), self.files.currentRow()
        return layout.files[at] if layout is not None and 0 <= at < len(layout.files) else None

    def refresh(self) -> None:
        """Show the layout as it is now."""
        layout = layout_of(self._session.state)
        names = [file.name for file in layout.files] if layout is not None else []
        self.files.show_names(names)
        for part in (self.files, self._remove, self.words, self.sources, self.facts):
            part.setVisible(bool(names))
        self._empty.setVisible(not names)
        self.sources.show_of(self._session.state)
        self._show_file()

    def _show_file(self) -> None:
        """The chosen file: its settings as a sentence, its channels as pictures that come in between."""
        file = self.file
        had = next((k for k, p in enumerate(self.pictures) if p.hasFocus()), None)
        old = {(p.letters, p.channel): p.icon() for p in self.pictures}
        clear(self._holder)
        self.pictures = []
        if file is None:
            self.wipe.hide()
            return
        self.words.show_file(file)
        shown: list[tuple[str, LayoutChannel | None]] = [(c.to, c) for c in file.channels]
        layers = list(file.by_layer())
        filled = {letter for letters, _ in shown for letter in letters}
        shown += [(letter, None) for letter in "rgba" if letter not in filled and layers == [""]]
        shown.sort(key=lambda one: (layers.index(one[1].layer) if one[1] is not None else 0, "rgba".index(one[0][0])))
        for letters, channel in shown:
            made = ChannelPicture(letters, channel)
            if (letters, channel) in old:
                made.setIcon(old[letters, channel])
            made.clicked.connect(lambda _=False, made=made: self._ask(made))
            made.dropped.connect(lambda source, made=made: self.put(made.letters[0], source, made.layer))
            made.emptied.connect(lambda made=made: self._empty_channel(made.channel))
            self.pictures.append(made)
            self._holder.addWidget(made)
        if had is not None:
            self.pictures[min(had, len(self.pictures) - 1)].setFocus()
        self.wipe.setVisible(file.compression not in ("none", "bc6h"))
        self._newest.ask()

    # --- looking ---------------------------------------------------------------------------------------------------

    def _chosen(self) -> None:
        self._leads = self.isVisible()
        self._show_file()

    def showEvent(self, event: QShowEvent | None) -> None:
        super().showEvent(event)
        self._leads = True
        self._newest.ask()

    def hideEvent(self, event: QHideEvent | None) -> None:
        super().hideEvent(event)
        if self.look is not None:
            self.look = None
            self._views.show_extras({})
            self._views.shown.show_flat(Show.RECIPE)

    def _wish(self) -> Wish | None:
        """The chosen file as it will be written, and small ones of all."""
        state, file, layout = self._session.state, self.file, layout_of(self._session.state)
        if file is None or layout is None or not self.isVisible():
            return None
        variant, longest = state.project.active_variant, state.project.delivery.size
        count = self._count(state, layout, file)

        def make() -> tuple[FileLook | str, Icons]:
            icons: Icons = []
            small = Surface(state, variant, (ICON * 2, ICON * 2))
            for one in layout.files:
                try:
                    pixels = file_pixels(small, one)[..., :3]
                    icons.append(np.rint(np.clip(pixels, 0, 1) * 255).astype(np.uint8))
                except EvenPaletteError:
                    icons.append(None)
            try:
                return look_at(state, file, variant, longest), icons
            except EvenPaletteError as error:
                return str(error), icons

        def done(found: tuple[FileLook | str, Icons]) -> None:
            if self.file == file and self.isVisible():
                self._show(file, count, *found)

        return make, done

    @staticmethod
    def _count(state: State, layout: Layout, file: LayoutFile) -> int:
        """How many files a line makes."""
        try:
            return len(
                planned_files(state, layout.model_copy(update={"files": (file,)}), state.project.delivery.variants)
            )
        except EvenPaletteError:
            return 0

    def _show(self, file: LayoutFile, count: int, found: FileLook | str, icons: Icons) -> None:
        self.files.show_pictures([as_color(pixels) if pixels is not None else None for pixels in icons])
        if isinstance(found, str):
            self.facts.setText(found)
            self.facts.setToolTip(plain(found))
            return
        self.look = found
        for picture in self.pictures:
            if picture.channel is not None:
                picture.show_pixels([found.channels[picture.layer, letter] for letter in picture.letters])
        about = "" if found.exact else "about "
        text = f"{about}{_mega(found.disk)} on disk, {_mega(found.memory)} in memory"
        tip = f"{file.name}: {found.size[0]} x {found.size[1]}, {text}; {counted(count, 'file')}"
        if found.worst:
            text += f"; {file.compression.upper()}: up to {counted(max(found.worst), 'code')} off"
            tip += f". {file.compression.upper()} changes {_lost(found)}"
        else:
            text = f"{found.size[0]} x {found.size[1]}, {text}; {counted(count, 'file')}"
        self.facts.setText(text)
        self.facts.setToolTip(plain(tip))
        self._views.show_extras({_EXTRA: ("File as written", found.written)})
        if self._leads:
            self._leads = False
            self._views.shown.show_flat(TEXTURE + _EXTRA)
        self._middle = busiest_place(found.plain)
        self._place()

    def _place(self) -> None:
        """The wipe at twice the size, around what is looked at."""
        if self.look is None or not self.wipe.isVisible():
            return
        size = max(1, self.wipe.width() // 2), max(1, self.wipe.height() // 2)
        both = [image_of(crop_of(raster.pixels, self._middle, size)) for raster in (self.look.plain, self.look.written)]
        self.wipe.show_pictures(both[0], both[1], ("before", "as written"))

    def _move(self, x: float, y: float) -> None:
        if self.look is not None:
            width, height = self.look.plain.size
            self._middle = (
                min(1.0, max(0.0, self._middle[0] + x * self.wipe.width() / 2 / width)),
                min(1.0, max(0.0, self._middle[1] + y * self.wipe.height() / 2 / height)),
            )
            self._place()

    # --- changes ---------------------------------------------------------------------------------------------------

    def _ask(self, picture: ChannelPicture) -> None:
        """What else may be done with a channel."""
        channel, letter, layer = picture.channel, picture.letters[0], picture.layer
        self._letter = letter
        menu = channel_menu(
            channel, self.sources.entries(), is_alone=self.file is None or len(self.file.channels) < 2,
            fill=lambda source: self.put(letter, source, layer), change=lambda change: self._change(channel, change),
            stretch=lambda: self._ask_range(channel), parent=self,
        )  # fmt: skip
        menu.exec(picture.mapToGlobal(picture.rect().bottomLeft()))

    def _ask_range(self, channel: LayoutChannel | None) -> None:
        if channel is None:
            return
        now = channel.range or (0.0, 1.0)
        text, is_taken = QInputDialog.getText(
            self, "Stretched", "The numbers that become 0 and 1, with a space between; 0 1 is as it is:", text=f"{now[0]:g} {now[1]:g}"
        )  # fmt: skip
        if is_taken:
            self.stretch(channel, text)

    def stretch(self, channel: LayoutChannel, text: str) -> None:
        """Have a part of the values of a channel become all of them: two numbers as text."""
        try:
            low, high = (float(part) for part in text.replace(",", " ").split())
        except ValueError:
            self._session.said.emit(f"'{text[:40]}' are not two numbers, as '0.25 0.75'.", True)
            return
        asked = None if (low, high) == (0.0, 1.0) else (low, high)
        self._change(channel, lambda c: [c.model_copy(update={"range": asked})])

    def _activated(self, item: QListWidgetItem) -> None:
        """Return on a source: into the channel that was chosen last, or the next free one."""
        source = item.data(Qt.ItemDataRole.UserRole)
        free = next((p.letters[0] for p in self.pictures if p.channel is None), self._letter)
        if source:
            self.put(free, source)

    def put(self, letter: str, source: str, layer: str = "") -> None:
        """Have a source in a channel, by one of its letters, of a layer."""
        self._letter = letter
        if source.startswith("texture:"):
            name = source.partition(":")[2]
            texture = next((t for t in self._session.state.project.asset.textures if t.name == name), None)
            raster = self._session.state.textures.get(texture.id) if texture is not None else None
            file = self.file
            held = (
                next((c for c in file.channels if letter in c.to and c.layer == layer), None)
                if file is not None
                else None
            )
            if raster is not None and raster.channels > 1 and (held is None or len(held.to) == 1):
                source += "." + (letter if "rgba".index(letter) < raster.channels else "r")
        self._apply("Channel of a file", lambda file: with_source(file, letter, source, layer))

    def _empty_channel(self, channel: LayoutChannel | None) -> None:
        if channel is not None and self.file is not None and len(self.file.channels) > 1:
            self._change(channel, lambda _: [])

    def _change(self, channel: LayoutChannel | None, change: Change) -> None:
        def changed(file: LayoutFile) -> LayoutFile:
            made = [one for c in file.channels for one in (change(c) if c == channel else [c])]
            return with_settings(file, channels=[c.model_dump(by_alias=True) for c in made])

        self._apply("Channel of a file", changed)

    def set_file(self, **parts: object) -> None:
        """Have the file written in another way."""
        self._apply("How a file is written", lambda file: with_settings(file, **parts))

    def _apply(self, words: str, change: Callable[[LayoutFile], LayoutFile]) -> None:
        file = self.file
        if file is not None:
            self._session.apply(words, lambda s: with_file(s, file.name, change))

    def _renamed(self, at: int, text: str) -> None:
        layout = layout_of(self._session.state)
        if layout is None or not 0 <= at < len(layout.files) or text == layout.files[at].name:
            return
        name = layout.files[at].name
        self._session.apply("Rename a file", lambda s: with_file(s, name, lambda f: with_settings(f, name=text)))
        self.refresh()

    def add_file(self) -> None:
        """Another file, which begins with the color."""

        def more(state: State) -> State:
            layout = layout_of(state) or Layout(name=state.project.name[:80], files=(_new_file(()),))
            if layout_of(state) is not None:
                layout = layout.model_copy(update={"files": (*layout.files, _new_file(layout.files))})
            return with_layout(state, layout)

        self._session.apply("Add a file to the layout", more)
        self.refresh()
        self.files.setCurrentRow(self.files.count() - 1)

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


def _new_file(others: Sequence[LayoutFile]) -> LayoutFile:
    names = {file.name for file in others}
    name, number = "{project}_{variant}", 1
    while name in names:
        number += 1
        name = f"{{project}}_{{variant}}_{number}"
    return LayoutFile(name=name, channels=(LayoutChannel(to="rgb", source="attribute:base_color"),))


def _mega(count: int) -> str:
    return f"{count / 1e6:.2f} MB"


def _lost(look: FileLook) -> str:
    """What blocks leave of each channel, in words."""
    letters = ("red", "green", "blue", "alpha")
    each = [
        f"{letters[k]} by {mean:.1f}, at most {worst}"
        for k, (mean, worst) in enumerate(zip(look.mean, look.worst, strict=True))
    ]
    return "; ".join(each) + " codes"
