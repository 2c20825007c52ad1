"""Chains of operations on a coverage, each against a closed form or another library."""

from dataclasses import replace

import cv2
import numpy as np
import pytest
from scipy import ndimage
from skimage.morphology import disk
from tests.helpers.meshes import can

from evenpalette.core.document.state import State
from evenpalette.core.edits import refining as edit
from evenpalette.core.edits.asset import remove_texture, replace_texture, set_mesh
from evenpalette.core.edits.regions import remove_region, update_region
from evenpalette.core.errors import EvenPaletteError, RegionError, ValueProblem
from evenpalette.core.mesh.texels import Texels
from evenpalette.core.raster.raster import Encoding, Raster
from evenpalette.core.regions.chain import ChainInputs, run_chain
from evenpalette.core.regions.operations import OPERATIONS, operation_kind
from evenpalette.core.regions.operations.noise import tileable_noise
from evenpalette.core.regions.region_set import Operation
from evenpalette.core.values import parse_stops

RNG = np.random.default_rng(5)


def ran(
    plane: np.ndarray, *kinds: tuple[str, dict], texels: Texels | None = None, coverages: dict | None = None,
    textures: dict | None = None, amount: float = 1.0,
) -> np.ndarray:  # fmt: skip
    chain = tuple(
        Operation(id=str(i), kind=kind, settings=settings, amount=amount) for i, (kind, settings) in enumerate(kinds)
    )
    return run_chain(plane, chain, ChainInputs(coverages or {}, textures or {}, texels))


@pytest.fixture(scope="module")
def texels() -> Texels:
    return can(128)


@pytest.fixture(scope="module")
def disc() -> np.ndarray:
    plane = np.zeros((64, 64), np.uint8)
    return cv2.circle(plane, (32, 32), 14, 255, -1)


def test_inverting_levels_and_ramps_by_their_formulas() -> None:
    plane = np.arange(256, dtype=np.uint8).reshape(16, 16)
    assert np.array_equal(ran(plane, ("invert", {})), 255 - plane)
    unit = plane / 255
    levels = np.clip((unit - 0.2) / 0.6, 0, 1) ** (1 / 2.0)
    got = ran(plane, ("levels", {"low": 0.2, "high": 0.8, "gamma": 2.0, "to_low": 0.1, "to_high": 0.9}))
    assert np.abs(got / 255 - (0.1 + 0.8 * levels)).max() <= 0.5 / 255 + 1e-6
    ramp = ran(plane, ("ramp", {"stops": "0:1, 0.25:0, 1:0.5"}))
    assert np.abs(ramp / 255 - np.interp(unit, [0, 0.25, 1], [1, 0, 0.5])).max() <= 0.5 / 255 + 1e-6
    half = ran(plane, ("invert", {}), amount=0.5)
    assert np.abs(half.astype(int) - 127.5).max() <= 1


def test_growing_and_shrinking_against_scikit_image_and_scipy(disc: np.ndarray) -> None:
    for texels, filter_ in ((5, ndimage.grey_dilation), (-5, ndimage.grey_erosion)):
        got = ran(disc, ("grow", {"texels": texels}))
        expected = filter_(disc, footprint=disk(5), mode="constant", cval=0 if texels > 0 else 255)
        assert (got != expected).mean() < 0.01
    assert np.array_equal(ran(disc, ("grow", {"texels": 0})), disc)


def test_blur_is_a_gaussian_and_stays_on_its_island(texels: Texels) -> None:
    plane = RNG.integers(0, 256, (64, 64), np.uint8)
    got = ran(plane, ("blur", {"radius": 4.0}))
    expected = ndimage.gaussian_filter(plane.astype(float), 2.0, mode="nearest", truncate=3.0)
    assert np.abs(got - expected).max() <= 1.5
    # Full coverage of the island stays full at its rim: nothing of the empty gutter comes in.
    full = np.where(texels.faces >= 0, 255, 0).astype(np.uint8)
    assert ran(full, ("blur", {"radius": 16.0}), texels=texels).min() == 255


