"""Where jobs are run: in this process, in processes of this machine, on a cluster. One file each; a file here that
defines EXECUTOR is one, nothing lists them by hand."""

from evenpalette.core.batch.executor import Executor, ExecutorKind
from evenpalette.core.errors import EvenPaletteError
from evenpalette.core.registry import Registry

EXECUTORS: Registry[ExecutorKind] = Registry(__name__, __path__, "EXECUTOR")


def executor_named(text: str | None) -> Executor:
    """An executor by its words: 'local:4', 'dask:ADDRESS', None for this process. Raises EvenPaletteError."""
    key, _, rest = (text or "here").partition(":")
    kind = EXECUTORS.get(key)
    if kind is None:
        known = ", ".join(k.words for k in EXECUTORS.values() if k.words)
        raise EvenPaletteError(f"'{str(text)[:80]}' is no place to run jobs. There are: {known}.")
    return kind.begin(rest)
