"""Materials as they are worked in the window: cards in another order, choices of textures, vectors, a stubborn
driver."""

from dataclasses import replace

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QComboBox, QFrame, QInputDialog, QPushButton

from evenpalette.app.stations.recipe.step_cards import OpenCard
from evenpalette.core.document.project import Role
from evenpalette.core.edits import recipe as edit
from evenpalette.core.edits.asset import add_texture
from evenpalette.core.findings.findings import find_all
from evenpalette.core.raster.raster import Encoding, Raster
from evenpalette.core.recipe.recipe import Binding
from evenpalette.core.recipe.steps import KINDS
from tests.helpers.hand import Hand
from tests.ui.test_rows import choose_in_menu


def carry(hand: Hand, name: str, onto: str, *, give_up: bool = False) -> np.ndarray:
    """Drag a card in front of another and let it go; returns what the views showed before that."""
    card, target = hand.find(name, QFrame), hand.find(onto, QFrame)
    start = QPoint(50, 140)
    to = card.mapFromGlobal(target.mapToGlobal(QPoint(4, 140)))
    QTest.mousePress(card, Qt.MouseButton.LeftButton, pos=start)
    for share in (0.1, 0.5, 1.0):
        QTest.mouseMove(card, start + (to - start) * share)
        QTest.qWait(20)
    QTest.qWait(400)
    shown = hand.form_and_flat()[1]
    if give_up:
        opened = hand.window.bench("recipe").findChild(OpenCard)
        QTest.keyClick(opened, Qt.Key.Key_Escape)
    QTest.mouseRelease(card, Qt.MouseButton.LeftButton, pos=to)
    hand.wait()
    return shown


def test_a_card_is_dragged_and_the_views_show_the_other_order_first(hand: Hand) -> None:
    session = hand.session
    steps = [s.id for s in session.state.project.recipe.steps]
    soot, shade = steps.index("step-soot"), steps.index("step-shade")
    # Soot in front of the tint is eaten by it: that is to be seen before the card is let go.
    session.selection.select_step(steps[soot])
    hand.wait()
    before = hand.form_and_flat()[1]
    names = [f"Step {k + 1}, {s.name}" for k, s in enumerate(session.state.project.recipe.steps)]
    area = hand.window.bench("recipe")
    area.grab()
    shown = carry(hand, names[shade], names[soot] + ", open", give_up=True)
    assert [s.id for s in session.state.project.recipe.steps] == steps
    assert np.abs(shown - before).max() > 4
    assert np.abs(hand.form_and_flat()[1] - before).max() <= 1
    shown = carry(hand, names[shade], names[soot] + ", open")
    moved = [s.id for s in session.state.project.recipe.steps]
    assert moved.index("step-shade") == soot
    assert sorted(moved) == sorted(steps)
    assert session.selection.step == "step-shade"
    assert np.abs(hand.form_and_flat()[1] - shown).max() <= 1
    hand.keys("Ctrl+Z")
    assert [s.id for s in session.state.project.recipe.steps] == steps
    # A press without a drag chooses the card.
    QTest.mouseClick(hand.find(names[soot], QFrame), Qt.MouseButton.LeftButton, pos=QPoint(50, 140))
    assert session.selection.step == "step-soot"


