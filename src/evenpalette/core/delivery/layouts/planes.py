"""What lies in a channel of a layout: the planes of each source, at the size of its file."""

from collections.abc import Callable, Iterator, Sequence
from pathlib import PurePath

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.color.encoding import encode_srgb
from evenpalette.core.dataclass import dataclass
from evenpalette.core.delivery.maps import division_named, id_picture
from evenpalette.core.document.layout_model import LayoutChannel, LayoutFile
from evenpalette.core.document.project import Texture
from evenpalette.core.document.state import State
from evenpalette.core.errors import LayoutError, RecipeError
from evenpalette.core.raster.raster import Encoding, Raster
from evenpalette.core.raster.reading import resize_plane
from evenpalette.core.recipe.attributes import ATTRIBUTES, Holds, attribute_named
from evenpalette.core.recipe.binding import BoundStep
from evenpalette.core.recipe.evaluate import evaluate_surface, weight_planes
from evenpalette.core.recipe.sources import Sources

F32 = NDArray[np.float32]
_LETTERS = "rgba"
#: Texels of a surface that is evaluated at once, and of a strip of one that is not.
_WHOLE_TEXELS = 1 << 23
_STRIP_TEXELS = 1 << 20


class Source:
    """A channel's source taken apart. kind, name: before and behind the colon. letter: of a component or channel, ''
    for all. step: after which an attribute is taken, '' for the last."""

    def __init__(self, text: str) -> None:
        self.kind, _, rest = text.partition(":")
        self.step = ""
        if self.kind == "attribute":
            rest, _, self.step = rest.partition("@")
        self.letter = ""
        if self.kind in ("attribute", "texture") and len(rest) > 2 and rest[-2] == "." and rest[-1] in _LETTERS:
            rest, self.letter = rest[:-2], rest[-1]
        self.name = rest


