"""Which plane lies in which channel of which texture of a kit, and what each of them is called: said here once."""

from collections.abc import Iterator, Sequence
from dataclasses import field
from pathlib import Path

import numpy as np

from evenpalette.core.dataclass import dataclass
from evenpalette.core.delivery.kit_model import KitRead
from evenpalette.core.document.kit_text import plane_pixels
from evenpalette.core.document.state import State
from evenpalette.core.files import safe_name
from evenpalette.core.raster.packing import stored
from evenpalette.core.raster.raster import Encoding, Raster
from evenpalette.core.recipe.packed_reads import Packing, Plane, planes_of
from evenpalette.core.recipe.parameters import parameter_uniform_names
from evenpalette.core.recipe.samplers import BASE_SAMPLER, by_sampler, coverage_slot
from evenpalette.core.recipe.shader_text import SampledTexture, ShaderText
from evenpalette.core.recipe.table import LETTERS


@dataclass(frozen=True)
class PlannedTexture:
    """A texture of a kit before it is written. stem: its file without the ending. holds: in words. planes: what lies in
    its channels, in order, where each is a thing of its own. exact: its texels are fetched one by one. parameter,
    choice: of several with one sampler, the uniform that chooses and the value that it is chosen by. packed: what each
    channel holds, where several things share it.
    """

    sampler: str
    stem: str
    raster: Raster
    holds: str
    planes: tuple[str, ...] = field(default=())
    repeats: bool = False
    exact: bool = False
    parameter: str = ""
    choice: str = ""
    packed: tuple[str, ...] = ()

    def reads(self, channels: int) -> list[KitRead]:
        """What its channels hold, as it is said."""
        if self.packed:
            return [KitRead(channels=LETTERS[k], holds=name) for k, name in enumerate(self.packed)]
        if self.planes:
            return [KitRead(channels=LETTERS[k], holds=name) for k, name in enumerate(self.planes)]
        held = LETTERS[: 4 if channels == 2 else channels]
        return [KitRead(channels=held, holds=self.holds or "data")]


def planned_textures(state: State, shader: ShaderText) -> list[PlannedTexture]:
    """The textures that a shader reads, in the order of its samplers."""
    base = state.base
    stem = "tone" if base is state.tone else "base"
    made = [PlannedTexture(BASE_SAMPLER, stem, base, "what the recipe starts from")]
    names = by_sampler([region.name for region in state.project.regions.regions])
    for sampler, planes in by_sampler(list(state.sources.coverages)).items():
        if sampler not in shader.samplers:
            continue
        raster = Raster(stored(planes), Encoding.DATA)
        stem = sampler.removeprefix("ep_").replace("_", "-")
        made.append(PlannedTexture(sampler, stem, raster, "coverages", tuple(names[sampler])))
    made += [_packed(state, shader.packing, sampler, held) for sampler, held in planes_of(shader.packing).items()]
    uniforms = parameter_uniform_names(state.project.parameters)
    for sampler, sampled, key in _read(state, shader):
        texture = state.project.asset.texture(key)
        stem = f"{sampler.removeprefix('ep_')}-{safe_name(Path(texture.name).stem if texture else key)}"
        raster = state.read_textures[key]
        made.append(
            PlannedTexture(
                sampler,
                stem,
                # Channels that steps read are data, whatever else the texture is.
                raster if sampled.as_color else raster.with_encoding(Encoding.DATA),
                texture.role.value if texture else "",
                repeats=sampled.placed,
                exact=sampled.exact,
                parameter=uniforms[sampled.parameter] if sampled.parameter else "",
                choice=key if sampled.parameter else "",
            )
        )
    return made


def coverage_place(packing: Packing, region: int) -> tuple[str, str]:
    """The sampler and channel of a region's coverage, by its place from 0."""
    sampler, place = coverage_slot(region)
    return packing.get(Plane("", region), (sampler, place.letter))


def _packed(state: State, packing: Packing, sampler: str, planes: Sequence[Plane]) -> PlannedTexture:
    """A texture of planes that share it; where there are two the third is 0."""
    taken, words = [], []
    for plane in planes:
        taken.append(plane_pixels(state, packing, plane))
        if plane.texture:
            texture = state.project.asset.texture(plane.texture)
            name = texture.name if texture is not None else plane.texture
            words.append(f"{name}: {LETTERS[plane.channel]}")
        else:
            words.append(state.project.regions.regions[plane.channel].name)
    if len(taken) == 2:
        taken.append(np.zeros_like(taken[0]))
    raster = Raster(np.ascontiguousarray(np.stack(taken, -1)), Encoding.DATA)
    stem = sampler.removeprefix("ep_").replace("_", "-")
    regions = tuple(word for plane, word in zip(planes, words, strict=True) if not plane.texture)
    return PlannedTexture(sampler, stem, raster, "planes of data", regions, packed=tuple(words))


def _read(state: State, shader: ShaderText) -> Iterator[tuple[str, SampledTexture, str]]:
    """Every sampler of steps with every texture that it may read; of a choice the default last, so that whoever knows
    no choices is left with it."""
    for sampler, sampled in shader.textures.items():
        parameter = state.project.recipe.parameter(sampled.parameter)
        if parameter is None:
            yield sampler, sampled, sampled.texture
            continue
        for key in sorted(parameter.choices, key=lambda k: k == parameter.default):
            yield sampler, sampled, key
