"""The page, in a browser that is not ours: what it draws is what is delivered, and names do no harm."""

import json
import shutil
import time
from collections.abc import Callable, Iterator
from pathlib import Path

import numpy as np
import pytest
from tests.helpers.browser import Browser

from evenpalette.cli import main
from evenpalette.core.crowd import by_share
from evenpalette.core.delivery.deliver import deliver
from evenpalette.core.document.state import State
from evenpalette.core.edits.asset import rename_project
from evenpalette.core.edits.marks import take_marks
from evenpalette.core.edits.variants import rename_variant, set_value
from evenpalette.core.raster.image_read import read_image
from evenpalette.core.storage.demo_files import copy_demo, demo_names
from evenpalette.core.storage.storage import Storage


@pytest.fixture(scope="module")
def browser() -> Iterator[Browser]:
    made = Browser("gl")
    yield made
    made.close()


@pytest.fixture
def delivered(
    delivered_demo: Callable[[str], tuple[Path, State]], tmp_path: Path
) -> Callable[[str], tuple[Path, State]]:
    """A demo, with its page as it comes by mail: the file alone."""

    def mailed(name: str) -> tuple[Path, State]:
        out, state = delivered_demo(name)
        (tmp_path / "mail").mkdir()
        shutil.copy(out / "kit" / "preview.html", tmp_path / "mail" / "page.html")
        return out, state

    return mailed