def test_a_texture_is_chosen_by_a_parameter_and_numbers_become_a_vector(
    hand: Hand, monkeypatch: pytest.MonkeyPatch
) -> None:
    session = hand.session
    rng = np.random.default_rng(3)
    for name in ("stripes", "dots"):
        picture = Raster(
            np.ascontiguousarray(np.repeat(rng.integers(0, 256, (16, 16, 1), np.uint8), 3, -1)), Encoding.SRGB
        )
        session.apply("add", lambda s, p=picture, n=name: add_texture(s, p, f"{n}.png", Role.COLOR))
    held = {t.name: t.id for t in session.state.project.asset.textures}
    bench = hand.window.bench("recipe")
    bench.add("fill")
    step = session.selection.step
    row = edit.step_of(session.state.project.recipe, step).rows[0].id
    session.apply("texture", lambda s: edit.bind_input(s, step, "picture", Binding(value=held["stripes.png"]), row))
    monkeypatch.setattr(QInputDialog, "getText", lambda *_, **how: ("Paper pattern", True))
    stripes = hand.form_and_flat()[1]

    def source(label: str) -> QPushButton:
        made = next(r for r in bench.findChild(OpenCard).rows if r.input.label == label)
        return made.source

    choose_in_menu("Make it a parameter")
    source("Texture").click()
    parameter = session.state.project.parameters[-1]
    assert (parameter.name, set(parameter.choices)) == ("Paper pattern", {held["stripes.png"], held["dots.png"]})
    assert np.abs(hand.form_and_flat()[1] - stripes).max() <= 1
    assert not [f.text for f in find_all(session.state) if "reads no texture" in f.text]
    # Another texture in this variant: the views follow, and the table says it by its name.
    box = hand.find("Texture", QComboBox, bench)
    box.setCurrentIndex(box.findData(held["dots.png"]))
    box.activated.emit(box.currentIndex())
    hand.wait()
    assert session.state.values(session.state.project.active_variant)[parameter.id] == held["dots.png"]
    assert (np.abs(hand.form_and_flat()[1] - stripes).max(-1) > 8).mean() > 0.03
    session.set_station("variants")
    table = hand.window.bench("variants").table
    texts = {
        str(table.model().index(r, c).data())
        for r in range(table.model().rowCount())
        for c in range(table.model().columnCount())
    }
    assert {"stripes.png", "dots.png"} <= texts
    session.set_station("recipe")
    # The numbers of a finish become one vector; a part of it is moved alone.
    bench.add("finish")
    monkeypatch.setattr(QInputDialog, "getText", lambda *_, **how: ("Wear", True))
    choose_in_menu("Join these numbers")
    source("Roughness").click()
    vector = session.state.project.parameters[-1]
    assert vector.choices[:3] == ("Roughness", "Metallic", "Coat")
    made = next(r for r in bench.findChild(OpenCard).rows if r.input.label == "Metallic")
    made.editor.edited.emit(0.75)
    value = str(session.state.values(session.state.project.active_variant)[vector.id]).split(", ")
    assert value[:3] == ["0.5", "0.75", "0"]
    assert (
        "Wear, metallic" in next(r for r in bench.findChild(OpenCard).rows if r.input.label == "Metallic").source.text()
    )


def test_a_shader_that_the_driver_refuses_is_said_with_its_line_and_the_picture_stays(
    hand: Hand, monkeypatch: pytest.MonkeyPatch
) -> None:
    session, said = hand.session, []
    session.said.connect(lambda text, _: said.append(text))
    before = hand.form_and_flat()[1]
    kind = KINDS["balance"]
    broken = replace(kind, ops=tuple(replace(op, glsl=op.glsl.replace("return", "retrun", 1)) for op in kind.ops))
    import evenpalette.core.recipe.steps as steps

    monkeypatch.setattr(steps, "KINDS", {**KINDS, "balance": broken})
    session.apply("again", lambda s: edit.add_step(s, "balance", None))
    hand.wait()
    assert np.abs(hand.form_and_flat()[1] - before).max() <= 1
    hand.wait(lambda: said)
    assert len(said) == 1
    assert "refuses the shader" in said[0]
    assert "in line" in said[0]
    assert "retrun" in said[0]
    # Work goes on: the step is taken out, and the picture is of the document again.
    monkeypatch.undo()
    session.apply("color", lambda s: edit.update_step(s, "step-soot", enabled=False))
    session.apply("away", lambda s: edit.remove_step(s, s.project.recipe.steps[-1].id))
    assert (np.abs(hand.form_and_flat()[1] - before).max(-1) > 8).mean() > 0.002


def test_before_and_after_of_one_step_lie_on_both_sides_of_the_wipe(hand: Hand) -> None:
    session, shown = hand.session, hand.window.views.shown
    session.selection.select_step("step-soot")
    hand.wait()
    opened = hand.window.bench("recipe").findChild(OpenCard)
    QTest.keyClick(opened, Qt.Key.Key_B)
    assert shown.compared == ("After Soot", "Before Soot")
    shown.set_wipe(0.98)
    after = hand.form_and_flat()[1]
    shown.set_wipe(0.02)
    before = hand.form_and_flat()[1]
    middle = np.s_[:, 30:-30]
    assert (np.abs(after - before)[middle].max(-1) > 8).mean() > 0.02
    # Before it is what the steps up to it make.
    shown.toggle_before()
    steps = [s.id for s in session.state.project.recipe.steps]
    shown.show_steps(steps.index("step-soot"), False)
    assert np.abs(hand.form_and_flat()[1] - before)[middle].max() <= 1
