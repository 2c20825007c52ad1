"""Layouts: every channel of every file is what its line says, read by programs that are not the writer."""

import base64
import hashlib
import json
import subprocess
from pathlib import Path

import cv2
import imagecodecs
import jsonschema
import numpy as np
import OpenEXR
import pytest
import texture2ddecoder
import tifffile
from PIL import Image
from tests.helpers.browser import Browser
from tests.helpers.projects import on_two_sheets, with_choices

from evenpalette.cli import main
from evenpalette.core.color.encoding import encode_srgb
from evenpalette.core.delivery.deliver import deliver
from evenpalette.core.delivery.layouts import planes
from evenpalette.core.delivery.layouts.named import layout_named
from evenpalette.core.delivery.layouts.of_project import beginnings_of
from evenpalette.core.delivery.layouts.read import beginnings, beginnings_by_file
from evenpalette.core.delivery.layouts.write import planned_files
from evenpalette.core.delivery.render import render_maps
from evenpalette.core.document.layout_model import layout_schema, layout_text, line_of, read_layout
from evenpalette.core.document.state import State
from evenpalette.core.edits.layouts import with_settings
from evenpalette.core.errors import LayoutError
from evenpalette.core.raster.containers import dds_bytes, ktx2_bytes, stored_levels
from evenpalette.core.raster.mips import mip_chain
from evenpalette.core.raster.padding import nearest_covered, padded
from evenpalette.core.raster.raster import Encoding, Raster
from evenpalette.core.recipe.evaluate import evaluate_surface
from evenpalette.core.storage.demo_files import copy_demo
from evenpalette.core.storage.storage import Storage


def layout(*files: dict) -> str:
    return json.dumps({"format": "even-palette-layout", "version": 1, "name": "Test", "files": list(files)})


def one(name: str, channels: list[dict], **more: object) -> dict:
    return {"name": name, "channels": channels, **more}


def line(to: str, source: str) -> dict:
    return {"to": to, "from": source}


@pytest.fixture(scope="module")
def wanted(lantern: State) -> dict[str, np.ndarray]:
    """Attributes of the first variant as floats: color linear, the normal as slopes."""
    keys = ("base_color", "metallic", "roughness", "normal")
    made = evaluate_surface(
        lantern.bound_steps(lantern.project.variants[0].id), lantern.working, keys, float_output=True
    )
    return {key: raster.pixels for key, raster in made.items()}


