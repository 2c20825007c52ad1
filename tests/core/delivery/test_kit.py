"""The kit: a game that knows only `parameters.json` and the head of `recipe.glsl` draws what is delivered."""

import json
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from shutil import copytree
from types import MappingProxyType

import jsonschema
import numpy as np
import pytest
from tests.helpers.glsl import Game
from tests.helpers.kit_loader import Loader
from tests.helpers.projects import PAPERS, with_choices

from evenpalette.cli import main
from evenpalette.core.color.encoding import encode_srgb_8bit
from evenpalette.core.delivery.deliver import deliver
from evenpalette.core.delivery.kit_model import schema_text
from evenpalette.core.delivery.kit_said import time_of
from evenpalette.core.delivery.layout import planned_textures
from evenpalette.core.document.kit_text import kit_text
from evenpalette.core.document.project import Sheet
from evenpalette.core.document.state import Resting, State
from evenpalette.core.edits.asset import remove_texture, rename_project
from evenpalette.core.edits.parameters import name_input, update_parameter
from evenpalette.core.edits.recipe import add_step, bind_input, update_step
from evenpalette.core.edits.step_text import paste_steps, steps_as_text
from evenpalette.core.edits.variants import set_value
from evenpalette.core.errors import Cancelled, EvenPaletteError, ValueProblem
from evenpalette.core.raster.image_read import read_image
from evenpalette.core.raster.packing import packed
from evenpalette.core.raster.raster import Encoding, Raster
from evenpalette.core.recipe.evaluate import evaluate_surface
from evenpalette.core.recipe.packed_reads import Plane, packed_reads, planes_of
from evenpalette.core.recipe.recipe import Binding, Pulse
from evenpalette.core.recipe.samplers import by_sampler
from evenpalette.core.recipe.shader import kit_shader, packable
from evenpalette.core.storage.demo_files import copy_demo, demo_names
from evenpalette.core.storage.storage import Storage

#: Of each demo the variants that follow another one, by their folders.
DERIVED = {
    "moth-lantern": {"variants/harbour-night-old": "Harbour Night", "variants/celadon-lit": "Celadon"},
    "pennant": {},
    "stall-sign": {},
    "tea-tin": {"variants/late-market": "Canal Night"},
}


@pytest.fixture(scope="module", params=sorted(DERIVED))
def delivered(
    request: pytest.FixtureRequest, delivered_demo: Callable[[str], tuple[Path, State]]
) -> tuple[str, Path, State]:
    """Every demo, delivered."""
    return request.param, *delivered_demo(request.param)


def test_every_demo_is_delivered_here() -> None:
    assert sorted(demo_names()) == sorted(DERIVED)


