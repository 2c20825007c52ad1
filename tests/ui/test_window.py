"""The window, driven as an artist drives it."""

from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from PyQt6.QtCore import QMimeData, QPoint, QPointF, Qt, QUrl
from PyQt6.QtGui import QDropEvent, QImage
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QComboBox, QLabel, QPushButton, QToolButton

from evenpalette.app import dialogs
from evenpalette.app.stations import STATIONS
from evenpalette.app.stations.delivery.bench import DeliveryBench
from evenpalette.app.stations.recipe.bench import RecipeBench
from evenpalette.app.stations.recipe.step_cards import OpenCard
from evenpalette.app.stations.tones.bench import TonesBench
from evenpalette.app.widgets.color_editor import ColorEditor
from evenpalette.app.widgets.color_field import ColorField
from evenpalette.app.widgets.pixels import pixels_of
from evenpalette.app.widgets.value_slider import ValueSlider
from evenpalette.core.color.encoding import decode_srgb
from evenpalette.core.edits.asset import replace_texture
from evenpalette.core.edits.variants import set_value
from evenpalette.core.mesh.camera import PlaneView
from evenpalette.core.raster.image_read import read_image
from evenpalette.core.raster.image_write import write_image
from evenpalette.core.raster.raster import Encoding, Raster
from evenpalette.core.storage.storage import Storage
from evenpalette.gpu.look import Show
from tests.helpers.hand import Hand, only_autosave


def open_field(hand: Hand, kind: type):  # type: ignore[no-untyped-def]
    """The first editor of a kind on the open step card."""
    bench = hand.window.bench("recipe")
    assert isinstance(bench, RecipeBench)
    return next(row.editor.inner for row in bench.findChild(OpenCard).rows if isinstance(row.editor.inner, kind))


def test_the_whole_path_from_a_typed_color_to_delivered_files(hand: Hand, tmp_path: Path) -> None:
    session, window = hand.session, hand.window
    # Select the paper on the texture by a click.
    QTest.mouseClick(window.views, Qt.MouseButton.LeftButton, pos=hand.at_uv(0.3, 0.55))
    paper = session.state.project.regions.regions[0]
    assert session.selection.region == paper.id
    # Type a color; both views show it, and nothing outside the region changes.
    form, flat = hand.form_and_flat()
    hand.type_into(open_field(hand, ColorField).hex, "#3060c0")
    new_form, new_flat = hand.form_and_flat()
    for before, after in ((form, new_form), (flat, new_flat)):
        changed = np.abs(after - before).max(-1) > 8
        assert 0.04 < changed.mean() < 0.6
        blue = after[changed].mean(0)
        assert blue[2] > blue[0] + 20
    # Undo shows the old picture again, redo the new one.
    hand.keys("Ctrl+Z")
    assert np.abs(hand.form_and_flat()[1] - flat).max() <= 1
    hand.keys("Ctrl+Shift+Z")
    assert np.abs(hand.form_and_flat()[1] - new_flat).max() <= 1
    # Derive a variant: it follows, then says something itself.
    hand.keys("Ctrl+D")
    derived = session.state.project.variants[1]
    assert derived.parent == session.state.project.variants[0].id
    assert session.state.project.active_variant == derived.id
    hand.type_into(open_field(hand, ColorField).hex, "c03060")
    assert session.state.values(derived.id) != session.state.values(derived.parent)
    # Save, reopen: the same document.
    session.save(tmp_path / "saved")
    hand.wait(lambda: not session.is_dirty)
    project = session.state.project
    window.project.open_path(tmp_path / "saved")
    hand.wait(lambda: session.state.project is not project)
    assert session.state.project == project
    # Deliver and compare with what Flat shows, unlit and at one texel a pixel.
    bench = window.bench("delivery")
    assert isinstance(bench, DeliveryBench)
    bench.folder.setText(str(tmp_path / "out"))
    hand.keys("Ctrl+E")
    hand.wait(lambda: (tmp_path / "out" / "kit" / "recipe.glsl").exists())
    delivered = read_image(tmp_path / "out" / "variants" / "ember-copy" / "base_color.png").pixels.astype(int)
    window.views.headers.lines.setChecked(False)
    rect = window.views.frame.flat
    left, top = 200, 300
    center = ((left + rect.width() / 2) / 1024, (top - 40 + rect.height() / 2) / 1024)
    window.views.frame = replace(window.views.frame, plane=PlaneView(center, min(rect.width(), rect.height()) / 1024))
    _, shown = hand.form_and_flat()
    expected = delivered[top : top + shown.shape[0], left : left + shown.shape[1]]
    apart = np.abs(shown[: expected.shape[0]] - expected).max(-1)
    assert (apart <= 2).mean() > 0.99