def test_every_channel_of_every_file_is_what_its_line_says(
    lantern: State, wanted: dict[str, np.ndarray], tmp_path: Path
) -> None:
    """Within half a step of its depth."""
    packed = [
        {"to": "r", "from": "attribute:metallic"}, {"to": "g", "from": "attribute:roughness", "invert": True},
        {"to": "b", "from": "region:Paper+Frame"}, {"to": "a", "from": "constant:0.25"},
    ]  # fmt: skip
    text = layout(
        one("{project}_{variant}_color", [{"to": "rgb", "from": "attribute:base_color"}, {"to": "a", "from": "attribute:roughness", "invert": True}]),
        one("{variant}_linear", [{"to": "rgb", "from": "attribute:base_color", "encode": "data"}], format="tiff", bits=16),
        one("{variant}_packed", packed, format="tga"),
        one("{variant}_half", [{"to": "rgb", "from": "attribute:base_color"}], format="exr"),
        one("{variant}_float", [{"to": "r", "from": "attribute:roughness", "range": [0.25, 0.75]}], format="tiff", bits=32),
        one("{variant}_normal", [{"to": "rg", "from": "attribute:normal", "green": "down"}, {"to": "b", "from": "tone"}], bits=16),
        one("{variant}_bare", [{"to": "rgb", "from": "attribute:base_color"}], without=["Soot"]),
        one("{variant}_after", [{"to": "rgb", "from": "attribute:base_color@Paint"}]),
        one("mask", [{"to": "r", "from": "mask:Soot"}], per="once"),
        one("{region}_{size}", [{"to": "r", "from": "region:{region}"}], per="region", size=0.5),
    )  # fmt: skip
    out = tmp_path / "out"
    steps = [step.name for step in lantern.project.recipe.steps]
    text = text.replace("Soot", next(s for s in steps if s.lower().startswith(("soot", "grime", "dirt"))))
    text = text.replace("@Paint", f"@{steps[0]}")
    variant = lantern.project.variants[0]
    files = deliver(lantern, out, layout=read_layout(text), variants=[variant.id]).files
    assert {p.name for p in out.iterdir()} == {"delivery.json", *(p.name for p in files)}
    stem = "ember"
    color = np.asarray(Image.open(out / f"moth-lantern_{stem}_color.png")).astype(float)
    assert np.abs(color[..., :3] - encode_srgb(np.clip(wanted["base_color"], 0, 1)) * 255).max() <= 0.502
    assert np.abs(color[..., 3] - (1 - wanted["roughness"][..., 0]) * 255).max() <= 0.502
    linear = tifffile.imread(out / f"{stem}_linear.tif").astype(float)
    assert np.abs(linear - np.clip(wanted["base_color"], 0, 1) * 65535).max() <= 0.52
    tga = np.asarray(Image.open(out / f"{stem}_packed.tga")).astype(float)
    regions = [r.name for r in lantern.project.regions.regions]
    planes = [lantern.working.coverages[regions.index(name)].astype(float) for name in ("Paper", "Frame")]
    for k, plane in enumerate(
        (
            wanted["metallic"][..., 0] * 255,
            (1 - wanted["roughness"][..., 0]) * 255,
            np.minimum(sum(planes), 255),
            np.full_like(planes[0], 63.75),
        )
    ):
        assert np.abs(tga[..., k] - plane).max() <= 0.502, k
    with OpenEXR.File(str(out / f"{stem}_half.exr")) as exr:
        channels = exr.channels()
        half = (
            next(iter(channels.values())).pixels
            if len(channels) == 1
            else np.stack([channels[c].pixels for c in "RGB"], -1)
        )
    assert half.dtype == np.float16
    assert np.allclose(half, wanted["base_color"], rtol=1e-3, atol=1e-6)
    floats = tifffile.imread(out / f"{stem}_float.tif")
    assert np.allclose(floats, (wanted["roughness"][..., 0] - 0.25) / 0.5, atol=1e-6)
    slopes = wanted["normal"]
    vectors = np.concatenate([slopes, np.ones_like(slopes[..., :1])], -1)
    vectors /= np.linalg.norm(vectors, axis=-1, keepdims=True)
    stored = cv2.imread(str(out / f"{stem}_normal.png"), cv2.IMREAD_UNCHANGED)[..., ::-1].astype(float)
    assert np.abs(stored[..., 0] - (vectors[..., 0] * 0.5 + 0.5) * 65535).max() <= 0.6
    assert np.abs(stored[..., 1] - (-vectors[..., 1] * 0.5 + 0.5) * 65535).max() <= 0.6
    bare, after = (np.asarray(Image.open(out / f"{stem}_{w}.png")).astype(int) for w in ("bare", "after"))
    assert np.abs(bare - color[..., :3]).max() > 20
    assert np.abs(after - color[..., :3]).max() > 20
    first = evaluate_surface(lantern.bound_steps(variant.id)[:1], lantern.working, ("base_color",))["base_color"].pixels
    assert np.abs(after - first).max() <= 1
    half_size = np.asarray(Image.open(out / "paper_512.png"))
    assert half_size.shape == (512, 512)
    assert np.abs(half_size - planes[0].reshape(512, 2, 512, 2).mean((1, 3))).max() <= 0.51