@pytest.mark.parametrize("name", sorted(demo_names()))
def test_the_page_draws_what_is_delivered(
    browser: Browser, tmp_path: Path, delivered: Callable[[str], tuple[Path, State]], name: str
) -> None:
    """Base color at full size, of one variant all of it, of the others and of the other maps a quarter in turn: within
    1 code for 99.9%, never more than 2. A hundred thousand copies have the variants that they have in the player. The
    console has nothing to say."""
    out, state = delivered(name)
    browser.said()
    assert browser.open(tmp_path / "mail" / "page.html") == "ok"
    said = json.loads((out / "kit" / "parameters.json").read_text())
    assert browser.ask("return window.evenPalette.variants") == [v["name"] for v in said["variants"]]
    assert browser.ask("return window.evenPalette.attributes") == [a["field"] for a in said["attributes"]]
    maps = [
        (v["name"], "base_color", out / v["folder"] / v["maps"]["base_color"]["file"], number)
        for number, v in enumerate(said["variants"], -1)
    ]
    second = state.project.variants[1]
    others = [a for a in ("normal", "roughness", "emissive", "strand_shape") if a in state.attributes]
    if others:
        deliver(state, tmp_path / "others", maps=others, targets=["images"], variants=[second.id])
        (folder,) = (tmp_path / "others" / "variants").iterdir()
        maps += [(second.name, attribute, folder / f"{attribute}.png", n) for n, attribute in enumerate(others, 1)]
    for variant, attribute, file, number in maps:
        pixels = read_image(file).pixels
        height, width, channels = pixels.shape
        first, end = (0, height) if number == 0 else (number % 4 * height // 4, (number % 4 + 1) * height // 4)
        part = [0, first / height, 1, (end - first) / height]
        wanted = {"variant": variant, "attribute": attribute, "width": width, "height": end - first, "part": part}
        apart = np.abs(browser.pixels(wanted)[..., :channels].astype(int) - pixels[first:end])
        assert apart.max() <= 2, (variant, attribute)
        assert (apart <= 1).mean() >= 0.999, (variant, attribute)
    rows = browser.ask("return window.evenPalette.rowsOf(100000)")
    assert rows == by_share(np.arange(100_000, dtype=np.uint32), [1.0] * len(state.project.variants)).tolist()
    assert browser.said() == []
    sources = (
        sum(f.stat().st_size for f in (out / "kit" / "textures").iterdir()) + (out / "kit" / "mesh.glb").stat().st_size
    )
    assert (tmp_path / "mail" / "page.html").stat().st_size <= 1.4 * sources + 300_000


def test_parameters_crowd_and_values_are_worked_as_a_visitor_does(
    browser: Browser, tmp_path: Path, delivered: Callable[[str], tuple[Path, State]]
) -> None:
    _, state = delivered("pennant")
    assert browser.open(tmp_path / "mail" / "page.html") == "ok"
    # A color that is set is what the same variant has with it.
    field_tint = next(p for p in state.project.parameters if p.name == "Field tint")
    changed = set_value(state, state.project.variants[0].id, field_tint.id, "#2244cc")
    deliver(changed, tmp_path / "changed", longest=256, targets=["images"], variants=[state.project.variants[0].id])
    told = read_image(next((tmp_path / "changed" / "variants").glob("*/base_color.png"))).pixels
    browser.ask(
        "window.evenPalette.show(given[0]); window.evenPalette.set('p_field_tint', '#2244cc')",
        state.project.variants[0].name,
    )
    drawn = browser.pixels({"attribute": "base_color", "width": 1024, "height": 1024}).astype(float)
    small = drawn[..., :3].reshape(256, 4, 256, 4, 3).mean((1, 3))
    assert np.abs(small - told[..., :3]).mean() < 1.5
    # The field that says so, by keyboard and by name.
    field = "[...document.querySelectorAll('input')].find(i => i.getAttribute('aria-label') === 'Field tint as hex')"
    assert browser.ask(f"return {field}.value") == "#2244cc"
    browser.ask(f"const i = {field}; i.value = '#00ff00'; i.dispatchEvent(new Event('change'))")
    assert "p_field_tint: #00ff00" in browser.ask("return document.getElementById('values').value")
    # Every control has a name for those who do not see it.
    assert (
        browser.ask(
            "return [...document.querySelectorAll('input, select, textarea, canvas#stage')].filter(e => !e.getAttribute('aria-label') && !e.closest('label')).length"
        )
        == 0
    )
    # A thousand copies: one draw call for each part of the model, of all variants.
    before = browser.picture()
    calls = browser.ask("window.evenPalette.crowd(0); window.evenPalette.paint(); return window.evenPalette.draws")
    crowd = browser.ask("window.evenPalette.crowd(1000); window.evenPalette.paint(); return window.evenPalette.draws")
    assert crowd == calls - 1  # flat is beside one alone
    time.sleep(0.5)
    assert np.abs(browser.picture().astype(int) - before).max() > 50
    assert browser.said() == []


def test_marks_are_kept_copied_out_and_taken_by_the_project(
    browser: Browser, tmp_path: Path, delivered: Callable[[str], tuple[Path, State]]
) -> None:
    """Typed as a visitor does, read again after the page was closed, pasted where it came from."""
    _, state = delivered("pennant")
    page = tmp_path / "mail" / "page.html"
    assert browser.open(page) == "ok"
    names = [v.name for v in state.project.variants]
    browser.ask(
        "window.evenPalette.show(given[0]); const m = document.getElementById('mark'), n = document.getElementById('note');"
        "m.value = 'change'; m.onchange(); n.value = 'a little  lighter\\nplease'; n.oninput(); window.evenPalette.show(given[1]);"
        "if (n.value || m.value) throw new Error('the mark of another variant is shown'); m.value = 'keep'; m.onchange();",
        names[0], names[2],
    )  # fmt: skip
    assert browser.open(page) == "ok"
    text = browser.ask("return window.evenPalette.reviewText()")
    assert text.splitlines() == [
        "Even Palette review: Pennant", f"{names[0]}: change, a little lighter please", f"{names[2]}: keep"
    ]  # fmt: skip
    made, count, missing = take_marks(state, text)
    assert (count, missing) == (2, [])
    assert [v.mark for v in made.project.variants[:3]] == ["change", "", "keep"]
    browser.ask("window.evenPalette.mark(given[0], ''); window.evenPalette.mark(given[1], '')", names[0], names[2])
    assert browser.ask("return window.evenPalette.reviewText()") == "Even Palette review: Pennant"


def test_names_of_any_kind_do_no_harm(browser: Browser, tmp_path: Path) -> None:
    state = Storage(copy_demo(tmp_path / "demo", "tea-tin")).open()
    hostile = "</script><script>document.title='taken'</script>\"'&@DATA@ ランタン"
    state = rename_project(state, hostile[:70])
    state = rename_variant(state, state.project.variants[0].id, hostile[:80])
    Storage(tmp_path / "p").save(state)
    assert main(["export", str(tmp_path / "p"), "--out", str(tmp_path / "out"), "--target", "preview"]) == 0
    assert browser.open(tmp_path / "out" / "kit" / "preview.html") == "ok"
    assert browser.ask("return window.evenPalette.variants[0]") == hostile[:80]
    assert browser.driver.title == hostile[:70]
    # Nothing is fetched, and a script that is not the page's own does not run.
    assert (
        browser.ask("try { await fetch('data:text/plain,x'); return 'fetched' } catch { return 'refused' }")
        == "refused"
    )
    assert "preview.html" in {p.name for p in (tmp_path / "out" / "kit").iterdir()}


@pytest.mark.parametrize(
    ("harm", "words"),
    [
        ("table", "rows of"), ("text", "does not compile"), ("texture", "has changed"), ("missing", "is missing"), ("newer", "newer than this program"),
        ("outside", "no file of the kit"),
    ],
)  # fmt: skip
def test_a_broken_kit_is_one_sentence(
    browser: Browser, tmp_path: Path, harm: str, words: str, capsys: pytest.CaptureFixture[str]
) -> None:
    """By `evenpalette preview`, or on the page where only the browser can tell."""
    state = Storage(copy_demo(tmp_path / "demo", "tea-tin")).open()
    deliver(state, tmp_path / "out", kit_longest=128, targets=["kit"])
    kit = tmp_path / "out" / "kit"
    file = kit / "parameters.json"
    said = json.loads(file.read_text())
    texture = kit / "textures" / said["textures"][0]["file"]
    if harm == "table":
        (kit / "variants.f32").write_bytes(b"\0" * 32)
    elif harm == "text":
        (kit / "recipe.glsl").write_text(
            (kit / "recipe.glsl").read_text().replace("return surface;", "return surfaces;")
        )
    elif harm == "texture":
        texture.write_bytes(texture.read_bytes() + b"x")
    elif harm == "missing":
        texture.unlink()
    else:
        said |= {"version": 99} if harm == "newer" else {"recipe": "../../secret.glsl"}
        file.write_text(json.dumps(said))
    code = main(["preview", str(tmp_path / "out"), "--out", str(tmp_path / "page.html")])
    said_here = capsys.readouterr().err
    if harm == "text":
        assert code == 0
        assert words in browser.open(tmp_path / "page.html")
        assert words in browser.ask("return document.getElementById('words').textContent")
    else:
        assert code == 2
        assert len(said_here.strip().splitlines()) == 1
        assert words in said_here
        assert not (tmp_path / "page.html").exists()
