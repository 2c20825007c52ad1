"""The artist's work is kept: saves in a hurry, two windows, recovery, files that others change."""

import json
import shutil
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from types import MappingProxyType

import numpy as np
import pytest
from PyQt6.QtCore import QTimer
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QDialogButtonBox, QMessageBox, QPushButton

from evenpalette.app.dialogs import RecoveryDialog
from evenpalette.app.folder_lock import FolderLock
from evenpalette.app.project_actions import ProjectActions
from evenpalette.app.questions import ListQuestion
from evenpalette.app.settings import station_of
from evenpalette.app.window import MainWindow
from evenpalette.core.document.state import State
from evenpalette.core.edits.asset import add_texture, rename_project
from evenpalette.core.edits.bakes import baked_textures, drop_bake
from evenpalette.core.raster.image_write import write_image
from evenpalette.core.raster.raster import Encoding, Raster
from evenpalette.core.storage.autosave import Autosave, find_recoverable
from evenpalette.core.storage.demo_files import copy_demo
from evenpalette.core.storage.storage import Storage
from tests.helpers.hand import Hand

pytestmark = pytest.mark.own_window

REAL_MAY_LEAVE = ProjectActions.may_leave


class Asked:
    """Answers the next questions by the text of a button, and keeps what was asked."""

    def __init__(self) -> None:
        self.texts: list[str] = []

    def answer(self, button: str) -> None:
        def look() -> None:
            box = QApplication.activeModalWidget()
            if not isinstance(box, QMessageBox | ListQuestion):
                QTimer.singleShot(20, look)
                return
            self.texts.append(box.text() if isinstance(box, QMessageBox) else box.windowTitle())
            found = [b for b in box.findChildren(QPushButton) if b.text().replace("&", "") == button]
            assert found, [b.text() for b in box.findChildren(QPushButton)]
            found[0].click()

        QTimer.singleShot(0, look)


@pytest.fixture
def asked() -> Asked:
    return Asked()


def rename(hand: Hand, name: str) -> None:
    hand.session.apply("rename", lambda s: rename_project(s, name))


def test_two_saves_in_a_hurry_leave_the_newest_and_every_file_it_names(hand: Hand) -> None:
    session = hand.session
    assert session.path is not None
    # A bake that comes to its end after a save is kept with the next one.
    for texture in baked_textures(session.state):
        session.apply("No bake", lambda s, t=texture: drop_bake(s, t.id))
    for trial in (0, 2, 5):
        for half in range(3):
            inverted = {k: 255 - v for k, v in session.state.coverages.items()}
            session.commit("invert", replace(session.state, coverages=MappingProxyType(inverted)))
            rename(hand, f"Hurry {trial} {half}")
            hand.keys("Ctrl+S")
            QTest.qWait(trial * 8)
        hand.wait(lambda: session.saving.is_idle)
        assert not session.is_dirty
        opened = Storage(session.path).open()
        assert opened.project == session.state.project
        assert all(np.array_equal(opened.coverages[k], v) for k, v in session.state.coverages.items())


def test_leaving_waits_for_the_save_that_is_under_way(hand: Hand) -> None:
    rename(hand, "Left in a hurry")
    hand.keys("Ctrl+S")
    assert REAL_MAY_LEAVE(hand.window.project)
    assert Storage(hand.session.path).open().project.name == "Left in a hurry"


def test_saved_and_then_undone_to_the_start_is_asked_about(hand: Hand, asked: Asked) -> None:
    rename(hand, "Renamed")
    hand.keys("Ctrl+S")
    hand.wait(lambda: not hand.session.is_dirty)
    hand.keys("Ctrl+Z")
    assert hand.session.history.position == 0
    asked.answer("Cancel")
    assert not REAL_MAY_LEAVE(hand.window.project)
    assert "Save the changes" in asked.texts[0]


def left_behind(name: str) -> None:
    """An autosave of a program that is gone."""
    autosave = Autosave()
    autosave.save(rename_project(State(), name), "")
    note = next(Path(autosave.folder).glob("session.json"))
    note.write_text(json.dumps({**json.loads(note.read_text()), "pid": 1, "started": "never"}))


def recover_by_dialog(hand: Hand) -> None:
    def press() -> None:
        dialog = QApplication.activeModalWidget()
        if not isinstance(dialog, RecoveryDialog):
            QTimer.singleShot(20, press)
            return
        box = dialog.findChild(QDialogButtonBox)
        next(b for b in box.buttons() if "Recover" in b.text()).click()

    QTimer.singleShot(0, press)
    hand.window.project.offer_recovery()


def test_recovered_work_is_not_given_up_without_a_question(empty: Hand, asked: Asked) -> None:
    left_behind("Lost and found")
    recover_by_dialog(empty)
    empty.wait(lambda: empty.session.state.project.name == "Lost and found")
    assert empty.session.is_dirty
    asked.answer("Cancel")
    assert not REAL_MAY_LEAVE(empty.window.project)


