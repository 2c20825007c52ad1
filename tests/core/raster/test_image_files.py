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
from evenpalette.core.raster.image_read import decode_image, read_image
from evenpalette.core.raster.image_write import encode_png, write_image
from evenpalette.core.raster.raster import Encoding, Raster
from evenpalette.core.raster.reading import derived

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
    from evenpalette.core.raster.image_write import encode_exr

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
