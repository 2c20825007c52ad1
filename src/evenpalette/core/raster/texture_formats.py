"""Ways for a game to store and read one texture, each measured against the truth at several distances."""

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace

import numpy as np

from evenpalette.core.color.difference import difference_of_linear
from evenpalette.core.color.encoding import decode_srgb, encode_srgb
from evenpalette.core.dataclass import dataclass
from evenpalette.core.parallel import Progress, no_progress
from evenpalette.core.raster.formats.png import encode_png
from evenpalette.core.raster.raster import Encoding, Raster
from evenpalette.core.raster.texture_unit import F32, PLAIN, Filter, Sampled, Setting, at_distance, drawn, truth

LEVELS = (0, 1, 2, 3)
#: Of pictures with more texels every so manieth row is measured, which says as much.
_MOST_TEXELS = 1 << 19
_PLAIN_SETTING = Setting()


@dataclass(frozen=True)
class Way:
    """A way to store and read a texture. name: in a few words, stable. fetches: texture reads of the game for a pixel.

    bytes: in memory; disk_bytes: on disk. draw: the picture from 2^distance times further away than where a texel is a
    pixel, linear float32 (height, width, channels), of every so manieth row. offered: whether it may be recommended.
    """

    name: str
    fetches: int
    bytes: int
    draw: Callable[[float, int], F32]
    disk_bytes: int = 0
    offered: bool = True


@dataclass(frozen=True)
class Seen:
    """What a setting leaves at a level: CIEDE2000 mean and 95th percentile, PSNR in dB of the stored codes; bytes in
    memory, and on disk where it is known. mean_error: standard error of the mean where only parts were looked at."""

    setting: str
    level: int
    mean_ciede2000: float
    p95_ciede2000: float
    psnr: float
    bytes: int
    disk_bytes: int = 0
    mean_error: float = 0.0


@dataclass(frozen=True)
class Apart:
    """How far a picture is from the truth. units: CIEDE2000 of each texel, as one row; error: mean square of 8-bit
    codes."""

    units: F32
    error: float

    @property
    def psnr(self) -> float:
        """In dB, 99 where equal."""
        return 99.0 if self.error == 0 else min(99.0, 10 * math.log10(255**2 / self.error))


def apart(seen: F32, wanted: F32, *, is_color: bool) -> Apart:
    """How far two linear pictures of 1 to 4 channels are apart.

    Data is looked at as a gray picture of its stored values; PSNR is of what 8 bits would store.
    """
    first, second = _three(seen), _three(wanted)
    codes = (np.rint(np.clip(encode_srgb(p) if is_color else p, 0, 1) * 255) for p in (first, second))
    error = float(((next(codes) - next(codes)) ** 2).mean())
    if not is_color:
        first, second = decode_srgb(np.clip(first, 0, 1)), decode_srgb(np.clip(second, 0, 1))
    return Apart(difference_of_linear(np.clip(first, 0, 1), np.clip(second, 0, 1)).reshape(-1), error)


def _three(picture: F32) -> F32:
    if picture.shape[2] <= 2:
        return np.repeat(picture[..., :1], 3, -1)
    return picture[..., :3]


def distance_of(level: int) -> float:
    """From how far a level is looked at: level 0 from twice as near, where filtering shows."""
    return float(level) if level else -1.0


def measure_ways(
    ways: Sequence[Way], raster: Raster, wanted: Callable[[float, int], F32], levels: tuple[int, ...] = LEVELS,
    progress: Progress = no_progress,
) -> list[Seen]:  # fmt: skip
    """What each way leaves of a texture at each level. raster: gives size and encoding; wanted: the truth, drawn like
    a way."""
    is_color, found, truths = raster.encoding is not Encoding.DATA, [], {}
    strides = {level: _stride(raster, distance_of(level)) for level in levels}
    for done, way in enumerate(ways, 1):
        for level, stride in strides.items():
            if level not in truths:
                truths[level] = wanted(distance_of(level), stride)
            picture = way.draw(distance_of(level), stride)
            far = apart(picture, truths[level], is_color=is_color)
            found.append(
                Seen(
                    way.name,
                    level,
                    float(far.units.mean()),
                    float(np.percentile(far.units, 95)),
                    far.psnr,
                    way.bytes,
                    way.disk_bytes,
                )
            )
        progress(done / len(ways))
    return found


