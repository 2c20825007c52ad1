"""The kit: textures, parameters of all variants, and the recipe as GLSL, enough for a game to recolor live."""

import json
from collections.abc import Sequence
from pathlib import Path
from typing import Any

import numpy as np

from evenpalette.core.color.encoding import decode_srgb
from evenpalette.core.color.hexcode import parse_hex
from evenpalette.core.errors import EvenPaletteError, ImageFileError
from evenpalette.core.file_set import files_as_one
from evenpalette.core.files import plain_text, reason, safe_name, unique_names
from evenpalette.core.parallel import Progress, no_progress
from evenpalette.core.project.state import State
from evenpalette.core.raster.image_write import encode_image
from evenpalette.core.raster.raster import Encoding, Raster
from evenpalette.core.recipe.evaluate import evaluate
from evenpalette.core.recipe.model import ChannelRef
from evenpalette.core.recipe.parameters import Value, ValueType
from evenpalette.core.recipe.shader import ShaderText, kit_shader, parameter_uniform_names
from evenpalette.core.recipe.steps import kind_of
from evenpalette.core.variants.model import Variant

HEADER = """// {name}: recipe for recoloring at runtime, written by Even Palette.
// vec3 evenpalette_recipe(vec2 uv) returns linear Rec. 709 light. uv (0, 0) is the first texel of the first row.
//
// Textures (see parameters.json for the files): sample with linear filtering and mipmaps.
{textures}//
// Uniforms (colors are linear light; parameters.json has them encoded as hex and linear):
{uniforms}
"""


def delivered_size(state: State, longest: int) -> tuple[int, int]:
    """(width, height) of the delivered maps for a longest side; 0 is the sources' own size."""
    width, height = state.sources.size
    if longest <= 0:
        return width, height
    factor = longest / max(width, height)
    return max(1, round(width * factor)), max(1, round(height * factor))


def component_of(state: State, ref: ChannelRef) -> int:
    """Which sampler component a channel reference reads; -1 where the texture is missing."""
    raster = state.textures.get(ref.texture)
    if raster is None:
        return -1
    if raster.channels <= 2:
        return 3 if ref.channel == 3 else 0
    return ref.channel


def coverage_textures(state: State) -> list[Raster]:
    """The coverages packed four to a texture in region order, RGBA 8-bit data; unused channels are 0."""
    planes = list(state.sources.coverages)
    packed = []
    for start in range(0, len(planes), 4):
        four = planes[start : start + 4]
        four += [np.zeros_like(planes[0])] * (4 - len(four))
        packed.append(Raster(np.ascontiguousarray(np.stack(four, -1)), Encoding.DATA))
    return packed


def build_shader(state: State) -> ShaderText:
    """The recipe as a game runs it."""
    project = state.project
    return kit_shader(project.recipe, state.region_ids, project.regions.overlap, lambda ref: component_of(state, ref))


def render_map(
    state: State,
    variant_id: str | None,
    size: tuple[int, int] | None,
    progress: Progress = no_progress,
    workers: int = 0,
) -> Raster:
    """The recolored base color of a variant, 8-bit sRGB."""
    return evaluate(state.bound_steps(variant_id), state.working, size=size, progress=progress, workers=workers)


def write_kit(
    state: State, out: Path | str, *, variants: Sequence[str] | None = None, longest: int = 0,
    workers: int = 0, progress: Progress = no_progress,
) -> list[Path]:  # fmt: skip
    """Write `variants/<variant>/base_color.png` and `kit/` into the folder; returns the files.

    variants: ids, None is all. workers: threads, 0 is one for each core. A project without variants gets one called
    'default'. All files take their places together at the end (`files_as_one`), so a failure or cancel leaves the
    folder as it was. Raises EvenPaletteError.
    """
    out = Path(out)
    chosen = [v for v in state.project.variants if variants is None or v.id in variants]
    jobs: list[tuple[str | None, str]] = [(v.id, v.name) for v in chosen] or [(None, "default")]
    folders = unique_names([name for _, name in jobs])
    size = delivered_size(state, longest)
    written: list[Path] = []
    try:
        with files_as_one(out, written) as staged:
            for index, ((variant_id, _), folder) in enumerate(zip(jobs, folders, strict=True)):
                raster = render_map(state, variant_id, size, _part(progress, index, len(jobs) + 1), workers)
                target = staged / "variants" / folder
                target.mkdir(parents=True)
                (target / "base_color.png").write_bytes(encode_image(raster, ".png"))
            _write_shared(state, staged / "kit", jobs, folders)
            progress(0.98)
    except (OSError, UnicodeError) as error:
        why = reason(error) if isinstance(error, OSError) else "this is no folder name"
        raise EvenPaletteError(f"Delivery to {out} failed: {why.rstrip('.')}. The folder is as it was.") from error
    except ImageFileError as error:
        raise EvenPaletteError(f"Delivery to {out} failed: {error}") from error
    return written


def _part(progress: Progress, index: int, count: int) -> Progress:
    """Progress of one of several equal pieces of work."""
    return lambda done: progress((index + done) / count)


