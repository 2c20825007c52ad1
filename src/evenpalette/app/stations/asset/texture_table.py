"""The textures of a sheet, a line each: what it holds, how it is read, what is done with it."""

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QCursor, QImage, QPixmap
from PyQt6.QtWidgets import QComboBox, QFileDialog, QHeaderView, QLabel, QMenu, QTableWidget, QTableWidgetItem, QWidget

from evenpalette.app import file_filters, theme
from evenpalette.app.plain import entry, plain
from evenpalette.app.session import Session
from evenpalette.app.stations.asset.bring_in import exchange, read_again
from evenpalette.app.widgets.basics import button, choice, column, label, row, tool
from evenpalette.core.delivery.layouts.read import beginnings
from evenpalette.core.delivery.layouts.shelf import kept_layouts
from evenpalette.core.document.layout_model import LayoutFile
from evenpalette.core.document.project import Role, Texture
from evenpalette.core.edits import asset as edit
from evenpalette.core.edits.layouts import layout_of, take_apart
from evenpalette.core.raster.formats.png import encode_png
from evenpalette.core.raster.raster import CHANNEL_NAMES, Encoding, Raster
from evenpalette.core.recipe.attributes import ATTRIBUTES

ENCODING_WORDS = {Encoding.SRGB: "sRGB color", Encoding.LINEAR: "linear color", Encoding.DATA: "data"}
_THUMB = 34
#: What a channel of packed data can hold.
_CHANNEL_KEYS = ("", "occlusion", "roughness", "metallic", "coat", "coat_roughness", "opacity", "height", "mask")
_CHANNEL_WORDS = {"": "-", "occlusion": "occl.", "roughness": "rough.", "metallic": "metal"}


def thumbnail(raster: Raster, size: int) -> QPixmap:
    """A small picture of a texture as it is stored."""
    small = raster.sampled(size * 4).thumbnail(size * 2)
    image = QImage.fromData(encode_png(small), "PNG")
    return QPixmap.fromImage(image).scaled(
        size, size, Qt.AspectRatioMode.KeepAspectRatio, Qt.TransformationMode.SmoothTransformation
    )


class _Line:
    """What a line shows."""

    def __init__(self, texture: Texture, raster: Raster) -> None:
        self.texture, self.raster = texture, raster
        self.has_file = bool(texture.source_path) and Path(texture.source_path).is_file()

    def __eq__(self, other: object) -> bool:
        return (
            isinstance(other, _Line)
            and (self.texture, self.has_file) == (other.texture, other.has_file)
            and self.raster.pixels is other.raster.pixels
        )

    __hash__ = None  # type: ignore[assignment]


