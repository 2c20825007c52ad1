"""Shared pieces: the demo opened once, and a state folder that is not the user's."""

import gc
import os
from collections.abc import Callable
from functools import cache
from pathlib import Path

import pytest

os.environ.setdefault("LIBGL_ALWAYS_SOFTWARE", "1")
# As the application does it, see gpu/software.py: contexts of tests are made without one.
os.environ.setdefault("GALLIVM_PERF", "nopt")
# Parts of the tests run beside each other: one that draws on all cores takes them from the others.
os.environ.setdefault("LP_NUM_THREADS", "1")

from evenpalette.core.delivery.deliver import deliver
from evenpalette.core.document.state import State
from evenpalette.core.storage.demo_files import copy_demo, demo_names
from evenpalette.core.storage.storage import Storage


def pytest_sessionfinish() -> None:
    """What goes with the process is not looked through for garbage again and again before: that takes seconds."""
    gc.freeze()


@pytest.fixture(autouse=True)
def own_state_folder(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("EVENPALETTE_STATE", str(tmp_path / "state"))
    monkeypatch.setenv("XDG_CONFIG_HOME", str(tmp_path / "config"))


@pytest.fixture(scope="session")
def demo_folder(tmp_path_factory: pytest.TempPathFactory) -> Path:
    return copy_demo(tmp_path_factory.mktemp("demo"))


@pytest.fixture(scope="session")
def lantern(demo_folder: Path) -> State:
    return Storage(demo_folder).open()


@pytest.fixture(scope="session")
def delivered_demo(tmp_path_factory: pytest.TempPathFactory) -> Callable[[str], tuple[Path, State]]:
    """A demo, delivered whole with its page, and its document; for reading. What is broken is a copy."""

    @cache
    def made(name: str) -> tuple[Path, State]:
        folder = tmp_path_factory.mktemp(f"delivered-{name}")
        state = Storage(copy_demo(folder / "demo", name)).open()
        deliver(state, folder / "out", targets=["images", "kit", "preview"])
        return folder / "out", state

    return made


@pytest.fixture(scope="session")
def strangers() -> Path:
    """Where npm has put programs that are not ours; `make test` sets it up."""
    folder = Path(__file__).parents[1] / ".strangers"
    if not (folder / "node_modules" / "gltf-validator").is_dir():
        pytest.skip("gltf-validator (npm) is not installed in .strangers")
    return folder


@pytest.fixture(scope="session", autouse=True)
def demos_held(tmp_path_factory: pytest.TempPathFactory) -> list[State]:
    """Every demo, held as long as tests run: what is opened again beside it shares pixels, mesh and what was made of
    them, as in the window."""
    folder = tmp_path_factory.mktemp("held")
    return [Storage(copy_demo(folder / name, name)).open() for name in demo_names()]
