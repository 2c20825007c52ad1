"""The command line keeps its contract: names, files, exit codes."""

import json
import shutil
import subprocess
import sys
from pathlib import Path

import cv2
import numpy as np
import pytest

from evenpalette.cli import main
from evenpalette.core.document.project import Role
from evenpalette.core.document.state import State
from evenpalette.core.edits.asset import add_texture
from evenpalette.core.edits.recipe import add_row, add_step, bind_input, set_base
from evenpalette.core.edits.regions import regions_from_channels
from evenpalette.core.raster.image_read import read_image
from evenpalette.core.raster.image_write import write_image
from evenpalette.core.raster.raster import Encoding, Raster
from evenpalette.core.recipe.recipe import Binding
from evenpalette.core.storage.storage import Storage
from tests.helpers.gltf import two_materials


@pytest.fixture
def id_image(tmp_path: Path) -> Path:
    image = np.zeros((64, 64, 3), np.uint8)
    cv2.circle(image, (32, 32), 20, (255, 0, 0), -1, cv2.LINE_AA)
    image[:8] = (0, 255, 0)
    write_image(Raster(image, Encoding.DATA), tmp_path / "id.png")
    return tmp_path / "id.png"


def exit_code(words: list[str]) -> object:
    """What a shell would see."""
    try:
        return main(words)
    except SystemExit as ended:
        return ended.code