@pytest.mark.parametrize("zstd", [False, True])
@pytest.mark.parametrize("compression", ["none", "bc1", "bc3", "bc4", "bc5", "bc7"])
def test_levels_of_dds_and_ktx2_are_those_of_our_chain_by_decoders_that_are_not_ours(
    compression: str, zstd: bool, strangers: Path, tmp_path: Path
) -> None:
    """DDS by Pillow, KTX2 by npm's ktx-parse, blocks by texture2ddecoder. Smooth, so that blocks lose little."""
    y, x = np.mgrid[:48, :80] / 80
    rgba = np.stack([x, y, (x + y) / 2, 1 - x / 2], -1)
    count = {"bc4": 1, "bc5": 2}.get(compression, 4)
    pixels = np.rint(rgba[..., :count] * 255).astype(np.uint8)
    if compression == "bc1":
        pixels[..., 3] = 255
    srgb = compression in ("none", "bc7")
    chain = [level.pixels for level in mip_chain(Raster(pixels, Encoding.SRGB if srgb else Encoding.DATA)).levels]
    levels = stored_levels(chain, srgb=srgb, compression=compression)
    assert len(levels.content) == 7
    (tmp_path / "one.ktx2").write_bytes(ktx2_bytes(levels, zstd=zstd))
    script = (
        "const k=require('ktx-parse'),f=require('fs');const c=k.read(new Uint8Array(f.readFileSync(process.argv[1])));"
        "console.log(JSON.stringify({form:c.vkFormat,size:[c.pixelWidth,c.pixelHeight],scheme:c.supercompressionScheme,levels:c.levels.map(l=>[l.levelData.length,l.uncompressedByteLength,"
        "Buffer.from(l.levelData).toString('base64')]),dfd:c.dataFormatDescriptor[0]}))"
    )
    done = subprocess.run(
        ["node", "-e", script, str(tmp_path / "one.ktx2")], cwd=strangers, capture_output=True, text=True, check=True
    )
    read = json.loads(done.stdout)
    forms = {"none": 43, "bc1": 133, "bc3": 137, "bc4": 139, "bc5": 141, "bc7": 146}
    assert (read["form"], read["size"], read["scheme"]) == (forms[compression], [80, 48], 2 if zstd else 0)
    assert read["dfd"]["transferFunction"] == (2 if srgb else 1)
    assert [level[1] for level in read["levels"]] == [len(level) for level in levels.content]
    for level, (_, _, text) in enumerate(read["levels"]):
        content = base64.b64decode(text)
        content = imagecodecs.zstd_decode(content) if zstd else content
        assert content == levels.content[level]
        told = chain[level].astype(int)
        height, width = told.shape[:2]
        if compression == "none":
            assert np.array_equal(np.frombuffer(content, np.uint8).reshape(told.shape), told)
            continue
        decode = getattr(texture2ddecoder, f"decode_{compression}")
        wide, high = (width + 3) // 4 * 4, (height + 3) // 4 * 4
        got = np.frombuffer(decode(content, wide, high), np.uint8).reshape(high, wide, 4)[:height, :width, [2, 1, 0, 3]]
        # Blocks of a few texels that hold every color at once lose much, whoever packs them.
        assert width < 40 or np.abs(got[..., :count].astype(int) - told).mean() < 6
    (tmp_path / "one.dds").write_bytes(dds_bytes(levels))
    opened = Image.open(tmp_path / "one.dds")
    got = np.asarray(opened.convert("RGBA" if count == 4 else "RGB")).astype(int)
    assert opened.size == (80, 48)
    assert np.abs(got[..., :count] - pixels).mean() < 4


