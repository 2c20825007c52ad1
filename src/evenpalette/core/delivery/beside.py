"""Pictures that a document is held against: a former save of it, a delivery that lies on disk; and by how much two
pictures differ, region by region, in CIEDE2000 (Sharma, Wu, Dalal 2005)."""

from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.color.difference import difference_of_linear
from evenpalette.core.dataclass import dataclass
from evenpalette.core.delivery.plan import planned
from evenpalette.core.delivery.render import delivered_size, render_maps
from evenpalette.core.document.state import State
from evenpalette.core.errors import EvenPaletteError, ProjectError
from evenpalette.core.raster.image_read import read_image
from evenpalette.core.raster.raster import Encoding, Raster
from evenpalette.core.recipe.attributes import BASE_COLOR
from evenpalette.core.storage.description import PROJECT_FILE
from evenpalette.core.storage.storage import Storage
from evenpalette.core.variants.small_surface import small_sources

#: Texels a side that pictures have at most, and that are compared.
_SIDE, _COMPARED = 2048, 512


@dataclass(frozen=True)
class RegionApart:
    """region: its id, '' for all that the mesh uses. mean, most: units of CIEDE2000."""

    region: str
    mean: float
    most: float


def former_picture(folder: Path | str, state: State, variant: str | None) -> Raster:
    """The base color of a variant in a saved project, found there by its id, else by its name; its defaults where the
    variant is None. Raises EvenPaletteError."""
    place = Path(folder)
    return former_of(Storage(place.parent if place.name == PROJECT_FILE else place).open(), state, variant, place.name)


def former_of(former: State, state: State, variant: str | None, called: str = "That save") -> Raster:
    """The same of a document as it was. called: what a message calls it. Raises EvenPaletteError."""
    sheets = {sheet.name: sheet.id for sheet in former.project.sheets}
    name = state.sheet.name
    former = former.on(sheets.get(name, former.project.sheets[0].id))
    held = next((v for v in state.project.variants if v.id == variant), None)
    found = None
    if held is not None:
        found = next((v.id for v in former.project.variants if v.id == held.id), None)
        found = found or next((v.id for v in former.project.variants if v.name == held.name), None)
        if found is None:
            raise ProjectError(f"{called} has no variant called '{held.name}'.")
    size = delivered_size(former, _SIDE)
    return Raster(render_maps(former, found, (BASE_COLOR,), size)[BASE_COLOR].raster.pixels[..., :3], Encoding.SRGB)


def delivered_picture(place: Path | str, state: State, variant: str | None) -> Raster:
    """The base color of a variant as it was delivered: to a folder, or the picture itself. Raises EvenPaletteError."""
    path = Path(place)
    if not path.is_file():
        plan = planned(state, variants=None, maps=(BASE_COLOR,), longest=0, kit_longest=0, workers=0)
        wanted = next((v for v in plan.variants if v.id == variant), None)
        if wanted is None:
            raise EvenPaletteError("The defaults are not delivered beside variants: show a variant first.")
        sheet = next(s for s in plan.sheets if s.id == state.sheet.id)
        path = path / plan.maps_folder(wanted, sheet) / f"{BASE_COLOR}.png"
    picture = read_image(path)
    return Raster(picture.as_linear_rgb(), Encoding.LINEAR) if picture.channels < 3 else picture.thumbnail(_SIDE)


def picture_of(state: State, variant: str | None) -> Raster:
    """The base color of a variant as it is now, as small as it is compared."""
    width, height = delivered_size(state, _COMPARED)
    made = render_maps(state, variant, (BASE_COLOR,), (width, height))[BASE_COLOR].raster
    return Raster(made.pixels[..., :3], Encoding.SRGB)


def apart_by_region(state: State, one: Raster, other: Raster) -> list[RegionApart]:
    """How far two pictures are apart, the regions that differ most first and the whole at the end."""
    sources, used = small_sources(state, _COMPARED)
    height, width = used.shape
    first, second = (_linear(picture, (width, height)) for picture in (one, other))
    units = difference_of_linear(first, second)
    used = used if used.any() else np.ones_like(used)
    found = []
    for region, plane in zip(state.region_ids, sources.coverages, strict=True):
        inside = (plane.reshape(height, width) >= 128) & used
        if inside.any():
            found.append(RegionApart(region, float(units[inside].mean()), float(units[inside].max())))
    found.sort(key=lambda apart: -apart.mean)
    return [*found, RegionApart("", float(units[used].mean()), float(units[used].max()))]


def _linear(picture: Raster, size: tuple[int, int]) -> NDArray[np.float32]:
    """Linear light (height, width, 3) at a size."""
    scaled = picture if picture.size == size else picture.resized(*size)
    return np.asarray(np.clip(scaled.as_linear_rgb()[..., :3], 0, 1), np.float32)
