"""Moving pictures of a variant as APNG or animated WebP: turned once around, as it pulses and drifts, or on its way
into another variant and back."""

import io
import math
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from PIL import Image

from evenpalette.core.dataclass import dataclass
from evenpalette.core.delivery.contact_sheet import GROUNDS, over_ground
from evenpalette.core.document.state import State
from evenpalette.core.errors import EvenPaletteError
from evenpalette.core.files import reason, write_atomically
from evenpalette.core.mesh.camera import OrbitCamera
from evenpalette.core.parallel import Progress, no_progress, run_over
from evenpalette.core.recipe.binding import Moment
from evenpalette.core.variants.between import between
from evenpalette.core.variants.portrait import Sitting

TURN, TIME, INTO = "turn", "time", "into"
#: By key, in words.
WAYS = {TURN: "Turned once around", TIME: "As it pulses and drifts", INTO: "Into another variant and back"}
MOST_FRAMES = 480
_ENDINGS = {".png": "PNG", ".apng": "PNG", ".webp": "WEBP"}


@dataclass(frozen=True)
class FilmWish:
    """way: of WAYS. into: id of the other variant, for INTO. seconds: of the whole, which begins anew behind its end.
    rate: pictures a second. size: pixels a side. ground: of GROUNDS. copy: number of the copy, for what is picked."""

    way: str = TURN
    into: str | None = None
    seconds: float = 4.0
    rate: float = 12.0
    size: int = 320
    ground: str = "light"
    copy: int = 0

    @property
    def frames(self) -> int:
        """How many pictures there are."""
        return max(2, round(self.seconds * self.rate))


def frames_of(
    state: State, variant: str | None, wish: FilmWish, progress: Progress = no_progress
) -> list[NDArray[np.uint8]]:  # fmt: skip
    """The pictures in order, uint8 (size, size, 3). Raises EvenPaletteError."""
    if wish.way not in WAYS:
        raise EvenPaletteError(f"'{wish.way}' is no way to film: {', '.join(WAYS)}.")
    if wish.frames > MOST_FRAMES:
        raise EvenPaletteError(
            f"{wish.frames} pictures are too many: at most {MOST_FRAMES}, so fewer seconds or a lower rate."
        )
    values = state.values(variant)
    other = state.values(wish.into) if wish.way == INTO else values
    parameters = state.project.recipe.parameters
    still = None if wish.way == TURN else Sitting(state, wish.size)
    made: dict[int, NDArray[np.uint8]] = {}

    def draw(frame: int) -> None:
        share = frame / wish.frames
        sitting = still or Sitting(state, wish.size, OrbitCamera().yaw + 360 * share)
        turned = 0.5 - 0.5 * math.cos(2 * math.pi * share) if wish.way == INTO else 0.0
        shown = between(parameters, values, other, turned) if turned else values
        seconds = wish.seconds * share if wish.way == TIME else 0.0
        made[frame] = over_ground(sitting.picture(shown, None, Moment(wish.copy, seconds)), GROUNDS[wish.ground][0])

    # Pictures of one sitting are made one after the other; each turn has a sitting of its own.
    if still is None:
        run_over(range(wish.frames), draw, progress)
    else:
        for frame in range(wish.frames):
            draw(frame)
            progress((frame + 1) / wish.frames)
    return [made[frame] for frame in range(wish.frames)]


def write_film(
    state: State, variant: str | None, path: Path, wish: FilmWish, progress: Progress = no_progress
) -> int:  # fmt: skip
    """Write a moving picture by its ending, .png or .apng (APNG) or .webp; returns how many pictures it has. Raises
    EvenPaletteError."""
    kind = _ENDINGS.get(path.suffix.lower())
    if kind is None:
        raise EvenPaletteError(f"A moving picture is a .webp, .png or .apng, not {path.name}.")
    pictures = [Image.fromarray(frame) for frame in frames_of(state, variant, wish, lambda done: progress(0.9 * done))]
    stream = io.BytesIO()
    words = {"save_all": True, "append_images": pictures[1:], "duration": round(1000 / wish.rate), "loop": 0}
    if kind == "WEBP":
        pictures[0].save(stream, "WEBP", quality=90, method=4, **words)
    else:
        pictures[0].save(stream, "PNG", default_image=False, **words)
    try:
        write_atomically(path, stream.getvalue())
    except OSError as error:
        raise EvenPaletteError(f"{path} cannot be written: {reason(error)}.") from error
    progress(1.0)
    return len(pictures)
