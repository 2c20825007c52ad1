"""The real window on a (virtual) display, with the demo open."""

import sys
import threading
import traceback
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


@pytest.fixture(scope="session", autouse=True)
def went_wrong() -> Iterator[list[str]]:
    """What left a slot or a thread as an exception; without a hook PyQt ends the process, and all other tests with
    it."""
    wrong: list[str] = []

    def note(kind: type[BaseException], error: BaseException, trace: object) -> None:
        wrong.append("".join(traceback.format_exception(error)))

    before = sys.excepthook, threading.excepthook
    sys.excepthook = note
    threading.excepthook = lambda args: note(args.exc_type, args.exc_value or args.exc_type(), args.exc_traceback)
    yield wrong
    sys.excepthook, threading.excepthook = before


@pytest.fixture(autouse=True)
def nothing_goes_wrong_inside(went_wrong: list[str]) -> Iterator[None]:
    """It fails the test in which it did."""
    yield
    found = "\n".join(went_wrong)
    went_wrong.clear()
    assert not found, found


def opened() -> Hand:
    """A new window, empty."""
    window = MainWindow()
    window.views.is_smoothed = False  # Tests look at the plain picture.
    window.bakes.least_rest_ms = 3_600_000  # What is baked again while nobody looks is a tenth of their time.
    window.show()
    QTest.qWaitForWindowExposed(window)
    window.activateWindow()
    hand = Hand(window)
    hand.wait()
    return hand


def closed(hand: Hand) -> None:
    """Close a window, whatever is unsaved in it."""
    hand.wait()
    hand.window.project.may_leave = lambda: True  # type: ignore[method-assign]
    hand.window.close()
    hand.window.deleteLater()
    QTest.qWait(20)


@pytest.fixture
def empty(qapp: object, tmp_path: Path) -> Iterator[Hand]:
    """A window of the test's own, as it starts."""
    hand = opened()
    hand.focus()
    yield hand
    closed(hand)


@pytest.fixture(scope="module")
def window_of_the_module(qapp: object) -> Iterator[Hand]:
    hand = opened()
    yield hand
    closed(hand)


@pytest.fixture
def hand(request: pytest.FixtureRequest, tmp_path: Path) -> Iterator[Hand]:
    """A window with a new copy of the demo: the one that the tests of a file share, as one works in it all day, or one
    of its own for tests that ask for it (`own_window`)."""
    own = request.node.get_closest_marker("own_window") is not None
    hand = request.getfixturevalue("empty" if own else "window_of_the_module")
    hand.wait()
    hand.window.project.may_leave = lambda: True
    opened: list[bool] = []
    hand.window.project.open_demo(into=tmp_path / "market", then=lambda: opened.append(True))
    hand.wait(lambda: opened and hand.session.state.region_ids and hand.session.station == "recipe")
    del hand.window.project.may_leave
    hand.focus()
    yield hand
    if not own:
        hand.wait()
