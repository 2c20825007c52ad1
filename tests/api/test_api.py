"""The promised interface: its names and signatures, what it needs, and that it does what the command line does."""

import doctest
import hashlib
import inspect
import json
import subprocess
import sys
import threading
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import numpy as np
import pytest
from scripts.reference import reference_text

import evenpalette
from evenpalette.api import collection as collection_module
from evenpalette.api import project as project_module
from evenpalette.api import variants as variants_module
from evenpalette.cli import main
from evenpalette.core.color.encoding import encode_srgb_8bit
from evenpalette.core.errors import EvenPaletteError
from evenpalette.core.raster.image_read import read_image
from evenpalette.core.storage.demo_files import copy_demo

ROOT = Path(__file__).parents[2]
#: What stands in the interface, by its version: a change of any name, signature or field is another version.
PROMISED = {"1.0": "d340539b02902e4e", "1.1": "919ef4184f536cec", "1.2": "0f79655ca7405ce9"}


@pytest.fixture
def folder(tmp_path: Path) -> Path:
    return copy_demo(tmp_path / "market", "pennant")


def interface() -> list[str]:
    """Every public name with its signature, class by class."""
    lines = []
    for name in sorted(set(evenpalette.__all__) - {"__version__", "API_VERSION"}):
        held = getattr(evenpalette, name)
        if not inspect.isclass(held):
            lines.append(f"{name}{inspect.signature(held)}")
            continue
        lines.append(f"class {name}({', '.join(base.__name__ for base in held.__bases__)})")
        lines += [f"  {field}: {kind}" for field, kind in sorted(getattr(held, "__annotations__", {}).items())]
        for member, what in sorted(vars(held).items()):
            if member.startswith("_") and member not in (
                "__getitem__",
                "__setitem__",
                "__delitem__",
                "__iter__",
                "__len__",
            ):
                continue
            if isinstance(what, property):
                lines.append(f"  {member}: {what.fget.__annotations__['return']}{' (settable)' if what.fset else ''}")  # type: ignore[union-attr]
            elif callable(what):
                lines.append(f"  {member}{inspect.signature(what)}")
    return lines


def test_a_name_or_a_signature_does_not_change_without_its_version() -> None:
    text = "\n".join(interface())
    word = hashlib.sha256(text.encode()).hexdigest()[:16]
    assert PROMISED.get(evenpalette.API_VERSION) == word, f"raise API_VERSION, and note {word} for it:\n{text}"


def test_every_public_thing_says_what_it_is() -> None:
    for name in set(evenpalette.__all__) - {"__version__", "API_VERSION"}:
        held = getattr(evenpalette, name)
        assert inspect.getdoc(held), name
        if inspect.isclass(held) and held.__module__.startswith("evenpalette.api"):
            for member, what in vars(held).items():
                if not member.startswith("_") and (callable(what) or isinstance(what, property)):
                    assert inspect.getdoc(what), f"{name}.{member}"
    assert issubclass(evenpalette.Error, Exception)
    assert evenpalette.Error is EvenPaletteError


def test_the_examples_in_its_words_are_so(tmp_path: Path) -> None:
    copy_demo(tmp_path)
    tried = 0
    for module in (project_module, variants_module, collection_module):
        result = doctest.testmod(module, extraglobs={"evenpalette": evenpalette, "market": tmp_path})
        assert result.failed == 0
        tried += result.attempted
    assert tried >= 12


def test_the_reference_is_that_of_the_code() -> None:
    """docs/reference.md is made by sphinx from the docstrings: `python -m scripts.reference`."""
    assert (ROOT / "docs" / "reference.md").read_text("utf-8") == reference_text()


def test_it_is_loaded_when_asked_for_and_needs_neither_window_nor_graphics() -> None:
    code = (
        "import sys, evenpalette; assert 'numpy' not in sys.modules\n"
        "project = evenpalette.open(sys.argv[1]); project.render(None, size=16); project.picture(None, size=32)\n"
        "bad = [m for m in sys.modules if m.split('.')[0] in ('PyQt6', 'moderngl', 'distributed')]; assert not bad, bad\n"
    )
    demo = ROOT / "src" / "evenpalette" / "core" / "storage" / "demo" / "pennant"
    done = subprocess.run([sys.executable, "-c", code, str(demo)], capture_output=True, text=True, check=False)
    assert done.returncode == 0, done.stderr


