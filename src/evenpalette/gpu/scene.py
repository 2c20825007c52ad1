"""Draws a document: the model, the texture plane, and thumbnails of the model, all through the recipe's own GLSL."""

from collections.abc import Mapping, Sequence
from concurrent.futures import Future

import cv2
import moderngl
import numpy as np
from numpy.typing import NDArray

from evenpalette.core.color.encoding import decode_srgb
from evenpalette.core.color.hexcode import parse_hex
from evenpalette.core.document.project import OpacityUse
from evenpalette.core.document.state import State
from evenpalette.core.light.environment import environment
from evenpalette.core.placement import Placement
from evenpalette.core.raster.box import Box
from evenpalette.core.raster.mips import MipKind
from evenpalette.core.raster.raster import Encoding, Raster
from evenpalette.core.recipe.attributes import ANISOTROPY, BASE_COLOR, CUT, EMISSIVE, NORMAL, OPACITY, STRANDS
from evenpalette.core.recipe.binding import BoundStep, Moment
from evenpalette.core.recipe.samplers import BASE_SAMPLER, by_sampler
from evenpalette.core.recipe.shader import ShaderText, live_shader, made_attributes
from evenpalette.gpu.camera import OrbitCamera, PlaneView
from evenpalette.gpu.geometry import MeshBuffers
from evenpalette.gpu.look import Look, Show
from evenpalette.gpu.programs import (
    LIGHTING,
    Drawing,
    Elsewhere,
    Picture,
    ViewPrograms,
    ViewText,
    defined,
    shader_file,
    tell,
)
from evenpalette.gpu.surface import SurfaceBuffer
from evenpalette.gpu.textures import SMOOTH, SQUARE, TextureCache

#: The surround of color work: sRGB 119 (CIE L* about 50).
SURROUND = 119 / 255
Viewport = tuple[int, int, int, int]
_WHITE = Raster(np.full((1, 1, 3), 255, np.uint8), Encoding.SRGB)
#: Bindings of the recipe that are kept.
_MOST_BOUND = 16
_OPACITY_USES = (OpacityUse.OPAQUE, OpacityUse.CUT_OUT, OpacityUse.BLEND)
#: Selected faces: a light veil, neutral, so that it is not taken for a color of the asset.
SELECTED = (1.0, 1.0, 1.0, 0.55)


