"""Steps as the kinds themselves give them as examples: for warm-up, tests and benchmarks."""

from collections.abc import Mapping, Sequence

from evenpalette.core.recipe.kind import StepKind
from evenpalette.core.recipe.recipe import Binding, Row, Step
from evenpalette.core.values import ChannelRef, Value


def example_step(
    kind: StepKind, values: Mapping[str, Value], regions: Sequence[str] = (), placement: str = "", *,
    texture: str = "t", channel: int = 0, invert: bool = False, amount: float = 1.0,
) -> Step:  # fmt: skip
    """A step with these values, a row for each region and one for everywhere else, which reads this texture."""
    inputs = {key: Binding(value=value) for key, value in values.items()}
    for map_ in kind.maps:
        inputs[map_.key] = Binding(value=texture if map_.whole else str(ChannelRef(texture, channel, invert)))
        inputs[map_.placement.key] = Binding(value=placement)
    rows = [*(Row(id=region, regions=(region,)) for region in regions), Row(id="rest")]
    return Step(
        id=kind.key, kind=kind.key, name=kind.label, inputs=inputs, rows=tuple(rows), amount=Binding(value=amount)
    )
