"""Distance to a region: soot around a flame, rust around a rivet."""

from evenpalette.core.regions.operations._baked import baked_operation

OPERATION = baked_operation("distance", 108, to_region=True)
