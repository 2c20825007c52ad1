"""Asset: the mesh and the textures, and what each texture holds."""

from pathlib import Path

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QImage, QPixmap
from PyQt6.QtWidgets import (
    QComboBox,
    QFileDialog,
    QHBoxLayout,
    QHeaderView,
    QLabel,
    QTableWidget,
    QTableWidgetItem,
    QWidget,
)

from evenpalette.app.session import Session
from evenpalette.app.widgets.basics import button, column, label, row, tool
from evenpalette.core.mesh.read import READABLE as MESH_ENDINGS
from evenpalette.core.mesh.read import read_mesh
from evenpalette.core.mesh.tiles import FIRST, WRAP, tiles_of
from evenpalette.core.parallel import Progress
from evenpalette.core.project.edits import asset as edit
from evenpalette.core.project.model import Role, Texture
from evenpalette.core.project.state import State
from evenpalette.core.raster.image_read import READABLE as IMAGE_ENDINGS
from evenpalette.core.raster.image_read import read_image
from evenpalette.core.raster.image_write import encode_png
from evenpalette.core.raster.raster import Encoding, Raster

ENCODING_WORDS = {Encoding.SRGB: "sRGB color", Encoding.LINEAR: "linear color", Encoding.DATA: "data"}
_THUMB = 34


def bring_in(session: Session, paths: list[Path]) -> None:
    """Read meshes and images off the interface thread and add them as one change; the first error stops it all."""
    if not paths:
        return

    session.run(
        f"Bring in {_names(paths)}", lambda state, progress: _with_files(state, paths, progress),
        lambda: session.trust([str(path) for path in paths]),
    )  # fmt: skip


def read_again(session: Session, paths: list[Path], said: str = "was read again") -> None:
    """Read files of the asset again; what was made on top of them is made anew. One change that can be undone."""
    names = _names(paths)
    session.run(
        f"Read {names} again", lambda state, progress: _with_files(state, paths, progress),
        lambda: session.said.emit(f"{names} {said}. Undo brings the old one back.", False),
    )  # fmt: skip


def _names(paths: list[Path]) -> str:
    return paths[0].name if len(paths) == 1 else f"{len(paths)} files"


def _with_files(state: State, paths: list[Path], progress: Progress) -> State:
    """A file that a texture was brought in from takes that texture's place; others are added."""
    for index, path in enumerate(paths):
        held = next((t.id for t in state.project.asset.textures if t.source_path == str(path)), None)
        if path.suffix.lower() in MESH_ENDINGS:
            state = edit.set_mesh(state, read_mesh(path), str(path))
            assert state.mesh is not None
            state.mesh.prepare()
        elif held is not None:
            state = edit.replace_texture(state, held, read_image(path))
        else:
            state = edit.add_texture(state, read_image(path), path.name, source_path=str(path))
        progress((index + 1) / len(paths))
    return state


def thumbnail(raster: Raster, size: int) -> QPixmap:
    """A small picture of a texture as it is stored."""
    small = raster.sampled(size * 4).thumbnail(size * 2)
    image = QImage.fromData(encode_png(small), "PNG")
    return QPixmap.fromImage(image).scaled(
        size, size, Qt.AspectRatioMode.KeepAspectRatio, Qt.TransformationMode.SmoothTransformation
    )


