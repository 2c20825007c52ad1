"""Ways to hold regions in textures for a game: what each can hold, writing it, reading it as a shader does."""

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.color.hexcode import parse_hex
from evenpalette.core.dataclass import dataclass
from evenpalette.core.raster.raster import Encoding, Raster
from evenpalette.core.regions.dividing.channels import CORNERS

Planes = NDArray[np.uint8]
Pictures = list[NDArray[np.uint8]]


@dataclass(frozen=True)
class MaskEncoding:
    """A way to hold regions.

    most: how many regions it can hold, 0 for any number. soft: whether it holds soft edges, 'yes', 'no', or 'some':
    those between two colors whose mixture looks like no third.

    encode: coverages uint8 (n, h, w) and flags (n, 3) to RGBA pictures uint8 (h, w, 4). decode: back, as a game's
    shader reads it. forms: block formats it can be packed in.
    """

    key: str
    label: str
    most: int
    soft: str
    holds_overlap: bool
    forms: tuple[str, ...]
    encode: Callable[[Planes, NDArray], Pictures]
    decode: Callable[[Pictures, int, NDArray], Planes]
    summary: str


def _channels(per_picture: int) -> Callable[[Planes, NDArray], Pictures]:
    def encode(planes: Planes, _: NDArray) -> Pictures:
        pictures = []
        for start in range(0, len(planes), per_picture):
            picture = np.zeros((*planes.shape[1:], 4), np.uint8)
            if per_picture < 4:
                picture[..., 3] = 255
            for channel, plane in enumerate(planes[start : start + per_picture]):
                picture[..., channel] = plane
            pictures.append(picture)
        return pictures

    return encode


def _from_channels(per_picture: int) -> Callable[[Pictures, int, NDArray], Planes]:
    def decode(pictures: Pictures, count: int, _: NDArray) -> Planes:
        return np.stack([pictures[i // per_picture][..., i % per_picture] for i in range(count)])

    return decode


_CORNERS = np.array(list(CORNERS.values()), np.float32)


def corners_for(flags: NDArray, most: int) -> NDArray[np.float32]:
    """A pure color for each region (n, 3): its flag, where all flags are among the first `most` corners, else in
    order."""
    pure = _CORNERS[:most]
    own = [bool((pure == flag).all(1).any()) for flag in flags]
    return flags.astype(np.float32) if all(own) and len(np.unique(flags, axis=0)) == len(flags) else pure[: len(flags)]


def _mixed(most: int) -> Callable[[Planes, NDArray], Pictures]:
    return lambda planes, flags: _blend(planes, corners_for(flags, most))


def _blend(planes: Planes, colors: NDArray) -> Pictures:
    """One picture in which each texel is the mean of the colors, weighed by coverage."""
    picture = np.full((*planes.shape[1:], 4), 255, np.uint8)
    total = np.tensordot(planes.astype(np.float32) / np.float32(255), colors.astype(np.float32), axes=(0, 0))
    picture[..., :3] = np.clip(np.rint(total), 0, 255)
    return [picture]


def _corner_shares(most: int) -> Callable[[Pictures, int, NDArray], Planes]:
    """How near a color is to each corner of the RGB cube: the product, over the channels, of c or 1 - c."""

    def decode(pictures: Pictures, count: int, flags: NDArray) -> Planes:
        color = pictures[0][..., :3].astype(np.float32) / np.float32(255)
        corners = corners_for(flags, most)[:count]
        shares = [np.prod(np.where(corner > 0, color, 1 - color), axis=-1) for corner in corners]
        return np.rint(np.stack(shares) * 255).astype(np.uint8)

    return decode


def _nearest_flag(pictures: Pictures, count: int, flags: NDArray) -> Planes:
    """All of a texel to the flag its color is nearest to; black is none."""
    colors = np.concatenate([flags, np.zeros((1, 3))]).astype(np.float32)
    image = pictures[0][..., :3].astype(np.float32)
    best, nearest = np.full(image.shape[:2], np.inf, np.float32), np.zeros(image.shape[:2], np.int32)
    for index, color in enumerate(colors):
        distance = ((image - color) ** 2).sum(-1)
        closer = distance < best
        best[closer], nearest[closer] = distance[closer], index
    return np.stack([np.where(nearest == i, 255, 0).astype(np.uint8) for i in range(count)])


def _hard(planes: Planes, flags: NDArray) -> Pictures:
    """One picture in which each texel is the flag of what covers it most, black where nothing covers half."""
    owner = planes.argmax(0)
    colors = flags.astype(np.uint8)[owner]
    colors[planes.sum(0, dtype=np.int32) < 128] = 0
    return [np.dstack([colors, np.full(owner.shape, 255, np.uint8)])]


ENCODINGS = (
    MaskEncoding("rgb", "RGB channels", 3, "yes", True, ("BC1", "BC3", "BC7"), _channels(3), _from_channels(3),
             "One region in each color channel of one texture"),
    MaskEncoding("rgba", "RGBA channels", 4, "yes", True, ("BC3", "BC7"), _channels(4), _from_channels(4),
             "One region in each channel of one texture"),
    MaskEncoding("masks", "Several channel masks", 0, "yes", True, ("BC3", "BC7"), _channels(4), _from_channels(4),
             "Four regions a texture, as many textures as it takes"),
    MaskEncoding("grays", "One gray each", 0, "yes", True, ("BC4",), _channels(1), _from_channels(1),
             "A texture of its own for every region"),
    MaskEncoding("six", "Six pure colors", 6, "some", False, ("BC1", "BC3", "BC7"), _mixed(6), _corner_shares(6),
             "Red, green, blue, cyan, magenta, yellow; black is none"),
    MaskEncoding("eight", "Eight pure colors", 8, "some", False, ("BC1", "BC3", "BC7"), _mixed(8), _corner_shares(8),
             "White and black too; with eight regions no texel can be without one"),
    MaskEncoding("id", "ID map", 64, "no", False, ("BC1", "BC3", "BC7"), _hard, _nearest_flag,
             "Flags with hard edges, each texel read as the nearest flag"),
)  # fmt: skip


def picture_files(way: MaskEncoding, planes: Planes, flags: list[str]) -> dict[str, Raster]:
    """The pictures of an encoding by file name without ending, data, with as many channels as it uses."""
    codes = np.array([parse_hex(flag) for flag in flags]).reshape(-1, 3)
    channels = 1 if way.key == "grays" else 4 if way.key in ("rgba", "masks") else 3
    pictures = way.encode(planes, codes)
    return {
        f"regions-{way.key}" + (f"-{number}" if len(pictures) > 1 else ""): Raster(
            np.ascontiguousarray(picture[..., :channels]), Encoding.DATA
        )
        for number, picture in enumerate(pictures, 1)
    }