def test_a_plain_loader_draws_every_variant_as_delivered(delivered: tuple[str, Path, State]) -> None:
    _, out, state = delivered
    loader, game = Loader(out / "kit"), Game()
    for number, variant in enumerate(loader.said["variants"]):
        picture = read_image(out / variant["folder"] / "base_color.png")
        for es in (False, True)[: 2 if number < 3 else 1]:
            drawn = encode_srgb_8bit(loader.draw(game, variant, picture.size, es=es)).astype(int)
            assert np.abs(drawn - picture.pixels).max() <= 1
        # An eighth of the size: the maps averaged in linear light, against the kit through its mip levels.
        size = (picture.width // 8, picture.height // 8)
        averaged = picture.as_linear().reshape(size[1], 8, size[0], 8, 3).mean((1, 3))
        small = encode_srgb_8bit(loader.draw(game, variant, size, mips=True)).astype(int)
        used = state.used.reshape(size[1], 8, size[0], 8).all((1, 3)) if state.used.shape[0] == picture.height else ...
        apart = np.abs(small - encode_srgb_8bit(averaged.astype(np.float32)))
        assert apart[used].mean() <= 1.0
    assert [v["name"] for v in loader.said["variants"]] == [v.name for v in state.project.variants]


def test_a_plain_loader_gets_every_attribute_as_delivered(tmp_path: Path, lantern: State) -> None:
    deliver(lantern, tmp_path, maps=lantern.attributes)
    loader, game = Loader(tmp_path / "kit"), Game()
    fields = {entry["field"]: entry for entry in loader.said["attributes"]}
    assert set(fields) == set(lantern.attributes)
    assert all(variant["maps"]["strand_shape"]["alpha"] is None for variant in loader.said["variants"])
    assert {
        "base_color",
        "metallic",
        "roughness",
        "coat",
        "coat_roughness",
        "emissive",
        "normal",
        "strands",
        "anisotropy",
    } <= set(fields)
    for variant in loader.said["variants"][1:3]:
        for attribute, said in variant["maps"].items():
            encoding = Encoding.SRGB if said["encoding"] == "srgb" else Encoding.DATA
            picture = read_image(tmp_path / variant["folder"] / said["file"], encoding)
            drawn = loader.draw(game, variant, picture.size, attribute=attribute)
            if fields[attribute]["holds"] == "slopes":
                assert said["green"] == "up"
                vectors = np.concatenate([drawn[..., :2], np.ones_like(drawn[..., :1])], -1)
                codes = (vectors / np.linalg.norm(vectors, axis=-1, keepdims=True) * 0.5 + 0.5) * 255
            elif said["encoding"] == "srgb":
                codes = encode_srgb_8bit(drawn / np.float32(said["strength"])).astype(float)
            else:
                codes = drawn[..., : min(picture.channels, 3)] * 255
                picture = Raster(picture.pixels[..., :3], picture.encoding)
            gap = np.abs(np.rint(codes) - picture.pixels)
            # Of a normal two planes are stored, in its depth: the third follows, less exactly where it is steep.
            assert gap.max() <= (2 if attribute == "normal" else 1), (variant["name"], attribute)
            assert (gap <= 1).mean() >= 0.9999, (variant["name"], attribute)


def test_choices_of_textures_and_vectors_are_drawn_as_delivered(tmp_path: Path, lantern: State) -> None:
    """Three papers to choose among, laid four times, and a finish of four numbers: one shader, other values."""
    state, fill, pattern, wear = with_choices(lantern)
    papers, variants = list(PAPERS), [v.id for v in state.project.variants[:3]]
    with pytest.raises(ValueProblem, match="4 numbers"):
        set_value(state, variants[0], wear.id, "1, 0")
    with pytest.raises(ValueProblem, match="textures"):
        set_value(state, variants[0], pattern.id, "paper-9")
    deliver(state, tmp_path, variants=variants, maps=("base_color", "roughness", "metallic"))
    loader, game = Loader(tmp_path / "kit"), Game()
    jsonschema.validate(loader.said, json.loads(schema_text()))
    by_name = {p["name"]: p for p in loader.said["parameters"]}
    assert (by_name["Wear"]["glsl"], by_name["Wear"]["choices"][0]) == ("vec4", "Roughness")
    assert by_name["Paper pattern"]["glsl"] == "sampler2D"
    pictures = []
    for k, variant in enumerate(loader.said["variants"]):
        picture = read_image(tmp_path / variant["folder"] / "base_color.png")
        drawn = encode_srgb_8bit(loader.draw(game, variant, picture.size, mips=True)).astype(int)
        assert (np.abs(drawn - picture.pixels[..., :3]).max(-1) <= 1).mean() > 0.999
        pictures.append(picture.pixels)
        assert (
            abs(
                int(read_image(tmp_path / variant["folder"] / "roughness.png", Encoding.DATA).pixels[5, 5, 0])
                - round(25.5 * (k + 2))
            )
            <= 1
        )
        assert np.allclose(loader.draw(game, variant, (8, 8), attribute="metallic")[..., 0], k / 10, atol=1e-5)
    assert all(np.abs(pictures[0].astype(int) - other).mean() > 5 for other in pictures[1:])
    # A texture that is chosen among is not taken out, and what is no choice any more is chosen by no variant.
    with pytest.raises(EvenPaletteError, match="still used"):
        remove_texture(state, papers[2])
    fewer = update_parameter(state, pattern.id, choices=tuple(papers[:2]))
    assert [fewer.values(v)[pattern.id] for v in variants] == [
        papers[0],
        papers[1],
        papers[1],
    ]  # the third derives from the second
    # Copied as text, the choice finds its textures by their names, or goes without.
    pasted, missing = paste_steps(state, steps_as_text(state, [fill]))
    assert not missing
    assert pasted.project.recipe.users(pattern.id)[-1].id == pasted.project.recipe.steps[-1].id
    elsewhere, missing = paste_steps(State(), steps_as_text(state, [fill]))
    assert "texture paper-0" in missing
    assert not elsewhere.project.parameters


def test_alpha_is_carried_and_light_beyond_white_has_its_strength(tmp_path: Path, lantern: State) -> None:
    """The painted texture's alpha is the opacity; it is in the map and in the kit, and never multiplied in."""
    painted = lantern.project.tone.painted
    assert painted is not None
    rng = np.random.default_rng(2)
    alpha = rng.integers(0, 256, (*lantern.textures[painted].pixels.shape[:2], 1), np.uint8)
    cut = Raster(np.concatenate([lantern.textures[painted].pixels[..., :3], alpha], -1), Encoding.SRGB)
    state = replace(lantern, textures=MappingProxyType({**lantern.textures, painted: cut}))
    flame = next(p for p in state.project.parameters if p.name == "Flame")
    state = update_parameter(state, flame.id, default=1.0)
    state = bind_input(state, "step-glow", "stops", Binding(value=3.0))
    deliver(state, tmp_path, variants=[], maps=("base_color", "opacity", "emissive"), longest=0)
    loader, game = Loader(tmp_path / "kit"), Game()
    (only,) = loader.said["variants"]
    base = read_image(tmp_path / only["folder"] / "base_color.png")
    assert np.array_equal(base.pixels[..., 3:], alpha)
    assert only["maps"]["base_color"]["alpha"] == "opacity"
    assert loader.said["opacity"] == {"use": "cut-out", "threshold": 0.5}
    drawn = loader.draw(game, only, base.size, attribute="opacity")[..., 0]
    assert np.abs(drawn * 255 - alpha[..., 0]).max() < 0.6
    strength = only["maps"]["emissive"]["strength"]
    assert strength > 3
    glow = loader.draw(game, only, base.size, attribute="emissive")
    assert glow.max() == pytest.approx(strength, rel=0.01)
    # What is opaque is delivered so, also where its opacity is asked for.
    deliver(lantern, tmp_path / "opaque", variants=[], maps=("base_color", "opacity"), longest=64)
    loader = Loader(tmp_path / "opaque" / "kit")
    (only,) = loader.said["variants"]
    assert (loader.said["opacity"], only["maps"]["base_color"]["alpha"]) == (None, None)
    assert read_image(tmp_path / "opaque" / only["folder"] / "base_color.png").channels == 3
    assert read_image(tmp_path / "opaque" / only["folder"] / "opacity.png").pixels.min() == 255


def test_the_description_follows_its_published_schema(delivered: tuple[str, Path, State]) -> None:
    name, out, state = delivered
    said = json.loads((out / "kit" / "parameters.json").read_text())
    schema = json.loads((out / "kit" / "parameters.schema.json").read_text())
    jsonschema.validate(said, schema)
    published = (Path(__file__).parents[3] / "docs" / "parameters.schema.json").read_text()
    assert json.loads(published) == schema == json.loads(schema_text()), "run `make schema`"
    assert [p["id"] for p in said["parameters"]] == [p.id for p in state.project.parameters]
    assert all(set(v["values"]) == {p["uniform"] for p in said["parameters"]} for v in said["variants"])
    derived = {v["folder"]: v["derives_from"] for v in said["variants"] if v["derives_from"]}
    assert derived == DERIVED[name]


def test_ids_stay_and_names_are_read_when_they_are_of_another_script(lantern: State, tmp_path: Path) -> None:
    parameter = lantern.project.parameters[0]
    named = rename_project(update_parameter(lantern, parameter.id, name="Бумага"), "灯")
    named = update_step(named, named.project.recipe.steps[0].id, name="Farbe für Löwen")
    deliver(named, tmp_path, longest=16, kit_longest=64)
    said = json.loads((tmp_path / "kit" / "parameters.json").read_text())
    assert (said["parameters"][0]["id"], said["parameters"][0]["uniform"]) == (parameter.id, "p_bumaga")
    assert "Farbe fur Lowen" in (tmp_path / "kit" / "recipe.glsl").read_text()
    assert {tuple(entry["size"]) for entry in said["textures"]} == {(64, 64)}


def test_a_smaller_size_and_a_choice_of_variants(tmp_path: Path, lantern: State) -> None:
    one = lantern.project.variants[1]
    written = deliver(lantern, tmp_path, variants=[one.id], longest=256).files
    assert read_image(tmp_path / "variants" / "harbour-night" / "base_color.png").size == (256, 256)
    assert [p.name for p in (tmp_path / "variants").iterdir()] == ["harbour-night"]
    assert all(path.exists() for path in written)


def test_sheets_have_a_folder_each_and_one_variant_recolors_them_all(tmp_path: Path, lantern: State) -> None:
    """A badge with a texture space of its own follows the paper's parameter."""
    paper = lantern.project.recipe.steps[0].rows[0]
    badge_step = lantern.project.recipe.steps[0].model_copy(
        update={"id": "badge", "rows": (paper.model_copy(update={"id": "badge-row", "regions": None}),)}
    )
    badge = Sheet(id="sheet-badge", name="Badge", groups=("Cap",), steps=(badge_step,))
    state = lantern.with_project(sheets=(*lantern.project.sheets, badge))
    gray = Raster(np.full((32, 32, 1), 30000, np.uint16), Encoding.DATA)
    state = replace(state, resting=MappingProxyType({"sheet-badge": Resting(tone=gray)}))
    Storage(tmp_path / "p").save(state)
    opened = Storage(tmp_path / "p").open()
    assert opened.project == state.project
    assert opened.on("sheet-badge").tone is not None
    # Only the cap lies on the badge's texels.
    assert 0 < opened.on("sheet-badge").used.mean() < 0.3
    deliver(opened, tmp_path / "out", longest=32)
    assert {p.name for p in (tmp_path / "out" / "kit").iterdir()} == {"sheet", "badge", "kit.json", "mesh.glb"}
    colors = [
        read_image(tmp_path / "out" / "variants" / name / "badge" / "base_color.png").pixels[16, 16].tolist()
        for name in ("ember", "harbour-night")
    ]
    assert colors[0] != colors[1]
    said = json.loads((tmp_path / "out" / "kit" / "badge" / "parameters.json").read_text())
    assert said["sheet"] == "Badge"
    assert len(said["parameters"]) == 1


def test_a_cancelled_or_failed_delivery_leaves_the_folder_as_it_was(tmp_path: Path, lantern: State) -> None:
    out = tmp_path / "out"
    out.mkdir()
    (out / "mine.txt").write_text("keep")

    def stop(share: float) -> None:
        if share > 0.3:
            raise Cancelled("stopped")

    with pytest.raises(Cancelled):
        deliver(lantern, out, longest=128, progress=stop)
    assert [p.name for p in out.iterdir()] == ["mine.txt"]
    with pytest.raises(EvenPaletteError, match="failed"):
        deliver(lantern, out / "mine.txt", longest=64)


def test_coverages_take_the_channels_that_they_need_and_alpha_holds_data_only_of_four(
    delivered: tuple[str, Path, State],
) -> None:
    """A loader that multiplies alpha in, as a browser does by default, spoils a fourth coverage at most, and is told
    not to."""
    _, out, state = delivered
    said = json.loads((out / "kit" / "parameters.json").read_text())
    by_sampler = {t["sampler"]: t for t in said["textures"]}
    for number, region in enumerate(said["regions"]):
        # The plane that the file holds there is the region's coverage, and the file says so.
        texture = by_sampler[region["sampler"]]
        assert {"channels": region["channel"], "holds": region["name"]} in texture["reads"]
        stored = read_image(out / "kit" / "textures" / texture["file"], Encoding.DATA)
        plane = stored.pixels[..., "rgba".index(region["channel"])]
        assert np.array_equal(plane, state.sources.coverages[number])
    for texture in said["textures"]:
        # Two planes take three channels, and only four have an alpha, which a loader might multiply in.
        assert (texture["channels"], texture["alpha"]) in ((1, "none"), (3, "none"), (4, "data"))
        assert len(texture["reads"]) in (1, texture["channels"], 2)
    assert "Never let a" in (out / "kit" / "recipe.glsl").read_text()
    assert "never premultiplied" in schema_text()
    text = (out / "kit" / "recipe.glsl").read_text()
    assert (
        len(kit_text(state).samplers)
        == len({t["sampler"] for t in said["textures"]})
        == text.count("uniform sampler2D ") - text.count("uniform sampler2D ep_table")
    )


def test_a_kit_says_what_is_constant_where_values_matter_and_how_time_may_be_counted(
    tmp_path: Path, lantern: State
) -> None:
    tin = Storage(copy_demo(tmp_path / "tin", "tea-tin")).open()
    deliver(tin, tmp_path / "a", longest=32, kit_longest=64)
    said = json.loads((tmp_path / "a" / "kit" / "parameters.json").read_text())
    row = next(p for p in said["parameters"] if p["name"] == "Label row")
    assert row["range"] == [0, 3]
    assert said["time"] is None
    state = add_step(lantern, "cover", None)
    step = state.project.recipe.steps[-1]
    soot = next(t.id for t in state.project.asset.textures if "soot" in t.name)
    state = bind_input(
        state, step.id, "mask", Binding(value=f"{soot}:0"), step.rows[0].id if "mask" in step.rows[0].inputs else None
    )
    state = bind_input(
        state,
        step.id,
        "mask_placed",
        Binding(value="drift=0.25,0"),
        step.rows[0].id if "mask_placed" in step.rows[0].inputs else None,
    )
    state = bind_input(state, step.id, "amount", Binding(pulse=Pulse(low=0.0, high=1.0, period=3.0)))
    time = time_of(state)
    # A texture that drifts by a quarter a second is back after 8 s where it is mirrored, the pulse after 3.
    assert time is not None
    assert time.repeats_after == 24.0
    assert time.largest == 4096 / 0.25
    # Beyond the largest a 1024 texture stands still for more than a quarter of a texel: float32's own steps.
    assert np.spacing(np.float32(time.largest * 0.25)) <= 0.5 / 1024
    deliver(lantern, tmp_path / "b", longest=32, kit_longest=64)
    said = json.loads((tmp_path / "b" / "kit" / "parameters.json").read_text())
    constants = {a["field"]: a["constant"] for a in said["attributes"]}
    assert constants["base_color"] is None
    for field, value in constants.items():
        if value is not None:
            made = evaluate_surface(lantern.bound_steps(None), lantern.sources, [field], float_output=True)[
                field
            ].pixels
            assert np.allclose(made, np.array(value, np.float32))


def test_a_placement_that_is_a_parameter_drifts_out_of_the_table_too(lantern: State, tmp_path: Path) -> None:
    state = add_step(lantern, "cover", None)
    step = state.project.recipe.steps[-1]
    soot = next(t.id for t in state.project.asset.textures if "soot" in t.name)
    where = {key: step.rows[0].id if key in step.rows[0].inputs else None for key in ("mask", "mask_placed")}
    state = bind_input(state, step.id, "mask", Binding(value=f"{soot}:0"), where["mask"])
    state = bind_input(state, step.id, "mask_placed", Binding(value="drift=0.25,0"), where["mask_placed"])
    state = name_input(state, step.id, "mask_placed", "Soot way", row_id=where["mask_placed"])
    deliver(state, tmp_path, targets=["kit"], kit_longest=256)
    loader, game = Loader(tmp_path / "kit"), Game()
    variant = loader.said["variants"][0]
    row = loader.said["table"]["rows"].index(variant["id"])
    drawn = []
    for seconds in ("0.0", "1.7"):
        text = f"\nvec3 chosen(vec2 uv) {{ return evenpalette_surface(uv, {seconds}, 0u).base_color; }}\n#define evenpalette_recipe chosen\n"
        told = game.run(
            loader.text + text, loader.textures_of(variant), loader.uniforms(variant), (256, 256), repeat=loader.repeat
        )
        rows = loader.draw_row(
            game, variant, row, (256, 256), call=f"evenpalette_surface_row(uv, {seconds}, 0u, {row})"
        )
        assert np.abs(encode_srgb_8bit(told).astype(int) - encode_srgb_8bit(rows)).max() <= 1
        drawn.append(encode_srgb_8bit(told).astype(int))
    assert (np.abs(drawn[1] - drawn[0]) > 8).mean() > 0.01


def test_planes_share_textures_and_the_kit_draws_what_it_drew_apart(lantern: State, tmp_path: Path) -> None:
    """The lantern's eight textures are five: planes of eight bits by fours, the gathered glow, a color, and the tone,
    which keeps its sixteen. The packed text and the unpacked one give the same, and a pixel takes fewer reads."""
    deliver(lantern, tmp_path, targets=["kit"])
    loader, game = Loader(tmp_path / "kit"), Game()
    assert len(loader.said["textures"]) == 5
    apart = kit_shader(lantern.project.recipe, lantern.shader_reads)
    assert len(apart.samplers) == 8
    rasters = {"ep_base": lantern.base}
    for sampler, planes in by_sampler(list(lantern.sources.coverages)).items():
        rasters[sampler] = Raster(packed(planes), Encoding.DATA)
    for sampler, sampled in apart.textures.items():
        raster = lantern.read_textures[sampled.texture]
        rasters[sampler] = raster if sampled.as_color else raster.with_encoding(Encoding.DATA)
    for variant in loader.said["variants"][:3]:
        for attribute in ("base_color", "normal", "roughness", "emissive"):
            one = game.run(apart.text, rasters, loader.uniforms(variant), (1024, 1024), attribute=attribute)
            two = loader.draw(game, variant, (1024, 1024), attribute=attribute)
            if attribute == "normal":
                # Two of its planes are stored; as unit vectors the two are within a code of 8 bits.
                one, two = (np.dstack([v[..., :2], np.ones(v.shape[:2])]) for v in (one, two))
                one, two = (v / np.linalg.norm(v, axis=-1, keepdims=True) * 127.5 for v in (one, two))
                assert np.abs(one - two).max() <= 2
                assert np.quantile(np.abs(one - two), 0.999) <= 1
                continue
            # A texture of another size is enlarged, and at the border of the map the kit's own text says how it wraps.
            inner = np.s_[2:-2, 2:-2]
            assert np.abs(one[inner] - two[inner]).max() < 1e-6, attribute
    # A size of its own keeps a plane apart, and so does a texture that something else reads in color.
    state = lantern
    key = next(p.texture for unit in packable(state.project.recipe, state.shader_reads) for p in unit if p.texture)
    small = replace(state, textures=MappingProxyType({**state.textures, key: state.textures[key].thumbnail(256)}))
    assert len(kit_text(small).samplers) >= 5
    assert {size for size, _ in {(t.raster.size, t.sampler) for t in planned_textures(small, kit_text(small))}} >= {
        (256, 256)
    }


def test_planes_put_together_by_hand_lie_so_and_the_kit_draws_the_same(
    lantern: State, demo_folder: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    """By the command line: one plane alone, one in place of another; the project keeps it, and the pixels stay."""
    folder = copytree(demo_folder, tmp_path / "lantern")

    def planes(*words: str) -> list[list[str]]:
        assert main(["kit-planes", str(folder), "--json", *words]) == 0
        return list(json.loads(capsys.readouterr().out))

    first = planes()
    paper, soot = next(s for s in first if "Paper" in s), next(s for s in first if "lantern-soot.png: r" in s)
    assert paper is not soot
    moved = planes("--move", "Paper", "--beside", "lantern-soot.png: r")
    expected = [
        ["lantern-soot.png: r" if n == "Paper" else "Paper" if n == "lantern-soot.png: r" else n for n in s]
        for s in first
    ]
    assert sorted(map(sorted, moved)) == sorted(map(sorted, expected))
    alone = planes("--move", "Moth")
    assert ["Moth"] in alone
    assert sorted(n for s in alone for n in s) == sorted(n for s in first for n in s)
    assert planes() == alone
    state = Storage(folder).open()
    deliver(lantern, tmp_path / "one", targets=["kit"])
    deliver(state, tmp_path / "two", targets=["kit"])
    one, two, game = Loader(tmp_path / "one" / "kit"), Loader(tmp_path / "two" / "kit"), Game()
    # The texts are other ones, and every plane is stored as it was.
    held = {t["sampler"]: [r["holds"] for r in t["reads"]] for t in two.said["textures"]}
    assert ["Moth"] in held.values()
    for attribute in ("base_color", "normal", "roughness"):
        both = [kit.draw(game, kit.said["variants"][0], (512, 512), attribute=attribute) for kit in (one, two)]
        assert np.abs(both[0] - both[1]).max() < 1e-6, attribute
    assert planes("--by-itself") == first
    for words, said in (
        (["--move", "Moth", "--beside", "lantern-normal.png: rg"], "no room"),
        (["--move", "Nobody"], "no plane 'Nobody'"),
        (["--beside", "Moth"], "--move"),
    ):
        assert main(["kit-planes", str(folder), *words]) == 2
        assert said in capsys.readouterr().err


def test_what_was_put_together_and_is_gone_is_left_out(lantern: State) -> None:
    """Planes of regions that were removed, of another size, named twice, or too many for a texture."""
    (one, two, three, *_), kind = (Plane("", k) for k in range(7)), (8, 8)
    units = [(Plane("", k),) for k in range(7)] + [(Plane("n", 0), Plane("n", 1))]
    alike = {plane: kind for unit in units for plane in unit}
    made = planes_of(packed_reads(units, alike, [[one, two, one, Plane("gone", 0)], [two, three]]))
    assert list(made.values())[:2] == [[one, two], [three]]
    assert {p for held in made.values() for p in held} == set(alike)
    assert max(map(len, made.values())) <= 4
    full = planes_of(packed_reads(units, alike, [[one, two, three, Plane("n", 0)]]))
    assert next(iter(full.values())) == [one, two, three]
    other = planes_of(packed_reads(units, alike | {two: (4, 4)}, [[one, two]]))
    assert [one] in other.values()
