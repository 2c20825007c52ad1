"""Directions of scratches and strands as they were stored before version 4: from u toward v, so clockwise with green
up.

Since then they turn counter-clockwise, from u toward where green points, as KHR_materials_anisotropy has it. An angle
is stored anew as one turn less it, so that all that was made looks as it did. Works on JSON before it is checked.
"""

import json
from typing import Any

Tree = dict[str, Any]
#: Kinds of steps with the input, and its value there where none is stored.
_KINDS = {"finish": 0.0, "strands": 0.25}
_KEY = "angle"


def turned(
    steps: list[Tree], parameters: list[Tree], variants: list[Tree]
) -> tuple[list[Tree], list[Tree], list[Tree]]:
    """Steps, parameters and variants of an earlier version as today has them.

    An angle that follows a parameter gets one of its own, turned, with values of its own in all variants. May raise
    whatever malformed JSON gives rise to.
    """
    parameters, variants = list(parameters), [dict(variant) for variant in variants]
    known = {p["id"]: p for p in parameters}

    def followed(parameter_id: str, part: int | None) -> str:
        """The turned twin of a parameter, or of a part of a vector."""
        twin = f"{parameter_id}-turned" + (f"-{part}" if part is not None else "")
        old = known.get(parameter_id)
        if old is None or twin in known:
            return twin if old is not None else parameter_id

        def number(value: Any) -> float:
            return float(str(value).split(",")[part]) if part is not None else float(value)

        known[twin] = {
            "id": twin, "name": f"{old['name'][:60]} (turned)", "type": "number", "default": _mirror(number(old["default"])),
            "low": 0.0, "high": 1.0, "group": old.get("group", ""), "description": old.get("description", ""),
        }  # fmt: skip
        parameters.append(known[twin])
        for variant in variants:
            if parameter_id in variant.get("values", {}):
                variant["values"] = {**variant["values"], twin: _mirror(number(variant["values"][parameter_id]))}
        return twin

    def binding(old: Tree) -> Tree:
        made = dict(old)
        if made.get("parameter"):
            made["parameter"], made["part"] = followed(made["parameter"], made.get("part")), None
        if made.get("value") is not None:
            made["value"] = _mirror(float(made["value"]))
        for key in ("pick", "pulse"):
            if made.get(key):
                made[key] = _turned_range(made[key])
        return made

    def step(old: Tree) -> Tree:
        made = dict(old)
        if made.get("link") and made["link"].get("base"):
            base = turned([json.loads(made["link"]["base"])], list(known.values()), [])[0][0]
            made["link"] = {**made["link"], "base": json.dumps(base)}
        if made.get("kind") not in _KINDS:
            return made
        rows = [dict(row) for row in made.get("rows", [])]
        for row in rows:
            if _KEY in row.get("inputs", {}):
                row["inputs"] = {**row["inputs"], _KEY: binding(row["inputs"][_KEY])}
        inputs, default = made.get("inputs", {}), _KINDS[made["kind"]]
        if _KEY in inputs or (default and any(_KEY not in row.get("inputs", {}) for row in rows)):
            inputs = {**inputs, _KEY: binding(inputs.get(_KEY, {"value": default}))}
        return {**made, "rows": rows, "inputs": inputs}

    return [step(old) for old in steps], parameters, variants


def turned_sheets(raw: Tree) -> Tree:
    """A project of version 2 or 3 with its angles turned, and those that its sheets begin with."""
    parameters, variants, sheets = raw.get("parameters", []), raw.get("variants", []), []
    for sheet in raw.get("sheets", []):
        steps, parameters, variants = turned(sheet.get("steps", []), parameters, variants)
        factors = dict(sheet.get("factors", {}))
        if "anisotropy_angle" in factors:
            factors["anisotropy_angle"] = [_mirror(float(value)) for value in factors["anisotropy_angle"]]
        sheets.append({**sheet, "steps": steps, **({"factors": factors} if factors else {})})
    return {**raw, "sheets": sheets, "parameters": parameters, "variants": variants}


def _mirror(turns: float) -> float:
    return round((1.0 - turns) % 1.0, 9)


def _turned_range(held: Tree) -> Tree:
    """A pick or a pulse of angles; its range keeps its order."""
    made = dict(held)
    if made.get("values"):
        made["values"] = [_mirror(float(value)) for value in made["values"]]
    low, high = (float(made.get(key, default)) for key, default in (("low", 0.0), ("high", 1.0)))
    return made | {"low": 1.0 - low, "high": 1.0 - high}