class SceneRenderer:
    """Holds the GPU side of one document. All methods need the context to be current."""

    def __init__(self, ctx: moderngl.Context, *, alone: bool = False, elsewhere: Elsewhere | None = None) -> None:
        """alone: only the active sheet is drawn as it looks, the others are plain clay. elsewhere: makes large textures
        and compiles shaders beforehand; here where it is not given."""
        self.ctx, self._alone, self._elsewhere = ctx, alone, elsewhere
        #: What draws the other sheets, by sheet id.
        self._others: dict[str, SceneRenderer] = {}
        self._textures = TextureCache(ctx, elsewhere=elsewhere)
        self._programs, self._text = ViewPrograms(ctx, elsewhere), ViewText()
        self._lines = ctx.program(shader_file("lines.vert"), shader_file("lines.frag"))
        self._surface = ctx.program(shader_file("surface.vert"), defined(shader_file("surface.frag"), {"CUT": CUT}))
        self._fill = ctx.program(shader_file("fill.vert"), shader_file("lines.frag"))
        self._chosen: moderngl.Buffer | None = None
        self._smooth = self._programs.plain(shader_file("smooth.frag"))
        self._blur = self._programs.plain(shader_file("blur.frag"))
        self._around: dict[str, moderngl.Texture] = {}
        self._trilinear = ctx.sampler(filter=(moderngl.LINEAR_MIPMAP_LINEAR, moderngl.LINEAR))
        self._surfaces: dict[str, SurfaceBuffer] = {}
        self._coarser: dict[str, int] = {}
        #: Whether Form was last drawn with what scatters: small pictures are then drawn by the same program.
        self._form_blooms = False
        #: Pictures that are no textures of the document, by the name that a look calls them.
        self.extras: dict[str, Raster] = {}
        self._arrays: dict[tuple, moderngl.VertexArray] = {}
        self._buffers: MeshBuffers | None = None
        self._mesh: object = None
        self._drawn: dict[str, object] = {}
        self.set_state(State())

    def set_state(self, state: State) -> None:
        """Show this document from now on. A new shader is compiled only when the recipe's structure changed."""
        self._state = state
        self._take_others(state)
        mesh = state.mesh.mesh if state.mesh else None
        if self._buffers is None or mesh is not self._mesh:
            if self._buffers:
                self._buffers.release()
            self._buffers, self._mesh = MeshBuffers(self.ctx, mesh), mesh
            self._arrays.clear()
        self._shaders: dict[frozenset[str], ShaderText] = {}
        self._bound: dict[tuple[str | None, Moment], list[BoundStep]] = {}
        self._programs.told.clear()
        self._made = frozenset(made_attributes(state.project.recipe, state.starts, disabled_too=True))
        self._text.fit(len(state.region_ids))

    @property
    def patient(self) -> bool:
        """Whether a new shader may be compiled elsewhere first: drawing then raises ShaderOnItsWay until it is
        there."""
        return self._programs.patient

    @patient.setter
    def patient(self, patient: bool) -> None:
        for part in (self._programs, *self._others.values()):
            part.patient = patient

    def drop_unwanted(self) -> None:
        """Compile nothing elsewhere that the last drawing did not ask for."""
        for part in (self._programs, *self._others.values()):
            part.drop_unwanted()

    @property
    def compiling(self) -> "list[Future[None]]":
        """What is being compiled elsewhere."""
        return [*self._programs.coming, *(future for other in self._others.values() for future in other.compiling)]

    def _take_others(self, state: State) -> None:
        """Have a renderer for every other sheet of the document."""
        if self._alone or state.mesh is None:
            self._others = {}
            return
        here = state.project.sheet.id
        ids = [sheet.id for sheet in state.project.sheets if sheet.id != here]
        self._others = {
            key: self._others.get(key) or SceneRenderer(self.ctx, alone=True, elsewhere=self._elsewhere) for key in ids
        }
        for key, other in self._others.items():
            other.patient = self.patient
            other.set_state(state.on(key))

    def _others_picture(
        self, size: tuple[int, int], camera: OrbitCamera, look: Look, name: str
    ) -> moderngl.Texture | None:
        """The parts of the other sheets as they look, each over what the one before left."""
        picture = None
        plain = Look(Show.RECIPE, look.variant, lit=look.lit, copy=look.copy, seconds=look.seconds)
        for other in self._others.values():
            picture = other.draw_as_other(size, camera, plain, picture, name)
        return picture

    def draw_as_other(
        self, size: tuple[int, int], camera: OrbitCamera, look: Look, below: moderngl.Texture | None, name: str
    ) -> moderngl.Texture:
        """The model with this sheet as it looks and, elsewhere, the picture below."""
        buffer = self._surface_buffer(name, size, camera)
        project = self._state.project
        key = buffer.key, look, project.sheet, project.parameters, project.variants, below, self.is_waiting
        if key != self._drawn.get(name):
            self._clear_picture(buffer)
            whole = (0, 0, *size)
            self._shade(whole, whole, look, buffer=buffer, camera=camera, below=below)
            self._drawn[name] = key
        return buffer.picture

    def adopt(self, old: NDArray[np.uint8], new: NDArray[np.uint8]) -> None:
        """A coverage plane is drawn from now on as `new`, which so far differs from `old` only where patches say."""
        self._textures.adopt(old, new)

    def patch_coverages(self, regions: set[str], boxes: Sequence[Box]) -> None:
        """Texels of these regions' coverages changed in place, in boxes."""
        named = by_sampler(list(zip(self._state.region_ids, self._state.sources.coverages, strict=True)))
        for group in named.values():
            if any(region in regions for region, _ in group):
                self._textures.patch([plane for _, plane in group], boxes)

    def set_selection(self, faces: NDArray[np.int64]) -> None:
        """Faces that Form and Flat mark as selected."""
        if self._chosen is not None:
            self._chosen.release()
            self._arrays = {k: v for k, v in self._arrays.items() if k[1] is not self._chosen}
        self._chosen = None
        mesh = self._state.mesh.mesh if self._state.mesh else None
        if mesh is not None and mesh.uvs is not None and len(faces):
            corners = np.concatenate([mesh.positions[mesh.faces[faces]], mesh.uvs[faces]], -1).astype(np.float32)
            self._chosen = self.ctx.buffer(corners.tobytes())

    def _draw_selection(self, clip: NDArray[np.float32], *, flat: bool) -> None:
        if self._chosen is None:
            return
        self.ctx.enable(moderngl.BLEND)
        self.ctx.blend_func = moderngl.SRC_ALPHA, moderngl.ONE_MINUS_SRC_ALPHA, moderngl.ONE, moderngl.ONE
        self._fill["u_clip"].write(clip.T.tobytes())
        self._fill["u_flat"].value = int(flat)
        self._fill["u_color"].value = SELECTED
        self._array(self._fill, self._chosen, "3f 2f", "in_position", "in_uv").render(moderngl.TRIANGLES)
        self.ctx.disable(moderngl.BLEND)

    def faces_in(self, x: int, y: int, width: int, height: int, name: str = "form") -> NDArray[np.int32]:
        """The faces that the last drawn Form shows in a part of its viewport (origin bottom left), -1 for none."""
        buffer, coarser = self._drawn_last(name)
        if buffer is None:
            return np.full((0, 0), -1, np.int32)
        return buffer.read_faces(x // coarser, y // coarser, max(1, width // coarser), max(1, height // coarser))

    def places(self, name: str = "form") -> tuple[NDArray[np.int32], NDArray[np.float32]] | None:
        """Face and (u, v) of every pixel of the last drawn Form, rows from the bottom; None before the first."""
        buffer, _ = self._drawn_last(name)
        return None if buffer is None else buffer.read_places()

    def _drawn_last(self, name: str) -> tuple[SurfaceBuffer | None, int]:
        """What a view's pixels show, and how much coarser it is than the view."""
        coarser = self._coarser.get(name, 1)
        return self._surfaces.get(_room(name, coarser)), coarser

    @property
    def has_model(self) -> bool:
        """Whether there is a mesh to draw."""
        return self._buffers is not None and self._buffers.form is not None

    def clear(self, target: moderngl.Framebuffer, part: Viewport | None = None) -> None:
        """Fill the target, or a part of it, with the surround."""
        target.use()
        self.ctx.scissor = part
        target.clear(SURROUND, SURROUND, SURROUND, 1.0)

    def draw_form(
        self, target: moderngl.Framebuffer, viewport: Viewport, camera: OrbitCamera, looks: list[tuple[Look, float]],
        name: str = "form", coarser: int = 1,
    ) -> None:  # fmt: skip
        """Draw the model into a part of the target (origin bottom left).

        looks: what to show from the left on, each up to a share 0..1 of the width; one look up to 1.0 is the plain
        case.
        coarser: how many pixels of the target a drawn one is wide, for a camera that moves.
        """
        if not self.has_model:
            return
        # A coarse picture has a room of its own; where the pointer is, is asked of the one that was drawn last.
        self._coarser[name] = coarser
        size = max(1, viewport[2] // coarser), max(1, viewport[3] // coarser)
        buffer = self._surface_buffer(_room(name, coarser), size, camera)
        self._clear_picture(buffer)
        blooms = max((look.light.bloom for look, _ in looks if self._blooms(look)), default=0.0)
        self._form_blooms = bool(blooms)
        if blooms:
            buffer.bloom.clear()
        for look, left, right in _bands(looks, size[0]):
            part = (left, 0, right - left, size[1])
            below = self._others_picture(size, camera, look, _room(name, coarser))
            self._shade(
                (0, 0, *buffer.size), part, look, buffer=buffer, camera=camera, below=below, blooms=self._blooms(look)
            )
        self._begin(buffer.shaded, (0, 0, *buffer.size), (0, 0, *buffer.size))
        self.ctx.enable(moderngl.DEPTH_TEST)
        self.ctx.depth_func = "<="
        self._draw_selection(camera.matrix(*buffer.size), flat=False)
        self.ctx.depth_func = "<"
        program, quad = self._smooth
        if blooms:
            buffer.bloom.blur(
                *self._blur, [(left / size[0], right / size[0]) for _, left, right in _bands(looks, size[0])]
            )
        self._begin(target, viewport, viewport)
        buffer.picture.use(0)
        tell(program, "u_picture", 0)
        tell(program, "u_scale", (size[0] / viewport[2], size[1] / viewport[3]))
        tell(program, "u_blooms", blooms)
        if blooms:
            for unit, picture in enumerate(buffer.bloom.pictures, 1):
                picture.use(unit)
        tell(program, "u_bloom", [1, 2])
        tell(program, "u_corner", (float(viewport[0]), float(viewport[1])))
        quad.render(moderngl.TRIANGLE_STRIP)
        self.ctx.scissor = None

    def draw_flat(
        self, target: moderngl.Framebuffer, viewport: Viewport, view: PlaneView, looks: list[tuple[Look, float]],
        *, lines: bool,
    ) -> None:  # fmt: skip
        """Draw the texture plane and, with `lines`, the UV layout over it."""
        texel = min(viewport[2], viewport[3]) / view.span / max(self._state.sources.size)
        self._textures.magnify(SQUARE if texel > 3 else SMOOTH)
        for look, left, right in _bands(looks, viewport[2]):
            part = (viewport[0] + left, viewport[1], right - left, viewport[3])
            self._shade(viewport, part, look, target=target, plane=view)
        self._textures.magnify(SMOOTH)
        self._begin(target, viewport, viewport)
        self._draw_selection(view.matrix(viewport[2], viewport[3]), flat=True)
        if lines:
            self._draw_lines(view.matrix(viewport[2], viewport[3]), view)
        self.ctx.scissor = None

    def thumbnail(self, look: Look, camera: OrbitCamera, size: tuple[int, int]) -> bytes:
        """The model (the texture plane where there is none) as RGB bytes, rows from the top, drawn at twice the
        size."""
        width, height = size[0] * 2, size[1] * 2
        # Textures whose sides are powers of two are another case to a software driver: it would compile all anew.
        drawn = _no_power_of_two(width), _no_power_of_two(height)
        buffer = self._surface_buffer(f"thumbnail {size}", drawn, camera)
        whole = (0, 0, *drawn)
        self._clear_picture(buffer)
        if self.has_model:
            below = self._others_picture(drawn, camera, look, f"thumbnail {size}")
            self._shade(whole, whole, look, buffer=buffer, camera=camera, below=below, blooms=self._form_blooms)
        else:
            self._shade(whole, whole, look, target=buffer.shaded, plane=PlaneView((0.5, 0.5), 1.0))
        self.ctx.scissor = None
        data = np.frombuffer(buffer.shaded.read((0, 0, width, height), components=3), np.uint8).reshape(
            height, width, 3
        )
        return np.ascontiguousarray(cv2.resize(data, size, interpolation=cv2.INTER_AREA)[::-1]).tobytes()

    def _clear_picture(self, buffer: SurfaceBuffer) -> None:
        self._begin(buffer.shaded, (0, 0, *buffer.size), (0, 0, *buffer.size))
        buffer.shaded.depth_mask = False
        buffer.shaded.clear(SURROUND, SURROUND, SURROUND, 0.0)

    @property
    def is_waiting(self) -> bool:
        """Whether coarse stand-ins are drawn for large textures that are still on their way."""
        return self._textures.is_waiting or any(other.is_waiting for other in self._others.values())

    def continue_uploads(self, seconds: float) -> bool:
        """Go on with large textures for about so long; True when what is drawn got finer."""
        arrived = self._textures.continue_uploads(seconds)
        for other in self._others.values():
            arrived = other.continue_uploads(seconds) or arrived
        if arrived:
            # What is cut out is part of what is kept for each pixel of the model.
            for surface in self._surfaces.values():
                surface.key = None
        return arrived

    def uv_at(self, x: int, y: int, name: str = "form") -> tuple[float, float] | None:
        """The (u, v) that the last drawn Form shows at a pixel of its viewport (origin bottom left)."""
        buffer, coarser = self._drawn_last(name)
        return buffer.read(x // coarser, y // coarser) if buffer is not None else None

    def _surface_buffer(self, name: str, size: tuple[int, int], camera: OrbitCamera) -> SurfaceBuffer:
        held = self._surfaces.get(name)
        if held is None or held.size != size:
            if held is not None:
                held.release()
            held = self._surfaces[name] = SurfaceBuffer(self.ctx, size)
        cut = self._cut_texture()
        key = (camera, id(self._mesh), id(cut.pixels) if cut is not None else 0)
        if held.key != key:
            self._draw_surface(held, camera, cut)
            held.key = key
        return held

    def _cut_texture(self) -> Raster | None:
        """The texture whose alpha cuts the surface out."""
        start = self._state.starts.get(OPACITY)
        cuts = self._state.project.sheet.opacity is OpacityUse.CUT_OUT
        return self._state.textures.get(start.texture) if start is not None and cuts else None

    def _draw_surface(self, buffer: SurfaceBuffer, camera: OrbitCamera, cut: Raster | None) -> None:
        width, height = buffer.size
        self._begin(buffer.target, (0, 0, width, height), (0, 0, width, height))
        buffer.target.clear(0.0, 0.0, 0.0, 0.0, depth=1.0)
        if self._buffers is None or self._buffers.form is None:
            return
        buffer.target.depth_mask = True
        self.ctx.enable(moderngl.DEPTH_TEST)
        program = self._surface
        program["u_clip"].write(camera.matrix(width, height).T.tobytes())
        tell(program, "u_cut", int(cut is not None))
        tell(program, "u_opacity_in", 3)
        self._textures.of(cut or _WHITE, MipKind.CUT_OUT if cut is not None else MipKind.PLAIN).use(0)
        tell(program, "u_opacity", 0)
        self._array(program, self._buffers.form, "3f 3f 2f", "in_position", "in_normal", "in_uv").render(
            moderngl.TRIANGLES
        )
        self.ctx.disable(moderngl.DEPTH_TEST)

    def _shade(
        self, viewport: Viewport, part: Viewport, look: Look, *, target: moderngl.Framebuffer | None = None,
        buffer: SurfaceBuffer | None = None, plane: PlaneView | None = None, camera: OrbitCamera | None = None,
        below: moderngl.Texture | None = None, blooms: bool = False,
    ) -> None:  # fmt: skip
        """Run the recipe for every pixel of a part of the viewport.

        The model is drawn into the room of its buffer, the texture plane into the target. below: what parts of other
        sheets show. blooms: what is sent out is kept apart, to be scattered.
        """
        if part[2] <= 0 or part[3] <= 0:
            return
        if buffer is not None:
            target = buffer.bloom.target if blooms else buffer.shaded
        assert target is not None
        on_model = buffer is not None
        shader = self._shader(look, lit=on_model)
        pictures = self._pictures(shader, look, buffer, below)
        text = self._view_text(look, shader, lit=on_model, others=below is not None, blooms=blooms)
        program, quad = self._programs.of(text, Drawing(pictures, target, on_model))
        self._begin(target, viewport, part)
        if on_model:
            self.ctx.enable(moderngl.DEPTH_TEST)
            self.ctx.depth_func = ">"
            target.depth_mask = False
        units = self._bind(program, pictures)
        self._set_look(program, look, shader)
        tell(program, "u_corner", (float(viewport[0]), float(viewport[1])))
        tell(program, "u_surround", (SURROUND,) * 3)
        tell(program, "u_flat", int(plane is not None))
        if plane is not None:
            width, height = viewport[2], viewport[3]
            u, v = plane.to_uv(0, height, width, height)
            step = plane.span / min(width, height)
            tell(program, "u_plane", (u, v, step, -step))
        if camera is not None:
            self._set_light(program, look, camera, (viewport[2], viewport[3]))
        quad.render(moderngl.TRIANGLE_STRIP)
        for unit in range(units):
            self._trilinear.clear(unit)
        self.ctx.depth_func = "<"
        self.ctx.disable(moderngl.DEPTH_TEST)

    def _set_light(self, program: moderngl.Program, look: Look, camera: OrbitCamera, size: tuple[int, int]) -> None:
        member = program.get("u_ray", None)
        if member is not None:
            member.write(camera.rays(*size).T.astype("f4").tobytes())
        light = look.light
        tell(program, "u_sky", light.sky)
        tell(program, "u_lamps", light.lamps)
        tell(program, "u_gain", light.gain)
        tell(program, "u_filmic", int(light.filmic))
        if light.environment:
            tell(program, "u_harmonics", environment(light.environment).harmonics)
            tell(program, "u_turned", light.turned)

    def _shader(self, look: Look, *, lit: bool) -> ShaderText:
        """The recipe for the attributes that a look needs."""
        wanted = {BASE_COLOR}
        if look.show is Show.RECIPE:
            wanted |= {OPACITY} | (set(LIGHTING) if lit and look.lit else set())
        elif look.show is Show.ATTRIBUTE:
            wanted = {look.attribute, OPACITY}
        key = frozenset(wanted) & (self._made | {BASE_COLOR, look.attribute})
        if key not in self._shaders:
            self._shaders[key] = live_shader(self._state.project.recipe, self._state.shader_reads, key)
        return self._shaders[key]

    def _blooms(self, look: Look) -> bool:
        """Whether what the surface sends out is scattered in this look."""
        if look.show is not Show.RECIPE or not look.lit or not look.light.bloom or EMISSIVE not in self._made:
            return False
        return EMISSIVE in self._state.starts or any(
            op.writes == EMISSIVE and step.is_active(op) for step in self._steps(look) for op in step.kind.ops
        )

    def _environment(self, key: str) -> moderngl.Texture:
        """The bands of an environment."""
        if key not in self._around:
            bands = environment(key).bands
            made = self.ctx.texture((bands.shape[1], bands.shape[0]), 1, bands.tobytes(), dtype="f4")
            made.filter = (moderngl.LINEAR, moderngl.LINEAR)
            made.repeat_y = False
            self._around[key] = made
        return self._around[key]

    def _view_text(self, look: Look, shader: ShaderText, *, lit: bool, others: bool, blooms: bool) -> str:
        """The shader for a look."""
        inspect = look.show in (Show.PAINTED, Show.TONE, Show.ID, Show.COVERAGE)
        lit = lit and look.lit and look.show in (Show.RECIPE, Show.PAINTED, Show.TONE)
        switches = {
            "INSPECT": inspect, "COMPARE": look.show is Show.DIFFERENCE, "FOCUS": look.focus >= 0, "LIT": lit,
            "NORMAL_MAP": NORMAL in self._state.starts, "OVERLAY": look.overlay > 0, "OTHERS": others,
            "BLOOM": lit and blooms, "SIDED": not inspect and "float ep_side" in shader.text,
            "ENVIRONED": lit and bool(look.light.environment), "GRAINED": bool({STRANDS, ANISOTROPY} & set(shader.attributes)),
        }  # fmt: skip
        return self._text.of(shader, look.attribute, switches, inspect=inspect)

    def _set_look(self, program: moderngl.Program, look: Look, shader: ShaderText) -> None:
        if self._programs.told.get(program) == look:
            return
        self._programs.told[program] = look
        steps = self._steps(look)
        last = len(steps) if look.steps is None else look.steps
        # A step that is not shown has an amount of 0; its rows keep theirs.
        amounts = [s.amount if i < last and not (look.alone and i != last - 1) else 0.0 for i, s in enumerate(steps)]
        for uniform in shader.uniforms:
            row = steps[uniform.step].rows[max(uniform.row, 0)]
            if uniform.key == "amount":
                value = amounts[uniform.step] if uniform.row < 0 else row.amount
            else:
                value = row.values[uniform.key]
            if isinstance(value, Placement):
                value = value.uniform()
            tell(program, uniform.name, tuple(float(v) for v in value) if isinstance(value, np.ndarray) else value)
        regions = self._state.project.regions.regions
        flags = [tuple(float(v) for v in decode_srgb(np.array(parse_hex(r.flag)) / 255)) for r in regions]
        if flags:
            tell(program, "u_flags", flags if len(flags) > 1 else flags[0])
        tell(program, "u_show", int(look.show))
        tell(program, "u_region", look.region)
        tell(program, "u_focus", look.focus)
        tell(program, "u_overlay", look.overlay)
        tell(program, "u_overlaid", self._overlaid(look.region))
        tell(program, "u_opacity_use", _OPACITY_USES.index(self._state.project.sheet.opacity))

    def _steps(self, look: Look) -> list[BoundStep]:
        """The recipe with the values of a look, kept while the document stays: a turning camera asks again and
        again."""
        key = look.variant, Moment(look.copy, look.seconds)
        if key not in self._bound:
            if len(self._bound) > _MOST_BOUND:
                self._bound.clear()
            self._bound[key] = self._state.bound_steps(*key)
        return self._bound[key]

    def _overlaid(self, region: int) -> tuple[int, int]:
        """First and one past the last region of the division of a region, of the first division where there is none."""
        start = 0
        for sharing in self._state.sharings:
            if region < start + sharing.count:
                return start, start + sharing.count
            start += sharing.count
        return 0, start

    def _pictures(
        self, shader: ShaderText, look: Look, buffer: SurfaceBuffer | None, below: moderngl.Texture | None
    ) -> dict[str, Picture]:
        """Every texture that a view reads, by the name of its sampler."""
        state = self._state
        wanted = {BASE_SAMPLER: Picture(self._textures.of(state.base))}
        for sampler, planes in by_sampler(list(state.sources.coverages)).items():
            wanted[sampler] = Picture(self._textures.of_planes(planes))
        values = state.values(look.variant)
        for sampler, sampled in shader.textures.items():
            chosen = sampled.chosen(values)
            raster = state.read_textures.get(chosen, _WHITE)
            raster = raster if sampled.as_color else raster.with_encoding(Encoding.DATA)
            start = state.starts.get(NORMAL)
            kind = MipKind.NORMAL if start is not None and start.texture == chosen else MipKind.PLAIN
            # Between levels too, as placed reads are on the CPU.
            wanted[sampler] = Picture(self._textures.of(raster, kind), self._trilinear if sampled.placed else None)
        if (start := state.starts.get(NORMAL)) is not None:
            stored = state.textures[start.texture].with_encoding(Encoding.DATA)
            wanted["u_normal_map"] = Picture(self._textures.of(stored, MipKind.NORMAL))
        painted = look.texture or state.project.tone.painted or ""
        stored = self.extras.get(painted) or state.textures.get(painted, _WHITE)
        # Data is shown by its stored values, as an image viewer would.
        is_data = bool(look.texture) and stored.encoding is Encoding.DATA
        wanted["u_painted"] = Picture(self._textures.of(stored.with_encoding(Encoding.SRGB) if is_data else stored))
        wanted["u_tone"] = Picture(self._textures.of(state.tone or _WHITE))
        if buffer is not None and look.light.environment:
            wanted["u_environment"] = Picture(self._environment(look.light.environment))
        if below is not None:
            wanted["u_others"] = Picture(below)
        for part in ("surface", "slopes", "normal", "tangent", "bitangent"):
            # The plane has no model to read: what is not looked at must still be some texture.
            wanted[f"u_{part}"] = Picture(getattr(buffer, part)) if buffer is not None else wanted[BASE_SAMPLER]
        return wanted

    def _bind(self, program: moderngl.Program, pictures: Mapping[str, Picture]) -> int:
        """Put every texture that the program reads on a unit; returns how many there are."""
        unit = 0
        for name, (texture, sampler) in pictures.items():
            if name in program:
                texture.use(unit)
                if sampler is not None:
                    sampler.use(unit)
                program[name].value = unit
                unit += 1
        return unit

    def _draw_lines(self, clip: np.ndarray, view: PlaneView) -> None:
        assert self._buffers is not None
        self.ctx.enable(moderngl.BLEND)
        # The alpha of the target stays 1: the window would let what lies behind shine through.
        self.ctx.blend_func = moderngl.SRC_ALPHA, moderngl.ONE_MINUS_SRC_ALPHA, moderngl.ONE, moderngl.ONE
        self._lines["u_clip"].write(clip.T.tobytes())
        dense = min(0.22, 0.07 / view.span)
        for buffer, alpha in ((self._buffers.inner, dense), (self._buffers.borders, 0.75)):
            if buffer is not None:
                self._lines["u_color"].value = (0.95, 0.95, 0.95, alpha)
                self._array(self._lines, buffer, "2f", "in_uv").render(moderngl.LINES)
        self.ctx.disable(moderngl.BLEND)

    def _array(
        self, program: moderngl.Program, buffer: moderngl.Buffer, layout: str, *names: str
    ) -> moderngl.VertexArray:
        key = (program, buffer)
        if key not in self._arrays:
            self._arrays[key] = self.ctx.vertex_array(program, [(buffer, layout, *names)])
        return self._arrays[key]

    def _begin(self, target: moderngl.Framebuffer, viewport: Viewport, scissor: Viewport) -> None:
        target.use()
        self.ctx.viewport = viewport
        self.ctx.scissor = scissor
        self.ctx.disable(moderngl.BLEND | moderngl.CULL_FACE | moderngl.DEPTH_TEST)


def _room(name: str, coarser: int) -> str:
    """What the buffer of a view is kept under."""
    return name if coarser == 1 else f"{name} coarse"


def _no_power_of_two(side: int) -> int:
    return side + 2 if side & (side - 1) == 0 else side


def _bands(looks: list[tuple[Look, float]], width: int) -> list[tuple[Look, int, int]]:
    """Looks with the columns they fill."""
    bands, left = [], 0
    for look, share in looks:
        right = min(width, max(left, round(share * width)))
        bands.append((look, left, right))
        left = right
    return bands
