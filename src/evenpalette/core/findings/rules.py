"""Which findings a team counts as errors: a small file of its own."""

import json
from dataclasses import field
from enum import StrEnum
from pathlib import Path

from evenpalette.core.dataclass import dataclass
from evenpalette.core.errors import EvenPaletteError
from evenpalette.core.files import read_regular, reason
from evenpalette.core.findings.kind import Weight
from evenpalette.core.findings.kinds import FINDINGS

FORMAT, VERSION = "even-palette-rules", 1
_MOST_BYTES = 1 << 20


class Severity(StrEnum):
    """How a finding counts; 'off' leaves it out."""

    ERROR = "error"
    WARNING = "warning"
    NOTE = "note"
    OFF = "off"


_USUAL = {Weight.WRONG: Severity.ERROR, Weight.POOR: Severity.WARNING, Weight.TIDY: Severity.NOTE}


@dataclass(frozen=True)
class Rules:
    """By the code of a finding how it counts, where that is not as usual: what is wrong is an error, what is poor a
    warning, what is untidy a note."""

    codes: dict[str, Severity] = field(default_factory=dict)

    def of(self, code: str) -> Severity:
        """How a finding counts."""
        if code in self.codes:
            return self.codes[code]
        return _USUAL[FINDINGS[code].weight] if code in FINDINGS else Severity.WARNING


def read_rules(path: Path) -> Rules:
    """The rules of a file. Raises EvenPaletteError with the reason."""
    try:
        raw = json.loads(read_regular(path, _MOST_BYTES))
    except OSError as error:
        raise EvenPaletteError(f"{path} cannot be read: {reason(error)}.") from error
    except (ValueError, RecursionError) as error:
        raise EvenPaletteError(f"{path} holds no rules: {str(error)[:100]}.") from error
    if not isinstance(raw, dict) or raw.get("format") != FORMAT or raw.get("version") != VERSION:
        raise EvenPaletteError(f'{path} holds no rules: it begins with "format": "{FORMAT}", "version": {VERSION}.')
    said = raw.get("findings", {})
    known = ", ".join(Severity)
    if not isinstance(said, dict) or set(raw) - {"format", "version", "findings"}:
        raise EvenPaletteError(f'{path}: "findings" names codes with {known}, and nothing else stands there.')
    codes = {}
    for code, severity in said.items():
        if code not in FINDINGS:
            raise EvenPaletteError(f"{path}: there is no finding '{str(code)[:60]}'. There are: {', '.join(FINDINGS)}.")
        if severity not in list(Severity):
            raise EvenPaletteError(f"{path}: '{code}' is {known}, not '{str(severity)[:40]}'.")
        codes[code] = Severity(severity)
    return Rules(codes)
