"""What a mesh file brings along, whatever its format: sheets of textures in their roles."""

from dataclasses import field

from evenpalette.core.dataclass import dataclass


@dataclass(frozen=True)
class FileTexture:
    """A picture that a mesh file brings along. content: of a picture's file. channels: what each channel of packed
    data holds, '' for nothing. factor: what its values are multiplied by, for each channel. source: the file that it
    is, '' where it lies in the mesh's."""

    name: str
    role: str
    content: bytes = field(repr=False)
    channels: tuple[str, ...] = ()
    factor: tuple[float, ...] = ()
    source: str = ""


@dataclass(frozen=True)
class FileSheet:
    """Material groups that share their textures. factors: of attributes without a texture, by attribute key."""

    name: str
    groups: tuple[str, ...]
    textures: tuple[FileTexture, ...]
    factors: dict[str, tuple[float, ...]]


def keep_plain(sheets: list[FileSheet], plain: list[str], notes: list[str]) -> None:
    """Groups without textures stay with the first sheet, where there is one; that is noted."""
    if plain and sheets:
        first = sheets[0]
        notes.append(f"{', '.join(plain[:4])}: no textures of their own, kept with {first.name}")
        sheets[0] = FileSheet(first.name, (*first.groups, *plain), first.textures, first.factors)