def _stride(raster: Raster, distance: float) -> int:
    width, height = at_distance(raster, distance)
    return max(1, width * height // _MOST_TEXELS)


def way_of(raster: Raster, setting: Setting, *, offered: bool = True) -> Way:
    """The way of a setting. Blocks are made when it is built."""
    texture = Sampled(raster, setting)
    disk = len(encode_png(raster)) if setting.form == PLAIN else texture.bytes_in_memory
    return Way(
        setting.words(),
        16 if setting.reads is Filter.ANISOTROPIC else 1,
        texture.bytes_in_memory,
        lambda distance, stride: drawn(texture, distance, stride),
        disk,
        offered,
    )


def measure(
    raster: Raster, setting: Setting, levels: tuple[int, ...] = LEVELS, wanted: Mapping[int, F32] | None = None
) -> list[Seen]:
    """What one setting leaves of a texture. wanted: the truth at each level, where it is known."""
    held = {distance_of(level): picture for level, picture in (wanted or {}).items()}
    return measure_ways(
        [way_of(raster, setting)],
        raster,
        lambda d, stride: held[d][::stride] if d in held else truth(raster, d, stride),
        levels,
    )


def settings_of(raster: Raster, base: Setting = _PLAIN_SETTING) -> list[tuple[Setting, bool]]:
    """The settings a game might choose for a texture, and whether each may be recommended; mistakes are among them."""
    gray = raster.channels <= 2
    forms = (
        (PLAIN, "BC4", "BC7", "BC1")
        if gray
        else (PLAIN, "BC7", "BC3", "BC1")
        if raster.channels == 4
        else (PLAIN, "BC7", "BC1")
    )
    found = [(replace(base, form=form), True) for form in forms]
    found += [
        (replace(base, reads=reads), reads is Filter.ANISOTROPIC)
        for reads in (Filter.NEAREST, Filter.BILINEAR, Filter.ANISOTROPIC)
    ]
    found += [(replace(base, mips=False), False), (replace(base, srgb_flag=raster.encoding is Encoding.DATA), False)]
    return list(dict(found).items())


def ways_of(raster: Raster, base: Setting = _PLAIN_SETTING, progress: Progress = no_progress) -> list[Way]:
    """The ways of all those settings."""
    made = []
    for setting, offered in settings_of(raster, base):
        made.append(way_of(raster, setting, offered=offered))
        progress(len(made) / 9)
    return made


def what_if(raster: Raster, base: Setting = _PLAIN_SETTING, progress: Progress = no_progress) -> list[Seen]:
    """The settings a game might choose for one texture, each with what it leaves at four distances."""
    ways = ways_of(raster, base, lambda share: progress(share * 0.5))
    return measure_ways(
        ways, raster, lambda d, stride: truth(raster, d, stride), progress=lambda share: progress(0.5 + share * 0.5)
    )


#: A difference seen side by side, and one that nobody sees: common practice, no source.
VISIBLE, UNSEEN = 2.3, 1.0


@dataclass(frozen=True)
class Advice:
    """The way to take, and why, a sentence each."""

    name: str
    reasons: tuple[str, ...]


def advise(ways: Sequence[Way], found: Sequence[Seen]) -> Advice:
    """The cheapest way in which nothing is seen to differ at any level from 1 on; where none is, the truest one.

    Reasons: what it saves, what the next cheaper one would leave, and what the mistakes among the ways cost.
    """
    worst = {
        way.name: max(seen.mean_ciede2000 for seen in found if seen.setting == way.name and seen.level) for way in ways
    }
    offered = [way for way in ways if way.offered]
    good = [way for way in offered if worst[way.name] <= UNSEEN]
    least = min(worst[way.name] for way in offered)
    near = [way for way in offered if worst[way.name] <= max(least * 1.25, least + 0.1)]
    chosen = min(good or near, key=lambda way: (way.bytes, way.fetches, worst[way.name]))
    reasons = [
        f"It leaves {worst[chosen.name]:.2f} CIEDE2000 at worst"
        + (", which nobody sees." if worst[chosen.name] <= UNSEEN else ", the least of all.")
    ]
    dearest = max(offered, key=lambda way: way.bytes)
    if dearest.bytes > chosen.bytes * 1.1:
        reasons.append(f"It takes {chosen.bytes / dearest.bytes:.0%} of the bytes of {dearest.name}.")
    cheaper = [way for way in offered if way.bytes < chosen.bytes]
    if cheaper:
        other = min(cheaper, key=lambda way: worst[way.name])
        reasons.append(f"{other.name} would take fewer bytes and leave {worst[other.name]:.2f}.")
    for way in ways:
        if not way.offered and worst[way.name] > max(VISIBLE, 2 * worst[chosen.name]):
            reasons.append(f"Not {way.name}: it leaves {worst[way.name]:.1f}.")
    return Advice(chosen.name, tuple(reasons[:6]))
