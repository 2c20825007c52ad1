"""Ways to hold regions in textures for a game: what each costs, what it can hold, and what survives on the GPU."""

from collections.abc import Callable
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.color.hexcode import parse_hex
from evenpalette.core.parallel import Progress, no_progress
from evenpalette.core.raster.compress import BYTES_PER_TEXEL, packed_and_back
from evenpalette.core.raster.raster import Encoding as RasterEncoding
from evenpalette.core.raster.raster import Raster
from evenpalette.core.regions.channels import CORNERS

Planes = NDArray[np.uint8]
Pictures = list[NDArray[np.uint8]]
#: Off by more than this, a texel counts as wrong: an eighth of full coverage.
WRONG = 32
#: A way is fit when at most this share of texels is wrong, and edges are off by at most so much in the mean.
FIT_SHARE, FIT_MEAN = 0.005, 0.06
#: All mip levels of a texture take a third more than the first.
_WITH_MIPS = 4 / 3
_SAMPLE_TILE, _SAMPLE_SIDE = 128, 8


@dataclass(frozen=True)
class Encoding:
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
    """A pure color for each region (n, 3): its flag, where all flags are among the first `most` corners, else in order."""
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
    Encoding("rgb", "RGB channels", 3, "yes", True, ("BC1", "BC3", "BC7"), _channels(3), _from_channels(3),
             "One region in each color channel of one texture"),
    Encoding("rgba", "RGBA channels", 4, "yes", True, ("BC3", "BC7"), _channels(4), _from_channels(4),
             "One region in each channel of one texture"),
    Encoding("masks", "Several channel masks", 0, "yes", True, ("BC3", "BC7"), _channels(4), _from_channels(4),
             "Four regions a texture, as many textures as it takes"),
    Encoding("grays", "One gray each", 0, "yes", True, ("BC4",), _channels(1), _from_channels(1),
             "A texture of its own for every region"),
    Encoding("six", "Six pure colors", 6, "some", False, ("BC1", "BC3", "BC7"), _mixed(6), _corner_shares(6),
             "Red, green, blue, cyan, magenta, yellow; black is none"),
    Encoding("eight", "Eight pure colors", 8, "some", False, ("BC1", "BC3", "BC7"), _mixed(8), _corner_shares(8),
             "White and black too; with eight regions no texel can be without one"),
    Encoding("id", "ID map", 64, "no", False, ("BC1", "BC3", "BC7"), _hard, _nearest_flag,
             "Flags with hard edges, each texel read as the nearest flag"),
)  # fmt: skip


@dataclass(frozen=True)
class Loss:
    """How coverages differ after a way there and back. wrong: share of texels off by more than an eighth.

    mean: mean difference of the texels on edges, 0..1; worst: largest difference, 0..1.
    """

    wrong: float
    mean: float
    worst: float

    @property
    def is_small(self) -> bool:
        """Whether nobody will see it: common practice, no source."""
        return self.wrong <= FIT_SHARE and self.mean <= FIT_MEAN


@dataclass(frozen=True)
class Assessment:
    """What a way costs and what it does to these regions. losses: by 'edges', 'filtered', and each block format.

    texture_bytes: by 'none' and each block format, with all mip levels. reason: why it cannot hold the regions, or ''.
    """

    encoding: Encoding
    textures: int
    texture_bytes: dict[str, int]
    losses: dict[str, Loss] = field(default_factory=dict)
    reason: str = ""

    @property
    def fit_form(self) -> str:
        """The block format with the fewest bytes in which all survives; 'none' where only unpacked; '' where not."""
        if self.reason or not (self.losses["edges"].is_small and self.losses["filtered"].is_small):
            return ""
        fit = [form for form in self.encoding.forms if self.losses[form].is_small]
        return min(fit, key=lambda form: (self.texture_bytes[form], self.losses[form].mean), default="none")


def _halved(planes: NDArray[np.uint8]) -> NDArray[np.uint8]:
    """The next mip level of (..., h, w)."""
    height, width = planes.shape[-2] // 2 * 2, planes.shape[-1] // 2 * 2
    p = planes[..., :height, :width].astype(np.uint16)
    total = p[..., ::2, ::2] + p[..., 1::2, ::2] + p[..., ::2, 1::2] + p[..., 1::2, 1::2]
    return ((total + 2) >> 2).astype(np.uint8)