def test_a_slider_takes_drags_keys_and_typed_numbers_and_one_drag_is_one_undo(hand: Hand) -> None:
    session = hand.session
    soot = next(s for s in session.state.project.recipe.steps if s.name == "Soot")
    session.selection.select_step(soot.id)
    slider = open_field(hand, ValueSlider)
    parameter = soot.inputs["level"]
    assert parameter.parameter is None
    before = len(session.history.labels)
    track = slider.track
    QTest.mousePress(track, Qt.MouseButton.LeftButton, pos=QPoint(track.width() - 12, 12))
    for x in range(track.width() - 16, 30, -7):
        QTest.mouseMove(track, QPoint(x, 12))
    QTest.mouseRelease(track, Qt.MouseButton.LeftButton, pos=QPoint(30, 12))
    assert slider.value < 0.6
    assert len(session.history.labels) == before + 1
    hand.type_into(slider.field, "0.25")
    assert next(b for b in session.state.bound_steps(None) if b.step_id == soot.id).rows[0].values["level"] == 0.25
    QTest.keyClick(track, Qt.Key.Key_Right)
    assert next(b for b in session.state.bound_steps(None) if b.step_id == soot.id).rows[0].values[
        "level"
    ] == pytest.approx(0.26)
    hand.type_into(slider.field, "lots")
    assert next(b for b in session.state.bound_steps(None) if b.step_id == soot.id).rows[0].values[
        "level"
    ] == pytest.approx(0.26)
    session.undo()
    session.undo()
    session.undo()
    assert slider.value == 1.0


def test_steps_are_added_moved_switched_and_shown_alone(hand: Hand) -> None:
    session = hand.session
    bench = hand.window.bench("recipe")
    assert isinstance(bench, RecipeBench)
    bench.add("replace")
    steps = [s.kind for s in session.state.project.recipe.steps]
    assert steps[1] == "replace"
    new = session.state.project.recipe.steps[1]
    assert [row.regions for row in new.rows] == [(session.selection.region,)]
    _, with_step = hand.form_and_flat()
    session.apply("off", lambda s: s)
    QTest.keySequence(bench.findChild(OpenCard), "Ctrl+Right")
    assert session.state.project.recipe.steps[2].id == new.id
    hand.find("alone", QPushButton, bench.findChild(OpenCard)).click()
    _, alone = hand.form_and_flat()
    assert np.abs(alone - with_step).max() > 20
    hand.find("alone", QPushButton, bench.findChild(OpenCard)).click()
    QTest.keyClick(bench.findChild(OpenCard), Qt.Key.Key_Delete)
    assert new.id not in [s.id for s in session.state.project.recipe.steps]


def test_one_pointer_marks_both_views_and_the_probe_reads_the_texel(hand: Hand) -> None:
    views, probe = hand.window.views, hand.window.probe
    QTest.mouseMove(views, hand.at_uv(0.30, 0.50))
    hand.wait(lambda: "Paper" in probe.text)
    assert views.spot is not None
    assert views.spot == pytest.approx((0.30, 0.50), abs=0.01)
    words = probe.text
    assert "final #" in words
    assert "tone" in words
    assert "decided by" in words
    x, y = round(views.spot[0] * 1024 - 0.5), round(views.spot[1] * 1024 - 0.5)
    assert words.startswith((f"{x}, {y}", f"{int(views.spot[0] * 1024)}, {int(views.spot[1] * 1024)}"))
    # The middle of Form is some texel, and Flat marks the same one.
    rect = views.frame.form
    QTest.mouseMove(views, QPoint(rect.center().x(), rect.center().y()))
    hand.wait(lambda: views.spot is not None and views.spot != pytest.approx((0.30, 0.50), abs=0.01))
    u, v = views.spot
    back = views.place_on_form(u, v)
    assert back is not None
    assert (back.x(), back.y()) == pytest.approx((rect.center().x(), rect.center().y()), abs=3)


