"""Regions: flags found, coverages picked and recovered, findings."""

from dataclasses import replace

import cv2
import numpy as np
import pytest
from tests.helpers.shares import true_shares

from evenpalette.core.color.flag_plan import FLAG_ORDER
from evenpalette.core.document.project import Asset, Role, Texture
from evenpalette.core.document.state import State
from evenpalette.core.errors import RegionError
from evenpalette.core.findings.findings import find_in_regions
from evenpalette.core.raster.raster import Encoding, Raster
from evenpalette.core.regions.checks.clean import clean_id_map
from evenpalette.core.regions.checks.gaps import shares
from evenpalette.core.regions.coverage import compute_coverages
from evenpalette.core.regions.dividing.channels import merge_channels, split_channels
from evenpalette.core.regions.dividing.flags import find_flags, nearest_pure, next_flag
from evenpalette.core.regions.dividing.pick import pick_by_color, pick_coverages, pick_from
from evenpalette.core.regions.dividing.unmix import unmix
from evenpalette.core.regions.region_set import Division, Region, RegionSet
from evenpalette.core.regions.sources.channel import ChannelSource
from evenpalette.core.regions.sources.flag import FlagSource

FLAGS = [(255, 0, 0), (0, 255, 0), (0, 0, 255), (255, 255, 0), (0, 0, 0)]


def painted_with(shares_: np.ndarray) -> np.ndarray:
    return np.round(np.tensordot(shares_, np.array(FLAGS, float), (0, 0)).transpose(0, 1, 2)).astype(np.uint8)


def test_flags_are_found_also_when_edges_are_antialiased_or_lossy() -> None:
    image = painted_with(true_shares())
    assert {f.color for f in find_flags(image)} == {"#ff0000", "#00ff00", "#0000ff", "#ffff00", "#000000"}
    jpeg = cv2.imdecode(cv2.imencode(".jpg", image[..., ::-1], [cv2.IMWRITE_JPEG_QUALITY, 92])[1], 1)[..., ::-1]
    assert {f.pure for f in find_flags(np.ascontiguousarray(jpeg))} == {
        "#ff0000",
        "#00ff00",
        "#0000ff",
        "#ffff00",
        "#000000",
    }
    shares_ = {f.color: f.share for f in find_flags(image)}
    assert shares_["#ff0000"] == pytest.approx(np.pi * 0.22**2, abs=0.03)


def test_a_photograph_is_no_id_map() -> None:
    noise = np.random.default_rng(0).integers(0, 255, (64, 64, 3), np.uint8)
    with pytest.raises(RegionError, match="not an ID map"):
        find_flags(noise)
    with pytest.raises(RegionError, match="this small"):
        find_flags(np.zeros((1, 1, 3), np.uint8))
    many = np.kron(np.random.default_rng(1).integers(0, 255, (72, 72, 3), np.uint8), np.ones((6, 6, 1), np.uint8))
    with pytest.raises(RegionError, match="colors fill areas"):
        find_flags(many, smallest_share=0.0)


def test_edges_are_recovered_as_shares() -> None:
    truth = true_shares()
    got = unmix(painted_with(truth), FLAGS).astype(float) / 255
    assert (got.sum(0) == 1).all()
    assert np.abs(got - truth).mean() < 0.002
    edge = (truth.max(0) < 0.99) & (truth.max(0) > 0)
    assert np.abs(got - truth)[:, edge].mean() < 0.02
    # No texel is given to a region that is not near it: the yellow blob touches neither red nor green ones.
    far = cv2.dilate((truth[0] > 0).astype(np.uint8), np.ones((9, 9))) == 0
    assert got[0][far].max() == 0


def test_near_and_far_thresholds_by_their_definition() -> None:
    reds = np.zeros((1, 256, 3), np.uint8)
    reds[0, :, 0] = np.arange(256)
    distance = 255 - np.arange(256)
    expected = np.clip((200 - distance) / 150, 0, 1)
    picked = pick_coverages(reds, [(255, 0, 0)], [50], [200])[0, 0]
    assert np.abs(picked - expected * 255).max() <= 0.5 + 1e-3
    assert pick_by_color(reds, (255, 0, 0), 50, 200)[0] == pytest.approx(expected, abs=1e-5)


def test_picked_coverages_sum_to_at_most_one() -> None:
    image = np.random.default_rng(2).integers(0, 256, (64, 64, 3), np.uint8)
    total = pick_coverages(image, FLAGS[:4], [100] * 4, [400] * 4).astype(int).sum(0)
    assert total.max() <= 255
    assert total.max() >= 250


def test_other_metrics_find_what_the_eye_finds() -> None:
    image = np.array([[[216, 105, 60], [210, 108, 64], [60, 105, 216]]], np.uint8)
    for metric, far in (("ciede2000", 10), ("oklab", 10)):
        coverage = pick_by_color(image, (216, 105, 60), 1.0, far, metric)[0]
        assert coverage[0] == 1
        assert 0.3 < coverage[1] < 1
        assert coverage[2] == 0


