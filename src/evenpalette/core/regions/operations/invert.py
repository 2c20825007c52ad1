"""Invert: what was covered is not, and the other way about."""

from evenpalette.core.regions.operation_kind import OperationKind

OPERATION = OperationKind("invert", "Invert", "1 - coverage", (), lambda plane, _values, _around: 1 - plane, order=10)