def test_the_example_of_the_design_runs(folder: Path, tmp_path: Path) -> None:
    project = evenpalette.open(folder)
    project.variants["Market Red"]["Field tint"] = "#b03020"
    night = project.derive("Market Red", "Market Red by night", {"Bleach": 0.2})
    pixels = project.render("Market Red by night", "base_color", size=128)
    assert (pixels.dtype, pixels.shape) == (np.float32, (128, 128, 3))
    assert night["Field tint"] == "#b03020"
    assert night.own == {"Bleach": 0.2}
    made = project.deliver(tmp_path / "out", layout="packed", variants=["Market Red"], executor=None)
    assert made.written == len(made.files) == 3
    assert project.check() == []
    project.save()
    again = evenpalette.open(folder / "project.json")
    assert list(again.variants) == list(project.variants)
    assert dict(again.variants["market red by night"]) == dict(night)
    project.close()
    with pytest.raises(evenpalette.Error, match="closed"):
        _ = project.name


def test_what_is_rendered_is_what_the_command_line_writes(folder: Path, tmp_path: Path) -> None:
    project = evenpalette.open(folder)
    for attribute in ("base_color", "roughness", "normal"):
        out = tmp_path / f"{attribute}.png"
        words = ["render", str(folder), "--variant", "Night Row", "--map", attribute, "--size", "64", "--out", str(out)]
        assert main(words) == 0
        written = read_image(out).pixels[..., :3].astype(int)
        pixels = project.render("Night Row", attribute, size=64)
        if attribute == "base_color":
            codes = encode_srgb_8bit(np.clip(pixels, 0, 1)).astype(int)
        elif attribute == "normal":
            assert np.allclose(np.linalg.norm(pixels, axis=2), 1, atol=1e-5)
            codes = np.floor((pixels * 0.5 + 0.5) * 255 + 0.5).astype(int)
        else:
            codes = np.floor(np.clip(pixels, 0, 1) * 255 + 0.5).astype(int)
        assert np.abs(codes - written).max() <= 1, attribute
        assert (codes == written).mean() > 0.99


def test_rolls_are_those_of_the_command_line_and_come_again(folder: Path, capsys: pytest.CaptureFixture[str]) -> None:
    with evenpalette.open(folder) as project:
        mine = {v.name: v.own for v in project.roll(3, seed=9, apart=4.0, parent="Tea Quarter")}
    words = ["roll", str(folder), "--count", "3", "--seed", "9", "--apart", "4", "--from", "Tea Quarter"]
    before = (folder / "project.json").read_bytes()
    assert main([*words, "--json"]) == 0
    assert json.loads(capsys.readouterr().out) == mine
    assert (folder / "project.json").read_bytes() == before
    assert main(words) == 0
    with evenpalette.open(folder) as project:
        assert {name: project.variants[name].own for name in mine} == mine
        assert project.variants["Roll"].parent is not None


def test_errors_name_what_there_is_and_change_nothing(folder: Path, tmp_path: Path) -> None:
    project = evenpalette.open(folder)
    before = {name: dict(v) for name, v in project.variants.items()}
    for wrong, said in (
        (lambda: project.variants["Nobody"], "There are: Market Red"),
        (lambda: project.variants["Market Red"].__setitem__("Field", "#000000"), "There are: Field tint"),
        (lambda: project.variants["Market Red"].__setitem__("Field tint", "red"), "not a color"),
        (lambda: project.derive("Market Red", "Night Row"), "Another variant is called"),
        (lambda: project.derive("Market Red", "New", {"Bleach": "x"}), "number"),
        (lambda: project.render("Market Red", "shine"), "shine"),
        (lambda: project.deliver(tmp_path, layout="nothing"), "There is no layout 'nothing'"),
        (lambda: project.deliver(tmp_path, targets=["paper"]), "no target"),
        (lambda: project.deliver(tmp_path, executor="moon"), "no place to run jobs"),
        (lambda: project.save(folder.parent / "tea-tin"), "holds a project already"),
        (lambda: evenpalette.open(tmp_path / "none"), "holds no Even Palette project"),
        (lambda: evenpalette.new(folder, tmp_path / "a.obj"), "not an empty folder"),
        (lambda: evenpalette.new(tmp_path / "n", tmp_path / "a.obj"), "a.obj"),
    ):
        with pytest.raises(evenpalette.Error, match=said) as error:
            wrong()
        assert "\n" not in str(error.value)
    assert {name: dict(v) for name, v in project.variants.items()} == before


