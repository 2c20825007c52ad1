"""The command line: the same core functions as the window, without one.

Exit codes: 0 done, 1 findings, 2 bad usage or unreadable input with one line on standard error. What a verb needs is
loaded with it: the window is not for those who take a gray from an image, nor the kit for those who open the window.
"""

import argparse
import os
import sys
from collections.abc import Callable
from importlib import import_module
from pathlib import Path
from typing import Any, NoReturn

from evenpalette import __version__
from evenpalette.cli.arguments import place
from evenpalette.cli.saying import refuse
from evenpalette.core.errors import EvenPaletteError

#: The verbs by the file that they are in.
_FILES = {
    "window": ("demo",),
    "checks": ("check", "check-step"),
    "projects": ("render", "export", "new", "cost", "kit-planes", "roll"),
    "batch": ("deliver", "watch"),
    "review": ("compare", "sheet", "film"),
    "baking": ("bake",),
    "images": ("pick", "split", "merge", "unmix", "gray"),
    "kits": ("preview", "play"),
    "desktop": ("install-desktop",),
    "palettes": ("reduce", "restore", "sampling", "ramp"),
}
#: Those that read projects.
_OWN_KINDS = ("check", *_FILES["projects"], *_FILES["batch"], *_FILES["review"], "bake")
VERBS = tuple(verb for verbs in _FILES.values() for verb in verbs)


def main(arguments: list[str] | None = None) -> int:
    """Run the command line; returns the exit code."""
    words = list(sys.argv[1:] if arguments is None else arguments)
    if not words or (words[0] not in VERBS and not words[0].startswith("-")):
        return _open_window(words)
    options = _parser(words[0]).parse_args(words)
    try:
        if words[0] in _OWN_KINDS:
            _take_own_kinds()
        code = options.run(options)
        return int(code or 0)
    except EvenPaletteError as error:
        return refuse(f"{error} Here: {error.flag}" if error.flag else str(error))
    except KeyboardInterrupt:
        return refuse("stopped")
    except BrokenPipeError:
        # Whoever read this wanted no more of it.
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
        return 0
    except MemoryError:
        return refuse("there is not enough memory for this. Use a smaller size")


def _take_own_kinds() -> None:
    """Steps and operations of the user's own, where there are any."""
    from evenpalette.cli.saying import note
    from evenpalette.core.consent import own_folder

    if not own_folder().is_dir():
        return
    from evenpalette.core.recipe.own_kinds import take_own

    for file in take_own():
        if not file.is_trusted:
            note(f"{file.path.name} is not run: nobody trusted it as it is now. See evenpalette check-step --help")
        elif file.broken is not None:
            note(f"{file.broken}; it is left out")


class _Parser(argparse.ArgumentParser):
    """Says what is wrong with the words in one line. A path is never empty: a variable that is not set would else mean
    the folder one stands in."""

    def __init__(self, *words: Any, **named: Any) -> None:
        super().__init__(*words, **named)
        self.register("type", Path, place)

    def error(self, message: str) -> NoReturn:
        verb = self.prog.removeprefix("evenpalette").strip() or "VERB"
        said = f"{verb}: {message}" if verb != "VERB" else message
        raise SystemExit(refuse(f"{said.rstrip('.')}. See evenpalette {verb} --help"))


def _open_window(words: list[str]) -> int:
    from evenpalette.cli.window import is_project, is_readable, is_shown_as_collection, open_window

    paths = [Path(word) for word in words]
    if len(paths) == 1 and is_project(paths[0]):
        return open_window(paths[0])
    if len(paths) == 1 and is_shown_as_collection(paths[0]):
        return open_window(files=paths)
    for path in paths:
        if not is_readable(path):
            return refuse(
                f"'{path}' is no verb ({', '.join(VERBS)}), no project folder, and no mesh or picture that is there"
            )
    return open_window(files=paths)


def _parser(word: str) -> argparse.ArgumentParser:
    """Knows the verbs of the file that this one is in; all of them where it is none."""
    parser = _Parser(prog="evenpalette", description="Recolor game assets at runtime. Without a verb the window opens.")
    parser.add_argument("--version", action="version", version=f"evenpalette {__version__}")
    verbs = parser.add_subparsers(required=True, metavar="VERB")

    def verb(name: str, run: Callable[[argparse.Namespace], int | None], help: str) -> argparse.ArgumentParser:
        made = verbs.add_parser(name, help=help, description=help)
        made.set_defaults(run=run)
        return made

    for file, held in _FILES.items():
        if word in held or word not in (*VERBS, "--version"):
            import_module(f"evenpalette.cli.{file}").add_verbs(verb)
    return parser
