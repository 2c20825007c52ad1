"""The real window on a (virtual) display, with the demo open."""

from collections.abc import Iterator
from pathlib import Path

import pytest
from PyQt6.QtTest import QTest

from evenpalette.app.main import make_application
from evenpalette.app.window import MainWindow
from tests.helpers.hand import Hand


@pytest.fixture(scope="session")
def qapp() -> object:
    return make_application()


@pytest.fixture
def empty(qapp: object, tmp_path: Path) -> Iterator[Hand]:
    window = MainWindow()
    window.show()
    QTest.qWaitForWindowExposed(window)
    window.activateWindow()
    hand = Hand(window)
    hand.wait()
    yield hand
    hand.wait()
    window.project.may_leave = lambda: True  # type: ignore[method-assign]
    window.close()
    window.deleteLater()
    QTest.qWait(20)


@pytest.fixture
def hand(empty: Hand, tmp_path: Path) -> Hand:
    empty.window.project.open_demo(into=tmp_path / "market")
    empty.wait(lambda: empty.session.state.region_ids and empty.session.station == "recipe")
    return empty