class AssetBench(QWidget):
    """The bench of the station Asset."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._thumbs: dict[int, tuple[Raster, QPixmap]] = {}
        self._mesh_name = label("", "")
        self._mesh_facts = label("", "note")
        self.tile = QComboBox()
        self.tile.setToolTip("The layout leaves the first UV tile: work on one tile, or wrap all of them into one")
        self.tile.activated.connect(lambda i: self._choose_tile(str(self.tile.itemData(i))))
        self._tile_row = row(label("UV tile", "note"), self.tile, None, spacing=6)
        left = column(
            label("Mesh", "heading"), self._mesh_name, self._mesh_facts, self._tile_row, None,
            button("Bring in a mesh ...", self._ask_mesh, icon="box", tip="OBJ, PLY or GLB; a new mesh takes the old one's place"),
        )  # fmt: skip
        left.setFixedWidth(248)
        self.table = QTableWidget(0, 6)
        self.table.setHorizontalHeaderLabels(["", "Texture", "Holds", "Read as", "Texels", ""])
        vertical, horizontal = self.table.verticalHeader(), self.table.horizontalHeader()
        assert vertical is not None
        assert horizontal is not None
        vertical.hide()
        vertical.setDefaultSectionSize(38)
        horizontal.setSectionResizeMode(1, QHeaderView.ResizeMode.Stretch)
        horizontal.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
        for section, width in ((0, 44), (2, 150), (3, 128), (4, 170), (5, 64)):
            self.table.setColumnWidth(section, width)
        self.table.setShowGrid(False)
        self.table.setSelectionMode(QTableWidget.SelectionMode.NoSelection)
        self.table.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        self._empty = label(
            "No textures yet. Bring in the painted color, the ID map or a channel mask, normals, occlusion, dirt.",
            "note",
        )
        add = button(
            "Bring in textures ...",
            self._ask_textures,
            "primary",
            icon="image",
            tip="PNG, JPEG, TIFF, OpenEXR, BMP, TGA, WebP",
        )
        right = column(row(label("Textures", "heading"), 8, self._empty, None, add), self.table)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(16, 8, 16, 8)
        layout.setSpacing(24)
        layout.addWidget(left)
        layout.addWidget(right, 1)
        session.changed.connect(self._on_change)
        self.refresh()

    def _on_change(self, facets: frozenset[str]) -> None:
        if "asset" in facets:
            self.refresh()

    def refresh(self) -> None:
        """Show the asset as it is now."""
        state = self._session.state
        if state.mesh is None:
            self._mesh_name.setText("No mesh yet")
            self._mesh_facts.setText("Bring in a mesh with UVs, or drop it\nonto the window.")
        else:
            mesh, topology = state.mesh.mesh, state.mesh.topology
            used = (state.mesh.faces_under_texels >= 0).mean()
            self._mesh_name.setText(mesh.name)
            self._mesh_facts.setText(
                f"{mesh.face_count:,} triangles,  {len(mesh.positions):,} vertices\n"
                f"{topology.shell_count} shells,  {topology.island_count} UV islands\n"
                f"{len(mesh.group_names)} material groups,  vertex colors: {'yes' if mesh.colors is not None else 'no'}\n"
                f"{used:.0%} of the UV tile is used"
            )
        self._show_tiles()
        textures = state.project.asset.textures
        self._empty.setVisible(not textures)
        self.table.setRowCount(len(textures))
        for line, texture in enumerate(textures):
            raster = state.textures[texture.id]
            picture = QLabel()
            picture.setPixmap(self._thumb(raster))
            picture.setAlignment(Qt.AlignmentFlag.AlignCenter)
            self.table.setCellWidget(line, 0, picture)
            name = QTableWidgetItem(texture.name)
            name.setToolTip(texture.source_path or texture.name)
            self.table.setItem(line, 1, name)
            depth = {"u1": "8 bit", "u2": "16 bit", "f4": "float"}[raster.pixels.dtype.str[1:]]
            channels = {1: "gray", 2: "gray, alpha", 3: "RGB", 4: "RGBA"}[raster.channels]
            self.table.setItem(line, 4, QTableWidgetItem(f"{raster.width} x {raster.height}  {channels} {depth}"))
            self.table.setCellWidget(line, 2, self._role_box(texture.id, texture.role))
            self.table.setCellWidget(line, 3, self._encoding_box(texture.id, texture.encoding))
            self.table.setCellWidget(line, 5, self._row_tools(texture))

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
            "rotate-ccw", f"Read {texture.name} again from {path}" if path else "It was not brought in from a file", lambda: read_again(self._session, [path] if path else [])
        )
        again.setEnabled(path is not None and path.is_file())
        return row(again, tool("trash-2", f"Take {texture.name} out", lambda: self._remove(texture)), spacing=2)

    def _thumb(self, raster: Raster) -> QPixmap:
        key = id(raster.pixels)
        if key not in self._thumbs:
            self._thumbs[key] = (raster, thumbnail(raster, _THUMB))
        return self._thumbs[key][1]

    def _role_box(self, texture_id: str, role: Role) -> QComboBox:
        box = QComboBox()
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

    def _remove(self, texture: Texture) -> None:
        self._session.apply(f"Take out {texture.name}", lambda s: edit.remove_texture(s, texture.id))

    def _ask_mesh(self) -> None:
        pattern = " ".join(f"*{ending}" for ending in MESH_ENDINGS)
        path, _ = QFileDialog.getOpenFileName(self, "Bring in a mesh", "", f"Meshes ({pattern})")
        if path:
            bring_in(self._session, [Path(path)])

    def _ask_textures(self) -> None:
        pattern = " ".join(f"*{ending}" for ending in IMAGE_ENDINGS)
        paths, _ = QFileDialog.getOpenFileNames(self, "Bring in textures", "", f"Images ({pattern})")
        bring_in(self._session, [Path(path) for path in paths])
