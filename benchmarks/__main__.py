"""`make bench`."""

import subprocess
import sys

from benchmarks import bake, delivery, evaluation, history, id_image, light, painting, palettes, verbs


def main() -> None:
    """Run all benchmarks; those with a window in processes of their own."""
    evaluation.run()
    id_image.run()
    bake.run()
    light.run()
    painting.run()
    verbs.run()
    palettes.run()
    delivery.run()
    for words in (
        ("window", "slider"),
        ("window", "saving"),
        ("window", "textures"),
        ("window", "start"),
        ("kits",),
        ("shaders",),
        ("painting",),
        ("many",),
        ("review",),
    ):
        sys.stdout.flush()
        subprocess.run([sys.executable, "-m", f"benchmarks.{words[0]}", *words[1:]], check=False)
    history.finish()


if __name__ == "__main__":
    main()
