"""Regions: where they come from, how their edges are read, and what happens where they overlap."""

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtWidgets import QFileDialog, QHBoxLayout, QInputDialog, QMenu, QWidget

from evenpalette.app import file_filters
from evenpalette.app.facets import ASSET, COVERAGES, REGIONS
from evenpalette.app.plain import entry, plain
from evenpalette.app.session import Session
from evenpalette.app.station import Station, Workplace
from evenpalette.app.stations.regions import PLACE
from evenpalette.app.stations.regions.bake_row import BakeRow
from evenpalette.app.stations.regions.clean_dialog import CleanDialog
from evenpalette.app.stations.regions.color_picking import ColorPicking
from evenpalette.app.stations.regions.encodings_page import EncodingsPage
from evenpalette.app.stations.regions.faces_page import FacesPanel
from evenpalette.app.stations.regions.flag_dialog import FlagDialog
from evenpalette.app.stations.regions.into import ask_into
from evenpalette.app.stations.regions.mesh_source_dialog import MeshSourceDialog
from evenpalette.app.stations.regions.operations_page import OperationsPage
from evenpalette.app.stations.regions.paint_page import PaintPage
from evenpalette.app.stations.regions.random_shares_dialog import ChanceDialog
from evenpalette.app.stations.regions.source_form import Beginning, SourcePage
from evenpalette.app.tasks import Task
from evenpalette.app.verbs import Verb
from evenpalette.app.views import TwinViews
from evenpalette.app.widgets.basics import button, choice, column, label, row, tool
from evenpalette.app.widgets.pages import Pages
from evenpalette.core.document.project import Role, Texture
from evenpalette.core.edits import face_sets as faces_edit
from evenpalette.core.edits import regions as edit
from evenpalette.core.mesh.mesh import Mesh
from evenpalette.core.mesh.read import read_mesh
from evenpalette.core.mesh.surface_images import IMAGES, surface_images
from evenpalette.core.mesh.write_colors import write_vertex_colors
from evenpalette.core.parallel import Progress
from evenpalette.core.raster.image_write import write_image
from evenpalette.core.regions.dividing.bake import check_uvs
from evenpalette.core.regions.overlap import Overlap
from evenpalette.core.regions.region_set import Division, Region

OVERLAP_WORDS = {
    Overlap.EXCLUSIVE: ("exclusive", "Coverages that sum past one are divided by their sum"),
    Overlap.LAYERED: ("layered", "Later regions cover earlier ones"),
    Overlap.ADDITIVE: ("additive", "Coverages are kept; sums are clamped to one"),
}
_MESH_WORDS = {
    "material": "Material groups of the mesh", "shell": "Shells of the mesh", "island": "UV islands",
    "vertex-color": "Vertex colors of the mesh",
}  # fmt: skip
#: What a division of such regions is called.
_DIVISION_NAMES = {"material": "Materials", "shell": "Shells", "island": "Islands", "vertex-color": "Vertex colors"}


def _title(texture: Texture) -> str:
    """The texture's name as a division's: without ending and dashes."""
    return Path(texture.name).stem.replace("-", " ").replace("_", " ").strip().capitalize() or "Division"


