"""The guide: a page for each station, shown where the work is, that names only what there is."""

import ast
import re
from functools import cache
from pathlib import Path

import pytest
from PyQt6.QtCore import Qt, QUrl
from PyQt6.QtGui import QTextDocument
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QListWidget, QTextBrowser

import evenpalette
from evenpalette.app.guide import Guide, folder, page_text, pages
from evenpalette.app.stations import STATIONS
from evenpalette.cli import VERBS
from tests.helpers.hand import Hand


@cache
def words_of_the_source() -> str:
    """All text that the application can say."""
    found = []
    for path in Path(evenpalette.__file__).parent.rglob("*.py"):
        tree = ast.parse(path.read_text("utf-8"))
        found += [n.value for n in ast.walk(tree) if isinstance(n, ast.Constant) and isinstance(n.value, str)]
    return "\n".join(found).lower()


@pytest.mark.parametrize("page", [key for key, _ in pages()])
def test_what_a_page_names_is_there(page: str) -> None:
    """Controls are set in italics, in the words that the window has; links and pictures lead somewhere."""
    text, source = page_text(page), words_of_the_source()
    named = set(re.findall(r"(?<![*\w])\*([A-Z][^*\n]{2,60}|[a-z]+ [a-z ]{2,40})\*(?!\*)", text))
    missing = {name for name in named if name.removesuffix(" ...").lower() not in source}
    assert missing == set()
    for target in re.findall(r"\]\(([^)]+)\)", text):
        assert (folder() / target).is_file() or (folder().resolve() / target).is_file(), target


def test_every_verb_of_the_command_line_has_its_line() -> None:
    text = page_text("verbs")
    assert [verb for verb in VERBS if f"evenpalette {verb}" not in text] == []


def test_f1_opens_the_page_of_the_station_beside_the_work(hand: Hand) -> None:
    window = hand.window
    window.bench("tones")
    QTest.keyClick(window, Qt.Key.Key_F1)
    guide = window.findChild(Guide)
    assert guide is not None
    hand.wait(guide.isVisible)
    assert not guide.isModal()
    page, names = guide.findChild(QTextBrowser), guide.findChild(QListWidget)
    assert page is not None
    assert names is not None
    assert page.toPlainText().startswith("Tones")
    # A picture is as wide as the page allows, and comes from here alone.
    kind = QTextDocument.ResourceType.ImageResource.value
    assert 300 < page.loadResource(kind, QUrl("pictures/tones.webp")).value().width() <= page.width()
    assert page.loadResource(kind, QUrl("file:///etc/passwd")).isNull()
    for number, station in enumerate(STATIONS, 1):
        names.setCurrentRow(number)
        assert page.toPlainText().startswith(station.title)
    for _ in STATIONS:
        QTest.keyClick(names, Qt.Key.Key_Up)
    assert page.toPlainText().startswith("From a stranger's GLB")
    page.anchorClicked.emit(QUrl("regions.md"))
    assert page.toPlainText().startswith("Regions")
    QTest.keyClick(guide, Qt.Key.Key_Escape)
    assert not guide.isVisible()
