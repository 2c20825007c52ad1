"""Painting: dabs in the texture and on the surface, strokes, filling, and what painting does to the document."""

from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
import trimesh
from tests.helpers.meshes import can

from evenpalette.core.document.history import History
from evenpalette.core.document.state import State
from evenpalette.core.edits import painting as edit
from evenpalette.core.edits.refining import add_operation, freeze, remove_operation
from evenpalette.core.errors import RegionError
from evenpalette.core.mesh.mesh import build_mesh
from evenpalette.core.mesh.texels import Texels
from evenpalette.core.mesh.topology import find_topology
from evenpalette.core.regions.painting.brush import TIPS, Brush, tip_picture
from evenpalette.core.regions.painting.fill import fill_mask, filled
from evenpalette.core.regions.painting.stroke import Spacer, Stroke, fill_jumps
from evenpalette.core.regions.painting.stylus import SimulatedStylus
from evenpalette.core.regions.painting.surface import PaintSurface
from evenpalette.core.storage.storage import Storage

HARD = Brush(radius=10, hardness=1.0, turns=False)


def blank(size: int = 64) -> dict[str, np.ndarray]:
    return {"a": np.zeros((size, size), np.uint8), "b": np.zeros((size, size), np.uint8)}


@pytest.fixture(scope="module")
def surface() -> PaintSurface:
    return PaintSurface(can())


def distances_on(surface: PaintSurface, center: np.ndarray) -> np.ndarray:
    """Distance in space of every covered texel from a point, infinite elsewhere."""
    texels = surface.texels
    place = texels.at_corners(texels.mesh.positions[texels.mesh.faces])
    return np.where(texels.faces >= 0, np.linalg.norm(place - center, axis=-1), np.inf)


def face_at(surface: PaintSurface, point: np.ndarray) -> int:
    middles = surface.positions[surface.faces].mean(1)
    return int(np.linalg.norm(middles - point, axis=1).argmin())


def test_a_hard_dab_is_the_disc_of_its_radius() -> None:
    stroke = Stroke(blank(), "a", HARD)
    boxes = stroke.dab_flat(30.0, 34.0)
    y, x = np.mgrid[:64, :64] + 0.5
    distance = np.hypot(x - 30, y - 34)
    plane = stroke.changed["a"]
    assert (plane[distance <= 9.5] == 255).all()
    assert (plane[distance >= 10.5] == 0).all()
    # Area of the disc by its formula: the soft rim of one texel is shared evenly.
    assert plane.sum() / 255 == pytest.approx(np.pi * 100, rel=0.01)
    left, top, right, bottom = boxes[0]
    assert (left, top, right, bottom) == pytest.approx((20, 24, 41, 45), abs=1)


def test_flow_builds_up_within_a_stroke_and_never_passes_full() -> None:
    stroke = Stroke(blank(), "a", replace(HARD, flow=0.5))
    for times in range(1, 5):
        stroke.dab_flat(32.0, 32.0)
        assert stroke.changed["a"][32, 32] == round(255 * (1 - 0.5**times))


def test_soft_dabs_fall_off_evenly_from_the_hard_part_to_the_rim() -> None:
    stroke = Stroke(blank(), "a", replace(HARD, radius=20, hardness=0.5))
    stroke.dab_flat(32.5, 32.5)
    profile = stroke.changed["a"][32, 32:].astype(int)
    assert (np.diff(profile) <= 0).all()
    assert profile[9] == 255
    assert profile[15] == pytest.approx(128, abs=12)
    assert profile[21] == 0


def test_one_region_takes_from_another_but_not_from_a_protected_one() -> None:
    planes = blank()
    planes["b"][:] = 255
    stroke = Stroke(planes, "a", HARD)
    stroke.dab_flat(32.0, 32.0)
    assert (stroke.changed["a"].astype(int) + stroke.changed["b"] == 255).all()
    assert stroke.changed["b"][32, 32] == 0
    assert planes["b"].min() == 255, "the planes before stay as they were"
    lock = np.zeros((64, 64), np.uint8)
    lock[:, 32:] = 255
    kept = Stroke(planes, "a", HARD, protected=lock)
    kept.dab_flat(32.0, 32.0)
    assert kept.changed["a"][:, 32:].max() == 0
    assert kept.changed["a"][32, 28] == 255
    eraser = Stroke({"a": planes["b"]}, "a", replace(HARD, erases=True))
    eraser.dab_flat(32.0, 32.0)
    assert eraser.changed["a"][32, 32] == 0
    assert eraser.changed["a"][5, 5] == 255


