"""The project file: everything about a project that is not pixels or geometry."""

from collections.abc import Callable
from enum import StrEnum
from typing import Annotated, Any, Literal

from pydantic import AfterValidator, Field

from evenpalette.core.document.bake import Bake
from evenpalette.core.document.crowd import Crowd, Limit
from evenpalette.core.document.variant import Variant
from evenpalette.core.raster.mending.settings import Mending
from evenpalette.core.raster.raster import Encoding
from evenpalette.core.recipe.attributes import ATTRIBUTES, BASE_COLOR
from evenpalette.core.recipe.parameters import Parameter
from evenpalette.core.recipe.recipe import TONE, Recipe, Step
from evenpalette.core.regions.region_set import RegionSet
from evenpalette.core.stored import Stored
from evenpalette.core.tones.settings import StoredRamp, ToneSettings
from evenpalette.core.values import Value

#: Raised whenever an older version could not read the file; readers refuse newer ones.
VERSION = 8
FORMAT = "even-palette-project"


class Role(StrEnum):
    """What a texture holds."""

    PAINTED = "painted color"
    ID_MAP = "ID map"
    CHANNEL_MASK = "channel mask"
    NORMAL = "normal"
    OCCLUSION = "occlusion"
    MASK = "mask"
    METALLIC = "metallic"
    ROUGHNESS = "roughness"
    PACKED = "packed data"
    EMISSIVE = "emissive"
    HEIGHT = "height"
    OPACITY = "opacity"
    INDEX = "index art"
    PATTERN = "pattern"
    STRIP = "palette strip"
    GATHERED = "gathered light"
    DATA = "other data"
    COLOR = "other color"

    @property
    def encoding(self) -> Encoding:
        """The encoding that stored numbers of this role have. An ID map is compared in stored values, so it is data."""
        return (
            Encoding.SRGB
            if self in (Role.PAINTED, Role.COLOR, Role.EMISSIVE, Role.STRIP, Role.GATHERED)
            else Encoding.DATA
        )


class Mended(Stored):
    """That a texture is another one, mended; it is made anew when that changes. source: its id."""

    source: str = Field(max_length=80)
    mending: Mending


class Texture(Stored):
    """One texture of the asset. `encoding` normally follows the role; HDR color is linear.

    channels: of packed data, what each channel holds: an attribute's key, or '' for nothing of use. guessed: that its
    role was guessed, and from what; '' once somebody said it. strip: of index art, the id of its palette strip. mended:
    of which texture it was made, and how; None for one of its own. bake: how it is made from the mesh or from light,
    None for one that is not.
    ramps: of a strip, the ramps that its rows are drawn from; () where its entries were set one by one.
    locked: of a strip, colors that a palette keeps when its texture is reduced anew.
    """

    id: str
    name: str = Field(min_length=1, max_length=120)
    role: Role
    encoding: Encoding
    source_path: str = ""
    channels: tuple[Annotated[str, Field(max_length=40)], ...] = Field((), max_length=4)
    guessed: str = Field("", max_length=200)
    strip: str = Field("", max_length=80)
    mended: Mended | None = None
    bake: Bake | None = None
    ramps: tuple[StoredRamp, ...] = Field((), max_length=256)
    locked: tuple[Annotated[str, Field(pattern="^#[0-9a-f]{6}$")], ...] = Field((), max_length=256)


class MeshInfo(Stored):
    """The mesh: its file's name and where it was brought in from.

    tile: the UV tile of the file that is worked on, 'wrap' for all laid into one, '' for the layout as it is. uv_set:
    the UV set of the file, None for the one that its materials use. up: the axis of the file that points up.
    """

    name: str
    ending: str
    source_path: str = ""
    tile: str = Field("", max_length=40)
    uv_set: int | None = Field(None, ge=0, le=15)
    up: Literal["y", "z", "x"] = "y"


class Asset(Stored):
    """One mesh with its textures."""

    mesh: MeshInfo | None = None
    textures: tuple[Texture, ...] = ()

    def texture(self, texture_id: str | None) -> Texture | None:
        """The texture with this id."""
        return next((t for t in self.textures if t.id == texture_id), None)

    def with_role(self, *roles: Role) -> list[Texture]:
        """The textures of these roles, in order."""
        return [t for t in self.textures if t.role in roles]


