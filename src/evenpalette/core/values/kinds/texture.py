"""A texture by its id, '' for none; as a parameter one of those that its choices name."""

from evenpalette.core.errors import ValueProblem
from evenpalette.core.values.kind import Value, ValueKind, ValueType, Within, text_of
from evenpalette.core.values.kinds.choice import another_choice, place_among_choices, some_needed


def _accept(value: object, within: Within) -> Value:
    texture = text_of(value, ValueType.TEXTURE, within)
    if within.choices and texture not in within.choices:
        raise ValueProblem(f"'{within.label}' takes one of its {len(within.choices)} textures.")
    return texture


KIND = ValueKind(
    ValueType.TEXTURE, 7, _accept, others=lambda now, within: within.choices, varied=another_choice,
    told=lambda value, within, files: {"texture": str(value), "file": files.get(str(value), "")},
    rank=place_among_choices, choices_problem=some_needed, is_written=True, is_parameter=True,
)  # fmt: skip
