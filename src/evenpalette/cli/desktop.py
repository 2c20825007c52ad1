"""The application on the desktop: its entry in the menu, its icon, the type of its projects' files."""

import argparse

from evenpalette import desktop
from evenpalette.cli.arguments import Verb


def add_verbs(verb: Verb) -> None:
    made = verb("install-desktop", _install, "put menu entry, icon and file type in place for this user")
    made.add_argument("--remove", action="store_true", help="take them away again")


def _install(options: argparse.Namespace) -> None:
    for path in desktop.remove() if options.remove else desktop.install():
        print(path)
