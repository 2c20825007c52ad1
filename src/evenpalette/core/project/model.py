"""The project file: everything about a project that is not pixels or geometry."""

from enum import StrEnum

from pydantic import Field

from evenpalette.core.raster.raster import Encoding
from evenpalette.core.recipe.model import Recipe
from evenpalette.core.regions.model import RegionSet
from evenpalette.core.stored import Stored
from evenpalette.core.tones.model import ToneSettings
from evenpalette.core.variants.model import Variant

#: Raised whenever an older version could not read the file; readers refuse newer ones.
VERSION = 1
FORMAT = "even-palette-project"


class Role(StrEnum):
    """What a texture holds."""

    PAINTED = "painted color"
    ID_MAP = "ID map"
    CHANNEL_MASK = "channel mask"
    NORMAL = "normal"
    OCCLUSION = "occlusion"
    MASK = "mask"
    DATA = "other data"
    COLOR = "other color"

    @property
    def encoding(self) -> Encoding:
        """The encoding that stored numbers of this role have. An ID map is compared in stored values, so it is data."""
        return Encoding.SRGB if self in (Role.PAINTED, Role.COLOR) else Encoding.DATA


class Texture(Stored):
    """One texture of the asset. `encoding` normally follows the role; HDR color is linear."""

    id: str
    name: str = Field(min_length=1, max_length=120)
    role: Role
    encoding: Encoding
    source_path: str = ""


class MeshInfo(Stored):
    """The mesh: its file's name and where it was brought in from.

    tile: the UV tile of the file that is worked on, 'wrap' for all laid into one, '' for the layout as it is.
    """

    name: str
    ending: str
    source_path: str = ""
    tile: str = Field("", max_length=40)


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


class DeliverySettings(Stored):
    """What is written on delivery. size: longest side in texels, 0 is the sources' own."""

    size: int = Field(0, ge=0, le=16384)
    variants: tuple[str, ...] | None = None


class Project(Stored):
    """The whole document as JSON."""

    format: str = FORMAT
    version: int = VERSION
    name: str = Field("Untitled", min_length=1, max_length=80)
    asset: Asset = Asset()
    regions: RegionSet = RegionSet()
    tone: ToneSettings = ToneSettings()
    recipe: Recipe = Recipe()
    variants: tuple[Variant, ...] = ()
    active_variant: str | None = None
    delivery: DeliverySettings = DeliverySettings()
    #: Raster key to file, relative to the project folder; written on save.
    rasters: dict[str, str] = {}
    mesh_file: str | None = None
