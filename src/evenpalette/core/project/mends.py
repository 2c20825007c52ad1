"""What can be mended with one click: for a finding, a sentence and an edit."""

from collections.abc import Callable

from evenpalette.core.project.edits import asset, recipe, regions
from evenpalette.core.project.state import State
from evenpalette.core.regions.checks import Finding
from evenpalette.core.regions.model import FlagSource

Mend = tuple[str, Callable[[State], State]]


def mend_for(state: State, finding: Finding) -> Mend | None:
    """The label of the mend and the edit that does it, or None where only the artist can decide."""
    if finding.code in ("data-as-color", "color-as-data"):
        texture = state.project.asset.texture(finding.subject)
        if texture is not None:
            role = texture.role
            return "Read it as what it holds", lambda s: asset.set_role(s, finding.subject, role)
    if finding.code == "impure-flag" and finding.subject in state.textures:
        return "Make its flags pure", lambda s: regions.clean_texture(s, finding.subject, 0, False)[0]
    if finding.code == "gap":
        maps = [r.source.texture for r in state.project.regions.regions if isinstance(r.source, FlagSource)]
        if maps:
            return "Give gaps to the nearest region", lambda s: regions.clean_texture(s, maps[0], 0, True)[0]
    if finding.code == "unused-parameter":
        return "Remove the parameter", lambda s: recipe.remove_parameter(s, finding.subject)
    return None
