"""All variants against all others: against brute force, another library's color vision, and what a mend does."""

import json
from itertools import combinations
from pathlib import Path

import colour
import numpy as np
import pytest
from coloraide import Color
from colour.blindness import matrix_cvd_Machado2009
from PIL import Image
from pypdf import PdfReader

from evenpalette.cli import main
from evenpalette.core.color.vision import VISIONS, Vision, vision_named
from evenpalette.core.delivery.contact_sheet import SheetWish, write_sheet
from evenpalette.core.document.state import State
from evenpalette.core.edits.variants import add_variant, set_value
from evenpalette.core.errors import EvenPaletteError
from evenpalette.core.findings.findings import find_all, mend_for
from evenpalette.core.mesh.camera import OrbitCamera
from evenpalette.core.recipe.evaluate import evaluate
from evenpalette.core.storage.demo_files import copy_demo
from evenpalette.core.storage.storage import Storage
from evenpalette.core.variants.compare import Comparison, compared
from evenpalette.core.variants.portrait import Sitting
from evenpalette.core.variants.small_surface import small_sources


@pytest.fixture(scope="module")
def pennant(tmp_path_factory: pytest.TempPathFactory) -> State:
    return Storage(copy_demo(tmp_path_factory.mktemp("market") / "m", "pennant")).open()


@pytest.mark.parametrize("kind", ["protanomaly", "deuteranomaly", "tritanomaly"])
def test_color_vision_is_that_of_other_libraries(kind: str) -> None:
    """colour-science at every tenth that is published; coloraide between them, where the authors say linear."""
    linear = np.random.default_rng(3).random((20, 3)).astype(np.float32)
    for tenth in range(11):
        theirs = matrix_cvd_Machado2009(kind.capitalize(), tenth / 10)
        assert np.abs(Vision(kind, tenth / 10).matrix() - theirs).max() < 1e-6
    short = {"protanomaly": "protan", "deuteranomaly": "deutan", "tritanomaly": "tritan"}[kind]
    for strength in (0.35, 0.62, 0.99):
        seen = Vision(kind, strength).seen(linear)
        for color, mine in zip(linear, seen, strict=True):
            other = Color("srgb-linear", [float(v) for v in color]).filter(short, strength, method="machado")
            assert np.abs(np.clip(other.convert("srgb-linear").coords(), 0, 1) - mine).max() < 1e-3


def test_gray_is_luminance_and_words_are_read() -> None:
    linear = np.random.default_rng(3).random((50, 3)).astype(np.float32)
    luminance = linear @ colour.RGB_COLOURSPACES["sRGB"].matrix_RGB_to_XYZ[1]
    assert np.abs(Vision("gray").seen(linear) - luminance[:, None]).max() < 2e-3
    assert vision_named("Deuteranomaly:0.5") == Vision("deuteranomaly", 0.5)
    for words in ("daltonism", "gray:2", "gray:x"):
        with pytest.raises(EvenPaletteError, match="is no way to see"):
            vision_named(words)
    assert set(VISIONS) == {"normal", "protanomaly", "deuteranomaly", "tritanomaly", "gray"}


@pytest.mark.parametrize("vision", [Vision(), Vision("deuteranomaly", 0.8)])
def test_pairs_are_those_of_brute_force_worst_first(pennant: State, vision: Vision) -> None:
    """Each texel of each pair by colour-science's CIEDE2000; the mean of the region that differs most."""
    small, used = small_sources(pennant, 24)
    pictures = {}
    for variant in pennant.project.variants:
        raster = evaluate(pennant.bound_steps(variant.id), small, float_output=True)
        seen = vision.seen(np.clip(raster.pixels, 0, 1))
        xyz = colour.RGB_to_XYZ(seen.astype(float), "sRGB")
        pictures[variant.id] = colour.XYZ_to_Lab(
            xyz, colour.CCS_ILLUMINANTS["CIE 1931 2 Degree Standard Observer"]["D65"]
        )
    masks = {r: (p >= 128) & used for r, p in zip(pennant.region_ids, small.coverages, strict=True)}
    masks = {r: m for r, m in masks.items() if m.sum() >= max(1, 0.005 * used.sum())} | {"": used}
    wanted = {}
    for one, two in combinations(pictures, 2):
        units = colour.delta_E(pictures[one], pictures[two], method="CIE 2000")
        means = {region: float(units[mask].mean()) for region, mask in masks.items()}
        wanted[one, two] = max(means.values())
    found = compared(pennant, vision, 24)
    assert [pair.whole for pair in found] == sorted(pair.whole for pair in found)
    for pair in found:
        # What differs beside the color counts too; the pennant's finish does not.
        assert abs(pair.units - wanted[pair.first, pair.second]) < 0.15


