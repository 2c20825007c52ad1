"""Bakes in the window: wanted where they are used, made beside the work, stopped, compared, taken back."""

import threading
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QComboBox, QLabel, QListWidget, QToolButton

from evenpalette.app import bakes
from evenpalette.app.stations.asset.bench import AssetBench
from evenpalette.app.stations.recipe.bench import RecipeBench
from evenpalette.app.widgets.before_after import BeforeAfter
from evenpalette.app.widgets.value_editor import ValueEditor
from evenpalette.core.document.project import Texture
from evenpalette.core.document.state import State
from evenpalette.core.edits import bakes as edit
from evenpalette.core.edits import recipe
from evenpalette.core.edits.asset import set_mesh
from evenpalette.core.mesh.read import read_mesh
from tests.helpers.hand import Hand


@pytest.fixture(autouse=True)
def bakes_follow(hand: Hand) -> None:
    hand.window.bakes.least_rest_ms = 0


def asset(hand: Hand) -> AssetBench:
    hand.session.set_station("asset")
    bench = hand.window.bench("asset")
    assert isinstance(bench, AssetBench)
    bench.pages.open("Bakes")
    hand.wait()
    return bench


def test_a_bake_is_coarse_first_then_done_and_compared_with_what_was_there(hand: Hand) -> None:
    bench, session = asset(hand), hand.session
    seen: list[int] = []
    before = len(session.history.labels)
    hand.window.bakes.progressed.connect(
        lambda: seen.append(hand.window.bakes.under_way.rays) if hand.window.bakes.under_way else None
    )
    session.apply("Bake curvature", lambda s: edit.add_bake(s, "curvature", size=192)[0])
    hand.wait_busy(lambda: bench.bakes.current() is not None)
    bench.bakes.choose(session.state.project.asset.textures[-1].id)
    made = bench.bakes.current()
    assert made is not None
    assert made.bake is not None
    assert not made.bake.read
    hand.wait(lambda: bench.bakes.current().bake.read, 200)
    # Few rays were shown before all of them, and it is one change that undo takes back.
    assert any(0 < rays < 64 for rays in seen)
    assert len(session.history.labels) == before + 1
    done = session.state.textures[made.id].as_unit()
    assert 0.3 < done.mean() < 0.8
    facts = hand.find("About the bake", QLabel, bench).text()
    assert "64 rays" in facts
    assert "just now" in facts
    # A ramp is laid at once, and the wipe shows what was there.
    bench.bakes.low.edited.emit(0.4)
    hand.wait(lambda: not list(edit.outdated(session.state)))
    assert session.state.textures[made.id].as_unit().mean() < done.mean() - 0.1
    wipe = hand.find("The bake before and now", BeforeAfter, bench)
    picture = wipe.grab().toImage()
    left, right = (
        picture.pixelColor(wipe.width() // 4, 60).lightness(),
        picture.pixelColor(3 * wipe.width() // 4, 60).lightness(),
    )
    assert left != right
    session.undo()
    hand.wait(lambda: not list(edit.outdated(session.state)))
    np.testing.assert_allclose(session.state.textures[made.id].as_unit(), done, atol=1 / 255)
    session.undo()
    assert session.state.project.asset.texture(made.id) is None


def test_a_bake_is_stopped_and_begun_again_and_follows_the_mesh(hand: Hand, tmp_path: Path) -> None:
    bench, session = asset(hand), hand.session
    for texture in edit.baked_textures(session.state):
        # What the demo brings along is soon made again.
        session.apply("Small", lambda s, t=texture: edit.set_bake(s, t.id, size=64))
    hand.wait(lambda: not list(edit.outdated(session.state)), 200)
    session.apply("Bake", lambda s: edit.add_bake(s, "occlusion", {"rays": 4096.0}, size=1024)[0])
    hand.wait_busy(lambda: hand.window.bakes.under_way is not None and hand.window.bakes.under_way.share > 0)
    bench.bakes.choose(session.state.project.asset.textures[-1].id)
    QTest.mouseClick(
        hand.find("Stop the bake that is being made; what was there stays", QToolButton, bench),
        Qt.MouseButton.LeftButton,
    )
    hand.wait(lambda: hand.window.bakes.under_way is None)
    made = session.state.project.asset.textures[-1]
    assert made.bake is not None
    assert not made.bake.read
    assert session.state.textures[made.id].size == (8, 8)
    # With fewer rays it is wanted otherwise, so it is begun.
    session.apply("Fewer", lambda s: edit.set_bake(s, made.id, settings={"rays": 8.0}, size=128))
    hand.wait(lambda: not list(edit.outdated(session.state)), 200)
    kept = session.state.textures[made.id].pixels
    # The same occlusion is written at the corners of the faces.
    said: list[str] = []
    session.said.connect(lambda words, _: said.append(words))
    bench.bakes.settings.write_vertices(tmp_path / "open.glb")
    hand.wait(lambda: said)
    written = read_mesh(tmp_path / "open.glb")
    assert written.colors is not None
    assert written.uvs is not None
    at = np.clip((written.uvs.reshape(-1, 2) * 128).astype(int), 0, 127)
    assert np.median(np.abs(written.colors[..., 0].reshape(-1) - kept[at[:, 1], at[:, 0], 0] / 255)) < 0.1
    assert session.state.mesh is not None
    mesh = session.state.mesh.whole.mesh
    flat = mesh.positions * np.array([1, 0.5, 1], np.float32)
    session.run("Another mesh", lambda s, _: set_mesh(s, replace(mesh, positions=flat)))
    hand.wait(lambda: session.state.mesh.whole.mesh is not mesh and not list(edit.outdated(session.state)), 200)
    assert not np.array_equal(session.state.textures[made.id].pixels, kept)
    # It is worked by keyboard: Del takes it out, with what reads it none.
    listed = hand.find("Bakes", QListWidget, bench)
    listed.setFocus()
    QTest.keyClick(listed, Qt.Key.Key_Delete)
    assert session.state.project.asset.texture(made.id) is None


def test_a_step_asks_the_mesh_for_what_it_needs(hand: Hand) -> None:
    session = hand.session
    bench = hand.window.bench("recipe")
    assert isinstance(bench, RecipeBench)
    soot = next(s for s in session.state.project.recipe.steps if s.name == "Soot")
    session.set_station("recipe")
    session.selection.select_step(soot.id)
    hand.wait()
    editor = next(e for e in bench.findChildren(ValueEditor) if e.input.key == "mask" and e.isVisible())
    box = editor.inner
    assert isinstance(box, QComboBox)
    words = [box.itemText(i) for i in range(box.count())]
    # What fits a mask best comes first, and nothing is chosen by having been offered.
    offered = [w for w in words if w.endswith("of this mesh")]
    assert {"Curvature of this mesh", "Occlusion of this mesh"} <= set(offered)
    was = recipe.step_of(session.state.project.recipe, soot.id).inputs["mask"]
    box.setCurrentIndex(words.index("Thickness of this mesh"))
    box.activated.emit(box.currentIndex())
    wanted = session.state.project.asset.textures[-1].id
    session.apply("Smaller", lambda s: edit.set_bake(s, wanted, size=64), "smaller")
    hand.wait(lambda: not list(edit.outdated(session.state)), 200)
    read = recipe.step_of(session.state.project.recipe, soot.id).inputs["mask"]
    made = session.state.project.asset.textures[-1]
    assert read.value == f"{made.id}:0" != was.value
    assert made.bake is not None
    assert made.bake.kind == "thickness"
    session.undo()
    session.undo()
    assert recipe.step_of(session.state.project.recipe, soot.id).inputs["mask"] == was


def test_a_distance_is_measured_to_the_region_that_is_chosen(hand: Hand) -> None:
    bench, session = asset(hand), hand.session
    session.apply("Bake", lambda s: edit.add_bake(s, "distance", size=96)[0])
    made = session.state.project.asset.textures[-1].id
    hand.wait(lambda: not list(edit.outdated(session.state)))
    bench.bakes.choose(made)
    to = next(e for e in bench.findChildren(ValueEditor) if e.input.label == "To" and e.isVisible())
    cap = session.state.region_ids[2]
    to.edited.emit(cap)
    hand.wait(lambda: not list(edit.outdated(session.state)))
    texture = session.state.project.asset.texture(made)
    assert texture is not None
    assert texture.bake is not None
    assert texture.bake.region == cap
    inside = session.state.coverages[cap][::11, ::11][:90, :90] > 250
    far = session.state.textures[made].resized(1024, 1024).as_unit()[::11, ::11, 0][:90, :90]
    assert np.median(far[inside]) < 0.01 < np.median(far[~inside])


@pytest.mark.own_window
def test_a_window_is_closed_while_it_bakes(hand: Hand) -> None:
    session = hand.session
    session.apply("Bake", lambda s: edit.add_bake(s, "occlusion", {"rays": 4096.0}, size=2048)[0])
    hand.wait_busy(lambda: hand.window.bakes.under_way is not None and hand.window.bakes.under_way.share > 0)
    session.tasks.stop()
    assert session.tasks.is_idle


def test_what_changes_while_it_is_looked_for_what_is_out_of_date_is_baked_too(
    hand: Hand, monkeypatch: pytest.MonkeyPatch
) -> None:
    """As on a machine with other work, where to look takes longer than the rest after a change."""
    session = hand.session
    session.apply("Bake curvature", lambda s: edit.add_bake(s, "curvature", size=64)[0])
    texture = session.state.project.asset.textures[-1].id
    hand.wait(lambda: not list(edit.outdated(session.state)))
    looked, goes_on = threading.Event(), threading.Event()

    def outdated(state: State) -> list[Texture]:
        if not goes_on.is_set():
            looked.set()
            goes_on.wait(60)
        return list(edit.outdated(state))

    monkeypatch.setattr(bakes, "outdated", outdated)
    monkeypatch.setattr(bakes, "_PAUSE_MS", 0)
    hand.window.bakes.again(texture)
    hand.wait_busy(looked.is_set)
    session.apply("Size", lambda s: edit.set_bake(s, texture, size=32))
    QTest.qWait(50)  # It is asked for without a rest, while the look is under way.
    goes_on.set()
    hand.wait(lambda: not list(edit.outdated(session.state)))
