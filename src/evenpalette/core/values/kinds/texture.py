"""A texture by its id, '' for none; as a parameter one of those that its choices name."""

from evenpalette.core.errors import ValueProblem
from evenpalette.core.values.kind import Value, ValueKind, ValueType, Within, text_of
from evenpalette.core.values.kinds.choice import another_choice


def _accept(value: object, within: Within) -> Value:
    texture = text_of(value, ValueType.TEXTURE, within)
    if within.choices and texture not in within.choices:
        raise ValueProblem(f"'{within.label}' takes one of its {len(within.choices)} textures.")
    return texture


KIND = ValueKind(
    ValueType.TEXTURE, 7, _accept, others=lambda now, within: within.choices, varied=another_choice, is_parameter=True
)
