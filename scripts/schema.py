"""Write the project file's JSON schema to docs/project.schema.json."""

import json
from pathlib import Path

from evenpalette.core.project.model import Project


def schema_text() -> str:
    """The schema as it is published."""
    return json.dumps(Project.model_json_schema(), indent=2) + "\n"


if __name__ == "__main__":
    (Path(__file__).parents[1] / "docs" / "project.schema.json").write_text(schema_text())