def test_new_flags_take_the_pure_corners_first_and_never_repeat() -> None:
    taken: list[str] = []
    for _ in range(40):
        taken.append(next_flag(taken))
    assert taken[:7] == list(FLAG_ORDER[:7])
    assert len(set(taken)) == 40
    assert nearest_pure("#fe0300") == "#ff0000"
    assert nearest_pure("#806040") == "#806040"


def region(name: str, source: FlagSource | ChannelSource, flag: str) -> Region:
    return Region(id=name, name=name, flag=flag, source=source)


def in_set(*regions: Region) -> RegionSet:
    return RegionSet(divisions=(Division(regions=regions),))


def test_findings_name_gaps_overlaps_and_impure_flags_with_a_place() -> None:
    mask = np.zeros((64, 64, 3), np.uint8)
    mask[:, :32, 0] = 255
    mask[:, 24:40, 1] = 255
    textures = {"m": Raster(mask, Encoding.DATA), "i": Raster(mask, Encoding.DATA)}
    regions = Division(regions=(
        region("a", ChannelSource(texture="m", channel=0), "#ff0000"),
        region("b", ChannelSource(texture="m", channel=1), "#00ff00"),
        region("c", FlagSource(texture="i", color="#fe0300"), "#0000ff"),
    ))  # fmt: skip
    planes = {key: made.coverage for key, made in compute_coverages(in_set(*regions.regions[:2]), textures).items()}
    texture = Texture(id="i", name="Map", role=Role.ID_MAP, encoding=Encoding.DATA)
    state = replace(State(), coverages=planes, textures=textures).with_project(
        regions=RegionSet(divisions=(regions,)), asset=Asset(textures=(texture,))
    )
    found = {f.code: f for f in find_in_regions(state).findings}
    assert set(found) == {"gap", "overlap", "impure-flag"}
    assert "254, 3, 0" in found["impure-flag"].text
    assert found["overlap"].place is not None
    assert 24 / 64 < found["overlap"].place[0] < 32 / 64
    assert found["gap"].place is not None
    assert found["gap"].place[0] > 40 / 64
    assert shares(planes, np.ones((64, 64), bool)) == {"a": 0.5, "b": 0.25}


def test_the_demo_is_in_order_and_its_coverages_sum_to_one(lantern: State) -> None:
    total = sum(plane.astype(int) for plane in lantern.coverages.values())
    assert total.max() <= 255
    assert (total[lantern.used] == 255).mean() > 0.999


def test_channels_split_and_merge_back() -> None:
    image = np.random.default_rng(4).integers(0, 256, (16, 16, 4), np.uint8)
    planes = split_channels(Raster(image, Encoding.DATA), "rgba")
    merged = merge_channels([Raster.gray((p * 255).round().astype(np.uint8)) for p in planes.values()])
    assert np.array_equal(merged.pixels, image)
    with pytest.raises(RegionError, match="differ in size"):
        merge_channels([Raster.gray(np.zeros((2, 2), np.uint8)), Raster.gray(np.zeros((3, 3), np.uint8))])
    eight = split_channels(Raster(painted_with(true_shares()), Encoding.DATA), "eight")
    assert np.abs(eight["r"] / 255 - true_shares()[0]).mean() < 0.002
    assert list(eight) == list("rgbcmywk")


def test_cleaning_makes_pure_removes_specks_and_closes_gaps_but_keeps_soft_edges() -> None:
    truth = true_shares()
    image = painted_with(truth)
    flags = [np.array(f) for f in FLAGS]
    dirty = image.copy()
    dirty[(image == flags[0]).all(-1)] = (253, 2, 4)
    dirty[36:38, 36:38] = (0, 0, 255)
    used = truth[4] < 0.4
    dirty[88:91, 48:51] = 0
    cleaned = clean_id_map(dirty, smallest_texels=12, used=used)
    assert cleaned.pure["#fd0204"] == "#ff0000"
    assert cleaned.purified > 1000
    assert cleaned.specks == 4 + 9
    assert cleaned.colors == tuple(len(np.unique(i.reshape(-1, 3), axis=0)) for i in (dirty, cleaned.image))
    assert cleaned.off[1] < cleaned.off[0]
    assert f"{cleaned.off[0]:,} before, {cleaned.off[1]:,} after" in cleaned.report()
    assert (cleaned.image[30:44, 30:44] == (255, 0, 0)).all()
    assert (cleaned.image[86:93, 46:53] == (0, 0, 255)).all()
    edge = (truth.max(0) < 0.97) & (truth.max(0) > 0.6) & (truth[4] > 0.1)
    assert np.abs(cleaned.image[edge].astype(int) - image[edge]).mean() < 12
    gap = image.copy()
    gap[60:64, 20:60] = 0
    closed = clean_id_map(gap, smallest_texels=0, used=np.ones(image.shape[:2], bool))
    assert closed.gaps > 100
    assert (closed.image.max(-1) > 0).all()


def test_a_contiguous_pick_keeps_only_the_piece_around_its_seed() -> None:
    image = np.zeros((32, 32, 3), np.uint8)
    image[4:10, 4:10] = image[20:28, 20:28] = (255, 0, 0)
    textures = {"i": Raster(image, Encoding.DATA)}
    for contiguous, expected in ((False, 36 + 64), (True, 64)):
        source = FlagSource(texture="i", color="#ff0000", edges="thresholds", seed=(0.75, 0.75), contiguous=contiguous)
        plane = compute_coverages(in_set(region("a", source, "#ff0000")), textures)["a"].coverage
        assert int((plane == 255).sum()) == expected