def _write_shared(state: State, kit: Path, jobs: list[tuple[str | None, str]], folders: list[str]) -> None:
    shader = build_shader(state)
    files = _texture_files(state, shader)
    (kit / "textures").mkdir(parents=True)
    for entry in files.values():
        (kit / "textures" / entry["file"]).write_bytes(encode_image(entry.pop("raster"), Path(entry["file"]).suffix))
    description = describe(state, shader, files, jobs, folders)
    (kit / "parameters.json").write_text(json.dumps(description, indent=2, ensure_ascii=False) + "\n", "utf-8")
    textures = "".join(f"//   {name}: textures/{plain_text(entry['file'])}, {entry['reading']}\n" for name, entry in files.items())
    uniforms = "".join(f"//   {u['glsl']} {u['uniform']}: {plain_text(u['name'])}\n" for u in description["parameters"])
    header = HEADER.format(name=plain_text(state.project.name), textures=textures, uniforms=uniforms.rstrip() or "//   none")
    (kit / "recipe.glsl").write_text(header + shader.text, "utf-8")


def _texture_files(state: State, shader: ShaderText) -> dict[str, dict[str, Any]]:
    """Sampler name to file, raster and how to read it."""
    files: dict[str, dict[str, Any]] = {}
    base = state.base
    is_color = base.encoding is Encoding.SRGB
    files["ep_base"] = _entry(
        "tone" if base is state.tone else "base", base, "sRGB color" if is_color else "linear data"
    )
    for index, raster in enumerate(coverage_textures(state)):
        names = [
            f"{'RGBA'[i]} {region.name}"
            for i, region in enumerate(state.project.regions.regions[index * 4 : index * 4 + 4])
        ]
        entry = _entry(f"coverage-{index}", raster, "linear data")
        files[f"ep_coverage_{index}"] = {**entry, "channels": names}
    for sampler, texture_id in shader.textures.items():
        texture = state.project.asset.texture(texture_id)
        name = safe_name(Path(texture.name).stem if texture else texture_id)
        files[sampler] = _entry(f"{sampler.removeprefix('ep_')}-{name}", state.textures[texture_id], "linear data")
    return files


def _entry(name: str, raster: Raster, reading: str) -> dict[str, Any]:
    ending = ".exr" if raster.pixels.dtype == np.float32 else ".png"
    return {"file": name + ending, "reading": reading, "size": list(raster.size), "raster": raster}


def _value(value: Value, type: ValueType, choices: tuple[str, ...]) -> Any:
    if type is ValueType.COLOR:
        codes = np.array(parse_hex(str(value)))
        return {"hex": value, "linear": [round(float(v), 7) for v in decode_srgb(codes / 255)]}
    if type is ValueType.CHOICE:
        return {"choice": value, "index": choices.index(str(value))}
    return value


def describe(
    state: State,
    shader: ShaderText,
    files: dict[str, dict[str, Any]],
    jobs: list[tuple[str | None, str]],
    folders: list[str],
) -> dict[str, Any]:
    """What parameters.json holds."""
    project = state.project
    names = parameter_uniform_names(project.recipe.parameters)
    types = {u.parameter: u.glsl_type for u in shader.uniforms}
    parameters = [p for p in project.recipe.parameters if p.id in types]
    return {
        "format": "even-palette-kit",
        "version": 1,
        "name": project.name,
        "overlap": project.regions.overlap.value,
        "regions": [
            {"number": n, "name": r.name, "flag": r.flag, "sampler": f"ep_coverage_{(n - 1) // 4}", "channel": "rgba"[(n - 1) % 4]}
            for n, r in enumerate(project.regions.regions, 1)
        ],
        "textures": [{"sampler": sampler, **entry} for sampler, entry in files.items()],
        "parameters": [
            {
                "uniform": names[p.id], "glsl": types[p.id], "name": p.name, "type": p.type.value, "group": p.group,
                "description": p.description, "unit": p.unit, "default": _value(p.default, p.type, p.choices),
                **({"low": p.low, "high": p.high} if p.type is ValueType.NUMBER else {}),
                **({"choices": list(p.choices)} if p.choices else {}),
            }
            for p in parameters
        ],
        "steps": [
            {"name": s.name, "kind": s.kind, "formula": kind_of(s.kind).formula, "source": kind_of(s.kind).source}
            for s in project.recipe.steps if s.enabled
        ],
        "variants": [_variant_entry(state, job, folder, parameters, names) for job, folder in zip(jobs, folders, strict=True)],
    }  # fmt: skip


def _variant_entry(
    state: State, job: tuple[str | None, str], folder: str, parameters: list, names: dict[str, str]
) -> dict[str, Any]:
    variant: Variant | None = next((v for v in state.project.variants if v.id == job[0]), None)
    parent = next((v.name for v in state.project.variants if variant and v.id == variant.parent), None)
    values = state.values(job[0])
    return {
        "name": job[1],
        "derives_from": parent,
        "folder": f"variants/{folder}",
        "values": {names[p.id]: _value(values[p.id], p.type, p.choices) for p in parameters},
    }
