"""The window: Qt widgets, no numeric work."""

import gc

# Until a window stands, see `garbage`.
gc.disable()
