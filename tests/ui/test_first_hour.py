"""The first hour of somebody with a mesh and a painted picture: nothing is silent, the painted look stays, files
open."""

from pathlib import Path

import numpy as np
import pytest
import trimesh
from PyQt6.QtCore import QPoint, Qt, QTimer
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import (
    QAbstractButton,
    QApplication,
    QComboBox,
    QLabel,
    QLineEdit,
    QListWidget,
    QPushButton,
    QWidget,
)

from evenpalette.app.views.loupe import Loupe
from evenpalette.cli import main as command_line
from evenpalette.core.edits.asset import set_up
from evenpalette.core.edits.recipe import add_step, set_base
from evenpalette.core.edits.tone import make_tone
from evenpalette.core.edits.variants import set_value
from evenpalette.core.mesh.read import parse_mesh
from evenpalette.core.mesh.upright import guess_up
from evenpalette.core.raster.image_write import write_image
from evenpalette.core.raster.raster import Encoding, Raster
from evenpalette.core.storage.storage import Storage
from tests.helpers.hand import Hand


def can_obj(folder: Path, up: str = "y") -> Path:
    """A can that stands on the ground of an axis, with UVs around it, as OBJ."""
    body = trimesh.creation.cylinder(radius=0.5, height=2.0, sections=24)
    points = body.vertices + [0, 0, 1.0]
    points = points if up == "z" else points[:, [0, 2, 1]] * [1, 1, -1]
    around = body.vertices
    uvs = np.stack([np.arctan2(around[:, 1], around[:, 0]) / (2 * np.pi) * 0.9 + 0.5, around[:, 2] * 0.4 + 0.5], -1)
    lines = [*(f"v {x} {y} {z}" for x, y, z in points), *(f"vt {u} {v}" for u, v in uvs)]
    lines += ["f " + " ".join(f"{i + 1}/{i + 1}" for i in face) for face in body.faces]
    path = folder / f"can-{up}.obj"
    path.write_text("\n".join(lines))
    return path


def paint_png(folder: Path) -> Path:
    pixels = np.full((128, 128, 3), (176, 48, 40), np.uint8)
    pixels[64:] = (40, 90, 150)
    write_image(Raster(pixels, Encoding.SRGB), folder / "can_BaseColor.png")
    return folder / "can_BaseColor.png"


@pytest.fixture
def can(empty: Hand, tmp_path: Path) -> Hand:
    empty.window.take_files([can_obj(tmp_path), paint_png(tmp_path)])
    empty.wait(lambda: empty.session.state.mesh is not None and empty.session.state.project.asset.textures)
    return empty


def test_a_color_is_picked_from_the_paint_in_either_view_with_a_loupe_and_a_preview(can: Hand) -> None:
    window, session = can.window, can.session
    bench = window.bench("regions")
    said: list[str] = []
    session.said.connect(lambda text, _: said.append(text))
    pick = can.find("Pick a color", QPushButton, bench)
    pick.click()
    assert "where can_BaseColor.png has the color" in said[-1]
    loupe = window.views.findChild(Loupe)
    assert loupe is not None
    place = can.at_uv(0.5, 0.25)
    QTest.mouseMove(window.views, place)
    assert loupe.isVisible()
    assert loupe.color == "#b03028"
    QTest.mouseMove(window.views, can.at_uv(0.5, 0.75))
    assert loupe.color == "#285a96"
    before = can.picture()
    can.wait()
    # What the click would cover is drawn before it.
    can.wait(lambda: np.abs(can.picture() - before).max() > 20)
    assert session.state.region_ids == []
    QTest.mouseClick(window.views, Qt.MouseButton.LeftButton, pos=can.at_uv(0.5, 0.75))
    can.wait(lambda: len(session.state.region_ids) == 1)
    assert not loupe.isVisible()
    region = session.state.project.regions.regions[0]
    assert region.source.color == "#285a96"
    assert session.selection.region == region.id
    share = session.state.coverages[region.id]
    assert share[100].min() == 255
    assert share[20].max() == 0
    # On Form too, whatever it shows; beside the model it says so and goes on; Esc ends it.
    pick.click()
    form = window.views.frame.form
    QTest.mouseClick(window.views, Qt.MouseButton.LeftButton, pos=QPoint(form.left() + 4, form.bottom() - 4))
    assert "There is nothing of can_BaseColor.png there" in said[-1]
    QTest.mouseClick(window.views, Qt.MouseButton.LeftButton, pos=form.center())
    can.wait(lambda: len(session.state.region_ids) == 2 or session.state.region_ids != [region.id])
    pick.click()
    QTest.keyClick(window.views, Qt.Key.Key_Escape)
    assert not loupe.isVisible()
    can.wait_judged()
    assert "impure-flag" not in {f.code for f in session.watch.findings}


