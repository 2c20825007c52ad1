"""The crowd in Form, the time line, both sides of the wipe, by hand."""

from pathlib import Path

import numpy as np
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QComboBox, QDoubleSpinBox, QLabel, QPushButton, QSlider, QSpinBox, QToolButton

from evenpalette.core.color.vision import Vision
from evenpalette.core.delivery.deliver import deliver
from evenpalette.core.edits.variants import activate, find_variant, set_value
from tests.helpers.hand import Hand, choose


def crowd_on(hand: Hand) -> None:
    hand.session.set_station("variants")
    hand.wait()
    hand.keys("K")
    views = hand.window.views
    hand.wait(lambda: views.crowd.is_shown and not views.is_waiting)
    hand.picture()


def test_copies_are_laid_chosen_moved_and_kept(hand: Hand) -> None:
    crowd_on(hand)
    views, line = hand.window.views, hand.window.bench("variants")
    alone = views.frame.camera
    before = hand.picture()
    count = hand.find("Copies", QSpinBox, line)
    hand.type_into(count, "120")
    hand.wait(lambda: hand.session.state.project.crowd.count == 120)
    choose(hand.find("How copies are laid", QComboBox, line), "street")
    hand.wait(lambda: hand.session.state.project.crowd.laid == "street")
    views.frame_all()
    assert np.abs(hand.picture() - before).mean() > 1
    assert len(views.crowd.copies()) == 120
    # A click on a copy says who it is.
    place = views.frame.place_on_form(np.array(views.crowd.place_of(119)))
    QTest.mouseClick(views, Qt.MouseButton.LeftButton, pos=place.toPoint())
    assert views.crowd.chosen == 119
    row = int(views.crowd.copies()["row"][119])
    name = hand.session.state.project.variants[row - 1].name
    assert any(f"Copy 119: {name}, number 119" in text.text() for text in line.findChildren(QLabel))
    # Shift and an arrow move it; its look stays; undo puts it back.
    at = tuple(views.crowd.copies()["place"][119])
    views.setFocus()
    QTest.keyClick(views, Qt.Key.Key_Right, Qt.KeyboardModifier.ShiftModifier)
    assert tuple(views.crowd.copies()["place"][119]) != at
    assert int(views.crowd.copies()["row"][119]) == row
    hand.session.undo()
    assert tuple(views.crowd.copies()["place"][119]) == at
    QTest.keyClick(views, Qt.Key.Key_Left, Qt.KeyboardModifier.ControlModifier)
    assert views.crowd.chosen == 118
    # A lantern picks nothing by copy: there is nothing to keep.
    said: list[str] = []
    hand.session.said.connect(lambda words, _: said.append(words))
    hand.find("Make it a variant", QPushButton, line).click()
    assert any("Nothing differs from copy to copy" in words for words in said)
    # A value moved is seen in the crowd at once, and the night falls over all.
    shown = hand.picture()
    key = hand.session.state.project.parameters[0].id
    for variant in hand.session.state.project.variants:
        hand.session.apply("Paper", lambda s, v=variant.id: set_value(s, v, key, "#20c040"), "paper")  # type: ignore[misc]
    green = hand.picture()
    assert ((green[..., 1] - green[..., 0]) > 25).sum() > 4 * ((shown[..., 1] - shown[..., 0]) > 25).sum()
    views.crowd.set_light(hour=1.0)
    night = hand.picture()
    form = np.s_[60:, : views.frame.form.width() - 8]
    model = np.abs(green[form] - 119).max(-1) > 12
    assert night[form][model].mean() < 0.8 * green[form][model].mean()
    # Another station shows the asset alone, from where it was seen.
    hand.session.set_station("recipe")
    hand.wait()
    assert not views.crowd.is_on
    assert not views.headers.crowd.isVisible()
    assert views.frame.camera != alone


