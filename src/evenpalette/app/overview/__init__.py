"""All assets of a collection at a glance: pictures, what is wrong, what is delivered, values that they share."""

from evenpalette.app.overview.overview import Overview

__all__ = ["Overview"]
