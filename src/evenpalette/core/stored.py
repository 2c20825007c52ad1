"""The base of everything that is written to the project file."""

from typing import Any

from pydantic import BaseModel, ConfigDict


class Stored(BaseModel):
    """Immutable, checked on creation; unknown keys are refused so that a typing error is not lost silently."""

    model_config = ConfigDict(extra="forbid", frozen=True, defer_build=True)


def schema_of(model: type[BaseModel]) -> dict[str, Any]:
    """The JSON Schema of a model as it is published: its words without the ends of lines that our source has."""

    def unwrapped(held: Any) -> Any:
        if isinstance(held, list):
            return [unwrapped(part) for part in held]
        if not isinstance(held, dict):
            return held
        made = {key: unwrapped(part) for key, part in held.items()}
        if isinstance(text := made.get("description"), str):
            made["description"] = "\n\n".join(" ".join(part.split()) for part in text.split("\n\n"))
        return made

    return dict(unwrapped(model.model_json_schema()))
