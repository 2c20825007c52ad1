"""`make torture`: kills at random moments, overlapping saves, two instances, full disks, folders that vanish.

    python -m tests.hostile.torture [KILLS] [OVERLAPS]

Every trial says what was on disk before, what was asked for, and what opens afterwards; the table counts what was lost.
"""

import itertools
import os
import random
import resource
import shutil
import signal
import sys
import tempfile
import threading
import time
from collections import Counter
from collections.abc import Callable, Iterator
from dataclasses import replace
from pathlib import Path
from types import MappingProxyType

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

import numpy as np
from PyQt6.QtCore import QCoreApplication, QEvent
from PyQt6.QtWidgets import QApplication

from evenpalette.app.session import Session
from evenpalette.core.delivery.deliver import deliver
from evenpalette.core.document.state import State
from evenpalette.core.edits.asset import rename_project
from evenpalette.core.edits.painting import add_painted_region, with_painted
from evenpalette.core.errors import EvenPaletteError, ProjectChanged
from evenpalette.core.raster.raster import Encoding, Raster
from evenpalette.core.regions.painting.brush import Brush
from evenpalette.core.regions.painting.stroke import Stroke
from evenpalette.core.storage.autosave import Autosave, find_recoverable, recover
from evenpalette.core.storage.file_set import files_as_one
from evenpalette.core.storage.storage import Storage
from tests.hostile.files import small_state

KINDS = ("save", "autosave", "delivery", "stroke")


def numbered(state: State, number: int) -> State:
    """The document with a number that every part of it tells: its name, a texture and all coverages."""
    pixels = np.random.default_rng(number).integers(0, 256, (180, 200, 3), np.uint8)
    pixels[0, 0] = number % 251
    texture = state.project.asset.textures[2].id
    textures = {**state.textures, texture: Raster(pixels, Encoding.SRGB)}
    planes = {key: np.full_like(plane, number % 251) for key, plane in state.coverages.items()}
    state = replace(state, textures=MappingProxyType(textures), coverages=MappingProxyType(planes))
    return rename_project(state, str(number))


def number_of(state: State) -> int:
    """The number that a document tells; -1 when its parts disagree."""
    number = int(state.project.name)
    told = {int(state.textures[state.project.asset.textures[2].id].pixels[0, 0, 0])}
    told |= {int(value) for plane in state.coverages.values() for value in np.unique(plane)}
    return number if told == {number % 251} else -1


def _work(kind: str, state: State, place: Path) -> Iterator[int]:
    """Save on and on; yields the number of each save that has come to its end."""
    storage, autosave = Storage(place), Autosave(place)
    if kind == "stroke":
        state = add_painted_region(state)
    region = state.region_ids[-1]
    for number in itertools.count(1):
        if kind == "stroke":
            stroke = Stroke({region: state.made[region].raw}, region, Brush(radius=3, seed=number))
            for step in range(6):
                stroke.dab_flat(2.0 * step, number % 16)
            state = rename_project(with_painted(state, stroke.changed), str(number))
            autosave.save(state, "")
        elif kind == "delivery":
            deliver(rename_project(state, str(number)), place, workers=1)
            (place / "mark").write_text("")
        elif kind == "save":
            storage.save(numbered(state, number))
        else:
            autosave.save(numbered(state, number), "")
        yield number


def kill_once(kind: str, state: State, place: Path) -> str:
    """Work in a process of its own, kill it at a random moment; what was lost, or ''."""
    read_end, write_end = os.pipe()
    child = os.fork()
    if child == 0:
        os.close(read_end)
        try:
            for number in _work(kind, state, place):
                os.write(write_end, number.to_bytes(4, "little"))
        finally:
            os._exit(1)
    os.close(write_end)
    with os.fdopen(read_end, "rb") as told:
        first = told.read(4)
        time.sleep(random.uniform(0.0, 0.12))
        os.kill(child, signal.SIGKILL)
        os.waitpid(child, 0)
        rest = told.read()
    if len(first) < 4:
        return "the work ended by itself"
    completed = len(rest) // 4 + 1
    return _lost(kind, place, completed)


def _lost(kind: str, place: Path, completed: int) -> str:
    if kind == "delivery":
        with files_as_one(place):
            pass
        names = {line.split(":")[0] for line in [(place / "kit" / "recipe.glsl").read_text()]}
        told = {(place / "kit" / "parameters.json").read_text().split('"name": "', 1)[1].split('"', 1)[0]}
        whole = {name.removeprefix("// ") for name in names} == told
        left = [path.name for path in place.iterdir() if path.name.startswith(".even")]
        return "" if whole and not left and int(told.pop()) >= completed else f"old and new are mixed {names} {left}"
    try:
        if kind == "save":
            opened = Storage(place).open()
        else:
            found = find_recoverable(place)
            if len(found) != 1:
                return f"{len(found)} autosaves are offered"
            opened = recover(found[0])
    except EvenPaletteError as error:
        return f"does not open: {error}"
    number = int(opened.project.name) if kind == "stroke" else number_of(opened)
    return "" if number >= completed else f"save {completed} was lost, {number} is there"


def kills(count: int, folder: Path) -> Counter:
    lost: Counter = Counter()
    state = small_state()
    warm = folder / "warm"
    deliver(state, warm, workers=1)
    for trial in range(count):
        kind = KINDS[trial % len(KINDS)]
        place = folder / f"kill-{trial}"
        said = kill_once(kind, state, place)
        lost[kind] += bool(said)
        if said:
            print(f"  kill {trial}, {kind}: {said}")
        shutil.rmtree(place, ignore_errors=True)
    return lost


