"""Poor textures made better: along the flow, without noise, larger."""

import cv2
import numpy as np
import pytest
from numpy.typing import NDArray
from skimage import data, feature
from skimage.metrics import peak_signal_noise_ratio as psnr

from evenpalette.core.document.project import Role
from evenpalette.core.document.state import State
from evenpalette.core.edits.asset import add_texture, replace_texture
from evenpalette.core.edits.mending import add_mended, set_mending, with_made_anew
from evenpalette.core.errors import EvenPaletteError
from evenpalette.core.raster.busiest import busiest_place
from evenpalette.core.raster.mending.enlarge import enlarge
from evenpalette.core.raster.mending.flow import flow_of, smooth_along
from evenpalette.core.raster.mending.mend import mend
from evenpalette.core.raster.mending.noise import noise_of, remove_noise
from evenpalette.core.raster.mending.settings import Mending
from evenpalette.core.raster.raster import Encoding, Raster


def strands(angle_degrees: float, size: int = 384) -> NDArray[np.float32]:
    """Wavy strands 7 texels wide, (size, size, 1)."""
    y, x = np.mgrid[:size, :size].astype(np.float32)
    turn = np.deg2rad(angle_degrees)
    across, along = x * np.cos(turn) + y * np.sin(turn), y * np.cos(turn) - x * np.sin(turn)
    return (0.5 + 0.35 * np.sin((across + 6 * np.sin(along / 60)) * 2 * np.pi / 7)).astype(np.float32)[..., None]


def noisy(picture: NDArray, sigma: float) -> NDArray[np.float32]:
    return (picture + np.random.default_rng(5).normal(0, sigma, picture.shape)).astype(np.float32)


@pytest.mark.parametrize("angle", [0, 20, 45, 77])
def test_smoothing_along_strands_takes_out_noise_that_no_even_blur_can(angle: float) -> None:
    clean = strands(angle)
    poor = noisy(clean, 0.08)
    found = smooth_along(poor, 8)
    gained = psnr(clean, found, data_range=1) - psnr(clean, poor, data_range=1)
    blurs = [cv2.GaussianBlur(poor[..., 0], (0, 0), sigma)[..., None] for sigma in (0.5, 0.7, 0.9, 1.2)]
    assert gained > 9
    assert gained > 5 + max(psnr(clean, blur, data_range=1) for blur in blurs) - psnr(clean, poor, data_range=1)
    # Across, the strands keep their height: means over lines of flow neither flatten nor widen them.
    assert np.ptp(np.percentile(found, [2, 98])) > 0.97 * np.ptp(np.percentile(clean, [2, 98]))


def test_a_strand_of_one_texel_grows_no_wider_and_a_field_without_flow_stays() -> None:
    one = np.zeros((64, 200, 1), np.float32)
    one[32] = 1
    found = smooth_along(noisy(one, 0.03), 8).mean(1)[:, 0]
    assert found[32] > 0.97
    assert np.abs(found[[30, 31, 33, 34]]).max() < 0.02
    grain = np.random.default_rng(1).random((128, 128, 1)).astype(np.float32)
    assert np.abs(smooth_along(grain, 8, 0.0) - grain).max() == 0


def test_the_flow_is_that_of_the_structure_tensor() -> None:
    """Against skimage.feature.structure_tensor, on real grain."""
    picture = (data.brick() / 255).astype(np.float32)
    x, y, clear = flow_of(picture[..., None], 2.5)
    rr, rc, cc = feature.structure_tensor(cv2.GaussianBlur(picture, (0, 0), 0.7), sigma=2.5, order="rc")
    angle = 0.5 * np.arctan2(2 * rc, cc - rr) + np.pi / 2
    same = np.abs(x * np.cos(angle) + y * np.sin(angle))
    assert np.percentile(same[clear > 0.25], 5) > 0.99


def test_noise_is_measured_and_taken_out_and_edges_stay() -> None:
    clean = (data.astronaut() / 255).astype(np.float32)
    poor = noisy(clean, 0.05)
    inside = np.ones(clean.shape[:2], bool)
    assert noise_of(noisy(np.full((256, 256), 0.5, np.float32), 0.05)) == pytest.approx(0.05, rel=0.05)
    assert noise_of(poor[..., 0], inside) == pytest.approx(0.05, rel=0.1)
    assert psnr(clean, remove_noise(poor, 1), data_range=1) > psnr(clean, poor, data_range=1) + 5
    step = np.zeros((64, 64, 1), np.float32)
    step[:, 32:] = 1
    found = remove_noise(noisy(step, 0.02), 2)
    assert np.abs(found[:, 31].mean() - 0) < 0.02
    assert np.abs(found[:, 32].mean() - 1) < 0.02


def test_what_lies_on_another_island_never_comes_in() -> None:
    values = np.zeros((64, 64, 3), np.uint8)
    values[:, 32:] = 255
    values[::2, :32] = 20
    island = np.zeros((64, 64), np.int32)
    island[:, 32:] = 1
    everything = Mending(noise=4, noise_reach=4, flow=1, flow_reach=16)
    found = mend(Raster(values, Encoding.SRGB), everything, island).pixels
    assert found[:, :32].max() <= 20
    assert found[:, 32:].min() == 255


