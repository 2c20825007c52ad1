"""Bringing in files: meshes with what they bring along, textures, and files that changed on disk."""

import time
from pathlib import Path

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QCheckBox, QDialog, QDialogButtonBox, QTreeWidget, QTreeWidgetItem, QVBoxLayout, QWidget

from evenpalette.app.plain import plain
from evenpalette.app.session import Session
from evenpalette.app.tasks import Task
from evenpalette.app.widgets.basics import counted, label, ok_or_cancel
from evenpalette.core.document.state import State
from evenpalette.core.edits import asset as edit
from evenpalette.core.edits.asset_file import take_asset
from evenpalette.core.edits.mending import with_made_anew
from evenpalette.core.errors import EvenPaletteError
from evenpalette.core.mesh.asset_file import brings_textures, read_asset, read_asset_mesh
from evenpalette.core.mesh.reader import AssetFile
from evenpalette.core.mesh.readers import mesh_endings
from evenpalette.core.parallel import Progress
from evenpalette.core.raster.image_read import read_image

_PLACE = Qt.ItemDataRole.UserRole


class BringInDialog(QDialog):
    """What a mesh file brings along, each texture in the role that the file gives it; nothing is taken before it is
    accepted. `taken` are the (sheet, texture) numbers that are on, `sheets` whether groups become sheets."""

    def __init__(self, file: AssetFile, name: str, parent: QWidget | None) -> None:
        super().__init__(parent)
        self.setWindowTitle(f"Bring in {name}")
        self.setMinimumWidth(560)
        count = sum(len(sheet.textures) for sheet in file.sheets)
        facts = f"{file.mesh.face_count:,} triangles, {counted(len(file.mesh.group_names), 'material group')}, {counted(count, 'texture')}"
        self.tree = QTreeWidget()
        self.tree.setAccessibleName("Textures of the file")
        self.tree.setHeaderLabels(["Sheet and texture", "Holds"])
        self.tree.setColumnWidth(0, 330)
        self.tree.setToolTip("Space turns a texture on or off")
        for place, sheet in enumerate(file.sheets):
            top = QTreeWidgetItem([sheet.name, counted(len(sheet.groups), "group")])
            top.setToolTip(0, plain(", ".join(sheet.groups)))
            self.tree.addTopLevelItem(top)
            top.setExpanded(True)
            for number, texture in enumerate(sheet.textures):
                packed = f": {', '.join(c or '-' for c in texture.channels)}" if texture.channels else ""
                item = QTreeWidgetItem([texture.name, texture.role + packed])
                item.setCheckState(0, Qt.CheckState.Checked)
                item.setData(0, _PLACE, (place, number))
                top.addChild(item)
            for key, values in sheet.factors.items():
                words = f"{key.replace('_', ' ')} {' '.join(f'{v:g}' for v in values)}"
                top.addChild(QTreeWidgetItem([words, "a number of the file"]))
        self._sheets = QCheckBox("A sheet for each set of textures: they are worked on one at a time")
        self._sheets.setChecked(True)
        self._sheets.setVisible(len(file.sheets) > 1)
        notes = label("\n".join(file.notes), "note")
        notes.setWordWrap(True)
        notes.setVisible(bool(file.notes))
        buttons = ok_or_cancel(self)
        take = buttons.button(QDialogButtonBox.StandardButton.Ok)
        assert take is not None
        take.setText("Bring in")
        layout = QVBoxLayout(self)
        layout.setSpacing(8)
        for part in (label(facts), self.tree, self._sheets, notes, buttons):
            layout.addWidget(part)
        self.resize(600, min(600, 250 + 30 * self.tree.topLevelItemCount() + 24 * count))

    @property
    def sheets(self) -> bool:
        """Whether groups with textures of their own become sheets."""
        return self._sheets.isChecked()

    @property
    def taken(self) -> set[tuple[int, int]]:
        """What is on."""
        found = set()
        for place in range(self.tree.topLevelItemCount()):
            top = self.tree.topLevelItem(place)
            assert top is not None
            for child in (top.child(n) for n in range(top.childCount())):
                if child is not None and child.data(0, _PLACE) and child.checkState(0) == Qt.CheckState.Checked:
                    found.add(tuple(child.data(0, _PLACE)))
        return found


