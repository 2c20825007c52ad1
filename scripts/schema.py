"""Write the JSON Schemas of the project file, of collections, of a kit's description and of layouts into docs/."""

import json
from pathlib import Path

from evenpalette.core.collection.model import Collection
from evenpalette.core.delivery import kit_model
from evenpalette.core.document.layout_model import layout_schema
from evenpalette.core.document.project import Project
from evenpalette.core.stored import schema_of


def schema_text() -> str:
    """The schema as it is published."""
    return json.dumps(schema_of(Project), indent=2) + "\n"


if __name__ == "__main__":
    docs = Path(__file__).parents[1] / "docs"
    (docs / "project.schema.json").write_text(schema_text())
    (docs / "parameters.schema.json").write_text(kit_model.schema_text())
    (docs / "layout.schema.json").write_text(layout_schema())
    (docs / "collection.schema.json").write_text(json.dumps(schema_of(Collection), indent=2) + "\n")