class RegionsBench(QWidget):
    """The bench of the station Regions."""

    def __init__(self, session: Session, views: TwinViews) -> None:
        super().__init__()
        self._session, self._views = session, views
        self._picking = ColorPicking(session, views, lambda: self._division().id, self)
        self._picking.made.connect(lambda: self.pages.open("Source"))
        self._sources = button(
            "Regions from ...",
            self._choose_source,
            "primary",
            icon="plus",
            tip="Flag colors or channels of an image, or what the mesh brings along",
        )
        self._pick = button(
            "Pick a color",
            self._picking.begin,
            icon="pipette",
            tip="Make a region of the color that you click on: of the ID map, or of the painted color where Flat shows it or there is no map",
        )
        self._overlap = choice("Overlap of regions")
        for overlap, (word, tip) in OVERLAP_WORDS.items():
            self._overlap.addItem(word, overlap)
            self._overlap.setItemData(self._overlap.count() - 1, plain(tip), Qt.ItemDataRole.ToolTipRole)
        self._overlap.activated.connect(
            lambda i: session.apply(
                "Overlap", lambda s: edit.set_overlap(s, self._overlap.itemData(i), self._division().id)
            )
        )
        self._facts = label("", "note")
        self._bake = BakeRow(session)
        self._tools = button(
            "More ...", self._more, tip="Plan flags, clean an ID map, write vertex colors or maps of the mesh"
        )
        left = column(
            label("Regions", "heading"), row(self._sources, self._pick, None, spacing=6),
            row(label("overlap", "note"), self._overlap, None, self._tools, spacing=6),
            self._bake, self._facts, None,
        )  # fmt: skip
        left.setFixedWidth(304)
        self._order = row(
            tool("arrow-up", "Earlier in the order (Alt+Up in the ledger)", lambda: self._move(-1)),
            tool("arrow-down", "Later in the order (Alt+Down in the ledger)", lambda: self._move(1)),
            tool("trash-2", "Remove this region (Del in the ledger)", self._remove), None, spacing=2,
        )  # fmt: skip
        self._title = label("", "heading")
        self._title.setFixedWidth(170)
        self._nothing = label("", "note")
        self.source = SourcePage(session, views, self._beginnings)
        self.faces = FacesPanel(session, views)
        self.operations = OperationsPage(session)
        self.paint = PaintPage(session, views)
        self.encodings = EncodingsPage(session)
        self.pages = Pages({
            "Source": self.source, "Faces": self.faces, "Operations": self.operations, "Paint": self.paint, "Encodings": self.encodings,
        })  # fmt: skip
        self.pages.changed.connect(self._take_tool)
        right = column(row(self._title, self.pages.switch, None, self._nothing, self._order), self.pages, spacing=6)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(16, 8, 16, 8)
        layout.setSpacing(24)
        layout.addWidget(left)
        layout.addWidget(right, 1)
        session.changed.connect(self._on_change)
        session.selection.changed.connect(self.refresh)
        session.station_changed.connect(lambda _: self._take_tool())
        self.refresh()

    def _on_change(self, facets: frozenset[str]) -> None:
        if facets & {REGIONS, COVERAGES, ASSET}:
            self.refresh()

    def _division(self) -> Division:
        return self._session.state.project.regions.division_of(self._session.selection.region)

    def _region(self) -> Region | None:
        return self._session.state.project.regions.find(self._session.selection.region or "")

    def refresh(self) -> None:
        """Show the selected region as it is now."""
        state, region = self._session.state, self._region()
        self._overlap.setCurrentIndex(list(OVERLAP_WORDS).index(self._division().overlap))
        self._pick.setEnabled(bool(state.project.asset.with_role(Role.ID_MAP, Role.PAINTED)))
        self._bake.follow()
        if state.coverages:
            height, width = next(iter(state.coverages.values())).shape
            count = len(state.region_ids)
            divisions = state.project.regions.divisions
            more = f" in {len(divisions)} divisions" if len(divisions) > 1 else ""
            self._facts.setText(f"{count} region{'s' if count > 1 else ''}{more}, {width} x {height}")
        else:
            self._facts.setText("")
        self._order.setVisible(region is not None)
        nothing = (
            "" if state.project.asset.textures or state.mesh is not None else "Bring in a mesh or an ID map at Asset"
        )
        number = state.project.regions.number(region.id) if region is not None else 0
        title = f"{number}  {region.name}" if region is not None else ""
        self._title.setText(self._title.fontMetrics().elidedText(title, Qt.TextElideMode.ElideRight, 168))
        self._nothing.setText("" if title else nothing)
        self.source.refresh(region)
        self.operations.refresh(region)
        self.paint.refresh(region)
        self.encodings.refresh()

    def _take_tool(self) -> None:
        """The tool of the page that is open is in hand, at this station only."""
        page = self.pages.currentWidget() if self._session.station == PLACE.key else None
        self._views.face_tool.active = page is self.faces and self.faces.toggle.isChecked()
        self._views.stroke_tool.active = page is self.paint
        self._views.stroke_tool.prepare()
        self._views.update()

    def _beginnings(self) -> list[Beginning]:
        """What regions can be made of: images, what the mesh brings along, another mesh, chance."""
        textures, view = self._session.state.project.asset.textures, self._session.state.mesh
        offers = [
            Beginning(f"Flag colors of {texture.name}", lambda t=texture: self.from_flags(t))  # type: ignore[misc]
            for texture in textures if texture.role is Role.ID_MAP
        ]  # fmt: skip
        offers += [
            Beginning(f"Channels of {texture.name}", lambda t=texture: self._from_channels(t))  # type: ignore[misc]
            for texture in textures if texture.role in (Role.CHANNEL_MASK, Role.MASK)
        ]  # fmt: skip
        if not offers:
            offers.append(
                Beginning("No ID map or mask among the textures. Say at Asset what they hold.", lambda: None, False)
            )
        for kind, text in _MESH_WORDS.items():
            ready = view is not None and (kind != "vertex-color" or view.mesh.colors is not None)
            offers.append(Beginning(text, lambda k=kind: self.from_mesh(k), ready))  # type: ignore[misc]
        offers.append(Beginning("Another mesh of the same shape ...", self._ask_other, view is not None))
        chance = Beginning(
            "Shells shared out by chance ...", lambda: ChanceDialog(self._session, self).exec(), view is not None
        )
        return [*offers, chance]

    def _choose_source(self) -> None:
        menu = QMenu(self)
        for text, run, ready in self._beginnings():
            action = menu.addAction(entry(text), run)
            assert action is not None
            action.setEnabled(ready)
        menu.exec(self._sources.mapToGlobal(QPoint(0, -menu.sizeHint().height())))

    def from_mesh(self, kind: str) -> None:
        """Make regions of what the mesh brings along."""
        if kind == "vertex-color":
            MeshSourceDialog(self._session, self).exec()
            return
        made_of_faces = any(r.source.of_faces for r in self._division().regions)
        goes, into = ask_into(self._session, _DIVISION_NAMES[kind], "replace" if made_of_faces else "new", self)
        if goes:
            self._session.run(
                f"Regions: {_MESH_WORDS[kind].lower()}", lambda s, _: faces_edit.regions_from_mesh(s, kind, into=into)
            )

    def _ask_other(self) -> None:
        path, _ = QFileDialog.getOpenFileName(self, "Another mesh of the same shape", "", file_filters.MESHES)
        if path:
            self.take_other(Path(path))

    def take_other(self, path: Path, show: Callable[[MeshSourceDialog], object] = MeshSourceDialog.exec) -> None:
        """Read another mesh that stands in the same place, then ask how near its regions must be."""

        def shown(other: Mesh) -> None:
            show(MeshSourceDialog(self._session, self, other))

        self._session.tasks.start(
            Task(
                f"Reading {path.name}", lambda _: read_mesh(path),
                shown, self._session.failed,
            )
        )  # fmt: skip

    def _ask_write(self) -> None:
        path, _ = QFileDialog.getSaveFileName(
            self, "Write the flags as vertex colors", "regions.glb", "Meshes (*.glb *.ply)"
        )
        if path:
            self.write_colors(Path(path))

    def write_colors(self, path: Path) -> None:
        """Write the mesh with the regions' flags as vertex colors."""
        state = self._session.state

        def work(_: Progress) -> None:
            assert state.mesh is not None
            write_vertex_colors(state.mesh.mesh, faces_edit.flag_of_faces(state), path)

        self._session.tasks.start(
            Task(
                "Writing vertex colors",
                work,
                lambda _: self._session.said.emit(f"Wrote {path}", False),
                self._session.failed,
            )
        )

    def _more(self) -> None:
        menu = QMenu(self)
        state = self._session.state
        for text, action, ready in (
            ("Plan flag colors ...", lambda: FlagDialog(self._session, self).exec(), True),
            ("Rename the division ...", self._rename_division, bool(state.region_ids)),
            ("Remove the division", self._remove_division, len(state.project.regions.divisions) > 1),
            (
                "Clean an ID map ...",
                lambda: CleanDialog(self._session, self).exec(),
                bool(state.project.asset.with_role(Role.ID_MAP)),
            ),
            (
                "Write the flags as vertex colors ...",
                self._ask_write,
                state.mesh is not None and bool(state.region_ids),
            ),
            ("Write surface images ...", self._ask_maps, state.mesh is not None),
        ):
            made = menu.addAction(text, action)
            assert made is not None
            made.setEnabled(ready)
        menu.exec(self._tools.mapToGlobal(QPoint(0, -menu.sizeHint().height())))

    def _rename_division(self) -> None:
        division = self._division()
        name, done = QInputDialog.getText(self, "Rename division", "Name", text=division.name)
        if done and name.strip() != division.name:
            self._session.apply(f"Rename division to {name}", lambda s: edit.rename_division(s, division.id, name))

    def _remove_division(self) -> None:
        division = self._division()
        self._session.run(f"Remove division {division.name}", lambda s, _: edit.remove_division(s, division.id))

    def _ask_maps(self) -> None:
        path = QFileDialog.getExistingDirectory(self, "Folder for position, normal, island and density")
        if path:
            self.write_maps(Path(path))

    def write_maps(self, folder: Path) -> None:
        """Write position and density as OpenEXR, normal and island as 16-bit PNG, at the size of the bake."""
        state = self._session.state

        def work(progress: Progress) -> None:
            assert state.mesh is not None
            bake = state.project.regions.bake
            check_uvs(state.mesh.mesh)
            maps = surface_images(state.mesh.mesh, state.mesh.topology, bake.size, bake.padding_texels)
            for done, (name, raster) in enumerate(maps.items(), 1):
                write_image(raster, folder / f"{name}{'.exr' if raster.pixels.dtype.kind == 'f' else '.png'}")
                progress(done / len(maps))

        self._session.tasks.start(
            Task(
                "Writing surface images",
                work,
                lambda _: self._session.said.emit(f"Wrote {', '.join(IMAGES)} to {folder}", False),
                self._session.failed,
            )
        )

    def from_flags(self, texture: Texture) -> None:
        """Make a region of each flag color of an image."""
        known = any(region.source.reads == texture.id for region in self._division().regions)
        goes, into = ask_into(self._session, _title(texture), "add" if known else "new", self)
        if goes:
            self._session.run(
                f"Regions from {texture.name}", lambda s, _: edit.regions_from_id_map(s, texture.id, into)
            )

    def _from_channels(self, texture: Texture) -> None:
        goes, into = ask_into(self._session, _title(texture), "new", self)
        if goes:
            self._session.run(
                f"Regions from {texture.name}", lambda s, _: edit.regions_from_channels(s, texture.id, into)
            )

    def toggle_faces(self) -> None:
        """Begin to select faces, or end it."""
        if self.pages.currentWidget() is not self.faces:
            self.pages.show_page(self.faces)
            self.faces.toggle.setChecked(True)
        else:
            self.faces.toggle.toggle()

    def _move(self, offset: int) -> None:
        if region := self._session.selection.region:
            self._session.apply("Reorder regions", lambda s: edit.move_region(s, region, offset))

    def _remove(self) -> None:
        if region := self._region():
            self._session.run(f"Remove region {region.name}", lambda s, _: edit.remove_region(s, region.id))


def _verbs(room: Workplace, bench: Callable[[], RegionsBench]) -> list[Verb]:
    session = room.session

    def resize(factor: float) -> None:
        bench().paint.resize_brush(factor)

    return [
        Verb("Regions", "Select faces", "S", lambda: bench().toggle_faces()),
        Verb("Regions", "Next face in no region", "N", lambda: bench().faces.next_unassigned()),
        Verb("Regions", "Paint", "P", lambda: bench().pages.open("Paint")),
        Verb("Regions", "Smaller brush", ",", lambda: resize(1 / 1.15)),
        Verb("Regions", "Larger brush", ".", lambda: resize(1.15)),
        Verb("Regions", "New painted region", "Ctrl+Shift+P", lambda: bench().paint.add_region()),
        Verb("Regions", "Next region", "Ctrl+Down", lambda: session.selection.next_region(1)),
        Verb("Regions", "Previous region", "Ctrl+Up", lambda: session.selection.next_region(-1)),
    ]


STATION = Station(lambda room: RegionsBench(room.session, room.views), _verbs)
