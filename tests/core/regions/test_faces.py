"""Regions made of faces: baking, sharing out by chance, flag plans, and choosing faces."""

import itertools
from dataclasses import replace
from pathlib import Path

import cv2
import numpy as np
import pytest
import trimesh
from scipy.ndimage import distance_transform_edt
from tests.helpers.glsl import drawn_by_opengl

from evenpalette.core.color.flag_plan import CLEARANCE, plan_flags
from evenpalette.core.document.state import State
from evenpalette.core.edits import face_sets
from evenpalette.core.edits.asset import set_mesh
from evenpalette.core.errors import RegionError
from evenpalette.core.mesh import select
from evenpalette.core.mesh.closest import closest_faces
from evenpalette.core.mesh.mesh import Mesh, build_mesh
from evenpalette.core.mesh.read import read_mesh
from evenpalette.core.mesh.topology import find_topology
from evenpalette.core.mesh.uv_coverage import cover_texels
from evenpalette.core.mesh.write_colors import write_vertex_colors
from evenpalette.core.regions.dividing.bake import FULL_GUTTER, bake_faces, id_map_from
from evenpalette.core.regions.dividing.face_runs import from_runs, to_runs
from evenpalette.core.regions.dividing.random_shares import alike_neighbors, reached_shares, share_out
from evenpalette.core.regions.dividing.unmix import unmix
from evenpalette.core.regions.touching import touching_regions


@pytest.fixture(scope="module")
def mesh(lantern: State) -> Mesh:
    assert lantern.mesh is not None
    return lantern.mesh.mesh


@pytest.mark.parametrize("samples", [0, 16, 64])
def test_the_coverage_of_each_region_is_its_uv_area(mesh: Mesh, samples: int) -> None:
    """Against the shoelace area, within 0.1%."""
    baked = bake_faces(mesh, mesh.groups, len(mesh.group_names), size=512, samples=samples, padding_texels=0)
    areas = np.bincount(mesh.groups, weights=np.abs(mesh.uv_areas()))
    assert np.abs(baked.areas / areas - 1).max() < 0.001


def test_exact_area_on_a_triangle_that_is_smaller_than_a_texel_and_on_mirrored_ones() -> None:
    tiny = np.array([[[0.30, 0.30], [0.33, 0.30], [0.30, 0.34]]], np.float32)
    plane = cover_texels(tiny, np.zeros(1, np.int32), 1, 4, 0)[0]
    assert plane[1, 1] == pytest.approx(0.5 * 0.12 * 0.16, rel=1e-4)
    mirrored = tiny[:, ::-1]
    assert np.array_equal(cover_texels(mirrored, np.zeros(1, np.int32), 1, 4, 0)[0], plane)


def test_sixteen_samples_agree_with_opengl_at_four_times_the_size(mesh: Mesh) -> None:
    """OpenGL (Mesa llvmpipe) draws the groups into 1024; four by four of its texels are the 16 samples of one of
    256."""
    assert mesh.uvs is not None
    drawn = drawn_by_opengl(mesh.uvs, mesh.groups, 1024)
    ours = cover_texels(mesh.uvs, mesh.groups, 6, 256, 16)
    for group in range(6):
        theirs = (drawn == group).reshape(256, 4, 256, 4).mean((1, 3))
        assert np.abs(ours[group] - theirs).mean() < 1e-3
        assert (np.abs(ours[group] - theirs) < 0.07).mean() > 0.995


def test_padding_takes_the_nearest_region_and_never_a_texel_of_another_island(mesh: Mesh) -> None:
    """Against scipy.ndimage's exact nearest feature (Felzenszwalb and Huttenlocher 2012)."""
    count = len(mesh.group_names)
    bare = bake_faces(mesh, mesh.groups, count, size=512, padding_texels=0)
    padded = bake_faces(mesh, mesh.groups, count, size=512, padding_texels=4)
    assert np.array_equal(padded.coverages[:, bare.covered], bare.coverages[:, bare.covered])
    distance, (rows, columns) = distance_transform_edt(~bare.covered, return_indices=True)
    inside, outside = (distance > 0) & (distance <= 3.5), distance > 4.6
    expected = bare.coverages.argmax(0)[rows, columns]
    assert (padded.coverages.argmax(0) == expected)[inside].mean() > 0.995
    assert padded.coverages[:, outside].max() == 0
    full = bake_faces(mesh, mesh.groups, count, size=512, padding_texels=FULL_GUTTER)
    assert (full.coverages.max(0) > 0).all()


