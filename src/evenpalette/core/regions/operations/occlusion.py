"""Occlusion: how open the surface lies, for dirt in corners and sun on what stands out."""

from evenpalette.core.regions.operations._baked import baked_operation

OPERATION = baked_operation("occlusion", 105)
