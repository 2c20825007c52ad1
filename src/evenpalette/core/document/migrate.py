"""Project files of earlier versions, as today's version has them. Works on the JSON before it is checked.

Version 1 had one division, one sheet, and a step for each region. Neighboring steps of one kind with disjoint regions
become one step with rows; what they have in common is set once. What version 2 says means the same in version 3, which
says more: vectors, choices of textures, parts of textures; so does version 4 in version 5: forms of delivery; that in
version 6: bakes; that in version 7: values that are shared; and that in version 8: crowds, limits, marks. Up to version
3 scratches and strands were turned the other way.
"""

from typing import Any

from evenpalette.core.document.project import FIRST_SHEET, VERSION
from evenpalette.core.document.turned_angles import turned_sheets
from evenpalette.core.recipe.kind import StepKind
from evenpalette.core.recipe.steps import KINDS
from evenpalette.core.regions.region_set import FIRST_DIVISION
from evenpalette.core.values import ChannelRef

Tree = dict[str, Any]
#: What these versions say means the same today, which says more.
_SAME_MEANING = (4, 5, 6, 7)
_ONE: Tree = {"parameter": None, "value": 1.0}


def migrated(raw: Tree) -> Tree:
    """The file's content as of today's version. What is malformed is left for the check that follows."""
    if raw.get("version") in _SAME_MEANING:
        return {**raw, "version": VERSION}
    if raw.get("version") not in (1, 2, 3):
        return raw
    try:
        return turned_sheets(_from_1(raw) if raw["version"] == 1 else {**raw, "version": VERSION})
    except (KeyError, TypeError, AttributeError, ValueError, IndexError, RecursionError):
        return {key: value for key, value in raw.items() if key != "regions"} | {"version": VERSION, "damaged": True}


def migration_note(raw: Tree) -> str:
    """What became of a file of an earlier version, in words; '' for one of today's."""
    if raw.get("version") != 1:
        return ""
    steps = raw.get("recipe", {}).get("steps", [])
    joined = _joined(steps)
    what = [
        f"{len(step['rows'])} {KINDS[step['kind']].label} steps became one with rows"
        for step in joined
        if len(step["rows"]) > 1 and step["kind"] in KINDS
    ]
    return ", ".join(["from version 1", *what])


def _from_1(raw: Tree) -> Tree:
    raw = _turned(raw)
    asset, regions = raw.get("asset", {}), raw.get("regions", {})
    recipe = raw.get("recipe", {})
    division = {"id": FIRST_DIVISION, "name": "Parts", "overlap": regions.get("overlap", "exclusive")}
    division["regions"] = regions.get("regions", [])
    divided = {"divisions": [division], **({"bake": regions["bake"]} if "bake" in regions else {})}
    sheet = {
        "id": FIRST_SHEET, "name": "Sheet", "textures": asset.get("textures", []), "regions": divided,
        "base": recipe.get("base", "tone"), "steps": _joined(recipe.get("steps", [])),
    }  # fmt: skip
    if "tone" in raw:
        sheet["tone"] = raw["tone"]
    kept = ("format", "name", "variants", "active_variant", "delivery", "mesh_file")
    made = {key: raw[key] for key in kept if key in raw}
    strange = set(raw) - {*kept, "asset", "regions", "tone", "recipe", "rasters", "version"}
    return made | {
        "version": VERSION, "mesh": asset.get("mesh"), "sheets": [sheet], "parameters": recipe.get("parameters", []),
        "rasters": raw.get("rasters", {}), **{key: raw[key] for key in strange},
    }  # fmt: skip


def _joined(steps: list[Tree]) -> list[Tree]:
    """Steps with rows, neighbors joined where they are of one kind, share no region and are on or off alike."""
    groups: list[list[Tree]] = []
    for step in steps:
        group = groups[-1] if groups else []
        if group and _belongs(step, group):
            group.append(step)
        else:
            groups.append([step])
    return [_with_rows(group) for group in groups]


def _belongs(step: Tree, group: list[Tree]) -> bool:
    first = group[0]
    if step.get("regions") is None or first.get("regions") is None:
        return False
    alike = all(
        step.get(key, default) == first.get(key, default)
        for key, default in (("kind", ""), ("enabled", True), ("channels", {}))
    )
    taken = {region for other in group for region in other["regions"]}
    return alike and not taken & set(step["regions"])


