"""Asset: the mesh and the textures, and what each texture holds."""

from pathlib import Path

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QCursor, QImage, QPixmap
from PyQt6.QtWidgets import (
    QComboBox,
    QFileDialog,
    QHBoxLayout,
    QHeaderView,
    QLabel,
    QMenu,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from evenpalette.app import file_filters, theme
from evenpalette.app.bakes import BakeKeeper
from evenpalette.app.facets import ASSET
from evenpalette.app.plain import entry, plain
from evenpalette.app.session import Session
from evenpalette.app.station import Station
from evenpalette.app.stations.asset.bakes_page import BakesPage
from evenpalette.app.stations.asset.bring_in import bring_in, exchange, read_again
from evenpalette.app.stations.asset.mend_page import MendPage
from evenpalette.app.stations.asset.parts_dialog import PartsDialog
from evenpalette.app.verbs import Verb
from evenpalette.app.widgets.basics import button, column, counted, label, row, tool
from evenpalette.app.widgets.pages import Pages
from evenpalette.app.widgets.when_shown import WhenShown
from evenpalette.core.baking.kinds import BAKES
from evenpalette.core.delivery.layouts.read import beginnings
from evenpalette.core.delivery.layouts.shelf import kept_layouts
from evenpalette.core.document.layout_model import LayoutFile
from evenpalette.core.document.project import Role, Texture
from evenpalette.core.document.state import State
from evenpalette.core.edits import asset as edit
from evenpalette.core.edits.layouts import layout_of, take_apart
from evenpalette.core.edits.made_textures import MADE, add_made
from evenpalette.core.errors import EvenPaletteError
from evenpalette.core.mesh.tiles import FIRST, WRAP, tiles_of
from evenpalette.core.mesh.upright import AXES
from evenpalette.core.mesh.view import MeshView
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


def _facts(view: MeshView) -> str:
    """What is known of a mesh; shells and islands once they are counted."""
    mesh = view.mesh
    lines = [f"{mesh.face_count:,} triangles,  {len(mesh.positions):,} vertices"]
    if view.is_ready:
        used = (view.faces_under_texels >= 0).mean()
        lines.append(
            f"{view.topology.shell_count:,} shells,  {view.topology.island_count:,} UV islands,  {used:.0%} of the tile used"
        )
    else:
        lines.append("counting shells and islands ...")
    colors = "yes" if mesh.colors is not None else "no"
    lines.append(f"{counted(len(mesh.group_names), 'material group')},  vertex colors: {colors}")
    return "\n".join(lines)


class AssetBench(QWidget):
    """The bench of the station Asset."""

    def __init__(self, session: Session, bakes: BakeKeeper) -> None:
        super().__init__()
        self._session = session
        self._thumbs: dict[int, tuple[Raster, QPixmap]] = {}
        self._mesh_name = label("", "")
        self._mesh_facts = label("", "note")
        self.tile = QComboBox()
        self.tile.setToolTip("The layout leaves the first UV tile: work on one tile, or wrap all of them into one")
        self.tile.activated.connect(lambda i: self._choose_tile(str(self.tile.itemData(i))))
        self._tile_row = row(label("UV tile", "note"), self.tile, None, spacing=6)
        self.uv_set = QComboBox()
        self.uv_set.setAccessibleName("UV set")
        self.uv_set.setToolTip("The file has several layouts: the one that its textures are made for")
        self.uv_set.activated.connect(lambda i: self._choose_uv_set(self.uv_set.itemData(i)))
        self._uv_row = row(label("UV set", "note"), self.uv_set, spacing=6)
        self.up = QComboBox()
        self.up.setAccessibleName("Upright axis")
        self.up.setToolTip(
            "The axis of the file that points up: directions, gradients and what is computed of the mesh follow it"
        )
        for axis in AXES:
            self.up.addItem(f"{axis.upper()} is up", axis)
        self.up.activated.connect(lambda i: self._choose_up(str(self.up.itemData(i))))
        self._up_row = row(self.up)
        self._parts = button("Parts ...", self._ask_parts, "link", "Which material groups are on which sheet")
        self.sheet = QComboBox()
        self.sheet.setAccessibleName("Sheet")
        self.sheet.setToolTip("Parts with textures of their own: the window works on one at a time")
        self.sheet.activated.connect(lambda i: self._choose_sheet(str(self.sheet.itemData(i))))
        self._sheet_name = label("Sheet", "note")
        self._sheet_row = row(self._sheet_name, self.sheet, self._parts, None, spacing=6)
        bring = button(
            "Bring in a mesh ...",
            self._ask_mesh,
            icon="box",
            tip="OBJ, PLY, GLB or glTF; a new mesh takes the old one's place",
        )
        # Beside each other, as all of them hold at 800 pixels of height.
        self._axes_row = row(self._up_row, self._uv_row, None, spacing=8)
        left = column(
            row(label("Mesh", "heading"), None, bring), self._mesh_name, self._mesh_facts, self._axes_row, self._sheet_row, self._tile_row, None, spacing=3,
        )  # fmt: skip
        left.setFixedWidth(264)
        self.table = QTableWidget(0, 6)
        self.table.setAccessibleName("Textures")
        self.table.setHorizontalHeaderLabels(["", "Texture", "Holds", "Read as", "Texels", ""])
        vertical, horizontal = self.table.verticalHeader(), self.table.horizontalHeader()
        assert vertical is not None
        assert horizontal is not None
        vertical.hide()
        vertical.setDefaultSectionSize(38)
        horizontal.setSectionResizeMode(1, QHeaderView.ResizeMode.Stretch)
        horizontal.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
        for section, width in ((0, 44), (2, 142), (3, 126), (4, 150), (5, 122)):
            self.table.setColumnWidth(section, width)
        self.table.setShowGrid(False)
        self.table.setSelectionMode(QTableWidget.SelectionMode.NoSelection)
        self.table.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        self._empty = label(
            "None yet: the painted color, an ID map or a mask, normals, dirt.",
            "note",
        )
        add = button(
            "Bring in textures ...",
            self._ask_textures,
            "primary",
            icon="image",
            tip="PNG, JPEG, TIFF, OpenEXR, BMP, TGA, WebP",
        )
        make = button(
            "Make a texture ...", self._offer_made, tip="Noise for a drift, gradients along the model, occlusion"
        )
        right = column(row(label("Textures", "heading"), 8, self._empty, None, make, add), self.table)
        files = QWidget()
        inner = QHBoxLayout(files)
        inner.setContentsMargins(0, 0, 0, 0)
        inner.setSpacing(20)
        inner.addWidget(left)
        inner.addWidget(right, 1)
        self.bakes = BakesPage(session, bakes)
        self.pages = Pages({"Files": files, "Mend": MendPage(session), "Bakes": self.bakes})
        layout = QVBoxLayout(self)
        layout.setContentsMargins(16, 6, 16, 8)
        layout.setSpacing(4)
        layout.addWidget(row(self.pages.switch, None))
        layout.addWidget(self.pages, 1)
        self._shown = WhenShown(self, self.refresh)
        session.changed.connect(lambda facets: self._shown.ask() if ASSET in facets else None)
        # What is counted on a worker after a project was opened.
        session.findings_changed.connect(self._count)
        self.refresh()

    def _count(self) -> None:
        if self._session.state.mesh is not None:
            self._mesh_facts.setText(_facts(self._session.state.mesh))

    def refresh(self) -> None:
        """Show the asset as it is now."""
        state = self._session.state
        if state.mesh is None:
            self._mesh_name.setText("No mesh yet")
            self._mesh_facts.setText("Bring in a mesh with UVs, or drop it\nonto the window.")
        else:
            self._mesh_name.setText(state.mesh.mesh.name)
            self._mesh_facts.setText(_facts(state.mesh))
        self._show_sheets()
        self._show_uv_sets()
        self._show_tiles()
        self._show_up()
        textures = state.project.asset.textures
        self._empty.setVisible(not textures)
        self.table.setRowCount(len(textures))
        for line, texture in enumerate(textures):
            raster = state.textures[texture.id]
            picture = QLabel()
            picture.setPixmap(self._thumb(raster))
            picture.setAlignment(Qt.AlignmentFlag.AlignCenter)
            self.table.setCellWidget(line, 0, picture)
            self.table.setCellWidget(line, 1, self._name_cell(texture))
            depth = {"u1": "8 bit", "u2": "16 bit", "f4": "float"}[raster.pixels.dtype.str[1:]]
            channels = {1: "gray", 2: "gray, alpha", 3: "RGB", 4: "RGBA"}[raster.channels]
            self.table.setItem(line, 4, QTableWidgetItem(f"{raster.width} x {raster.height}  {channels} {depth}"))
            self.table.setCellWidget(line, 2, self._role_box(texture.id, texture.role))
            packed = texture.role is Role.PACKED
            read_as = self._channels_button(texture) if packed else self._encoding_box(texture.id, texture.encoding)
            self.table.setCellWidget(line, 3, read_as)
            self.table.setCellWidget(line, 5, self._row_tools(texture))

    def _name_cell(self, texture: Texture) -> QWidget:
        name = label(self.fontMetrics().elidedText(texture.name, Qt.TextElideMode.ElideMiddle, 152))
        name.setToolTip(plain(texture.source_path or texture.name))
        lost = bool(texture.source_path) and not Path(texture.source_path).is_file()
        note: QWidget
        if lost:
            note = button(
                "file not found, find it ...",
                self.find_sources,
                "link",
                f"{texture.source_path} is not there. The project keeps its pixels",
            )
            note.setStyleSheet(f"padding: 0; font-size: {theme.NOTE}px; color: {theme.WARN};")
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
        made.setStyleSheet("text-align: left; padding: 0 4px;")
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

    def _show_sheets(self) -> None:
        project = self._session.state.project
        view = self._session.state.mesh
        several = len(project.sheets) > 1
        self._sheet_row.setVisible(several or (view is not None and len(view.mesh.group_names) > 1))
        self._sheet_name.setVisible(several)
        self.sheet.setVisible(several)
        self.sheet.clear()
        for number, sheet in enumerate(project.sheets, 1):
            self.sheet.addItem(f"{number}  {sheet.name}", sheet.id)
        self.sheet.setCurrentIndex(max(0, self.sheet.findData(project.sheet.id)))

    def _choose_sheet(self, sheet_id: str) -> None:
        self._session.work_on(sheet_id)

    def _ask_parts(self) -> None:
        dialog = PartsDialog(self._session.state, self)
        if dialog.exec() and dialog.moves:
            moves = dialog.moves

            def move(state: State) -> State:
                for groups, sheet in moves:
                    state = edit.move_groups(state, groups, sheet)
                return state

            self._session.run("Move parts between sheets", lambda s, _: move(s))

    def _show_uv_sets(self) -> None:
        view, info = self._session.state.mesh, self._session.state.project.mesh
        count = view.mesh.uv_sets if view is not None else 1
        self._uv_row.setVisible(count > 1)
        self.uv_set.clear()
        self.uv_set.addItem("by material", None)
        for number in range(count):
            self.uv_set.addItem(f"set {number + 1}", number)
        self.uv_set.setCurrentIndex(0 if info is None or info.uv_set is None else info.uv_set + 1)

    def _choose_uv_set(self, number: int | None) -> None:
        words = "UV set of the materials" if number is None else f"UV set {number + 1}"
        self._session.run(words, lambda s, _: edit.set_uv_set(s, number))

    def find_sources(self) -> None:
        """Ask for the folder where source files that cannot be found lie now."""
        missing = edit.missing_sources(self._session.state)
        if not missing:
            self._session.said.emit("All source files of this project are where they were.", False)
            return
        folder = QFileDialog.getExistingDirectory(
            self,
            f"Folder with {Path(missing[0]).name} and {len(missing) - 1} more"
            if missing[1:]
            else f"Folder with {Path(missing[0]).name}",
        )
        if not folder:
            return

        def look(state: State) -> State:
            found = edit.find_sources(missing, Path(folder))
            if not found:
                raise EvenPaletteError(f"{folder}: none of the {len(missing)} files lies there or below.")
            return edit.point_to(state, found)

        def then() -> None:
            left = len(edit.missing_sources(self._session.state))
            self._session.trust([p for p in self._session.strange_sources() if Path(p).is_relative_to(folder)])
            self._session.said.emit(
                f"{len(missing) - left} files found" + (f", {left} still missing" if left else ""), bool(left)
            )

        self._session.run("Find source files", lambda s, _: look(s), then)

    def _show_up(self) -> None:
        info = self._session.state.project.mesh
        self._up_row.setVisible(info is not None)
        self.up.setCurrentIndex(self.up.findData(info.up if info is not None else AXES[0]))

    def _choose_up(self, axis: str) -> None:
        self._session.run(f"{axis.upper()} is up", lambda s, _: edit.set_up(s, axis))

    def _show_tiles(self) -> None:
        view = self._session.state.mesh
        tiles = tiles_of(view.mesh) if view is not None else {}
        self._tile_row.setVisible(any(tile != FIRST for tile in tiles))
        self.tile.clear()
        self.tile.addItem("as in the file", "")
        self.tile.addItem("all wrapped into one", WRAP)
        for tile, faces in list(tiles.items())[:40]:
            self.tile.addItem(f"{tile}, {faces:,} faces", tile)
        self.tile.setCurrentIndex(max(0, self.tile.findData(view.mesh.tile if view is not None else "")))

    def _choose_tile(self, tile: str) -> None:
        words = {"": "UVs as in the file", WRAP: "Wrap UV tiles"}
        self._session.run(words.get(tile, f"UV tile {tile}"), lambda s, _: edit.set_tile(s, tile))

    def _row_tools(self, texture: Texture) -> QWidget:
        path = Path(texture.source_path) if texture.source_path else None
        again = tool(
            "rotate-ccw",
            f"Read {texture.name} again from {path}" if path else "It was not brought in from a file",
            lambda: read_again(self._session, [path] if path else []),
        )
        again.setEnabled(path is not None and path.is_file())
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
        held = self._session.state.textures.get(texture.id)
        apart.setEnabled(held is not None and held.channels > 1)
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

    def _thumb(self, raster: Raster) -> QPixmap:
        key = id(raster.pixels)
        if key not in self._thumbs:
            self._thumbs[key] = (raster, thumbnail(raster, _THUMB))
        return self._thumbs[key][1]

    def _role_box(self, texture_id: str, role: Role) -> QComboBox:
        box = QComboBox()
        box.setAccessibleName("Holds")
        for choice in Role:
            box.addItem(choice.value, choice)
        box.setCurrentIndex(list(Role).index(role))
        box.activated.connect(
            lambda i: self._session.apply(
                f"Holds {box.itemText(i)}", lambda s: edit.set_role(s, texture_id, box.itemData(i))
            )
        )
        return box

    def _encoding_box(self, texture_id: str, encoding: Encoding) -> QComboBox:
        box = QComboBox()
        box.setAccessibleName("Read as")
        for choice in Encoding:
            box.addItem(ENCODING_WORDS[choice], choice)
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

    def _ask_mesh(self) -> None:
        path, _ = QFileDialog.getOpenFileName(self, "Bring in a mesh", "", file_filters.MESHES)
        if path:
            bring_in(self._session, [Path(path)], self)

    def _offer_made(self) -> None:
        """What can be computed, each as a texture of the asset."""
        menu, view = QMenu(self), self._session.state.mesh
        size = max((max(raster.size) for raster in self._session.state.textures.values()), default=1024)
        for words, recipe in MADE.items():
            action = menu.addAction(
                words, lambda w=words: self._session.run(f"Make: {w}", lambda s, _: add_made(s, w, min(size, 2048)))
            )
            assert action is not None
            action.setEnabled(view is not None or not recipe.needs_mesh)
        baked = menu.addMenu("Bake from the mesh")
        assert baked is not None
        baked.setEnabled(view is not None)
        for kind in BAKES.values():
            baked.addAction(entry(kind.label), lambda k=kind.key: self._bake(k))
        menu.exec(QCursor.pos())

    def _bake(self, kind: str) -> None:
        self.pages.open("Bakes")
        self.bakes.add(kind)

    def _ask_textures(self) -> None:
        paths, _ = QFileDialog.getOpenFileNames(self, "Bring in textures", "", file_filters.IMAGES)
        bring_in(self._session, [Path(path) for path in paths], self)


STATION = Station(
    lambda room: AssetBench(room.session, room.bakes),
    lambda _, bench: [Verb("Asset", "Find source files ...", "", lambda: bench().find_sources())],
)  # fmt: skip
