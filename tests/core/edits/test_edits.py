"""Edits: parameters, steps, variants and history behave as the artist expects."""

from pathlib import Path

import cv2
import numpy as np
import pytest

from evenpalette.core.document.history import History
from evenpalette.core.document.project import Role
from evenpalette.core.document.state import State
from evenpalette.core.edits import asset, face_sets, parameters, recipe, regions, variants
from evenpalette.core.edits.asset import add_texture, exchange_texture
from evenpalette.core.edits.guess import guess
from evenpalette.core.errors import EvenPaletteError, MeshFileError, ProjectError, RecipeError
from evenpalette.core.findings.findings import find_all, mend_for
from evenpalette.core.mesh.read import parse_mesh
from evenpalette.core.raster.raster import Encoding, Raster
from evenpalette.core.recipe.recipe import Binding
from evenpalette.core.regions.region_set import RegionSet
from evenpalette.core.regions.source import BakeSettings
from evenpalette.core.storage.storage import Storage

COLOR = Raster(np.full((8, 8, 3), 128, np.uint8), Encoding.SRGB)


def test_roles_are_guessed_from_words_and_carry_their_encoding() -> None:
    state = State()
    for name in ("lamp_BaseColor.png", "lamp-id.png", "lamp_ao.png", "lamp_normal.png", "soot.png"):
        state = asset.add_texture(state, COLOR, name)
    roles = [(t.role, t.encoding) for t in state.project.asset.textures]
    assert roles == [
        (Role.PAINTED, Encoding.SRGB), (Role.ID_MAP, Encoding.DATA), (Role.OCCLUSION, Encoding.DATA),
        (Role.NORMAL, Encoding.DATA), (Role.MASK, Encoding.DATA),
    ]  # fmt: skip
    wrong = asset.set_encoding(state, state.project.asset.textures[1].id, Encoding.SRGB)
    assert [f.code for f in find_all(wrong)] == ["data-as-color"]


@pytest.mark.parametrize(("uvs", "problem"), [(b"", "no UVs"), (b"vt 0.5 0.5\n", "one point")])
def test_a_mesh_on_which_nothing_can_lie_is_refused(uvs: bytes, problem: str) -> None:
    corners = b"f 1/1 2/1 3/1\n" if uvs else b"f 1 2 3\n"
    mesh = parse_mesh(b"v 0 0 0\nv 1 0 0\nv 0 1 0\n" + uvs + corners, "flag.obj")
    with pytest.raises(MeshFileError, match=problem):
        asset.set_mesh(State(), mesh)


def test_a_texture_in_use_cannot_be_taken_out(lantern: State) -> None:
    used = lantern.project.asset.with_role(Role.ID_MAP)[0]
    with pytest.raises(EvenPaletteError, match="still used by region Paper"):
        asset.remove_texture(lantern, used.id)


def test_one_parameter_may_feed_several_steps_and_names_do_not_collide() -> None:
    state = recipe.add_step(recipe.add_step(State(), "tint", step_id="one"), "tint", step_id="two")
    state = parameters.name_input(state, "one", "color", "Ribbon")
    shared = state.project.recipe.parameters[0]
    state = recipe.bind_input(state, "two", "color", Binding(parameter=shared.id))
    state = variants.set_value(state, None, shared.id, "#336699")
    colors = [bound.rows[0].values["color"] for bound in state.bound_steps(None)]
    assert np.array_equal(colors[0], colors[1])
    assert [s.id for s in state.project.recipe.users(shared.id)] == ["one", "two"]
    state = parameters.name_input(state, "one", "detail", "Ribbon")
    assert [p.name for p in state.project.recipe.parameters] == ["Ribbon", "Ribbon 2"]
    with pytest.raises(RecipeError, match="Another parameter is called"):
        parameters.update_parameter(state, shared.id, name="ribbon 2")
    with pytest.raises(RecipeError, match="number parameter"):
        recipe.bind_input(state, "one", "detail", Binding(parameter=shared.id))
    gone = parameters.remove_parameter(state, shared.id)
    assert [b.rows[0].values["color"].tolist() for b in gone.bound_steps(None)] == [c.tolist() for c in colors]


def test_variants_follow_their_parent_until_they_say_otherwise() -> None:
    state = parameters.name_input(recipe.add_step(State(), "tint", step_id="t"), "t", "color", "Color")
    parameter = state.project.recipe.parameters[0].id
    state = variants.add_variant(state, "Day")
    day = state.project.active_variant
    state = variants.set_value(state, day, parameter, "#ff0000")
    state = variants.add_variant(state, "Dusk", parent=day)
    dusk = state.project.active_variant
    assert day is not None
    assert dusk is not None
    assert state.values(dusk)[parameter] == "#ff0000"
    state = variants.set_value(state, day, parameter, "#00ff00")
    assert state.values(dusk)[parameter] == "#00ff00"
    assert "same-variant" in [f.code for f in find_all(state)]
    state = variants.set_value(state, dusk, parameter, "#0000ff")
    assert state.values(day)[parameter] == "#00ff00"
    assert state.values(dusk)[parameter] == "#0000ff"
    with pytest.raises(RecipeError, match="cannot derive from itself"):
        variants.set_parent(state, day, dusk)
    kept = variants.remove_variant(variants.reset_value(state, dusk, parameter), day)
    assert kept.values(dusk)[parameter] == "#00ff00"
    with pytest.raises(RecipeError, match="Another variant"):
        variants.rename_variant(state, dusk, "day")


