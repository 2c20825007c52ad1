"""What was said of variants by those who looked at them: as text that a page copies, and taken from it."""

from evenpalette.core.document.state import State
from evenpalette.core.document.variant import MARKS, Variant
from evenpalette.core.errors import RecipeError

#: What the first line begins with; the name of the project follows.
HEAD = "Even Palette review:"
_LONGEST = 1 << 18
_MOST_NOTE = 2000


def marks_as_text(state: State) -> str:
    """A line for each variant that something was said of: `Ember: keep, the red is right`."""
    lines = [f"{v.name}: {', '.join(filter(None, (v.mark, v.note)))}" for v in state.project.variants if v.mark or v.note]  # fmt: skip
    return "\n".join([f"{HEAD} {state.project.name}", *(line.replace("\n", " ") for line in lines)])


def take_marks(state: State, text: str) -> tuple[State, int, list[str]]:
    """Marks and notes of a text put onto the variants of those names; how many, and the lines that fit none, in words.

    Variants that the text does not name keep theirs. Raises RecipeError for text that is no review.
    """
    lines = [line.strip() for line in text[:_LONGEST].strip().splitlines() if line.strip()]
    if not lines or not lines[0].startswith(HEAD):
        raise RecipeError(f"This is no review: its text begins with '{HEAD}'. The page of a kit copies such text.")
    # The longest name first: one may begin as another does, or hold a colon.
    names = sorted(((v.name, v.id) for v in state.project.variants), key=lambda named: -len(named[0]))
    said: dict[str, tuple[str, str]] = {}
    missing: list[str] = []
    for number, line in enumerate(lines[1:], 2):
        found = next(((name, key) for name, key in names if line.lower().startswith(name.lower() + ":")), None)
        if found is None:
            missing.append(f"'{line[:40]}' names no variant (line {number})")
            continue
        rest = line[len(found[0]) + 1 :].strip()
        word, _, note = rest.partition(",")
        mark = word.strip().lower()
        said[found[1]] = (mark, note.strip()) if mark in MARKS else ("", rest)
    if not said:
        raise RecipeError("None of the variants that this review names is in this project.")

    def marked(variant: Variant) -> Variant:
        if variant.id not in said:
            return variant
        mark, note = said[variant.id]
        return variant.model_copy(update={"mark": mark, "note": note[:_MOST_NOTE]})

    return state.with_project(variants=tuple(map(marked, state.project.variants))), len(said), missing


def mark_variants(state: State, variants: set[str], mark: str | None = None, note: str | None = None) -> State:
    """Say something of variants; None leaves what was said."""
    parts = {"mark": mark} if mark is not None else {}
    if note is not None:
        parts["note"] = note[:_MOST_NOTE]
    return state.with_project(
        variants=tuple(v.model_copy(update=parts) if v.id in variants else v for v in state.project.variants)
    )
