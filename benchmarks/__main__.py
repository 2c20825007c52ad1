"""`make bench`."""

import subprocess
import sys

from benchmarks import bake, evaluation, id_image


def main() -> None:
    """Run all benchmarks; those with a window in processes of their own."""
    evaluation.run()
    id_image.run()
    bake.run()
    for name in ("slider", "start"):
        sys.stdout.flush()
        subprocess.run([sys.executable, "-m", "benchmarks.window", name], check=False)


if __name__ == "__main__":
    main()