def test_time_is_scrubbed_and_a_variant_turns_into_another_and_back(hand: Hand) -> None:
    hand.session.set_station("variants")
    hand.wait()
    first, second = hand.session.state.project.variants[0], hand.session.state.project.variants[2]
    hand.session.apply("Show", lambda s: activate(s, first.id))
    hand.keys("T")
    line = hand.window.time
    assert line.isVisible()
    QTest.keyClick(line, Qt.Key.Key_Space)
    assert not line.is_playing
    hand.find("Moment", QSlider, line).setValue(0)
    begin = hand.picture()
    into, scrub = hand.find("Turn into", QComboBox, line), hand.find("Moment", QSlider, line)
    hand.find("Length of the loop", QDoubleSpinBox, line).setValue(2.0)
    into.setCurrentIndex(into.findData(second.id))
    scrub.setValue(100)  # the middle of the loop
    turned = hand.picture()
    scrub.setValue(0)
    again = hand.picture()
    scrub.setValue(50)
    between = hand.picture()
    into.setCurrentIndex(0)
    hand.session.apply("Show", lambda s: activate(s, second.id))
    there = hand.picture()
    hand.keys("T")
    assert not line.isVisible()
    form = slice(0, hand.window.views.frame.form.width() - 8)
    inner = np.s_[100:340, form]
    assert np.abs(turned - there)[inner].max() <= 1
    assert np.abs(again - begin)[inner].max() <= 1
    assert np.abs(between - begin)[inner].mean() > 1
    assert np.abs(between - there)[inner].mean() > 1


def test_other_eyes_look_on_both_views_and_small_pictures(hand: Hand) -> None:
    hand.session.set_station("variants")
    hand.wait()
    plain = hand.picture()
    hand.window.views.shown.set_eyes(Vision("gray"))
    hand.wait()
    gray = hand.picture()
    hand.wait(lambda: hand.window.views.pictures.is_empty)
    image = hand.window.rail.model.pictures[hand.session.state.project.variants[0].id]
    color = image.pixelColor(image.width() // 2, image.height() // 2)
    assert np.ptp(gray[60:400], axis=-1).max() <= 2
    assert np.ptp(plain[60:400], axis=-1).max() > 60
    assert max(color.red(), color.green(), color.blue()) - min(color.red(), color.green(), color.blue()) <= 2
    hand.window.views.shown.set_eyes(Vision())
    hand.wait()
    assert np.array_equal(hand.picture(), plain)


def test_the_wipe_goes_between_any_two(hand: Hand, tmp_path: Path) -> None:
    """What is on disk, what was delivered, and a variant that is not the active one."""
    hand.session.set_station("variants")
    hand.wait()
    state = hand.session.state
    variant, other = state.project.variants[0], state.project.variants[4]
    deliver(state, tmp_path / "out", targets=["images"])
    hand.session.apply("Show", lambda s: activate(s, variant.id))
    key = state.project.parameters[0].id
    hand.session.apply("Blue", lambda s: set_value(s, variant.id, key, "#2040d0"))
    hand.find("Both sides of the wipe: variants, a former save, a delivery (Shift+C)", QToolButton).click()
    sides = hand.window.views.ask_sides()
    hand.find("Last save", QPushButton, sides).click()
    hand.wait(lambda: "Paper" in sides.said.text())
    paper = next(part for part in sides.said.text().split(";") if "Paper" in part)
    assert float(paper.split("Paper")[1].split()[0]) > 20
    assert hand.window.views.shown.compared == (variant.name, f"Last save: {variant.name}")
    views = hand.window.views
    picture = hand.picture()
    form = views.frame.form
    left, right = picture[200:300, form.width() // 2 - 60], picture[200:300, form.width() // 2 + 60]
    assert left[..., 2].mean() > left[..., 0].mean()
    assert right[..., 0].mean() > right[..., 2].mean()
    # A former save: as the project was opened, whatever was saved since.
    hand.window.project.save()
    hand.wait(lambda: not hand.session.is_dirty)
    hand.session.apply("Green", lambda s: set_value(s, variant.id, key, "#20c040"))
    former = dict(hand.session.keeping.former)
    assert [words for words in former if words.startswith("Saved at")]
    sides.take_former("As it was opened", former["As it was opened"])
    hand.wait(lambda: (views.shown.compared or ("", ""))[1] == f"As it was opened: {variant.name}")
    opened = hand.picture()[200:300, form.width() // 2 + 60]
    assert np.abs(opened - right).mean() < 3
    sides.take_delivery(tmp_path / "out")
    hand.wait(lambda: "Delivered to out" in (views.shown.compared or ("", ""))[1])
    choose(hand.find("Left of the line", QComboBox, sides), other.id)
    assert views.shown.compared == (other.name, f"Delivered to out: {variant.name}")
    hand.wait()
    assert find_variant(hand.session.state, other.id) is not None
    sides.hide()
    views.shown.set_against("")
    assert views.shown.first == ""
    hand.session.undo()
    QTest.mouseMove(views, QPoint(5, 5))
