"""Errors worded for the artist: what is wrong, with which file or thing, and what to do."""


def one_line(text: str) -> str:
    """A message that may name files of any name, without line breaks and other control characters."""
    return "".join(c if c.isprintable() else "\N{REPLACEMENT CHARACTER}" for c in " ".join(text.split()))


class EvenPaletteError(Exception):
    """Anything that can go wrong with the artist's files or choices; its text is shown as it is, on one line. flag:
    what does on a command line what the text says."""

    def __init__(self, *text: object, flag: str = "") -> None:
        super().__init__(*text)
        self.flag = flag

    def __str__(self) -> str:
        return one_line(super().__str__())


class ImageFileError(EvenPaletteError):
    """An image file cannot be read or written."""


class MeshFileError(EvenPaletteError):
    """A mesh file cannot be read or holds a mesh that cannot be used."""


class ProjectError(EvenPaletteError):
    """A project folder cannot be opened or saved."""


class ProjectChanged(ProjectError):  # noqa: N818 - it is an outcome that the artist decides about
    """The project on disk is no longer the one that was opened or saved last."""


class KitError(EvenPaletteError):
    """The files of a delivered kit are not as they should be."""


class LayoutError(EvenPaletteError):
    """A layout is not as layouts are, or asks for what the project has not."""


class CollectionError(EvenPaletteError):
    """A collection cannot be read or written, or has not what is asked for."""


class RecipeError(EvenPaletteError):
    """A recipe, step, parameter or variant does not fit together."""


class NoDrawing(EvenPaletteError):  # noqa: N818 - it is what a machine lacks
    """This machine offers nothing that pictures can be drawn with."""


class ShaderRefused(EvenPaletteError):  # noqa: N818 - it is an outcome of a driver, not a fault of ours
    """A graphics driver does not take a shader: what it says, and the line that it says it of."""


class ShaderOnItsWay(EvenPaletteError):  # noqa: N818 - nothing is wrong
    """A shader is being compiled elsewhere and can be drawn with later."""


class ValueProblem(EvenPaletteError):  # noqa: N818 - ValueError is another thing
    """A value is not of the type or range that is wanted."""


class RegionError(EvenPaletteError):
    """Regions cannot be made from what was given."""


class Cancelled(EvenPaletteError):  # noqa: N818 - it is an outcome, not a fault
    """The artist stopped a long operation."""


class RegistryError(EvenPaletteError):
    """A file defines no kind, or one whose key is taken."""
