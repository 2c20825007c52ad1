"""Draws a document: the model, the texture plane, and thumbnails of the model, all through the recipe's own GLSL."""

from collections.abc import Mapping, Sequence
from concurrent.futures import Future

import moderngl
import numpy as np
from numpy.typing import NDArray

from evenpalette.core.document.state import State
from evenpalette.core.mesh.camera import OrbitCamera, PlaneView
from evenpalette.core.raster.box import Box
from evenpalette.core.raster.raster import Raster
from evenpalette.core.recipe.samplers import by_sampler
from evenpalette.gpu.drawing import SURROUND, Viewport
from evenpalette.gpu.elsewhere import Elsewhere
from evenpalette.gpu.flat import Flat
from evenpalette.gpu.form import Form, faces_of
from evenpalette.gpu.geometry import MeshBuffers
from evenpalette.gpu.look import Look
from evenpalette.gpu.overlays import Overlays
from evenpalette.gpu.shader_files import shader_file
from evenpalette.gpu.shading import Shading
from evenpalette.gpu.sheets import OtherSheets
from evenpalette.gpu.thumbnails import Thumbnails


class SceneRenderer:
    """The GPU side of one document, or of one sheet of it. All methods need the context to be current."""

    def __init__(self, ctx: moderngl.Context, *, alone: bool = False, elsewhere: Elsewhere | None = None) -> None:
        """alone: only the state's sheet is drawn as it looks, the others are plain clay. elsewhere: makes large
        textures and compiles shaders beforehand; here where it is not given."""
        self.ctx = ctx
        self._shading = Shading(ctx, elsewhere)
        self._overlays = Overlays(ctx, self._shading.programs.plain(shader_file("picture.frag")))
        self._others = OtherSheets(None if alone else lambda: SceneRenderer(ctx, alone=True, elsewhere=elsewhere))
        self._form = Form(ctx, self._shading, self._overlays, self._others)
        self._flat = Flat(ctx, self._shading, self._overlays)
        self._thumbnails = Thumbnails(ctx, self._shading, self._form, self._others)
        self._buffers: MeshBuffers | None = None
        self._mesh: object = None
        self._drawn: dict[str, object] = {}
        self.set_state(State())

    def set_state(self, state: State, *, values_only: bool = False) -> None:
        """Show this document from now on. A new shader is compiled only when the recipe's structure changed.

        values_only: nothing but values differs from the document before.
        """
        self._others.set_state(state, patient=self.patient)
        mesh = state.mesh.mesh if state.mesh else None
        if self._buffers is None or mesh is not self._mesh:
            if self._buffers:
                self._buffers.release()
            self._buffers, self._mesh = MeshBuffers(self.ctx, state.mesh), mesh
            self._overlays.forget()
            self._form.take(self._buffers)
            self._flat.buffers = self._buffers
        self._shading.set_state(state, values_only=values_only)

    @property
    def extras(self) -> dict[str, Raster]:
        """Pictures that are no textures of the document, by the name that a look calls them."""
        return self._shading.extras

    @extras.setter
    def extras(self, extras: dict[str, Raster]) -> None:
        self._shading.extras = extras

    @property
    def patient(self) -> bool:
        """Whether a new shader may be compiled elsewhere first: drawing then raises ShaderOnItsWay until it is
        there."""
        return self._shading.programs.patient

    @patient.setter
    def patient(self, patient: bool) -> None:
        self._shading.programs.patient = patient
        for other in self._others:
            other.patient = patient

    def drop_unwanted(self) -> None:
        """Compile nothing elsewhere that the last drawing did not ask for."""
        self._shading.programs.drop_unwanted()
        for other in self._others:
            other.drop_unwanted()

    @property
    def compiling(self) -> "list[Future[None]]":
        """What is being compiled elsewhere."""
        return [*self._shading.programs.coming, *(future for other in self._others for future in other.compiling)]

    @property
    def is_waiting(self) -> bool:
        """Whether coarse stand-ins are drawn for large textures that are still on their way."""
        return self._shading.textures.is_waiting or any(other.is_waiting for other in self._others)

    def continue_uploads(self, seconds: float) -> bool:
        """Go on with large textures for about so long; True when what is drawn got finer."""
        arrived = self._shading.textures.continue_uploads(seconds)
        for other in self._others:
            arrived = other.continue_uploads(seconds) or arrived
        if arrived:
            self._form.outdate()
        return arrived

    def adopt(self, copies: Mapping[str, tuple[NDArray[np.uint8], NDArray[np.uint8]]]) -> None:
        """Coverages of these regions are drawn from now on as copies of theirs, (old, new), which so far differ only
        where patches say."""
        self._shading.textures.adopt(copies)

    def patch_coverages(self, regions: set[str], boxes: Sequence[Box]) -> None:
        """Texels of these regions' coverages changed in place, in boxes."""
        state = self._shading.state
        named = by_sampler(list(zip(state.region_ids, state.sources.coverages, strict=True)))
        for group in named.values():
            if any(region in regions for region, _ in group):
                self._shading.textures.patch(group, boxes)

    def set_selection(self, faces: NDArray[np.int64]) -> None:
        """Faces that Form and Flat mark as selected."""
        state = self._shading.state
        self._overlays.select(state.mesh.mesh if state.mesh else None, faces)

    @property
    def has_model(self) -> bool:
        """Whether there is a mesh to draw."""
        return self._form.is_there

    def clear(self, target: moderngl.Framebuffer, part: Viewport | None = None) -> None:
        """Fill the target, or a part of it, with the surround."""
        target.use()
        self.ctx.scissor = part
        target.clear(SURROUND, SURROUND, SURROUND, 1.0)

    def draw_form(
        self, target: moderngl.Framebuffer, viewport: Viewport, camera: OrbitCamera, looks: list[tuple[Look, float]],
        name: str = "form", coarser: int = 1, *, partly: bool = False,
    ) -> list[Viewport]:  # fmt: skip
        """Draw the model into a part of the target (origin bottom left).

        looks: what to show from the left on, each up to a share 0..1 of the width; one look up to 1.0 is the plain
        case. coarser: how many pixels of the target a drawn one is wide, for what follows a hand.
        partly: the target still holds what was drawn last, and nothing but values has changed since: only where that
        can be seen is drawn. Returns the parts of the target that were drawn.
        """
        return self._form.draw(target, viewport, camera, looks, name, coarser, partly=partly) if self.has_model else []

    def settle_form(
        self, target: moderngl.Framebuffer, viewport: Viewport, camera: OrbitCamera, looks: list[tuple[Look, float]], number: int,
    ) -> None:  # fmt: skip
        """Draw the model once more, moved by a part of a pixel; put the mean of all such pictures since number 0 into a
        part of the target."""
        self._form.settle(target, viewport, camera, looks, "form", number)

    def show_settled(self, target: moderngl.Framebuffer, viewport: Viewport) -> None:
        """Put what `settle_form` has made so far into a part of the target."""
        self._form.show_settled(target, viewport)

    def draw_flat(
        self, target: moderngl.Framebuffer, viewport: Viewport, view: PlaneView, looks: list[tuple[Look, float]],
        *, lines: bool, coarser: int = 1, partly: bool = False,
    ) -> list[Viewport]:  # fmt: skip
        """Draw the texture plane and, with `lines`, the UV layout over it; coarser, partly and what is returned as for
        Form."""
        return self._flat.draw(target, viewport, view, looks, lines=lines, coarser=coarser, partly=partly)

    def thumbnail(self, look: Look, camera: OrbitCamera, size: tuple[int, int]) -> bytes:
        """The model (the texture plane where there is none) as RGB bytes, rows from the top, drawn at twice the
        size."""
        return self._thumbnails.draw(look, camera, size)

    def draw_as_other(
        self, size: tuple[int, int], camera: OrbitCamera, look: Look, below: moderngl.Texture | None, name: str
    ) -> moderngl.Texture:
        """The model with this sheet as it looks and, elsewhere, the picture below."""
        buffer = self._form.buffer(name, size, camera)
        state = self._shading.state
        project = state.project
        key = buffer.key, look, state.sheet, project.parameters, project.variants, below, self.is_waiting
        if key != self._drawn.get(name):
            self._form.clear(buffer)
            whole = (0, 0, *size)
            self._shading.shade(whole, [whole], look, buffer=buffer, camera=camera, below=below)
            self._drawn[name] = key
        return buffer.picture

    def faces_in(self, x: int, y: int, width: int, height: int, name: str = "form") -> NDArray[np.int32]:
        """The faces that the last drawn Form shows in a part of its viewport (origin bottom left), -1 for none."""
        buffer, coarser = self._form.last(name)
        return faces_of(buffer, (x, y, width, height), coarser)

    def places(self, name: str = "form") -> tuple[NDArray[np.int32], NDArray[np.float32]] | None:
        """Face and (u, v) of every pixel of the last drawn Form, rows from the bottom; None before the first."""
        buffer, _ = self._form.last(name)
        return None if buffer is None else buffer.read_places()

    def uv_at(self, x: int, y: int, name: str = "form") -> tuple[float, float] | None:
        """The (u, v) that the last drawn Form shows at a pixel of its viewport (origin bottom left)."""
        buffer, coarser = self._form.last(name)
        return buffer.read(x // coarser, y // coarser) if buffer is not None else None
