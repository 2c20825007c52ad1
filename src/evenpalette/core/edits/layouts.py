"""Changes of the layout that a project delivers by, and a layout read backwards: packed textures taken apart."""

import re
from collections.abc import Callable
from pathlib import PurePath

import numpy as np
from numpy.typing import NDArray
from pydantic import ValidationError

from evenpalette.core.dataclass import dataclass
from evenpalette.core.document.layout_model import BITS, Layout, LayoutChannel, LayoutFile, layout_text, read_layout
from evenpalette.core.document.project import Role
from evenpalette.core.document.state import State
from evenpalette.core.edits.asset import add_texture
from evenpalette.core.errors import LayoutError, ValueProblem
from evenpalette.core.raster.raster import Raster
from evenpalette.core.recipe.attributes import ATTRIBUTES, Holds


def layout_of(state: State) -> Layout | None:
    """The layout that the project delivers by; None for none, or one that cannot be read any more."""
    text = state.project.delivery.layout
    try:
        return read_layout(text) if text else None
    except LayoutError:
        return None


def files_of(state: State) -> tuple[LayoutFile, ...]:
    """The files of the layout that the project delivers by; none without one."""
    layout = layout_of(state)
    return layout.files if layout is not None else ()


def file_named(state: State, name: str) -> LayoutFile | None:
    """A file of the layout by the template of its name."""
    return next((file for file in files_of(state) if file.name == name), None)


def with_layout(state: State, layout: Layout | None) -> State:
    """The project with another layout, None for none."""
    text = layout_text(layout) if layout is not None else ""
    return state.with_project(delivery=state.project.delivery.model_copy(update={"layout": text}))


def with_file(state: State, name: str, change: Callable[[LayoutFile], LayoutFile]) -> State:
    """The layout with one of its files changed, by the template of its name. Raises ValueProblem where it is gone."""
    layout = layout_of(state)
    if layout is None or all(file.name != name for file in layout.files):
        raise ValueProblem(f"The layout has no file '{name}' any more.")
    files = tuple(change(file) if file.name == name else file for file in layout.files)
    return with_layout(state, layout.model_copy(update={"files": files}))


def with_settings(file: LayoutFile, **parts: object) -> LayoutFile:
    """A file of a layout with other settings, by their names; what does not go with them any more is set to what does:
    a format without blocks has none, a depth that it has not becomes its nearest. Raises ValueProblem."""
    said = {**file.model_dump(by_alias=True), **parts}
    if said["format"] != "exr" and isinstance(said["channels"], list | tuple):
        # Only what lies in no layer, or in the first one, has a place in other formats.
        first = said["channels"][0].get("layer", "")
        said["channels"] = [c | {"layer": ""} for c in said["channels"] if c.get("layer", "") == first]
    if said["format"] not in ("dds", "ktx2"):
        said |= {"compression": "none", "mips": False}
    if said["format"] != "ktx2":
        said["zstd"] = False
    depths = BITS[str(said["format"])]
    if said["bits"] not in depths:
        said["bits"] = min(depths, key=lambda bits: abs(bits - int(str(said["bits"]))))
    if said["compression"] != "none":
        said["bits"] = 8
    try:
        return LayoutFile.model_validate(said)
    except ValidationError as error:
        raise ValueProblem(f"{str(error.errors()[0]['msg']).removeprefix('Value error, ').rstrip('.')}.") from error


def with_source(file: LayoutFile, letter: str, source: str, layer: str = "") -> LayoutFile:
    """A file with a source in one of its channels, or in the next free one. Color goes into red, green and blue where
    it is dropped on a picture of all three, else its red component is taken. Raises ValueProblem."""
    kind, _, key = source.partition(":")
    is_wide = kind == "attribute" and ATTRIBUTES[key].holds is not Holds.DATA if key in ATTRIBUTES else False
    held = next((c for c in file.channels if letter in c.to and c.layer == layer), None)
    if held is None:
        plain = LayoutChannel(to=letter, layer=layer, source=f"{source}.r" if is_wide else source)
        return with_settings(file, channels=[c.model_dump(by_alias=True) for c in (*file.channels, plain)])
    taken = f"{source}.r" if is_wide and len(held.to) == 1 else source
    # What was turned or stretched was what lay there before.
    made = LayoutChannel(to=held.to, layer=layer, source=taken)
    channels = [made if c is held else c for c in file.channels]
    return with_settings(file, channels=[c.model_dump(by_alias=True) for c in channels])