def overlaps(count: int, folder: Path) -> int:
    """Saves asked for while others run, through the session as Ctrl+S does and through threads of our own."""
    broken = 0
    state = small_state()
    for trial in range(count):
        place = folder / f"overlap-{trial}"
        newest = (_overlap_session if trial % 2 else _overlap_threads)(state, place)
        try:
            opened = number_of(Storage(place).open())
        except EvenPaletteError as error:
            opened, newest = -2, -1
            print(f"  overlap {trial}: {error}")
        if opened < 0 or (trial % 2 and opened != newest):
            broken += 1
            print(f"  overlap {trial}: {newest} was saved last, {opened} is there")
        shutil.rmtree(place, ignore_errors=True)
    return broken


def _overlap_session(state: State, place: Path) -> int:
    session = Session()
    number = 0
    for _ in range(random.randint(2, 5)):
        number += 1
        following = numbered(state, number)
        session.commit("edit", following)
        session.save(place)
        end = time.monotonic() + random.uniform(0, 0.03)
        while time.monotonic() < end:
            QApplication.processEvents()
    session.saving.wait()
    session.close()
    session.deleteLater()
    QCoreApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete)
    return number


def _overlap_threads(state: State, place: Path) -> int:
    threads = [
        threading.Thread(target=Storage(place).save, args=(numbered(state, number),), kwargs={"overwrite": True})
        for number in range(1, 5)
    ]
    for thread in threads:
        thread.start()
        time.sleep(random.uniform(0, 0.01))
    for thread in threads:
        thread.join()
    return 4


def two_instances(folder: Path) -> str:
    place = folder / "two"
    Storage(place).save(numbered(small_state(), 1))
    one, two = Storage(place), Storage(place)
    mine, theirs = one.open(), two.open()
    two.save(numbered(theirs, 3))
    try:
        one.save(numbered(mine, 2))
        return "the other one's save was overwritten without a word"
    except ProjectChanged:
        return "" if number_of(Storage(place).open()) == 3 else "the refused save changed the project"


def full_disk(folder: Path) -> str:
    """Files may not grow beyond a limit: in a process of its own, with the signal for it ignored."""
    place = folder / "full"
    Storage(place).save(numbered(small_state(), 1))
    following = numbered(small_state(), 2)
    for most in (0, 500, 5_000, 100_000):
        child = os.fork()
        if child == 0:
            signal.signal(signal.SIGXFSZ, signal.SIG_IGN)
            resource.setrlimit(resource.RLIMIT_FSIZE, (most, most))
            code = 1
            try:
                Storage(place).save(following)
            except EvenPaletteError:
                code = 0
            finally:
                os._exit(code)
        _, status = os.waitpid(child, 0)
        if os.waitstatus_to_exitcode(status) != 0:
            return f"with {most} bytes left the save did not say that it failed"
        if number_of(Storage(place).open()) != 1:
            return f"with {most} bytes left the last save was lost"
    return ""


def folder_trouble(folder: Path) -> str:
    """The folder is deleted, replaced by a file, replaced by another project, made read-only."""
    place = folder / "gone"
    storage = Storage(place)
    first, second = numbered(small_state(), 1), numbered(small_state(), 2)
    storage.save(first)
    shutil.rmtree(place)
    storage.save(first)
    if number_of(Storage(place).open()) != 1:
        return "a deleted folder is not written anew"
    shutil.rmtree(place)
    Storage(place).save(second)
    try:
        storage.save(first)
        return "another project in its place was overwritten without a word"
    except ProjectChanged:
        pass
    shutil.rmtree(place)
    place.write_text("a file")
    try:
        storage.save(first)
        return "a file in the folder's place was not noticed"
    except EvenPaletteError:
        pass
    place.unlink()
    Storage(place).save(first)
    if os.geteuid() != 0:
        place.chmod(0o500)
        try:
            Storage(place).save(second)
            return "a read-only folder was not noticed"
        except EvenPaletteError:
            place.chmod(0o700)
    return "" if number_of(Storage(place).open()) == 1 else "the last save was lost"


def main(kill_count: int, overlap_count: int) -> int:
    random.seed(3)
    lost = 0
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        os.environ["EVENPALETTE_STATE"] = str(folder / "state")
        os.environ["XDG_CONFIG_HOME"] = str(folder / "config")
        found = kills(kill_count, folder)
        for kind in KINDS:
            print(f"{f'killed while: {kind}':<34}{kill_count // len(KINDS):>6} times{found[kind]:>6} lost")
        lost += sum(found.values())
        application = QApplication.instance() or QApplication([])
        broken = overlaps(overlap_count, folder)
        print(f"{'overlapping saves':<34}{overlap_count:>6} times{broken:>6} lost")
        lost += broken
        trials: tuple[tuple[str, Callable[[Path], str]], ...] = (
            ("two instances on one folder", two_instances), ("full disk", full_disk), ("the folder itself", folder_trouble),
        )  # fmt: skip
        for title, trial in trials:
            said = trial(folder)
            print(f"{title:<34}{said or 'nothing lost'}")
            lost += bool(said)
        del application
    return lost


if __name__ == "__main__":
    words = [int(word) for word in sys.argv[1:]]
    sys.exit(1 if main(words[0] if words else 300, words[1] if len(words) > 1 else 300) else 0)
