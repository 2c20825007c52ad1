"""The station Tones: palettes and what the game sees, driven as an artist drives them; the first walk; the window's
place."""

import numpy as np
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QComboBox, QLabel, QPushButton, QSpinBox, QTableWidget

from evenpalette.app.stations import STATIONS
from evenpalette.app.widgets.palette_field import PaletteField
from evenpalette.app.window import MainWindow
from evenpalette.core.edits import palette
from evenpalette.core.edits.asset import replace_texture
from evenpalette.core.edits.palette import entries_of, rows_of
from evenpalette.core.tones.palettes.strip import restore
from tests.helpers.hand import Hand, choose


def at_palette(hand: Hand):  # type: ignore[no-untyped-def]
    hand.keys("Alt+3")
    bench = hand.window.bench("tones")
    bench.pages.open("Palette")
    return bench


def test_a_texture_is_reduced_recolored_sorted_laid_and_undone(hand: Hand) -> None:
    session = hand.session
    bench = at_palette(hand)
    before = session.state
    hand.find("Colors", QSpinBox, bench).setValue(12)
    hand.find("Reduce", QPushButton, bench).click()
    hand.wait(lambda: len(session.state.project.asset.textures) == len(before.project.asset.textures) + 2)
    index = session.state.project.asset.textures[-1]
    assert index.role.value == "index art"
    field = hand.find("Palette", PaletteField, bench)
    assert field.isVisible()
    assert rows_of(session.state, index.id).shape == (1, 12, 3)
    picture = restore(session.state.textures[index.id], session.state.textures[index.strip]).pixels
    # By keyboard: another entry, its color typed.
    field.setFocus()
    field.choose(0, 0)
    QTest.keyClick(field, Qt.Key.Key_Right)
    QTest.keyClick(field, Qt.Key.Key_Right)
    assert field.entry == 2
    session.apply("color", lambda s: palette.set_entry(s, index.id, 0, 2, "#12ff34"))
    hand.wait(lambda: field.color == "#12ff34")
    session.undo()
    # Another order leaves the picture as it is, and so does moving an entry by keyboard.
    session.apply("sort", lambda s: palette.sort_entries(s, index.id, None))
    hand.wait()
    field.choose(0, 3)
    QTest.keyClick(field, Qt.Key.Key_Right, Qt.KeyboardModifier.AltModifier)
    hand.wait(lambda: session.history.undo_label == "Move entry")
    now = restore(session.state.textures[index.id], session.state.textures[index.strip]).pixels
    assert np.array_equal(now, picture)
    session.apply("night", lambda s: palette.add_row(s, index.id, "Night"))
    hand.wait(lambda: "2 rows" in hand.find("About the palette", QLabel, bench).text())
    hand.find("Merge with next", QPushButton, bench).click()
    hand.wait(lambda: rows_of(session.state, index.id).shape[1] == 11)
    assert entries_of(session.state, index.id).max() == 10
    hand.find("Lay in the recipe", QPushButton, bench).click()
    hand.wait(lambda: any(step.kind == "palette" for step in session.state.project.recipe.steps))
    _, day = hand.form_and_flat()
    step = next(step for step in session.state.project.recipe.steps if step.kind == "palette")
    from evenpalette.core.edits.recipe import bind_input
    from evenpalette.core.recipe.recipe import Binding

    session.apply("row", lambda s: bind_input(s, step.id, "row", Binding(value=1), step.rows[0].id))
    hand.window.views.headers.flat_stage.setCurrentIndex(0)
    hand.wait()
    _, night = hand.form_and_flat()
    assert night.mean() < day.mean() - 10
    while session.history.undo_label:
        session.undo()
    assert session.state.is_same_document(before)


def test_what_the_game_sees_is_measured_setting_by_setting(hand: Hand) -> None:
    bench = at_palette(hand)
    bench.pages.open("In the game")
    box = hand.find("Texture to measure", QComboBox, bench)
    occlusion = next(t for t in hand.session.state.project.asset.textures if "occlusion" in t.name)
    small = hand.session.state.textures[occlusion.id].resized(128, 128)
    hand.session.apply("small", lambda s: replace_texture(s, occlusion.id, small))
    hand.wait()
    choose(box, occlusion.id)
    hand.find("Measure", QPushButton, bench.game).click()
    table = hand.find("What settings leave of the texture", QTableWidget, bench)
    hand.wait(lambda: table.rowCount() >= 6, seconds=90)
    words = [table.item(line, 0).text() for line in range(table.rowCount())]
    assert any("BC4" in word for word in words)
    assert any("as color" in word for word in words)
    sizes = {word: int(table.item(line, 7).text().replace(",", "")) for line, word in enumerate(words)}
    plain = next(size for word, size in sizes.items() if word.startswith("uncompressed, trilinear, mips"))
    assert next(size for word, size in sizes.items() if word.startswith("BC4")) < 0.6 * plain


def test_the_first_walk_goes_on_by_doing_and_ends_for_good(hand: Hand) -> None:
    session, walk, views = hand.session, hand.window.walk, hand.window.views
    said: list[str] = []
    session.said.connect(lambda text, _: said.append(text))
    hand.window.begin_walk()
    assert session.station == "asset"
    line = hand.find("First walk", within=hand.window)
    assert line.isVisible()
    form = views.frame.form
    start = QPoint(form.center().x(), form.center().y() + 60)
    QTest.mousePress(views, Qt.MouseButton.LeftButton, pos=start)
    QTest.mouseMove(views, start + QPoint(30, 0))
    QTest.mouseRelease(views, Qt.MouseButton.LeftButton, pos=start + QPoint(30, 0))
    hand.wait(lambda: session.station == "regions")
    session.selection.select_region(session.state.region_ids[3])
    hand.wait(lambda: session.station == "tones")
    hand.keys("C")
    hand.wait(lambda: session.station == "recipe")
    hand.find("Skip", QPushButton, line).click()
    assert session.station == "variants"
    hand.keys("Ctrl+D")
    hand.wait(lambda: session.station == "delivery")
    assert walk.hint is STATIONS[-1].hint
    hand.find("Skip", QPushButton, line).click()
    assert walk.hint is None
    assert not line.isVisible()
    assert any("whole path" in text for text in said)
    session.set_station("asset")
    assert walk.hint is None


def test_a_window_stands_where_the_last_one_stood_and_a_project_opens_where_it_was_left(hand: Hand) -> None:
    window, folder = hand.window, hand.session.path
    window.resize(1180, 760)
    window.views.frame = window.views.frame.split_to(0.62)
    hand.session.set_station("variants")
    hand.wait()
    window.project.may_leave = lambda: True  # type: ignore[method-assign]
    window.close()
    again = MainWindow()
    again.show()
    other = Hand(again)
    other.wait()
    assert abs(again.views.frame.split - 0.62) < 0.01
    assert (again.width(), again.height()) == (1180, 760)
    again.project.open_path(folder)
    other.wait(lambda: other.session.path is not None)
    assert other.session.station == "variants"
    again.project.may_leave = lambda: True  # type: ignore[method-assign]
    again.close()
    again.deleteLater()