def test_steps_forget_regions_that_are_gone(lantern: State) -> None:
    paper = lantern.project.regions.regions[0].id
    without = regions.remove_region(lantern, paper)
    assert all(paper not in s.named_regions() for s in without.project.recipe.steps)
    assert "no-region" in [f.code for f in find_all(without)]
    assert lantern.project.regions.regions[0].id == paper


def test_history_joins_a_drag_and_drops_what_was_undone() -> None:
    history = History(State())
    states = [asset.rename_project(State(), str(i)) for i in range(4)]
    for state in states[:3]:
        history.push("drag", state, "same")
    assert history.labels == ["Opened", "drag"]
    history.seal()
    history.push("drag", states[3], "same")
    assert history.undo().project.name == "2"
    assert history.redo_label == "drag"
    history.push("other", states[0])
    assert history.labels == ["Opened", "drag", "other"]
    assert history.go_to(0).project.name == "Untitled"


def test_findings_that_can_be_mended_are_gone_after_the_mend(lantern: State) -> None:
    """Each mend takes away the finding it was offered for, and brings no other but that a bake follows a coverage that
    is mended."""
    id_map = lantern.project.asset.with_role(Role.ID_MAP)[0]
    pixels = lantern.textures[id_map.id].pixels.copy()
    pixels[(pixels == (255, 0, 0)).all(-1)] = (254, 3, 0)
    impure = asset.replace_texture(lantern, id_map.id, Raster(pixels, Encoding.DATA))
    source = {**lantern.project.regions.regions[0].source.model_dump(), "color": "#fe0300"}
    gaps = lantern.textures[id_map.id].pixels.copy()
    gaps[300:340, 100:180] = 0
    tints = lantern.project.recipe.steps[0]
    broken = {
        "data-as-color": asset.set_encoding(lantern, id_map.id, Encoding.SRGB),
        "impure-flag": regions.update_region(impure, lantern.region_ids[0], source=source),
        "gap": regions.recompute_coverages(asset.replace_texture(lantern, id_map.id, Raster(gaps, Encoding.DATA))),
        "unused-parameter": recipe.remove_row(lantern, tints.id, tints.rows[0].id),
    }
    for code, state in broken.items():
        finding = next(f for f in find_all(state) if f.code == code)
        mend = mend_for(state, finding)
        assert mend is not None
        assert {f.code for f in find_all(mend[1](state))} <= {"old-bake"}


def test_faces_in_no_region_are_found_with_a_place(lantern: State) -> None:
    bare = lantern.with_project(regions=RegionSet(bake=BakeSettings(size=64)))
    by_material = face_sets.regions_from_mesh(bare, "material")
    assert "unassigned-faces" not in [f.code for f in find_all(by_material)]
    fewer = regions.remove_region(by_material, by_material.region_ids[1])
    finding = next(f for f in find_all(fewer) if f.code == "unassigned-faces")
    assert finding.place is not None
    # The frame lies in the upper right of the texture.
    assert finding.place[0] > 0.6
    assert finding.place[1] < 0.4


