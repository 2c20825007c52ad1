"""Findings of the regions: each with a place, and a mend where one is possible."""

from dataclasses import replace
from pathlib import Path

import cv2
import numpy as np
import pytest
from tests.helpers.meshes import can

from evenpalette.core.document.project import Role
from evenpalette.core.document.state import State
from evenpalette.core.edits import face_sets
from evenpalette.core.edits.asset import add_texture, replace_texture, set_mesh
from evenpalette.core.edits.ignoring import heed, ignore
from evenpalette.core.edits.painting import add_painted_region, with_painted
from evenpalette.core.edits.recipe import add_step, bind_input
from evenpalette.core.edits.regions import add_flag_region, regions_from_id_map, set_overlap, update_region
from evenpalette.core.findings.finding import Finding
from evenpalette.core.findings.findings import everything, find_all, find_in_regions, mend_for
from evenpalette.core.findings.ranking import ranked, weight
from evenpalette.core.mesh.mesh import Mesh, build_mesh
from evenpalette.core.raster.raster import Encoding, Raster
from evenpalette.core.recipe.recipe import Binding
from evenpalette.core.regions.checks.seams import near_islands
from evenpalette.core.regions.overlap import Overlap
from evenpalette.core.regions.owners import give_gaps, owners
from evenpalette.core.storage.demo_files import copy_demo
from evenpalette.core.storage.storage import Storage


def painted_can(*planes: np.ndarray) -> State:
    """The can with painted regions."""
    size = planes[0].shape[0]
    state = face_sets.set_bake(set_mesh(State(), can(size).mesh), size=size, padding_texels=4)
    for _ in planes:
        state = add_painted_region(state)
    return with_painted(state, dict(zip(state.region_ids, planes, strict=True)))


def codes(state: State) -> dict[str, Finding]:
    return {finding.code: finding for finding in find_all(state)}


def mended(state: State, code: str) -> State:
    mend = mend_for(state, codes(state)[code])
    assert mend is not None
    return mend[1](state)


@pytest.fixture
def halves() -> tuple[np.ndarray, np.ndarray]:
    """The upper and the lower half of a texture of 128 texels."""
    upper = np.zeros((128, 128), np.uint8)
    upper[:64] = 255
    return upper, 255 - upper


def test_a_clean_division_has_no_findings(halves: tuple) -> None:
    assert codes(painted_can(*halves)) == {}


def test_specks_and_holes_are_found_where_they_are_and_taken_out(halves: tuple) -> None:
    upper, lower = (plane.copy() for plane in halves)
    upper[80:83, 40:43], lower[80:83, 40:43] = 255, 0
    state = painted_can(upper, lower)
    speck = codes(state)["speck"]
    assert speck.text.startswith("1 speck or hole")
    assert speck.place == pytest.approx((41.5 / 128, 81.5 / 128), abs=0.01)
    assert speck.region == state.region_ids[0]
    after = mended(state, "speck")
    assert codes(after) == {}
    assert np.array_equal(after.coverages[state.region_ids[0]], halves[0])


def test_a_grain_is_not_called_specks(halves: tuple) -> None:
    grain = np.where(np.random.default_rng(0).random((128, 128)) < 0.1, 255, 0).astype(np.uint8)
    assert "speck" not in codes(painted_can(grain, 255 - grain))


def test_a_strip_too_thin_for_an_edge_is_found(halves: tuple) -> None:
    upper, lower = (plane.copy() for plane in halves)
    upper[90, 30:80], lower[90, 30:80] = 255, 0
    found = codes(painted_can(upper, lower))["thin"]
    assert "50 texels in strips one texel wide" in found.text
    assert found.place is not None
    assert found.place[1] == pytest.approx(90.5 / 128)
    upper[91, 30:80], lower[91, 30:80] = 255, 0
    assert "thin" not in codes(painted_can(upper, lower))


