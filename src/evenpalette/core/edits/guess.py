"""What a texture probably holds, told from its name and from its pixels."""

from itertools import pairwise
from pathlib import Path

import numpy as np

from evenpalette.core.dataclass import dataclass
from evenpalette.core.document.project import Role
from evenpalette.core.raster.raster import Raster
from evenpalette.core.raster.reading import found_in

_ROLE_WORDS: tuple[tuple[Role, tuple[str, ...]], ...] = (
    (Role.ID_MAP, ("id", "ids", "idmap", "flags", "matid", "colorid")),
    (Role.CHANNEL_MASK, ("rgbmask", "channels", "channelmask", "masks")),
    (Role.NORMAL, ("normal", "normals", "normalmap", "nrm", "nor", "norm", "nmap")),
    (Role.PACKED, ("orm", "arm", "rma", "mra", "metallicroughness", "metalroughness", "occlusionroughnessmetallic", "packed")),
    (Role.OCCLUSION, ("occlusion", "ao", "occ", "ambientocclusion")),
    (Role.EMISSIVE, ("emissive", "emission", "emit")),
    (Role.ROUGHNESS, ("roughness", "rough", "rgh")),
    (Role.METALLIC, ("metallic", "metal", "metalness", "mtl")),
    (Role.HEIGHT, ("height", "displacement", "disp", "bump")),
    (Role.OPACITY, ("opacity", "alpha", "transparency", "cutout")),
    (Role.INDEX, ("index", "indices", "paletteindex")),
    (Role.MASK, ("mask", "dirt", "soot", "wear", "dust", "rust", "edge", "glow")),
    (Role.PATTERN, ("pattern", "tile", "tileable", "weave", "fabric")),
    (Role.DATA, ("finish", "position", "thickness", "curvature", "flow")),
    (Role.PAINTED, ("color", "colour", "painted", "base", "basecolor", "albedo", "diffuse", "diff", "col", "difuse")),
)  # fmt: skip
#: Packed data by the usual orders; common practice, no source.
PACKED_ORDERS = {
    "orm": ("occlusion", "roughness", "metallic"), "arm": ("occlusion", "roughness", "metallic"),
    "rma": ("roughness", "metallic", "occlusion"), "mra": ("metallic", "roughness", "occlusion"),
}  # fmt: skip
_DATA_ROLES = frozenset(role for role in Role if role not in (Role.PAINTED, Role.COLOR, Role.EMISSIVE, Role.STRIP))


@dataclass(frozen=True)
class Guess:
    """A role, from what it was told, and what each channel of packed data holds."""

    role: Role
    why: str
    channels: tuple[str, ...] = ()


def guess(name: str, raster: Raster) -> Guess:
    """What a texture probably holds. Names are trusted, but a picture of unit vectors is a normal map, whatever it is
    called."""
    named, channels = _by_name(name)
    seen, why = _by_pixels(raster)
    if seen is Role.NORMAL:
        return Guess(Role.NORMAL, why)
    if named is not None:
        return Guess(named, "its name", channels if named is Role.PACKED else ())
    if seen is not None:
        return Guess(seen, why)
    return Guess(Role.MASK, "it is gray") if raster.channels <= 2 else Guess(Role.PAINTED, "it is in color")


def _by_name(name: str) -> tuple[Role | None, tuple[str, ...]]:
    stem = Path(name).stem
    split = "".join(
        f" {c}" if c.isupper() and stem[i - 1 : i].islower() else c if c.isalnum() else " " for i, c in enumerate(stem)
    )
    words = split.lower().split()
    joined = [a + b for a, b in pairwise(words)]
    # Two words together say more than one, and the last word most: "brick_color_mask" is a mask.
    for word in (*reversed(joined), *reversed(words)):
        for role, keys in _ROLE_WORDS:
            if word in keys:
                return role, PACKED_ORDERS.get(word, ("occlusion", "roughness", "metallic"))
    return None, ()


def _by_pixels(raster: Raster) -> tuple[Role | None, str]:
    """What the pixels alone say, on at most 65,536 of them; None where they say nothing. Remembered for a while."""
    return found_in((raster.pixels,), "looks like", lambda: _look_of(raster.sampled(256)))


def _look_of(sample: Raster) -> tuple[Role | None, str]:
    if sample.channels < 3 or sample.pixels.dtype == np.float32:
        return None, ""
    values = sample.as_unit()[..., :3].reshape(-1, 3)
    if (values.max(1) - values.min(1)).max() < 2 / 255:
        return Role.MASK, "all its channels are the same gray"
    vectors = values * 2 - 1
    lengths = np.linalg.norm(vectors, axis=1)
    upright = (vectors[:, 2] > 0.1) & (np.abs(lengths - 1) < 0.06)
    if upright.mean() > 0.97 and vectors[:, 2].mean() > 0.6:
        return Role.NORMAL, "its pixels are unit vectors"
    codes = np.round(values * 255).astype(np.int64)
    keys, counts = np.unique(codes @ np.array([65536, 256, 1]), return_counts=True)
    order = np.argsort(-counts)
    flat = counts[order[:32]] / counts.sum()
    many = flat >= 0.002
    colors = np.stack([keys[order[:32]] >> 16, keys[order[:32]] >> 8 & 255, keys[order[:32]] & 255], 1)[many]
    if len(colors) >= 2 and flat[many].sum() > 0.9:
        apart = np.abs(colors[:, None] - colors[None]).sum(-1) + np.eye(len(colors)) * 999
        if apart.min() >= 60:
            return Role.ID_MAP, f"it has {len(colors)} flat colors far apart"
    return None, ""


def contradiction(role: Role, raster: Raster) -> Role | None:
    """The role of data that a texture's pixels show while it is taken for color; None where nothing speaks against
    it."""
    if role in _DATA_ROLES:
        return None
    seen, _ = _by_pixels(raster)
    return seen if seen is Role.NORMAL else None
