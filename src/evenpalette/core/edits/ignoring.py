"""Findings that the artist chooses to leave, and to look at again."""

from evenpalette.core.document.state import State


def ignore(state: State, key: str) -> State:
    """Leave what is found under this key."""
    return state if key in state.project.ignored else state.with_project(ignored=(*state.project.ignored, key[:300]))


def heed(state: State, key: str) -> State:
    """Look at it again."""
    return state.with_project(ignored=tuple(k for k in state.project.ignored if k != key))
