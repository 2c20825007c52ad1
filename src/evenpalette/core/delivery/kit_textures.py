"""The textures of a kit: what is stored, and how a game sets each of them up."""

import hashlib
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from evenpalette.core.delivery.kit_model import KitTexture
from evenpalette.core.document.state import State
from evenpalette.core.files import safe_name
from evenpalette.core.raster.image_write import encode_image
from evenpalette.core.raster.raster import Encoding, Raster
from evenpalette.core.raster.reading import packed
from evenpalette.core.recipe.shader import Sampled, ShaderText, parameter_uniform_names

#: Channels that so many coverages take: no common format of a game has two.
_CHANNELS = {1: 1, 2: 3, 3: 3, 4: 4}


@dataclass(frozen=True)
class StoredTexture:
    """A texture of the kit as bytes of its file, and what is said of it."""

    said: KitTexture
    content: bytes


def coverage_textures(state: State) -> list[Raster]:
    """The coverages packed four to a texture in region order, 8-bit data: gray for one, RGB for two (blue is 0) and
    three, and only for four an alpha, which a loader might multiply into the others."""
    planes = list(state.sources.coverages)
    groups = [planes[start : start + 4] for start in range(0, len(planes), 4)]
    return [
        Raster(np.ascontiguousarray(packed(group)[..., : _CHANNELS[len(group)]]), Encoding.DATA) for group in groups
    ]


def kit_textures(state: State, shader: ShaderText, longest: int = 0) -> list[StoredTexture]:
    """The textures that a shader reads, in the order of its samplers. longest: side in texels, 0 as they are."""
    regions = [region.name for region in state.project.regions.regions]
    base = state.base
    uniforms = parameter_uniform_names(state.project.parameters)
    made = [
        _stored(
            state, "ep_base", "tone" if base is state.tone else "base", base, longest, "what the recipe starts from"
        )
    ]
    for index, raster in enumerate(coverage_textures(state)):
        names = regions[index * 4 : index * 4 + 4]
        made.append(_stored(state, f"ep_coverage_{index}", f"coverage-{index}", raster, longest, "coverages", names))
    for sampler, sampled, key in _read(state, shader):
        texture = state.project.asset.texture(key)
        name = f"{sampler.removeprefix('ep_')}-{safe_name(Path(texture.name).stem if texture else key)}"
        raster = state.read_textures[key]
        # Channels that steps read are data, whatever else the texture is.
        raster = raster if sampled.as_color else raster.with_encoding(Encoding.DATA)
        holds = texture.role.value if texture else ""
        made.append(
            _stored(
                state,
                sampler,
                name,
                raster,
                0 if sampled.exact else longest,
                holds,
                repeats=sampled.placed,
                exact=sampled.exact,
                choice=(uniforms[sampled.parameter], key) if sampled.parameter else ("", ""),
            )
        )
    return made


def _read(state: State, shader: ShaderText) -> Iterator[tuple[str, Sampled, str]]:
    """Every sampler of steps with every texture that it may read; of a choice the default last, so that whoever knows
    no choices is left with it."""
    for sampler, sampled in shader.textures.items():
        parameter = state.project.recipe.parameter(sampled.parameter)
        if parameter is None:
            yield sampler, sampled, sampled.texture
            continue
        for key in sorted(parameter.choices, key=lambda k: k == parameter.default):
            yield sampler, sampled, key


def _stored(
    state: State, sampler: str, name: str, raster: Raster, longest: int, holds: str, regions: list[str] | None = None,
    *, repeats: bool = False, exact: bool = False, choice: tuple[str, str] = ("", ""),
) -> StoredTexture:  # fmt: skip
    raster = raster.thumbnail(longest) if longest > 0 else raster
    is_float = raster.pixels.dtype == np.float32
    content = encode_image(raster, ".exr" if is_float else ".png")
    is_color = raster.encoding is Encoding.SRGB and not is_float
    said = KitTexture(
        sampler=sampler, file=name + (".exr" if is_float else ".png"),
        # Gray with alpha is stored as four channels: few formats of games have two.
        channels=4 if raster.channels == 2 else raster.channels, bits=raster.pixels.dtype.itemsize * 8,
        encoding="srgb" if is_color else "data", alpha="data" if raster.channels in (2, 4) else "none",
        wrap="repeat" if repeats or _leaves_tile(state) else "clamp", filter="nearest" if exact else "linear", mips=not exact, size=raster.size,
        sha256=hashlib.sha256(content).hexdigest(), holds=holds, regions=regions or [], parameter=choice[0], choice=choice[1],
    )  # fmt: skip
    return StoredTexture(said, content)


def _leaves_tile(state: State) -> bool:
    uvs = state.mesh.mesh.uvs if state.mesh is not None else None
    return uvs is not None and bool((uvs.max() > 1 + 1e-4) or (uvs[uvs >= 0].min(initial=0) < 0))