def test_a_wipe_compares_with_another_variant(hand: Hand) -> None:
    views = hand.window.views
    # A width that no blurred picture of the glow divides: the other side's light stays there.
    hand.window.resize(1333, 820)
    hand.wait()
    plain_form, _ = hand.form_and_flat()
    other = hand.session.state.project.variants[1]
    views.shown.set_against(other.id)
    views.shown.wipe = 0.5
    wiped, _ = hand.form_and_flat()
    half = wiped.shape[1] // 2
    assert np.abs(wiped[:-60, : half - 12] - plain_form[:-60, : half - 12]).max() <= 1
    assert np.abs(wiped[:, half + 12 :] - plain_form[:, half + 12 :]).max() > 40
    rect = views.frame.form
    QTest.mousePress(views, Qt.MouseButton.LeftButton, pos=QPoint(round(rect.width() / 2), 300))
    QTest.mouseMove(views, QPoint(round(rect.width() / 4) + 5, 300))
    QTest.mouseMove(views, QPoint(round(rect.width() / 4), 300))
    QTest.mouseRelease(views, Qt.MouseButton.LeftButton, pos=QPoint(round(rect.width() / 4), 300))
    assert views.shown.wipe == pytest.approx(0.25, abs=0.02)


def test_every_stage_can_be_shown_and_shows_something_else(hand: Hand) -> None:
    views = hand.window.views
    pictures = []
    stages = [*(show for show in Show if show is not Show.ATTRIBUTE), *hand.session.state.attributes[1:]]
    for show in stages:
        assert views.headers.flat_stage.findData(show) >= 0
        views.headers.flat_stage.setCurrentIndex(views.headers.flat_stage.findData(show))
        pictures.append(hand.form_and_flat()[1])
    for show, picture in zip(stages, pictures, strict=True):
        if show is Show.PAINTED:
            # The default variant rebuilds the painted original.
            assert np.abs(picture - pictures[0]).mean() < 2
        elif show is not Show.RECIPE:
            assert np.abs(picture - pictures[0]).mean() > 8
    assert np.median(pictures[Show.DIFFERENCE][150:300, 60:200]) < 24


def test_fitting_a_tone_runs_beside_the_window_and_can_be_stopped(hand: Hand) -> None:
    session = hand.session
    hand.keys("Alt+3")
    bench = hand.window.bench("tones")
    assert isinstance(bench, TonesBench)
    before = session.state
    bench.tone.make("bt709")
    assert session.tasks.is_busy
    session.tasks.cancel()
    hand.wait()
    assert session.state is before
    bench.tone.make("bt709")
    hand.wait(lambda: session.state is not before)
    assert session.state.project.tone.method == "bt709"
    assert "differs from the original" in hand.find("Verdict on the tone", QLabel, bench).text()


def test_dropped_files_are_brought_in_and_a_bad_one_changes_nothing(empty: Hand, tmp_path: Path) -> None:
    session, window = empty.session, empty.window
    (tmp_path / "square.obj").write_text(
        "v 0 0 0\nv 1 0 0\nv 1 1 0\nv 0 1 0\nvt 0 0\nvt 1 0\nvt 1 1\nvt 0 1\nf 1/1 2/2 3/3 4/4\n"
    )
    write_image(Raster(np.full((32, 32, 3), 90, np.uint8), Encoding.SRGB), tmp_path / "square-color.png")
    (tmp_path / "letter.png").write_text("not a picture")

    def drop(*names: str) -> None:
        data = QMimeData()
        data.setUrls([QUrl.fromLocalFile(str(tmp_path / name)) for name in names])
        window.dropEvent(
            QDropEvent(
                QPointF(400, 300),
                Qt.DropAction.CopyAction,
                data,
                Qt.MouseButton.LeftButton,
                Qt.KeyboardModifier.NoModifier,
            )
        )

    drop("square.obj", "square-color.png")
    empty.wait(lambda: session.state.mesh is not None)
    assert session.state.project.asset.textures[0].role.value == "painted color"
    before = session.state
    drop("letter.png")
    empty.wait()
    assert session.state is before
    assert "letter.png is not an image" in window.probe.text
    # Quit or crash: the work is in the autosave, and gone from there when the document is closed on purpose.
    session.keeping.autosave()
    empty.wait()
    assert list((tmp_path / "state" / "autosave").glob("*/session.json"))