def test_a_header_of_each_container_byte_by_byte() -> None:
    """By hand from the published specifications, from memory: 8 by 4 texels of BC7 sRGB with one level."""
    levels = stored_levels([np.zeros((4, 8, 4), np.uint8)], srgb=True, compression="bc7")
    dds = np.frombuffer(dds_bytes(levels)[:148], "<u4")
    expected = {0: 0x20534444, 1: 124, 2: 0x81007, 3: 4, 4: 8, 5: 32, 6: 0, 7: 1, 19: 32, 20: 4, 21: 0x30315844, 27: 0x1000, 32: 99, 33: 3, 34: 0, 35: 1, 36: 0}  # fmt: skip
    assert {at: int(dds[at]) for at in expected} == expected
    ktx = ktx2_bytes(levels)
    assert ktx[:12] == bytes.fromhex("ab4b5458203230bb0d0a1a0a")
    head = np.frombuffer(ktx[12:80], "<u4")
    # vkFormat, typeSize, width, height, depth, layers, faces, levels, scheme; offset and length of the descriptor.
    assert head[:11].tolist() == [146, 1, 8, 4, 0, 0, 1, 1, 0, 104, 44]
    assert np.frombuffer(ktx[80:104], "<u8").tolist() == [160, 32, 32]
    descriptor = np.frombuffer(ktx[104:148], "<u4")
    assert descriptor.tolist() == [
        44,
        0,
        2 | 40 << 16,
        134 | 1 << 8 | 2 << 16,
        3 | 3 << 8,
        16,
        0,
        127 << 16,
        0,
        0,
        0xFFFFFFFF,
    ]


def test_padding_grows_islands_and_changes_nothing_inside(lantern: State, tmp_path: Path) -> None:
    base = [{"to": "rgb", "from": "attribute:base_color"}]
    text = layout(one("plain", base, per="once"), one("padded", base, per="once", padding=6))
    deliver(lantern, tmp_path, layout=read_layout(text))
    plain, padded = (np.asarray(Image.open(tmp_path / f"{name}.png")).astype(int) for name in ("plain", "padded"))
    used = lantern.used_at(lantern.working.size)
    assert np.array_equal(plain[used], padded[used])
    colors = {tuple(c) for c in plain[used].tolist()}
    changed = (plain != padded).any(-1)
    assert changed.any()
    assert all(tuple(c) in colors for c in padded[changed].tolist())


@pytest.mark.parametrize(
    ("change", "line", "words"),
    [
        (('"attribute:metallic"', '"attribut:metallic"'), 6, "no source"), (('"to": "g"', '"to": "r"'), 4, "filled twice"),
        (('"bits": 8', '"bits": 12'), 4, "bits"), (("{variant}", "{colour}"), 4, "no placeholder"), (('"format": "png"', '"format": "png", "mips": true'), 4, "mip levels"),
        (('"invert": true', '"invrt": true'), 7, "permitted"), (("]}", "]"), 9, ""),
        (('"format": "png", "bits": 8,\n   "channels": [\n    {"to": "r"', '"format": "dds", "compression": "bc1",\n   "channels": [\n    {"to": "a"'), 4, "holds 3 channels"),
    ],
)  # fmt: skip
def test_what_is_wrong_is_said_with_its_line(change: tuple[str, str], line: int, words: str) -> None:
    text = """{"format": "even-palette-layout", "version": 1,
 "name": "Packed",
 "files": [
  {"name": "{variant}_finish", "format": "png", "bits": 8,
   "channels": [
    {"to": "r", "from": "attribute:metallic"},
    {"to": "g", "from": "attribute:roughness", "invert": true}
   ]}
 ]}
"""
    assert read_layout(layout_text(read_layout(text))) == read_layout(text)
    with pytest.raises(LayoutError) as refused:
        read_layout(text.replace(*change, 1), "mine.json")
    assert words in str(refused.value)
    assert f"line {line}" in str(refused.value) or not words


