"""The window: Qt widgets, no numeric work."""

import gc

# What is loaded and built for the first picture stays: looking for garbage in it takes a tenth of the start. It is
# looked for again once the window stands (`main.make_application`).
gc.disable()
