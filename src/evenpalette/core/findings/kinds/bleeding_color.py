"""Color that bleeds at islands: where a texture has something else beyond its islands, the next mip levels mix it
in."""

from collections.abc import Iterator

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.color.difference import difference_of_linear
from evenpalette.core.document.project import Role
from evenpalette.core.document.state import State
from evenpalette.core.edits import asset
from evenpalette.core.findings.finding import Finding
from evenpalette.core.findings.inspection import Inspection
from evenpalette.core.findings.kind import Cost, FindingKind, Mend, Weight
from evenpalette.core.raster.padding import nearest_covered
from evenpalette.core.raster.raster import Raster
from evenpalette.core.raster.reading import derived, resize_plane
from evenpalette.core.recipe.recipe import TONE

#: CIEDE2000 along the edges of islands at half size that is seen: common practice, no source.
SEEN = 5.0
#: Texels beyond an island that half size and the filter of a game reach.
_REACH = 4


def find(look: Inspection) -> Iterator[Finding]:
    """What the recipe starts from, painted color or tone, where it bleeds at half size."""
    state = look.state
    if state.mesh is None or state.mesh.mesh.uvs is None:
        return
    base, painted = state.project.recipe.base, state.project.tone.painted
    found = [
        (key, state.textures[key])
        for key in dict.fromkeys((painted, base))
        if key is not None and key in state.textures
    ]
    if state.tone is not None and base == TONE:
        found.append((TONE, state.tone))
    names = {t.id: t.name for t in state.project.asset.textures if t.role in (Role.PAINTED, Role.COLOR)}
    for key, raster in found:
        if key != TONE and key not in names:
            continue
        used = state.used_at(raster.size)
        worst = _bleeding(raster, used)
        if worst is not None and worst[0] > SEEN:
            what = "The tone" if key == TONE else names[key]
            text = (
                f"{what} bleeds at islands: at half size their edges are off by CIEDE2000 {worst[0]:.0f}. "
                "Carry its colors beyond the islands"
            )
            yield FINDING.at(text, place=worst[1], subject=key)


def _bleeding(raster: Raster, used: NDArray[np.bool_]) -> tuple[float, tuple[float, float]] | None:
    """The 95th percentile of the difference along the edges of islands at half size, and where it is worst."""
    if used.all() or not used.any() or min(raster.size) < 4:
        return None
    small = derived((raster.pixels,), ("bleeding", raster.encoding, hash(used.tobytes())), lambda: _edges(raster, used))
    if not len(small):
        return None
    worst = small[int(small[:, 0].argmax())]
    return float(np.percentile(small[:, 0], 95)), (float(worst[1]), float(worst[2]))


def _edges(raster: Raster, used: NDArray[np.bool_]) -> NDArray[np.float32]:
    """The difference and (u, v) of every texel of half the size that is in an island and not wholly: (n, 3)."""
    size = max(1, raster.width // 2), max(1, raster.height // 2)
    share = resize_plane(used.astype(np.float32), size)
    edge = (share > 0.2) & (share < 0.99)
    light = np.ascontiguousarray(raster.as_linear_rgb(), np.float32)
    padded = light.reshape(-1, 3)[nearest_covered(used, _REACH).reshape(-1)].reshape(light.shape)
    there, wanted = (np.ascontiguousarray(resize_plane(p, size)[edge], np.float32) for p in (light, padded))
    rows, columns = np.nonzero(edge)
    places = (columns + 0.5) / size[0], (rows + 0.5) / size[1]
    return np.stack([difference_of_linear(np.clip(there, 0, 1), np.clip(wanted, 0, 1)), *places], -1).astype(np.float32)


def without_bleeding(raster: Raster, used: NDArray[np.bool_], reach: int = 32) -> Raster:
    """The raster with what lies in its islands carried beyond them."""
    source = nearest_covered(used, reach).reshape(-1)
    pixels = raster.pixels.reshape(-1, raster.channels)[source].reshape(raster.pixels.shape)
    return Raster(np.ascontiguousarray(pixels), raster.encoding)


def mend(state: State, finding: Finding) -> Mend | None:
    """Carry colors of its islands over what lies beyond them."""
    raster = state.textures.get(finding.subject)
    if raster is None:
        return None
    used = state.used_at(raster.size)
    return (
        "Carry the colors beyond the islands",
        lambda s: asset.replace_texture(s, finding.subject, without_bleeding(raster, used)),
    )


FINDING = FindingKind("bleeding-color", "asset", 70, Weight.POOR, Cost.PICTURES, find, mend)
