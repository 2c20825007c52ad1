"""Form and Flat: what they show, how it is drawn, and what the pointer does there."""

from evenpalette.app.views.twin_views import Pick, TwinViews

__all__ = ["Pick", "TwinViews"]