def test_what_a_texture_holds_is_told_from_its_name_and_its_pixels() -> None:
    rng = np.random.default_rng(4)
    vectors = rng.normal(size=(64, 64, 3)) * (0.4, 0.4, 0) + (0, 0, 1)
    vectors /= np.linalg.norm(vectors, axis=-1, keepdims=True)
    unit = Raster(np.round((vectors * 0.5 + 0.5) * 255).astype(np.uint8), Encoding.SRGB)
    painted = Raster(rng.integers(0, 256, (64, 64, 3), np.uint8), Encoding.SRGB)
    flags = np.zeros((64, 64, 3), np.uint8)
    flags[:32], flags[32:, :32], flags[32:, 32:] = (255, 0, 0), (0, 255, 0), (0, 0, 255)
    soft = cv2.GaussianBlur(flags, (3, 3), 0.6)
    gray = Raster(np.repeat(rng.integers(0, 256, (64, 64, 1), np.uint8), 3, -1), Encoding.SRGB)
    expected = [
        ("Case_Nrm.png", unit, Role.NORMAL), ("wall_albedo.png", unit, Role.NORMAL), ("T_Case_N2.png", unit, Role.NORMAL),
        ("case_normal.png", painted, Role.NORMAL), ("texture7.png", painted, Role.PAINTED),
        ("texture7.png", Raster(flags, Encoding.SRGB), Role.ID_MAP), ("x.png", Raster(soft, Encoding.SRGB), Role.ID_MAP),
        ("x.png", gray, Role.MASK), ("case_ORM.png", painted, Role.PACKED), ("CaseMetallicRoughness.png", painted, Role.PACKED),
        ("brick_color_mask.png", painted, Role.MASK), ("caseEmissive.png", painted, Role.EMISSIVE),
        ("case-roughness.png", gray, Role.ROUGHNESS), ("case.metalness.png", gray, Role.METALLIC),
    ]  # fmt: skip
    for name, raster, role in expected:
        found = guess(name, raster)
        assert found.role is role, (name, found)
        assert found.why
    assert guess("case_RMA.png", painted).channels == ("roughness", "metallic", "occlusion")
    # Unit vectors that are taken for color are a finding, mended with one click; data is never silently sRGB.
    state = add_texture(State(), unit, "wall.png", Role.PAINTED)
    finding = next(f for f in find_all(state) if f.code == "looks-like-normal")
    mend = mend_for(state, finding)
    assert mend is not None
    mended = mend[1](state)
    assert mended.project.asset.textures[0].role is Role.NORMAL
    assert mended.textures[mended.project.asset.textures[0].id].encoding is Encoding.DATA
    assert not any(f.code == "looks-like-normal" for f in find_all(mended))


def test_an_exchanged_texture_keeps_its_users(lantern: State) -> None:
    soot = next(t for t in lantern.project.asset.textures if t.name == "lantern-soot.png")
    other = Raster(np.full((64, 64, 1), 255, np.uint8), Encoding.DATA)
    after = exchange_texture(lantern, soot.id, other, "all-soot.png", "/somewhere/all-soot.png")
    (changed,) = [t for t in after.project.asset.textures if t.id == soot.id]
    assert (changed.name, changed.role) == ("all-soot.png", soot.role)
    assert after.project.recipe.steps == lantern.project.recipe.steps
    assert after.textures[soot.id].pixels.min() == 255


def test_what_is_no_name_is_refused_in_words_and_what_is_made_of_one_fits(lantern: State) -> None:
    step = lantern.project.recipe.steps[0]
    key = next(i.key for i in recipe.kind_of(step.kind).all_inputs)
    region, division = lantern.project.regions.regions[0].id, lantern.project.regions.divisions[0].id
    variant, parameter = lantern.project.variants[0].id, lantern.project.parameters[0].id
    renames = (
        lambda s, n: asset.rename_project(s, n), lambda s, n: regions.update_region(s, region, name=n),
        lambda s, n: regions.rename_division(s, division, n), lambda s, n: recipe.update_step(s, step.id, name=n),
        lambda s, n: parameters.update_parameter(s, parameter, name=n), lambda s, n: variants.rename_variant(s, variant, n),
        lambda s, n: variants.add_variant(s, n), lambda s, n: parameters.name_input(s, step.id, key, n, row_id=step.rows[0].id),
    )  # fmt: skip
    for rename in renames:
        for bad, why in (
            ("n" * 300, "at most 80 characters, this one has 300"),
            ("a\0b", "no name"),
            ("a\ud800", "no name"),
        ):
            with pytest.raises(EvenPaletteError, match=why):
                rename(lantern, bad)
        assert rename(lantern, "n" * 80) is not lantern
    long = variants.rename_variant(lantern, variant, "n" * 80)
    for _ in range(3):
        long = variants.duplicate_variant(variants.add_variant(long, parent=variant), variant)
    names = [v.name for v in long.project.variants]
    assert len(set(names)) == len(names)
    assert max(map(len, names)) == 80


def test_a_state_that_could_not_be_opened_again_is_not_saved(lantern: State, tmp_path: Path) -> None:
    Storage(tmp_path / "p").save(lantern)
    before = (tmp_path / "p" / "project.json").read_bytes()
    for parts in (
        {"name": "a\0"},
        {"name": "\udcff"},
        {"name": "n" * 300},
        {"parameters": lantern.project.parameters * 2},
    ):
        with pytest.raises(ProjectError, match="could not be saved"):
            Storage(tmp_path / "p").save(lantern.with_project(**parts))
    assert (tmp_path / "p" / "project.json").read_bytes() == before
    # A file whose name is no text can be worked with all the same.
    odd = add_texture(State(), COLOR, "paint\udcff.png", source_path="/tmp/paint\udcff.png")
    Storage(tmp_path / "q").save(odd)
    assert Storage(tmp_path / "q").open().project.asset.textures[0].name == "paint\N{REPLACEMENT CHARACTER}.png"
