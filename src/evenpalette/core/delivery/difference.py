"""What a delivery would change of what lies in its folder, before anything is written: variant by variant, in CIEDE2000
(Sharma, Wu, Dalal 2005) of the base color over the texels that the mesh uses."""

import json
from collections.abc import Sequence
from pathlib import Path

import numpy as np

from evenpalette.core.color.difference import difference_of_linear
from evenpalette.core.dataclass import dataclass
from evenpalette.core.delivery.plan import planned
from evenpalette.core.delivery.render import delivered_size, render_variants
from evenpalette.core.document.state import State
from evenpalette.core.errors import EvenPaletteError
from evenpalette.core.files import read_regular
from evenpalette.core.parallel import Progress, no_progress
from evenpalette.core.raster.image_read import read_image
from evenpalette.core.raster.raster import Raster
from evenpalette.core.recipe.attributes import BASE_COLOR

_MOST_TEXT = 16 << 20
#: Texels a side that are compared at most.
_SIDE = 512
#: From how many units on a texel has changed to the eye: common practice, no source.
SEEN = 1.0


@dataclass(frozen=True, eq=False)
class Changed:
    """A variant on a sheet. is_new: nothing of it lies in the folder. without_picture: only the kit there has
    it. mean, worst: units of CIEDE2000. share: of the surface that changed to the eye. former: the picture that lies
    there, as small as it was compared; None for a new one."""

    variant: str | None
    name: str
    sheet: str
    is_new: bool = False
    without_picture: bool = False
    mean: float = 0.0
    worst: float = 0.0
    share: float = 0.0
    former: Raster | None = None

    @property
    def said(self) -> str:
        """In words."""
        if self.is_new:
            return "new"
        if self.without_picture:
            return "in the kit that lies there, which has no pictures to compare with"
        if self.worst == 0:
            return "as it was"
        return f"{self.mean:.2f} in the mean, {self.worst:.1f} at most, seen on {self.share:.0%}"


def _in_kit(file: Path) -> set[str]:
    """The names of the variants that a kit has; none where there is no kit."""
    try:
        said = json.loads(read_regular(file, _MOST_TEXT))
        return {str(variant["name"]) for variant in said["variants"]}
    except (OSError, ValueError, KeyError, TypeError, RecursionError):
        return set()


def against_former(
    state: State, out: Path | str, *, variants: Sequence[str] | None = None, longest: int = 0, progress: Progress = no_progress
) -> list[Changed]:  # fmt: skip
    """Every variant that would be delivered, beside the picture of it that lies in the folder. variants, longest: as
    for `deliver`. Raises EvenPaletteError."""
    plan = planned(state, variants=variants, maps=(BASE_COLOR,), longest=longest, kit_longest=0, workers=0)
    found: list[Changed] = []
    for number, sheet in enumerate(plan.sheets):
        on = state.on(sheet.id)
        width, height = delivered_size(on, longest)
        scale = min(1.0, _SIDE / max(width, height))
        size = max(1, round(width * scale)), max(1, round(height * scale))
        in_kit = _in_kit(Path(out) / plan.kit_folder(sheet) / "parameters.json")
        used = on.used_at(size)
        used = used if used.any() else np.ones_like(used)
        rendered = render_variants(on, [v.id for v in plan.variants], (BASE_COLOR,), size)
        for done, (variant, made) in enumerate(zip(plan.variants, rendered, strict=True)):
            file = Path(out) / plan.maps_folder(variant, sheet) / f"{BASE_COLOR}.png"
            name = on.sheet.name if len(plan.sheets) > 1 else ""
            try:
                former = read_image(file)
            except EvenPaletteError:
                known = variant.name in in_kit
                found.append(Changed(variant.id, variant.name, name, is_new=not known, without_picture=known))
                progress((number + (done + 1) / len(plan.variants)) / len(plan.sheets))
                continue
            if former.size != size:
                former = former.resized(*size)
            now = made[BASE_COLOR].raster
            apart = difference_of_linear(now.as_linear()[..., :3], former.as_linear()[..., :3])[used]
            # One code is what averaging and rounding leave of two pictures of one thing.
            codes = np.abs(now.pixels[..., :3].astype(np.int16) - former.pixels[..., :3])[used].max(-1)
            apart = np.where(codes <= 1, 0, apart)
            found.append(
                Changed(
                    variant.id, variant.name, name, False, False, float(apart.mean()), float(apart.max()), float((apart >= SEEN).mean()),
                    Raster(np.ascontiguousarray(former.pixels[..., :3]), former.encoding),
                )
            )  # fmt: skip
            progress((number + (done + 1) / len(plan.variants)) / len(plan.sheets))
    return found
