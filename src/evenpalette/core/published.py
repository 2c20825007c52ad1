"""JSON Schemas as they are published."""

from typing import Any


def unwrapped(held: Any) -> Any:
    """A schema whose words are without the ends of lines that our source has."""
    if isinstance(held, list):
        return [unwrapped(part) for part in held]
    if not isinstance(held, dict):
        return held
    made = {key: unwrapped(part) for key, part in held.items()}
    if isinstance(text := made.get("description"), str):
        made["description"] = "\n\n".join(" ".join(part.split()) for part in text.split("\n\n"))
    return made
