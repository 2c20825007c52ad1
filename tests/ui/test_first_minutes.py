"""The first ten minutes with files of one's own: what a mesh brings along, sheets, regions that are seen while they are
made."""

import re
import subprocess
import sys
import threading
import tomllib
from pathlib import Path

import numpy as np
import pytest
from PIL import Image
from PyQt6.QtCore import QPoint, Qt, QTimer
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import (
    QApplication,
    QComboBox,
    QLabel,
    QMenu,
    QPlainTextEdit,
    QPushButton,
    QSlider,
    QTableWidget,
    QToolButton,
    QWidget,
)  # fmt: skip

from evenpalette.app import theme
from evenpalette.app.about import AboutDialog
from evenpalette.app.stations import STATIONS
from evenpalette.app.stations.asset.bring_in import BringInDialog
from evenpalette.app.widgets.color_field import ColorField
from evenpalette.app.widgets.color_plane import gamut_edge, plane_colors
from evenpalette.core.color.hexcode import hex_to_linear
from evenpalette.core.document.project import Role
from evenpalette.core.edits.regions import remove_region
from evenpalette.core.errors import RegionError
from evenpalette.core.mesh import topology
from evenpalette.core.mesh.mesh import Mesh
from evenpalette.gpu.look import Show
from tests.helpers.gltf import two_materials
from tests.helpers.hand import Hand
from tests.ui.test_surface import named, when_open


def bring(hand: Hand, path: Path, act=lambda dialog: dialog.accept()) -> None:  # type: ignore[no-untyped-def]
    when_open(BringInDialog, act)
    hand.window.take_files([path])
    hand.wait(lambda: hand.session.state.mesh is not None)


