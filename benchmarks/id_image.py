"""An ID image of eight flags to eight soft coverages, against eight cv2.inRange calls; and recovering edges."""

from collections.abc import Sequence

import cv2
import numpy as np

from benchmarks.timing import once, ratio
from evenpalette.core.color.flag_plan import plan_flags
from evenpalette.core.color.hexcode import parse_hex
from evenpalette.core.regions.dividing.flags import find_flags
from evenpalette.core.regions.dividing.pick import pick_coverages
from evenpalette.core.regions.dividing.unmix import unmix

SIZE = 4096
FLAGS = [(r, g, b) for r in (0, 255) for g in (0, 255) for b in (0, 255)]


#: Sixteen that are far apart, as the planner gives them.
SIXTEEN = [parse_hex(flag) for flag in plan_flags(15).flags] + [(0, 0, 0)]


def make_image(flags: Sequence[tuple[int, ...]] = FLAGS) -> np.ndarray:
    """Blobs of flags with antialiased edges: noise in large cells, enlarged smoothly."""
    rng = np.random.default_rng(0)
    cells = rng.integers(0, len(flags), (24, 24))
    image = np.array(flags, np.uint8)[np.kron(cells, np.ones((SIZE // 24 + 1,) * 2, int))[:SIZE, :SIZE]]
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
    sixteen = make_image(SIXTEEN)
    seconds = once(lambda: unmix(sixteen, SIXTEEN))
    print(f"  exact shares of 16 flags: {image.shape[0] * image.shape[1] / seconds / 1e6:.1f} million texels a second")
    print(f"  finding the flags: {once(lambda: find_flags(image)) * 1000:.0f} ms")


if __name__ == "__main__":
    run()