def test_threads_may_share_a_project(folder: Path) -> None:
    """Eight threads render while one changes values: no picture is a mixture, no change is lost."""
    project = evenpalette.open(folder)
    project.derive("Market Red", "Moving")
    stop = threading.Event()
    pictures: list[np.ndarray] = []

    def draw(_: int) -> None:
        while not stop.is_set():
            pictures.append(project.render("Market Red", size=16))

    with ThreadPoolExecutor(8) as pool:
        running = [pool.submit(draw, number) for number in range(8)]
        for number in range(40):
            project.variants["Moving"]["Field tint"] = f"#{number:02x}0000"
            project.derive("Moving", f"Child {number}")
        stop.set()
        for one in running:
            one.result()
    assert len(project.variants) == 4 + 1 + 40
    assert project.variants["Moving"]["Field tint"] == "#270000"
    assert all(np.array_equal(picture, pictures[0]) for picture in pictures)


def test_a_new_project_of_a_mesh_and_pictures(tmp_path: Path) -> None:
    from PIL import Image

    (tmp_path / "plate.obj").write_text(
        "v 0 0 0\nv 1 0 0\nv 0 1 0\nv 1 1 0\nvt 0 0\nvt 1 0\nvt 0 1\nvt 1 1\nusemtl iron\nf 1/1 2/2 3/3\nusemtl paint\nf 2/2 4/4 3/3\n"
    )
    Image.new("RGB", (32, 32), (180, 90, 40)).save(tmp_path / "plate.png")
    with evenpalette.new(
        tmp_path / "plate",
        tmp_path / "plate.obj",
        {tmp_path / "plate.png": "painted-color"},
        regions="material",
        fit=True,
    ) as plate:
        assert set(plate.regions) == {"iron", "paint"}
        assert [step.kind for step in plate.steps] == ["tint"]
        assert sum(region.share for region in plate.regions.values()) == pytest.approx(1, abs=0.05)
        shown = plate.picture(None, size=64)
        assert shown[..., 3].max() == 255
    assert evenpalette.open(tmp_path / "plate").name == "plate"


def test_an_art_lead_by_script(folder: Path) -> None:
    """Between two, all pairs, marks: the same as the window's functions make of the same project."""
    with evenpalette.open(folder) as project:
        first, second = list(project.variants)[:2]
        made = project.between(first, second, 3)
        assert [variant.name for variant in made] == [f"{first} to {second} {k}" for k in (1, 2, 3)]
        assert list(project.variants)[1:4] == [variant.name for variant in made]
        pairs = project.compare("deuteranomaly:0.8", 48)
        count = len(project.variants)
        assert len(pairs) == count * (count - 1) // 2
        assert [pair.distance for pair in pairs] == sorted(pair.distance for pair in pairs)
        told = json.loads(subprocess.run(
            [sys.executable, "-m", "evenpalette", "compare", str(folder), "--json", "--size", "48", "--vision", "deuteranomaly:0.8"],
            capture_output=True, check=False,
        ).stdout)  # fmt: skip
        by_names = {(pair.a, pair.b): pair.distance for pair in pairs}
        assert all(by_names[row["a"], row["b"]] == pytest.approx(row["distance"], abs=2e-3) for row in told)
        assert project.take_review(f"Even Palette review: x\n{first}: keep, good\n{second}: drop") == 2
        assert (project.variants[first].mark, project.variants[first].note) == ("keep", "good")
        project.variants[second].mark = "change"
        project.variants[second].note = "lighter"
        project.save()
    with evenpalette.open(folder) as again:
        assert (again.variants[second].mark, again.variants[second].note) == ("change", "lighter")
        with pytest.raises(evenpalette.Error, match="no mark"):
            again.variants[second].mark = "burn"
