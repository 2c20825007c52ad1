"""Make docs/reference.md from the docstrings of the promised interface, by sphinx: `python -m scripts.reference`."""

import io
import logging
import re
import tempfile
from pathlib import Path

import evenpalette

PAGE = Path(__file__).parents[1] / "docs" / "reference.md"
_CONF = """
project = "Even Palette"
extensions = ["sphinx.ext.autodoc", "sphinx_markdown_builder"]
autodoc_member_order = "bysource"
autodoc_typehints = "signature"
autodoc_typehints_format = "short"
python_use_unqualified_type_names = True
add_module_names = False
autodoc_class_signature = "separated"
smartquotes = False
"""
_HEAD = """# Reference

What a script may rely on, version {version} of the interface. Made from the source by `python -m scripts.reference`;
[scripts](scripting.md) shows how it is used.
"""


def reference_text() -> str:
    """The page as it is published."""
    from sphinx.application import Sphinx

    names = [name for name in evenpalette.__all__ if name not in ("API_VERSION", "__version__")]
    functions = [name for name in names if name[0].islower()]
    classes = [name for name in names if name[0].isupper() and name != "Error"]
    lines = ["Reference", "=========", ""]
    for name in functions:
        lines += [f".. autofunction:: evenpalette.api.{name}", ""]
    for name in classes:
        lines += [f".. autoclass:: evenpalette.api.{name}", "   :members:", ""]
    lines += [
        ".. py:exception:: Error",
        "",
        "   Whatever goes wrong, in one sentence: what, where, and what to do.",
        "",
    ]
    with tempfile.TemporaryDirectory() as place:
        folder = Path(place)
        (folder / "conf.py").write_text(_CONF)
        (folder / "index.rst").write_text("\n".join(lines))
        logging.getLogger("sphinx").setLevel(logging.ERROR)
        made = Sphinx(
            folder, folder, folder / "out", folder / "trees", "markdown", status=None, warning=io.StringIO(), freshenv=True
        )  # fmt: skip
        made.build()
        text = (folder / "out" / "index.md").read_text("utf-8")
    text = re.sub(r"^# Reference\n", _HEAD.format(version=evenpalette.API_VERSION), text)
    return re.sub(r"\n{3,}", "\n\n", text).rstrip() + "\n"


if __name__ == "__main__":
    PAGE.write_text(reference_text(), "utf-8")
