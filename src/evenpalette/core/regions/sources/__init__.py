"""The sources of regions, one file each. A file here that defines SOURCE is one; nothing lists them by hand."""

from typing import Annotated, Any, Union

from pydantic import Field, GetCoreSchemaHandler, SerializationInfo, SerializerFunctionWrapHandler
from pydantic_core import CoreSchema, core_schema

from evenpalette.core.regions.source import Source, SourceKind
from evenpalette.core.registry import Registry

SOURCES: Registry[SourceKind] = Registry(__name__, __path__, "SOURCE")
_OURS = tuple(kind.model for kind in SOURCES.values())


class _Known:
    """Reads a source by its kind: ours by a schema that is published, others as their kind says."""

    @classmethod
    def __get_pydantic_core_schema__(cls, _: Any, handler: GetCoreSchemaHandler) -> CoreSchema:
        ours = handler.generate_schema(Annotated[Union[_OURS], Field(discriminator="kind")])  # noqa: UP007
        return core_schema.no_info_wrap_validator_function(
            _read,
            ours,
            serialization=core_schema.wrap_serializer_function_ser_schema(_write, info_arg=True, schema=ours),
        )


def _read(value: Any, ours: Any) -> Source:
    if isinstance(value, Source):
        return value
    kind = SOURCES.get(str(value.get("kind"))) if isinstance(value, dict) else None
    return kind.model.model_validate(value) if kind is not None and kind.model not in _OURS else ours(value)


def _write(value: Source, ours: SerializerFunctionWrapHandler, info: SerializationInfo) -> Any:
    if isinstance(value, _OURS):
        return ours(value)
    return value.model_dump(mode=info.mode, exclude_defaults=info.exclude_defaults, exclude_unset=info.exclude_unset)


RegionSource = Annotated[Source, _Known]


def source_kind(source: Source) -> SourceKind:
    """The kind of a source."""
    return SOURCES[source.kind]
