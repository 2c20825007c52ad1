"""Which planes of data share a texture of the kit: as few textures as can be, or put together by hand."""

from collections.abc import Sequence
from typing import Any

from evenpalette.core.dataclass import dataclass
from evenpalette.core.document.kit_text import packing_of, plane_word, planes_to_pack
from evenpalette.core.document.state import State
from evenpalette.core.errors import ValueProblem
from evenpalette.core.raster.packing import PER_TEXTURE
from evenpalette.core.recipe.packed_reads import Plane
from evenpalette.core.recipe.samplers import coverage_slot
from evenpalette.core.recipe.table import LETTERS


@dataclass(frozen=True)
class KitPlanes:
    """Planes that stay together. word: as the document names the first. name: as people do. channel: the letters that
    they have in their texture. planes: what they are."""

    word: str
    name: str
    channel: str
    planes: tuple[Plane, ...]


@dataclass(frozen=True)
class KitShare:
    """Planes that lie in one texture of a kit. sampler: which one, '' where it is one of the document's as it is. kind:
    what those of one texture have in common, size and depth in words."""

    sampler: str
    kind: str
    held: tuple[KitPlanes, ...]

    @property
    def free(self) -> int:
        """How many planes more it takes."""
        return PER_TEXTURE - sum(len(one.planes) for one in self.held)


def kit_shares(state: State) -> list[KitShare]:
    """The textures of the state's sheet's kit that hold planes which may be moved."""
    units, alike = planes_to_pack(state)
    packing = packing_of(state)
    places: dict[tuple[Any, str, str], list[tuple[Plane, ...]]] = {}
    for unit in units:
        first = unit[0]
        sampler = packing[first][0] if first in packing else "" if first.texture else coverage_slot(first.channel)[0]
        places.setdefault((alike[first], sampler, "" if sampler else first.texture), []).append(unit)
    made = []
    for ((size, depth), sampler, _), held in places.items():
        planes: list[KitPlanes] = []
        for unit in sorted(held, key=lambda unit: LETTERS.index(packing[unit[0]][1]) if unit[0] in packing else 0):
            at = sum(len(one.planes) for one in planes)
            letters = "".join(packing[p][1] if p in packing else LETTERS[at + k] for k, p in enumerate(unit))
            planes.append(KitPlanes(plane_word(state, unit[0]), _name(state, unit), letters, unit))
        bits = {"|u1": "8 bits", "<u2": "16 bits", "<f4": "floats"}.get(depth, depth)
        made.append(KitShare(sampler, f"{size[0]} x {size[1]}, {bits}", tuple(planes)))
    return made


def _name(state: State, unit: Sequence[Plane]) -> str:
    first = unit[0]
    if not first.texture:
        return state.project.regions.regions[first.channel].name
    texture = state.project.asset.texture(first.texture)
    letters = "".join(LETTERS[plane.channel] for plane in unit)
    return f"{texture.name if texture is not None else first.texture}: {letters}"


def plane_named(state: State, text: str) -> str:
    """The word of a plane by its name, or by that word. Raises ValueProblem with what there is."""
    wanted = text.strip().lower()
    for share in kit_shares(state):
        for one in share.held:
            names = {one.name.lower(), one.word.lower(), f"region:{one.name.lower()}"}
            names |= {f"texture:{one.name.lower()}".replace(": ", ".")} if one.planes[0].texture else set()
            if wanted in names:
                return one.word
    there = ", ".join(one.name for share in kit_shares(state) for one in share.held) or "none"
    raise ValueProblem(f"The kit has no plane '{text[:80]}' that can be moved. There are: {there}.")


def plane_moved(state: State, word: str, beside: str = "") -> State:
    """The kit with a plane in the texture where another one lies; in one of its own where none is named. The others
    stay where they are. Where there is no room the two change places. Raises ValueProblem where that cannot be either,
    or the planes there have another size or depth."""
    shares = kit_shares(state)
    source, moved = _found(shares, word)
    target, back = _found(shares, beside) if beside else (None, None)
    if target is source:
        return state
    if target is not None and target.kind != source.kind:
        raise ValueProblem(
            f"{moved.name} has {source.kind}, and the planes there have {target.kind}: one texture has one size and depth."
        )
    changes = target is not None and back is not None and len(moved.planes) > target.free
    if changes and target is not None and back is not None:
        wider = len(moved.planes) - len(back.planes)
        if wider > target.free or -wider > source.free:
            raise ValueProblem(
                f"There is no room for {moved.name} in place of {back.name}: a texture has {PER_TEXTURE} channels. Move "
                "another one out first."
            )
    alike = [s for s in shares if s.kind == source.kind]
    exchanged = {word: beside, beside: word} if changes else {word: ""}
    arranged = [[exchanged.get(one.word, one.word) for one in s.held] for s in alike]
    if target is None:
        arranged.append([word])
    elif not changes:
        arranged[alike.index(target)].append(word)
    known = {one.word for s in alike for one in s.held}
    kept = [words for words in _packing(state) if not known & set(words)]
    return _with_packing(state, (*kept, *(tuple(filter(None, words)) for words in arranged if any(words))))


def _found(shares: Sequence[KitShare], word: str) -> tuple[KitShare, KitPlanes]:
    for share in shares:
        for one in share.held:
            if one.word == word:
                return share, one
    raise ValueProblem("The kit has no such plane now. Look at what it holds again.")


def packed_by_itself(state: State) -> State:
    """The kit in as few textures as can be; the same state where nobody has put anything together."""
    return _with_packing(state, ()) if _packing(state) else state


def is_by_hand(state: State) -> bool:
    """Whether somebody has put planes of the state's sheet together."""
    return bool(_packing(state))


def _packing(state: State) -> tuple[tuple[str, ...], ...]:
    return state.project.delivery.packing.get(state.sheet.id, ())


def _with_packing(state: State, shares: tuple[tuple[str, ...], ...]) -> State:
    settings = state.project.delivery
    packing = {key: held for key, held in settings.packing.items() if key != state.sheet.id}
    if shares:
        packing[state.sheet.id] = shares
    return state.with_project(delivery=settings.model_copy(update={"packing": packing}))
