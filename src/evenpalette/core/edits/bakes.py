"""Textures that are baked from the mesh: added, made, made again when what they read changes.

What is wanted is a part of the document (`document/bake.py`); a bake whose hash is not that of what it would read now
is out of date. Making one takes long, so it is apart from the edits: the window makes it beside its own work.
"""

from collections import OrderedDict
from collections.abc import Callable, Iterator
from dataclasses import replace
from datetime import UTC, datetime
from pathlib import Path
from threading import Lock
from types import MappingProxyType
from typing import Any

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.baking.bake import BakedMap, bake
from evenpalette.core.baking.kind import BakeKind
from evenpalette.core.baking.kinds import BAKES, bake_kind
from evenpalette.core.color.encoding import encode_srgb
from evenpalette.core.dataclass import dataclass
from evenpalette.core.document.bake import GLOW, Bake, Ramp
from evenpalette.core.document.project import Role, Texture
from evenpalette.core.document.state import State
from evenpalette.core.edits.asset import add_texture, replace_texture, with_texture
from evenpalette.core.edits.bake_wishes import mesh_of, read_by_bake, texels_of, wish_of
from evenpalette.core.edits.glow_light import gather, kept_bright, lamps_of, lay_gathered, scaled
from evenpalette.core.edits.mending import with_made_anew
from evenpalette.core.edits.recipe import bind_input
from evenpalette.core.errors import EvenPaletteError
from evenpalette.core.parallel import Progress, no_progress, part_of
from evenpalette.core.raster.raster import Encoding, Raster, quantize
from evenpalette.core.recipe.recipe import Binding
from evenpalette.core.recipe.steps import kind_of
from evenpalette.core.recipe.steps.gathered_glow import LAMPS
from evenpalette.core.values import Value

#: A bake that is being made is shown with so many texels a side.
_MOST_SHOWN_TEXELS = 1024
#: Maps as they were before their ramp may take so much.
_MOST_KEPT_BYTES = 256 << 20


@dataclass(frozen=True, eq=False)
class MadeBake:
    """What came of a bake: the texture's pixels, and what the document says of it."""

    raster: Raster
    bake: Bake


class _Kept:
    """The last maps that were baked, as they were before their ramp: another one is laid at once."""

    def __init__(self) -> None:
        self._held: OrderedDict[str, BakedMap] = OrderedDict()
        self._lock = Lock()

    def get(self, key: str) -> BakedMap | None:
        """The map that was made of this, where it is still held."""
        with self._lock:
            return self._held.get(key)

    def keep(self, key: str, made: BakedMap) -> None:
        """Hold a map for a while."""
        with self._lock:
            self._held[key] = made
            while len(self._held) > 1 and sum(m.values.nbytes for m in self._held.values()) > _MOST_KEPT_BYTES:
                self._held.popitem(last=False)

    def drop(self, key: str) -> None:
        """Let a map go."""
        with self._lock:
            self._held.pop(key, None)


_KEPT = _Kept()


def _plain_key(state: State, bake: Bake) -> str:
    return read_by_bake(state, bake.model_copy(update={"ramp": Ramp()}))


def forget_made(state: State, texture: Texture) -> None:
    """Have a bake traced again though nothing that it reads has changed."""
    if texture.bake is not None:
        _KEPT.drop(_plain_key(state, texture.bake))


def values_before_ramp(state: State, texture: Texture) -> NDArray[np.float32] | None:
    """What a bake gave before its ramp, float32 (h, w, K); None where it is no longer held."""
    if texture.bake is None:
        return None
    made = _KEPT.get(_plain_key(state, texture.bake))
    return made.values if made is not None else None


def baked_textures(state: State) -> list[Texture]:
    """The textures of the state's sheet that are baked."""
    return [t for t in state.project.asset.textures if t.bake is not None]


def add_bake(
    state: State, kind: str, settings: dict[str, Value] | None = None, *, size: int = 1024, name: str = "",
    **how: Any,
) -> tuple[State, str]:  # fmt: skip
    """Add a texture that is to be baked, plain until it is, and its id. how: other fields of `Bake`. Raises
    EvenPaletteError."""
    mesh = mesh_of(state)
    if kind == GLOW:
        role, words, channels = Role.GATHERED, name or "gathered-glow", 3
    else:
        found = bake_kind(kind)
        found.check(has_finer=bool(how.get("finer")))
        settings = found.values(settings or {})
        role, words, channels = Role(found.role), name or f"{Path(mesh.name).stem}-{kind}", found.channels
    wish = Bake(kind=kind, settings=settings or {}, size=size, **how)
    plain = Raster(np.full((8, 8, channels), 0 if kind == GLOW else 255, np.uint8), Encoding.DATA)
    state = add_texture(state, plain, f"{words}.png", role)
    texture = state.project.asset.textures[-1]
    return with_texture(state, texture.model_copy(update={"bake": wish, "guessed": ""})), texture.id


