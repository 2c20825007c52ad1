"""The other sheets of a mesh: each is drawn by a scene of its own, as it looks, under what the active one shows."""

from collections.abc import Callable, Iterator
from concurrent.futures import Future
from typing import Protocol

import moderngl

from evenpalette.core.document.state import State
from evenpalette.core.mesh.camera import OrbitCamera
from evenpalette.gpu.look import Look, Show


class SheetScene(Protocol):
    """What draws one sheet."""

    patient: bool

    @property
    def is_waiting(self) -> bool: ...
    @property
    def compiling(self) -> list[Future[None]]: ...
    def set_state(self, state: State) -> None: ...
    def drop_unwanted(self) -> None: ...
    def continue_uploads(self, seconds: float) -> bool: ...
    def draw_as_other(
        self, size: tuple[int, int], camera: OrbitCamera, look: Look, below: moderngl.Texture | None, name: str
    ) -> moderngl.Texture: ...


class OtherSheets:
    """The scenes of the sheets that are not worked on. make: a scene for one of them; None draws no others."""

    def __init__(self, make: Callable[[], SheetScene] | None) -> None:
        self._make = make
        self._scenes: dict[str, SheetScene] = {}

    def __iter__(self) -> Iterator[SheetScene]:
        return iter(self._scenes.values())

    def set_state(self, state: State, *, patient: bool) -> None:
        """Have a scene for every other sheet of the document."""
        if self._make is None or state.mesh is None:
            self._scenes = {}
            return
        here = state.sheet.id
        ids = [sheet.id for sheet in state.project.sheets if sheet.id != here]
        self._scenes = {key: self._scenes.get(key) or self._make() for key in ids}
        for key, scene in self._scenes.items():
            scene.patient = patient
            scene.set_state(state.on(key))

    def picture(self, size: tuple[int, int], camera: OrbitCamera, look: Look, name: str) -> moderngl.Texture | None:
        """The parts of the other sheets as they look, each over what the one before left."""
        picture = None
        plain = Look(
            Show.RECIPE, look.variant, lit=look.lit, copy=look.copy, seconds=look.seconds, eyes=look.eyes, into=look.into,
            turned=look.turned,
        )  # fmt: skip
        for scene in self:
            picture = scene.draw_as_other(size, camera, plain, picture, name)
        return picture