def test_a_made_plane_meets_the_coverage_in_six_ways(disc: np.ndarray) -> None:
    other = np.zeros((64, 64), np.uint8)
    other[:, 32:] = 128
    a, b = disc / 255, other / 255
    for meets, expected in (
        ("replace", b), ("add", np.minimum(a + b, 1)), ("subtract", np.maximum(a - b, 0)),
        ("intersect", np.minimum(a, b)), ("multiply", a * b), ("maximum", np.maximum(a, b)),
    ):  # fmt: skip
        got = ran(disc, ("region", {"region": "x", "meets": meets}), coverages={"x": other})
        assert np.abs(got / 255 - expected).max() <= 0.5 / 255 + 1e-6, meets
    ao = {"t": Raster(np.dstack([other] * 3), Encoding.DATA)}
    assert np.array_equal(ran(disc, ("texture", {"channel": "t:1", "meets": "replace"}), textures=ao), other)


def test_noise_tiles_repeats_by_its_seed_and_spreads_around_the_middle() -> None:
    noise = tileable_noise((256, 256), 8, 3, 0.5, 7)
    assert np.array_equal(noise, tileable_noise((256, 256), 8, 3, 0.5, 7))
    assert not np.array_equal(noise, tileable_noise((256, 256), 8, 3, 0.5, 8))
    assert noise.mean() == pytest.approx(0.5, abs=0.03)
    assert 0.08 < noise.std() < 0.3
    # Across the border it is as smooth as within.
    for axis in (0, 1):
        inside = np.abs(np.diff(noise, axis=axis)).max()
        assert np.abs(noise.take(0, axis) - noise.take(-1, axis)).max() <= inside
    # The same picture at twice the size: it has a scale of its own, not one in texels.
    large = tileable_noise((512, 512), 8, 3, 0.5, 7)
    assert np.abs(cv2.resize(large, (256, 256), interpolation=cv2.INTER_AREA) - noise).mean() < 0.005


def test_gradients_follow_the_model_and_the_slope_its_normals(texels: Texels) -> None:
    """The can stands from y = -1 to 1, its rows run evenly down the texture: closed forms."""
    plane = np.full(texels.shape, 255, np.uint8)
    rows = (np.arange(128) + 0.5) / 128
    along = np.clip((rows - 0.1) / 0.8, 0, 1)
    inside = slice(16, 112)
    axis = ran(plane, ("axis", {"axis": "Y", "meets": "replace"}), texels=texels)
    assert np.abs(axis[inside, 64] / 255 - along[inside]).max() < 0.01
    part = ran(plane, ("axis", {"axis": "Y", "start": 0.75, "end": 0.25, "meets": "replace"}), texels=texels)
    assert np.abs(part[inside, 64] / 255 - np.clip((0.75 - along[inside]) / 0.5, 0, 1)).max() < 0.02
    root = ran(plane, ("root_tip", {"toward": "down", "meets": "replace"}), texels=texels)
    assert np.abs(root[inside, 64] / 255 - along[inside]).max() < 0.01
    turned = ran(plane, ("root_tip", {"toward": "down", "turned": True, "meets": "replace"}), texels=texels)
    assert np.abs(root.astype(int) + turned - 255).max() <= 1
    # The normal at u turns once around: 1 within 20 degrees of +X, 0 from 60 on.
    slope = ran(plane, ("slope", {"faces": "+X", "meets": "replace"}), texels=texels)[64]
    angle = ((np.arange(128) + 0.5) / 128 - 0.1) / 0.8 * 360
    off = np.minimum(angle % 360, 360 - angle % 360)
    covered = (angle > 0) & (angle < 360)
    outward = np.abs(slope / 255 - np.clip((60 - off) / 40, 0, 1))[covered].max()
    inward = np.abs(slope / 255 - np.clip((60 - (180 - off)) / 40, 0, 1))[covered].max()
    assert min(outward, inward) < 0.25, "within a side of 15 degrees of the can"


def test_specks_go_and_holes_are_filled_with_their_soft_rims() -> None:
    plane = np.zeros((64, 64), np.uint8)
    plane[10:40, 10:40] = 255
    clean = plane.copy()
    plane[50:53, 50:53] = 255
    plane[49, 50:53] = 90
    plane[20:22, 20:22] = 0
    plane[22, 20:22] = 100
    assert np.array_equal(ran(plane, ("despeckle", {"smallest": 12})), clean)
    kept = ran(plane, ("despeckle", {"smallest": 5}))
    assert kept[51, 51] == 255
    assert kept[20, 20] == 0, "six texels below a half: too large for a hole of five"


