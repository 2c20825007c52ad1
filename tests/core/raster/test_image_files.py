"""Image files: lossless round trips, and one clear message for everything that is wrong with a file."""

import io
import struct
import weakref
import zlib
from pathlib import Path

import cv2
import numpy as np
import pytest
import skimage.data
from PIL import Image

from evenpalette.core import files
from evenpalette.core.errors import ImageFileError
from evenpalette.core.raster.formats.exr import encode_exr
from evenpalette.core.raster.formats.png import encode_png
from evenpalette.core.raster.image_read import decode_image, read_image
from evenpalette.core.raster.image_write import write_image
from evenpalette.core.raster.mips import halved, mip_chain
from evenpalette.core.raster.padding import grown_under_alpha
from evenpalette.core.raster.raster import Encoding, Raster
from evenpalette.core.raster.reading import derived, resize_plane

RNG = np.random.default_rng(3)


def picture(dtype: type, channels: int) -> Raster:
    values = RNG.random((13, 17, channels))
    if dtype is np.float32:
        return Raster((values * 4 - 1).astype(np.float32), Encoding.LINEAR)
    return Raster((values * np.iinfo(dtype).max).astype(dtype), Encoding.DATA)


@pytest.mark.parametrize(
    ("dtype", "channels", "ending"),
    [(d, c, e) for d in (np.uint8, np.uint16) for c in (1, 3, 4) for e in (".png", ".tif")]
    + [(np.float32, c, e) for c in (1, 3, 4) for e in (".exr", ".tif")],
)
def test_a_written_image_reads_back_exactly(tmp_path: Path, dtype: type, channels: int, ending: str) -> None:
    raster = picture(dtype, channels)
    write_image(raster, tmp_path / f"a{ending}")
    back = read_image(tmp_path / f"a{ending}")
    assert back.pixels.dtype == dtype
    assert np.array_equal(back.pixels, raster.pixels)


def test_png_agrees_with_pillow_on_a_real_picture(tmp_path: Path) -> None:
    # skimage.data.astronaut, a photograph that ships with scikit-image.
    photograph = skimage.data.astronaut()
    Image.fromarray(photograph).save(tmp_path / "a.png")
    assert np.array_equal(read_image(tmp_path / "a.png").pixels, photograph)
    assert np.array_equal(np.asarray(Image.open(io.BytesIO(encode_png(Raster(photograph, Encoding.SRGB))))), photograph)


def test_paletted_and_gray_alpha_png_are_expanded(tmp_path: Path) -> None:
    indexed = Image.fromarray(np.arange(16, dtype=np.uint8).reshape(4, 4), "P")
    indexed.putpalette([v for i in range(256) for v in (i * 10 % 256, 255 - i, i)])
    indexed.save(tmp_path / "p.png")
    assert np.array_equal(read_image(tmp_path / "p.png").pixels, np.asarray(indexed.convert("RGB")))
    Image.fromarray(np.dstack([np.full((3, 3), 9, np.uint8), np.full((3, 3), 77, np.uint8)]), "LA").save(
        tmp_path / "la.png"
    )
    assert read_image(tmp_path / "la.png").pixels[0, 0].tolist() == [9, 77]


def test_resizing_color_averages_light_and_data_stays_data() -> None:
    stripes = np.zeros((4, 8, 3), np.uint8)
    stripes[:, ::2] = 255
    # Half white, half black light encodes to 188 (IEC 61966-2-1), not to 128.
    assert Raster(stripes, Encoding.SRGB).resized(4, 4).pixels[0, 0, 0] == 188
    assert Raster(stripes, Encoding.DATA).resized(4, 4).pixels[0, 0, 0] in (127, 128)


def png_header(width: int, height: int) -> bytes:
    def chunk(kind: bytes, data: bytes) -> bytes:
        return struct.pack(">I", len(data)) + kind + data + struct.pack(">I", zlib.crc32(kind + data))

    header = struct.pack(">IIBBBBB", width, height, 8, 2, 0, 0, 0)
    return b"\x89PNG\r\n\x1a\n" + chunk(b"IHDR", header) + chunk(b"IDAT", zlib.compress(b"")) + chunk(b"IEND", b"")