def set_bake(state: State, texture_id: str, **changes: Any) -> State:
    """Want a bake otherwise; what was made stays until it is made again. Raises EvenPaletteError."""
    texture = _baked(state, texture_id)
    assert texture.bake is not None
    wish = Bake.model_validate({**texture.bake.model_dump(), **changes})
    return with_texture(state, texture.model_copy(update={"bake": wish}))


def drop_bake(state: State, texture_id: str) -> State:
    """Keep the pixels as they are from now on: it is a texture like one from a file."""
    return with_texture(state, _baked(state, texture_id).model_copy(update={"bake": None}))


def is_outdated(state: State, texture: Texture) -> bool:
    """Whether a baked texture is not what would be made now."""
    return texture.bake is not None and texture.bake.read != read_by_bake(state, texture.bake)


def outdated(state: State) -> Iterator[Texture]:
    """The baked textures of the state's sheet that are out of date and can be made."""
    if state.mesh is None or state.mesh.mesh.uvs is None:
        return
    for texture in baked_textures(state):
        if is_outdated(state, texture):
            yield texture


def make_bake(
    state: State, texture_id: str, *, progress: Progress = no_progress,
    seen: Callable[[Raster, int], None] | None = None, may_read: Callable[[str], bool] = lambda _: True,
) -> MadeBake:  # fmt: skip
    """Make a bake; the document stays as it is until `with_made`. seen: is shown the texture while it gets better.
    may_read: whether a file that the document names may be read. Raises EvenPaletteError, Cancelled."""
    texture = _baked(state, texture_id)
    wish = texture.bake
    assert wish is not None
    read = read_by_bake(state, wish)
    texels = texels_of(state, wish.size)

    def shown(values: NDArray[np.float32], rays: int) -> None:
        if seen is not None:
            # What is not done yet is shown no larger than the window needs it.
            step = max(1, wish.size // _MOST_SHOWN_TEXELS)
            seen(_raster(ramped(np.ascontiguousarray(values[::step, ::step]), wish.ramp), texture)[0], rays)

    plain = _plain_key(state, wish)
    made = _KEPT.get(plain)
    if made is None:
        if wish.kind == GLOW:
            made = gather(state, wish, texels, progress=progress, seen=shown)
        else:
            made = bake(wish_of(state, wish, may_read), texels, progress=progress, seen=shown)
        _KEPT.keep(plain, made)
    raster, scale = _raster(ramped(made.values, wish.ramp), texture)
    done = {
        "read": read, "rays": made.rays, "seconds": round(made.seconds, 2), "scale": scale, "notes": made.notes,
        "made": datetime.now(UTC).isoformat(timespec="seconds"),
    }  # fmt: skip
    return MadeBake(raster, wish.model_copy(update=done))


def with_made(state: State, texture_id: str, made: MadeBake) -> State:
    """Put what was baked into its texture; what is made of that follows. The same state where something else is wanted
    by now, or the texture is gone."""
    texture = state.project.asset.texture(texture_id)
    if texture is None or texture.bake is None or not texture.bake.is_wished_as(made.bake):
        return state
    state = replace_texture(
        with_texture(state, texture.model_copy(update={"bake": made.bake})), texture_id, made.raster
    )
    if made.bake.kind == GLOW:
        state = scaled(state, {texture_id: made.bake.scale})
        if not texture.bake.read:
            state, said = kept_bright(state, texture_id)
            held = state.project.asset.texture(texture_id)
            if said and held is not None and held.bake is not None:
                noted = held.bake.model_copy(update={"notes": (*held.bake.notes, said)})
                state = with_texture(state, held.model_copy(update={"bake": noted}))
    return with_made_anew(state, {texture_id})


def with_seen(state: State, texture_id: str, raster: Raster) -> State:
    """Show a bake that is still being made."""
    texture = state.project.asset.texture(texture_id)
    if texture is None or texture.bake is None:
        return state
    textures = {**state.textures, texture_id: raster.with_encoding(texture.encoding)}
    return replace(state, textures=MappingProxyType(textures))


def bake_now(
    state: State, kind: str, settings: dict[str, Value] | None = None, *, progress: Progress = no_progress, **how: Any
) -> tuple[State, str]:
    """Add a baked texture and make it at once."""
    state, made = add_bake(state, kind, settings, **how)
    return with_made(state, made, make_bake(state, made, progress=progress)), made


def bakes_for(step_kind: str, key: str) -> list[BakeKind]:
    """The kinds of bake that a map of a step can take a channel of, those first whose role fits it best."""
    map_ = next((m for m in kind_of(step_kind).maps if m.key == key), None)
    roles = map_.roles if map_ is not None else ()
    found = [k for k in BAKES.values() if k.channels == 1 and not k.needs_finer]
    return sorted(found, key=lambda k: roles.index(k.role) if k.role in roles else len(roles))


def bake_into(state: State, step_id: str, key: str, kind: str, row_id: str | None = None) -> State:
    """Have a step's map read a bake of a kind; one with its usual settings that is there already is taken. Raises
    EvenPaletteError."""
    usual = bake_kind(kind).values({})
    held = next(
        (t for t in baked_textures(state) if t.bake is not None and (t.bake.kind, t.bake.settings) == (kind, usual)),
        None,
    )
    size = min(max((max(r.size) for r in state.textures.values()), default=1024), 2048)
    texture = held.id if held is not None else ""
    if held is None:
        state, texture = add_bake(state, kind, size=max(size, 128))
    return bind_input(state, step_id, key, Binding(value=f"{texture}:0"), row_id)


def gather_glow(
    state: State, *, size: int = 512, rays: int = 64, bounces: int = 1, denoiser: str = "own"
) -> State:  # fmt: skip
    """Have the light of everything that glows gathered, each lamp apart and in white, and laid by a step that follows
    the colors of the glow. The bakes are wanted, not made. Raises EvenPaletteError."""
    lamps = lamps_of(state)
    if not lamps:
        raise EvenPaletteError("Nothing glows in this recipe. Add a Glow step first.")
    if len(lamps) > len(LAMPS):
        raise EvenPaletteError(
            f"{len(lamps)} rows glow, those with a ramp counted twice; light is gathered of {len(LAMPS)} at most. Join rows of one color."
        )
    textures = []
    for lamp in lamps:
        state, made = add_bake(
            state, GLOW, lamp.settings(float(rays), float(bounces)), size=size, lamp=(lamp.step, lamp.row),
            variant=state.project.active_variant or "", name=f"glow of {lamp.name}"[:60], denoiser=denoiser,
        )  # fmt: skip
        textures.append(made)
    return lay_gathered(state, lamps, textures)


def with_all_made(state: State, progress: Progress = no_progress) -> State:
    """All bakes of the state's sheet that are out of date, made. Raises EvenPaletteError, Cancelled."""
    waiting = [texture.id for texture in outdated(state)]
    for number, texture in enumerate(waiting):
        part = part_of(progress, number / len(waiting), 1 / len(waiting))
        state = with_made(state, texture, make_bake(state, texture, progress=part))
    return state


def ramped(values: NDArray[np.float32], ramp: Ramp) -> NDArray[np.float32]:
    """Values 0..1 with a ramp laid over them."""
    if ramp.does_nothing:
        return values
    span = max(ramp.high - ramp.low, 1e-4)
    made = np.clip((values - np.float32(ramp.low)) / np.float32(span), 0, 1) ** np.float32(ramp.power)
    made = 1 - np.float32(ramp.strength) * (1 - made)
    return np.asarray(1 - made if ramp.invert else made, np.float32)


def _raster(values: NDArray[np.float32], texture: Texture) -> tuple[Raster, float]:
    """The map as it is stored, and what stored light is multiplied by. Light as sRGB codes."""
    if texture.role is Role.GATHERED:
        scale = max(1.0, float(values.max(initial=0)))
        return Raster(quantize(encode_srgb(values / np.float32(scale)), np.dtype(np.uint8)), Encoding.SRGB), scale
    deep = texture.bake is not None and bake_kind(texture.bake.kind).bits == 16
    return Raster(quantize(np.clip(values, 0, 1), np.dtype(np.uint16 if deep else np.uint8)), Encoding.DATA), 1.0


def _baked(state: State, texture_id: str) -> Texture:
    texture = state.project.asset.texture(texture_id)
    if texture is None or texture.bake is None:
        raise EvenPaletteError("That texture is no longer a baked one of the project.")
    return texture
