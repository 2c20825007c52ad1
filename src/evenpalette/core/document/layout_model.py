"""A layout as a file has it: its JSON Schema is made from it."""

import json
import re
from typing import Annotated, Any, Literal

from pydantic import ConfigDict, Field, ValidationError, field_validator, model_validator

from evenpalette.core.errors import LayoutError
from evenpalette.core.stored import Stored, schema_of

FORMAT: Literal["even-palette-layout"] = "even-palette-layout"
VERSION: Literal[1] = 1
PLACEHOLDERS = ("project", "sheet", "variant", "region", "division", "size")
#: Where a channel may come from, as it begins.
SOURCES = ("attribute", "region", "id", "tone", "index", "strip", "texture", "mask", "constant")
BITS = {"png": (8, 16), "tga": (8,), "tiff": (8, 16, 32), "exr": (16, 32), "dds": (8, 16, 32), "ktx2": (8, 16, 32)}
ENDINGS = {"png": ".png", "tga": ".tga", "tiff": ".tif", "exr": ".exr", "dds": ".dds", "ktx2": ".ktx2"}
_MOST_TEXT = 1 << 20
#: Templates say a placeholder in braces; everything else stays as it is written.
_PLACE = re.compile(r"\{([^{}]*)\}")


class LayoutChannel(Stored):
    """What lies in one channel of a file, or in several: `to` are letters of r, g, b, a.

    from: `attribute:KEY`, with `.r` one component of it, with `@STEP` as it is after that step; `region:NAME` or
    several joined by `+`; `id:DIVISION`; `tone`; `index:TEXTURE` and `strip:TEXTURE`; `texture:NAME`, with `.r` one
    channel; `mask:STEP`; `constant:NUMBER`. range: of the source, which become 0 and 1. encode: color is stored as sRGB
    and all else as data unless it is said; formats of floats take color as linear light. green: of a normal. layer: of
    an OpenEXR file, '' for its own channels.
    """

    model_config = ConfigDict(extra="forbid", frozen=True, defer_build=True, populate_by_name=True)

    to: str = Field(pattern="^[rgba]{1,4}$")
    source: str = Field(alias="from", min_length=1, max_length=300)
    invert: bool = False
    range: tuple[float, float] | None = None
    encode: Literal["srgb", "data"] | None = None
    green: Literal["up", "down"] = "up"
    layer: str = Field("", max_length=60, pattern="^[A-Za-z0-9_ -]*$")

    @field_validator("source")
    @classmethod
    def _is_known(cls, source: str) -> str:
        kind, colon, rest = source.partition(":")
        if kind not in SOURCES or (kind != "tone" and not rest) or (kind == "tone" and colon):
            raise ValueError(f"'{source[:60]}' is no source; there are {', '.join(SOURCES)}, as 'attribute:roughness'")
        if kind == "constant":
            float(rest)
        return source

    @model_validator(mode="after")
    def _fits(self) -> "LayoutChannel":
        if len(set(self.to)) != len(self.to):
            raise ValueError(f"'{self.to}' names a channel twice")
        if self.range is not None and self.range[0] == self.range[1]:
            raise ValueError("a range from a number to itself has nothing in it")
        return self

    @property
    def words(self) -> str:
        """Where it comes from, as one says it."""
        kind, _, rest = self.source.partition(":")
        key, _, after = rest.partition("@")
        said = {
            "attribute": key.replace("_", " "), "region": rest.replace("+", " and "), "id": f"flags of {rest}", "tone": "the tone",
            "mask": f"mask of {rest}", "constant": f"{rest} everywhere",
        }.get(kind, rest)  # fmt: skip
        said += f" after {after}" if after and kind == "attribute" else ""
        if self.range is not None:
            said += f", from {self.range[0]:g} to {self.range[1]:g}"
        return said + (", turned around" if self.invert else "")


