"""What the tone, the recipe and the variants read is read from elsewhere."""

from collections.abc import Mapping
from typing import TypeVar

from evenpalette.core.document.state import State
from evenpalette.core.stored import Stored

Part = TypeVar("Part", bound=Stored)


def rewired(state: State, changes: Mapping[str, str]) -> State:
    """The state in which references are others: ids of textures, or 'id:channel' for one channel of one."""

    def swapped(value: object) -> object:
        if isinstance(value, str):
            bare = value.removesuffix(":inverted")
            behind = value[len(bare) :]
            if bare in changes:
                return changes[bare] + behind
            head, colon, channel = bare.partition(":")
            return f"{changes[head]}{colon}{channel}{behind}" if colon and head in changes else value
        if isinstance(value, dict):
            return {key: swapped(part) for key, part in value.items()}
        return [swapped(part) for part in value] if isinstance(value, list | tuple) else value

    def of(part: Part) -> Part:
        return type(part).model_validate(swapped(part.model_dump(mode="json")))

    project = state.project
    return state.with_project(
        tone=of(project.tone), recipe=of(project.recipe), variants=tuple(of(variant) for variant in project.variants)
    )
