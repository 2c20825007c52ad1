"""Comparing all variants through other eyes, and a contact sheet, from the bench of Variants."""

from pathlib import Path

import cv2
import numpy as np
from pypdf import PdfReader
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QComboBox, QListWidget

from evenpalette.app.stations.variants.bench import VariantsBench
from evenpalette.app.stations.variants.review_dialogs import CompareDialog, SheetDialog, rgba_of
from evenpalette.core.color.vision import Vision
from evenpalette.core.delivery.contact_sheet import picture_size
from evenpalette.core.variants.compare import compared
from evenpalette.gpu.look import Look
from tests.helpers.hand import Hand, choose


def bench(hand: Hand) -> VariantsBench:
    made = hand.window.bench("variants")
    assert isinstance(made, VariantsBench)
    hand.wait()
    return made


def test_pairs_are_listed_worst_first_through_the_eyes_that_are_chosen(hand: Hand) -> None:
    dialog = CompareDialog(hand.session, bench(hand))
    dialog.show()
    pairs = hand.find("Pairs of variants", QListWidget, dialog)
    state = hand.session.state
    count = len(state.project.variants)
    names = {v.id: v.name for v in state.project.variants}

    def first() -> str:
        item = pairs.item(0)
        return item.text() if item is not None else ""

    def wanted(vision: Vision) -> str:
        pair = compared(state, vision, 64)[0]
        return f"{pair.whole:6.1f}   {names[pair.first]} and {names[pair.second]}"

    hand.wait(lambda: first().startswith(wanted(Vision())))
    assert pairs.count() == count * (count - 1) // 2
    numbers = [float(pairs.item(n).text().split()[0]) for n in range(pairs.count())]
    assert numbers == sorted(numbers)
    choose(hand.find("Seen by", QComboBox, dialog), "tritanomaly")
    dialog.strength.edited.emit(1.0)
    hand.wait(lambda: first().startswith(wanted(Vision("tritanomaly"))))
    # Enter shows the second of the chosen pair.
    pairs.setCurrentRow(0)
    pairs.setFocus()
    QTest.keyClick(pairs, Qt.Key.Key_Return)
    assert hand.session.state.project.active_variant == compared(state, Vision("tritanomaly"), 64)[0].second
    dialog.reject()


def test_a_contact_sheet_is_saved_beside_the_work(hand: Hand, tmp_path: Path) -> None:
    dialog = SheetDialog(hand.session, hand.window.views, bench(hand))
    dialog.sides.setValue(2)
    choose(dialog.ground, "dark")
    said: list[str] = []
    hand.session.said.connect(lambda words, _: said.append(words))
    dialog.write(tmp_path / "variants.pdf")
    hand.wait(lambda: (tmp_path / "variants.pdf").exists())
    pages = PdfReader(tmp_path / "variants.pdf").pages
    text = "".join(page.extract_text() for page in pages)
    assert all(variant.name in text for variant in hand.session.state.project.variants)
    assert any(f"{len(pages)} page" in words for words in said)


def test_pictures_of_a_saved_sheet_are_those_of_the_views(hand: Hand, tmp_path: Path) -> None:
    """As a PNG: every picture that the views draw, turned as the sheet turns it, is found in it pixel by pixel."""
    dialog = SheetDialog(hand.session, hand.window.views, bench(hand))
    dialog.sides.setValue(2)
    path = tmp_path / "sheet.png"
    dialog.write(path)
    hand.wait(path.exists)
    sheet = cv2.imread(str(path))
    assert sheet is not None
    state, views = hand.session.state, hand.window.views
    size = picture_size(state, dialog.wish)
    drawn: list[np.ndarray] = []
    for number, variant in enumerate(state.project.variants[:3]):
        for side in range(2):
            views.pictures.request(
                ("test", number, side), Look(variant=variant.id), (size, size), lambda image: drawn.append(rgba_of(image, size)), 90.0 * side
            )  # fmt: skip
    hand.wait(lambda: len(drawn) == 6)
    for picture in drawn:
        wanted = picture[..., 2::-1].copy()
        x, y = cv2.minMaxLoc(cv2.matchTemplate(sheet, wanted, cv2.TM_SQDIFF))[2]
        assert np.array_equal(sheet[y : y + size, x : x + size], wanted)