class LayoutFile(Stored):
    """One file, or one for each of what `per` says.

    name: a template with {project} {sheet} {variant} {region} {division} {size}; the ending comes from the format.
    bits: of a channel; 16 and 32 of exr are half and float, 32 is float elsewhere too. size: texels of the longest
    side, or with a point a factor; none is as the sources are. padding: texels beyond the islands that take the nearest
    texel's values; "none" leaves what is painted there. without: steps, by name or id, that are left out. zstd:
    supercompression of ktx2.
    """

    name: str = Field(min_length=1, max_length=200)
    per: Literal["variant", "once", "region", "division", "sheet"] = "variant"
    format: Literal["png", "tga", "tiff", "exr", "dds", "ktx2"] = "png"
    bits: Literal[8, 16, 32] = 8
    compression: Literal["none", "bc1", "bc3", "bc4", "bc5", "bc6h", "bc7"] = "none"
    zstd: bool = False
    mips: bool = False
    size: Annotated[int, Field(strict=True, ge=1, le=16384)] | Annotated[float, Field(gt=0, le=16)] | None = None
    padding: Literal["none"] | Annotated[int, Field(strict=True, ge=0, le=8192)] = "none"
    without: tuple[str, ...] = ()
    channels: tuple[LayoutChannel, ...] = Field(min_length=1)

    @model_validator(mode="before")
    @classmethod
    def _depth(cls, raw: Any) -> Any:
        if isinstance(raw, dict) and raw.get("format") == "exr" and "bits" not in raw:
            return {**raw, "bits": 16}
        return raw

    @model_validator(mode="after")
    def _fits(self) -> "LayoutFile":
        unknown = [place for place in _PLACE.findall(self.name) if place not in PLACEHOLDERS]
        if unknown:
            raise ValueError(
                f"'{{{unknown[0]}}}' is no placeholder; there are {', '.join('{' + p + '}' for p in PLACEHOLDERS)}"
            )
        for name, part in self.by_layer().items():
            letters = "".join(channel.to for channel in part)
            twice = next((letter for letter in letters if letters.count(letter) > 1), "")
            if twice:
                raise ValueError(f"the channel '{twice}' is filled twice{f' in the layer {name}' if name else ''}")
            if name and self.format != "exr":
                raise ValueError(f"layers are for exr, not for {self.format}")
        if self.bits not in BITS[self.format]:
            raise ValueError(
                f"{self.format} has {' or '.join(map(str, BITS[self.format]))} bits a channel, not {self.bits}"
            )
        if self.compression != "none" and self.format not in ("dds", "ktx2"):
            raise ValueError(f"block compression is for dds and ktx2, not for {self.format}")
        if self.mips and self.format not in ("dds", "ktx2"):
            raise ValueError(f"mip levels are stored in dds and ktx2, not in {self.format}")
        if self.zstd and self.format != "ktx2":
            raise ValueError("zstd is for ktx2")
        count = self.channel_count
        most = {"bc1": 3, "bc4": 1, "bc5": 2, "bc6h": 3}.get(self.compression, 4)
        if count > most:
            raise ValueError(f"{self.compression} holds {most} channel{'s' * (most > 1)}, not {count}")
        return self

    def by_layer(self) -> dict[str, tuple[LayoutChannel, ...]]:
        """The channels of each layer; a file without layers has one, which is called ''."""
        names = dict.fromkeys(channel.layer for channel in self.channels)
        return {name: tuple(c for c in self.channels if c.layer == name) for name in names}

    @property
    def channel_count(self) -> int:
        """How many channels the file has, or its widest layer: up to the last letter that is filled."""
        letters = "".join(channel.to for channel in self.channels)
        return max("rgba".index(letter) for letter in letters) + 1


class Layout(Stored):
    """The whole: what it is called, and its files."""

    format: Literal["even-palette-layout"] = FORMAT
    version: Literal[1] = VERSION
    name: str = Field("Layout", min_length=1, max_length=80)
    description: str = Field("", max_length=1000)
    files: tuple[LayoutFile, ...] = Field(min_length=1, max_length=200)


def filled_in(template: str, words: dict[str, str]) -> str:
    """A template with its placeholders filled in."""
    return _PLACE.sub(lambda found: words.get(found[1], found[0]), template)


def read_layout(text: str, name: str = "The layout") -> Layout:
    """A layout of its text. Raises LayoutError with the line and the reason."""
    if len(text) > _MOST_TEXT:
        raise LayoutError(f"{name} is too long for a layout.")
    try:
        raw = json.loads(text)
    except json.JSONDecodeError as error:
        raise LayoutError(f"{name}, line {error.lineno}: {error.msg}.") from error
    except RecursionError as error:
        raise LayoutError(f"{name} is nested too deeply.") from error
    if isinstance(raw, dict) and isinstance(raw.get("version"), int) and raw["version"] > VERSION:
        raise LayoutError(
            f"{name} is of version {raw['version']}, which is newer than this program. Update Even Palette."
        )
    try:
        return Layout.model_validate(raw)
    except ValidationError as error:
        first = error.errors()[0]
        path = tuple(part for part in first["loc"] if isinstance(part, int) or part in _KEYS)
        where = ".".join(str(part) for part in path)
        words = str(first["msg"]).removeprefix("Value error, ").rstrip(".")
        raise LayoutError(f"{name}, line {line_of(text, path)}{f' ({where})' if where else ''}: {words}.") from error


_KEYS = {"from", *Layout.model_fields, *LayoutFile.model_fields, *LayoutChannel.model_fields}
_TOKENS = re.compile(r'"(?:\\.|[^"\\])*"|[\[\]{},:]|[^\s\[\]{},:"]+')


def line_of(text: str, path: tuple[int | str, ...]) -> int:
    """The line in which the value of a path begins in a JSON text, or the nearest thing around it that is there."""
    stack: list[list[Any]] = []
    best, depth = 1, 0
    for token in _TOKENS.finditer(text):
        word, line = token.group(), text.count("\n", 0, token.start()) + 1
        if word in "]}":
            stack.pop()
            continue
        if word == ",":
            if stack and stack[-1][0] == "[":
                stack[-1][1] += 1
            elif stack:
                stack[-1][2] = True
            continue
        if word == ":":
            continue
        if stack and stack[-1][0] == "{" and stack[-1][2] and word not in "[{":
            stack[-1][1], stack[-1][2] = json.loads(word), False
            here = tuple(level[1] for level in stack)
        else:
            here = tuple(level[1] for level in stack)
        common = next(
            (k for k, (a, b) in enumerate(zip(here, path, strict=False)) if a != b), min(len(here), len(path))
        )
        if common == len(here) and common > depth:
            best, depth = line, common
        if word in "[{":
            stack.append([word, 0 if word == "[" else None, True])
    return best


def layout_text(layout: Layout) -> str:
    """A layout as its file has it."""
    return (
        json.dumps(
            layout.model_dump(mode="json", by_alias=True, exclude_defaults=True)
            | {"format": FORMAT, "version": VERSION, "name": layout.name},
            indent=2,
            ensure_ascii=False,
        )
        + "\n"
    )


def layout_schema() -> str:
    """The JSON Schema of the file, as it is published in docs/."""
    schema: dict[str, Any] = {"$schema": "https://json-schema.org/draft/2020-12/schema"}
    return json.dumps(schema | schema_of(Layout), indent=2) + "\n"
