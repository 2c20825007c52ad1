"""Asset: the mesh and its textures, and what each of them holds."""

from evenpalette.app.station import Hint, Place

PLACE = Place(
    "asset",
    "Asset",
    0,
    Hint(
        "A mesh and its textures lie here. Turn the model: drag on Form, the view on the left.",
        lambda _, views: views.frame.camera,
    ),
    lambda state, _: state.project.mesh is not None or bool(state.project.asset.textures),
    ready=lambda _: True,
)
