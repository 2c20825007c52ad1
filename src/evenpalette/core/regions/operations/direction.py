"""Direction of the mesh, as a coverage."""

from evenpalette.core.regions.operations._baked import baked_operation

OPERATION = baked_operation("direction", 95)
