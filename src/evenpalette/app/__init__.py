"""The window: Qt widgets, no numeric work."""
