"""The station Regions, driven as an artist drives it."""

import threading
from pathlib import Path

import numpy as np
import pytest
from PyQt6.QtCore import QEvent, QPoint, QPointF, Qt
from PyQt6.QtGui import QPointingDevice, QTabletEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QCheckBox, QComboBox, QLabel, QPushButton, QToolButton

from evenpalette.app.stations.regions.bench import RegionsBench
from evenpalette.app.stations.regions.clean_dialog import CleanDialog
from evenpalette.app.stations.regions.flag_dialog import FlagDialog
from evenpalette.app.stations.regions.mesh_source_dialog import MeshSourceDialog
from evenpalette.app.stations.regions.random_shares_dialog import ChanceDialog
from evenpalette.app.widgets.value_slider import ValueSlider
from evenpalette.core.color.hexcode import parse_hex
from evenpalette.core.edits.asset import replace_texture, set_encoding
from evenpalette.core.edits.refining import freeze
from evenpalette.core.mesh.read import read_mesh
from evenpalette.core.raster.image_read import read_image
from evenpalette.core.raster.image_write import write_image
from evenpalette.core.raster.raster import Encoding, Raster
from evenpalette.core.storage.storage import Storage
from evenpalette.gpu.look import Show
from tests.helpers.hand import Hand, choose, only_autosave


def at_regions(hand: Hand, page: str = "Source") -> RegionsBench:
    """The bench of the station with a page open."""
    hand.keys("Alt+2")
    bench = hand.window.bench("regions")
    assert isinstance(bench, RegionsBench)
    bench.pages.open(page)
    return bench


def ready_to_paint(hand: Hand) -> RegionsBench:
    """All regions frozen, the last one selected, the brush in hand, Flat showing flags."""
    session, views = hand.session, hand.window.views
    bench = at_regions(hand, "Paint")
    session.apply("Freeze", lambda s: freeze(s, s.region_ids))
    session.selection.select_region(session.state.region_ids[-1])
    views.headers.flat_stage.setCurrentIndex(views.headers.flat_stage.findData(Show.ID))
    hand.wait(lambda: views.stroke_tool.is_prepared)
    return bench