def test_a_ball_on_the_surface_covers_what_lies_within_it_on_both_sides_of_the_seam(surface: PaintSurface) -> None:
    """Against the distance in space of every texel's position, computed on its own."""
    center = np.array([1.0, 0.1, 0.0])  # on the cut of the layout
    brush = replace(HARD, radius=20)
    plane = np.zeros(surface.texels.shape, np.uint8)
    stroke = Stroke({"a": plane}, "a", brush, surface)
    boxes = stroke.dab_ball(face_at(surface, center), center)
    painted = stroke.changed["a"]
    reach, step = 20 * surface.units_per_texel, surface.units_per_texel
    distance = distances_on(surface, center)
    assert (painted[distance < reach - step] == 255).all()
    assert painted[(distance > reach + step) & np.isfinite(distance)].max() == 0
    columns = np.flatnonzero((painted > 0).any(0))
    assert columns.min() < 0.12 * 256
    assert columns.max() > 0.88 * 256
    assert np.diff(columns).max() > 100, "two separate places in the texture"
    assert len(boxes) == 2
    # The gutter beside the rim follows, so that filtering at the seam finds no hole.
    row = int(np.flatnonzero(painted[:, 30] > 0).mean())
    assert painted[row, 20] == painted[row, 27] == 255


def test_the_far_side_of_the_model_is_not_painted(surface: PaintSurface) -> None:
    brush = replace(HARD, radius=60)
    stroke = Stroke({"a": np.zeros(surface.texels.shape, np.uint8)}, "a", brush, surface)
    center = np.array([0.0, 0.0, 1.0])
    stroke.dab_ball(face_at(surface, center), center)
    behind = distances_on(surface, -center) < 0.5
    assert stroke.changed["a"][behind].max() == 0


def test_a_mirrored_stroke_appears_across_the_middle_of_the_model(surface: PaintSurface) -> None:
    brush = replace(HARD, mirror="x", radius=14)
    stroke = Stroke({"a": np.zeros(surface.texels.shape, np.uint8)}, "a", brush, surface)
    center = np.array([0.8, 0.2, 0.6])
    stroke.dab_ball(face_at(surface, center), center)
    mirrored = distances_on(surface, center * [-1, 1, 1])
    painted = stroke.changed["a"]
    assert (painted[mirrored < 0.09] == 255).all()
    middle = round((0.1 + 0.8 / 4) * 256)
    assert painted[:, :middle].sum() == pytest.approx(painted[:, middle:].sum(), rel=0.1)


def test_grain_turns_and_scatters_by_the_seed_of_the_stroke() -> None:
    def paint(**parts: object) -> np.ndarray:
        stroke = Stroke(blank(128), "a", replace(HARD, radius=20, **parts))  # type: ignore[arg-type]
        for x in (40.0, 60.0, 80.0):
            stroke.dab_flat(x, 64.0)
        return stroke.changed["a"]

    for tip in TIPS:
        assert tip_picture(tip).min() >= 0
        assert tip_picture(tip).max() == 1
    chalk = paint(tip="chalk", turns=True, scatter=0.5, seed=3)
    assert np.array_equal(chalk, paint(tip="chalk", turns=True, scatter=0.5, seed=3))
    assert not np.array_equal(chalk, paint(tip="chalk", turns=True, scatter=0.5, seed=4))
    assert not np.array_equal(chalk, paint(tip="chalk", turns=False, scatter=0.5, seed=3))
    assert 0.05 < (chalk[44:84, 20:100] == 0).mean() < 0.9


def test_dabs_are_evenly_spaced_however_the_pointer_hurries() -> None:
    path = np.stack([np.linspace(0, 100, 1001), np.zeros(1001)], -1)
    spacer, chosen = Spacer(8.0), []
    for start in range(0, 1001, 77):
        chosen += [path[start + i] for i in spacer.choose(path[start : start + 77])]
    assert np.diff([p[0] for p in chosen]) == pytest.approx(8.0, abs=0.11)


def test_jumps_over_a_turned_away_surface_are_filled_and_leaps_to_another_part_are_not() -> None:
    points = np.array([[0.0, 0, 0], [1, 0, 0], [5, 0, 0], [50, 0, 0]])
    out, faces, shares = fill_jumps(points, np.arange(4), np.array([0, 0.1, 0.2, 1.0]), 1.0, 10.0)
    assert out[:, 0].tolist() == [0, 1, 2, 3, 4, 5, 50]
    assert faces.tolist() == [0, 1, 1, 1, 1, 2, 3]
    assert shares.tolist() == pytest.approx([0, 0.1, 0.125, 0.15, 0.175, 0.2, 1.0])