class OpacityUse(StrEnum):
    """How the opacity of a surface is meant."""

    CUT_OUT = "cut-out"
    BLEND = "blend"
    OPAQUE = "opaque"


def _attribute(key: str) -> str:
    if key not in ATTRIBUTES:
        raise ValueError(f"'{key[:40]}' is no attribute of a surface")
    return key


class DeliverySettings(Stored):
    """What is written on delivery. maps: attributes of the surface. size, kit_size: longest side of the maps and of the
    kit's textures in texels, 0 is the sources' own. targets: keys of the forms that are written, () for those that are
    usual; one that this version does not know is left out. layout: the text of a layout, by which files are written
    besides, '' for none. uniforms: by the parameter's id, the names that the last delivery told a game. packing: by the
    sheet's id, the planes of data that somebody has put into one texture of the kit, for each such texture, as
    `plane_word` of document/kit_text.py calls them."""

    size: int = Field(0, ge=0, le=16384)
    kit_size: int = Field(0, ge=0, le=16384)
    variants: tuple[str, ...] | None = None
    maps: tuple[Annotated[str, AfterValidator(_attribute)], ...] = Field((BASE_COLOR,), min_length=1)
    targets: tuple[Annotated[str, Field(max_length=40)], ...] = ()
    layout: str = Field("", max_length=1 << 20)
    uniforms: dict[str, Annotated[str, Field(max_length=200)]] = {}
    packing: dict[str, tuple[tuple[Annotated[str, Field(max_length=200)], ...], ...]] = {}


#: The id of the sheet that a project begins with.
FIRST_SHEET = "sheet-1"


class Sheet(Stored):
    """The material groups of the mesh that share one texture space, with what is made there.

    groups: names of material groups; None is the whole mesh. factors: what attributes begin with, or what the texture
    that they begin with is multiplied by; by attribute, a number for each plane.
    """

    id: str = FIRST_SHEET
    name: str = Field("Sheet", min_length=1, max_length=80)
    groups: tuple[str, ...] | None = None
    textures: tuple[Texture, ...] = ()
    regions: RegionSet = RegionSet()
    tone: ToneSettings = ToneSettings()
    base: str = TONE
    steps: tuple[Step, ...] = ()
    opacity: OpacityUse = OpacityUse.CUT_OUT
    factors: dict[Annotated[str, AfterValidator(_attribute)], tuple[Annotated[float, Field(ge=0, le=65504)], ...]] = {}


class Follow(Stored):
    """That a value follows a shared one of a collection. parameter, variant: ids, of what follows; no variant is the
    default. path: the collection's file. shared: the id of the value there. taken: as it was when it was taken last."""

    parameter: str = Field(max_length=80)
    variant: str | None = Field(None, max_length=80)
    path: str = Field(max_length=4096)
    shared: str = Field(max_length=80)
    taken: Value


#: Recipes that were asked for last, with the sheet and the parameters that they are of: it is asked again and again.
_recipes: list[tuple[Sheet, tuple[Parameter, ...], Recipe]] = []


