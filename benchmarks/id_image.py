"""An ID image of eight flags to eight soft coverages, against eight cv2.inRange calls; and recovering edges."""

import cv2
import numpy as np

from benchmarks.timing import once, ratio
from evenpalette.core.regions.flags import find_flags
from evenpalette.core.regions.pick import pick_coverages
from evenpalette.core.regions.unmix import unmix

SIZE = 4096
FLAGS = [(r, g, b) for r in (0, 255) for g in (0, 255) for b in (0, 255)]


def make_image() -> np.ndarray:
    """Blobs of eight flags with antialiased edges: noise in large cells, enlarged smoothly."""
    rng = np.random.default_rng(0)
    cells = rng.integers(0, len(FLAGS), (24, 24))
    image = np.array(FLAGS, np.uint8)[np.kron(cells, np.ones((SIZE // 24 + 1,) * 2, int))[:SIZE, :SIZE]]
    return cv2.GaussianBlur(np.ascontiguousarray(image), (3, 3), 0)


def run() -> None:
    """Print the ratios."""
    image = make_image()
    near, far = [48.0] * 8, [208.0] * 8

    def eight_ranges() -> None:
        for color in FLAGS:
            low, high = np.clip(np.array(color) - 48, 0, 255), np.clip(np.array(color) + 48, 0, 255)
            cv2.inRange(image, low, high)

    ratio(
        "ID image 4096 x 4096, 8 flags to coverages",
        lambda: pick_coverages(image, FLAGS, near, far),
        eight_ranges,
        10.0,
        5,
    )
    unmix(image[:64, :64], FLAGS)
    seconds = once(lambda: unmix(image, FLAGS))
    print(f"  exact shares of 8 flags: {image.shape[0] * image.shape[1] / seconds / 1e6:.1f} million texels a second")
    print(f"  finding the flags: {once(lambda: find_flags(image)) * 1000:.0f} ms")