def test_the_first_change_after_a_fit_offers_a_variant_once_and_the_painted_look_stays(can: Hand) -> None:
    session = can.session
    can.window.bench("regions")
    from evenpalette.core.edits.face_sets import regions_from_mesh

    said: list[str] = []
    session.said.connect(lambda text, _: said.append(text))
    assert session.apply("Regions", lambda s: regions_from_mesh(s, "material")), said
    assert session.apply("Tone", lambda s: make_tone(s)), said
    can.wait()
    offer = can.find("Offer of a variant", QWidget)
    assert not offer.isVisible()
    tint = session.state.project.parameters[0]
    session.apply("Tint", lambda s: set_value(s, None, tint.id, "#2060c0"), "tint")
    session.apply("Tint", lambda s: set_value(s, None, tint.id, "#20a0c0"), "tint")
    assert offer.isVisible()
    can.find("Make it a variant", QPushButton, offer).click()
    assert not offer.isVisible()
    project = session.state.project
    assert project.parameters[0].default == tint.default, "the defaults are as painted"
    assert [v.values for v in project.variants] == [{tint.id: "#20a0c0"}]
    assert project.active_variant == project.variants[0].id
    session.undo()
    assert session.state.project.parameters[0].default == "#20a0c0"
    session.apply("Tint", lambda s: set_value(s, None, tint.id, "#c0a020"))
    assert not offer.isVisible(), "once"


def test_from_two_files_to_twelve_variants_are_ten_clicks(can: Hand) -> None:
    window, session = can.window, can.session
    clicks = 0

    def click(widget: QWidget, at: QPoint | None = None) -> None:
        nonlocal clicks
        assert widget.isVisible()
        assert widget.isEnabled()
        QTest.mouseClick(widget, Qt.MouseButton.LeftButton, pos=at or widget.rect().center())
        clicks += 1

    def station(title: str) -> None:
        click(next(b for b in window.findChildren(QAbstractButton) if b.accessibleName().startswith(f"{title}, ")))

    station("Regions")
    for number, v in enumerate((0.25, 0.75), 1):
        click(can.find("Pick a color", QPushButton))
        click(window.views, can.at_uv(0.5, v))
        can.wait(lambda n=number: len(session.state.region_ids) == n)
    station("Tones")
    click(can.find("Fit the tone", QPushButton))
    can.wait(lambda: session.state.project.recipe.steps)
    station("Variants")

    def accept() -> None:
        dialog = QApplication.activeModalWidget()
        if dialog is None:
            QTimer.singleShot(20, accept)
            return
        keep = can.find("Keep them", QPushButton, within=dialog)
        can.wait(keep.isEnabled)
        click(keep)

    QTimer.singleShot(0, accept)
    click(can.find("Roll ...", QPushButton))
    can.wait(lambda: len(session.state.project.variants) == 12)
    assert clicks <= 10


def test_what_cannot_be_read_is_left_out_and_the_rest_is_there(empty: Hand, tmp_path: Path) -> None:
    session = empty.session
    said: list[tuple[str, bool]] = []
    session.said.connect(lambda text, is_bad: said.append((text, is_bad)))
    (tmp_path / "torn.obj").write_text("v 0 0 0\nv 1 0 0\nf 1 2 9\n")
    (tmp_path / "torn.glb").write_bytes(b"glTF and nothing else")
    empty.window.take_files([tmp_path / "torn.obj", tmp_path / "torn.glb", paint_png(tmp_path)])
    empty.wait(lambda: session.state.project.asset.textures)
    assert [t.name for t in session.state.project.asset.textures] == ["can_BaseColor.png"]
    assert session.state.mesh is None
    text, is_bad = said[-1]
    assert is_bad
    assert "torn" in text
    assert "1 more file could not be read either" in text
    session.undo()
    assert not session.state.project.asset.textures
    empty.window.take_files([tmp_path / "torn.obj", tmp_path / "torn.glb"])
    empty.wait(lambda: len(said) > 1)
    assert said[-1][1]
    assert not session.state.project.asset.textures


def test_a_mesh_that_lies_on_its_side_is_set_upright_and_can_be_turned(empty: Hand, tmp_path: Path) -> None:
    empty.window.take_files([can_obj(tmp_path, "z")])
    empty.wait(lambda: empty.session.state.mesh is not None)
    bench = empty.window.bench("asset")
    box = empty.find("Upright axis", QComboBox, bench)
    assert box.currentData() == "z"

    def height(axis: int) -> float:
        low, high = empty.session.state.mesh.mesh.bounds  # type: ignore[union-attr]
        return float(high[axis] - low[axis])

    assert height(1) == pytest.approx(2.0)
    box.setCurrentIndex(box.findData("y"))
    box.activated.emit(box.currentIndex())
    empty.wait(lambda: height(2) == pytest.approx(2.0))
    empty.session.undo()
    assert height(1) == pytest.approx(2.0)
    Storage(tmp_path / "p").save(empty.session.state)
    opened = Storage(tmp_path / "p").open()
    assert np.array_equal(opened.mesh.mesh.positions, empty.session.state.mesh.mesh.positions)  # type: ignore[union-attr]
    # Read from its file anew it stands as before, and one that stands already is left alone.
    assert opened.project.mesh is not None
    assert opened.project.mesh.up == "z"
    standing = parse_mesh(can_obj(tmp_path, "y").read_bytes(), "can-y.obj")
    assert guess_up(standing) == "y"
    lying = set_up(opened, "x").mesh
    assert lying is not None
    normals = lying.mesh.normals
    assert np.allclose(np.linalg.norm(normals, axis=-1), 1, atol=1e-5)


