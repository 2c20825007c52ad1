"""What lies in a channel of a layout: the planes of each source, at the size of its file."""

from collections.abc import Sequence
from pathlib import PurePath

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.color.encoding import encode_srgb
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

F32 = NDArray[np.float32]
_LETTERS = "rgba"


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
    """A variant of a sheet at one size: attributes are evaluated together, each once."""

    def __init__(self, state: State, variant: str | None, size: tuple[int, int], workers: int = 0) -> None:
        self.state, self.variant, self.size, self._workers = state, variant, size, workers
        self._made: dict[tuple[str, tuple[str, ...], str], F32] = {}

    def prepare(self, files: Sequence[LayoutFile]) -> None:
        """Evaluate at once what these files will ask for."""
        wanted: dict[tuple[str, tuple[str, ...]], set[str]] = {}
        for file in files:
            for channel in file.channels:
                source = Source(channel.source)
                if source.kind == "attribute":
                    wanted.setdefault((source.step, file.without), set()).add(_attribute(source.name))
        for (step, without), keys in wanted.items():
            self._evaluate(step, without, keys)

    def attribute(self, key: str, step: str, without: tuple[str, ...]) -> F32:
        """Float values (height, width, planes), color linear, the normal as two slopes, neutral where the recipe does
        not make it."""
        known = step, without, key
        if known not in self._made:
            self._evaluate(step, without, {key})
        return self._made[known]

    def _evaluate(self, step: str, without: tuple[str, ...], keys: set[str]) -> None:
        steps = self.state.bound_steps(self.variant)
        gone = {self.step(name) for name in without}
        if step:
            last = self.step(step)
            steps = steps[: next(k for k, s in enumerate(steps) if s.step_id == last) + 1]
        kept = [s for s in steps if s.step_id not in gone]
        left = {key for key in keys if (step, without, key) not in self._made}
        if not left:
            return
        size = self.size if self.size != self.state.working.size else None
        made = evaluate_surface(kept, self.state.working, left, size=size, float_output=True, workers=self._workers)
        for key in left:
            self._made[step, without, key] = made[key].pixels

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


def channel_values(surface: Surface, file: LayoutFile, channel: LayoutChannel) -> F32:
    """What is stored in a channel's letters: float32 (height, width, letters), 0..1 where the format has whole
    numbers. Raises LayoutError."""
    source, count = Source(channel.source), len(channel.to)
    values, is_color = _taken(surface, file, source, channel)
    if source.letter:
        at = _LETTERS.index(source.letter)
        if at >= values.shape[2]:
            raise LayoutError(f"'{channel.source}' has no channel '{source.letter}'.")
        values, is_color = values[..., at : at + 1], is_color and at < 3
    if values.shape[2] < count and values.shape[2] == 1:
        values = np.repeat(values, count, 2)
    if values.shape[2] < count:
        raise LayoutError(f"'{channel.source}' has {values.shape[2]} channels; '{channel.to}' are {count}.")
    values = np.asarray(values[..., :count], np.float32)
    if channel.range is not None:
        low, high = channel.range
        values = (values - np.float32(low)) / np.float32(high - low)
    encode = channel.encode or ("srgb" if is_color and not is_float(file) else "data")
    if encode == "srgb":
        if not is_float(file):
            values = np.clip(values, 0, 1)
        values = encode_srgb(values)
    return np.asarray(1 - values if channel.invert else values, np.float32)


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


def _taken(surface: Surface, file: LayoutFile, source: Source, channel: LayoutChannel) -> tuple[F32, bool]:
    """The values of a source, (height, width, n), and whether they are linear color."""
    state, size = surface.state, surface.size
    if source.kind == "attribute":
        key = _attribute(source.name)
        values = surface.attribute(key, source.step, file.without)
        if ATTRIBUTES[key].holds is Holds.SLOPES:
            vectors = np.concatenate([values, np.ones_like(values[..., :1])], -1)
            if channel.green == "down":
                vectors = vectors * np.array([1, -1, 1], np.float32)
            return (vectors / np.linalg.norm(vectors, axis=-1, keepdims=True) * 0.5 + 0.5).astype(np.float32), False
        return values, ATTRIBUTES[key].holds in (Holds.COLOR, Holds.LIGHT)
    if source.kind == "region":
        return _regions(state, source.name.split("+"), size), False
    if source.kind == "id":
        return _nearest(id_picture(state, division_named(state, source.name)), size), False
    if source.kind == "tone":
        if state.tone is None:
            raise LayoutError("This project has no tone yet. Make one at Tones, or take the channel out.")
        return _resized(state.tone, size), False
    if source.kind == "mask":
        weight = np.clip(weight_planes(surface.bound(source.name), state.working), 0, 1)
        return _plane(weight, size)[..., None], False
    if source.kind == "constant":
        return np.full((size[1], size[0], 1), float(source.name), np.float32), False
    texture = _texture(state, source.name)
    raster = state.textures.get(texture.id)
    if raster is None:
        raise LayoutError(f"The texture '{texture.name}' is missing.")
    if source.kind in ("index", "strip"):
        # Fetched one by one: never resized between texels.
        width, height = raster.size if source.kind == "strip" else size
        return _nearest(raster, (width, height)), False
    color = raster.encoding is not Encoding.DATA
    return _resized(raster, size), color


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


def _resized(raster: Raster, size: tuple[int, int]) -> F32:
    """Color as linear light, data as it is, area-averaged or sampled in between."""
    return _plane(np.asarray(raster.as_linear(), np.float32), size)


def _nearest(raster: Raster, size: tuple[int, int]) -> F32:
    """Stored values of whole texels, 0..1."""
    height, width = raster.height, raster.width
    y, x = (np.arange(size[1]) * height // size[1]), (np.arange(size[0]) * width // size[0])
    return np.asarray(raster.as_unit()[y][:, x], np.float32)
