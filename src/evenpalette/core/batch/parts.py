"""The parts that a delivery is cut into, and how one is made: of a frozen project, into bytes.

A part is what is evaluated together: the files of one variant on one sheet at one size; a form of delivery that spans
all of them; or a look at what is wrong. Making it changes nothing and reads nothing but the project.
"""

import hashlib
import json
import time
from collections.abc import Mapping, Sequence
from dataclasses import asdict, field, replace
from typing import Any

from evenpalette.core.batch.wish import Wish
from evenpalette.core.dataclass import dataclass
from evenpalette.core.delivery.deliver import IMAGES
from evenpalette.core.delivery.inputs import fingerprint, forms_word, images_word
from evenpalette.core.delivery.kit_model import KitMap, read_said
from evenpalette.core.delivery.layouts.write import by_surface, planned_files, write_files
from evenpalette.core.delivery.manifest import Former
from evenpalette.core.delivery.plan import DeliveryPlan, planned
from evenpalette.core.delivery.render import delivered_size
from evenpalette.core.delivery.target import Delivered
from evenpalette.core.delivery.targets import TARGETS
from evenpalette.core.document.lookup import variant_ids
from evenpalette.core.document.state import State
from evenpalette.core.findings.findings import find_all
from evenpalette.core.findings.kinds import FINDINGS
from evenpalette.core.recipe.attributes import ATTRIBUTES
from evenpalette.core.temp_folder import temp_folder

PLAN, CHECK, FILES, FORMS = "plan", "check", "files", "forms"
#: Bytes that a texel takes while a surface is evaluated and written, beside what each plane of it takes.
_BYTES_A_TEXEL, _BYTES_A_PLANE = 24, 8


@dataclass(frozen=True)
class Part:
    """kind: one of those above; forms are all targets but the images, which build on each other. name: for people.
    words: by the name of each file that it makes, what that depends on; of forms one word for all, as their files are
    not known before. memory: bytes that it takes, about. maps: what images that were made before are like, for forms
    that say so."""

    kind: str
    name: str = ""
    variant: str | None = None
    sheet: str = ""
    words: Mapping[str, str] = field(default_factory=dict)
    memory: int = 0
    maps: Mapping[str, Any] = field(default_factory=dict)

    def as_data(self) -> dict[str, Any]:
        """For a job."""
        return asdict(self)

    @property
    def word(self) -> str:
        """What all of it depends on."""
        said = json.dumps([self.kind, self.variant, self.sheet, sorted(self.words.items())])
        return hashlib.sha256(said.encode()).hexdigest()[:32]

    def only(self, names: Sequence[str]) -> "Part":
        """The part with some of its files."""
        return replace(self, words={name: self.words[name] for name in names})


@dataclass
class Made:
    """What came of a part. files: bytes by their names in the delivery. notes: what is noted of them in the manifest.
    said: what a form could not say. value: of a plan or a check, what was found."""

    files: dict[str, bytes] = field(default_factory=dict)
    notes: dict[str, dict[str, Any]] = field(default_factory=dict)
    said: list[str] = field(default_factory=list)
    value: Any = None
    seconds: float = 0.0
    where: str = ""


def make(state: State, wish: Wish, part: Part) -> Made:
    """Make a part. Raises EvenPaletteError; a kind of step that is not installed here is refused by name."""
    began = time.perf_counter()
    made = Made()
    if part.kind == PLAN:
        made.value = [one.as_data() for one in parts_of(state, wish)]
    elif part.kind == CHECK:
        made.value = _checked(state)
    else:
        _write(state, wish, part, made)
    made.seconds = time.perf_counter() - began
    return made


