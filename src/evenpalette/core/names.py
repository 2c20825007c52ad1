"""Names that people give: what may be one, and one that nobody has yet."""

from collections.abc import Iterable, Sequence

from evenpalette.core.errors import ValueProblem

#: Characters of a name; the models of the document ask for the same.
LONGEST = 80


def is_text(text: str) -> bool:
    """Whether a file can hold it: without NUL and lone surrogates."""
    return "\0" not in text and (text.isascii() or not any("\ud800" <= c <= "\udfff" for c in text))


def plain_name(text: str) -> str:
    """The name that a file gives, with what no file of ours can hold replaced."""
    return "".join(c if is_text(c) else "\N{REPLACEMENT CHARACTER}" for c in text)


def storable(path: str) -> str:
    """A path that a project can name, '' for one whose letters are no text: it is not followed then."""
    return path if is_text(path) else ""


def checked_name(text: str, whose: str, longest: int = LONGEST) -> str:
    """The name without white space around it. whose: 'A variant'. Raises ValueProblem for what is no name, in words."""
    name = text.strip()
    if not name:
        raise ValueProblem(f"{whose} needs a name.")
    if len(name) > longest:
        raise ValueProblem(f"A name has at most {longest} characters, this one has {len(name)}.")
    if not is_text(name):
        raise ValueProblem(f"{name[:40]!a} is no name: no file can hold it.")
    return name


def free_name(wanted: str, taken: Iterable[str], longest: int = LONGEST) -> str:
    """A name as wanted, cut where it is too long, or with a number behind it where one of these is it, in whatever
    case."""
    names = {name.lower() for name in taken}
    name, number = wanted.strip()[:longest].strip(), 2
    while name.lower() in names:
        end = f" {number}"
        name, number = f"{wanted.strip()[: longest - len(end)].strip()}{end}", number + 1
    return name


def listed(names: Sequence[str]) -> str:
    """'A', 'A and B', 'A, B and C', 'A, B, C and 4 more'."""
    if len(names) > 4:
        return f"{', '.join(names[:3])} and {len(names) - 3} more"
    return f"{', '.join(names[:-1])} and {names[-1]}" if len(names) > 1 else names[0]
