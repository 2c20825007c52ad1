"""Names are text everywhere, also those that look like HTML."""

import ast
import os
from pathlib import Path

from PyQt6.QtCore import QAbstractItemModel, QAbstractTableModel, QModelIndex, Qt, QTimer
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QAbstractItemView, QApplication, QInputDialog, QLabel, QLineEdit, QMessageBox, QWidget

import evenpalette.app
from evenpalette.app.folder_lock import FolderLock
from evenpalette.app.project_actions import ProjectActions
from evenpalette.app.questions import ListQuestion
from evenpalette.app.stations import STATIONS
from evenpalette.core.edits import asset, parameters, recipe, regions, variants
from evenpalette.core.storage.storage import Storage
from tests.helpers.hand import Hand

#: Asks Qt to draw a picture of an endless file, and to look like a word in bold.
HOSTILE = "<img src='/dev/zero'><b>Moth</b> &amp; Co"


def named(hand: Hand) -> None:
    """Everything that has a name gets one that looks like HTML."""
    session = hand.session
    project = session.state.project

    def edit(state):  # type: ignore[no-untyped-def]
        state = asset.rename_project(state, HOSTILE)
        for texture in project.asset.textures:
            state = asset.with_texture(
                state, texture.model_copy(update={"name": HOSTILE + texture.id[-4:], "source_path": f"/tmp/{HOSTILE}"})
            )
        for number, region in enumerate(project.regions.regions):
            state = regions.update_region(state, region.id, name=f"{HOSTILE}{number}")
        for division in project.regions.divisions:
            state = regions.rename_division(state, division.id, HOSTILE + division.id[-4:])
        for step in project.recipe.steps:
            state = recipe.update_step(state, step.id, name=HOSTILE)
        for number, parameter in enumerate(project.parameters):
            state = parameters.update_parameter(state, parameter.id, name=f"{HOSTILE}{number}", description=HOSTILE)
        for number, variant in enumerate(project.variants):
            state = variants.rename_variant(state, variant.id, f"{HOSTILE}{number}")
        return state

    assert session.apply(f"Named {HOSTILE}", edit)


def rich_texts(widget: QWidget) -> list[str]:
    """Texts of a widget and all in it that Qt would draw as HTML."""
    found = []
    for inner in (widget, *widget.findChildren(QWidget)):
        texts = [inner.toolTip(), inner.whatsThis(), inner.statusTip()]
        if isinstance(inner, QLabel) and inner.textFormat() != Qt.TextFormat.PlainText:
            texts.append(inner.text())
        if isinstance(inner, QAbstractItemView) and inner.model() is not None:
            texts += tips(inner.model())
        texts += [action.toolTip() for action in inner.actions() if "<" in action.toolTip()]
        found += [f"{type(inner).__name__}: {text}" for text in texts if Qt.mightBeRichText(text)]
    return found


def tips(model: QAbstractItemModel, parent: QModelIndex | None = None) -> list[str]:
    parent = parent or QModelIndex()
    return [
        str(model.index(row, column, parent).data(Qt.ItemDataRole.ToolTipRole) or "")
        for row in range(min(model.rowCount(parent), 60)) for column in range(12 if isinstance(model, QAbstractTableModel) else 1)
    ]  # fmt: skip


def test_no_widget_takes_a_name_for_html(hand: Hand) -> None:
    named(hand)
    hand.wait()
    hand.window.verbs  # noqa: B018 - makes all stations known
    for station in STATIONS:
        bench = hand.window.bench(station.key)
        QTest.qWait(30)
        for button in bench.findChildren(QWidget, "page"):
            button.click()
            QTest.qWait(30)
            assert rich_texts(hand.window) == []
    hand.session.undo()
    hand.session.redo()
    hand.wait()
    assert rich_texts(hand.window) == []
    assert hand.window.windowTitle().startswith(HOSTILE)


def test_questions_and_consent_show_names_as_they_are(hand: Hand, tmp_path: Path) -> None:
    named(hand)
    assert hand.session.path is not None
    seen: list[list[str]] = []
    shown: list[str] = []

    def look() -> None:
        dialog = QApplication.activeModalWidget()
        if dialog is None:
            QTimer.singleShot(10, look)
            return
        seen.append(rich_texts(dialog))
        if isinstance(dialog, QMessageBox):
            shown.append(dialog.text())
        if isinstance(dialog, ListQuestion):
            shown.extend(dialog.list.item(i).text() for i in range(dialog.list.count()))  # type: ignore[union-attr]
        if isinstance(dialog, QInputDialog):
            shown.append(dialog.findChild(QLineEdit).text())  # type: ignore[union-attr]
        dialog.close()

    def asked(do) -> None:  # type: ignore[no-untyped-def]
        QTimer.singleShot(0, look)
        do()

    actions: ProjectActions = hand.window.project
    asked(lambda: type(actions).may_leave(actions))
    assert HOSTILE in shown[-1]
    asked(lambda: hand.session.conflicted.emit(HOSTILE))
    asked(actions.rename)
    assert shown[-1] == HOSTILE
    asked(actions.watch_sources)
    assert shown[-1] == f"/tmp/{HOSTILE}", "every path to its end"
    # A lock of another machine that is called like a picture, in the folder of another project.
    folder = tmp_path / "held"
    Storage(folder).save(hand.session.state)
    (folder / ".even-palette-1.lock").write_text(f"{os.getpid()}\nevenpalette\n{HOSTILE}\n")
    assert HOSTILE in FolderLock(folder).holder()
    QTimer.singleShot(0, look)
    actions.may_leave = lambda: True  # type: ignore[method-assign]
    actions.open_path(folder)
    hand.wait(lambda: len(seen) == 5)
    assert HOSTILE in shown[-1]
    assert seen == [[], [], [], [], []]


def test_every_text_that_qt_guesses_about_goes_through_one_helper() -> None:
    """Reads the source: a tooltip that is not a literal is made plain, labels and questions are made in one place."""
    root = Path(evenpalette.app.__file__).parents[1]
    own = {"QLabel": "basics.py", "QMessageBox": "questions.py"}
    bad = []
    for path in sorted([*(root / "app").rglob("*.py"), *(root / "player").rglob("*.py")]):
        for node in ast.walk(ast.parse(path.read_text())):
            if not isinstance(node, ast.Call):
                continue
            name = node.func.attr if isinstance(node.func, ast.Attribute) else getattr(node.func, "id", "")
            is_tip = name == "setToolTip" or (name == "setItemData" and "ToolTipRole" in ast.unparse(node))
            text = node.args[1 if name == "setItemData" else -1] if is_tip else None
            if text is not None and not isinstance(text, ast.Constant) and not ast.unparse(text).startswith("plain("):
                bad.append(f"{path.name}:{node.lineno} {ast.unparse(node)[:60]}")
            if name in own and path.name != own[name] and node.args:
                bad.append(f"{path.name}:{node.lineno} {ast.unparse(node)[:60]}")
    assert bad == []