#: The roles of textures that hold an attribute.
_ROLES = {
    "base_color": Role.PAINTED, "normal": Role.NORMAL, "occlusion": Role.OCCLUSION, "metallic": Role.METALLIC, "roughness": Role.ROUGHNESS,
    "emissive": Role.EMISSIVE, "opacity": Role.OPACITY,
}  # fmt: skip


@dataclass(frozen=True)
class TakenApart:
    """A texture of channels of a packed one. name: as it is to be called."""

    name: str
    role: Role
    raster: Raster


def taken_apart(layout: Layout, file_name: str, raster: Raster) -> list[TakenApart]:
    """A stranger's packed texture by a layout that is read backwards: the file of the layout whose name fits says what
    lies in its channels; they are turned and stretched back. Nothing where no file fits, or none of its channels has a
    role."""
    stem = PurePath(file_name).stem
    file = next((f for f in layout.files if _fits(f.name, stem)), None)
    return _parts(file, stem, raster) if file is not None else []


def take_apart(state: State, texture_id: str, file: LayoutFile) -> State:
    """The project with a texture of its taken apart by a line of a layout: each channel that has a role becomes a
    texture of its own; the packed one stays. Raises ValueProblem where no channel has one."""
    raster = state.textures.get(texture_id)
    texture = next((t for t in state.project.asset.textures if t.id == texture_id), None)
    if raster is None or texture is None:
        raise ValueProblem("That texture is gone.")
    parts = _parts(file, PurePath(texture.name).stem, raster)
    if not parts:
        raise ValueProblem(f"'{file.name}' says of none of {texture.name}'s channels what a texture could hold.")
    for part in parts:
        state = add_texture(state, part.raster, part.name, part.role)
    return state


def _parts(file: LayoutFile, stem: str, raster: Raster) -> list[TakenApart]:
    """What lies in the channels of a texture, by a line of a layout."""
    made: list[TakenApart] = []
    for channel in file.channels:
        kind, _, rest = channel.source.partition(":")
        key = rest.partition("@")[0].replace("-", "_")
        role = _ROLES.get(key, Role.DATA) if kind == "attribute" else Role.MASK if kind in ("region", "mask") else None
        places = ["rgba".index(letter) for letter in channel.to]
        if role is None or max(places) >= raster.channels:
            continue
        values = raster.pixels[..., places]
        most = 1.0 if values.dtype == np.float32 else float(np.iinfo(values.dtype).max)
        unit = values.astype(np.float32) / np.float32(most)
        if channel.invert:
            unit = 1 - unit
        if channel.range is not None:
            unit = unit * np.float32(channel.range[1] - channel.range[0]) + np.float32(channel.range[0])
        if role is Role.NORMAL:
            unit = _whole_normal(unit, down=channel.green == "down")
        pixels = unit if values.dtype == np.float32 else np.rint(np.clip(unit, 0, 1) * most).astype(values.dtype)
        stored = Raster(np.ascontiguousarray(pixels), role.encoding)
        word = key.replace("_", "-") if kind == "attribute" else rest
        made.append(TakenApart(f"{stem}-{word}.png", role, stored))
    return made


def _fits(template: str, stem: str) -> bool:
    """Whether a name may have come of a template."""
    pieces = re.split(r"\{[^{}]*\}", template)
    return re.fullmatch(".+".join(re.escape(piece) for piece in pieces), stem, re.IGNORECASE) is not None


def _whole_normal(unit: NDArray[np.float32], *, down: bool) -> NDArray[np.float32]:
    """A normal map with green up of its two or three stored channels."""
    x, y = unit[..., 0] * 2 - 1, (unit[..., 1] * 2 - 1) * (-1 if down else 1)
    z = unit[..., 2] * 2 - 1 if unit.shape[2] > 2 else np.sqrt(np.maximum(1 - x * x - y * y, 0))
    return np.asarray(np.stack([x, y, z], -1) * 0.5 + 0.5, np.float32)