def test_thresholds_in_another_metric_make_coverages(lantern: State) -> None:
    painted = str(lantern.project.tone.painted)
    source = FlagSource(texture=painted, color="#d06030", edges="thresholds", metric="ciede2000", near=5, far=25)
    plane = compute_coverages(in_set(region("a", source, "#ff0000")), lantern.textures)["a"].coverage
    paper = lantern.coverages[lantern.region_ids[0]] == 255
    assert plane[paper].mean() > 4 * plane[~paper].mean()


def painted_by_area(colors: np.ndarray, seed: int, size: int = 160, fine: int = 8) -> tuple[np.ndarray, np.ndarray]:
    """An ID image of soft discs and bars of three flags with the true share of each, by area at eight times the
    size."""
    rng = np.random.default_rng(seed)
    v, u = np.mgrid[: size * fine, : size * fine] / fine
    owner = np.zeros(u.shape, np.int64)
    for index in (1, 2, 1, 2, 1, 2):
        x, y = rng.uniform(20, size - 20, 2)
        owner[np.hypot(u - x, v - y) < rng.uniform(12, 26)] = index
    angle = rng.uniform(0, np.pi)
    owner[np.abs((u - size / 2) * np.cos(angle) + (v - size / 2) * np.sin(angle)) < 6] = 2
    shares = np.stack([(owner == k).reshape(size, fine, size, fine).mean((1, 3)) for k in range(3)])
    image = np.rint(np.einsum("khw,kc->hwc", shares, colors.astype(float))).astype(np.uint8)
    return image, shares


@pytest.mark.parametrize("apart", [60, 30, 12])
def test_shares_are_right_where_a_third_flag_lies_between_two_others(apart: int) -> None:
    """Edges between the outer flags pass through the very color of the middle one. Truth: area coverage."""
    colors = np.array([[90, 120, 100]]) + np.array([[0], [1], [2]]) * np.array([[apart, 0, 0]])
    wrong = edges = 0
    for seed in range(4):
        image, shares = painted_by_area(colors, seed)
        found = unmix(image, [tuple(int(v) for v in color) for color in colors]) / 255
        edge = shares.max(0) < 0.999
        outer = edge & (shares[1] < 1e-6)
        # Between the outer two, none of the middle one is found.
        assert (found[1][outer] > 0.2).mean() < 0.03
        off = np.abs(found - shares).max(0)
        edges += int(edge.sum())
        wrong += int((off[edge] > 0.25).sum())
        # A single texel of the middle flag between the outer ones cannot be told from their edge.
        assert (off[~edge] > 0.01).mean() < 0.001
        assert off[edge].mean() < 0.06
    assert wrong / edges < 0.06


def test_a_line_one_texel_wide_keeps_its_flag() -> None:
    image = np.zeros((40, 40, 3), np.uint8)
    image[:, 20:] = (255, 0, 0)
    image[10:20, 8] = image[30, 22:38] = (0, 0, 255)
    shares = unmix(image, [(0, 0, 0), (255, 0, 0), (0, 0, 255)])
    assert (shares[2] == 255).sum() == 26
    assert (shares.astype(int).sum(0) == 255).all()


def test_sixteen_bit_shares_have_finer_steps_than_eight_bit_ones() -> None:
    ramp = np.zeros((9, 40, 3), np.uint8)
    ramp[:, 21:] = (255, 0, 0)
    ramp[:, 19:21, 0] = [[37, 201]] * 9
    fine = unmix(ramp, [(0, 0, 0), (255, 0, 0)], depth=16)
    assert fine.dtype == np.uint16
    assert (fine.astype(int).sum(0) == 65535).all()
    assert abs(int(fine[1, 4, 19]) - round(37 / 255 * 65535)) <= 1


def test_a_pick_compares_at_the_depth_of_the_image_and_leaves_transparent_texels_out() -> None:
    codes = np.full((4, 4, 3), 128 * 257, np.uint16)
    codes[0, 0] += 128
    picked = pick_from(Raster(codes, Encoding.SRGB), (128, 128, 128), 0.0, 2.0, depth=16)
    half_code = 128 / 257 * np.sqrt(3) / 2
    assert picked[0, 0] == pytest.approx((1 - half_code) * 65535, abs=80)
    assert picked[1, 1] == 65535
    # OpenEXR holds linear light: 0.2158605 is the code 128 by IEC 61966-2-1.
    light = Raster(np.full((4, 4, 3), 0.2158605, np.float32), Encoding.LINEAR)
    assert (pick_from(light, (128, 128, 128), 1.0, 2.0) == 255).all()
    clear = np.full((4, 4, 4), 128, np.uint8)
    clear[:2, :, 3] = 100
    assert (pick_from(Raster(clear, Encoding.SRGB), (128, 128, 128), 1.0, 2.0)[:2] == 0).all()
