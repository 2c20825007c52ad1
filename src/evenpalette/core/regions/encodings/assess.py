"""What a way to hold regions costs, and what of them survives on the GPU."""

from dataclasses import field

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.color.hexcode import parse_hex
from evenpalette.core.dataclass import dataclass
from evenpalette.core.parallel import Progress, no_progress
from evenpalette.core.raster.compress import BYTES_PER_TEXEL, packed_and_back
from evenpalette.core.regions.encodings.ways import ENCODINGS, MaskEncoding, Planes

#: Off by more than this, a texel counts as wrong: an eighth of full coverage.
WRONG = 32
#: A way is fit when at most this share of texels is wrong, and edges are off by at most so much in the mean.
FIT_SHARE, FIT_MEAN = 0.005, 0.06
#: All mip levels of a texture take a third more than the first.
_WITH_MIPS = 4 / 3
_SAMPLE_TILE, _SAMPLE_SIDE = 128, 8


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

    encoding: MaskEncoding
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
