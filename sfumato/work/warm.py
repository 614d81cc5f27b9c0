"""Compile the kernels, or load them from the cache: `python -m sfumato.work.warm`."""

from __future__ import annotations

import contextlib
import hashlib
import importlib
import linecache
import os
import pkgutil
import shutil
import subprocess
import sys
import tempfile
import time
from collections.abc import Sequence
from pathlib import Path

import platformdirs

from sfumato.work.files import is_file

_SOURCES = Path(__file__).parents[1] / "core" / "kernels"
_MONTH = 30 * 24 * 3600  # seconds


def choose_cache() -> None:
    """Point Numba at a cache folder that can be written; must run before Numba is imported.

    The kernels of each version lie in a folder of their own: Numba knows a kernel by its own file, and
    would keep what was compiled from another file that it takes in.
    """
    given = os.environ.get("NUMBA_CACHE_DIR")
    version = _version()
    if given:
        if Path(given).name != version:
            os.environ["NUMBA_CACHE_DIR"] = str(Path(given) / version)
        return
    folder = Path(platformdirs.user_cache_dir("sfumato", appauthor=False)) / "kernels"
    try:
        folder.mkdir(parents=True, exist_ok=True)
        with tempfile.TemporaryFile(dir=folder):
            pass
    except OSError:
        folder = Path(tempfile.gettempdir()) / f"sfumato-kernels-{os.getuid()}"
        try:
            folder.mkdir(mode=0o700, exist_ok=True)
        except OSError:
            return  # nothing is kept; Numba compiles anew
    os.environ["NUMBA_CACHE_DIR"] = str(folder / version)
    _forget_old(folder, version)


def _version() -> str:
    """Return a name for what the sources of the kernels say, and where they are: Numba keeps a kernel by its file.

    Of two installations of one version, the second would hold those of the first to be its own.
    """
    sources = bytes(_SOURCES) + b"".join(p.read_bytes() for p in sorted(_SOURCES.glob("*.py")))
    return hashlib.sha256(sys.version.encode() + sources).hexdigest()[:16]


def _forget_old(folder: Path, version: str) -> None:
    """Throw away kernels of versions that nobody has started for a month."""
    with contextlib.suppress(OSError):
        own = folder / version
        own.mkdir(exist_ok=True)
        os.utime(own)
        for other in folder.iterdir():
            if other.stat().st_mtime < time.time() - _MONTH:
                shutil.rmtree(other, ignore_errors=True)


# What the window cannot do without comes first; of each step, what two processes compile side by side.
_STEPS = (
    (("lattice",),),
    (("colour", "tone", "counts"), ("hue", "areas", "lab")),
    (("video", "video_lattice"), ("inks", "digits", "bend", "tetra")),
)


def warm() -> None:
    """Load every kernel; until this returns, NumPy does the same work more slowly."""
    choose_cache()
    from sfumato.core import compiled, kernels
    from sfumato.work.memory import let_pages_go

    names = [m.name for m in pkgutil.iter_modules(kernels.__path__)]
    for i, step in enumerate(_STEPS):
        _compile_apart(step)
        if i == 0:
            compiled.KERNELS.load_lattice()
        elif i == 1:
            compiled.load_kernels()
    for name in names:
        importlib.import_module(f"{kernels.__name__}.{name}")
    linecache.clearcache()  # the compiler reads the source of all that it imports: 25 MB
    let_pages_go("libllvmlite")


def _compile_apart(groups: Sequence[tuple[str, ...]]) -> None:
    """Have what is not in the cache compiled by processes of its own, all at once; they leave it there.

    Compiling holds the interpreter: two threads take as long as one, and the window waits for both.
    """
    place = os.environ.get("NUMBA_CACHE_DIR", "")
    wanted = [tuple(n for n in g if not _is_kept(n, place)) for g in groups]
    wanted = [g for g in wanted if g]
    if not wanted or not sys.executable or not _can_keep(place):
        return
    command = [sys.executable, "-m", "sfumato.work.warm", ONLY]
    with contextlib.suppress(OSError):  # then they are compiled here
        quiet = subprocess.DEVNULL
        started = [
            subprocess.Popen([*command, *g], stdin=quiet, stdout=quiet, stderr=quiet)
            for g in wanted
        ]
        for process in started:
            process.wait()


def _can_keep(place: str) -> bool:
    try:
        Path(place).mkdir(parents=True, exist_ok=True)
        return bool(place) and os.access(place, os.W_OK)
    except OSError:
        return False


def _is_kept(name: str, place: str) -> bool:
    """Whether a process has compiled all of a module into this cache, whose folder names the sources."""
    return is_file(Path(place) / f"{name}{_done()}")


def _done() -> str:
    """Return the suffix of a file that says so, with the version of the compiler."""
    from importlib import metadata  # takes as long as a command does: only when kernels are wanted

    return f".by-{metadata.version('numba')}"


ONLY = "--only"


def _main(arguments: list[str]) -> None:
    if arguments[:1] == [ONLY]:
        with contextlib.suppress(OSError):
            os.nice(5)
        choose_cache()
        for name in arguments[1:]:
            importlib.import_module(f"sfumato.core.kernels.{name}")
            with contextlib.suppress(OSError):
                (Path(os.environ.get("NUMBA_CACHE_DIR", "")) / f"{name}{_done()}").touch()
        return
    if "--quiet" not in arguments:
        print("compiling kernels", file=sys.stderr)
    warm()


if __name__ == "__main__":
    _main(sys.argv[1:])
