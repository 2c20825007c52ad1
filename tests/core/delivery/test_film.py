"""Moving pictures read back by Pillow; former saves and deliveries that a document is held against."""

from pathlib import Path

import numpy as np
import pytest
from PIL import Image

from evenpalette.cli import main
from evenpalette.core.delivery.beside import apart_by_region, delivered_picture, former_picture, picture_of
from evenpalette.core.delivery.deliver import deliver
from evenpalette.core.delivery.film import INTO, TURN, FilmWish, frames_of, write_film
from evenpalette.core.document.state import State
from evenpalette.core.edits.variants import set_value
from evenpalette.core.errors import EvenPaletteError
from evenpalette.core.storage.demo_files import copy_demo
from evenpalette.core.storage.storage import Storage


@pytest.fixture(scope="module")
def folder(tmp_path_factory: pytest.TempPathFactory) -> Path:
    return copy_demo(tmp_path_factory.mktemp("market") / "m", "pennant")


@pytest.fixture(scope="module")
def pennant(folder: Path) -> State:
    return Storage(folder).open()


def frames(path: Path) -> tuple[list[np.ndarray], int]:
    with Image.open(path) as held:
        made = []
        for number in range(held.n_frames):
            held.seek(number)
            made.append(np.asarray(held.convert("RGB")).astype(int))
        return made, int(held.info["duration"])


@pytest.mark.parametrize("ending", ["png", "webp"])
def test_a_turntable_is_read_back(pennant: State, tmp_path: Path, ending: str) -> None:
    path, wish = tmp_path / f"turn.{ending}", FilmWish(TURN, seconds=1.0, rate=8.0, size=96)
    variant = pennant.project.variants[0].id
    assert write_film(pennant, variant, path, wish) == 8
    made, duration = frames(path)
    truth = frames_of(pennant, variant, wish)
    assert (len(made), duration) == (8, 125)
    for frame, wanted in zip(made, truth, strict=True):
        assert np.abs(frame - wanted).mean() < (0.01 if ending == "png" else 3.0)
    assert np.abs(made[0] - made[2]).mean() > 3


def test_into_another_variant_and_back(pennant: State) -> None:
    one, other = (v.id for v in pennant.project.variants[:2])
    made = frames_of(pennant, one, FilmWish(INTO, other, seconds=1.0, rate=4.0, size=64))
    begin, middle = (frames_of(pennant, v, FilmWish("time", seconds=0.5, rate=4.0, size=64))[0] for v in (one, other))
    assert np.array_equal(made[0], begin)
    assert np.array_equal(made[2], middle)
    assert np.array_equal(made[1], made[3])
    for wish, why in ((FilmWish("spin"), "no way to film"), (FilmWish(seconds=100, rate=30), "too many")):
        with pytest.raises(EvenPaletteError, match=why):
            frames_of(pennant, one, wish)


def test_the_verb(folder: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    words = ["film", str(folder), "--variant", "Market Red", "--seconds", "0.5", "--rate", "4", "--size", "48"]
    assert main([*words, "--out", str(tmp_path / "a.webp"), "--way", "into", "--into", "River Stall"]) == 0
    assert len(frames(tmp_path / "a.webp")[0]) == 2
    assert main([*words, "--out", str(tmp_path / "a.gif")]) == 2
    assert main([*words, "--out", str(tmp_path / "b.webp"), "--way", "into"]) == 2
    assert "--into" in capsys.readouterr().err


def test_a_former_save_and_a_delivery_are_told_from_what_is_there_now(
    pennant: State, folder: Path, tmp_path: Path
) -> None:
    variant = pennant.project.variants[0].id
    key = next(p.id for p in pennant.project.parameters if p.name == "Field tint")
    deliver(pennant, tmp_path / "out", targets=["images"])
    now = set_value(pennant, variant, key, "#2040c0")
    before, after = picture_of(pennant, variant), picture_of(now, variant)
    names = {r.id: r.name for r in pennant.project.regions.regions}
    for former in (former_picture(folder, now, variant), delivered_picture(tmp_path / "out", now, variant)):
        same, other = apart_by_region(now, before, former), apart_by_region(now, after, former)
        assert same[-1].mean < 0.5
        assert names[other[0].region] == "Field"
        assert other[0].mean > 20
        assert other[-1].region == ""
    with pytest.raises(EvenPaletteError, match="no Even Palette project"):
        former_picture(tmp_path, now, variant)
    with pytest.raises(EvenPaletteError):
        delivered_picture(tmp_path, now, variant)