def test_check_says_nothing_for_a_project_in_order_and_lists_findings_otherwise(
    demo_folder: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    assert main(["check", str(demo_folder)]) == 0
    assert capsys.readouterr().out == ""
    shutil.copytree(demo_folder, tmp_path / "p")
    raw = json.loads((tmp_path / "p" / "project.json").read_text())
    raw["sheets"][0]["textures"][1]["encoding"] = "srgb"
    (tmp_path / "p" / "project.json").write_text(json.dumps(raw))
    assert main(["check", str(tmp_path / "p"), "--json"]) == 1
    assert json.loads(capsys.readouterr().out)["findings"][0]["code"] == "data-as-color"


def test_render_writes_every_map_at_the_size_that_was_asked_for(demo_folder: Path, tmp_path: Path) -> None:
    out = tmp_path / "plum.png"
    assert (
        main(
            [
                "render",
                str(demo_folder),
                "--variant",
                "plum rain",
                "--map",
                "base_color",
                "--size",
                "1024",
                "--out",
                str(out),
            ]
        )
        == 0
    )
    assert read_image(out).size == (1024, 1024)
    for name in ("tone", "id", "coverage:moth"):
        assert (
            main(["render", str(demo_folder), "--variant", "Ember", "--map", name, "--size", "128", "--out", str(out)])
            == 0
        )
        assert read_image(out).size == (128, 128)


def test_render_is_the_tint_worked_out_by_hand(tmp_path: Path) -> None:
    """Soft regions that meet, two tints in linear light: IEC 61966-2-1 for the curve, section 11 of the design for
    rows.

    By hand: out = base * (1 - w1 - w2) + base * (w1 * tint1 + w2 * tint2), weights divided by max(1, w1 + w2).
    """
    rng = np.random.default_rng(6)
    base, mask = rng.integers(0, 256, (2, 64, 64, 3), np.uint8)
    mask[..., 2] = 0
    # Sums that miss 1 by a few codes are meant to be 1 (WITHIN_ROUNDING); none are here.
    sums = mask.sum(-1, dtype=int)
    mask[(sums > 246) & (sums < 255), :] = 0
    state = add_texture(State(), Raster(base, Encoding.SRGB), "base.png", Role.PAINTED)
    state = add_texture(state, Raster(mask, Encoding.DATA), "mask.png", Role.CHANNEL_MASK)
    painted, channels = state.project.asset.textures
    state = regions_from_channels(state, channels.id)
    first, second = state.region_ids[:2]
    state = set_base(add_step(state, "tint", (first,), 0), painted.id)
    step = state.project.recipe.steps[0]
    state = add_row(state, step.id, (second,), "row-b")
    tints = ("#c04020", "#2060e0")
    for row, tint in zip(state.project.recipe.steps[0].rows, tints, strict=True):
        state = bind_input(state, step.id, "color", Binding(value=tint), row.id)
    Storage(tmp_path / "p").save(state)
    out = tmp_path / "out.png"
    words = [
        "render",
        str(tmp_path / "p"),
        "--variant",
        "Defaults",
        "--map",
        "base_color",
        "--size",
        "64",
        "--out",
        str(out),
    ]
    assert main(words) == 0

    def decoded(values: np.ndarray) -> np.ndarray:
        x = values / 255
        return np.where(x <= 0.04045, x / 12.92, ((x + 0.055) / 1.055) ** 2.4)

    weights = mask[..., :2] / 255
    weights /= np.maximum(1, weights.sum(-1, keepdims=True))
    colors = decoded(np.array([[int(t[i : i + 2], 16) for i in (1, 3, 5)] for t in tints], float))
    linear = decoded(base.astype(float)) * (1 - weights.sum(-1, keepdims=True) + weights @ colors)
    expected = np.where(linear <= 0.0031308, linear * 12.92, 1.055 * linear ** (1 / 2.4) - 0.055) * 255
    assert np.abs(read_image(out).pixels[..., :3] - expected).max() < 0.51


def test_export_writes_variants_and_kit(demo_folder: Path, tmp_path: Path) -> None:
    assert (
        main(
            [
                "export",
                str(demo_folder),
                "--out",
                str(tmp_path / "o"),
                "--variant",
                "Straw",
                "--size",
                "64",
                "--jobs",
                "1",
            ]
        )
        == 0
    )
    assert (tmp_path / "o" / "variants" / "straw" / "base_color.png").is_file()
    assert {p.name for p in (tmp_path / "o" / "kit").iterdir()} == {
        "kit.json",
        "light.glsl",
        "mesh.glb",
        "parameters.json",
        "parameters.schema.json",
        "recipe.glsl",
        "recipe.hlsl",
        "textures",
        "variants.f32",
    }


def test_masks_come_out_as_8_bit_gray(id_image: Path, tmp_path: Path) -> None:
    out = tmp_path / "red.png"
    assert main(["pick", str(id_image), "--color", "#ff0000", "--near", "20", "--far", "120", "--out", str(out)]) == 0
    mask = read_image(out)
    assert mask.pixels.dtype == np.uint8
    assert mask.channels == 1
    assert mask.pixels[32, 32, 0] == 255
    assert main(["pick", str(id_image), "--color", "#ff0000", "--out", str(out), "--depth", "16"]) == 0
    assert read_image(out).pixels.dtype == np.uint16


def test_unmix_names_files_by_flag_and_split_by_letter(id_image: Path, tmp_path: Path) -> None:
    assert main(["unmix", str(id_image), "--out", str(tmp_path / "u")]) == 0
    assert {p.name for p in (tmp_path / "u").iterdir()} == {"ff0000.png", "00ff00.png", "000000.png"}
    total = sum(read_image(p).pixels.astype(int) for p in (tmp_path / "u").iterdir())
    assert (total == 255).all()
    for kind, letters in (("rgb", "rgb"), ("six", "rgbcmy"), ("eight", "rgbcmywk")):
        assert main(["split", str(id_image), "--as", kind, "--out", str(tmp_path / kind)]) == 0
        assert {p.stem for p in (tmp_path / kind).iterdir()} == set(letters)
    parts = [str(tmp_path / "rgb" / f"{letter}.png") for letter in "rgb"]
    assert main(["merge", *parts, "--out", str(tmp_path / "back.png")]) == 0
    assert np.array_equal(read_image(tmp_path / "back.png").pixels, read_image(id_image).pixels)


def test_bake_draws_the_materials_of_a_mesh_in_pure_flags(demo_folder: Path, tmp_path: Path) -> None:
    mesh = next((demo_folder / "mesh").iterdir())
    out = tmp_path / "id.png"
    words = [
        "bake",
        str(mesh),
        "--from",
        "material",
        "--size",
        "256",
        "--samples",
        "1",
        "--padding",
        "8192",
        "--out",
        str(out),
    ]
    assert main(words) == 0
    colors = np.unique(read_image(out).pixels.reshape(-1, 3), axis=0)
    assert len(colors) == 6
    assert set(colors.reshape(-1).tolist()) == {0, 255}
    assert main([*words[:2], "--from", "vertex-color", *words[4:]]) == 2


def test_gray_by_every_method(id_image: Path, tmp_path: Path) -> None:
    for method in ["red", "green", "blue", "mean", "bt601", "bt709", "luminance", "lightness", "oklab"]:
        assert main(["gray", str(id_image), "--by", method, "--out", str(tmp_path / "g.png")]) == 0
        assert read_image(tmp_path / "g.png").channels == 1


@pytest.mark.parametrize(
    ("words", "problem"),
    [
        (["render", "{demo}", "--variant", "Nobody", "--out", "x.png"], "no variant called"),
        (["render", "{demo}", "--variant", "Ember", "--map", "glitter", "--out", "x.png"], "is no map"),
        (["check", "nowhere"], "holds no Even Palette project"),
        (["pick", "nowhere.png", "--color", "#ff0000", "--out", "x.png"], "does not exist"),
        (["pick", "{id}", "--color", "reddish", "--out", "x.png"], "is not a color"),
        (["gray", "{id}", "--by", "red", "--out", "{tmp}/x.gif"], "can be written as"),
        (["merge", "{id}", "{id}", "--out", "x.png"], "three or four"),
        (["frobnicate", "x"], "is no verb"),
        (["split", "{id}", "--as", "rgba", "--out", "{tmp}/s"], "no alpha"),
        (["pick", "{id}"], "required: --color, --out. See evenpalette pick --help"),
        (["pick", "{id}", "--color", "#f00000", "--near", "nan", "--out", "x.png"], "a distance is"),
        (["pick", "{id}", "--color", "#f00000", "--far", "inf", "--out", "x.png"], "a distance is"),
        (["pick", "{id}", "--color", "#f00000", "--near", "-1", "--out", "x.png"], "--near"),
        (
            ["pick", "{id}", "--color", "#f00000", "--near", "90", "--far", "10", "--out", "x.png"],
            "far (10) is smaller",
        ),
        (
            ["bake", "{mesh}", "--from", "shell", "--size", "64", "--padding", "-1", "--out", "x.png"],
            "--padding|Padding is 0",
        ),
        (
            ["bake", "{mesh}", "--from", "shell", "--size", "64", "--padding", "65", "--out", "x.png"],
            "Padding is 0 to 64",
        ),
        (["bake", "{mesh}", "--from", "shell", "--size", "0", "--out", "x.png"], "from 16 to 8192"),
        (["export", "{demo}", "--jobs", "0", "--out", "{tmp}/e"], "number of threads"),
        (["export", "{demo}", "--size", "0", "--out", "{tmp}/e"], "from 1 to 16384"),
        (["render", "{demo}", "--variant", "Ember", "--size", "20000", "--out", "x.png"], "from 1 to 16384"),
        (["render", "{demo}", "--variant", "Ember", "--size", "-4", "--out", "x.png"], "--size"),
        (["unmix", "{id}", "--flags", "#ff0000,#00ff00,#FF0000", "--out", "{tmp}/u"], "given twice"),
        (["split", "{id}", "--as", "rgb", "--out", "{id}/under/a/file"], "cannot be written"),
        (["gray", "two\nlines.png", "--by", "red", "--out", "x.png"], "two lines.png does not exist"),
        (["check", "a\0b"], "cannot be opened"),
    ],
)
def test_bad_usage_ends_with_2_one_line_and_nothing_written(
    words: list[str],
    problem: str,
    demo_folder: Path,
    id_image: Path,
    tmp_path: Path,
    capsys: pytest.CaptureFixture[str],
) -> None:
    mesh = next((demo_folder / "mesh").iterdir())
    filled = [w.format(demo=demo_folder, id=id_image, tmp=tmp_path, mesh=mesh) for w in words]
    before = sorted(tmp_path.rglob("*"))
    assert exit_code(filled) == 2
    said = capsys.readouterr().err.strip()
    assert any(part in said for part in problem.split("|"))
    assert "\n" not in said
    assert sorted(tmp_path.rglob("*")) == before


def test_a_name_as_long_as_the_file_system_allows_can_be_written(id_image: Path, tmp_path: Path) -> None:
    out = tmp_path / ("n" * 246 + ".png")
    assert main(["gray", str(id_image), "--by", "red", "--out", str(out)]) == 0
    assert [p.name for p in tmp_path.iterdir() if p.name.startswith(("n", "."))] == [out.name]


def test_verbs_load_no_qt_and_stay_silent_in_a_pipe(id_image: Path, tmp_path: Path) -> None:
    code = f"import sys; from evenpalette.cli import main; main(['gray', {str(id_image)!r}, '--by', 'red', '--out', {str(tmp_path / 'g.png')!r}]); print('PyQt6' in sys.modules)"
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    assert done.stdout.strip() == "False"
    assert done.stderr == ""


def test_bake_of_a_layout_with_several_tiles_wants_to_know_which(
    tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    corners = ["vt 0.1 0.1", "vt 0.9 0.1", "vt 0.5 0.9", "vt 1.1 0.1", "vt 1.9 0.1", "vt 1.5 0.9"]
    points = ["v 0 0 0", "v 1 0 0", "v 0 1 0", "v 5 0 0", "v 6 0 0", "v 5 1 0"]
    (tmp_path / "board.obj").write_text("\n".join([*points, *corners, "f 1/1 2/2 3/3", "f 4/4 5/5 6/6"]))
    words = ["bake", str(tmp_path / "board.obj"), "--from", "shell", "--size", "64", "--out", str(tmp_path / "id.png")]
    assert main(words) == 2
    assert "other UV tiles (1002)" in capsys.readouterr().err
    assert not (tmp_path / "id.png").exists()
    for tile, flag in (("1001", (255, 0, 0)), ("1002", (0, 255, 0))):
        assert main([*words, "--tile", tile, "--padding", "0"]) == 0
        baked = read_image(tmp_path / "id.png").pixels
        assert tuple(baked[40, 32]) == flag
        # The triangle's area by the shoelace formula: 0.8 * 0.8 / 2 of the tile.
        assert (baked.max(-1) > 0).mean() == pytest.approx(0.32, abs=0.03)


def test_what_is_not_expected_is_said(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    """A lossy ID image's files are named by the flags that were meant; brighter than white is kept or said to be
    cut."""
    image = np.zeros((64, 64, 3), np.uint8)
    image[:, 32:] = (254, 0, 0)
    write_image(Raster(image, Encoding.DATA), tmp_path / "id.png")
    assert main(["unmix", str(tmp_path / "id.png"), "--out", str(tmp_path / "u")]) == 0
    assert {p.name for p in (tmp_path / "u").iterdir()} == {"ff0000.png", "000000.png"}
    assert "taken as #ff0000" in capsys.readouterr().err
    light = Raster(np.full((4, 4, 3), 3.0, np.float32), Encoding.LINEAR)
    write_image(light, tmp_path / "light.exr")
    for name, said in (("g.png", "was cut in g.png"), ("g.exr", "")):
        assert main(["gray", str(tmp_path / "light.exr"), "--by", "luminance", "--out", str(tmp_path / name)]) == 0
        assert said in capsys.readouterr().err
    assert read_image(tmp_path / "g.exr").pixels.max() == pytest.approx(3.0, abs=1e-3)
    # Gray with alpha comes apart in four; a color picture is no channel.
    gray_alpha = Raster(np.dstack([np.full((4, 4), 90, np.uint8), np.full((4, 4), 40, np.uint8)]), Encoding.DATA)
    write_image(gray_alpha, tmp_path / "ga.tif")
    assert main(["split", str(tmp_path / "ga.tif"), "--as", "rgba", "--out", str(tmp_path / "s")]) == 0
    assert [int(read_image(tmp_path / "s" / f"{c}.png").pixels[0, 0, 0]) for c in "rgba"] == [90, 90, 90, 40]
    picture = np.zeros((4, 4, 3), np.uint8)
    picture[..., 1] = 200
    write_image(Raster(picture, Encoding.SRGB), tmp_path / "color.png")
    words = ["merge", *[str(tmp_path / "color.png")] * 3, "--out", str(tmp_path / "m.png")]
    assert main(words) == 2
    assert "is a color picture" in capsys.readouterr().err


def test_divisions_and_kit_sizes_are_named_on_the_command_line(demo_folder: Path, tmp_path: Path) -> None:
    out = tmp_path / "id.png"
    for name in ("id", "id:parts", "id:1"):
        assert (
            main(["render", str(demo_folder), "--variant", "Ember", "--map", name, "--size", "64", "--out", str(out)])
            == 0
        )
    assert main(["render", str(demo_folder), "--variant", "Ember", "--map", "id:wear", "--out", str(out)]) == 2
    words = ["export", str(demo_folder), "--out", str(tmp_path / "o"), "--size", "32", "--kit-size", "128"]
    assert main(words) == 0
    assert read_image(tmp_path / "o" / "kit" / "textures" / "tone.png").size == (128, 128)


def test_new_makes_a_project_of_a_mesh_with_what_it_brings_along(
    tmp_path: Path, capsys: pytest.CaptureFixture[str], demo_folder: Path
) -> None:
    (tmp_path / "case.glb").write_bytes(two_materials().glb())
    assert main(["new", str(tmp_path / "case"), "--mesh", str(tmp_path / "case.glb"), "--regions", "material"]) == 0
    state = Storage(tmp_path / "case").open()
    assert [sheet.name for sheet in state.project.sheets] == ["Case", "Badge"]
    assert [[r.name for r in sheet.regions.regions] for sheet in state.project.sheets] == [
        ["Case"],
        ["Badge", "Badge rim"],
    ]
    assert [len(sheet.steps[0].rows) for sheet in state.project.sheets] == [1, 2]
    assert (
        main(
            [
                "render",
                str(tmp_path / "case"),
                "--variant",
                "default",
                "--map",
                "roughness",
                "--out",
                str(tmp_path / "r.png"),
            ]
        )
        == 0
    )
    assert read_image(tmp_path / "r.png").pixels[2, 2, 0] == 64
    # Textures of its own, regions of an image, a fitted tone; the painted color comes out again.
    files = {t.name: t for t in Storage(demo_folder).open().project.asset.textures}
    lantern = Storage(demo_folder).open()
    for name in ("lantern-painted.png", "lantern-id.png"):
        write_image(lantern.textures[files[name].id], tmp_path / name)
    mesh = tmp_path / "lantern.obj"
    assert lantern.mesh is not None
    mesh.write_bytes(lantern.mesh.mesh.source_bytes)
    words = [
        "new",
        str(tmp_path / "lantern"),
        "--mesh",
        str(mesh),
        "--texture",
        f"{tmp_path / 'lantern-painted.png'}=painted-color",
    ]
    assert main([*words, "--regions", f"id:{tmp_path / 'lantern-id.png'}", "--fit"]) == 0
    made = Storage(tmp_path / "lantern").open()
    assert made.tone is not None
    assert len(made.project.recipe.steps) == 1
    assert len(made.project.recipe.steps[0].rows) == 7
    report = made.project.tone.report
    assert report is not None
    assert report.mean < 4
    capsys.readouterr()
    for wrong, why in (
        ([*words], "not an empty folder"),
        (["new", str(tmp_path / "x"), "--mesh", str(mesh), "--fit"], "without regions"),
        (["new", str(tmp_path / "x"), "--mesh", str(mesh), "--regions", "wishes"], "Regions can come from"),
        (["new", str(tmp_path / "x"), "--mesh", str(mesh), "--texture", f"{mesh}=wood"], "not what a texture can hold"),
        (["new", str(tmp_path / "x"), "--mesh", str(tmp_path / "none.glb")], "does not exist"),
    ):
        assert refused(wrong) == 2
        assert why in capsys.readouterr().err
        assert not (tmp_path / "x").exists()


def refused(words: list[str]) -> int:
    """The exit code of a refused call."""
    try:
        return main(words)
    except SystemExit as left:
        return int(left.code or 0)


def test_reduce_and_restore_give_back_the_reduced_picture_for_any_number_of_colors(tmp_path: Path) -> None:
    rng = np.random.default_rng(11)
    image = rng.integers(0, 256, (64, 80, 3)).astype(np.uint8)
    write_image(Raster(image, Encoding.SRGB), tmp_path / "a.png")
    for count in (2, 5, 37, 256):
        index, strip, out = (tmp_path / f"{name}-{count}.png" for name in ("index", "strip", "out"))
        words = [
            "reduce",
            str(tmp_path / "a.png"),
            "--colors",
            str(count),
            "--index",
            str(index),
            "--strip",
            str(strip),
        ]
        assert main(words) == 0
        gray, colors = cv2.imread(str(index), cv2.IMREAD_UNCHANGED), cv2.imread(str(strip))[..., ::-1]
        assert gray.shape == (64, 80)
        assert colors.shape == (1, count, 3)
        assert main(["restore", str(index), str(strip), "--out", str(out)]) == 0
        entry = np.rint(gray.astype(float) * (count - 1) / 255).astype(int)
        assert np.array_equal(cv2.imread(str(out))[..., ::-1], colors[0][entry])
    two = cv2.vconcat([colors[..., ::-1], 255 - colors[..., ::-1]])
    cv2.imwrite(str(tmp_path / "two.png"), two)
    assert main(["restore", str(index), str(tmp_path / "two.png"), "--row", "1", "--out", str(out)]) == 0
    assert np.array_equal(cv2.imread(str(out))[..., ::-1], 255 - colors[0][entry])
    more = [
        "reduce",
        str(tmp_path / "a.png"),
        "--colors",
        "256",
        "--index",
        str(index),
        "--strip",
        str(strip),
        "--rows",
        str(tmp_path / "two.png"),
    ]
    assert main([*more, "--dither", "diffusion"]) == 0
    assert cv2.imread(str(strip)).shape == (3, 256, 3)


def test_sampling_lists_every_way_at_every_level_and_ramp_writes_a_strip(
    tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    y, x = np.mgrid[:32, :32]
    image = np.stack([x * 8, y * 8, 128 + 0 * x], -1).astype(np.uint8)
    write_image(Raster(image, Encoding.SRGB), tmp_path / "a.png")
    index, strip = str(tmp_path / "i.png"), str(tmp_path / "s.png")
    assert main(["reduce", str(tmp_path / "a.png"), "--colors", "16", "--index", index, "--strip", strip]) == 0
    assert main(["sampling", index, strip, "--source", str(tmp_path / "a.png"), "--json"]) == 0
    found = json.loads(capsys.readouterr().out)
    assert {"setting", "level", "mean_ciede2000", "p95_ciede2000", "psnr", "bytes"} == set(found[0])
    assert {line["level"] for line in found} == {0, 1, 2, 3}
    by = {(line["setting"], line["level"]): line["mean_ciede2000"] for line in found}
    assert by["true mips, nearest", 2] < by["index, trilinear, mips", 2]
    assert main(["sampling", index, strip, "--source", str(tmp_path / "a.png")]) == 0
    assert "BC7" in capsys.readouterr().out
    out = tmp_path / "ramp.png"
    assert (
        main(["ramp", str(tmp_path / "a.png"), "--stops", "4", "--out", str(out), "--width", "64", "--height", "3"])
        == 0
    )
    assert read_image(out).size == (64, 3)
    for wrong in (
        ["reduce", str(tmp_path / "a.png"), "--colors", "300", "--index", index, "--strip", strip],
        ["reduce", str(tmp_path / "a.png"), "--colors", "8", "--index", str(tmp_path / "i.jpg"), "--strip", strip],
        ["restore", index, strip, "--row", "4", "--out", str(out)],
        ["sampling", index, strip, "--source", str(tmp_path / "ramp.png")],
        ["ramp", str(tmp_path / "none.png"), "--stops", "4", "--out", str(out)],
    ):
        assert exit_code(wrong) == 2
    assert not (tmp_path / "i.jpg").exists()
