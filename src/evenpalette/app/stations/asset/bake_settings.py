"""Asset, bakes: how one is wanted: what hides, how far, from which mesh, how many texels."""

from pathlib import Path

from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtWidgets import QFileDialog, QGridLayout, QMenu, QVBoxLayout, QWidget

from evenpalette.app import file_filters
from evenpalette.app.plain import entry
from evenpalette.app.session import Session
from evenpalette.app.tasks import Task
from evenpalette.app.widgets.basics import button, caption, choice, clear, scrolled
from evenpalette.app.widgets.value_editor import ValueEditor
from evenpalette.core.baking.denoise import oidn_missing
from evenpalette.core.baking.kind import CASTERS, RAYS
from evenpalette.core.baking.kinds import BAKES
from evenpalette.core.baking.vertices import ON_VERTICES, write_openness
from evenpalette.core.document.bake import GLOW, Bake
from evenpalette.core.document.project import Texture
from evenpalette.core.edits import bakes as edit
from evenpalette.core.edits.glow_light import BOUNCES
from evenpalette.core.values import Input, ValueType

SIZES = (128, 256, 512, 1024, 2048, 4096, 8192)
_NOISE = (("own", "filtered"), ("none", "as it is"), ("oidn", "by a network"))
#: The kind whose way is measured to a region.
_TO_REGION = "distance"
_REGION = Input(
    "region",
    "To",
    ValueType.REGION,
    "",
    description="The region that it is measured to; none is the nearest other material group",
)


def settings_of(bake: Bake) -> tuple[Input, ...]:
    """The settings that a bake has."""
    return (RAYS, BOUNCES) if bake.kind == GLOW else BAKES[bake.kind].settings if bake.kind in BAKES else ()


