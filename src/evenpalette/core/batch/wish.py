"""What is wanted of every project of a batch, as plain data that travels."""

import hashlib
import json
from collections.abc import Mapping
from dataclasses import asdict, replace
from typing import Any

from evenpalette import __version__
from evenpalette.core.dataclass import dataclass
from evenpalette.core.delivery.targets import TARGETS
from evenpalette.core.document.layout_model import Layout, layout_text, read_layout
from evenpalette.core.errors import EvenPaletteError
from evenpalette.core.recipe.attributes import BASE_COLOR


@dataclass(frozen=True)
class Wish:
    """targets: keys of TARGETS, in their order. layout: its text, '' for none. maps: attributes of images. size,
    kit_size: longest sides in texels, 0 is the sources' own. variants: names, None is all of them."""

    targets: tuple[str, ...] = ()
    layout: str = ""
    maps: tuple[str, ...] = (BASE_COLOR,)
    size: int = 0
    kit_size: int = 0
    variants: tuple[str, ...] | None = None

    @classmethod
    def of(
        cls, *, targets: tuple[str, ...] = (), layout: Layout | None = None, maps: tuple[str, ...] = (BASE_COLOR,),
        size: int = 0, kit_size: int = 0, variants: tuple[str, ...] | None = None,
    ) -> "Wish":  # fmt: skip
        """As a delivery takes it: without targets those that are usual, or none where there is a layout. Raises
        EvenPaletteError for a target that there is not."""
        unknown = [key for key in targets if key not in TARGETS]
        if unknown:
            raise EvenPaletteError(f"'{unknown[0]}' is no target. There are {', '.join(TARGETS)}.")
        wanted = {*targets, *(needed for key in targets for needed in TARGETS[key].needs)}
        usual = not targets and layout is None
        keys = tuple(t.key for t in TARGETS.values() if t.key in wanted or (usual and t.usual))
        return cls(keys, layout_text(layout) if layout is not None else "", tuple(maps), size, kit_size, variants)

    @property
    def files(self) -> Layout | None:
        """The layout. Raises LayoutError."""
        return read_layout(self.layout, "the layout") if self.layout else None

    def as_data(self) -> dict[str, Any]:
        """For a job."""
        return asdict(self)

    @classmethod
    def from_data(cls, data: Mapping[str, Any]) -> "Wish":
        """As it came with a job."""
        made = cls(**data)
        variants = None if made.variants is None else tuple(made.variants)
        return replace(made, targets=tuple(made.targets), maps=tuple(made.maps), variants=variants)

    def word(self, project: str) -> str:
        """What a delivery of a project depends on, as one word. project: the name of its packed content."""
        return hashlib.sha256(json.dumps([__version__, project, self.as_data()]).encode()).hexdigest()