def test_the_rim_of_an_island_has_no_halo_of_nothing(mesh: Mesh) -> None:
    baked = bake_faces(mesh, mesh.groups, len(mesh.group_names), size=256)
    assert (baked.coverages.astype(int).sum(0)[baked.covered] >= 254).all()
    picture = id_map_from(baked.coverages, ["#ff0000", "#00ff00", "#0000ff", "#ffff00", "#00ffff", "#ff00ff"])
    assert picture.shape == (256, 256, 3)


def test_what_cannot_be_baked_is_refused_with_a_reason(mesh: Mesh) -> None:
    labels = mesh.groups
    assert mesh.uvs is not None
    for broken, problem in (
        (replace(mesh, uvs=None), "has no UVs"),
        (replace(mesh, uvs=np.full_like(mesh.uvs, 0.5)), "one point"),
        (replace(mesh, uvs=mesh.uvs + np.float32([1, 0])), "other UV tiles .1002"),
    ):
        with pytest.raises(RegionError, match=problem):
            bake_faces(broken, labels, 6, size=64)
    with pytest.raises(RegionError, match="16 to 8192"):
        bake_faces(mesh, labels, 6, size=9000)
    # Faces without area are no reason to refuse: they cover nothing.
    flat = build_mesh(
        "flat.obj",
        [[0, 0, 0], [1, 0, 0], [0, 1, 0]],
        [[0, 1, 2], [0, 0, 1]],
        uvs=np.array([[[0, 0], [1, 0], [0, 1]], [[0, 0], [0, 0], [1, 0]]], np.float32),
    )
    assert bake_faces(flat, np.array([0, 1], np.int32), 2, size=16).areas[1] == 0


def test_shares_are_reached_within_half_of_the_largest_piece_and_repeat_with_the_seed() -> None:
    sizes = np.random.default_rng(0).uniform(1, 30, 200)
    for percentages in ([50, 30, 20], [10, 90], [1, 1, 1, 1]):
        given = share_out(sizes, percentages, 7)
        wanted = np.array(percentages) / sum(percentages)
        off = np.abs(reached_shares(sizes, given, len(percentages)) - wanted) * sizes.sum()
        assert off.max() <= sizes.max() / 2
    assert share_out(np.ones(12), [1, 1, 1], 5).tolist() == share_out(np.ones(12), [1, 1, 1], 5).tolist()
    assert share_out(np.ones(40), [1, 1], 5).tolist() != share_out(np.ones(40), [1, 1], 6).tolist()


def test_neighbors_differ_where_that_is_possible() -> None:
    ring = np.array([(i, (i + 1) % 30) for i in range(30)])
    given = share_out(np.ones(30), [34, 33, 33], 3, ring)
    assert all(given[a] != given[b] for a, b in ring)
    assert alike_neighbors(given, ring) == 0
    # A grid of 12 by 12 needs only two regions: a saturation order finds that on every bipartite graph (Brelaz 1979).
    cell = np.arange(144).reshape(12, 12)
    grid = np.concatenate([np.stack([cell[:, :-1], cell[:, 1:]], -1).reshape(-1, 2),
                           np.stack([cell[:-1], cell[1:]], -1).reshape(-1, 2)])  # fmt: skip
    for seed in range(5):
        assert alike_neighbors(share_out(np.ones(144), [50, 50], seed, grid), grid) == 0
    triangle = np.array([(0, 1), (1, 2), (0, 2)])
    assert alike_neighbors(share_out(np.ones(3), [50, 50], 1, triangle), triangle) == 1
    # The same everywhere: NumPy's PCG64 stream is fixed by its authors.
    assert share_out(np.ones(10), [50, 50], 42).tolist() == [0, 0, 0, 0, 1, 1, 1, 1, 0, 1]


