"""Variants: named sets of parameter values."""