class TextureTable(QTableWidget):
    """The list. find_sources: looks for source files that are not where they were."""

    def __init__(self, session: Session, find_sources: Callable[[], None]) -> None:
        super().__init__(0, 6)
        self._session, self._find_sources = session, find_sources
        #: What each line was made of.
        self._lines: list[_Line] = []
        self.setAccessibleName("Textures")
        self.setHorizontalHeaderLabels(["", "Texture", "Holds", "Read as", "Texels", ""])
        vertical, horizontal = self.verticalHeader(), self.horizontalHeader()
        assert vertical is not None
        assert horizontal is not None
        vertical.hide()
        vertical.setDefaultSectionSize(38)
        horizontal.setSectionResizeMode(1, QHeaderView.ResizeMode.Stretch)
        horizontal.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
        for section, width in ((0, 44), (2, 142), (3, 126), (4, 150), (5, 122)):
            self.setColumnWidth(section, width)
        self.setShowGrid(False)
        self.setSelectionMode(QTableWidget.SelectionMode.NoSelection)
        self.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)

    def show_textures(self) -> None:
        """Show those of the sheet that is worked on as they are now; lines that show it already stay."""
        state = self._session.state
        lines = [_Line(texture, state.textures[texture.id]) for texture in state.project.asset.textures]
        self.setRowCount(len(lines))
        for place, line in enumerate(lines):
            if place >= len(self._lines) or self._lines[place] != line:
                self._show(place, line)
        self._lines = lines

    def _show(self, place: int, line: "_Line") -> None:
        texture, raster = line.texture, line.raster
        in_hand = next((cell for cell in (2, 3) if (old := self.cellWidget(place, cell)) and old.hasFocus()), None)
        picture = QLabel()
        picture.setPixmap(thumbnail(raster, _THUMB))
        picture.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.setCellWidget(place, 0, picture)
        self.setCellWidget(place, 1, self._name_cell(line))
        depth = {"u1": "8 bit", "u2": "16 bit", "f4": "float"}[raster.pixels.dtype.str[1:]]
        channels = {1: "gray", 2: "gray, alpha", 3: "RGB", 4: "RGBA"}[raster.channels]
        self.setItem(place, 4, QTableWidgetItem(f"{raster.width} x {raster.height}  {channels} {depth}"))
        self.setCellWidget(place, 2, self._role_box(texture.id, texture.role))
        packed = texture.role is Role.PACKED
        read_as = self._channels_button(texture) if packed else self._encoding_box(texture.id, texture.encoding)
        self.setCellWidget(place, 3, read_as)
        self.setCellWidget(place, 5, self._row_tools(line))
        if in_hand is not None and (now := self.cellWidget(place, in_hand)) is not None:
            now.setFocus()

    def _name_cell(self, line: "_Line") -> QWidget:
        texture = line.texture
        name = label(self.fontMetrics().elidedText(texture.name, Qt.TextElideMode.ElideMiddle, 152))
        name.setToolTip(plain(texture.source_path or texture.name))
        note: QWidget
        if texture.source_path and not line.has_file:
            note = button(
                "file not found, find it ...",
                self._find_sources,
                "link",
                f"{texture.source_path} is not there. The project keeps its pixels",
            )
            theme.restyle(note, f"padding: 0; font-size: {theme.NOTE}px; color: {theme.WARN};")
        else:
            words = label(f"guessed: {texture.guessed}", "note")
            words.setVisible(bool(texture.guessed))
            words.setText(words.fontMetrics().elidedText(words.text(), Qt.TextElideMode.ElideRight, 152))
            words.setToolTip(plain(f"Guessed: {texture.guessed}. Choose under Holds to say what it holds"))
            note = words
        return column(name, note, spacing=0, margins=(4, 2, 4, 2))

    def _channels_button(self, texture: Texture) -> QWidget:
        words = ", ".join(_CHANNEL_WORDS.get(c, c) for c in texture.channels) or "nothing"
        made = button(
            words, lambda: self._ask_channels(texture), "link", f"What each channel holds: {words}. Click to change"
        )
        made.setAccessibleName(f"Channels of {texture.name}")
        theme.restyle(made, "text-align: left; padding: 0 4px;")
        return made

    def _ask_channels(self, texture: Texture) -> None:
        menu = QMenu(self)
        count = min(4, self._session.state.textures[texture.id].channels)
        now = (*texture.channels, "", "", "", "")[:4]
        for channel in range(count):
            sub = menu.addMenu(CHANNEL_NAMES[channel].capitalize())
            assert sub is not None
            for key in _CHANNEL_KEYS:
                chosen = tuple(key if n == channel else now[n] for n in range(count))
                action = sub.addAction(
                    ATTRIBUTES[key].label if key in ATTRIBUTES else key or "nothing of use",
                    lambda c=chosen: self._session.apply("Channels", lambda s: edit.set_channels(s, texture.id, c)),
                )
                assert action is not None
                action.setCheckable(True)
                action.setChecked(now[channel] == key)
        menu.exec(QCursor.pos())

    def _row_tools(self, line: "_Line") -> QWidget:
        texture = line.texture
        path = Path(texture.source_path) if texture.source_path else None
        again = tool(
            "rotate-ccw",
            f"Read {texture.name} again from {path}" if path else "It was not brought in from a file",
            lambda: read_again(self._session, [path] if path else []),
        )
        again.setEnabled(line.has_file)
        other = tool(
            "folder-open",
            f"Exchange {texture.name} for another file; what uses it keeps using it",
            lambda: self._exchange(texture),
        )
        apart = tool(
            "columns-2",
            f"Take {texture.name} apart: a texture for each of its channels",
            lambda: self._ask_layout(texture),
        )
        apart.setEnabled(line.raster.channels > 1)
        gone = tool("trash-2", f"Take {texture.name} out", lambda: self._remove(texture))
        return row(again, other, apart, gone, spacing=2)

    def _ask_layout(self, texture: Texture) -> None:
        """By which line of which layout its channels are told apart."""
        menu, own = QMenu(self), layout_of(self._session.state)
        kept, _ = kept_layouts()
        for layout in (*([own] if own is not None else ()), *kept, *beginnings()):
            below = menu.addMenu(entry(layout.name))
            assert below is not None
            for file in layout.files:
                words = "; ".join(f"{c.to.upper()} {c.words}" for c in file.channels)
                action = below.addAction(entry(words))
                assert action is not None
                action.triggered.connect(lambda _=False, file=file: self.take_apart(texture, file))
        menu.exec(QCursor.pos())

    def take_apart(self, texture: Texture, file: LayoutFile) -> None:
        """Have a texture for each channel that a line of a layout says something of."""
        self._session.run(f"Take {texture.name} apart", lambda s, _: take_apart(s, texture.id, file))

    def _role_box(self, texture_id: str, role: Role) -> QComboBox:
        box = choice("Holds", [(one.value, one) for one in Role])
        box.setCurrentIndex(list(Role).index(role))
        box.activated.connect(
            lambda i: self._session.apply(
                f"Holds {box.itemText(i)}", lambda s: edit.set_role(s, texture_id, box.itemData(i))
            )
        )
        return box

    def _encoding_box(self, texture_id: str, encoding: Encoding) -> QComboBox:
        box = choice("Read as", [(ENCODING_WORDS[one], one) for one in Encoding])
        box.setCurrentIndex(list(Encoding).index(encoding))
        box.setToolTip("Color is decoded to linear light; data is used as stored, without gamma")
        box.activated.connect(
            lambda i: self._session.apply(
                f"Read as {box.itemText(i)}", lambda s: edit.set_encoding(s, texture_id, box.itemData(i))
            )
        )
        return box

    def _exchange(self, texture: Texture) -> None:
        path, _ = QFileDialog.getOpenFileName(
            self, f"Exchange {texture.name} for", texture.source_path, file_filters.IMAGES
        )
        if path:
            exchange(self._session, texture.id, Path(path))

    def _remove(self, texture: Texture) -> None:
        self._session.apply(f"Take out {texture.name}", lambda s: edit.remove_texture(s, texture.id))