def bring_in(session: Session, paths: list[Path], parent: QWidget | None = None) -> None:
    """Read meshes and images off the interface thread and add them as one change; what cannot be read is left out, and
    said. What a mesh file brings along is offered first."""
    if not paths:
        return
    now = time.time_ns()
    rich = [path for path in paths if brings_textures(path)]
    if not rich or any(mesh_source(session.state) == str(path) for path in rich):
        _bring(session, paths, {}, now, sheets=True)
        return
    files: dict[Path, AssetFile] = {}
    refused: dict[Path, EvenPaletteError] = {}

    def read(progress: Progress) -> dict[Path, AssetFile]:
        for index, path in enumerate(rich):
            try:
                files[path] = read_asset(path)
            except EvenPaletteError as error:
                refused[path] = error
            progress((index + 1) / len(rich))
        return files

    def offer(_: object) -> None:
        taken: dict[Path, tuple[AssetFile, set[tuple[int, int]]]] = {}
        sheets = True
        for path, file in files.items():
            if not file.sheets and not file.notes:
                taken[path] = file, set()
                continue
            dialog = BringInDialog(file, path.name, parent)
            if not dialog.exec():
                return
            taken[path] = file, dialog.taken
            sheets = dialog.sheets
        _bring(session, paths, taken, now, sheets=sheets, refused=refused)

    session.tasks.start(Task(f"Reading {_names(rich)}", read, offer, session.failed))


def mesh_source(state: State) -> str:
    """Where the mesh of a document was brought in from."""
    return state.project.asset.mesh.source_path if state.project.asset.mesh is not None else ""


def _bring(
    session: Session, paths: list[Path], taken: dict[Path, tuple[AssetFile, set[tuple[int, int]]]], read_from: int, *,
    sheets: bool, refused: dict[Path, EvenPaletteError] | None = None,
) -> None:  # fmt: skip
    left = dict(refused or {})
    brought = {
        texture.source
        for file, chosen in taken.values()
        for place, number in chosen
        if (texture := file.sheets[place].textures[number]).source
    }

    session.sources.read_from([*paths, *brought], read_from)

    def bring(state: State, progress: Progress) -> State:
        for index, path in enumerate(paths):
            try:
                # What a mesh brings along and was dropped beside it is there.
                if path not in left and str(path) not in brought:
                    state = _with_file(state, path, taken, sheets=sheets)
            except EvenPaletteError as error:
                left[path] = error
            progress((index + 1) / len(paths))
        if len(left) == len(paths):
            raise next(iter(left.values()))
        return state

    def done() -> None:
        session.sources.trust([*(str(path) for path in paths if path not in left), *sorted(brought)])
        if left:
            first, error = next(iter(left.items()))
            others = f" {counted(len(left) - 1, 'more file')} could not be read either." if len(left) > 1 else ""
            session.said.emit(f"{first.name} was left out, the rest is here. {error}{others}", True)

    session.run(f"Bring in {_names(paths)}", bring, done)


def read_again(session: Session, paths: list[Path], said: str = "was read again") -> None:
    """Read files of the asset again; what was made on top of them is made anew. One change that can be undone."""
    names = _names(paths)

    def read(state: State, progress: Progress) -> State:
        for index, path in enumerate(paths):
            state = _with_file(state, path, {}, sheets=False)
            progress((index + 1) / len(paths))
        return state

    session.run(
        f"Read {names} again", read,
        lambda: session.said.emit(f"{names} {said}. Undo brings the old one back.", False),
    )  # fmt: skip


def exchange(session: Session, texture_id: str, path: Path) -> None:
    """Put another file in a texture's place; everything that uses it keeps using it."""
    session.run(
        f"Exchange for {path.name}",
        lambda state, progress: with_made_anew(
            edit.exchange_texture(state, texture_id, read_image(path), path.name, str(path)), {texture_id}, progress
        ),
        lambda: session.sources.trust([str(path)]),
    )


def _names(paths: list[Path]) -> str:
    return paths[0].name if len(paths) == 1 else f"{len(paths)} files"


def _with_file(
    state: State, path: Path, taken: dict[Path, tuple[AssetFile, set[tuple[int, int]]]], *, sheets: bool
) -> State:
    """A file that a texture was brought in from takes that texture's place; another one is added."""
    held = next((t.id for t in state.project.asset.textures if t.source_path == str(path)), None)
    if path in taken:
        file, chosen = taken[path]
        state = take_asset(state, file, str(path), chosen, sheets=sheets)
    elif path.suffix.lower() in mesh_endings():
        state = edit.set_mesh(state, read_asset_mesh(path), str(path))
    elif held is not None:
        state = with_made_anew(edit.replace_texture(state, held, read_image(path)), {held})
    else:
        state = edit.add_texture(state, read_image(path), path.name, source_path=str(path))
    if state.mesh is not None:
        state.mesh.prepare()
    return state