class Surface:
    """A variant of a sheet at one size. Attributes that are asked for are evaluated together, each once; of a large
    surface a strip of rows at a time."""

    def __init__(self, state: State, variant: str | None, size: tuple[int, int], workers: int = 0) -> None:
        self.state, self.variant, self.size, self._workers = state, variant, size, workers
        self._wanted: dict[tuple[str, tuple[str, ...]], set[str]] = {}
        self._made: dict[tuple[str, tuple[str, ...], str], F32] = {}
        self._at = slice(0, size[1])
        self._large: Sources | None = None
        width, height = state.working.size
        # A smaller one than the sources is averaged of all of them.
        self._by_strips = size[0] * size[1] > _WHOLE_TEXELS and size[0] >= width and size[1] >= height

    def prepare(self, files: Sequence[LayoutFile]) -> None:
        """Say what will be asked for next, so that it is evaluated together. Raises LayoutError."""
        self._wanted = {}
        for file in files:
            for key, step in attribute_planes(file):
                self._wanted.setdefault((step, file.without), set()).add(key)

    def strips(self) -> Iterator[slice]:
        """The rows to ask for at once, from the first to the last."""
        rows = max(1, _STRIP_TEXELS // self.size[0])
        return (slice(top, min(top + rows, self.size[1])) for top in range(0, self.size[1], rows))

    def attribute(self, key: str, step: str, without: tuple[str, ...], part: slice) -> F32:
        """Float values of rows, (rows, width, planes), color linear, the normal as two slopes, neutral where the recipe
        does not make it. Raises LayoutError."""
        if self._by_strips and part != self._at:
            self._made.clear()
            self._at = part
        if (step, without, key) not in self._made:
            self._evaluate(step, without, {key} | self._wanted.get((step, without), set()))
        values = self._made[step, without, key]
        return values if self._by_strips else values[part]

    def _evaluate(self, step: str, without: tuple[str, ...], keys: set[str]) -> None:
        left = {key for key in keys if (step, without, key) not in self._made}
        kept, sources = self._kept(step, without), self.state.working
        size = self.size if self.size != sources.size else None
        if self._by_strips:
            box = 0, self._at.start, self.size[0], self._at.stop
            self._large = self._large or sources.held_at_size(*self.size)
            made = evaluate_surface(kept, self._large, left, box=box, float_output=True, workers=self._workers)
        else:
            made = evaluate_surface(kept, sources, left, size=size, float_output=True, workers=self._workers)
        for key in left:
            self._made[step, without, key] = made[key].pixels

    def check(self, step: str, without: tuple[str, ...]) -> None:
        """Raise LayoutError where there are no such steps."""
        for name in (*without, *([step] if step else [])):
            self.step(name)

    def _kept(self, step: str, without: tuple[str, ...]) -> list[BoundStep]:
        """The steps up to one, '' for all, but for some. Raises LayoutError."""
        steps = self.state.bound_steps(self.variant)
        gone = {self.step(name) for name in without}
        if step:
            last = self.step(step)
            steps = steps[: next(k for k, s in enumerate(steps) if s.step_id == last) + 1]
        return [s for s in steps if s.step_id not in gone]

    def step(self, name: str) -> str:
        """The id of a step by its name or id. Raises LayoutError."""
        for step in self.state.project.recipe.steps:
            if name in (step.id, step.name) or name.lower() == step.name.lower():
                return step.id
        there = ", ".join(step.name for step in self.state.project.recipe.steps) or "none"
        raise LayoutError(f"There is no step '{name}'. There are: {there}.")

    def bound(self, name: str) -> BoundStep:
        """A step with the variant's values."""
        key = self.step(name)
        return next(s for s in self.state.bound_steps(self.variant) if s.step_id == key)


@dataclass(frozen=True, eq=False)
class Rows:
    """Values that can be had a few rows at a time, so that nothing as large as a file is made on the way to it.

    shape: (height, width, channels). is_color: whether they are linear color. of: the rows of a slice, float32.
    """

    shape: tuple[int, int, int]
    is_color: bool
    of: Callable[[slice], F32]


def _whole(values: F32, *, is_color: bool = False) -> Rows:
    height, width, channels = values.shape
    return Rows((height, width, channels), is_color, lambda part: values[part])


def channel_rows(surface: Surface, file: LayoutFile, channel: LayoutChannel) -> Rows:
    """What is stored in a channel's letters, 0..1 where the format has whole numbers. Raises LayoutError."""
    source, count = Source(channel.source), len(channel.to)
    taken = _taken(surface, file, source, channel)
    there, is_color, first = taken.shape[2], taken.is_color, 0
    if source.letter:
        first = _LETTERS.index(source.letter)
        if first >= there:
            raise LayoutError(f"'{channel.source}' has no channel '{source.letter}'.")
        there, is_color = 1, is_color and first < 3
    if 1 < there < count:
        raise LayoutError(f"'{channel.source}' has {there} channels; '{channel.to}' are {count}.")
    encode = channel.encode or ("srgb" if is_color and not is_float(file) else "data")

    def rows(part: slice) -> F32:
        values = taken.of(part)[..., first : first + min(there, count)]
        if channel.range is not None:
            low, high = channel.range
            values = (values - np.float32(low)) / np.float32(high - low)
        if encode == "srgb":
            values = encode_srgb(values if is_float(file) else np.clip(values, 0, 1))
        return np.asarray(
            np.broadcast_to(1 - values if channel.invert else values, (*values.shape[:2], count)), np.float32
        )

    return Rows((*taken.shape[:2], count), is_color, rows)


def attribute_planes(file: LayoutFile) -> set[tuple[str, str]]:
    """The attributes that a file is made of, each with the step after which it is taken. Raises LayoutError."""
    sources = (Source(channel.source) for channel in file.channels)
    return {(_attribute(source.name), source.step) for source in sources if source.kind == "attribute"}


def is_float(file: LayoutFile) -> bool:
    """Whether a file holds numbers beyond 0 to 1."""
    return file.format == "exr" or file.bits == 32 or file.compression == "bc6h"


def is_srgb(state: State, file: LayoutFile) -> bool:
    """Whether the colors of a file are stored as sRGB."""
    kinds = []
    for channel in file.channels:
        if set(channel.to) & set("rgb"):
            kinds.append(
                channel.encode or ("srgb" if holds_color(state, channel.source) and not is_float(file) else "data")
            )
    return bool(kinds) and all(kind == "srgb" for kind in kinds)


def holds_color(state: State, text: str) -> bool:
    """Whether a source is color."""
    source = Source(text)
    if source.kind == "attribute":
        return ATTRIBUTES[_attribute(source.name)].holds in (Holds.COLOR, Holds.LIGHT)
    if source.kind in ("texture", "strip"):
        raster = state.textures.get(_texture(state, source.name).id)
        return raster is not None and raster.encoding is not Encoding.DATA and source.letter != "a"
    return False


def _attribute(name: str) -> str:
    try:
        return attribute_named(name).key
    except RecipeError as error:
        raise LayoutError(str(error)) from error


def _taken(surface: Surface, file: LayoutFile, source: Source, channel: LayoutChannel) -> Rows:
    """The values of a source."""
    state, size = surface.state, surface.size
    if source.kind == "attribute":
        key = _attribute(source.name)
        surface.check(source.step, file.without)
        described, shape = ATTRIBUTES[key], (size[1], size[0])

        def rows(part: slice) -> F32:
            return surface.attribute(key, source.step, file.without, part)

        if described.holds is Holds.SLOPES:
            up = np.float32(-1 if channel.green == "down" else 1)
            return Rows((*shape, 3), False, lambda part: _as_normals(rows(part), up))
        return Rows((*shape, described.planes), described.holds in (Holds.COLOR, Holds.LIGHT), rows)
    if source.kind == "region":
        return _whole(_regions(state, source.name.split("+"), size))
    if source.kind == "id":
        return _nearest(id_picture(state, division_named(state, source.name)), size)
    if source.kind == "tone":
        if state.tone is None:
            raise LayoutError("This project has no tone yet. Make one at Tones, or take the channel out.")
        return _resized(state.tone, size)
    if source.kind == "mask":
        weight = np.clip(weight_planes(surface.bound(source.name), state.working), 0, 1)
        return _whole(_plane(weight, size)[..., None])
    if source.kind == "constant":
        value = np.full((1, 1, 1), float(source.name), np.float32)
        return _whole(np.broadcast_to(value, (size[1], size[0], 1)))
    texture = _texture(state, source.name)
    raster = state.textures.get(texture.id)
    if raster is None:
        raise LayoutError(f"The texture '{texture.name}' is missing.")
    if source.kind in ("index", "strip"):
        # Fetched one by one: never resized between texels.
        return _nearest(raster, raster.size if source.kind == "strip" else size)
    return _resized(raster, size)


def _as_normals(slopes: F32, green: np.float32) -> F32:
    """Two slopes as vectors of unit length, stored as 0..1. green: 1 up, -1 down."""
    made = np.empty((*slopes.shape[:2], 3), np.float32)
    made[..., 0], made[..., 1], made[..., 2] = slopes[..., 0], slopes[..., 1] * green, 1
    made /= np.sqrt(np.einsum("...c,...c->...", made, made))[..., None]
    return np.asarray(made * np.float32(0.5) + np.float32(0.5), np.float32)


def _regions(state: State, names: list[str], size: tuple[int, int]) -> F32:
    total: NDArray | None = None
    regions = state.project.regions.regions
    for name in names:
        wanted = name.strip().lower()
        found = next((n for n, r in enumerate(regions) if wanted in (r.name.lower(), r.id.lower(), str(n + 1))), None)
        if found is None:
            raise LayoutError(
                f"There is no region '{name}'. There are: {', '.join(r.name for r in regions) or 'none'}."
            )
        plane = state.working.coverages[found].astype(np.float32) / 255
        total = plane if total is None else total + plane
    assert total is not None
    return _plane(np.minimum(total, 1), size)[..., None]


def _texture(state: State, name: str) -> Texture:
    wanted = name.lower()
    for texture in state.project.asset.textures:
        if wanted in (texture.id.lower(), texture.name.lower(), PurePath(texture.name).stem.lower()):
            return texture
    there = ", ".join(texture.name for texture in state.project.asset.textures) or "none"
    raise LayoutError(f"There is no texture '{name}'. There are: {there}.")


def _plane(plane: F32, size: tuple[int, int]) -> F32:
    return plane if plane.shape[:2] == size[::-1] else resize_plane(plane, size).reshape(*size[::-1], *plane.shape[2:])


def _resized(raster: Raster, size: tuple[int, int]) -> Rows:
    """Color as linear light, data as it is, area-averaged or sampled in between."""
    is_color = raster.encoding is not Encoding.DATA
    if raster.size == size:
        shape = (raster.height, raster.width, raster.channels)
        return Rows(shape, is_color, lambda part: Raster(raster.pixels[part], raster.encoding).as_linear())
    return _whole(_plane(np.asarray(raster.as_linear(), np.float32), size), is_color=is_color)


def _nearest(raster: Raster, size: tuple[int, int]) -> Rows:
    """Stored values of whole texels, 0..1."""
    height, width = raster.height, raster.width
    y, x = (np.arange(size[1]) * height // size[1]), (np.arange(size[0]) * width // size[0])

    def rows(part: slice) -> F32:
        return np.asarray(Raster(raster.pixels[y[part]][:, x], raster.encoding).as_unit(), np.float32)

    return Rows((size[1], size[0], raster.channels), False, rows)