def bad_files() -> dict[str, bytes]:
    good = encode_png(picture(np.uint8, 3))
    cmyk = io.BytesIO()
    Image.new("CMYK", (8, 8)).save(cmyk, "JPEG")
    jpeg = cv2.imencode(".jpg", RNG.integers(0, 255, (64, 64, 3), np.uint8))[1].tobytes()
    broken = bytearray(good)
    broken[60] ^= 0xFF
    return {
        "empty": b"",
        "cut short": good[: len(good) // 2],
        "checksum": bytes(broken),
        "limit is 16384": png_header(70000, 70000),
        "PNG, JPEG, TIFF": b"Dear artist, this is a letter.",
        "made for print": cmyk.getvalue(),
        "truncated": jpeg[: len(jpeg) // 2],
        "holds no image": b"II*\0" + b"\xff" * 60,
        "an image that can be read": b"\x76\x2f\x31\x01" + b"\0" * 40,
    }


@pytest.mark.parametrize("problem", list(bad_files()))
def test_a_bad_image_gives_one_clear_message_with_its_name(tmp_path: Path, problem: str) -> None:
    path = tmp_path / "lantern.png"
    path.write_bytes(bad_files()[problem])
    with pytest.raises(ImageFileError, match=problem) as caught:
        read_image(path)
    assert "lantern.png" in str(caught.value)
    assert "\n" not in str(caught.value)


def test_missing_files_and_folders_that_cannot_be_written_are_named(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    with pytest.raises(ImageFileError, match="does not exist"):
        read_image(tmp_path / "no.png")
    with pytest.raises(ImageFileError, match="cannot be written"):
        write_image(picture(np.uint8, 1), tmp_path / "no folder" / "a.png")
    write_image(picture(np.uint8, 1), tmp_path / "a.png")
    before = (tmp_path / "a.png").read_bytes()

    def full(_: int) -> None:
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(files.os, "fsync", full)
    with pytest.raises(ImageFileError, match="No space left"):
        write_image(picture(np.uint8, 1), tmp_path / "a.png")
    assert (tmp_path / "a.png").read_bytes() == before
    assert [p.name for p in tmp_path.iterdir()] == ["a.png"]


def test_float_pictures_lose_their_nans() -> None:
    pixels = np.array([[[np.nan], [np.inf], [0.5]]], np.float32)
    back = decode_image(encode_exr(Raster(pixels, Encoding.LINEAR)), "hdr.exr")
    assert np.isfinite(back).all()
    assert back[0, 2, 0] == 0.5


def test_what_was_made_from_a_picture_is_kept_as_long_as_it_and_never_taken_for_another() -> None:
    made = []

    def double(plane: np.ndarray) -> np.ndarray:
        made.append(1)
        return plane * 2

    # Arrays that come and go get each other's place in memory, and so each other's id.
    for value in range(200):
        plane = np.full((64, 64), value, np.uint16)
        assert derived((plane,), "double", lambda plane=plane: double(plane))[0, 0] == value * 2
        assert derived((plane,), "double", lambda plane=plane: double(plane))[0, 0] == value * 2
    assert len(made) == 200
    kept = weakref.ref(derived((plane,), "double", lambda: np.zeros(1)))
    assert kept() is not None
    del plane
    assert kept() is None


def test_mips_keep_their_mean_and_one_axis_down_is_averaged_while_the_other_grows() -> None:
    rng = np.random.default_rng(4)
    for low, high in ((0, 256), (100, 103), (40, 60)):
        raster = Raster(rng.integers(low, high, (256, 256, 1)).astype(np.uint8), Encoding.DATA)
        chain = mip_chain(raster).levels
        # Halves go up, which are a quarter of the texels of the first level, a sixteenth of the next, and no more add
        # up.
        gaps = [abs(float(level.pixels.mean()) - float(raster.pixels.mean())) for level in chain[1:5]]
        assert gaps[0] < 0.14
        assert max(gaps[1:]) < 0.1
        one_by_one = raster
        for _ in range(4):
            one_by_one = halved(one_by_one)
        assert abs(float(one_by_one.pixels.mean()) - float(raster.pixels.mean())) < 0.15
    stripes = np.zeros((8, 256), np.float32)
    stripes[:, ::4] = 1
    grown = resize_plane(stripes, (32, 16))
    assert grown.shape == (16, 32)
    assert np.allclose(grown, 0.25, atol=1e-6), "every fourth column, averaged over eight"


def test_colors_grow_under_clear_texels_only() -> None:
    """A red disc on clear green: filtered by any game, nothing green is left at its edge."""
    y, x = np.mgrid[:64, :64]
    seen = (x - 32) ** 2 + (y - 32) ** 2 < 200
    pixels = np.where(seen[..., None], (220, 20, 30, 255), (0, 255, 0, 0)).astype(np.uint8)
    raster = Raster(pixels, Encoding.SRGB)
    grown = grown_under_alpha(raster)
    assert np.array_equal(grown.pixels[..., 3], pixels[..., 3])
    assert np.array_equal(grown.pixels[seen], pixels[seen])
    for level in mip_chain(grown).levels[:5]:
        assert (level.pixels[level.pixels[..., 3] > 0][:, :3] == (220, 20, 30)).all()
    assert mip_chain(raster).levels[2].pixels[..., 1][mip_chain(raster).levels[2].pixels[..., 3] > 0].max() > 60, (
        "what it mends"
    )
    opaque = Raster(pixels[..., :3], Encoding.SRGB)
    assert grown_under_alpha(opaque) is opaque