def test_the_old_autosave_goes_only_when_a_new_copy_is_complete(
    empty: Hand, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    left_behind("On a full disk")
    full = True
    real = Storage.save

    def save(self: Storage, state: State, **more: bool) -> None:
        if full:
            raise OSError(28, "No space left on device")
        real(self, state, **more)

    monkeypatch.setattr(Storage, "save", save)
    recover_by_dialog(empty)
    empty.wait(lambda: empty.session.state.project.name == "On a full disk")
    QTest.qWait(100)
    assert [item.name for item in find_recoverable()] == ["On a full disk"]
    full = False
    empty.session.save(tmp_path / "kept")
    empty.wait(lambda: not empty.session.is_dirty)
    assert find_recoverable() == []


def second_window(hand: Hand, answer: Callable[[], None]) -> tuple[MainWindow, Hand]:
    window = MainWindow()
    window.show()
    other = Hand(window)
    answer()
    window.project.open_path(hand.session.path)
    other.wait()
    return window, other


def test_a_second_window_is_told_and_may_look_or_take_over(hand: Hand, asked: Asked) -> None:
    folder = hand.session.path
    window, other = second_window(hand, lambda: asked.answer("Open read-only"))
    assert "is open in another window" in asked.texts[0]
    assert other.session.is_read_only
    assert other.session.state.region_ids == hand.session.state.region_ids
    window.close()
    window, other = second_window(hand, lambda: asked.answer("Take over"))
    rename(other, "Theirs")
    window.project.save()
    other.wait(lambda: not other.session.is_dirty)
    # The first window notices before it overwrites, and nothing is lost by saying no.
    rename(hand, "Mine")
    asked.answer("Cancel")
    hand.window.project.save()
    assert "taken over" in asked.texts[-1]
    assert Storage(folder).open().project.name == "Theirs"
    asked.answer("Overwrite")
    hand.window.project.save()
    hand.wait(lambda: not hand.session.is_dirty)
    assert Storage(folder).open().project.name == "Mine"
    window.project.may_leave = lambda: True  # type: ignore[method-assign]
    window.close()
    hand.window.close()
    assert FolderLock(folder).take()


def test_a_project_that_changed_on_disk_is_not_overwritten_unasked(hand: Hand, asked: Asked) -> None:
    folder = hand.session.path
    stranger = Storage(folder)
    stranger.save(rename_project(stranger.open(), "By a script"))
    rename(hand, "Mine")
    asked.answer("Open it again")
    hand.window.project.may_leave = lambda: True  # type: ignore[method-assign]
    hand.window.project.save()
    hand.wait(lambda: hand.session.state.project.name == "By a script")
    assert "saved by another program" in asked.texts[0]


def test_sources_of_a_strangers_project_are_read_only_after_a_yes(hand: Hand, asked: Asked, tmp_path: Path) -> None:
    outside = tmp_path / "private.png"
    write_image(Raster(np.zeros((8, 8, 3), np.uint8), Encoding.SRGB), outside)
    folder = tmp_path / "strange"
    shutil.copytree(hand.session.path, folder)
    storage = Storage(folder)
    picture = Raster(np.full((8, 8, 3), 9, np.uint8), Encoding.SRGB)
    storage.save(add_texture(storage.open(), picture, "private.png", source_path=str(outside)))
    said: list[str] = []
    hand.session.said.connect(lambda text, _: said.append(text))
    hand.window.project.open_path(folder)
    hand.wait(lambda: hand.session.path == folder)
    assert "not read or watched" in said[-1]
    texture = hand.session.state.project.asset.textures[-1].id
    write_image(Raster(np.full((8, 8, 3), 200, np.uint8), Encoding.SRGB), outside)
    QTest.qWait(900)
    assert hand.session.state.textures[texture].pixels[0, 0, 0] == 9
    asked.answer("Read them")
    next(verb for verb in hand.window.verbs if verb.name == "Watch source files ...").run()
    write_image(Raster(np.full((8, 8, 3), 100, np.uint8), Encoding.SRGB), outside)
    hand.wait(lambda: hand.session.state.textures[texture].pixels[0, 0, 0] == 100)


def test_work_goes_on_at_the_station_where_it_was_left(empty: Hand, tmp_path: Path) -> None:
    """Also where another project is opened right after, and where the window is closed."""
    tin, sign = (copy_demo(tmp_path, name) for name in ("tea-tin", "stall-sign"))

    def open_again(folder: Path) -> str:
        empty.window.project.open_path(folder)
        empty.wait(lambda: empty.session.path == folder)
        return empty.session.station

    assert open_again(tin) == "recipe"
    empty.session.set_station("variants")
    assert open_again(sign) == "recipe"
    empty.session.set_station("regions")
    assert open_again(tin) == "variants"
    assert open_again(sign) == "regions"
    empty.session.set_station("tones")
    empty.window.close()
    assert station_of(sign) == "tones"