def test_every_operation_runs_with_its_defaults_and_says_what_it_needs(texels: Texels) -> None:
    plane = RNG.integers(0, 256, texels.shape, np.uint8)
    for kind in OPERATIONS.values():
        settings = {"region": "x", "channel": "t:0"}
        inputs = {"coverages": {"x": plane}, "textures": {"t": Raster.gray(plane)}}
        assert ran(plane, (kind.key, settings), texels=texels, **inputs).shape == plane.shape
        assert kind.summary
    with pytest.raises(RegionError, match="needs a mesh"):
        ran(plane, ("axis", {}))
    with pytest.raises(RegionError, match="Choose a region"):
        ran(plane, ("region", {}))
    with pytest.raises(ValueProblem, match="0 to 1"):
        parse_stops("0:0, 2:1")
    with pytest.raises(RegionError, match="no operation"):
        operation_kind("melt")


def test_a_chain_is_run_again_when_image_or_mesh_change_and_can_be_frozen(lantern: State) -> None:
    paper, cap = lantern.region_ids[0], lantern.region_ids[2]
    texture = lantern.project.asset.textures[1].id
    state = edit.add_operation(lantern, paper, "invert")
    chain = state.project.regions.regions[0].operations
    inside = lantern.mesh.texels((1024, 1024)).faces >= 0
    assert np.array_equal(state.coverages[paper][inside], (255 - lantern.coverages[paper])[inside])
    # Off, on, half.
    off = edit.change_operation(state, paper, chain[0].id, on=False)
    assert np.array_equal(off.coverages[paper], lantern.coverages[paper])
    # A new image: everything made from it follows, the other sources are not even read again.
    black = Raster(np.zeros((1024, 1024, 3), np.uint8), Encoding.DATA)
    changed = replace_texture(state, texture, black)
    assert changed.coverages[paper].min() == 255
    # Another mesh: what looks at it follows.
    sloped = edit.add_operation(lantern, cap, "axis")
    assert sloped.mesh is not None
    mesh = sloped.mesh.mesh
    flipped = set_mesh(sloped, replace(mesh, positions=mesh.positions * np.float32([1, -1, 1])))
    assert not np.array_equal(flipped.coverages[cap], sloped.coverages[cap])
    assert flipped.coverages[paper] is sloped.coverages[paper]
    # Frozen, the texels stay and nothing follows any more.
    frozen = edit.freeze(state, [paper])
    assert np.array_equal(frozen.coverages[paper], state.coverages[paper])
    assert np.array_equal(replace_texture(frozen, texture, black).coverages[paper], state.coverages[paper])


def test_regions_that_read_each_other_are_ordered_and_circles_refused(lantern: State) -> None:
    first, second = lantern.region_ids[:2]
    state = edit.add_operation(lantern, first, "region", {"region": second, "meets": "subtract"})
    state = edit.add_operation(state, second, "grow", {"texels": 6})
    grown = state.coverages[second].astype(int)
    expected = np.maximum(lantern.coverages[first].astype(int) - grown, 0)
    inside = lantern.mesh.texels((1024, 1024)).faces >= 0
    assert np.abs(state.coverages[first] - expected)[inside].max() <= 1
    with pytest.raises(RegionError, match="circle"):
        edit.add_operation(state, second, "region", {"region": first})
    with pytest.raises(RegionError, match="read by the operations"):
        remove_region(state, second)
    occlusion = next(t.id for t in lantern.project.asset.textures if "occlusion" in t.name)
    reads = edit.add_operation(lantern, first, "texture", {"channel": f"{occlusion}:0"})
    with pytest.raises(EvenPaletteError, match="used by region Paper"):
        remove_texture(reads, occlusion)


def test_only_what_changed_is_computed_again(lantern: State) -> None:
    first, second = lantern.region_ids[:2]
    state = edit.add_operation(lantern, first, "blur")
    renamed = update_region(state, first, name="Washi")
    assert renamed.coverages[first] is state.coverages[first]
    more = edit.add_operation(state, second, "blur")
    assert more.coverages[first] is state.coverages[first]
    assert more.coverages[second] is not state.coverages[second]
