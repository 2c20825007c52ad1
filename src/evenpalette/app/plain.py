"""Text as text: Qt draws HTML where a text looks like it, and names come from strangers."""

import re

#: An invisible sign that joins what stands on both sides: behind `<` there is no tag, behind `&` no entity.
_JOINER = "\N{WORD JOINER}"
_MARKS = re.compile(r"[<&](?!$)")


def plain(text: str) -> str:
    """The text for a place where Qt guesses what it is (tooltips, questions): it looks the same and is never HTML."""
    return _MARKS.sub(lambda found: found[0] + _JOINER, text)


def entry(text: str) -> str:
    """The text for a menu or a button, where `&` would underline the next letter."""
    return text.replace("&", "&&")