@pytest.mark.parametrize("factor", [2, 4])
@pytest.mark.parametrize("name", ["coffee", "brick"])
def test_enlarged_along_edges_is_nearer_to_the_truth_than_lanczos(name: str, factor: int) -> None:
    picture = getattr(data, name)()
    picture = (picture if picture.ndim == 3 else picture[..., None])[:392, :512] / np.float32(255)
    picture = picture.astype(np.float32)
    height, width = picture.shape[0] // factor, picture.shape[1] // factor
    small = cv2.resize(picture, (width, height), interpolation=cv2.INTER_AREA).reshape(height, width, -1)
    found = {edges: enlarge(small, factor, along_edges=edges) for edges in (False, True)}
    assert found[True].shape == picture.shape
    assert psnr(picture, found[True], data_range=1) > psnr(picture, found[False], data_range=1) + 0.3
    # Seen from as far as before it is what it was.
    back = cv2.resize(found[True], (width, height), interpolation=cv2.INTER_AREA).reshape(small.shape)
    assert np.abs(back - small).mean() < 0.004


def test_channels_alpha_depth_and_normals_are_kept() -> None:
    rng = np.random.default_rng(2)
    picture = Raster(rng.integers(0, 65536, (32, 32, 4), dtype=np.uint16), Encoding.SRGB)
    found = mend(picture, Mending(noise=1, channels=(0,)))
    assert found.pixels.dtype == np.uint16
    # Color is weighed by alpha and weighed back: to within a few of 65535 codes where there is alpha at all.
    seen = picture.pixels[..., 3] > 8000
    assert np.abs(found.pixels[..., 1:].astype(int) - picture.pixels[..., 1:])[seen].max() <= 8
    assert np.abs(found.pixels[..., 0].astype(int) - picture.pixels[..., 0]).max() > 500
    # Black that is transparent does not darken what is beside it.
    cut = np.zeros((16, 16, 4), np.uint8)
    cut[:, 8:] = (200, 100, 50, 255)
    larger = mend(Raster(cut, Encoding.SRGB), Mending(enlarge=2, along_edges=False)).pixels
    assert np.abs(larger[larger[..., 3] > 40][:, :3].astype(int) - (200, 100, 50)).max() <= 2
    bumps = rng.normal(0, 0.2, (32, 32, 2))
    vectors = np.dstack([bumps, np.sqrt(1 - (bumps**2).sum(-1).clip(0, 0.9))])
    normal = Raster(np.rint((vectors * 0.5 + 0.5) * 255).astype(np.uint8), Encoding.DATA)
    length = np.linalg.norm(mend(normal, Mending(flow=1, enlarge=2), is_normal=True).as_unit() * 2 - 1, axis=-1)
    assert np.abs(length - 1).max() < 0.012


def test_a_mended_texture_takes_over_and_is_made_anew_when_its_file_changes() -> None:
    rng = np.random.default_rng(4)
    first, second = (Raster(rng.integers(0, 256, (32, 32, 3), np.uint8), Encoding.SRGB) for _ in range(2))
    state = add_texture(State(), first, "lid.png", Role.PAINTED)
    lid = state.project.asset.textures[0].id
    mending = Mending(noise=1, enlarge=2)
    made = add_mended(state, lid, mending)
    better = made.project.asset.textures[1]
    assert made.project.tone.painted == better.id
    assert made.textures[better.id].size == (64, 64)
    assert np.array_equal(made.textures[lid].pixels, first.pixels), "the source stays"
    after = with_made_anew(replace_texture(made, lid, second), {lid})
    assert np.array_equal(after.textures[better.id].pixels, mend(second, mending).pixels)
    other = set_mending(after, better.id, Mending(flow=1))
    assert other.textures[better.id].size == (32, 32)
    index = add_texture(state, Raster(np.zeros((8, 8, 1), np.uint8), Encoding.DATA), "i.png", Role.INDEX)
    with pytest.raises(EvenPaletteError, match="positions in a palette"):
        add_mended(index, index.project.asset.textures[-1].id, mending)
    with pytest.raises(EvenPaletteError, match="too large"):
        mend(Raster(np.zeros((8192, 8192, 1), np.uint8), Encoding.DATA), Mending(enlarge=4))


def test_what_is_looked_at_first_is_where_there_is_most_to_see() -> None:
    picture = np.full((600, 900, 3), 90, np.uint8)
    picture[420:480, 640:720] = np.random.default_rng(1).integers(0, 256, (60, 80, 3))
    u, v = busiest_place(Raster(picture, Encoding.SRGB))
    assert u * 900 == pytest.approx(680, abs=50)
    assert v * 600 == pytest.approx(450, abs=40)
    assert all(0 < x < 1 for x in busiest_place(Raster(np.zeros((5, 7, 1), np.uint8), Encoding.DATA)))