def test_findings_are_left_as_they_are_by_a_key_and_looked_at_again(can: Hand) -> None:
    session, window = can.session, can.window
    session.apply("Mix", lambda s: add_step(s, "mix", None))
    can.wait(lambda: any(f.code == "no-texture" for f in session.watch.findings))
    findings = window.ledger.findings
    count = len(session.watch.findings)
    findings.setFocus()
    findings.setCurrentRow(0)
    QTest.keyClick(findings, Qt.Key.Key_Delete)
    can.wait(lambda: len(session.watch.findings) < count)
    assert len(session.watch.left) == count - len(session.watch.findings)
    line = findings.item(findings.count() - 1)
    assert line is not None
    assert "left as" in line.text()
    findings.itemClicked.emit(line)
    findings.setCurrentRow(findings.count() - 1)
    QTest.keyClick(findings, Qt.Key.Key_Delete)
    can.wait(lambda: len(session.watch.findings) == count)


def test_delivery_says_what_is_missing_and_that_the_defaults_go_out_without_variants(can: Hand, tmp_path: Path) -> None:
    bench = can.window.bench("delivery")
    can.wait()
    deliver, why = can.find("Deliver", QAbstractButton, bench), "Nothing to deliver yet: add a step at Recipe."
    assert not deliver.isEnabled()
    assert can.find(why, QLabel, bench).isVisible()
    variants = can.find("Variants to deliver", QListWidget, bench)
    assert [variants.item(row).text() for row in range(variants.count())] == [  # type: ignore[union-attr]
        "No variants yet: the defaults are delivered as one"
    ]
    can.session.apply("Tint", lambda s: set_base(add_step(s, "tint", None), s.project.asset.textures[0].id))
    can.wait(deliver.isEnabled)
    assert not can.find(why, QLabel, bench).isVisible()
    can.find("Folder to deliver to", QLineEdit, bench).setText(str(tmp_path / "out"))
    deliver.click()
    can.wait(lambda: (tmp_path / "out" / "variants" / "default").is_dir())


def test_the_probe_is_read_whole(hand: Hand) -> None:
    hand.window.probe.set_texel((0.3, 0.2))
    hand.wait(lambda: "uv 0.300, 0.200" in hand.window.probe.text)
    hand.keys("I")
    card = hand.find("All of the texel", QWidget, hand.window)
    words = [
        label.text()
        for label in card.findChildren(type(hand.window.probe.findChildren(QWidget)[0]))
        if hasattr(label, "text")
    ]
    assert card.isVisible()
    assert any(word.startswith("uv 0.300") for word in words)
    assert any(word.startswith("final #") for word in words)
    assert any(word.startswith("roughness") for word in words)
    assert all(" > " not in word for word in words)
    card.close()


def test_files_on_the_command_line_and_tiles_of_new(
    tmp_path: Path, capsys: pytest.CaptureFixture[str], monkeypatch: pytest.MonkeyPatch
) -> None:
    opened: list[object] = []
    monkeypatch.setattr(
        "evenpalette.app.main.run", lambda project=None, **how: opened.append((project, how["files"])) or 0
    )
    mesh, paint = can_obj(tmp_path), paint_png(tmp_path)
    assert command_line([str(mesh), str(paint)]) == 0
    assert opened == [(None, [mesh, paint])]
    assert command_line([str(mesh), str(tmp_path / "missing.png")]) == 2
    assert "missing.png" in capsys.readouterr().err
    # A picture that repeats: the layout leaves the tile, and all of it is wrapped into one.
    text = mesh.read_text().replace("vt 0.", "vt 2.")
    (tmp_path / "far.obj").write_text(text)
    assert command_line(["new", str(tmp_path / "a"), "--mesh", str(tmp_path / "far.obj"), "--texture", str(paint)]) == 0
    made = Storage(tmp_path / "a").open()
    assert made.project.mesh is not None
    assert made.project.mesh.tile == "wrap"
    assert command_line(["new", str(tmp_path / "b"), "--mesh", str(tmp_path / "far.obj"), "--tile", "1003"]) == 0
    tile = Storage(tmp_path / "b").open().project.mesh
    assert tile is not None
    assert tile.tile == "1003"
    assert command_line(["new", str(tmp_path / "d"), "--mesh", str(tmp_path / "far.obj"), "--tile", "1099"]) == 2
    assert "1099" in capsys.readouterr().err
    write_image(Raster(np.zeros((8, 8, 3), np.uint8), Encoding.SRGB), tmp_path / "paint.1002.png")
    assert (
        command_line(
            [
                "new",
                str(tmp_path / "c"),
                "--mesh",
                str(tmp_path / "far.obj"),
                "--texture",
                str(tmp_path / "paint.1002.png"),
            ]
        )
        == 0
    )
    tiled = Storage(tmp_path / "c").open().project.mesh
    assert tiled is not None
    assert tiled.tile == "", "pictures with the numbers of tiles do not repeat"
