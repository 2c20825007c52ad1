"""The document in memory: one immutable value. A change makes a new one that shares everything it did not touch."""

import secrets
from collections.abc import Iterator, Mapping
from dataclasses import field, replace
from functools import cached_property
from types import MappingProxyType

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.dataclass import dataclass
from evenpalette.core.document.project import Project, Role, Sheet
from evenpalette.core.document.variant import resolve_all
from evenpalette.core.errors import ProjectError
from evenpalette.core.mesh.view import FACE_MAP_TEXELS, MeshView
from evenpalette.core.raster.padding import grown_under_alpha
from evenpalette.core.raster.raster import Encoding, Raster
from evenpalette.core.raster.reading import resize_plane
from evenpalette.core.recipe.attributes import (
    ATTRIBUTES,
    BASE_COLOR,
    EMISSIVE,
    METALLIC,
    NORMAL,
    OCCLUSION,
    OPACITY,
    ROUGHNESS,
)
from evenpalette.core.recipe.binding import NOW, BoundStep, Moment, bind_recipe, textures_of
from evenpalette.core.recipe.recipe import TONE
from evenpalette.core.recipe.shader import made_attributes
from evenpalette.core.recipe.shader_text import ShaderReads
from evenpalette.core.recipe.sources import Sources, Start
from evenpalette.core.recipe.weights import Sharing
from evenpalette.core.regions.checks.gaps import used_mask
from evenpalette.core.regions.coverage import Made
from evenpalette.core.values import Value

_PLAIN_TONE = Raster(np.full((8, 8, 1), 40000, np.uint16), Encoding.DATA)
#: Roles of one channel that an attribute begins with.
_ATTRIBUTE_OF = {
    Role.METALLIC: METALLIC, Role.ROUGHNESS: ROUGHNESS, Role.OCCLUSION: OCCLUSION, Role.OPACITY: OPACITY,
}  # fmt: skip


@dataclass(frozen=True, eq=False)
class Resting:
    """The rasters of a sheet that is not worked on."""

    coverages: Mapping[str, NDArray[np.uint8]] = field(default_factory=lambda: MappingProxyType({}))
    made: Mapping[str, Made] = field(default_factory=lambda: MappingProxyType({}))
    tone: Raster | None = None


