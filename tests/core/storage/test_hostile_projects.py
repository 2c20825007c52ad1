"""A stranger's project: nothing outside its folder is read, written or deleted, and no number or name goes
unchecked."""

import json
from collections.abc import Callable
from pathlib import Path
from typing import Any

import moderngl
import numpy as np
import pytest
from tests.helpers import glsl
from tests.hostile.files import small_state, write_project

from evenpalette.core.delivery.deliver import deliver
from evenpalette.core.delivery.kit import build_shader
from evenpalette.core.edits.asset import rename_project
from evenpalette.core.edits.recipe import update_step
from evenpalette.core.errors import ProjectError
from evenpalette.core.storage.storage import Storage


def write(folder: Path, raw: dict[str, Any]) -> None:
    (folder / "project.json").write_text(json.dumps(raw))


@pytest.mark.parametrize("kind", ["textures", "coverages", "mesh"])
def test_a_kind_folder_that_is_a_link_is_neither_read_nor_written_nor_emptied(tmp_path: Path, kind: str) -> None:
    folder, other = tmp_path / "p", tmp_path / "other"
    write_project(folder)
    (folder / kind).rename(other)
    (folder / kind).symlink_to(other)
    before = {p.name: p.read_bytes() for p in other.iterdir()}
    with pytest.raises(ProjectError, match="outside the project or is a link"):
        Storage(folder).open()
    # Saving another document over it must not clean up, or write, behind the link.
    state = small_state()
    storage = Storage(folder)
    with pytest.raises(ProjectError, match="link"):
        storage.save(state)
    assert {p.name: p.read_bytes() for p in other.iterdir()} == before


def test_a_painted_folder_that_is_a_link_loses_nothing_when_the_project_is_saved(tmp_path: Path) -> None:
    """The names there look like ours, and the project.json before names them."""
    folder, other = tmp_path / "p", tmp_path / "other"
    raw = write_project(folder)
    other.mkdir()
    (other / "01-precious.0123456789ab.png").write_bytes(b"precious")
    (folder / "painted").symlink_to(other)
    raw["rasters"]["gone/painted"] = "painted/01-precious.0123456789ab.png"
    write(folder, raw)
    storage = Storage(folder)
    storage.save(rename_project(storage.open(), "Saved"))
    assert (other / "01-precious.0123456789ab.png").read_bytes() == b"precious"
    assert Storage(folder).open().project.name == "Saved"


def test_only_what_the_last_save_named_is_cleaned_away(tmp_path: Path) -> None:
    folder = tmp_path / "p"
    write_project(folder)
    strange = [
        folder / "textures" / "mine.0123456789ab.png", folder / "textures" / "brush.psd.part", folder / "notes.part",
        folder / "tone" / "tone.0123456789ab.png",
    ]  # fmt: skip
    left = [folder / ".even-palette-0123456789ab.part", folder / "textures" / ".painted.0123456789ab.png.a1b2c3d4.part"]
    for path in (*strange, *left):
        path.parent.mkdir(exist_ok=True)
        path.write_bytes(b"x")
    storage = Storage(folder)
    storage.save(rename_project(storage.open(), "Again"))
    assert all(path.exists() for path in strange)
    assert not any(path.exists() for path in left)


def first_region(raw: dict) -> dict:
    return raw["sheets"][0]["regions"]["divisions"][0]["regions"][0]


def _bind_choice(raw: dict) -> None:
    raw["parameters"].append({"id": "c", "name": "C", "type": "choice", "default": "a", "choices": ["a"]})
    raw["sheets"][0]["steps"][0]["inputs"]["lacking"] = {"parameter": "c"}


@pytest.mark.parametrize(
    ("problem", "change"),
    [
        ("damaged", lambda raw: raw["rasters"].update(tone="tone/\0.png")),
        ("damaged", lambda raw: raw.update(name="\ud800")),
        ("cannot be read", lambda raw: raw.update(mesh_file="mesh/" + "y" * 300 + ".obj")),
        ("damaged", lambda raw: first_region(raw)["source"].update(seed=[1e308, 0])),
        ("damaged", lambda raw: first_region(raw)["source"].update(seed=[float("nan"), 0])),
        ("lacks", _bind_choice),
        ("Input to step|lacks|takes a", lambda raw: raw["sheets"][0]["steps"][0].update(inputs={"color": {"value": True}})),
        ("derives from itself", lambda raw: raw["variants"][0].update(parent=raw["variants"][0]["id"])),
        ("two regions have the id", lambda raw: raw["sheets"][0]["regions"]["divisions"][0]["regions"].append(first_region(raw))),
        ("outside the project or is a link", lambda raw: raw.update(mesh_file="mesh/loop/x.obj")),
        ("nested too deeply|damaged", lambda raw: raw.update(variants=json.loads("[" * 900 + "]" * 900))),
    ],
)  # fmt: skip
def test_what_a_crafted_project_asks_for_is_refused_by_name(
    tmp_path: Path, problem: str, change: Callable[[dict], None]
) -> None:
    folder = tmp_path / "p"
    raw = write_project(folder)
    (folder / "mesh" / "loop").symlink_to("loop")
    change(raw)
    write(folder, raw)
    with pytest.raises(ProjectError, match=problem) as caught:
        Storage(folder).open()
    assert "\n" not in str(caught.value)


@pytest.mark.parametrize("place", ["a\0b", "\ud800", "x" * 5000])
def test_a_path_that_is_none_is_refused_in_our_words(place: str) -> None:
    with pytest.raises(ProjectError):
        Storage(place).open()
    with pytest.raises(ProjectError):
        Storage(place).save(small_state())


def test_names_do_not_change_the_shader(tmp_path: Path) -> None:
    """A comment that ends in a backslash swallows the next line; the kit compiles and says the same with any names."""
    state = small_state()
    texts = []
    for name in ("Plain", "ends in \\", "new\nline", "*/ }", "\u202eturned", "a\u2028b", "// ??/"):
        named = state
        for step in state.project.recipe.steps:
            named = update_step(named, step.id, name=name)
        named = rename_project(named, name)
        deliver(named, tmp_path / "out", longest=8)
        text = (tmp_path / "out" / "kit" / "recipe.glsl").read_text()
        assert text.isascii()
        texts.append([line for line in text.splitlines() if line.strip() and not line.strip().startswith("//")])
    assert all(text == texts[0] for text in texts)

    def draw() -> np.ndarray:
        context = moderngl.create_standalone_context(backend="egl")
        fragment = (
            "#version 330\nout vec4 o;\nin vec2 uv;\n"
            + build_shader(named).text
            + "void main() { o = vec4(evenpalette_recipe(uv), 1.0); }"
        )
        context.program(
            vertex_shader="#version 330\nout vec2 uv; void main() { uv = vec2(0.0); gl_Position = vec4(0.0); }",
            fragment_shader=fragment,
        )
        return np.zeros(1)

    glsl.apart(draw)
