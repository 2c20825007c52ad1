"""The four assets as a collection: a red and a green that they share, and variants that hang in one street."""

from pathlib import Path

from evenpalette.core.collection import ENDING
from evenpalette.core.collection.across import add_shared
from evenpalette.core.collection.files import CollectionFile
from evenpalette.core.collection.model import Collection, VariantSet
from evenpalette.core.collection.shared import follow
from evenpalette.core.document.lookup import parameter_named, variant_named
from evenpalette.core.document.state import State
from evenpalette.core.storage.storage import Storage

_SHARED = (
    ("Guild red", "#a7302b", (("pennant", "Field tint", "Market Red"), ("stall-sign", "Board tint", "Red Kettle"), ("tea-tin", "Lid lacquer", "Canal Noon"))),
    ("Jade", "#2c5a4a", (("tea-tin", "Lid lacquer", "Jade Quarter"), ("moth-lantern", "Cap tint", "Plum Rain"))),
)  # fmt: skip
_SETS = (
    ("Ember", {"moth-lantern": "Ember", "pennant": "Market Red", "stall-sign": "Red Kettle", "tea-tin": "Canal Noon"}),
    ("Night", {"moth-lantern": "Harbour Night", "pennant": "Night Row", "stall-sign": "Night Brew", "tea-tin": "Canal Night"}),
)  # fmt: skip
_NAMES = ("moth-lantern", "pennant", "stall-sign", "tea-tin")


def build(folder: Path) -> None:
    """Write the collection, and let the saved projects follow it."""
    path = folder / f"market{ENDING}"
    path.unlink(missing_ok=True)
    file = CollectionFile(path)
    made = file.with_projects(Collection(name="Lantern market"), [folder / name for name in _NAMES])
    # Descriptions alone: no picture is written anew.
    storages = {name: Storage(folder / name) for name in _NAMES}
    states = {name: State(storage.open_description()) for name, storage in storages.items()}
    for name, value, followers in _SHARED:
        made, shared = add_shared(made, name, value)
        for project, parameter, variant in followers:
            state = states[project]
            states[project] = follow(
                state, parameter_named(state, parameter).id, variant_named(state, variant).id, path, shared
            )
    sets = tuple(
        VariantSet(id=name.lower(), name=name, members={k: variant_named(states[k], v).id for k, v in members.items()})
        for name, members in _SETS
    )
    file.write(made.model_copy(update={"sets": sets}))
    for name, state in states.items():
        storages[name].save_description(state.project)
