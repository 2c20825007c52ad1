"""The pages of Tones and the page Mend, driven as an artist drives them."""

import threading
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, QPointF, Qt, QTimer
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QCheckBox, QComboBox, QDialogButtonBox, QLabel, QMenu, QPushButton, QTableWidget

from evenpalette.app.stations.tones import levels_part
from evenpalette.app.stations.tones.gray_sheet import TILE, gray_sheet
from evenpalette.app.stations.tones.pack_dialog import PackDialog
from evenpalette.app.widgets.before_after import BeforeAfter
from evenpalette.app.widgets.palette_field import PaletteField
from evenpalette.app.widgets.ramp_field import RampField
from evenpalette.app.widgets.value_slider import ValueSlider
from evenpalette.core.document.project import Role
from evenpalette.core.edits.asset import replace_texture
from evenpalette.core.edits.palette import locked_of, rows_of
from evenpalette.core.edits.ramps import ramps_of, strips_with_ramps
from evenpalette.core.edits.tone_levels import levels_of
from evenpalette.core.raster.mending.mend import mend
from evenpalette.core.raster.mending.settings import Mending
from evenpalette.core.raster.raster import Encoding, Raster
from tests.helpers.hand import Hand, choose
from tests.ui.test_surface import when_open


def open_page(hand: Hand, station: str, page: str):  # type: ignore[no-untyped-def]
    hand.session.set_station(station)
    bench = hand.window.bench(station)
    bench.pages.open(page)
    hand.wait()
    return bench


def open_new_ramp(hand: Hand):  # type: ignore[no-untyped-def]
    """The bench, the strip and its field, of a ramp from black to white that was just made."""
    bench = open_page(hand, "tones", "Ramp")
    take_from_menu("Black to white")
    hand.find("New ramp ...", QPushButton, bench).click()
    hand.wait(lambda: strips_with_ramps(hand.session.state))
    return bench, strips_with_ramps(hand.session.state)[0].id, hand.find("Ramp", RampField, bench)


def take_from_menu(beginning: str) -> None:
    """Take the entry of the next menu that begins so."""

    def look(menu) -> None:  # type: ignore[no-untyped-def]
        assert isinstance(menu, QMenu)
        action = next(a for a in menu.actions() if a.text().startswith(beginning))
        menu.close()
        QTimer.singleShot(0, action.trigger)

    when_open(QMenu, look)


def test_a_texture_is_mended_beside_its_source_and_taken_back(hand: Hand) -> None:
    session = hand.session
    bench = open_page(hand, "asset", "Mend")
    painted = session.state.project.tone.painted
    choose(hand.find("Texture to mend", QComboBox, bench), painted)
    picture = hand.find("Before and after mending", BeforeAfter, bench)
    hand.type_into(hand.find("Noise out", ValueSlider, bench).field, "1.5")
    hand.type_into(hand.find("Along flow", ValueSlider, bench).field, "0")
    hand.wait(lambda: not np.array_equal(*halves(picture)))
    # The divide by keyboard: all of the widget shows the source.
    picture.setFocus()
    for _ in range(12):
        QTest.keyClick(picture, Qt.Key.Key_Right)
    assert picture.divide == 1.0
    hand.find("Add the mended texture", QPushButton, bench).click()
    hand.wait(lambda: session.state.project.tone.painted != painted)
    made = session.state.project.asset.texture(session.state.project.tone.painted)
    assert made.mended.source == painted
    wanted = mend(session.state.textures[painted], Mending(noise=1.5))
    assert np.abs(session.state.textures[made.id].pixels.astype(int) - wanted.pixels).mean() < 1, "islands apart"
    session.undo()
    assert session.state.project.tone.painted == painted