def corner_distance(a: str, b: str) -> float:
    return float(np.linalg.norm(rgb(a) - rgb(b)))


def rgb(flag: str) -> np.ndarray:
    return np.array([int(flag[i : i + 2], 16) for i in (1, 3, 5)], float)


@pytest.mark.parametrize(("count", "touching"), [(6, "all"), (14, "ring"), (32, "ring"), (64, None)])
def test_flags_are_far_apart_and_no_edge_passes_a_third_one(count: int, touching: str | None) -> None:
    """By brute force: every pair's distance, and 101 points along every edge against every third flag."""
    pairs = {
        "all": list(itertools.combinations(range(count), 2)),
        "ring": [(i, (i + 1) % count) for i in range(count)],
        None: [],
    }[touching]
    plan = plan_flags(count, pairs)
    assert len(set(plan.flags)) == count
    smallest = min(corner_distance(a, b) for a, b in itertools.combinations(plan.flags, 2))
    assert plan.smallest_distance == pytest.approx(smallest)
    nearest = np.inf
    for a, b in pairs:
        along = rgb(plan.flags[a]) + np.linspace(0, 1, 101)[:, None] * (rgb(plan.flags[b]) - rgb(plan.flags[a]))
        for third in set(range(count)) - {a, b}:
            nearest = min(nearest, float(np.linalg.norm(along - rgb(plan.flags[third]), axis=1).min()))
    if pairs:
        assert plan.smallest_clearance == pytest.approx(nearest, abs=3)
        assert not plan.crossing
        assert nearest >= CLEARANCE - 1e-6


def test_an_impossible_plan_says_by_how_much_it_fails() -> None:
    plan = plan_flags(30, list(itertools.combinations(range(30), 2)))
    assert plan.crossing
    assert plan.smallest_clearance < CLEARANCE
    with pytest.raises(RegionError, match="1 to 64"):
        plan_flags(65)


def test_touching_regions_are_those_with_a_common_border() -> None:
    planes = [np.zeros((16, 16), np.uint8) for _ in range(3)]
    planes[0][:, :5], planes[1][:, 5:9], planes[2][:, 12:] = 255, 255, 255
    assert touching_regions(planes) == [(0, 1)]


def test_choosing_faces_grows_shrinks_and_spreads() -> None:
    box = trimesh.creation.box().subdivide().subdivide()
    made = build_mesh("box.ply", box.vertices, box.faces)
    topology = find_topology(made)
    start = np.zeros(made.face_count, bool)
    start[int(np.argmax(made.face_normals()[:, 1]))] = True
    side = select.spread_by_angle(start, made, topology, 30)
    assert np.array_equal(side, select.facing(made, np.array([0, 1, 0]), 10))
    assert side.sum() == made.face_count // 6
    assert select.spread_by_angle(start, made, topology, 95).all()
    grown = select.grow(side, topology)
    assert grown.sum() > side.sum()
    assert np.array_equal(select.shrink(grown, topology) & side, side)
    assert np.array_equal(select.combine(side, grown, "intersect"), side)
    assert not select.combine(grown, grown, "remove").any()
    assert np.array_equal(from_runs(to_runs(side), made.face_count), side)
    assert select.whole(start, topology.shells).all()


def test_noisy_vertex_colors_group_by_tolerance() -> None:
    rng = np.random.default_rng(2)
    ball = trimesh.creation.icosphere(3)
    half = ball.vertices[:, 0] > 0
    colors = np.where(half[:, None], [200, 40, 40], [40, 40, 200]) + rng.integers(-4, 5, (len(ball.vertices), 3))
    corner = np.concatenate([colors / 255, np.ones((len(colors), 1))], 1)[ball.faces]
    made = build_mesh("ball.ply", ball.vertices, ball.faces, colors=corner)
    labels = select.vertex_color_labels(made, 24)
    pure = half[ball.faces].all(1)
    assert len(np.unique(labels[pure])) == 1
    assert labels[pure][0] != labels[~half[ball.faces].any(1)][0]


