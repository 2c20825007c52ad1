"""Files of the layout that would lie in each other's place."""

from collections.abc import Iterator

from evenpalette.core.document.layout_model import LayoutFile
from evenpalette.core.document.state import State
from evenpalette.core.edits.layouts import files_of, layout_of, with_file, with_layout, with_settings
from evenpalette.core.files import safe_name
from evenpalette.core.findings.finding import Finding
from evenpalette.core.findings.inspection import Inspection
from evenpalette.core.findings.kind import Cost, FindingKind, Mend, Weight


def _missing(state: State, file: LayoutFile) -> str:
    """The placeholder that a template lacks, '' for none."""
    project = state.project
    needs = {
        "variant": file.per == "variant" and len(project.variants) > 1,
        "region": file.per == "region" and len(project.regions.regions) > 1,
        "division": file.per == "division" and len(project.regions.divisions) > 1,
        "sheet": file.per != "once" and len(project.sheets) > 1,
    }
    return next((word for word, is_needed in needs.items() if is_needed and f"{{{word}}}" not in file.name), "")


def find(look: Inspection) -> Iterator[Finding]:
    """Each file without the placeholder that tells its copies apart, or with another one's name."""
    seen = set()
    for file in files_of(look.state):
        missing, key = _missing(look.state, file), (file.name.lower(), file.format)
        if missing:
            text = f"The layout's file {file.name} is called alike for every {missing}: {{{missing}}} is missing"
            yield FINDING.at(text, subject=file.name)
        elif key in seen:
            yield FINDING.at(f"Two files of the layout are called {file.name}", subject=file.name)
        seen.add(key)
        if not missing and "{variant}" in file.name:
            names: dict[str, str] = {}
            for variant in look.state.project.variants:
                plain = safe_name(variant.name)
                if plain in names:
                    text = f"The layout's file {file.name} has one name for {names[plain]} and {variant.name}: {plain}"
                    yield FINDING.at(text, subject=file.name)
                    break
                names[plain] = variant.name


def mend(state: State, finding: Finding) -> Mend | None:
    """Put the placeholder into the name, or number it; variants that are alike need a name by hand."""
    layout = layout_of(state)
    same = [f for f in layout.files if f.name == finding.subject] if layout is not None else []
    if not same or layout is None:
        return None
    if missing := _missing(state, same[0]):
        return f"Add {{{missing}}}", lambda s: with_file(
            s, finding.subject, lambda f: with_settings(f, name=f"{f.name}_{{{missing}}}")
        )
    if len(same) > 1:
        return "Number its name", lambda s: _numbered(s, finding.subject)
    return None


def _numbered(state: State, name: str) -> State:
    """The last file of this name with a number behind it."""
    layout = layout_of(state)
    if layout is None:
        return state
    place = max((k for k, f in enumerate(layout.files) if f.name == name), default=-1)
    taken = {f.name for f in layout.files}
    number = next(n for n in range(2, len(taken) + 3) if f"{name}_{n}" not in taken)
    files = [with_settings(f, name=f"{name}_{number}") if k == place else f for k, f in enumerate(layout.files)]
    return with_layout(state, layout.model_copy(update={"files": tuple(files)}))


FINDING = FindingKind("layout-name", "delivery", 25, Weight.WRONG, Cost.DESCRIPTION, find, mend)
