"""Regions: parts of the surface that are recolored as one."""
