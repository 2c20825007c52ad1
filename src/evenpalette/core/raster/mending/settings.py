"""What is done to a poor texture, as it is stored."""

from typing import Annotated, Literal

from pydantic import Field

from evenpalette.core.stored import Stored


class Mending(Stored):
    """Noise is taken out first, then the flow is smoothed, then the texture is made larger.

    noise, flow: amounts, 0 leaves that out; reaches in texels. along_edges: enlarge edge-directed. channels: those that
    are worked on, 0 red .. 3 alpha; none are all.
    """

    noise: float = Field(0.0, ge=0, le=4)
    noise_reach: int = Field(1, ge=1, le=16)
    flow: float = Field(0.0, ge=0, le=1)
    flow_reach: int = Field(8, ge=1, le=64)
    enlarge: Literal[1, 2, 4] = 1
    along_edges: bool = True
    channels: tuple[Annotated[int, Field(ge=0, le=3)], ...] = Field((), max_length=4)

    @property
    def does_nothing(self) -> bool:
        """Whether what comes out is what goes in."""
        return not self.noise and not self.flow and self.enlarge == 1

    def words(self) -> str:
        """What is done, in short."""
        parts = [f"{self.enlarge} times as large"] if self.enlarge > 1 else []
        parts += [f"smoothed along {self.flow_reach} texels"] if self.flow else []
        parts += ["noise taken out"] if self.noise else []
        return ", ".join(parts) or "as it was"