class BakeSettings(QWidget):
    """The settings of a bake, one beneath the other; a change is a change of the document."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._texture = ""
        self._shown = ""
        self._editors: dict[str, ValueEditor] = {}
        self._grid = QGridLayout()
        self._grid.setContentsMargins(0, 0, 4, 0)
        self._grid.setHorizontalSpacing(8)
        self._grid.setVerticalSpacing(1)
        self._grid.setColumnStretch(1, 1)
        self.texels = choice(
            rows=[(f"{texels} x {texels}", texels) for texels in SIZES], taken=lambda value: self._set(size=value)
        )
        self.noise = choice(
            rows=[(words, key) for key, words in _NOISE],
            tip="Filtered along positions, normals and islands, so that no edge is washed out; or by a trained network",
            taken=lambda value: self._set(denoiser=value),
        )
        self.finer = button(
            "this mesh", self._ask_finer, "link", "Bake from a finer mesh that stands in the same place"
        )
        self.groups = button("all of them", self._ask_groups, "link", "The material groups that may hide")
        self.vertices = button(
            "write into a mesh ...",
            self._ask_vertices,
            "link",
            "This occlusion at the corners of the faces, as vertex colors of a PLY or GLB file",
        )
        self._settings = QWidget()
        self._settings.setLayout(self._grid)
        middle = scrolled(self._settings)
        middle.setAccessibleName("Settings of the bake")
        self.setFixedWidth(300)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addWidget(middle)

    def current(self) -> Texture | None:
        """The bake that is shown."""
        return self._session.state.project.asset.texture(self._texture)

    def show_bake(self, texture: Texture) -> None:
        """Show how a bake is wanted."""
        bake = texture.bake
        assert bake is not None
        self._texture = texture.id
        key = f"{texture.id} {bake.kind}"
        if key != self._shown:
            self._shown = key
            self._editors = {}
            for widget in (self.texels, self.noise, self.finer, self.groups, self.vertices):
                widget.setParent(None)
            clear(self._grid)
            kind = BAKES.get(bake.kind)
            lines: list[tuple[str, QWidget]] = []
            for setting in settings_of(bake):
                editor = ValueEditor(setting, lambda: self._session.state)
                editor.edited.connect(lambda value, key=setting.key: self._set_setting(key, value))
                editor.finished.connect(self._session.history.seal)
                self._editors[setting.key] = editor
                lines.append((setting.label, editor))
            if bake.kind == _TO_REGION:
                self._region = ValueEditor(_REGION, lambda: self._session.state, optional=True)
                self._region.edited.connect(lambda value: self._set(region=value))
                lines.append((_REGION.label, self._region))
            if kind is not None and CASTERS in kind.settings:
                lines.append(("Groups", self.groups))
            lines.append(("Texels", self.texels))
            if kind is None or kind.traced:
                lines.append(("Noise", self.noise))
            if kind is not None and kind.finer:
                lines.append(("From", self.finer))
            if bake.kind == ON_VERTICES:
                lines.append(("Vertices", self.vertices))
            for line, (words, held) in enumerate(lines):
                self._grid.addWidget(caption(words, held), line, 0)
                self._grid.addWidget(held, line, 1)
                held.show()
            self._grid.setRowStretch(len(lines), 1)
        for setting in settings_of(bake):
            self._editors[setting.key].set_value(bake.settings.get(setting.key, setting.default))
        self.texels.setCurrentIndex(self.texels.findData(bake.size))
        self.noise.setCurrentIndex(self.noise.findData(bake.denoiser))
        if bake.kind == _TO_REGION:
            self._region.set_value(bake.region)
        names = ", ".join(bake.groups) or "all of them"
        self.groups.setText(entry(self.groups.fontMetrics().elidedText(names, Qt.TextElideMode.ElideRight, 180)))
        self.finer.setText(entry(Path(bake.finer).name) if bake.finer else "this mesh")

    def _set(self, **changes: object) -> None:
        texture = self.current()
        if texture is not None:
            if changes.get("denoiser") == "oidn" and (reason := oidn_missing()):
                self._session.said.emit(reason, True)
                self.noise.setCurrentIndex(self.noise.findData(texture.bake.denoiser if texture.bake else "own"))
                return
            words = ", ".join(changes)
            self._session.apply(
                f"Bake {words}", lambda s: edit.set_bake(s, texture.id, **changes), f"bake {texture.id} {words}"
            )

    def _set_setting(self, key: str, value: object) -> None:
        texture = self.current()
        if texture is not None and texture.bake is not None:
            settings = {**texture.bake.settings, key: value}
            self._session.apply(
                f"Bake {key}", lambda s: edit.set_bake(s, texture.id, settings=settings), f"bake {texture.id} {key}"
            )

    def _ask_finer(self) -> None:
        menu = QMenu(self)
        menu.addAction("This mesh", lambda: self._set(finer="", cage=""))
        menu.addAction("A finer mesh ...", lambda: self._choose_file("finer"))
        texture = self.current()
        if texture is not None and texture.bake is not None and texture.bake.finer:
            menu.addAction("A cage to look from ...", lambda: self._choose_file("cage"))
        menu.exec(self.finer.mapToGlobal(QPoint(0, self.finer.height())))

    def _ask_groups(self) -> None:
        menu, view, texture = QMenu(self), self._session.state.mesh, self.current()
        if view is None or texture is None or texture.bake is None:
            return
        held = texture.bake.groups
        menu.addAction("All of them", lambda: self._set(groups=()))
        for name in view.whole.mesh.group_names:
            action = menu.addAction(entry(name))
            assert action is not None
            action.setCheckable(True)
            action.setChecked(name in held)
            others = tuple(n for n in held if n != name)
            wanted = others if name in held else (*others, name)
            action.triggered.connect(lambda _=False, wanted=wanted: self._set(groups=wanted))
        menu.exec(self.groups.mapToGlobal(QPoint(0, self.groups.height())))

    def _choose_file(self, key: str) -> None:
        path, _ = QFileDialog.getOpenFileName(
            self, "A finer mesh" if key == "finer" else "The mesh, swollen", "", file_filters.MESHES
        )
        if path:
            self._session.sources.trust([path])
            self._set(**{key: path})

    def _ask_vertices(self) -> None:
        path, _ = QFileDialog.getSaveFileName(
            self, "Write the occlusion as vertex colors", "occlusion.glb", "Meshes (*.glb *.ply)"
        )
        if path:
            self.write_vertices(Path(path))

    def write_vertices(self, path: Path) -> None:
        """Write the mesh with this occlusion as vertex colors."""
        texture, view = self.current(), self._session.state.mesh
        if texture is None or texture.bake is None or view is None:
            return
        bake, mesh = texture.bake, view.mesh
        values = BAKES[ON_VERTICES].values(bake.settings)
        self._session.tasks.start(
            Task(
                "Writing vertex colors",
                lambda progress: write_openness(mesh, values, path, progress, bake.groups),
                lambda _: self._session.said.emit(f"Wrote {path}", False),
                self._session.failed,
            )
        )
