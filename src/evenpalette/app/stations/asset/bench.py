"""Asset: the mesh and the textures, and what each texture holds."""

from pathlib import Path

from PyQt6.QtGui import QCursor
from PyQt6.QtWidgets import (
    QFileDialog,
    QHBoxLayout,
    QMenu,
    QVBoxLayout,
    QWidget,
)

from evenpalette.app import file_filters
from evenpalette.app.bakes import BakeKeeper
from evenpalette.app.facets import ASSET
from evenpalette.app.plain import entry
from evenpalette.app.session import Session
from evenpalette.app.station import Station
from evenpalette.app.stations.asset.bakes_page import BakesPage
from evenpalette.app.stations.asset.bring_in import bring_in
from evenpalette.app.stations.asset.mend_page import MendPage
from evenpalette.app.stations.asset.parts_dialog import PartsDialog
from evenpalette.app.stations.asset.texture_table import TextureTable
from evenpalette.app.verbs import Verb
from evenpalette.app.widgets.basics import button, choice, column, counted, label, row
from evenpalette.app.widgets.pages import Pages
from evenpalette.app.widgets.when_shown import WhenShown
from evenpalette.core.baking.kinds import BAKES
from evenpalette.core.document.state import State
from evenpalette.core.edits import asset as edit
from evenpalette.core.edits.made_textures import MADE, add_made
from evenpalette.core.errors import EvenPaletteError
from evenpalette.core.mesh.tiles import FIRST, WRAP
from evenpalette.core.mesh.upright import AXES
from evenpalette.core.mesh.view import MeshView


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
        files = QWidget()
        inner = QHBoxLayout(files)
        inner.setContentsMargins(0, 0, 0, 0)
        inner.setSpacing(20)
        inner.addWidget(self._mesh_column())
        inner.addWidget(self._texture_column(), 1)
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
        session.watch.changed.connect(self._count)
        self.refresh()

    def _mesh_column(self) -> QWidget:
        """The mesh, and what of its file is worked on."""
        self._mesh_name = label("", "")
        self._mesh_facts = label("", "note")
        self.tile = choice(
            tip="The layout leaves the first UV tile: work on one tile, or wrap all of them into one",
            taken=self._choose_tile,
        )
        self._tile_row = row(label("UV tile", "note"), self.tile, None, spacing=6)
        self.uv_set = choice(
            "UV set",
            tip="The file has several layouts: the one that its textures are made for",
            taken=self._choose_uv_set,
        )
        self._uv_row = row(label("UV set", "note"), self.uv_set, spacing=6)
        self.up = choice(
            "Upright axis",
            [(f"{axis.upper()} is up", axis) for axis in AXES],
            tip="The axis of the file that points up: directions, gradients and what is computed of the mesh follow it",
            taken=self._choose_up,
        )
        self._up_row = row(self.up)
        self._parts = button("Parts ...", self._ask_parts, "link", "Which material groups are on which sheet")
        self.sheet = choice(
            "Sheet",
            tip="Parts with textures of their own: the window works on one at a time",
            taken=self._choose_sheet,
        )
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
        made = column(
            row(label("Mesh", "heading"), None, bring), self._mesh_name, self._mesh_facts, self._axes_row, self._sheet_row, self._tile_row, None, spacing=3,
        )  # fmt: skip
        made.setFixedWidth(264)
        return made

    def _texture_column(self) -> QWidget:
        """The textures, and how they come in."""
        self.table = TextureTable(self._session, self.find_sources)
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
        return column(row(label("Textures", "heading"), 8, self._empty, None, make, add), self.table)

    def _count(self) -> None:
        if self._session.state.mesh is not None:
            self._mesh_facts.setText(_facts(self._session.state.mesh))
            self._show_tiles()

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
        self._empty.setVisible(not state.project.asset.textures)
        self.table.show_textures()

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
        self.sheet.setCurrentIndex(max(0, self.sheet.findData(self._session.state.sheet.id)))

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
            self._session.sources.trust([p for p in self._session.sources.strange() if Path(p).is_relative_to(folder)])
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
        if view is not None and not (view.is_ready or view.mesh.all_tiles):
            return
        tiles = view.tiles if view is not None else {}
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