def test_two_hundred_variants_are_compared(pennant: State) -> None:
    state = pennant
    color = next(p.id for p in state.project.parameters if p.name == "Field tint")
    for number in range(196):
        state = add_variant(state, f"More {number}")
        state = set_value(state, state.project.active_variant, color, f"#{number:02x}{(number * 7) % 256:02x}80")
    looked = Comparison(state, 32)
    for vision in (Vision(), Vision("protanomaly"), Vision("gray")):
        assert len(looked.pairs(vision)) == 200 * 199 // 2


def test_what_one_man_in_twelve_cannot_tell_apart_is_found_and_parted(pennant: State) -> None:
    """A red and a green of one lightness, as far apart as can be to most eyes."""
    state = pennant
    for name, color in (("Rust", "#96682d"), ("Olive", "#8a712d")):
        state = add_variant(state, name, state.project.variants[0].id)
        for parameter in state.project.parameters:
            if parameter.name == "Field tint":
                state = set_value(state, state.project.active_variant, parameter.id, color)
    (found,) = [f for f in find_all(state) if f.code == "alike-for-some"]
    assert "Olive and Rust are alike for 1 in 12 men" in found.text
    assert "in Field" in found.text
    mend = mend_for(state, found)
    assert mend is not None
    parted = mend[1](state)
    assert [f.code for f in find_all(parted) if f.code in ("alike-for-some", "same-variant")] == []
    changed = found.subject.split()[1]
    before, after = (s.values(changed) for s in (state, parted))
    assert sum(before[key] != after[key] for key in before) == 1


def test_the_command_line_compares(pennant: State, tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    folder = copy_demo(tmp_path / "m", "pennant")
    assert main(["compare", str(folder), "--json", "--vision", "tritanomaly:0.7", "--size", "48"]) == 0
    rows = json.loads(capsys.readouterr().out)
    assert len(rows) == 6
    assert [row["distance"] for row in rows] == sorted(row["distance"] for row in rows)
    assert {"a", "b", "distance", "region"} <= set(rows[0])
    with pytest.raises(SystemExit, match="2"):
        main(["compare", str(folder), "--vision", "green"])


@pytest.mark.parametrize("ground", ["light", "dark"])
def test_a_contact_sheet_is_read_back(pennant: State, tmp_path: Path, ground: str) -> None:
    """pypdf reads names and hex as text; a picture in the PDF is that of the asset."""
    named = pennant.with_project(name="Wimpel \N{LATIN SMALL LETTER U WITH DIAERESIS} <b>")
    path = tmp_path / "sheet.pdf"
    wish = SheetWish(sides=2, page="letter", ground=ground)
    pages = write_sheet(named, path, wish)
    reader = PdfReader(path)
    assert len(reader.pages) == pages
    text = "".join(page.extract_text() for page in reader.pages)
    for variant in named.project.variants:
        assert variant.name in text
    assert "#a7302b" in text
    assert "Wimpel \N{LATIN SMALL LETTER U WITH DIAERESIS} <b>" in text
    assert f"1 of {pages}" in text
    assert [round(float(v)) for v in reader.pages[0].mediabox[2:]] == [612, 792]
    images = [image for page in reader.pages for image in page.images]
    assert len(images) == 2 * len(named.project.variants)
    size = images[0].image.size[0]
    begin = OrbitCamera().yaw
    shown = Sitting(named, size, begin).picture(named.values(named.project.variants[0].id))
    inside = shown[..., 3] == 255
    drawn = np.asarray(images[0].image.convert("RGB")).astype(int)
    assert np.abs(drawn - shown[..., :3])[inside].max() <= 1
    assert path.stat().st_size < 10 << 20


def test_a_contact_sheet_as_a_picture_and_refusals(pennant: State, tmp_path: Path) -> None:
    assert write_sheet(pennant, tmp_path / "sheet.png", SheetWish(columns=2)) == 1
    assert Image.open(tmp_path / "sheet.png").width > 1000
    for name, wish in (("a.txt", SheetWish()), ("a.pdf", SheetWish(sides=5)), ("a.pdf", SheetWish(columns=13))):
        with pytest.raises(EvenPaletteError, match="contact sheet"):
            write_sheet(pennant, tmp_path / name, wish)
