"""Even Palette: recolor game assets at runtime, without repainting textures."""

import os

# Read when the libraries are loaded. NumPy's linear algebra is small here, while its waiting threads burn a fifth of
# the time of a start; our own threads share out what is large. pydantic need not look for plugins in every package.
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
os.environ.setdefault("PYDANTIC_DISABLE_PLUGINS", "__all__")

__version__ = "0.7.0"
