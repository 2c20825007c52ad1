"""What a delivery has told a game: the names of uniforms, which code may hold from then on."""

from evenpalette.core.document.state import State
from evenpalette.core.edits.parameters import update_parameter
from evenpalette.core.errors import RecipeError
from evenpalette.core.recipe.parameters import parameter_uniform_names


def noted(state: State) -> State:
    """The project that knows which names were delivered."""
    names = parameter_uniform_names(state.project.parameters)
    if names == state.project.delivery.uniforms:
        return state
    return state.with_project(delivery=state.project.delivery.model_copy(update={"uniforms": names}))


def renamed(state: State) -> dict[str, tuple[str, str]]:
    """By the parameter's id: the uniform that was delivered and the one that it is now, '' for none."""
    now = parameter_uniform_names(state.project.parameters)
    return {
        key: (old, now.get(key, "")) for key, old in state.project.delivery.uniforms.items() if now.get(key, "") != old
    }


def as_delivered(state: State, parameter_id: str) -> State | None:
    """A parameter called so that its uniform is the one that was delivered; None where that cannot be."""
    old = state.project.delivery.uniforms.get(parameter_id, "")
    words = old.removeprefix("p_").replace("_", " ").strip()
    try:
        made = update_parameter(state, parameter_id, name=words[:1].upper() + words[1:])
    except RecipeError:
        return None
    return made if parameter_uniform_names(made.project.parameters).get(parameter_id) == old else None