def halves(picture: BeforeAfter) -> tuple[np.ndarray, np.ndarray]:
    """The pixels left and right of the middle, which show neighboring places."""
    image = picture.grab().toImage()
    codes = np.array([[image.pixel(x, image.height() // 2) for x in range(image.width())]])
    middle = image.width() // 2
    return codes[0, middle - 40 : middle - 10], codes[0, middle + 10 : middle + 40]


def test_all_grays_are_seen_side_by_side(hand: Hand) -> None:
    bench = open_page(hand, "tones", "Tone")
    hand.find("All grays", QPushButton, bench).click()
    hand.wait(lambda: hand.window.views.headers.flat_stage.currentText() == "All grays")
    assert colorful(hand.form_and_flat()[1]) > 0.005, "the paint is beside its grays"


def test_a_sheet_of_grays_shows_every_picture_at_its_place() -> None:
    red = Raster(np.full((TILE, TILE, 3), (200, 0, 0), np.uint8), Encoding.SRGB)
    half = Raster.gray(np.full((TILE, TILE // 2), 0.5, np.float32))
    sheet = gray_sheet(
        [(red, "Paint", ""), (half, "Luminance", "mean 1.00"), (red, "Third", ""), (red, "", ""), (red, "", "")]
    ).pixels
    assert sheet.shape[1] == 4 * TILE
    assert tuple(sheet[TILE // 2, TILE // 2]) == (200, 0, 0)
    # IEC 61966-2-1: half the light is code 188.
    assert tuple(sheet[TILE // 2, TILE + TILE // 2]) == (188, 188, 188)
    assert tuple(sheet[TILE // 2, TILE + 4]) == tuple(sheet[-1, -1]), "a narrow picture stands in the middle"
    second_line = sheet[sheet.shape[0] // 2 :, :TILE]
    assert (second_line == (200, 0, 0)).all(-1).sum() == TILE * TILE, "no caption lies over it"


def colorful(picture: np.ndarray) -> float:
    """The share of pixels that are no gray."""
    codes = picture[..., :3].astype(int)
    return float((np.ptp(codes, -1) > 40).mean())


def test_levels_are_set_clipping_is_seen_and_the_rest_is_added_back(
    hand: Hand, monkeypatch: pytest.MonkeyPatch
) -> None:
    session = hand.session
    measured: list[bool] = []
    for name in ("leveled", "clipping_picture", "true_average"):
        made = getattr(levels_part, name)

        def noted(*given: object, made: Callable[..., object] = made) -> object:
            measured.append(threading.current_thread() is threading.main_thread())
            return made(*given)

        monkeypatch.setattr(levels_part, name, noted)
    bench = open_page(hand, "tones", "Tone")
    region = session.selection.region
    hand.type_into(hand.find("Black at", ValueSlider, bench).field, "0.5")
    hand.type_into(hand.find("Brightness", ValueSlider, bench).field, "3")
    assert levels_of(session.state, region)["black"] == pytest.approx(0.5)
    assert levels_of(session.state, region)["brightness"] == pytest.approx(3)
    before = hand.form_and_flat()[1]
    hand.find("show clipping", QCheckBox, bench).click()
    hand.wait(lambda: hand.window.views.headers.flat_stage.currentText() == "Clipping")
    clipped = hand.form_and_flat()[1]
    red = (clipped[..., 0] > 180) & (clipped[..., 1] < 90)
    assert red.mean() > 0.05
    assert not ((before[..., 0] > 180) & (before[..., 1] < 90)).mean() > 0.05
    room = hand.find("Headroom of the tone", QLabel, bench)
    before = room.text()
    hand.find("True average", QPushButton, bench).click()
    hand.wait(lambda: levels_of(session.state, region)["brightness"] != pytest.approx(3))
    hand.wait(lambda: room.text() != before)
    assert measured
    assert not any(measured), "the window's thread waits for nothing of it"
    hand.find("Reset", QPushButton, bench).click()
    assert levels_of(session.state, region) == pytest.approx(
        {"black": 0, "white": 1, "gamma": 1, "contrast": 1, "brightness": 1}
    )
    mean = session.state.project.tone.report.mean
    hand.find("Add back the rest", QPushButton, bench).click()
    hand.wait(lambda: any(step.kind == "residue" for step in session.state.project.recipe.steps), seconds=90)
    assert session.state.project.tone.report.mean <= mean


def test_a_ramp_is_made_edited_by_keyboard_dropped_on_and_laid(hand: Hand) -> None:
    session = hand.session
    bench, strip, field = open_new_ramp(hand)
    field.setFocus()
    assert [stop.color for stop in ramps_of(session.state, strip)[0].stops] == ["#000000", "#ffffff"]
    QTest.mouseDClick(field, Qt.MouseButton.LeftButton, pos=QPoint(field.width() // 2, 20))
    hand.wait(lambda: len(ramps_of(session.state, strip)[0].stops) == 3)
    QTest.keyClick(field, Qt.Key.Key_Right, Qt.KeyboardModifier.AltModifier)
    place = ramps_of(session.state, strip)[0].stops[1].position
    assert place == pytest.approx(0.51, abs=0.02)
    field.recolor("#c04010")
    hand.wait()
    assert session.state.textures[strip].pixels[0, round(place * 255)].tolist() == pytest.approx(
        [0xC0, 0x40, 0x10], abs=3
    )
    QTest.keyClick(field, Qt.Key.Key_H)
    assert len(ramps_of(session.state, strip)[0].stops) == 4
    QTest.keyClick(field, Qt.Key.Key_Delete)
    assert len(ramps_of(session.state, strip)[0].stops) == 3
    take_from_menu("Loud")
    hand.find("Add row ...", QPushButton, bench).click()
    hand.wait(lambda: session.state.textures[strip].height == 2)
    before = hand.form_and_flat()[0]
    hand.find("Lay in the recipe", QPushButton, bench).click()
    hand.wait(lambda: any(step.kind == "ramp" for step in session.state.project.recipe.steps))
    assert np.abs(hand.form_and_flat()[0] - before).mean() > 3


def test_an_entry_is_locked_lights_up_and_is_split_and_textures_are_packed(hand: Hand, tmp_path: Path) -> None:
    session = hand.session
    hand.window.project.open_demo("tea-tin", into=tmp_path / "tin")
    hand.wait(lambda: session.state.project.name == "Tea Tin" and session.state.region_ids)
    bench = open_page(hand, "tones", "Palette")
    index = session.state.project.asset.with_role(Role.INDEX)[0].id
    field = hand.find("Palette", PaletteField, bench)
    field.setFocus()
    field.choose(0, 9)
    QTest.keyClick(field, Qt.Key.Key_Space)
    assert locked_of(session.state, index) == (field.color,)
    shown = hand.window.views.headers.form_stage.currentText()
    plain = hand.form_and_flat()
    hand.find("show where", QCheckBox, bench).click()
    hand.wait(lambda: hand.window.views.headers.form_stage.currentText() == "Entry 10")
    lit = hand.form_and_flat()
    for before, after in zip(plain, lit, strict=True):
        colored = np.ptp(after, axis=-1) > 30
        assert 0.0005 < colored.mean() < 0.2
        assert np.ptp(before, axis=-1).mean() > 3 * np.ptp(after, axis=-1).mean()
    hand.find("show where", QCheckBox, bench).click()
    assert hand.window.views.headers.form_stage.currentText() == shown
    count = rows_of(session.state, index).shape[1]
    hand.find("Split", QPushButton, bench).click()
    hand.wait(lambda: rows_of(session.state, index).shape[1] == count + 1)
    done: list[str] = []

    def pack(dialog) -> None:  # type: ignore[no-untyped-def]
        assert isinstance(dialog, PackDialog)
        for box in dialog.findChildren(QCheckBox):
            if "index" in box.text() or "1024 x 1024" in box.text():
                box.setChecked(len(dialog.chosen) < 2 or "index" in box.text())
        done.extend(dialog.chosen[:2])
        dialog.findChild(QDialogButtonBox).button(QDialogButtonBox.StandardButton.Cancel).click()

    when_open(PackDialog, pack)
    hand.find("Pack ...", QPushButton, bench).click()
    assert done


def test_what_the_game_shows_is_seen_on_the_bench_and_in_the_views(hand: Hand) -> None:
    session = hand.session
    bench = open_page(hand, "tones", "In the game")
    painted = session.state.project.tone.painted
    small = session.state.textures[painted].resized(128, 128)
    session.apply("small", lambda s: replace_texture(s, painted, small))
    hand.wait()
    choose(hand.find("Texture to measure", QComboBox, bench), painted)
    hand.find("Measure", QPushButton, bench).click()
    table = hand.find("What settings leave of the texture", QTableWidget, bench)
    hand.wait(lambda: table.rowCount() >= 6, seconds=90)
    stage = hand.window.views.headers.flat_stage
    hand.wait(lambda: stage.findText("In the game") >= 0)
    advice = hand.find("Recommended setting", within=bench).text()
    assert advice.startswith(f"Take {table.item(table.currentRow(), 0).text()}")
    stage.setCurrentIndex(stage.findText("In the game"))
    near = hand.form_and_flat()[1]
    worst = next(line for line in range(table.rowCount()) if "as data" in table.item(line, 0).text())
    table.selectRow(worst)
    hand.wait(lambda: np.abs(hand.form_and_flat()[1] - near).mean() > 5)
    stage.setCurrentIndex(stage.findText("Lost there"))
    assert hand.form_and_flat()[1].mean() != pytest.approx(near.mean(), abs=3)


def test_a_color_is_dropped_onto_a_swatch(hand: Hand) -> None:
    from PyQt6.QtCore import QMimeData
    from PyQt6.QtGui import QColor, QDropEvent

    session = hand.session
    _, strip, field = open_new_ramp(hand)
    data = QMimeData()
    data.setColorData(QColor("#20a040"))
    handle = QPointF(field.width() - 8, field.height() - 8)
    field.dropEvent(
        QDropEvent(handle, Qt.DropAction.CopyAction, data, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier)
    )
    assert ramps_of(session.state, strip)[0].stops[-1].color == "#20a040"
    middle = QPointF(field.width() / 2, 20)
    field.dropEvent(
        QDropEvent(middle, Qt.DropAction.CopyAction, data, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier)
    )
    assert len(ramps_of(session.state, strip)[0].stops) == 3


def test_a_parameter_tells_its_reach_and_leads_to_why_there_is_none(hand: Hand) -> None:
    from PyQt6.QtWidgets import QLabel, QTableView

    from evenpalette.core.edits.recipe import update_step

    session = hand.session
    session.set_station("variants")
    bench = hand.window.bench("variants")
    table = hand.find("Values of all variants", QTableView, bench)
    words = hand.find("Reach of the parameter", QLabel, bench)
    table.setCurrentIndex(table.model().index(0, 1))
    hand.wait(lambda: "of the surface" in words.toolTip())
    assert "Paper 100%" in words.toolTip()
    plain = hand.form_and_flat()[1]
    hand.find("show reach", QCheckBox, bench).click()
    hand.wait(lambda: hand.window.views.headers.flat_stage.currentText() == "Reach")
    assert np.abs(hand.form_and_flat()[1] - plain).mean() > 20
    hand.find("show reach", QCheckBox, bench).click()
    step = session.state.project.recipe.steps[0]
    session.apply("off", lambda s: update_step(s, step.id, enabled=False))
    hand.wait(lambda: "switched off" in words.toolTip())
    hand.find("Go there", QPushButton, bench).click()
    assert session.station == "recipe"
    assert session.selection.step == step.id


def test_a_kind_of_step_is_found_by_what_it_does_and_a_step_is_copied_as_text(hand: Hand) -> None:
    from PyQt6.QtWidgets import QLineEdit, QListWidget

    from evenpalette.app.stations.recipe.step_picker import StepPicker

    session = hand.session
    session.set_station("recipe")
    before = [step.kind for step in session.state.project.recipe.steps]
    seen: list[str] = []

    def pick(picker) -> None:  # type: ignore[no-untyped-def]
        field = hand.find("What the step does", QLineEdit, picker)
        QTest.keyClicks(field, "dirty edges")
        listed = hand.find("Kinds of steps", QListWidget, picker)
        seen.extend(listed.item(line).text() for line in range(listed.count()))
        QTest.keyClick(field, Qt.Key.Key_Return)

    when_open(StepPicker, pick)
    hand.find("Add step", QPushButton, hand.window.bench("recipe")).click()
    hand.wait(lambda: len(session.state.project.recipe.steps) == len(before) + 1)
    assert seen[0].startswith("Cover")
    bench = hand.window.bench("recipe")
    bench.texts.copy_text()
    bench.texts.paste_text()
    steps = session.state.project.recipe.steps
    assert len(steps) == len(before) + 2
    assert [step.kind for step in steps].count("cover") == before.count("cover") + 2
    assert session.selection.step not in before


def test_a_step_is_saved_as_a_file_changed_elsewhere_shown_and_taken(hand: Hand, tmp_path: Path) -> None:
    import json

    from PyQt6.QtWidgets import QListWidget

    session = hand.session
    session.set_station("recipe")
    soot = next(step for step in session.state.project.recipe.steps if step.kind == "cover")
    session.selection.select_step(soot.id)
    bench = hand.window.bench("recipe")
    path = tmp_path / "market.steps.json"
    bench.texts.save_linked(path)
    hand.wait(lambda: session.state.project.recipe.step(soot.id).link is not None)
    raw = json.loads(path.read_text())
    raw["steps"][0].setdefault("inputs", {})["softness"] = {"value": 0.27}
    for row in raw["steps"][0]["rows"]:
        row.get("inputs", {}).pop("softness", None)
    path.write_text(json.dumps(raw))
    findings = hand.find("Findings", QListWidget)
    hand.wait(lambda: any("market.steps.json has changed" in findings.item(k).text() for k in range(findings.count())))
    line = next(k for k in range(findings.count()) if "market.steps.json" in findings.item(k).text())
    assert "Softness" in findings.item(line).text()
    findings.setCurrentRow(line)
    hand.find("Mend", QPushButton).click()
    hand.wait(
        lambda: (
            session.state.project.recipe.step(soot.id)
            .binding(session.state.project.recipe.step(soot.id).rows[0], "softness")
            .value
            == 0.27
        )
    )
    hand.wait(lambda: not any("market.steps.json" in findings.item(k).text() for k in range(findings.count())))
    session.undo()
    hand.wait(lambda: any("market.steps.json" in findings.item(k).text() for k in range(findings.count())))