@dataclass(frozen=True, eq=False)
class State:
    """The project, its mesh, and its rasters: textures by id, coverages by region id, and the tone.

    It looks at one sheet at a time: mesh, coverages, made and tone are those of the active one (see `on`).
    Never changed in place, so it can be kept by the history and saved from another thread.
    """

    project: Project = field(default_factory=Project)
    mesh: MeshView | None = None
    textures: Mapping[str, Raster] = field(default_factory=lambda: MappingProxyType({}))
    coverages: Mapping[str, NDArray[np.uint8]] = field(default_factory=lambda: MappingProxyType({}))
    #: How the coverages were made, so that only what changed is made again; by region id.
    made: Mapping[str, Made] = field(default_factory=lambda: MappingProxyType({}))
    tone: Raster | None = None
    #: What the other sheets have of coverages and tone, by sheet id; textures of all sheets are in `textures`.
    resting: Mapping[str, "Resting"] = field(default_factory=lambda: MappingProxyType({}))
    #: Selected faces, bool (F,); not saved, but a part of the history.
    chosen: NDArray[np.bool_] | None = None

    def is_same_document(self, other: "State") -> bool:
        """Whether nothing that is saved differs."""
        parts = ("project", "mesh", "textures", "coverages", "tone", "resting")
        return all(getattr(self, part) is getattr(other, part) for part in parts)

    def arrays(self) -> Iterator[NDArray]:
        """All pixels that the state holds."""
        yield from (raster.pixels for raster in self.textures.values())
        yield from self.coverages.values()
        yield from (made.raw for made in self.made.values())
        if self.tone is not None:
            yield self.tone.pixels
        for sheet in self.resting.values():
            yield from sheet.coverages.values()
            yield from (made.raw for made in sheet.made.values())
            if sheet.tone is not None:
                yield sheet.tone.pixels

    def with_project(self, **parts: object) -> "State":
        """The state with parts of the project replaced; asset, regions, tone and recipe are those of the active
        sheet."""
        return replace(self, project=self.project.changed(**parts))

    @property
    def sheet(self) -> Sheet:
        """The sheet that this state is on: what is handed a state works on this one and asks for no other."""
        return self.project.sheet

    def on(self, sheet_id: str) -> "State":
        """The state with another sheet as the active one. Raises ProjectError for one that is not there."""
        active = self.project.sheet
        if sheet_id == active.id:
            return self
        target = next((sheet for sheet in self.project.sheets if sheet.id == sheet_id), None)
        if target is None:
            raise ProjectError("That sheet is no longer in the project.")
        resting = {**self.resting, active.id: Resting(self.coverages, self.made, self.tone)}
        there = resting.pop(sheet_id, Resting())
        return replace(
            self, project=self.project.model_copy(update={"active_sheet": sheet_id}),
            mesh=self.mesh.only(target.groups) if self.mesh is not None else None, coverages=there.coverages,
            made=there.made, tone=there.tone, resting=MappingProxyType(resting), chosen=None,
        )  # fmt: skip

    def sheets(self) -> Iterator["State"]:
        """The state on every sheet, in order."""
        for sheet in self.project.sheets:
            yield self.on(sheet.id)

    def ready_for_views(self) -> "State":
        """The same state; what views of its sheets ask of a mesh is worked out on this thread, once for each mesh."""
        for on in self.sheets():
            if on.mesh is not None and on.mesh.mesh.uvs is not None:
                _ = on.mesh.uv_lines
        return self

    @property
    def region_ids(self) -> list[str]:
        """Ids of the regions in order."""
        return [region.id for region in self.project.regions.regions]

    def values(self, variant_id: str | None) -> dict[str, Value]:
        """Every parameter's value in a variant; None is the defaults."""
        found = self._values_of_variants.get(variant_id or "")
        return dict(found) if found is not None else {p.id: p.default for p in self.project.recipe.parameters}

    def value(self, variant_id: str | None, parameter: str) -> Value:
        """One parameter's value in a variant; None is the defaults. Raises KeyError for one that is not there."""
        found = self._values_of_variants.get(variant_id or "")
        if found is not None:
            return found[parameter]
        return {p.id: p.default for p in self.project.parameters}[parameter]

    @cached_property
    def _values_of_variants(self) -> dict[str, dict[str, Value]]:
        return resolve_all(self.project.recipe, self.project.variants)

    def bound_steps(self, variant_id: str | None, at: Moment = NOW) -> list[BoundStep]:
        """The recipe with a variant's values put in, for a copy and a time."""
        return bind_recipe(self.project.recipe, self.region_ids, self.values(variant_id), at)

    @property
    def base(self) -> Raster:
        """What the recipe starts from; a plain gray while there is nothing."""
        base = self.project.recipe.base
        raster = self.tone if base == TONE else self.textures.get(base)
        if raster is None:
            painted = self.project.tone.painted
            raster = self.textures.get(painted) if painted else None
        return raster if raster is not None else _PLAIN_TONE

    @cached_property
    def sources(self) -> Sources:
        """What the recipe reads."""
        planes = [self.coverages[r] for r in self.region_ids if r in self.coverages]
        if len(planes) != len(self.region_ids):
            shape = planes[0].shape if planes else (8, 8)
            planes = [self.coverages.get(r, np.zeros(shape, np.uint8)) for r in self.region_ids]
        return Sources(self.base, planes, self.sharings, self.read_textures, self.starts)

    @cached_property
    def read_textures(self) -> Mapping[str, Raster]:
        """The textures of all sheets as steps of the active one read them, on the CPU, in the views and in the kit:
        colors grow under clear texels of those whose alpha says how much of them is laid."""
        recipe = self.project.recipe
        laid = {
            key
            for step in recipe.steps
            for key in textures_of(step, recipe.parameters, straight=True)
            if key in self.textures
        }
        return (
            {**self.textures, **{key: grown_under_alpha(self.textures[key]) for key in laid}} if laid else self.textures
        )

    @cached_property
    def starts(self) -> dict[str, Start]:
        """What attributes besides the base color begin with.

        The opacity: the alpha of the color that the recipe starts from (of the painted one, where it starts from the
        tone). Textures whose role names an attribute, and channels of packed data; the occlusion only while no step
        reads it, which would darken twice. The sheet's factors multiply them, or stand alone.
        """
        found: dict[str, Start] = {}
        sheet, base = self.project.sheet, self.project.recipe.base
        color = self.project.tone.painted if base == TONE else base
        if color is not None and color in self.textures and self.textures[color].is_cut:
            found[OPACITY] = Start(color, (3,))
        read = {
            texture for step in sheet.steps if step.enabled for texture in textures_of(step, self.project.parameters)
        }
        for texture in sheet.textures:
            raster = self.textures.get(texture.id)
            if raster is None:
                continue
            if texture.role is Role.NORMAL and raster.channels >= 3:
                found.setdefault(NORMAL, Start(texture.id, (0, 1, 2)))
            elif texture.role is Role.EMISSIVE:
                found.setdefault(EMISSIVE, Start(texture.id, (0, 1, 2), as_color=True))
            elif texture.role in _ATTRIBUTE_OF and not (texture.role is Role.OCCLUSION and texture.id in read):
                found.setdefault(_ATTRIBUTE_OF[texture.role], Start(texture.id, (0,)))
            elif texture.role is Role.PACKED:
                for channel, key in enumerate(texture.channels[: raster.channels]):
                    if (
                        key in ATTRIBUTES
                        and ATTRIBUTES[key].planes == 1
                        and not (key == OCCLUSION and texture.id in read)
                    ):
                        found.setdefault(key, Start(texture.id, (channel,)))
        for key, factor in sheet.factors.items():
            if key != BASE_COLOR and len(factor) == ATTRIBUTES[key].planes:
                found[key] = replace(found.get(key, Start("")), factor=factor)
        return found

    @property
    def attributes(self) -> tuple[str, ...]:
        """The attributes of the surface that the recipe makes, in their order."""
        return made_attributes(self.project.recipe, self.starts)

    @property
    def sharings(self) -> tuple[Sharing, ...]:
        """The divisions as evaluation sees them."""
        return tuple(Sharing(d.overlap, len(d.regions)) for d in self.project.regions.divisions)

    @property
    def working(self) -> Sources:
        """The sources at one size, the largest among them."""
        return self.sources.at_size(*self.sources.size)

    @property
    def shader_reads(self) -> ShaderReads:
        """What shader text must know of the textures."""
        channels = {key: raster.channels for key, raster in self.textures.items()}
        return ShaderReads(channels, self.base.channels, self.sharings, self.region_ids, self.starts)

    @cached_property
    def used(self) -> NDArray[np.bool_]:
        """Texels of the coverages that some face lies on."""
        shape = next(iter(self.coverages.values())).shape if self.coverages else (FACE_MAP_TEXELS,) * 2
        return used_mask(self._faces, (shape[0], shape[1]))

    def used_at(self, size: tuple[int, int]) -> NDArray[np.bool_]:
        """The texels of a picture (width, height) that some face lies on, bool (height, width)."""
        return used_mask(self._faces, (size[1], size[0]))

    def used_share(self, size: tuple[int, int]) -> NDArray[np.float32]:
        """Which part of each texel of a small picture (width, height) some face lies on, float32 (height, width),
        0..1."""
        if self._faces is None:
            return np.ones(size[::-1], np.float32)
        return resize_plane((self._faces >= 0).astype(np.float32), size)

    @property
    def _faces(self) -> NDArray[np.int32] | None:
        """The face under each texel of a map, None without a layout."""
        return self.mesh.faces_under_texels if self.mesh and self.mesh.mesh.uvs is not None else None


def new_id(prefix: str) -> str:
    """A short id that no other thing in any project has."""
    return f"{prefix}-{secrets.token_hex(4)}"
