"""The base of everything that is written to the project file."""

from pydantic import BaseModel, ConfigDict


class Stored(BaseModel):
    """Immutable, checked on creation; unknown keys are refused so that a typing error is not lost silently."""

    model_config = ConfigDict(extra="forbid", frozen=True)