def test_what_is_lost_across_a_seam_is_found_and_a_border_along_it_is_meant(halves: tuple) -> None:
    """The can is cut at u = 0.1, which continues at u = 0.9."""
    upper, lower = (plane.copy() for plane in halves)
    upper[:, :40], lower[:, :40] = 255, 0
    found = codes(painted_can(upper, lower))["seam"]
    assert found.text.startswith("Region 1 and Region 2 are lost across a seam: they differ on both sides"), (
        "one seam, said once"
    )
    assert found.place is not None
    assert abs(found.place[0] - 0.1) < 0.02 or abs(found.place[0] - 0.9) < 0.02
    assert found.place[1] > 0.5
    # One click carries it over, a little way onto the other side.
    state = painted_can(upper, lower)
    first = next(f for f in find_all(state) if f.code == "seam" and f.region == state.region_ids[0])
    mend = mend_for(state, first)
    assert mend is not None
    after = mend[1](state)
    assert "seam" not in codes(after)
    carried = after.coverages[state.region_ids[0]].astype(int) - upper
    assert carried[75:110, 113].min() == 255
    assert carried[75:110, 60:100].max() == 0
    total = sum(plane.astype(int) for plane in after.coverages.values())
    assert np.abs(total - 255)[state.used].max() <= 1
    # Carried around the seam it is whole.
    upper[:, 90:], lower[:, 90:] = 255, 0
    assert "seam" not in codes(painted_can(upper, lower))


def test_gaps_overlaps_empty_regions_names_and_flags_are_mended(halves: tuple) -> None:
    upper, lower = (plane.copy() for plane in halves)
    lower[64:70] = 0
    state = painted_can(upper, lower)
    closed = mended(state, "gap")
    total = sum(plane.astype(int) for plane in closed.coverages.values())
    assert (total[state.used] == 255).all()
    assert closed.coverages[state.region_ids[0]][65, 64] == 255
    assert closed.coverages[state.region_ids[1]][69, 64] == 255
    overlap = painted_can(np.full((128, 128), 255, np.uint8), halves[1])
    layered = mended(overlap, "overlap")
    assert layered.project.regions.divisions[0].overlap is Overlap.LAYERED
    assert "overlap" not in codes(layered)
    assert "overlap" in codes(set_overlap(layered, Overlap.EXCLUSIVE))
    empty = painted_can(*halves, np.zeros((128, 128), np.uint8))
    assert codes(empty)["empty"].text.endswith(" covers no used texel")
    weak = painted_can(*halves, np.full((128, 128), 100, np.uint8))
    assert codes(weak)["empty"].text.split(".")[0].endswith(" covers less than half of every texel"), (
        "a ledger says that it has much"
    )
    assert len(mended(empty, "empty").region_ids) == 2
    base = painted_can(*halves)
    first, second = base.project.regions.regions
    alike = update_region(update_region(base, second.id, name=first.name), second.id, flag=first.flag)
    assert {"same-name", "same-flag"} <= set(codes(alike))
    assert codes(mended(mended(alike, "same-name"), "same-flag")) == {}


def test_unassigned_faces_become_a_region(lantern: State) -> None:
    assert lantern.mesh is not None
    mesh = lantern.mesh.mesh
    state = face_sets.set_bake(set_mesh(State(), mesh), size=256)
    state = face_sets.assign_faces(state, mesh.groups != 2, None)
    found = codes(state)["unassigned-faces"]
    assert found.text == f"{int((mesh.groups == 2).sum()):,} faces are in no region"
    after = mended(state, "unassigned-faces")
    assert len(after.region_ids) == 2
    assert "unassigned-faces" not in codes(after)


def test_specks_of_an_id_map_are_cleaned_in_the_map() -> None:
    image = np.zeros((128, 128, 3), np.uint8)
    image[:, :64, 0], image[:, 64:, 1] = 255, 255
    image[30:32, 30:32] = (0, 255, 0)
    state = add_texture(State(), Raster(image, Encoding.DATA), "id.png")
    state = regions_from_id_map(state, state.project.asset.textures[0].id)
    after = mended(state, "speck")
    assert codes(after) == {}
    assert (after.textures[state.project.asset.textures[0].id].pixels[30:32, 30:32] == (255, 0, 0)).all()


