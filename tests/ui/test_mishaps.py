"""What goes wrong inside, and work that is under way when the window goes."""

import json
import subprocess
import sys
import threading
from pathlib import Path

import pytest
from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QLabel

from evenpalette.app.answers import answer
from evenpalette.app.mishaps import Mishaps
from evenpalette.app.stations.variants.roll_dialog import RollDialog
from evenpalette.app.tasks import Task
from evenpalette.core.edits import asset, parameters, variants
from evenpalette.core.storage.autosave import find_recoverable
from tests.helpers.hand import Hand

pytestmark = pytest.mark.own_window

DRIVER = Path(__file__).with_name("closing.py")


@pytest.fixture
def caught(hand: Hand) -> list[str]:
    """What the artist is told of mishaps; the hook of the tests is back afterwards."""
    said: list[str] = []
    mishaps = Mishaps(said.append, hand.session.keeping.autosave, hand.window)
    mishaps.note("opened the lantern")
    before, before_threads = sys.excepthook, threading.excepthook
    mishaps.install()
    yield said  # type: ignore[misc]
    sys.excepthook, threading.excepthook = before, before_threads


def test_an_exception_in_a_slot_a_task_or_an_edit_is_said_written_and_survived(
    hand: Hand, caught: list[str], tmp_path: Path, capfd
) -> None:  # type: ignore[no-untyped-def]
    session = hand.session
    session.apply("Rename", lambda s: asset.rename_project(s, "Kept"))
    before = session.state

    def fail(*_: object) -> None:
        raise ZeroDivisionError("in a place")

    QTimer.singleShot(0, fail)
    hand.wait(lambda: len(caught) == 1)
    session.apply("Fail", fail)
    session.run("Fail longer", fail)
    session.tasks.start(Task("Fail late", lambda _: 1, fail, fail, exclusive=False))
    hand.wait(lambda: len(caught) == 4)
    assert all(
        "Something went wrong inside (ZeroDivisionError)" in text and "Your work is kept" in text for text in caught
    )
    assert session.state is before
    reports = sorted((tmp_path / "state" / "reports").glob("*.txt"))
    assert len(reports) == 4
    text = reports[0].read_text()
    assert "ZeroDivisionError: in a place" in text
    assert "opened the lantern" in text
    hand.wait(lambda: list((tmp_path / "state" / "autosave").glob("*/project/project.json")))
    # The same mishap again, as a picture that is drawn over and over makes it, is not said and written again.
    for _ in range(50):
        QTimer.singleShot(0, fail)
    QTest.qWait(100)
    assert len(list((tmp_path / "state" / "reports").glob("*.txt"))) <= 5
    assert capfd.readouterr().err.count("in a place") > 4


def test_a_dialog_closed_while_it_works_is_not_told_the_result(hand: Hand) -> None:
    bench = hand.window.bench("variants")

    def escape() -> None:
        dialog = QApplication.activeModalWidget()
        if not isinstance(dialog, RollDialog) or hand.session.tasks.is_idle:
            QTimer.singleShot(5, escape)
            return
        QTest.keyClick(dialog, Qt.Key.Key_Escape)

    QTimer.singleShot(0, escape)
    bench.roll()
    assert not hand.session.tasks.is_idle
    hand.wait()
    label = QLabel("there")
    told: list[str] = []

    def tell(text: str) -> None:
        told.append(label.text() + text)

    assert answer(tell, " is one")
    label.deleteLater()
    QTest.qWait(20)
    assert not answer(lambda text: tell(text), " was one")
    assert told == ["there is one"]


def test_what_work_leaves_behind_is_taken_apart_on_the_thread_of_the_window(hand: Hand) -> None:
    """Widgets and what graphics memory holds may be part of it."""
    where: list[threading.Thread] = []

    class Ring:
        def __init__(self) -> None:
            self.itself = self

        def __del__(self) -> None:
            where.append(threading.current_thread())

    def work(_: object) -> int:
        return sum(len([Ring() for _ in range(20)]) for _ in range(500))

    hand.session.tasks.start(Task("Leave rings", work, lambda _: None, hand.session.failed, exclusive=False))
    hand.wait(lambda: len(where) > 9000)
    assert set(where) == {threading.main_thread()}


def test_a_name_that_is_too_long_is_refused_in_words(hand: Hand) -> None:
    said: list[str] = []
    hand.session.said.connect(lambda text, _: said.append(text))
    bench = hand.window.bench("recipe")
    assert bench is not None
    step = hand.session.state.project.recipe.steps[0]
    before = hand.session.state
    hand.session.apply("Name", lambda s: parameters.name_input(s, step.id, "amount", "n" * 200))
    hand.session.apply("Add", lambda s: variants.add_variant(s, "n" * 300))
    assert hand.session.state is before
    assert ["at most 80 characters" in text for text in said] == [True, True]


@pytest.mark.parametrize(
    "moment", ["plain 0", "deliver 250", "deliver-wait 250", "autosave 0", "autosave 8", "compile 60", "bake 900"]
)
def test_the_window_closes_cleanly_whatever_runs(moment: str, tmp_path: Path) -> None:
    """In a process of its own, as it is started by a user: asks where work would be lost, ends with 0, leaves
    nothing."""
    done = subprocess.run(
        [sys.executable, str(DRIVER), *moment.split(), str(tmp_path)],
        capture_output=True,
        text=True,
        check=False,
        timeout=100,
    )
    assert done.returncode == 0, done.stderr[-2000:]
    asked = json.loads(done.stdout.splitlines()[-1])
    expected = {"plain": [], "deliver": ["Still at work"], "deliver-wait": ["Still at work"]}.get(
        moment.split()[0], ["Unsaved changes"]
    )
    assert asked == expected
    left = [str(p) for p in tmp_path.rglob("*") if p.name.endswith((".set", ".part", ".lock"))]
    assert left == []
    assert find_recoverable() == []
    assert not list((tmp_path / "state" / "autosave").glob("*"))
    delivered = (tmp_path / "out" / "kit" / "parameters.json").is_file()
    assert delivered == (moment.split()[0] == "deliver-wait")
