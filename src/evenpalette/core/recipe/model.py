"""What the document stores about the recipe."""

from pydantic import Field

from evenpalette.core.recipe.parameters import Parameter, Value
from evenpalette.core.stored import Stored

#: The recipe starts from the neutral tone.
TONE = "tone"


class Binding(Stored):
    """Where a step input takes its value: a parameter's id, or a constant."""

    parameter: str | None = None
    value: Value | None = None


class ChannelRef(Stored):
    """One channel (0 red .. 3 alpha) of a texture, taken as data 0..1."""

    texture: str
    channel: int = Field(0, ge=0, le=3)
    invert: bool = False


class Step(Stored):
    """One operation. `out = in + (op(in) - in) * coverage * amount`, in linear light.

    regions: ids of the regions it is limited to; None is the whole surface.
    inputs: input key to binding. channels: channel input key to texture channel.
    """

    id: str
    kind: str
    name: str = Field(min_length=1, max_length=80)
    enabled: bool = True
    regions: tuple[str, ...] | None = None
    amount: Binding = Binding(value=1.0)
    inputs: dict[str, Binding] = {}
    channels: dict[str, ChannelRef] = {}


class Recipe(Stored):
    """The ordered recoloring. base: 'tone', or the id of a color texture."""

    base: str = TONE
    parameters: tuple[Parameter, ...] = ()
    steps: tuple[Step, ...] = ()

    def parameter(self, parameter_id: str) -> Parameter | None:
        """The parameter with this id."""
        return next((p for p in self.parameters if p.id == parameter_id), None)

    def step(self, step_id: str) -> Step | None:
        """The step with this id."""
        return next((s for s in self.steps if s.id == step_id), None)

    def users(self, parameter_id: str) -> list[Step]:
        """The steps that read this parameter."""
        return [s for s in self.steps if any(b.parameter == parameter_id for b in (s.amount, *s.inputs.values()))]
