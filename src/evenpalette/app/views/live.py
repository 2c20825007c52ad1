"""The document on its way to the scene, or what a stroke or a drag makes of it; and what was drawn of it last."""

from collections.abc import Mapping, Sequence

from numpy.typing import NDArray

from evenpalette.app.facets import EVERYTHING, VALUES
from evenpalette.app.session import Session
from evenpalette.app.views.shown import BESIDE, Shown
from evenpalette.core.document.state import State
from evenpalette.core.raster.box import Box
from evenpalette.core.raster.raster import Raster
from evenpalette.gpu.look import Look
from evenpalette.gpu.scene import SceneRenderer

#: What a view shows from the left on, each up to a share of its width.
Looks = list[tuple[Look, float]]
_VALUES = frozenset({VALUES})


class Live:
    """What is to be drawn is handed on when it is drawn: many changes in a turn of the event loop are one.

    held: the state that the scene has. undrawn: what has changed since both views were drawn whole. looks: what was
    shown when the driver complained of nothing the last time.
    """

    def __init__(self, session: Session, shown: Shown) -> None:
        self._session, self._shown = session, shown
        self.held = self._good = State()
        self.looks: tuple[Looks, Looks] = ([], [])
        self.undrawn, self._changed = EVERYTHING, EVERYTHING
        self._stale, self._is_stroke = True, False
        self._preview: State | None = None
        self._patches: list[tuple[set[str], Box]] = []
        self._copies: dict[str, tuple[NDArray, NDArray]] = {}
        self.extras: dict[str, Raster] = {}
        self._beside: tuple[tuple[int, int], dict[str, Raster]] | None = None

    def change(self, facets: frozenset[str]) -> None:
        """The document changed. What has no facet is not known to be of values alone."""
        self._stale, self._changed = True, self._changed | (facets or EVERYTHING)

    def anew(self) -> None:
        """Hand everything on again."""
        self.change(EVERYTHING)

    def show(self, state: State | None, copies: Mapping[str, tuple[NDArray, NDArray]] | None) -> None:
        """Another state than the document's from now on, None for the document's; copies: of a stroke, see `Canvas`."""
        self._preview, self._is_stroke = state, copies is not None
        self._copies |= copies or {}
        self.anew()

    def patch(self, regions: set[str], boxes: Sequence[Box]) -> None:
        """Texels of coverages changed in place."""
        self._patches += [(regions, box) for box in boxes]

    def hand_on(self, scene: SceneRenderer, *, may_wait: bool) -> None:
        """Hand what changed to the scene. may_wait: a picture of the same model may stand until a new shader is
        compiled."""
        if self._stale:
            self.held, self._stale = self._preview or self._session.state, False
            scene.set_state(self.held, values_only=self._changed == _VALUES)
            self.undrawn, self._changed = self.undrawn | self._changed, frozenset()
        scene.patient = may_wait and not self._is_stroke and self._good.mesh is self.held.mesh is not None
        extras = self.extras if not self._shown.beside else self._with_beside()
        if scene.extras is not extras:
            scene.extras = extras
        if self._copies:
            scene.adopt(self._copies)
            self._copies.clear()
        if self._patches:
            regions, boxes = set().union(*(r for r, _ in self._patches)), [box for _, box in self._patches]
            scene.patch_coverages(regions, boxes)
            self._patches.clear()

    def _with_beside(self) -> dict[str, Raster]:
        """Pictures that are no textures of the document, those from elsewhere among them; the same one for the same
        ones."""
        key = id(self.extras), id(self._shown.beside)
        if self._beside is None or self._beside[0] != key:
            held = {BESIDE + name: picture for name, (_, picture) in self._shown.beside.items()}
            self._beside = key, {**self.extras, **held}
        return self._beside[1]

    def went_well(self, looks: tuple[Looks, Looks]) -> None:
        """All of it was drawn."""
        self._good, self.looks, self.undrawn = self.held, looks, frozenset()

    def go_back(self, scene: SceneRenderer) -> None:
        """Draw what was drawn last without a complaint, until the document changes again."""
        self.held, self.undrawn = self._good, EVERYTHING
        scene.set_state(self.held)
