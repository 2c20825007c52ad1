"""The first start of an installed package: its computations are prepared behind the window."""

import os

import pytest
from pytestqt.qtbot import QtBot

from evenpalette.app import preparing
from evenpalette.app.session import Session


def test_a_fresh_installation_prepares_itself_at_the_lowest_priority_and_says_so(
    qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(preparing, "is_prepared", lambda: False)
    monkeypatch.setattr(preparing, "_LATER", 0)
    session = Session()
    with qtbot.waitSignal(session.said, timeout=20_000) as said:
        made = preparing.Preparing(session)
    assert said.args == [preparing.SAID, False]
    process = made.process
    assert process is not None
    assert os.getpriority(os.PRIO_PROCESS, process.pid) == 19
    made.end()
    assert process.returncode == -15, "it was under way, and does not outlive the window"
    session.close()


def test_what_is_prepared_is_not_prepared_again(qtbot: QtBot, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(preparing, "is_prepared", lambda: True)
    monkeypatch.setattr(preparing, "_LATER", 0)
    session = Session()
    made = preparing.Preparing(session)
    qtbot.wait(100)
    assert made.process is None
    session.close()