def test_a_project_that_cannot_be_opened_leaves_the_document_alone(hand: Hand, tmp_path: Path) -> None:
    before = hand.session.state
    (tmp_path / "new").mkdir()
    (tmp_path / "new" / "project.json").write_text('{"format": "even-palette-project", "version": 99}')
    hand.window.project.open_path(tmp_path / "new")
    hand.wait()
    assert hand.session.state is before
    assert "newer Even Palette" in hand.window.probe.text


def test_an_unsaved_change_is_autosaved_and_recovered(hand: Hand, tmp_path: Path) -> None:
    session = hand.session
    session.apply("Rename", lambda s: s.with_project(name="Precious"))
    session.keeping.autosave()
    hand.wait()
    autosaved = Storage(only_autosave(tmp_path)).open()
    assert autosaved.project.name == "Precious"
    session.open_state(autosaved, None, "Recovered", dirty=True)
    assert session.is_dirty


def test_color_editor_reads_hex_linear_and_oklch_and_the_picker_takes_what_is_shown(hand: Hand) -> None:
    field = open_field(hand, ColorField)
    field.open_editor()
    editor = field.findChild(ColorEditor) or hand.window.findChild(ColorEditor)
    hand.type_into(editor.hex, "#ff0000")
    # OKLCh of sRGB red, CSS Color Module Level 4: 0.628 0.258 29.2.
    assert (
        hand.find("Color in numbers", QLabel, editor).text()
        == "linear 1.0000  0.0000  0.0000\nOKLCh 0.628  0.258  29.2°"
    )
    hand.find("Hue", ValueSlider, editor).edited.emit(264.0)
    assert field.color != "#ff0000"
    views = hand.window.views
    place = hand.at_uv(0.75, 0.5)
    shown = views.grab_color(QPointF(place))
    hand.find("Take a color from the views", QToolButton, editor).click()
    QTest.mouseClick(views, Qt.MouseButton.LeftButton, pos=place)
    assert field.color == shown


def test_search_and_help_name_every_verb_and_no_shortcut_is_taken_twice(hand: Hand) -> None:
    verbs = hand.window.verbs
    keys = [v.keys for v in verbs if v.keys]
    assert len(keys) == len(set(keys))
    box = dialogs.SearchBox(verbs, hand.window)
    box.open_at(hand.window.mapToGlobal(QPoint(1200, 60)))
    QTest.keyClicks(box.field, "go var")
    QTest.keyClick(box.field, Qt.Key.Key_Return)
    assert hand.session.station == "variants"
    sheet = dialogs.HelpSheet(verbs, hand.window)
    sheet.show()
    QApplication.processEvents()
    assert sheet.height() < 800
    sheet.close()


def test_no_text_is_cut_at_1280_by_800(hand: Hand) -> None:
    """Every button and label of every station is as wide as it asks to be."""
    from PyQt6.QtWidgets import QLabel, QPushButton

    window = hand.window
    window.resize(1280, 800)
    for station in (known.key for known in STATIONS):
        hand.session.set_station(station)
        hand.wait()
        for widget in [*window.findChildren(QPushButton), *window.findChildren(QLabel)]:
            if not widget.isVisible() or not widget.text() or (isinstance(widget, QLabel) and widget.wordWrap()):
                continue
            if widget is window.probe.findChild(QLabel):
                continue
            needed = max(widget.fontMetrics().horizontalAdvance(line) for line in widget.text().splitlines())
            assert widget.width() >= needed, f"{station}: '{widget.text()}' is cut"


