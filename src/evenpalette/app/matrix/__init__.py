"""All values of all variants over the window, large: variants line by line, a column for each parameter."""

from evenpalette.app.matrix.matrix import Matrix

__all__ = ["Matrix"]
