"""`make bench`: every part in a process of its own; `make bench PARTS="evaluation kits"` runs some of them."""

import subprocess
import sys
import time

from benchmarks import history

#: The parts: a module, and its words.
PARTS = {
    "evaluation": ("evaluation",),
    "id-image": ("id_image",),
    "bake": ("bake",),
    "light": ("light",),
    "painting": ("painting", "core"),
    "verbs": ("verbs",),
    "palettes": ("palettes",),
    "delivery": ("delivery",),
    "slider": ("window", "slider"),
    "pictures": ("window", "pictures"),
    "saving": ("window", "saving"),
    "textures": ("window", "textures"),
    "start": ("window", "start"),
    "kits": ("kits",),
    "shaders": ("shaders",),
    "painting-window": ("painting", "window"),
    "many": ("many",),
    "review": ("review",),
}


def main(wanted: list[str]) -> int:
    """Run these parts, or all; the exit code."""
    unknown = [name for name in wanted if name not in PARTS]
    if unknown:
        print(f"There is no part {', '.join(unknown)}. Known are {', '.join(PARTS)}.", file=sys.stderr)
        return 2
    for name in wanted or PARTS:
        module, *words = PARTS[name]
        begun = time.monotonic()
        subprocess.run([sys.executable, "-m", f"benchmarks.{module}", *words], check=False)
        print(f"-- {name}: {time.monotonic() - begun:.0f} s", flush=True)
    history.finish()
    return 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