def _loss(truth: Planes, found: Planes) -> Loss:
    off = np.abs(truth.astype(np.int16) - found).max(0)
    edges = ((truth > 8) & (truth < 247)).any(0)
    mean = float(off[edges].mean()) / 255 if edges.any() else float(off.mean()) / 255
    return Loss(float((off > WRONG).mean()), mean, float(off.max()) / 255)


def sampled(planes: Planes) -> Planes:
    """Coverages (n, h, w) of more than 1024 texels a side as a mosaic of tiles from all over, which is as telling."""
    side = _SAMPLE_TILE * _SAMPLE_SIDE
    height, width = planes.shape[1:]
    if height <= side or width <= side:
        return planes
    tops = np.linspace(0, height - _SAMPLE_TILE, _SAMPLE_SIDE).astype(int) // 4 * 4
    lefts = np.linspace(0, width - _SAMPLE_TILE, _SAMPLE_SIDE).astype(int) // 4 * 4
    rows = [
        np.concatenate([planes[:, t : t + _SAMPLE_TILE, x : x + _SAMPLE_TILE] for x in lefts], axis=2) for t in tops
    ]
    return np.concatenate(rows, axis=1)


def assess(planes: Planes, flags: list[str], progress: Progress = no_progress) -> list[Assessment]:
    """Every encoding tried on these regions: coverages uint8 (n, h, w), resolved, and their flags '#rrggbb'.

    Each is encoded, read back as a shader does, once as it is (edges), once from the next mip level (filtered), once
    through each block format; the losses are measured against the coverages, on a sample where they are large.
    """
    codes = np.array([parse_hex(flag) for flag in flags]).reshape(-1, 3)
    count, (height, width) = len(planes), planes.shape[1:]
    sample = sampled(planes)
    small = _halved(sample)
    overlaps = bool((sample.sum(0, dtype=np.int32) > 264).mean() > FIT_SHARE)
    found = []
    for done, way in enumerate(ENCODINGS, 1):
        per_picture = {"rgb": 3, "grays": 1}.get(way.key, 4)
        textures = -(-count // per_picture) if way.most in (0, 3, 4) else 1
        texels = height * width * textures * _WITH_MIPS
        raw = {"rgb": 3, "six": 3, "eight": 3, "id": 3, "grays": 1}.get(way.key, 4)
        sizes = {"none": round(texels * raw), **{form: round(texels * BYTES_PER_TEXEL[form]) for form in way.forms}}
        reason = ""
        if way.most and count > way.most:
            reason = f"holds {way.most} regions, there are {count}"
        elif overlaps and not way.holds_overlap:
            reason = "cannot hold overlaps"
        if reason or count == 0:
            found.append(Assessment(way, textures, sizes, reason=reason or "there are no regions"))
            continue
        pictures = way.encode(sample, codes)
        losses = {"edges": _loss(sample, way.decode(pictures, count, codes))}
        filtered = [np.moveaxis(_halved(np.moveaxis(picture, -1, 0)), 0, -1) for picture in pictures]
        losses["filtered"] = _loss(small, way.decode(filtered, count, codes))
        for form in way.forms:
            packed = [packed_and_back(picture, form) for picture in pictures]
            losses[form] = _loss(sample, way.decode(packed, count, codes))
        found.append(Assessment(way, textures, sizes, losses))
        progress(done / len(ENCODINGS))
    return found


def recommended(found: list[Assessment]) -> Assessment | None:
    """The way in which all survives for the fewest bytes, then the fewest textures; None where none does."""
    fit = [a for a in found if a.fit_form]
    return min(fit, key=lambda a: (a.texture_bytes[a.fit_form], a.textures, not a.encoding.holds_overlap), default=None)


def picture_files(way: Encoding, planes: Planes, flags: list[str]) -> dict[str, Raster]:
    """The pictures of an encoding by file name without ending, data, with as many channels as it uses."""
    codes = np.array([parse_hex(flag) for flag in flags]).reshape(-1, 3)
    channels = 1 if way.key == "grays" else 4 if way.key in ("rgba", "masks") else 3
    pictures = way.encode(planes, codes)
    return {
        f"regions-{way.key}" + (f"-{number}" if len(pictures) > 1 else ""): Raster(
            np.ascontiguousarray(picture[..., :channels]), RasterEncoding.DATA
        )
        for number, picture in enumerate(pictures, 1)
    }