def test_assigned_faces_move_from_region_to_region_and_undo_by_keeping_the_state(lantern: State) -> None:
    state = face_sets.set_bake(lantern, size=256)
    assert state.mesh is not None
    by_shell = face_sets.regions_from_mesh(
        state.with_project(regions=type(state.project.regions)(bake=state.project.regions.bake)),
        "material",
    )
    names = [r.name for r in by_shell.project.regions.regions]
    assert names == ["Paper", "Frame", "Cap", "Base ring", "Tassel", "Knot"]
    chosen = face_sets.face_region_labels(by_shell) == 0
    first, second = by_shell.region_ids[:2]
    moved = face_sets.assign_faces(by_shell, chosen, second)
    assert not moved.coverages[first].any()
    assert int(moved.coverages[second].sum(dtype=np.int64)) > int(by_shell.coverages[second].sum(dtype=np.int64))
    assert by_shell.coverages[first].any()
    with pytest.raises(RegionError, match="Select some faces"):
        face_sets.assign_faces(by_shell, np.zeros_like(chosen), first)
    with pytest.raises(RegionError, match="made from an image"):
        face_sets.assign_faces(lantern, chosen, lantern.region_ids[0])


def test_regions_come_from_another_mesh_only_when_it_stands_in_the_same_place(lantern: State, tmp_path: Path) -> None:
    state = face_sets.set_bake(lantern, size=128)
    assert state.mesh is not None
    mesh = state.mesh.mesh
    # The same lantern as another tool would hand it over: welded otherwise, colored by vertex, no materials.
    write_vertex_colors(
        mesh,
        np.array([rgb(f) for f in ("#ff0000", "#00ff00", "#0000ff", "#ffff00", "#00ffff", "#ff00ff")], np.uint8)[
            mesh.groups
        ],
        tmp_path / "other.ply",
    )
    other = read_mesh(tmp_path / "other.ply")
    made, moved = face_sets.regions_from_other(state, other)
    assert moved.missed == 0
    labels = face_sets.face_region_labels(made)
    for group in range(6):
        assert len(np.unique(labels[mesh.groups == group])) == 1
    with pytest.raises(RegionError, match=r"2\.00 times as large"):
        face_sets.regions_from_other(state, replace(other, positions=other.positions * 2))
    with pytest.raises(RegionError, match="stands elsewhere"):
        face_sets.regions_from_other(state, replace(other, positions=other.positions + np.float32([3, 0, 0])))


def test_a_larger_distance_takes_what_a_small_one_leaves_unassigned(lantern: State) -> None:
    state = face_sets.set_bake(lantern, size=128)
    assert state.mesh is not None
    mesh = state.mesh.mesh
    blown = replace(mesh, positions=mesh.positions * np.float32(1.02))
    reach = 0.03 * float(np.linalg.norm(mesh.bounds[1] - mesh.bounds[0]))
    near, far = (face_sets.regions_from_other(state, blown, within)[1] for within in (reach / 30, reach))
    assert near.missed > 0.3 * mesh.face_count
    assert far.missed == 0
    assert far.farthest <= reach
    with pytest.raises(RegionError, match="allow a larger distance"):
        face_sets.regions_from_other(state, blown, 1e-9)


def test_face_regions_are_found_again_on_a_new_mesh_of_the_same_shape(lantern: State) -> None:
    state = face_sets.set_bake(lantern, size=128)
    assert state.mesh is not None
    mesh = state.mesh.mesh
    state = face_sets.assign_faces(state, mesh.groups == 2, None)
    region = state.region_ids[-1]
    # The same lantern with its faces in another order, as an exporter may write it.
    order = np.random.default_rng(0).permutation(mesh.face_count)
    assert mesh.uvs is not None
    shuffled = replace(
        mesh, faces=mesh.faces[order], uvs=mesh.uvs[order], normals=mesh.normals[order], groups=mesh.groups[order]
    )
    after = set_mesh(state, shuffled)
    index = after.region_ids.index(region)
    assert np.array_equal(face_sets.face_region_labels(after) == index, shuffled.groups == 2)
    assert np.abs(after.coverages[region].astype(int) - state.coverages[region]).max() <= 1
    # Regions of an image stay as they are, and each face is known by what covers it.
    assert after.coverages[after.region_ids[0]] is state.coverages[state.region_ids[0]]
    names = {
        g: lantern.project.regions.regions[i].name
        for g, i in zip(mesh.groups, face_sets.region_of_faces(lantern), strict=True)
    }
    assert [names[i] for i in range(6)] == ["Paper", "Frame", "Cap", "Base ring", "Tassel", "Knot"]


