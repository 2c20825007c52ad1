"""The base of everything that is written to the project file."""

from typing import Any

from pydantic import BaseModel, ConfigDict

from evenpalette.core.published import unwrapped


class Stored(BaseModel):
    """Immutable, checked on creation; unknown keys are refused so that a typing error is not lost silently."""

    model_config = ConfigDict(extra="forbid", frozen=True, defer_build=True)


def schema_of(model: type[BaseModel]) -> dict[str, Any]:
    """The JSON Schema of a model as it is published."""
    return dict(unwrapped(model.model_json_schema()))
