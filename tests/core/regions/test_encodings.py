"""Ways to hold regions in textures: what they keep, what filtering and block compression leave of it."""

import cv2
import imagecodecs
import numpy as np
import pytest
from tests.helpers.shares import true_shares

from evenpalette.core.raster.compress import BYTES_PER_TEXEL, pack, packed_and_back, unpack
from evenpalette.core.regions.encodings.assess import assess, recommended
from evenpalette.core.regions.encodings.ways import ENCODINGS, MaskEncoding, corners_for, picture_files

FLAGS = ["#ff0000", "#00ff00", "#0000ff", "#ffff00", "#00ffff", "#ff00ff", "#ffffff"]


def by_key(key: str) -> MaskEncoding:
    return next(way for way in ENCODINGS if way.key == key)


def blobs(count: int = 4, size: int = 128) -> np.ndarray:
    """Soft blobs, uint8 (count, size, size), that do not overlap."""
    return np.rint(true_shares(size)[:count] * 255).astype(np.uint8)


@pytest.mark.parametrize("form", ["BC1", "BC3", "BC4", "BC7"])
def test_blocks_are_read_as_another_decoder_reads_them(form: str) -> None:
    """Against imagecodecs' own decoder of the formats in the Khronos Data Format Specification."""
    rng = np.random.default_rng(1)
    smooth = cv2.GaussianBlur(rng.integers(0, 256, (32, 64, 4), np.uint8), (0, 0), 3)
    blocks = pack(smooth, form)
    assert len(blocks) == 32 * 64 * BYTES_PER_TEXEL[form]
    ours = unpack(blocks, 64, 32, form)
    number = {"BC1": imagecodecs.BCN.FORMAT.BC1, "BC3": imagecodecs.BCN.FORMAT.BC3, "BC4": imagecodecs.BCN.FORMAT.BC4,
              "BC7": imagecodecs.BCN.FORMAT.BC7}[form]  # fmt: skip
    theirs = imagecodecs.bcn_decode(blocks, number, shape=(32, 64) if form == "BC4" else (32, 64, 4))
    used = 1 if form == "BC4" else 3
    assert np.abs(ours[..., :used].astype(int) - np.asarray(theirs).reshape(32, 64, -1)[..., :used]).max() <= 2
    assert np.abs(ours[..., 0].astype(int) - smooth[..., 0]).mean() < 12
    assert packed_and_back(smooth[:30, :61], form).shape == (30, 61, 4)


def test_channel_ways_hold_any_coverage_exactly_also_overlapping_ones() -> None:
    planes = np.random.default_rng(0).integers(0, 256, (6, 32, 32), np.uint8)
    codes = np.zeros((6, 3))
    for key, count in (("rgb", 3), ("rgba", 4), ("masks", 6), ("grays", 6)):
        way = by_key(key)
        assert np.array_equal(way.decode(way.encode(planes[:count], codes[:count]), count, codes), planes[:count]), key
    assert len(by_key("masks").encode(planes, codes)) == 2
    assert len(by_key("grays").encode(planes, codes)) == 6


def test_pure_colors_and_flags_hold_hard_regions_exactly() -> None:
    owner = np.random.default_rng(2).integers(-1, 7, (32, 32))
    planes = np.stack([np.where(owner == i, 255, 0) for i in range(7)]).astype(np.uint8)
    codes = np.array([[int(f[i : i + 2], 16) for i in (1, 3, 5)] for f in FLAGS], float)
    for key, count in (("six", 6), ("eight", 7), ("id", 7)):
        way = by_key(key)
        pictures = way.encode(planes[:count], codes[:count])
        assert np.array_equal(way.decode(pictures, count, codes[:count]), planes[:count]), key
    # The colors are the flags that the artist sees, where those are pure; else the corners in order.
    picture = by_key("eight").encode(planes, codes)[0]
    assert tuple(picture[np.argwhere(owner == 3)[0][0], np.argwhere(owner == 3)[0][1], :3]) == (255, 255, 0)
    assert corners_for(np.array([[9, 9, 9], [255, 0, 0]]), 8).tolist() == [[255, 0, 0], [0, 255, 0]]


def test_the_table_measures_what_each_way_loses() -> None:
    found = {a.encoding.key: a for a in assess(blobs(), FLAGS[:4])}
    assert "holds 3 regions" in found["rgb"].reason
    assert found["rgba"].losses["edges"].worst == 0
    # Half coverage of red and of nothing: the product of channels leaves it, the nearest flag drops or doubles it.
    assert found["id"].losses["edges"].mean > 0.15
    assert found["id"].losses["edges"].mean > found["eight"].losses["edges"].mean > found["masks"].losses["edges"].mean
    # Filtering hurts what is read as a choice, not what is read as an amount.
    assert found["masks"].losses["filtered"].worst <= 1 / 255
    assert found["id"].losses["filtered"].mean > 0.1
    # Four independent channels in BC3's one line of colors a block lose more than in BC7.
    assert found["rgba"].losses["BC7"].mean < found["rgba"].losses["BC3"].mean
    assert found["rgba"].texture_bytes["BC7"] == pytest.approx(128 * 128 * 4 / 3, abs=1)
    assert found["rgba"].texture_bytes["none"] == pytest.approx(4 * found["rgba"].texture_bytes["BC7"], abs=4)
    best = recommended(list(found.values()))
    assert best is not None
    assert best.encoding.key in ("rgba", "masks", "grays")


def test_hard_regions_that_never_touch_are_recommended_the_cheapest_way() -> None:
    planes = np.zeros((6, 128, 128), np.uint8)
    for index in range(6):
        planes[index, 16 + index // 3 * 64 : 48 + index // 3 * 64, 4 + index % 3 * 40 : 36 + index % 3 * 40] = 255
    found = assess(planes, FLAGS[:6])
    best = recommended(found)
    assert best is not None
    assert best.textures == 1
    assert best.texture_bytes[best.fit_form] == min(a.texture_bytes[a.fit_form] for a in found if a.fit_form)
    overlapping = planes.copy()
    overlapping[1] = overlapping[0]
    six = next(a for a in assess(overlapping, FLAGS[:6]) if a.encoding.key == "six")
    assert six.reason == "cannot hold overlaps"


def test_pictures_have_as_many_channels_as_the_way_uses() -> None:
    files = picture_files(by_key("masks"), blobs(), FLAGS[:4])
    assert {name: raster.channels for name, raster in files.items()} == {"regions-masks": 4}
    grays = picture_files(by_key("grays"), blobs(), FLAGS[:4])
    assert sorted(grays) == [f"regions-grays-{i}" for i in (1, 2, 3, 4)]
    assert {raster.channels for raster in grays.values()} == {1}