def _with_rows(group: list[Tree]) -> Tree:
    first = group[0]
    kind = KINDS.get(first["kind"])
    inputs = [dict(step.get("inputs", {})) for step in group]
    shared = _common(inputs, kind) if len(group) > 1 else {}
    amounts = [step.get("amount", _ONE) for step in group]
    same_amount = all(amount == amounts[0] for amount in amounts)
    rows = [
        {
            "id": f"row-{step['id']}", "regions": step.get("regions"), "amount": _ONE if same_amount else amount,
            "inputs": {key: binding for key, binding in own.items() if key not in shared},
        }
        for step, own, amount in zip(group, inputs, amounts, strict=True)
    ]  # fmt: skip
    name = first["name"] if len(group) == 1 or kind is None else kind.label
    return {
        "id": first["id"], "kind": first["kind"], "name": name, "enabled": first.get("enabled", True),
        "amount": amounts[0] if same_amount else _ONE, "inputs": shared | _maps(first.get("channels", {})), "rows": rows,
    }  # fmt: skip


def _maps(channels: Tree) -> Tree:
    """Channels that a step read, as the values they are today."""
    return {
        key: {"parameter": None, "value": str(ChannelRef(ref["texture"], ref.get("channel", 0), ref.get("invert", False)))}
        for key, ref in channels.items()
    }  # fmt: skip


def _common(inputs: list[Tree], kind: StepKind | None) -> Tree:
    """What all have alike, but for the inputs of which each row has its own."""
    own = kind.row_inputs if kind is not None else ()
    return {
        key: binding for key, binding in inputs[0].items()
        if key not in own and all(other.get(key) == binding for other in inputs)
    }  # fmt: skip


def _turned(raw: Tree) -> Tree:
    """Hue shifts in YIQ turned the other way in version 1: their angles change sign, and the look stays.

    An angle that follows a parameter gets one of its own with the sign changed, where others follow it too.
    """
    recipe = raw.get("recipe", {})
    steps, parameters = list(recipe.get("steps", [])), list(recipe.get("parameters", []))
    variants = [dict(variant) for variant in raw.get("variants", [])]
    users: dict[str, int] = {}
    for step in steps:
        for binding in (step.get("amount", _ONE), *step.get("inputs", {}).values()):
            if binding.get("parameter"):
                users[binding["parameter"]] = users.get(binding["parameter"], 0) + 1
    turning: dict[str, list[int]] = {}
    for index, step in enumerate(steps):
        angle = step.get("inputs", {}).get("angle", {})
        space = step.get("inputs", {}).get("space", {})
        if step.get("kind") != "hue_shift" or space.get("parameter") or space.get("value", "YIQ") not in ("YIQ", None):
            continue
        if angle.get("parameter"):
            turning.setdefault(angle["parameter"], []).append(index)
        elif angle.get("value"):
            steps[index] = _with_angle(step, {**angle, "value": -angle["value"]})
    for parameter_id, indices in turning.items():
        place = next((i for i, p in enumerate(parameters) if p["id"] == parameter_id), None)
        if place is None:
            continue
        old = parameters[place]
        new = {**old, "default": -old["default"], "low": -old.get("high", 1.0), "high": -old.get("low", 0.0)}
        if users[parameter_id] > len(indices):
            new |= {"id": f"{parameter_id}-turned", "name": f"{old['name'][:70]} (YIQ)"}
            parameters.insert(place + 1, new)
            for index in indices:
                steps[index] = _with_angle(steps[index], {"parameter": new["id"], "value": None})
        else:
            parameters[place] = new
        for variant in variants:
            values = dict(variant.get("values", {}))
            if parameter_id in values:
                values[new["id"]] = -values[parameter_id]
                variant["values"] = values
    return {**raw, "recipe": {**recipe, "steps": steps, "parameters": parameters}, "variants": variants}


def _with_angle(step: Tree, angle: Tree) -> Tree:
    return {**step, "inputs": {**step["inputs"], "angle": angle}}