class Project(Stored):
    """The whole document as JSON. Sheets have textures, divisions, tone and steps; parameters and variants span them.

    asset, regions, tone and recipe are those of the active sheet; `changed` puts new ones in their place.
    """

    format: str = FORMAT
    version: int = VERSION
    name: str = Field("Untitled", min_length=1, max_length=80)
    mesh: MeshInfo | None = None
    sheets: tuple[Sheet, ...] = Field((Sheet(),), min_length=1)
    active_sheet: str | None = None
    parameters: tuple[Parameter, ...] = ()
    variants: tuple[Variant, ...] = ()
    active_variant: str | None = None
    #: Values that follow shared ones, each parameter of a variant once.
    follows: tuple[Follow, ...] = Field((), max_length=10_000)
    #: Parameters by id that nothing changes for many variants at once.
    locked: tuple[Annotated[str, Field(max_length=80)], ...] = Field((), max_length=1000)
    #: What values by chance keep to, each parameter once.
    limits: tuple[Limit, ...] = Field((), max_length=1000)
    crowd: Crowd = Crowd()
    delivery: DeliverySettings = DeliverySettings()
    #: Keys of findings that the artist chose to leave as they are.
    ignored: tuple[Annotated[str, Field(max_length=300)], ...] = Field((), max_length=2000)
    #: Raster key to file, relative to the project folder; written on save.
    rasters: dict[str, str] = {}
    mesh_file: str | None = None

    @property
    def sheet(self) -> Sheet:
        """The sheet that is worked on."""
        return next((sheet for sheet in self.sheets if sheet.id == self.active_sheet), self.sheets[0])

    @property
    def asset(self) -> Asset:
        """The mesh with the textures of the active sheet."""
        return Asset.model_construct(mesh=self.mesh, textures=self.sheet.textures)

    @property
    def regions(self) -> RegionSet:
        """The divisions of the active sheet."""
        return self.sheet.regions

    @property
    def tone(self) -> ToneSettings:
        """How the tone of the active sheet is made."""
        return self.sheet.tone

    @property
    def recipe(self) -> Recipe:
        """The steps of the active sheet, with the parameters of the project."""
        sheet, parameters = self.sheet, self.parameters
        for known in _recipes:
            if known[0] is sheet and known[1] is parameters:
                return known[2]
        made = Recipe.model_construct(base=sheet.base, parameters=parameters, steps=sheet.steps)
        _recipes[:] = [(sheet, parameters, made), *_recipes[:3]]
        return made

    def changed(self, **parts: Any) -> "Project":
        """A copy with parts replaced; asset, regions, tone and recipe go into the active sheet."""
        of_sheet: dict[str, Any] = {key: parts.pop(key) for key in ("regions", "tone") if key in parts}
        if (asset := parts.pop("asset", None)) is not None:
            of_sheet["textures"], parts["mesh"] = asset.textures, asset.mesh
        if (recipe := parts.pop("recipe", None)) is not None:
            of_sheet |= {"base": recipe.base, "steps": recipe.steps}
            parts["parameters"] = recipe.parameters
        if of_sheet:
            changed = self.sheet.model_copy(update=of_sheet)
            parts["sheets"] = tuple(changed if sheet.id == changed.id else sheet for sheet in self.sheets)
        return self.model_copy(update=parts)

    def sheet_of(self, group: str) -> Sheet | None:
        """The sheet that a material group is on."""
        return next((sheet for sheet in self.sheets if sheet.groups is None or group in sheet.groups), None)

    def users(self, parameter_id: str) -> list[Step]:
        """The steps of all sheets that read this parameter."""
        return [s for sheet in self.sheets for s in sheet.steps if any(b.follows == parameter_id for b in s.bindings)]


def with_sources(project: Project, change: Callable[[str], str]) -> Project:
    """The project with every path of a source file changed."""

    def moved(texture: Texture) -> Texture:
        made: dict[str, Any] = {"source_path": change(texture.source_path)} if texture.source_path else {}
        if texture.bake is not None and (texture.bake.finer or texture.bake.cage):
            paths = {key: change(path) for key in ("finer", "cage") if (path := getattr(texture.bake, key))}
            made["bake"] = texture.bake.model_copy(update=paths)
        return texture.model_copy(update=made) if made else texture

    def linked(step: Step) -> Step:
        if step.link is None:
            return step
        return step.model_copy(update={"link": step.link.model_copy(update={"path": change(step.link.path)})})

    sheets = tuple(
        sheet.model_copy(
            update={"textures": tuple(map(moved, sheet.textures)), "steps": tuple(map(linked, sheet.steps))}
        )
        for sheet in project.sheets
    )
    mesh = project.mesh
    if mesh is not None and mesh.source_path:
        mesh = mesh.model_copy(update={"source_path": change(mesh.source_path)})
    follows = tuple(follow.model_copy(update={"path": change(follow.path)}) for follow in project.follows)
    return project.model_copy(update={"sheets": sheets, "mesh": mesh, "follows": follows})