def parts_of(state: State, wish: Wish) -> list[Part]:
    """Everything that a wish makes of a project. Raises EvenPaletteError."""
    plan = _plan(state, wish)
    found: list[Part] = []
    for sheet in plan.sheets:
        on = state.on(sheet.id)
        size = delivered_size(on, plan.longest)
        for variant in plan.variants:
            place = f"{variant.name}, {on.sheet.name}" if len(plan.sheets) > 1 else variant.name
            if IMAGES in wish.targets:
                inputs = images_word(plan, variant, sheet)
                names = [str(plan.maps_folder(variant, sheet) / f"{key}.png") for key in plan.maps]
                memory = _memory(size, plan.maps)
                found.append(
                    Part(IMAGES, f"images of {place}", variant.id, sheet.id, dict.fromkeys(names, inputs), memory)
                )
    layout = wish.files
    if layout is not None:
        groups = by_surface(planned_files(state, layout, _ids(state, wish), wish.size))
        called = {variant.id: variant.name for variant in plan.variants}
        for (sheet_id, variant_id, size), some in groups.items():
            on = state.on(sheet_id)
            by_name = {
                one.name: fingerprint(on, variant_id, "layout", size, one.file.model_dump_json()) for one in some
            }
            name = f"files of {called.get(variant_id, 'all')}"
            found.append(Part(FILES, name, variant_id, sheet_id, by_name, _memory(size, tuple(ATTRIBUTES)[:5])))
    forms = [key for key in wish.targets if key != IMAGES]
    if forms:
        size = delivered_size(state, max(wish.size, wish.kit_size))
        name = ", ".join(TARGETS[key].label for key in forms)
        found.append(
            Part(FORMS, name, words={FORMS: forms_word(plan, forms)}, memory=2 * _memory(size, tuple(ATTRIBUTES)))
        )
    return found


def _ids(state: State, wish: Wish) -> list[str] | None:
    return None if wish.variants is None else variant_ids(state, wish.variants)


def _plan(state: State, wish: Wish) -> DeliveryPlan:
    return planned(
        state, variants=_ids(state, wish), maps=wish.maps, longest=wish.size, kit_longest=wish.kit_size, workers=0
    )


def _memory(size: tuple[int, int], maps: Sequence[str]) -> int:
    planes = sum(ATTRIBUTES[key].planes for key in maps)
    return size[0] * size[1] * (_BYTES_A_TEXEL + _BYTES_A_PLANE * planes)


def _checked(state: State) -> list[dict[str, Any]]:
    """The findings as data; what lies elsewhere is not looked into."""
    return [
        {
            "code": f.code, "station": f.station, "text": f.text, "region": f.region, "place": f.place,
            "weight": FINDINGS[f.code].weight.name.lower(),
        }
        for f in find_all(state)
    ]  # fmt: skip


def _write(state: State, wish: Wish, part: Part, made: Made) -> None:
    plan = _plan(state, wish)
    with temp_folder("part") as folder:
        # Nothing lies there, so all of it is made; what it is made from is noted.
        former = Former(folder / "nothing")
        delivered = Delivered(former)
        (folder / "out").mkdir()
        out = folder / "out"
        if part.kind == FILES:
            files = planned_files(state, wish.files, _ids(state, wish), wish.size) if wish.files is not None else []
            write_files(state, [one for one in files if one.name in part.words], out, former)
        elif part.kind == IMAGES:
            TARGETS[IMAGES].write(
                replace(
                    plan,
                    variants=tuple(v for v in plan.variants if v.id == part.variant),
                    sheets=tuple(s for s in plan.sheets if s.id == part.sheet),
                ),
                delivered, out, lambda _: None,
            )  # fmt: skip
        else:
            for variant in plan.variants:
                for sheet in plan.sheets:
                    names = {key: str(plan.maps_folder(variant, sheet) / f"{key}.png") for key in plan.maps}
                    if all(name in part.maps for name in names.values()):
                        delivered.maps[variant.id, sheet.id] = {
                            key: read_said(KitMap, part.maps[name]) for key, name in names.items()
                        }
            for key in wish.targets:
                if key != IMAGES:
                    TARGETS[key].write(plan, delivered, out, lambda _: None)
        made.said = list(delivered.notes)
        made.notes = {name: dict(said) for name, said in former.notes.items()}
        for path in sorted(p for p in out.rglob("*") if p.is_file()):
            made.files[path.relative_to(out).as_posix()] = path.read_bytes()
    if part.kind == FORMS:
        made.notes = {name: {"inputs": part.words[FORMS]} for name in made.files}