def test_a_large_texture_is_drawn_coarsely_first_and_then_in_full(hand: Hand) -> None:
    session, views = hand.session, hand.window.views
    painted = session.state.project.tone.painted
    before = session.state.textures[painted].pixels
    large = np.ascontiguousarray(np.kron(before, np.ones((3, 3, 1), np.uint8)))
    views.headers.flat_stage.setCurrentIndex(views.headers.flat_stage.findData(Show.PAINTED))
    small = hand.form_and_flat()[1]
    waited: list[bool] = []
    views.painted.connect(lambda: waited.append(views.is_waiting))
    session.apply("large", lambda s: replace_texture(s, painted, Raster(large, Encoding.SRGB)))
    # Every picture that was drawn is in the list, however fast they followed each other.
    hand.wait(lambda: waited and not views.is_waiting)
    assert waited[0]
    assert np.abs(hand.form_and_flat()[1] - small).mean() < 3


def test_form_at_rest_becomes_smooth_on_the_screen_unless_that_is_switched_off(hand: Hand) -> None:
    views = hand.window.views

    def on_the_screen() -> np.ndarray:
        form = views.frame.form
        place = views.mapToGlobal(form.topLeft())
        image = (
            hand.window.screen().grabWindow(0, place.x(), place.y() + 40, form.width(), form.height() - 40).toImage()
        )
        pixels = pixels_of(image.convertToFormat(QImage.Format.Format_RGB888))
        return pixels.reshape(len(pixels), -1).astype(int)

    switch = next(verb for verb in hand.window.verbs if verb.name == "Smooth edges of Form at rest")
    hand.wait()
    plain = on_the_screen()
    switch.run()
    hand.wait_busy(lambda: (np.abs(on_the_screen() - plain) > 8).mean() > 0.002)
    apart = np.abs(on_the_screen() - plain).max(1)
    assert (np.abs(on_the_screen() - plain) > 8).mean() < 0.2
    assert apart.max() > 20
    # A slider is followed, coarsely where drawing takes long; what stands there when the hand rests is what it said.
    paper, variant = hand.session.state.project.parameters[0].id, hand.session.state.project.active_variant
    for step in range(16):
        color = f"#20{60 + 8 * step:02x}{200 - 8 * step:02x}"
        hand.session.apply("slide", lambda s, c=color: set_value(s, variant, paper, c), "slide")  # type: ignore[misc]
        QTest.qWait(5)
    seen: list[np.ndarray] = []

    def rests() -> bool:
        QTest.qWait(300)
        seen.append(on_the_screen())
        return len(seen) > 3 and not np.abs(seen[-1] - seen[-4]).any()

    hand.wait_busy(rests)
    form, _ = hand.form_and_flat()
    assert np.abs(seen[-1].reshape(form.shape) - form).mean() < 1
    # Without it the plain picture is what is shown.
    switch.run()
    hand.wait_busy(lambda: np.abs(on_the_screen().reshape(form.shape) - form).max() <= 1)


def test_the_list_of_every_box_can_be_read(hand: Hand) -> None:
    """A line that is not chosen stands out by 4.5 to 1 (WCAG 2.2, 1.4.3), also where the box itself lies on dark."""
    looked_at = set()
    for station in STATIONS:
        hand.session.set_station(station.key)
        hand.wait()
        for box in hand.window.findChildren(QComboBox):
            view, other = box.view(), next((n for n in range(box.count()) if n != box.currentIndex()), None)
            if not box.isVisible() or not box.isEnabled() or view is None or other is None:
                continue
            box.showPopup()
            QTest.qWait(20)
            model = box.model()
            assert model is not None
            row = view.visualRect(model.index(other, 0))
            image = view.viewport().grab(row).toImage().convertToFormat(QImage.Format.Format_RGB888)
            light = decode_srgb(pixels_of(image) / 255) @ (0.2126, 0.7152, 0.0722)
            box.hidePopup()
            assert (light.max() + 0.05) / (light.min() + 0.05) > 4.5, (station.key, box.accessibleName())
            looked_at.add(box.accessibleName())
    assert {"Form shows", "Flat shows", "Compare with", "Read as"} <= looked_at