def test_a_glb_is_offered_with_its_textures_and_worked_on_sheet_by_sheet(
    empty: Hand, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    (tmp_path / "case.glb").write_bytes(two_materials().glb())
    laid: list[bool] = []

    def uv_edges(mesh: Mesh) -> object:
        laid.append(threading.current_thread() is threading.main_thread())
        return topology.uv_edges(mesh)

    monkeypatch.setattr("evenpalette.core.mesh.view.uv_edges", uv_edges)

    def take(dialog: QWidget) -> None:
        assert isinstance(dialog, BringInDialog)
        assert len(dialog.taken) == 5
        tree = dialog.tree
        emissive = tree.topLevelItem(0).child(3)
        assert emissive.text(1) == "emissive"
        tree.setCurrentItem(emissive)
        QTest.keyClick(tree, Qt.Key.Key_Space)
        dialog.accept()

    bring(empty, tmp_path / "case.glb", take)
    session = empty.session
    assert [t.role for t in session.state.project.asset.textures] == [Role.PAINTED, Role.PACKED, Role.NORMAL]
    sheet = named(empty.window, "Sheet", QComboBox)
    assert [sheet.itemText(i) for i in range(sheet.count())] == ["1  Case", "2  Badge"]  # type: ignore[attr-defined]
    # A click on a part of another sheet in Form takes that one up; the rest is drawn as clay.
    views = empty.window.views
    picture = empty.form_and_flat()[0]
    rect = views.frame.form
    seen = np.argwhere(np.abs(picture - 119).max(-1) > 12)
    rightmost = seen[seen[:, 1] == seen[:, 1].max()][0]
    QTest.mouseClick(
        views, Qt.MouseButton.LeftButton, pos=QPoint(min(rect.right(), int(rightmost[1]) - 6), int(rightmost[0]) + 40)
    )
    empty.wait()
    assert session.state.sheet.name == "Badge"
    assert [t.role for t in session.state.project.asset.textures] == [Role.PAINTED]
    assert laid
    assert not any(laid), "the window waits for no line of a layout, of no sheet"
    # One change, one undo; and the second sheet was a change of its own.
    empty.keys("Ctrl+Z")
    assert session.state.sheet.name == "Case"
    empty.keys("Ctrl+Z")
    assert session.state.mesh is None


def test_an_obj_is_offered_with_what_its_library_names_and_a_picture_dropped_beside_it_is_there_once(
    empty: Hand, tmp_path: Path
) -> None:
    Image.fromarray(np.full((16, 16, 3), (90, 140, 200), np.uint8)).save(tmp_path / "paper.png")
    (tmp_path / "lamp.mtl").write_text("newmtl Paper\nmap_Kd paper.png\n")
    (tmp_path / "lamp.obj").write_text(
        "mtllib lamp.mtl\nv 0 0 0\nv 1 0 0\nv 0 1 0\nvt 0 0\nvt 1 0\nvt 0 1\nusemtl Paper\nf 1/1 2/2 3/3\n"
    )
    when_open(BringInDialog, lambda dialog: dialog.accept())
    empty.window.take_files([tmp_path / "lamp.obj", tmp_path / "paper.png"])
    empty.wait(lambda: empty.session.state.mesh is not None)
    (texture,) = empty.session.state.project.asset.textures
    assert (texture.name, texture.role, texture.source_path) == (
        "paper.png", Role.PAINTED, str(tmp_path / "paper.png")
    )  # fmt: skip
    # It is looked after like one that was brought in by itself.
    Image.fromarray(np.full((16, 16, 3), (200, 40, 40), np.uint8)).save(tmp_path / "paper.png")
    empty.wait(lambda: empty.session.state.textures[texture.id].pixels[0, 0, 0] == 200)


def test_what_is_not_accepted_is_not_taken(empty: Hand, tmp_path: Path) -> None:
    (tmp_path / "case.glb").write_bytes(two_materials().glb())
    done = []
    when_open(BringInDialog, lambda dialog: (dialog.reject(), done.append(1)))
    empty.window.take_files([tmp_path / "case.glb"])
    empty.wait(lambda: done)
    assert empty.session.state.mesh is None
    assert not empty.session.is_dirty


def test_regions_are_laid_over_what_is_shown_and_what_is_in_none_is_hatched(hand: Hand) -> None:
    session, views = hand.session, hand.window.views
    plain = hand.form_and_flat()[1]
    session.set_station("regions")
    hand.wait()
    over = hand.form_and_flat()[1]
    assert np.abs(over - plain).mean() > 10
    slider = named(hand.window, "Strength of the regions laid over", QSlider)
    slider.setValue(0)  # type: ignore[attr-defined]
    assert np.abs(hand.form_and_flat()[1] - plain).max() <= 2
    slider.setValue(60)  # type: ignore[attr-defined]
    session.apply("Without the tassel", lambda s: remove_region(s, s.region_ids[3]))
    hand.wait()
    place = hand.at_uv(0.15, 0.8)
    block = hand.picture()[place.y() - 12 : place.y() + 12, place.x() - 12 : place.x() + 12]
    assert block.max() > 180, "hatched: light and dark stripes"
    assert block.min() < 110
    # What was chosen at a station is there again, and the others are as they were.
    views.headers.flat_stage.setCurrentIndex(views.headers.flat_stage.findData(Show.ID))
    session.set_station("tones")
    assert views.headers.flat_stage.currentData() is Show.TONE
    session.set_station("regions")
    assert views.headers.flat_stage.currentData() is Show.ID


def test_the_project_menu_and_save_are_in_sight(hand: Hand, monkeypatch: pytest.MonkeyPatch) -> None:
    save = named(hand.window, "Save (Ctrl+S)", QToolButton)
    assert not save.isEnabled()
    hand.session.apply("x", lambda s: remove_region(s, s.region_ids[0]))
    assert save.isEnabled()
    QTest.mouseClick(save, Qt.MouseButton.LeftButton)
    hand.wait(lambda: not hand.session.is_dirty)
    found: list[str] = []
    shown: list[str] = []

    def about(dialog: QWidget) -> None:
        terms = dialog.findChild(QPlainTextEdit)
        assert terms is not None
        shown.append(terms.toPlainText())
        dialog.reject()  # type: ignore[attr-defined]

    def look(menu: QWidget) -> None:
        assert isinstance(menu, QMenu)
        found.extend(action.text().split("\t")[0] for action in menu.actions() if action.text())
        action = next(a for a in menu.actions() if a.text().startswith("About"))
        menu.close()
        when_open(AboutDialog, about)
        QTimer.singleShot(0, action.trigger)

    when_open(QMenu, look)
    QTest.mouseClick(named(hand.window, "Project menu", QPushButton), Qt.MouseButton.LeftButton)
    hand.wait(lambda: shown)
    assert {
        "New project",
        "Open project ...",
        "Save",
        "Save as ...",
        "Show folder",
        "Settings",
        "About and licenses ...",
    } <= set(found)
    # The terms of all that is installed with it are named.
    told = tomllib.loads((Path(__file__).parents[2] / "pyproject.toml").read_text())["project"]
    needed = [*told["dependencies"], *(d for key in ("meshopt", "usd", "oidn", "cluster") for d in told["optional-dependencies"][key])]  # fmt: skip
    names = [re.split("[<>=]", one)[0] for one in needed]
    assert [name for name in names if name.lower() not in shown[0].lower()] == []


def test_an_empty_view_offers_where_to_begin(empty: Hand) -> None:
    words = [b.text() for b in empty.window.views.findChildren(QPushButton) if b.isVisible()]
    assert words[:4] == ["Open the demo", "First walk", "Bring in files ...", "Open a project ..."]
    assert any("glTF" in hint.text() for hint in empty.window.views.findChildren(QLabel) if hint.isVisible())


def test_a_second_long_edit_says_that_one_is_running_and_a_failed_one_lets_the_next_run(hand: Hand) -> None:
    said: list[str] = []
    hand.session.said.connect(lambda text, bad: said.append(text) if bad else None)
    import threading

    gate = threading.Event()
    hand.session.run("First", lambda s, _: (gate.wait(20), s)[1])
    hand.session.run("Second", lambda s, _: s)
    gate.set()
    hand.wait()
    assert any("Second was not begun: First is still running" in text for text in said)

    def fails(_: object) -> object:
        raise RegionError("it cannot be")

    hand.session.run_latest("Fails", fails)  # type: ignore[arg-type]
    hand.session.run_latest("Works", lambda s: remove_region(s, s.region_ids[0]))
    hand.wait(lambda: len(hand.session.state.region_ids) == 6)
    assert QApplication.activeModalWidget() is None


def test_a_window_with_the_demo_is_painted_before_what_it_does_not_need_is_loaded(qapp: object, tmp_path: Path) -> None:
    """What the interface's thread has loaded by then; others may have begun to look for findings on a slow machine. It
    does not load the rest later either, which would stop the window."""
    code = (
        "import os, sys, pathlib, threading\n"
        "late = {'numba', 'scipy', 'tifffile', 'OpenEXR', 'trimesh', 'PIL', 'etcpak', 'embreex', 'evenpalette.app.stations.delivery.bench'}\n"
        "loaded = set()\n"
        "class Note:\n"
        "    def find_spec(self, name, path=None, target=None):\n"
        "        if threading.current_thread() is threading.main_thread(): loaded.add(name)\n"
        "sys.meta_path.insert(0, Note())\n"
        "from evenpalette.app.main import make_application; app = make_application()\n"
        "from evenpalette.app.window import MainWindow; w = MainWindow(); w.show()\n"
        "def painted():\n"
        "    if w.session.state.region_ids:\n"
        "        assert 'evenpalette.app.window' in loaded\n"
        "        print(sorted(late & loaded), flush=True); look.start(10)\n"
        "def there():\n"
        "    if 'evenpalette.app.stations.delivery.bench' in sys.modules and not w.session.tasks.is_busy and w.session.is_calm:\n"
        "        print(sorted(late & loaded), flush=True); os._exit(0)\n"
        "from PyQt6.QtCore import QTimer; look = QTimer(); look.timeout.connect(there)\n"
        "w.views.painted.connect(painted); w.project.open_demo(into=pathlib.Path(sys.argv[1])); app.exec()\n"
    )
    done = subprocess.run(
        [sys.executable, "-c", code, str(tmp_path / "m")], capture_output=True, text=True, timeout=120, check=False
    )
    assert set(done.stdout.split()) == {"[]"}, done.stdout + done.stderr[-400:]


def test_all_words_can_be_told_from_what_they_are_written_on() -> None:
    """WCAG 2.2, 1.4.3: at least 4.5 to 1, by its definition of relative luminance."""

    def luminance(color: str) -> float:
        red, green, blue = hex_to_linear(color)
        return float(0.2126 * red + 0.7152 * green + 0.0722 * blue)

    for words, ground in theme.WORDS_ON:
        high, low = sorted((luminance(words), luminance(ground)), reverse=True)
        assert (high + 0.05) / (low + 0.05) >= 4.5, (words, ground)


def test_everything_that_takes_the_keyboard_has_a_name(hand: Hand) -> None:
    """At every station: a name for accessibility, words of its own, or a tip."""
    missing = set()
    for station in (known.key for known in STATIONS):
        hand.session.set_station(station)
        hand.wait()
        for widget in hand.window.findChildren(QWidget):
            if (
                not widget.isVisible()
                or not widget.focusPolicy() & Qt.FocusPolicy.TabFocus
                or widget.focusProxy() is not None
            ):
                continue
            words = getattr(widget, "text", lambda: "")()
            inside = any(
                w.accessibleName()
                for w in (widget.parentWidget(), widget.parentWidget().parentWidget())
                if w is not None
            )
            if not (widget.accessibleName() or words or widget.toolTip() or inside):
                missing.add((station, type(widget).__name__, widget.objectName()))
    assert not missing, "; ".join(map(str, sorted(missing)))


@pytest.mark.own_window
def test_the_color_editor_shows_the_gamut_and_the_color_over_its_tone(hand: Hand) -> None:
    # CSS Color Module Level 4 gives red, lime and yellow as these; they are corners of sRGB, so its edge goes through
    # them.
    for lightness, chroma, hue in (
        (0.62796, 0.25768, 29.234),
        (0.86644, 0.29483, 142.495),
        (0.96798, 0.21101, 109.769),
    ):
        edge = gamut_edge(hue, 400)
        near = min(edge, key=lambda point: abs(point[1] - lightness))
        assert near[0] == pytest.approx(chroma, abs=0.008)
        colors, inside = plane_colors(hue)
        assert 0.1 < inside.mean() < 0.6
        assert colors[:, 0].std(0).min() > 0.2, "at chroma 0 it goes from black to white"
    hand.session.selection.select_step(hand.session.state.project.recipe.steps[0].id)
    hand.wait()
    bench = hand.window.bench("recipe")
    field = named(bench, "Color", ColorField)
    field.open_editor()  # type: ignore[attr-defined]
    popup = QApplication.activePopupWidget()
    assert popup is not None
    before = hand.session.state.values(hand.session.state.project.active_variant)
    plane = named(popup, "Lightness and chroma")
    QTest.mouseClick(plane, Qt.MouseButton.LeftButton, pos=QPoint(30, 40))
    parameter = next(p.id for p in hand.session.state.project.parameters if p.name == "Paper tint")
    after = hand.session.state.values(hand.session.state.project.active_variant)
    assert after[parameter] != before[parameter]
    assert {key for key in after if after[key] != before[key]} == {parameter}
    QTest.keyClick(named(popup, "Hue"), Qt.Key.Key_PageUp)
    turned = hand.session.state.values(hand.session.state.project.active_variant)[parameter]
    assert turned != after[parameter]
    assert any("comes out as" in w.accessibleName() for w in popup.findChildren(QWidget) if w.isVisible())
    clipboard = QApplication.clipboard()
    assert clipboard is not None
    clipboard.setText("#123456")
    plane.setFocus()
    QTest.keyClick(plane, Qt.Key.Key_V, Qt.KeyboardModifier.ControlModifier)
    assert hand.session.state.values(hand.session.state.project.active_variant)[parameter] == "#123456"
    QTest.keyClick(plane, Qt.Key.Key_C, Qt.KeyboardModifier.ControlModifier)
    assert clipboard.text() == "#123456"
    # The editor is gone when it is closed; the field goes on showing what the value is.
    popup.close()
    QTest.qWait(50)
    hand.keys("Ctrl+Z")
    shown = hand.session.state.values(hand.session.state.project.active_variant)[parameter]
    assert shown != "#123456"
    assert named(bench, "Color", ColorField).color == shown  # type: ignore[attr-defined]


def test_a_texture_that_holds_something_else_gets_its_line_anew_and_the_others_keep_theirs(hand: Hand) -> None:
    session, bench = hand.session, hand.window.bench("asset")
    hand.wait()
    table = hand.find("Textures", QTableWidget, bench)
    textures = session.state.project.asset.textures
    # The last one's role is changed as by a hand on the keys.
    last, boxes = len(textures) - 1, [table.cellWidget(line, 2) for line in range(len(textures))]
    box = boxes[last]
    assert isinstance(box, QComboBox)
    hand.focus()
    box.setFocus()
    before = textures[last].role
    while box.itemData(box.currentIndex()) is before:
        QTest.keyClick(box, Qt.Key.Key_Up)
    hand.wait(lambda: session.state.project.asset.textures[last].role is not before)
    after = [table.cellWidget(line, 2) for line in range(len(textures))]
    assert after[:last] == boxes[:last]
    assert after[last] is not box
    assert after[last].hasFocus(), "keys go on where they were"
    assert after[last].itemData(after[last].currentIndex()) is session.state.project.asset.textures[last].role
    session.undo()
    assert table.cellWidget(last, 2).currentText() == before.value