def test_a_simulated_pen_sets_in_softly_and_lightens_when_it_is_fast() -> None:
    pen = SimulatedStylus()
    slow = [pen.pressure(float(x), 0, 20.0 * x) for x in range(40)]
    assert slow[0] < 0.5
    assert slow[-1] > 0.95
    fast = [pen.pressure(40 + 100.0 * x, 0, 800 + 20.0 * x) for x in range(40)]
    assert fast[-1] < 0.3
    pen.lift()
    assert pen.pressure(0, 0, 0) < 0.5
    stroke = Stroke(blank(), "a", replace(HARD, pressure_sizes=True, pressure_flows=False))
    stroke.dab_flat(32.0, 32.0, 0.5)
    assert stroke.changed["a"].sum() / 255 == pytest.approx(np.pi * 25, rel=0.05)


def test_filling_covers_the_island_with_its_gutter_and_respects_locks() -> None:
    texels = can(64)
    mask = fill_mask(texels, 0, "island")
    assert mask.all(), "the only island, and all of the gutter that stands in for it"
    lock = np.zeros((64, 64), np.uint8)
    lock[:10] = 255
    planes = blank()
    planes["b"][:] = 200
    made = filled(planes, "a", mask, erases=False, takes=True, protected=lock)
    assert made["a"][:10].max() == 0
    assert made["a"][10:].min() == 255
    assert made["b"][10:].max() == 0
    box = trimesh.creation.box()
    two = trimesh.util.concatenate([box, box.copy().apply_translation([3, 0, 0])])
    uvs = np.random.default_rng(0).random((len(two.faces), 3, 2)).astype(np.float32)
    mesh = build_mesh("two.obj", two.vertices, two.faces, uvs=uvs)
    parts = Texels(mesh, find_topology(mesh), (64, 64))
    one, other = fill_mask(parts, 0, "shell"), fill_mask(parts, len(two.faces) - 1, "shell")
    assert not (one & other).any()
    assert (one | other).all()


def test_the_document_keeps_paint_as_one_change_and_refuses_what_follows_a_source(lantern: State) -> None:
    paper, frame = lantern.region_ids[:2]
    with pytest.raises(RegionError, match="Freeze it"):
        edit.with_painted(lantern, {paper: lantern.coverages[paper]})
    frozen = freeze(lantern, [paper, frame])
    assert np.array_equal(frozen.coverages[paper], lantern.coverages[paper])
    # A region whose operations read the painted one follows the stroke.
    cap = frozen.region_ids[2]
    linked = add_operation(frozen, cap, "region", {"region": paper, "meets": "add"})
    painted = edit.with_painted(linked, {paper: np.zeros_like(linked.coverages[paper])})
    assert painted.coverages[paper].max() == 0
    assert painted.coverages[cap].astype(int).sum() < linked.coverages[cap].astype(int).sum()
    assert linked.coverages[paper].max() == 255
    new = edit.add_painted_region(frozen)
    assert new.coverages[new.region_ids[-1]].max() == 0
    assert edit.why_not_paintable(new.project.regions.regions[-1]) == ""


def test_paint_is_saved_and_comes_back_also_under_operations(lantern: State, tmp_path: Path) -> None:
    paper = lantern.region_ids[0]
    plane = np.random.default_rng(0).integers(0, 256, (1024, 1024), np.uint8)
    state = edit.with_painted(freeze(lantern, [paper]), {paper: plane})
    state = add_operation(state, paper, "invert")
    Storage(tmp_path / "p").save(state)
    back = Storage(tmp_path / "p").open()
    assert np.array_equal(back.made[paper].raw, plane)
    assert np.array_equal(back.coverages[paper], state.coverages[paper])
    # Without the operation what was painted is there again.
    bare = remove_operation(back, paper, back.project.regions.regions[0].operations[0].id)
    assert np.array_equal(bare.coverages[paper], plane)


def test_the_history_forgets_the_oldest_strokes_before_memory_runs_out(lantern: State) -> None:
    paper = lantern.region_ids[0]
    state = freeze(lantern, [paper])
    base = sum({id(a): a.nbytes for a in state.arrays()}.values())
    history = History(state, "Opened", most_bytes=base + 5 * 2**20)
    for number in range(12):
        plane = np.full((1024, 1024), number, np.uint8)
        history.push(f"Stroke {number}", edit.with_painted(state, {paper: plane}))
    assert 4 <= len(history.labels) <= 6
    assert history.labels[-1] == "Stroke 11"
    assert history.undo().coverages[paper][0, 0] == 10