def drag(
    hand: Hand, start: QPoint, end: QPoint, modifier: Qt.KeyboardModifier = Qt.KeyboardModifier.NoModifier
) -> None:
    """A stroke with the left button, in small moves."""
    views = hand.window.views
    QTest.mousePress(views, Qt.MouseButton.LeftButton, modifier, start)
    steps = max(1, (end - start).manhattanLength() // 6)
    for step in range(1, steps + 1):
        QTest.mouseMove(views, start + (end - start) * step / steps)
    QTest.mouseRelease(views, Qt.MouseButton.LeftButton, modifier, end)
    hand.wait(lambda: views.stroke_tool.is_idle)


def test_regions_from_an_id_map_thresholds_and_undo(hand: Hand) -> None:
    session = hand.session
    bench = at_regions(hand)
    ids = session.state.region_ids
    hand.window.ledger.list.setFocus()
    QTest.keyClick(hand.window.ledger.list, Qt.Key.Key_Delete)
    hand.wait(lambda: len(session.state.region_ids) == len(ids) - 1)
    hand.wait(lambda: any(f.code == "gap" for f in session.watch.findings))
    gap = next(f for f in session.watch.findings if f.code == "gap")
    session.go_to.emit(*gap.place)
    assert hand.window.views.frame.plane.span < 0.5
    texture = session.state.project.asset.textures[1]
    hand.put_into("Added to")
    bench.from_flags(texture)
    hand.wait(lambda: len(session.state.region_ids) == len(ids))
    choose(hand.find("How edges are read", QComboBox, bench), "rgb")
    hand.wait(lambda: hand.find("Near", ValueSlider, bench).isVisible())
    hand.type_into(hand.find("Far", ValueSlider, bench).field, "120")
    hand.wait(lambda: session.state.project.regions.find(session.selection.region).source.far == 120)
    session.undo()
    session.undo()
    session.undo()
    session.undo()
    assert session.state.region_ids == ids


def test_faces_are_swept_on_form_counted_assigned_and_undone(hand: Hand) -> None:
    session, views = hand.session, hand.window.views
    hand.keys("S")
    bench = hand.window.bench("regions")
    assert isinstance(bench, RegionsBench)
    assert session.station == "regions"
    rect = views.frame.form
    middle = QPoint(rect.center().x(), rect.center().y())
    QTest.mousePress(views, Qt.MouseButton.LeftButton, pos=middle)
    for x in range(0, 60, 6):
        QTest.mouseMove(views, middle + QPoint(x, 0))
    QTest.mouseRelease(views, Qt.MouseButton.LeftButton, pos=middle + QPoint(60, 0))
    swept = int(session.selection.faces.sum())
    assert swept > 20
    hand.wait(
        lambda: f"{swept:,} faces selected, 0 of them hidden" in hand.find("Selected faces", QLabel, bench).text()
    )
    # Through takes the far side too, and says how much of it cannot be seen.
    hand.find("through", QCheckBox, bench).setChecked(True)
    QTest.mouseClick(views, Qt.MouseButton.LeftButton, pos=middle)
    hand.wait(
        lambda: (
            "hidden" in hand.find("Selected faces", QLabel, bench).text()
            and " 0 of them" not in hand.find("Selected faces", QLabel, bench).text()
        )
    )
    hand.find("through", QCheckBox, bench).setChecked(False)
    # A shell on Flat; Shift adds to it.
    hand.find("Picks", QComboBox, bench).setCurrentText("shell")
    QTest.mouseClick(views, Qt.MouseButton.LeftButton, pos=hand.at_uv(0.17, 0.8))
    tassel = int(session.selection.faces.sum())
    QTest.mouseClick(views, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.ShiftModifier, hand.at_uv(0.5, 0.8))
    assert int(session.selection.faces.sum()) > tassel > 100
    before = session.state
    hand.find("New region", QPushButton, bench.faces).click()
    hand.wait(lambda: len(session.state.region_ids) == 8)
    new = session.state.project.regions.regions[-1]
    assert session.selection.region == new.id
    assert session.state.coverages[new.id].max() == 255
    session.undo()
    assert session.state is before


def test_regions_from_the_mesh_and_by_chance(hand: Hand) -> None:
    session = hand.session
    bench = at_regions(hand)
    hand.put_into("A division of their own, Materials")
    bench.from_mesh("material")
    hand.wait(lambda: len(session.state.region_ids) == 13)
    dialog = ChanceDialog(session, hand.window)
    dialog.percentages.setText("60, 40")
    dialog.share()
    hand.wait(lambda: "asked 60.0%, got " in dialog.outcome.text())
    dialog.apart.setChecked(True)
    dialog.share()
    hand.wait(lambda: "neighbors" in dialog.outcome.text())
    # A second roll takes the place of the first; parts and materials stay.
    assert [len(d.regions) for d in session.state.project.regions.divisions] == [7, 6, 2]
    assert len({r.flag for r in session.state.project.regions.regions}) == 15


def test_an_id_map_is_cleaned_and_maps_and_vertex_colors_are_written(hand: Hand, tmp_path: Path) -> None:
    session = hand.session
    bench = at_regions(hand)
    texture = session.state.project.asset.textures[1]
    dirty = session.state.textures[texture.id].pixels.copy()
    dirty[(dirty == (255, 0, 0)).all(-1)] = (252, 1, 3)
    session.apply("dirt", lambda s: replace_texture(s, texture.id, Raster(dirty, Encoding.DATA)))
    dialog = CleanDialog(session, hand.window)
    dialog.clean()
    hand.wait(lambda: "texels made pure" in dialog.outcome.text())
    assert (session.state.textures[texture.id].pixels[100, 100] == (255, 0, 0)).all()
    bench.write_maps(tmp_path)
    hand.wait(lambda: (tmp_path / "density.exr").exists())
    bench.write_colors(tmp_path / "lantern.glb")
    hand.wait(lambda: (tmp_path / "lantern.glb").exists())
    other = read_mesh(tmp_path / "lantern.glb")
    assert other.colors is not None
    asked: list[MeshSourceDialog] = []
    bench.take_other(tmp_path / "lantern.glb", asked.append)
    hand.wait(lambda: asked)
    assert "colors" in asked[0].outcome.text()
    asked[0].take()
    hand.wait(lambda: any(r.name.startswith("Color") for r in session.state.project.regions.regions))


def test_a_color_is_picked_on_flat_as_a_region(hand: Hand) -> None:
    session, views = hand.session, hand.window.views
    bench = at_regions(hand)
    place = hand.at_uv(0.17, 0.8)
    QTest.mouseMove(views, place)
    hand.find("Pick a color", QPushButton, bench).click()
    QTest.mouseClick(views, Qt.MouseButton.LeftButton, pos=place)
    hand.wait(lambda: len(session.state.region_ids) == 8)
    source = session.state.project.regions.regions[-1].source
    assert source.color == "#ffff00"
    assert source.seed == pytest.approx((0.17, 0.8), abs=0.01)


def test_a_finding_is_mended_with_one_click(hand: Hand) -> None:
    session, ledger = hand.session, hand.window.ledger
    texture = session.state.project.asset.textures[1]
    session.apply("wrong", lambda s: set_encoding(s, texture.id, Encoding.SRGB))
    hand.wait(lambda: ledger.findings.count() == 1)
    ledger.findings.setCurrentRow(0)
    assert hand.find("Mend", QPushButton, ledger).isVisible()
    hand.find("Mend", QPushButton, ledger).click()
    hand.wait(lambda: ledger.findings.count() == 0)
    assert session.state.project.asset.textures[1].encoding is Encoding.DATA


def test_selecting_faces_can_be_undone_and_hidden_ones_are_only_taken_through(hand: Hand) -> None:
    session, views = hand.session, hand.window.views
    bench = at_regions(hand, "Faces")
    bench.faces.toggle.setChecked(True)
    hand.find("Picks", QComboBox, bench).setCurrentText("shell")
    rect = views.frame.form
    paper = QPoint(rect.center().x() + 30, rect.center().y())
    QTest.mouseClick(views, Qt.MouseButton.LeftButton, pos=paper)
    shown = int(session.selection.faces.sum())
    assert views.faces.count_hidden() == 0
    hand.find("through", QCheckBox, bench).setChecked(True)
    QTest.mouseClick(views, Qt.MouseButton.LeftButton, pos=paper)
    whole = int(session.selection.faces.sum())
    assert whole > 1.5 * shown
    hand.wait(lambda: f"{whole - shown:,} of them hidden" in hand.find("Selected faces", QLabel, bench).text())
    hand.find("Invert", QPushButton, bench.faces).click()
    assert session.history.undo_label == "Select faces: invert"
    assert not session.is_dirty, "a selection is no change of the project"
    hand.keys("Ctrl+Z")
    assert int(session.selection.faces.sum()) == whole
    hand.keys("Ctrl+Z")
    assert int(session.selection.faces.sum()) == shown
    hand.keys("Ctrl+Z")
    assert not session.selection.faces.any()
    hand.keys("Ctrl+Shift+Z")
    assert int(session.selection.faces.sum()) == shown
    # By direction, and what looks toward the viewer.
    hand.find("through", QCheckBox, bench).setChecked(False)
    hand.find("Picks", QComboBox, bench).setCurrentText("direction")
    hand.type_into(hand.find("Angle", ValueSlider, bench).field, "20")
    QTest.mouseClick(views, Qt.MouseButton.LeftButton, pos=paper)
    narrow = int(session.selection.faces.sum())
    hand.type_into(hand.find("Angle", ValueSlider, bench).field, "60")
    QTest.mouseClick(views, Qt.MouseButton.LeftButton, pos=paper)
    assert int(session.selection.faces.sum()) > narrow > 10
    hand.find("Facing", QPushButton, bench.faces).click()
    assert views.faces.count_hidden() == 0
    assert session.selection.faces.sum() > 100


def test_a_stroke_on_form_crosses_the_seam_and_is_one_undo(hand: Hand) -> None:
    """The paper is cut where u runs from 0 to 0.64 of the texture; the cut faces the viewer."""
    session, views = hand.session, hand.window.views
    ready_to_paint(hand)
    moth = session.selection.region
    before = session.state.coverages[moth]
    picture = hand.form_and_flat()
    rect = views.frame.form
    middle = QPoint(rect.center().x(), rect.center().y() + 40)
    drag(hand, middle - QPoint(70, 0), middle + QPoint(70, 0))
    after = session.state.coverages[moth]
    new = (after > 128) & (before <= 128)
    columns = np.flatnonzero(new[:, :660].any(0))
    assert columns.min() < 40
    assert columns.max() > 600
    assert np.diff(columns).max() > 200, "two places in the texture"
    # On the model it is one stroke: no gap along its middle, seen on Form itself.
    views.headers.form_stage.setCurrentIndex(views.headers.form_stage.findData(Show.COVERAGE))
    form = hand.form_and_flat()[0]
    stripe = form[middle.y() - 40 - 2 : middle.y() - 40 + 3, middle.x() - 60 : middle.x() + 60].mean(-1)
    frame = session.state.coverages[session.state.region_ids[1]]
    assert frame.max() == 255
    assert (stripe.max(0) > 180).mean() > 0.85
    # What it gained another region lost.
    assert sum(int(p[300, 20]) for p in session.state.coverages.values()) <= 256
    assert session.history.undo_label == "Paint Moth"
    views.headers.form_stage.setCurrentIndex(views.headers.form_stage.findData(Show.RECIPE))
    hand.keys("Ctrl+Z")
    assert session.state.coverages[moth] is before
    again = hand.form_and_flat()
    assert (np.abs(again[1] - picture[1]) > 2).mean() < 1e-4
    hand.keys("Ctrl+Shift+Z")
    assert np.array_equal(session.state.coverages[moth], after)


def test_paint_on_flat_is_seen_at_once_erased_locked_and_filled(hand: Hand) -> None:
    session, views = hand.session, hand.window.views
    bench = ready_to_paint(hand)
    moth, paper = session.state.region_ids[-1], session.state.region_ids[0]
    place = hand.at_uv(0.3, 0.2)
    QTest.mousePress(views, Qt.MouseButton.LeftButton, pos=place)
    hand.wait(lambda: not views.stroke_tool.has_dabs_left)
    shown = views.grab_color(QPointF(place))
    # What is on screen is a mip level; the dab is wide enough that its middle has next to nothing of the paper.
    assert min(parse_hex(shown)) >= 252, "the flag of the moth, while the button is still down"
    assert session.state.coverages[moth][204, 307] == 0, "and not yet in the document"
    QTest.mouseRelease(views, Qt.MouseButton.LeftButton, pos=place)
    hand.wait(lambda: session.state.coverages[moth][204, 307] == 255)
    # Shift draws a line from there.
    end = hand.at_uv(0.3, 0.3)
    QTest.mouseClick(views, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.ShiftModifier, end)
    hand.wait(lambda: views.stroke_tool.is_idle)
    assert session.state.coverages[moth][256, 307] == 255
    # Ctrl erases.
    QTest.mouseClick(views, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.ControlModifier, place)
    hand.wait(lambda: session.history.undo_label == "Erase from Moth")
    assert session.state.coverages[moth][204, 307] == 0
    # A locked region keeps its texels.
    session.selection.select_region(paper)
    hand.find("locked", QCheckBox, bench).click()
    session.selection.select_region(moth)
    drag(hand, hand.at_uv(0.2, 0.5), hand.at_uv(0.25, 0.5))
    assert session.state.coverages[paper][512, 230] == 255
    session.undo()
    session.undo()
    # Fill what lies under a click; invert.
    choose(bench.paint.action, "island")
    QTest.mouseClick(views, Qt.MouseButton.LeftButton, pos=hand.at_uv(0.17, 0.8))
    hand.wait(lambda: session.state.coverages[moth][819, 174] == 255)
    assert session.history.undo_label == "Fill island"
    hand.find("Invert", QPushButton, bench.paint).click()
    hand.wait(lambda: session.history.undo_label == "Invert")
    assert session.state.coverages[moth][819, 174] == 0


def test_a_region_that_follows_its_source_says_how_to_paint_it(hand: Hand) -> None:
    session, views = hand.session, hand.window.views
    bench = at_regions(hand, "Paint")
    QTest.mouseClick(views, Qt.MouseButton.LeftButton, pos=hand.at_uv(0.3, 0.2))
    assert "Freeze it to paint on it" in hand.window.probe.text
    bench.paint.freeze.click()
    hand.wait(lambda: session.state.project.regions.regions[0].source.kind == "painted")
    hand.keys("Ctrl+Shift+P")
    assert len(session.state.region_ids) == 8
    hand.wait(lambda: views.stroke_tool.is_prepared)
    QTest.mouseClick(views, Qt.MouseButton.LeftButton, pos=hand.at_uv(0.3, 0.2))
    hand.wait(lambda: session.state.coverages[session.state.region_ids[-1]].max() == 255)


@pytest.mark.own_window
def test_a_pen_paints_with_its_pressure(hand: Hand) -> None:
    session, views = hand.session, hand.window.views
    bench = ready_to_paint(hand)
    hand.find("Size", QCheckBox, bench.paint).setChecked(True)
    hand.find("Flow", QCheckBox, bench.paint).setChecked(False)
    hand.type_into(hand.find("Hardness", ValueSlider, bench.paint).field, "100")
    widths = []
    for v, pressure in ((0.15, 1.0), (0.25, 0.5)):
        place = QPointF(hand.at_uv(0.3, v))
        for kind in (QEvent.Type.TabletPress, QEvent.Type.TabletMove, QEvent.Type.TabletRelease):
            button = Qt.MouseButton.LeftButton
            event = QTabletEvent(
                kind, QPointingDevice.primaryPointingDevice(), place, QPointF(views.mapToGlobal(place.toPoint())),
                pressure, 0, 0, 0, 0, 0, Qt.KeyboardModifier.NoModifier, button, button,
            )  # fmt: skip
            QApplication.sendEvent(views, event)
        hand.wait(lambda: views.stroke_tool.is_idle)
        row = session.state.coverages[session.selection.region][round(v * 1024)]
        widths.append(int((row[250:360] > 128).sum()))
    assert widths[0] == pytest.approx(48, abs=2)
    assert widths[1] == pytest.approx(24, abs=2)


def test_paint_survives_a_crash_by_the_autosave(hand: Hand, tmp_path: Path) -> None:
    session, views = hand.session, hand.window.views
    ready_to_paint(hand)
    drag(hand, hand.at_uv(0.2, 0.2), hand.at_uv(0.4, 0.2))
    painted = session.state.coverages[session.selection.region]
    assert painted[205, 307] == 255
    session.keeping.autosave()
    hand.wait()
    recovered = Storage(only_autosave(tmp_path)).open()
    assert np.array_equal(recovered.coverages[session.selection.region], painted)
    assert np.array_equal(recovered.made[session.selection.region].raw, painted)
    assert views.stroke_tool.is_idle


def test_operations_are_added_set_moved_and_frozen_on_their_cards(hand: Hand) -> None:
    session = hand.session
    page = at_regions(hand, "Operations").operations
    paper = session.selection.region
    before = session.state.coverages[paper]
    page.add_kind("noise")
    hand.wait(lambda: len(page.cards) == 1)
    card = page.cards[0]
    noisy = session.state.coverages[paper]
    assert not np.array_equal(noisy, before)
    hand.type_into(card.fields["seed"].inner.field, "9")
    hand.wait(lambda: session.state.project.regions.regions[0].operations[0].settings["seed"] == 9)
    assert not np.array_equal(session.state.coverages[paper], noisy)
    card.fields["meets"].inner.activated.emit(card.fields["meets"].inner.findData("subtract"))
    hand.wait(lambda: session.state.project.regions.regions[0].operations[0].settings["meets"] == "subtract")
    page.add_kind("levels")
    hand.wait(lambda: len(page.cards) == 2)
    hand.find("Earlier in the chain", QToolButton, page.cards[1]).click()
    hand.wait(lambda: [o.kind for o in session.state.project.regions.regions[0].operations] == ["levels", "noise"])
    page.cards[0].switch.toggled.emit(False)
    hand.wait(lambda: not session.state.project.regions.regions[0].operations[0].on)
    frozen = session.state.coverages[paper]
    page.freeze.click()
    hand.wait(lambda: not session.state.project.regions.regions[0].operations)
    assert np.array_equal(session.state.coverages[paper], frozen)
    while session.history.undo_label:
        session.undo()
    assert session.state.coverages[paper] is before


def test_encodings_are_measured_recommended_and_written(hand: Hand, tmp_path: Path) -> None:
    page = at_regions(hand, "Encodings").encodings
    page.measure.click()
    hand.wait(lambda: page.table.rowCount() == 7)
    words = [page.table.item(line, 0).text() for line in range(7)]
    assert "Several channel masks" in words
    assert hand.find("Recommendation", QLabel, page).text().startswith("Recommended: Several channel masks, 2 textures")
    assert page.table.currentRow() == words.index("Several channel masks")
    page.write_to(tmp_path)
    hand.wait(lambda: (tmp_path / "regions-masks-2.png").exists())
    first = read_image(tmp_path / "regions-masks-1.png").pixels
    for channel, region in enumerate(hand.session.state.region_ids[:4]):
        assert np.abs(first[..., channel].astype(int) - hand.session.state.coverages[region]).max() <= 1


def test_flags_are_planned_for_as_many_as_asked(hand: Hand) -> None:
    session = hand.session
    at_regions(hand)
    dialog = FlagDialog(session, hand.window)
    hand.wait(lambda: dialog.plan is not None)
    assert "passes third flags at" in dialog.outcome.text()
    dialog.give()
    assert (
        session.history.undo_label == "Plan flag colors" or session.state.project.regions.regions[3].flag == "#ffff00"
    )
    dialog.any.setChecked(True)
    dialog.count.setValue(64)
    hand.wait(lambda: len(dialog.plan.flags) == 64)
    assert "Not every edge can be kept clear" in dialog.outcome.text()
    dialog.copy()
    clipboard = QApplication.clipboard()
    assert clipboard is not None
    assert len(clipboard.text().split()) == 64


def test_a_file_that_changes_on_disk_is_read_again_with_what_was_made_on_it(hand: Hand, tmp_path: Path) -> None:
    session, window = hand.session, hand.window
    image = np.zeros((256, 256, 3), np.uint8)
    image[:, :128, 0], image[:, 128:, 1] = 255, 255
    path = tmp_path / "stall-id.png"
    write_image(Raster(image, Encoding.DATA), path)
    window.project.new_project()
    hand.wait()
    window.take_files([path])
    hand.wait(lambda: len(session.state.project.asset.textures) == 1)
    bench = at_regions(hand)
    bench.from_flags(session.state.project.asset.textures[0])
    hand.wait(lambda: len(session.state.region_ids) == 2)
    bench.operations.add_kind("invert")
    hand.wait(lambda: len(session.state.project.regions.regions[0].operations) == 1)
    green = session.state.project.regions.regions[0]
    assert green.source.color == "#00ff00"
    assert session.state.coverages[green.id][0, 20] == 255
    # Another program writes it beside and renames it.
    image[:, :64] = (0, 255, 0)
    write_image(Raster(image, Encoding.DATA), tmp_path / "new.png")
    (tmp_path / "new.png").rename(path)
    hand.wait(lambda: session.state.coverages[green.id][0, 20] == 0, seconds=15)
    assert session.state.coverages[green.id][0, 100] == 255, "the operation is run on the new image"
    assert "stall-id.png changed on disk" in window.probe.text
    session.undo()
    assert session.state.coverages[green.id][0, 20] == 255


def test_a_file_that_is_written_while_it_comes_in_is_read_again(hand: Hand, tmp_path: Path) -> None:
    session, window = hand.session, hand.window
    path = tmp_path / "stall-sketch.png"
    write_image(Raster(np.full((64, 64, 3), 40, np.uint8), Encoding.SRGB), path)
    window.project.new_project()
    hand.wait()
    window.take_files([path])
    for reading in [thread for thread in threading.enumerate() if thread.name.startswith("Bring in")]:
        reading.join()
    # It is read, and the window has not taken it yet.
    write_image(Raster(np.full((64, 64, 3), 200, np.uint8), Encoding.SRGB), path)

    def gray() -> int:
        textures = session.state.project.asset.textures
        return int(session.state.textures[textures[0].id].pixels[0, 0, 0]) if textures else -1

    hand.wait(lambda: gray() == 200, seconds=20)
    assert "stall-sketch.png changed on disk" in window.probe.text


@pytest.mark.own_window
def test_vertex_colors_become_regions_by_a_tolerance_that_says_what_it_gives(hand: Hand, tmp_path: Path) -> None:
    session, window = hand.session, hand.window
    bench = at_regions(hand)
    bench.write_colors(tmp_path / "flags.ply")
    hand.wait(lambda: (tmp_path / "flags.ply").exists())
    window.take_files([tmp_path / "flags.ply"])
    hand.wait(lambda: session.state.mesh is not None and session.state.mesh.mesh.colors is not None)
    dialog = MeshSourceDialog(session, window)
    assert dialog.outcome.text() == "flags.ply has 7 colors."
    dialog.tolerance.edited.emit(200.0)
    hand.type_into(dialog.tolerance.field, "200")
    assert "flags.ply has 7 colors" in dialog.outcome.text(), "pure corners are 255 apart"
    before = len(session.state.region_ids)
    dialog.take()
    hand.wait(lambda: "Made 7 regions" in dialog.outcome.text())
    assert len(session.state.region_ids) == before + 7
    # Selecting by vertex color takes the same faces.
    bench.pages.open("Faces")
    bench.faces.toggle.setChecked(True)
    hand.find("Picks", QComboBox, bench).setCurrentText("vertex color")
    hand.find("through", QCheckBox, bench).setChecked(True)
    QTest.mouseClick(window.views, Qt.MouseButton.LeftButton, pos=hand.at_uv(0.17, 0.8))
    colors = session.state.mesh.mesh.colors[session.selection.faces].reshape(-1, 4)
    assert len(colors) > 100
    assert np.ptp(colors, axis=0).max() < 24 / 255


def test_a_ramp_is_shaped_by_keyboard_and_pointer(hand: Hand) -> None:
    session = hand.session
    page = at_regions(hand, "Operations").operations
    page.add_kind("ramp")
    hand.wait(lambda: len(page.cards) == 1)
    field = page.cards[0].fields["stops"].inner

    def stops() -> str:
        return str(session.state.project.regions.regions[0].operations[0].settings["stops"])

    assert stops() == "0:0, 0.5:1, 1:0"
    field.setFocus()
    QTest.keyClick(field, Qt.Key.Key_Space)
    QTest.keyClick(field, Qt.Key.Key_Right)
    hand.wait(lambda: stops() == "0:0, 0.52:1, 1:0")
    QTest.keyClick(field, Qt.Key.Key_Delete)
    hand.wait(lambda: stops() == "0:0, 1:0")
    QTest.mouseDClick(field, Qt.MouseButton.LeftButton, pos=QPoint(field.width() // 2, 8))
    hand.wait(lambda: stops().count(":") == 3)
    assert session.state.coverages[session.selection.region].max() > 200
    session.undo()
    assert stops().count(":") <= 3


@pytest.mark.own_window
def test_a_layout_of_several_tiles_is_worked_on_tile_by_tile(hand: Hand, tmp_path: Path) -> None:
    session, window = hand.session, hand.window
    lines = []
    for index, u in enumerate((0, 1)):
        lines += [f"v {x + 2 * index} {y} 0" for x, y in ((0, 0), (1, 0), (1, 1), (0, 1))]
        lines += [f"vt {u + x} {y}" for x, y in ((0.1, 0.1), (0.9, 0.1), (0.9, 0.9), (0.1, 0.9))]
        lines.append("f " + " ".join(f"{4 * index + i}/{4 * index + i}" for i in (1, 2, 3, 4)))
    (tmp_path / "boards.obj").write_text("\n".join(lines))
    window.project.new_project()
    hand.wait()
    window.take_files([tmp_path / "boards.obj"])
    hand.wait(lambda: session.state.mesh is not None)
    asset = window.bench("asset")
    assert asset.tile.isVisible()
    bench = at_regions(hand)
    bench.from_mesh("shell")
    hand.wait(lambda: "Choose the tile to work in" in window.probe.text)
    hand.keys("Alt+1")
    asset.tile.activated.emit(asset.tile.findData("1002"))
    hand.wait(lambda: session.state.mesh.mesh.tile == "1002")
    assert asset.tile.currentText() == "1002, 2 faces"
    bench.from_mesh("shell")
    hand.wait(lambda: len(session.state.region_ids) == 2)
    first, second = (session.state.coverages[r] for r in session.state.region_ids)
    assert first.max() == 0
    assert second[512, 512] == 255
    session.undo()
    session.undo()
    assert session.state.mesh.mesh.tile == ""


def test_painting_is_mirrored_and_a_simulated_pen_sets_in(hand: Hand) -> None:
    session, views = hand.session, hand.window.views
    bench = ready_to_paint(hand)
    choose(bench.paint.mirror, "x")
    bench.paint.simulate.setChecked(True)
    hand.wait(lambda: views.stroke_tool.is_prepared)
    moth = session.selection.region
    before = session.state.coverages[moth]
    rect = views.frame.form
    start = QPoint(rect.center().x() + 20, rect.center().y() + 50)
    drag(hand, start, start + QPoint(50, 0))
    assert views.stroke_tool.is_idle
    assert session.state.mesh is not None
    texels = session.state.mesh.texels((1024, 1024))
    mesh = session.state.mesh.mesh
    new = (session.state.coverages[moth].astype(int) - before > 40) & (texels.faces >= 0)
    x = texels.at_corners(mesh.positions[mesh.faces][..., 0])[new]
    middle = float(sum(bound[0] for bound in mesh.bounds)) / 2
    left, right = int((x < middle).sum()), int((x > middle).sum())
    assert min(left, right) > 300
    assert left == pytest.approx(right, rel=0.25)
