"""The kinds of findings, one file each: what is looked at, the sentence, the place, what one click mends. A file here
that defines FINDING is one; nothing lists them by hand."""

from evenpalette.core.findings.kind import FindingKind
from evenpalette.core.registry import Registry

FINDINGS: Registry[FindingKind] = Registry(__name__, __path__, "FINDING")