def test_names_alike_unknown_things_and_folders_are_refused_and_nothing_is_written(
    lantern: State, demo_folder: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    base = [{"to": "rgb", "from": "attribute:base_color"}]
    cases = {
        "Two files would be called": [one("same", base)], "no plain file name": [one("../out_{variant}", base)],
        "no region 'Sky'": [one("x", [{"to": "r", "from": "region:Sky"}], per="once")], "no step 'Nothing'": [one("x", [{"to": "r", "from": "mask:Nothing"}], per="once")],
        "no attribute": [one("x", [{"to": "r", "from": "attribute:shininess"}], per="once")],
    }  # fmt: skip
    for number, (words, files) in enumerate(cases.items()):
        file, out = tmp_path / f"{number}.json", tmp_path / f"out{number}"
        file.write_text(layout(*files))
        assert main(["export", str(demo_folder), "--out", str(out), "--layout", str(file)]) == 2
        said = capsys.readouterr().err.strip()
        assert words in said
        assert len(said.splitlines()) == 1
        assert not out.exists() or not list(out.iterdir())
    assert line_of('{"a":\n [1,\n {"b":\n 2}]}', ("a", 1, "b")) == 3
    assert render_maps(lantern, None, ("base_color",), (8, 8))["base_color"].raster.size == (8, 8)


def test_layouts_to_begin_with_are_written_and_the_schema_is_published(lantern: State, tmp_path: Path) -> None:
    made = beginnings()
    assert len(made) == 8
    schema = json.loads((Path(__file__).parents[3] / "docs" / "layout.schema.json").read_text())
    assert schema == json.loads(layout_schema()), "run `make schema`"
    for number, known in enumerate(made):
        jsonschema.validate(json.loads(layout_text(known)), schema)
        files = deliver(
            lantern, tmp_path / str(number), layout=known, variants=[lantern.project.variants[0].id], longest=64
        ).files
        assert files


def test_layouts_that_ship_fit_a_project_of_two_sheets(lantern: State, tmp_path: Path) -> None:
    """By name each sheet gets its files; one of a file that lacks the word is refused, and says which."""
    state = on_two_sheets(with_choices(lantern)[0])
    ids = [v.id for v in state.project.variants[:2]]
    for name in ("packed", "maps apart"):
        files = planned_files(state, layout_named(state, name), ids, 64)
        assert {one.sheet for one in files if one.file.per == "variant"} == {s.id for s in state.project.sheets}
        assert len({one.name for one in files}) == len(files)
    assert layout_named(lantern, "packed").files[0].name == beginnings_by_file()["packed"].files[0].name
    path = tmp_path / "own.json"
    path.write_text(json.dumps({"format": "even-palette-layout", "version": 1, "name": "Own", "files": [
        {"name": "{variant}", "channels": [{"to": "rgb", "from": "attribute:base_color"}]}]}))  # fmt: skip
    with pytest.raises(LayoutError, match="sheet"):
        planned_files(state, layout_named(state, str(path)), ids, 64)


def test_what_is_too_large_is_made_by_strips_and_is_the_same(
    lantern: State, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Larger than its sources, files of several steps and without some, two floats, and one padded."""
    variant = lantern.project.variants[0].id
    step = lantern.project.recipe.steps[1].name
    text = layout(
        one(
            "{variant}_color", [line("rgb", "attribute:base_color"), line("a", "region:Paper")], format="png", padding=4
        ),
        one("{variant}_early", [line("rgb", f"attribute:base_color@{step}")], format="png", without=[step]),
        one(
            "{variant}_finish",
            [line("r", "attribute:roughness"), line("gb", "attribute:normal")],
            format="png",
            bits=16,
        ),
        one("{variant}_light", [line("rgb", "attribute:emissive"), line("a", "tone")], format="exr", bits=16),
    )
    made = {}
    for name in ("whole", "strips"):
        if name == "strips":
            monkeypatch.setattr(planes, "_WHOLE_TEXELS", 0)
            monkeypatch.setattr(planes, "_STRIP_TEXELS", 1100 * 100)
        deliver(lantern, tmp_path / name, longest=1100, variants=[variant], layout=read_layout(text, "test"))
        made[name] = {p.name: p.read_bytes() for p in (tmp_path / name).iterdir() if p.suffix in (".png", ".exr")}
    assert len(made["whole"]) == 4
    assert {k: hashlib.sha256(v).hexdigest() for k, v in made["whole"].items()} == {
        k: hashlib.sha256(v).hexdigest() for k, v in made["strips"].items()
    }


def test_read_backwards_a_layout_takes_packed_textures_apart(lantern: State, demo_folder: Path, tmp_path: Path) -> None:
    """What was delivered by it comes back: roles by their channels, turned and flipped back."""
    lines = [
        one("{project}_{variant}_color", [{"to": "rgb", "from": "attribute:base_color"}, {"to": "a", "from": "attribute:roughness", "invert": True}]),
        one("{project}_{variant}_nm", [{"to": "rg", "from": "attribute:normal", "green": "down"}, {"to": "b", "from": "attribute:metallic"}]),
    ]  # fmt: skip
    text = layout(*lines)
    variant = lantern.project.variants[0].id
    plain = ("base_color", "roughness", "metallic", "normal")
    told = deliver(
        lantern, tmp_path / "out", layout=read_layout(text), targets=["images"], maps=plain, variants=[variant]
    )
    packed = [str(p) for p in told.files if p.parent == tmp_path / "out"]
    (tmp_path / "l.json").write_text(text)
    mesh = next((demo_folder / "mesh").iterdir())
    words = [word for file in packed for word in ("--texture", file)]
    assert (
        main(["new", str(tmp_path / "again"), "--mesh", str(mesh), "--layout", str(tmp_path / "l.json"), *words]) == 0
    )
    again = Storage(tmp_path / "again").open()
    held = {t.role.value: again.textures[t.id].pixels for t in again.project.asset.textures}
    folder = tmp_path / "out" / "variants" / "ember"
    for role, name in (
        ("painted color", "base_color"),
        ("roughness", "roughness"),
        ("metallic", "metallic"),
        ("normal", "normal"),
    ):
        expected = np.asarray(Image.open(folder / f"{name}.png")).astype(int).reshape(held[role].shape)
        # The third number of a normal comes of two that were rounded.
        assert np.abs(held[role].astype(int) - expected).max() <= (2 if role == "normal" else 1), role


def test_light_beyond_white_survives_bc6h(tmp_path: Path) -> None:
    """By texture2ddecoder, which clips what it shows to 0..1: so light is compared below white, and its order above."""
    y, x = np.mgrid[:64, :96] / 96
    light = np.stack([x * 0.9, y * 0.9, (x + y) * 0.4], -1).astype(np.float32)
    levels = stored_levels([light, light[::2, ::2].copy()], srgb=False, compression="bc6h")
    got = np.frombuffer(texture2ddecoder.decode_bc6(levels.content[0], 96, 64), np.uint8).reshape(64, 96, 4)[
        ..., [2, 1, 0]
    ]
    assert np.abs(got / 255 - light).mean() < 0.01
    assert int(np.frombuffer(dds_bytes(levels)[128:132], "<u4")[0]) == 95
    bright = stored_levels([light * 40], srgb=False, compression="bc6h")
    assert (
        np.frombuffer(texture2ddecoder.decode_bc6(bright.content[0], 96, 64), np.uint8).reshape(64, 96, 4)[-1, -1, :3]
        == 255
    ).all()


def test_padded_is_the_nearest_texel_within_reach_and_nothing_else() -> None:
    """Against the index of the nearest covered texel, over random islands."""
    rng = np.random.default_rng(4)
    covered = cv2.dilate((rng.random((90, 130)) > 0.997).astype(np.uint8), np.ones((7, 7))).astype(bool)
    values = rng.integers(0, 256, (90, 130, 3), np.uint8)
    for reach in (0, 3, 200):
        source = nearest_covered(covered, reach).reshape(-1)
        assert np.array_equal(padded(values, covered, reach), values.reshape(-1, 3)[source].reshape(values.shape))


def test_an_openexr_file_has_layers_that_go_with_it_as_it_changes(lantern: State, tmp_path: Path) -> None:
    """The header is read by hand (OpenEXR, "File Layout": a chlist is names that end in 0, each with 16 bytes more)."""
    lines = [
        {"to": "rgb", "from": "attribute:base_color"},
        {"to": "rg", "from": "attribute:normal", "layer": "shape"},
        {"to": "r", "from": "attribute:roughness", "layer": "finish"},
        {"to": "g", "from": "attribute:metallic", "layer": "finish"},
    ]
    text = layout(one("all", lines, per="once", format="exr", bits=32))
    layered = read_layout(text)
    deliver(lantern, tmp_path, layout=layered, longest=32)
    raw = (tmp_path / "all.exr").read_bytes()
    at = raw.index(b"channels\0chlist\0") + 20
    names = []
    while raw[at]:
        end = raw.index(b"\0", at)
        names.append(raw[at:end].decode())
        at = end + 17
    assert names == ["B", "G", "R", "finish.G", "finish.R", "shape.G", "shape.R"]
    made = render_maps(lantern, lantern.project.variants[0].id, ["roughness", "metallic"], (32, 32))
    with OpenEXR.File(str(tmp_path / "all.exr"), separate_channels=True) as exr:
        held = {name: channel.pixels for name, channel in exr.channels().items()}
    for name, key in (("finish.R", "roughness"), ("finish.G", "metallic")):
        assert np.abs(held[name] * 255 - made[key].raster.pixels[..., 0]).max() <= 0.51
    assert held["shape.R"].min() < 0.5 < held["shape.R"].max()
    # What has no layers keeps the first; a letter twice in one layer is refused.
    plain = with_settings(layered.files[0], format="png")
    assert [(c.to, c.layer) for c in plain.channels] == [("rgb", "")]
    with pytest.raises(LayoutError, match="filled twice in the layer finish"):
        read_layout(text.replace('"to": "g"', '"to": "r"'))
    with pytest.raises(LayoutError, match="layers are for exr"):
        read_layout(text.replace('"exr", "bits": 32', '"png"'))


def test_beginnings_of_a_project_hold_its_regions_by_fours_and_its_index_art(tmp_path: Path) -> None:
    """KTX2 by ktx-parse is tested elsewhere: its plain texels lie at the end of the file."""
    state = Storage(copy_demo(tmp_path / "lantern", "moth-lantern")).open()
    masks = beginnings_of(state)[0]
    deliver(state, tmp_path / "masks", layout=masks)
    planes = list(state.sources.coverages)
    assert len(planes) == 7
    for number, count in ((0, 4), (1, 3)):
        raw = (tmp_path / "masks" / f"moth-lantern_masks_{number}.ktx2").read_bytes()
        texels = np.frombuffer(raw[-1024 * 1024 * 4 :], np.uint8).reshape(1024, 1024, 4)
        for k in range(count):
            assert np.array_equal(texels[..., k], planes[number * 4 + k])
    tin = Storage(copy_demo(tmp_path / "tin", "tea-tin")).open()
    art = next(layout for layout in beginnings_of(tin) if "Index" in layout.name)
    deliver(tin, tmp_path / "art", layout=art)
    for file in art.files:
        name = file.channels[0].source.partition(":")[2]
        texture = next(t for t in tin.project.asset.textures if t.name == name)
        made = np.asarray(Image.open(tmp_path / "art" / (file.name.replace("{project}", "tea-tin") + ".png")))
        held = tin.textures[texture.id].pixels
        assert np.array_equal(
            made.reshape(*made.shape[:2], -1)[..., : held.shape[2]], held[..., : 3 if held.shape[2] > 1 else 1]
        )


_UPLOAD = """
const [text, width, height, format, extension] = given;
const gl = document.createElement('canvas').getContext('webgl2');
if (!gl.getExtension(extension)) return 'missing';
const bytes = Uint8Array.from(atob(text), c => c.charCodeAt(0));
gl.bindTexture(gl.TEXTURE_2D, gl.createTexture());
gl.compressedTexImage2D(gl.TEXTURE_2D, 0, format, width, height, 0, bytes);
for (const p of [gl.TEXTURE_MIN_FILTER, gl.TEXTURE_MAG_FILTER]) gl.texParameteri(gl.TEXTURE_2D, p, gl.NEAREST);
const program = gl.createProgram();
for (const [kind, source] of [[gl.VERTEX_SHADER, `#version 300 es
void main() { gl_Position = vec4(vec2(gl_VertexID & 1, gl_VertexID >> 1) * 4.0 - 1.0, 0.0, 1.0); }`], [gl.FRAGMENT_SHADER, `#version 300 es
precision highp float; uniform highp sampler2D s; out vec4 o;
void main() { o = texelFetch(s, ivec2(gl_FragCoord.xy), 0); }`]]) {
  const shader = gl.createShader(kind); gl.shaderSource(shader, source); gl.compileShader(shader); gl.attachShader(program, shader);
}
gl.linkProgram(program); gl.useProgram(program);
gl.bindFramebuffer(gl.FRAMEBUFFER, gl.createFramebuffer());
const target = gl.createTexture(); gl.activeTexture(gl.TEXTURE1); gl.bindTexture(gl.TEXTURE_2D, target);
gl.texStorage2D(gl.TEXTURE_2D, 1, gl.RGBA8, width, height);
gl.framebufferTexture2D(gl.FRAMEBUFFER, gl.COLOR_ATTACHMENT0, gl.TEXTURE_2D, target, 0);
gl.viewport(0, 0, width, height); gl.drawArrays(gl.TRIANGLES, 0, 3);
const pixels = new Uint8Array(width * height * 4);
gl.readPixels(0, 0, width, height, gl.RGBA, gl.UNSIGNED_BYTE, pixels);
if (gl.getError()) return 'error';
return btoa(String.fromCharCode(...pixels));
"""


def test_a_browser_takes_our_blocks_as_they_lie_in_the_file() -> None:
    """Chromium uploads the first level of a DDS file itself; what it reads is what an independent decoder reads."""
    rng = np.random.default_rng(5)
    smooth = cv2.resize(rng.integers(0, 256, (8, 8, 4), np.uint8), (64, 32), interpolation=cv2.INTER_CUBIC)
    browser, missing = Browser(), []
    decoders = {"bc1": texture2ddecoder.decode_bc1, "bc3": texture2ddecoder.decode_bc3, "bc4": texture2ddecoder.decode_bc4, "bc5": texture2ddecoder.decode_bc5, "bc7": texture2ddecoder.decode_bc7}  # fmt: skip
    try:
        browser.driver.get("about:blank")
        for kind, channels, number, extension in (
            ("bc1", 3, 0x83F1, "WEBGL_compressed_texture_s3tc"), ("bc3", 4, 0x83F3, "WEBGL_compressed_texture_s3tc"),
            ("bc4", 1, 0x8DBB, "EXT_texture_compression_rgtc"), ("bc5", 2, 0x8DBD, "EXT_texture_compression_rgtc"),
            ("bc7", 4, 0x8E8C, "EXT_texture_compression_bptc"),
        ):  # fmt: skip
            file = dds_bytes(
                stored_levels([np.ascontiguousarray(smooth[..., :channels])], srgb=False, compression=kind)
            )
            blocks = file[148:]
            said = browser.ask(_UPLOAD, base64.b64encode(blocks).decode(), 64, 32, number, extension)
            if said == "missing":
                missing.append(kind)
                continue
            assert said != "error", kind
            read = np.frombuffer(base64.b64decode(said, validate=True), np.uint8).reshape(32, 64, 4)[..., :channels]
            told = np.frombuffer(decoders[kind](blocks, 64, 32), np.uint8).reshape(32, 64, 4)[..., [2, 1, 0, 3]][
                ..., :channels
            ]
            assert np.abs(read.astype(int) - told).max() <= 2, kind
    finally:
        browser.close()
    if len(missing) == len(decoders):
        pytest.skip("this browser's WebGL takes no blocks")