def two_squares(gap_texels: float, size: int) -> Mesh:
    half = gap_texels / size / 2
    uvs = []
    for left, right in ((0.1, 0.5 - half), (0.5 + half, 0.9)):
        square = np.array([(left, 0.1), (right, 0.1), (right, 0.9), (left, 0.9)])
        uvs += [square[[0, 1, 2]], square[[0, 2, 3]]]
    uv = np.array(uvs, np.float32)
    positions = np.concatenate([uv.reshape(-1, 2), np.zeros((12, 1))], 1)
    return build_mesh("squares.obj", positions, np.arange(12).reshape(-1, 3), uvs=uv)


@pytest.mark.parametrize("gap", [4, 8, 12])
def test_islands_that_mix_are_found_at_the_mip_level_where_they_do(gap: int) -> None:
    """Against a mip chain of two-by-two means: at the rim of the one, the other's part by bilinear sampling."""
    size = 256
    state = face_sets.set_bake(set_mesh(State(), two_squares(gap, size)), size=size, samples=16, padding_texels=16)
    for side in (slice(0, 2), slice(2, 4)):
        chosen = np.zeros(4, bool)
        chosen[side] = True
        state = face_sets.assign_faces(state, chosen, None)
    found = codes(state)["near-islands"]
    assert f"{gap} texels apart" in found.text
    assert found.place is not None
    assert found.place[0] == pytest.approx(0.5, abs=0.01)
    assert state.mesh is not None
    texels = state.mesh.texels((size, size))
    assert texels is not None
    near = near_islands(owners(list(state.coverages.values())), texels, 16)
    assert near is not None
    row = state.coverages[state.region_ids[1]][size // 2].astype(np.float64) / 255
    # Wherever the layout lies on the texels of a level: all its shifts.
    mixed = np.zeros(6)
    for shift in range(32):
        values = np.roll(row, shift)
        for level in range(6):
            at = ((0.5 - gap / 2 / size) * size + shift) / 2**level - 0.5
            left = int(np.floor(at))
            mixed[level] = max(mixed[level], values[left] + (values[left + 1] - values[left]) * (at - left))
            values = values.reshape(-1, 2).mean(1)
    assert mixed[: near.mip_level].max(initial=0) < 0.01
    # These rims lie on whole texels of the first level, which can put it off by one level.
    assert mixed[near.mip_level : near.mip_level + 2].max() > 0.01


def test_far_islands_and_islands_of_one_region_are_no_finding() -> None:
    for gap, together in ((20, False), (4, True)):
        state = face_sets.set_bake(set_mesh(State(), two_squares(gap, 256)), size=256)
        if together:
            state = face_sets.assign_faces(state, np.ones(4, bool), None)
        else:
            state = face_sets.assign_faces(state, np.array([True, True, False, False]), None)
            state = face_sets.assign_faces(state, np.array([False, False, True, True]), None)
        assert "near-islands" not in codes(state)


def test_faces_of_two_regions_on_the_same_texels_are_found() -> None:
    mesh = two_squares(8, 128)
    assert mesh.uvs is not None
    stacked = replace(mesh, uvs=np.concatenate([mesh.uvs[:2], mesh.uvs[:2]]))
    state = face_sets.set_bake(set_mesh(State(), stacked), size=128)
    state = face_sets.assign_faces(state, np.array([True, True, False, False]), None)
    one = face_sets.assign_faces(state, np.ones(4, bool), state.region_ids[0])
    assert "shared-texels" not in codes(one)
    two = face_sets.assign_faces(state, np.array([False, False, True, True]), None)
    assert "overlapping UVs" in codes(two)["shared-texels"].text


def test_findings_of_the_regions_are_kept_while_nothing_they_depend_on_changes(halves: tuple) -> None:
    state = painted_can(*halves)
    known = find_in_regions(state)
    assert known.are_of(state.with_project(name="Another"))
    assert not known.are_of(with_painted(state, {state.region_ids[0]: halves[1]}))
    assert not known.are_of(set_overlap(state, Overlap.ADDITIVE))


def test_the_owner_is_the_largest_coverage_and_gaps_go_to_the_nearest() -> None:
    planes = [np.random.default_rng(i).integers(0, 256, (40, 30), np.uint8) for i in range(3)]
    stack = np.stack(planes)
    assert np.array_equal(owners(planes), np.where(stack.max(0) >= 128, stack.argmax(0), -1))
    a, b = np.zeros((16, 16), np.uint8), np.zeros((16, 16), np.uint8)
    a[:, :4], b[:, 12:] = 255, 255
    filled_a, filled_b = give_gaps([a, b], [], np.ones((16, 16), bool))
    assert (filled_a[:, :8] == 255).all()
    assert (filled_b[:, 8:] == 255).all()
    assert (filled_a.astype(int) + filled_b == 255).all()
    kept = cv2.rectangle(np.zeros((16, 16), np.uint8), (6, 6), (9, 9), 255, -1)
    assert give_gaps([a, b], [kept], np.ones((16, 16), bool))[0][7, 7] == 0


def test_color_that_bleeds_at_islands_is_found_and_mended(tmp_path: Path) -> None:
    """The tin with bare metal beyond its label, as it once was: at half size the label's edge is off by twenty
    units."""
    state = Storage(copy_demo(tmp_path / "tin", "tea-tin")).open()
    assert not [f for f in find_all(state) if f.code == "bleeding-color"]
    painted = state.project.asset.textures[0]
    bare = state.textures[painted.id].pixels.copy()
    bare[~state.used_at(state.textures[painted.id].size)] = (190, 191, 192)
    spoiled = replace_texture(state, painted.id, Raster(bare, Encoding.SRGB))
    found = next(f for f in find_all(spoiled) if f.code == "bleeding-color")
    assert found.subject == painted.id
    assert found.place is not None
    mended = mend_for(spoiled, found)[1](spoiled)  # type: ignore[index]
    assert not [f for f in find_all(mended) if f.code == "bleeding-color"]
    used = state.used_at(state.textures[painted.id].size)
    assert np.array_equal(mended.textures[painted.id].pixels[used], bare[used])


def test_a_size_that_a_game_reads_otherwise_is_found(lantern: State) -> None:
    rng = np.random.default_rng(5)
    for size, expected in (((1500, 1100), True), ((700, 500), False), ((512, 512), False), ((2048, 1024), False)):
        noise = Raster(rng.integers(0, 256, (size[1], size[0], 1)).astype(np.uint8), Encoding.DATA)
        state = add_texture(lantern, noise, "specks.png", Role.MASK)
        state = add_step(state, "cover", None)
        step = state.project.recipe.steps[-1]
        state = bind_input(
            state,
            step.id,
            "mask",
            Binding(value=f"{state.project.asset.textures[-1].id}:0"),
            step.rows[0].id if "mask" in step.rows[0].inputs else None,
        )
        assert bool([f for f in find_all(state) if f.code == "odd-size"]) == expected


def test_what_one_picks_from_paint_need_not_be_pure_and_what_is_left_stays_left(lantern: State, tmp_path: Path) -> None:
    painted = lantern.project.tone.painted
    assert painted is not None
    state = add_flag_region(lantern, painted, "#b0643c", (0.3, 0.3))
    assert "impure-flag" not in codes(state)
    id_map = lantern.project.asset.with_role(Role.ID_MAP)[0].id
    state = add_flag_region(state, id_map, "#fe0300")
    found = codes(state)["impure-flag"]
    left = ignore(state, found.key)
    assert "impure-flag" not in codes(left)
    assert found.key in {f.key for f in everything(left)}
    Storage(tmp_path / "p").save(left)
    assert "impure-flag" not in codes(Storage(tmp_path / "p").open())
    assert "impure-flag" in codes(heed(left, found.key))
    order = [weight(f) for f in ranked(everything(state))]
    assert order == sorted(order)