@pytest.mark.parametrize("ending", [".ply", ".glb"])
def test_vertex_colors_are_written_for_other_tools(mesh: Mesh, tmp_path: Path, ending: str) -> None:
    colors = np.random.default_rng(0).integers(0, 256, (mesh.face_count, 3), np.uint8)
    write_vertex_colors(mesh, colors, tmp_path / f"out{ending}")
    back = read_mesh(tmp_path / f"out{ending}")
    assert back.colors is not None
    assert back.uvs is not None
    assert mesh.uvs is not None
    assert np.abs(back.colors[:, :, :3] * 255 - colors[:, None]).max() < 0.5
    assert np.abs(back.uvs - mesh.uvs).max() < 1e-6


def test_the_closest_face_is_the_one_that_trimesh_finds() -> None:
    ball = trimesh.creation.icosphere(3)
    points = np.random.default_rng(1).normal(size=(200, 3)) * 1.5
    found, distance = closest_faces(build_mesh("ball.ply", ball.vertices, ball.faces), points)
    # By brute force over all faces, with trimesh's point-to-triangle code.
    every = [
        np.linalg.norm(trimesh.triangles.closest_point(ball.triangles, np.tile(p, (len(ball.faces), 1))) - p, axis=1)
        for p in points
    ]
    assert distance == pytest.approx([d.min() for d in every], abs=1e-6)
    assert all(every[i][found[i]] == pytest.approx(every[i].min(), abs=1e-6) for i in range(len(points)))


def test_edges_are_recovered_from_baked_resized_and_lossy_maps(mesh: Mesh) -> None:
    """Mean absolute error of the coverages on edge texels: at most 0.02 where nothing is lost, stated for JPEG."""
    names = ["#ff0000", "#00ff00", "#0000ff", "#ffff00", "#00ffff", "#ff00ff", "#000000"]
    baked = bake_faces(mesh, mesh.groups, 6, size=512, samples=64, padding_texels=2)
    background = 255 - np.minimum(baked.coverages.astype(int).sum(0), 255).astype(np.uint8)
    truth = np.concatenate([baked.coverages, background[None]])
    maps = {"baked": (id_map_from(truth, names), truth)}
    smaller = np.stack([cv2.resize(plane, (200, 200), interpolation=cv2.INTER_AREA) for plane in truth])
    maps["resized"] = (cv2.resize(maps["baked"][0], (200, 200), interpolation=cv2.INTER_AREA), smaller)
    jpeg = cv2.imencode(".jpg", np.ascontiguousarray(maps["baked"][0][..., ::-1]), [cv2.IMWRITE_JPEG_QUALITY, 95])[1]
    maps["JPEG 95"] = (np.ascontiguousarray(cv2.imdecode(jpeg, 1)[..., ::-1]), truth)
    limits = {"baked": 0.02, "resized": 0.02, "JPEG 95": 0.05}
    for name, (image, expected) in maps.items():
        got = unmix(image, [tuple(int(v) for v in rgb(flag)) for flag in names])
        edge = expected.max(0) < 252
        error = np.abs(got[:, edge].astype(float) - expected[:, edge]).mean() / 255 if edge.any() else 0.0
        assert error <= limits[name], f"{name}: {error:.4f}"
        # Over the whole picture, lossy or not, nearly every texel goes where it belongs.
        assert np.abs(got.astype(float) - expected).mean() / 255 < 0.01, name
        near = np.stack([cv2.dilate((plane > 0).astype(np.uint8), np.ones((9, 9))) for plane in expected]) > 0
        assert got[~near].max(initial=0) == 0, name
