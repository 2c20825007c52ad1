"""Rays in passes: few of each place first, then more, in pieces that worker threads share."""

from collections.abc import Callable, Iterator

from evenpalette.core.parallel import Progress, part_of, run_over

#: Rays of a piece of work: some hundredths of a second, so that a cancel is soon heard.
_PIECE_RAYS = 40000
#: Rays of a place after which there is something to see.
_PASSES = (2, 8, 32, 128, 512)


def in_passes(count: int, rays: int, progress: Progress, work: Callable[[slice, int, int], None]) -> Iterator[int]:
    """Send rays from places; after each pass how many of each were sent. work: places, the first and the last ray."""
    done = 0
    for stop in [*(p for p in _PASSES if p < rays), rays]:
        piece, first = max(1, _PIECE_RAYS // (stop - done)), done

        def send(start: int, first: int = first, last: int = stop, piece: int = piece) -> None:
            work(slice(start, min(count, start + piece)), first, last)

        run_over(range(0, count, piece), send, part_of(progress, done / rays, (stop - done) / rays))
        done = stop
        yield done
