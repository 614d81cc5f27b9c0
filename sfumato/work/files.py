"""Reading whole files with a limit, and writing them so that they are complete or not there."""

from __future__ import annotations

import contextlib
import errno
import itertools
import json
import os
import tempfile
from collections.abc import Iterable
from pathlib import Path
from typing import Any

from attrs import frozen

from sfumato.core.errors import (
    ExportError,
    MediaError,
    NameTaken,
    SfumatoError,
    StudyError,
    ValueRefused,
)

MOST_BYTES = 2 << 30
MOST_TABLE_BYTES = 256 << 20


def _why(error: OSError) -> tuple[str, str]:
    """Return what an operating-system error means, and what to do."""
    known = {
        errno.ENOENT: ("there is no such file or folder", "check the name"),
        errno.EACCES: ("access is not allowed", "change the permissions or choose another place"),
        errno.EPERM: ("access is not allowed", "change the permissions or choose another place"),
        errno.EISDIR: ("this is a folder, not a file", "choose a file"),
        errno.ENOTDIR: ("a part of the path is not a folder", "check the path"),
        errno.ENOSPC: ("the disk is full", "make room or choose another disk; nothing was changed"),
        errno.EDQUOT: ("the quota is used up", "make room; nothing was changed"),
        errno.EFBIG: ("the file would be larger than is allowed here", "choose another disk"),
        errno.EIO: ("the disk cannot be read or written", "check it; nothing was changed"),
        errno.EROFS: ("the disk is read-only", "choose another place"),
        errno.ENAMETOOLONG: ("the name is too long", "choose a shorter one"),
    }
    return known.get(error.errno or 0, (error.strerror or "it cannot be accessed", "try again"))


def refusal(error: OSError, path: Path, kind: type[SfumatoError]) -> SfumatoError:
    what, hint = _why(error)
    return kind(what, hint=hint, where=str(path))


def exists(path: str | Path) -> bool:
    """Whether something lies at a place; names that no disk takes (too long, with a NUL) are not there.

    >>> exists("x" * 300)
    False
    """
    return os.path.exists(path)


def is_file(path: str | Path) -> bool:
    return os.path.isfile(path)


def is_folder(path: str | Path) -> bool:
    return os.path.isdir(path)


def make_folder(folder: Path) -> None:
    """Make a folder, with those above it, where it is missing.

    Raises:
        ExportError: it cannot be made.
    """
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise refusal(error, folder, ExportError) from error


def drop(file: Path) -> None:
    """Remove a file of ours that is not needed any more; one that stays does no harm."""
    with contextlib.suppress(OSError):
        file.unlink()


def read_json(path: str | Path, what: str, hint: str, most: int) -> Any:
    """Read a JSON file of ours.

    Raises:
        StudyError: it cannot be read, or is not `what`; says in which line.
    """
    file = Path(path)
    data = read_bytes(file, StudyError, most)
    try:
        return json.loads(data)
    except RecursionError as error:
        raise StudyError(f"{what} is nested too deeply", hint=hint, where=str(file)) from error
    except ValueError as error:  # no JSON, or not UTF-8
        raise StudyError(
            f"this is not {what}, or it is damaged",
            hint=hint,
            where=f"{file}:{getattr(error, 'lineno', 1)}",
        ) from error


def json_bytes(plain: Any) -> bytes:
    """Return plain data as lines of JSON in UTF-8; odd bytes of file names stand as escapes.

    >>> json_bytes(["ä", "\\udcff"]).decode()
    '[\\n "ä",\\n "\\\\udcff"\\n]\\n'
    """
    text = json.dumps(plain, indent=1, ensure_ascii=False)
    return f"{text}\n".encode("utf-8", "backslashreplace")


def read_bytes(path: Path, kind: type[SfumatoError] = MediaError, most: int = MOST_BYTES) -> bytes:
    """Read a file of at most `most` bytes; folders, pipes and devices are refused.

    Raises:
        SfumatoError: of `kind`, saying why it cannot be read.
    """
    try:
        if exists(path) and not is_file(path):
            what = "a folder" if is_folder(path) else "not an ordinary file"
            raise kind(f"this is {what}", hint="choose a file", where=str(path))
        if path.stat().st_size > most:
            raise kind(
                f"the file is larger than {most >> 20} MB", hint="choose another", where=str(path)
            )
        return path.read_bytes()
    except OSError as error:
        raise refusal(error, path, kind) from error


def free(file: Path) -> Path:
    """Return a path that no file has yet: the one given, or with a number before its suffix."""
    numbers = (f" {i}" if i > 1 else "" for i in itertools.count(1))
    places = (file.with_name(f"{file.stem}{n}{file.suffix}") for n in numbers)
    return next(p for p in places if not exists(p))


def typed_folder(text: str) -> Path:
    """Return the folder that somebody typed; ~ is the home folder.

    Raises:
        ValueRefused: it is none, or not a whole path: where a window was started from is no place that
            its user thinks of.
    """
    try:
        folder = Path(text.strip()).expanduser()
    except RuntimeError:  # nobody is called so
        folder = Path(text)
    if not text.strip():
        raise ValueRefused("no folder is set", hint="choose a folder")
    if not folder.is_absolute() or "\0" in text:
        raise ValueRefused(f"{text[:80]!r} is no whole path", hint="give the folder from / or ~ on")
    return folder


def plain_name(name: str) -> str:
    """Return a name that any file system takes.

    >>> plain_name('warm / "dusk"')
    'warm _ _dusk_'
    """
    letters = (c if c.isalnum() or c in " -+.%_" else "_" for c in name)
    return cut_name("".join(letters).strip(" ."), 80) or "look"


def cut_name(name: str, most: int = 200) -> str:
    """Return a file name of at most `most` bytes, cut between characters.

    >>> cut_name("sälz", 3)
    'sä'
    """
    data = os.fsencode(name)
    while most < len(data) and data[most] & 0xC0 == 0x80:  # inside a character
        most -= 1
    return os.fsdecode(data[:most]).strip(" .")


@frozen
class Sources:
    """Files that are read in a run, none of which a result may replace: known by place and by inode."""

    places: frozenset[Path] = frozenset()
    nodes: frozenset[tuple[int, int]] = frozenset()

    @classmethod
    def of(cls, files: Iterable[Path]) -> Sources:
        places, nodes = set(), set()
        for file in files:
            places.add(file.resolve())
            try:
                stat = file.stat()
            except OSError:
                continue
            nodes.add((stat.st_dev, stat.st_ino))
        return cls(frozenset(places), frozenset(nodes))

    def hold(self, path: Path) -> bool:
        """Whether a path leads to one of them: by name, through links, or as another name of it."""
        if path.resolve() in self.places:
            return True
        try:
            stat = path.stat()
        except OSError:
            return False
        return (stat.st_dev, stat.st_ino) in self.nodes

    def check(self, path: Path) -> None:
        """Refuse a place that holds one of them.

        Raises:
            ExportError: it does.
        """
        if self.hold(path):
            raise ExportError(
                "the result would replace a file that is read in this run",
                hint="choose another name or folder",
                where=str(path),
            )


def followed(path: Path) -> Path:
    """Return where a file really lies when its name is a link: that is written, and the link stays."""
    return path.resolve() if path.is_symlink() else path


Stamp = tuple[int, int, int]


def stamp_of(path: Path) -> Stamp | None:
    """Return what changes when a file is written: its time, size and inode; None when it is not there."""
    try:
        stat = path.stat()
    except OSError:
        return None
    return stat.st_mtime_ns, stat.st_size, stat.st_ino


def check_free(path: Path) -> None:
    """Refuse a name that is taken.

    Raises:
        ExportError: there is a file.
    """
    if exists(path):
        raise NameTaken(str(path))


def write_bytes(path: Path, data: bytes | bytearray, *, force: bool = True) -> None:
    """Write beside the target, flush to disk, then rename: the target is whole, old or new.

    A link is followed.

    Raises:
        ExportError: it exists and `force` is false, or the place cannot be written.
    """
    try:
        path = followed(path)
        if not force:
            check_free(path)
        handle, temporary = tempfile.mkstemp(prefix=f".{cut_name(path.name, 80)}.", dir=path.parent)
    except OSError as error:
        raise refusal(error, path, ExportError) from error
    try:
        with os.fdopen(handle, "wb") as out:
            out.write(data)
        placed(Path(temporary), path, force=force)
    except OSError as error:
        raise refusal(error, path, ExportError) from error
    finally:
        Path(temporary).unlink(missing_ok=True)


def placed(temporary: Path, path: Path, *, force: bool) -> None:
    """Give a finished file that lies beside it its name: whole, flushed, or not at all.

    Raises:
        ExportError: the name is taken and `force` is false, or it cannot be given.
    """
    try:
        descriptor = os.open(temporary, os.O_RDONLY)
        try:
            os.fsync(descriptor)
        finally:
            os.close(descriptor)
        mask = os.umask(0)
        os.umask(mask)
        os.chmod(temporary, 0o666 & ~mask)
        if force:
            os.replace(temporary, path)
        else:
            os.link(temporary, path)  # fails when somebody made the file meanwhile
            os.unlink(temporary)
        _sync_folder(path.parent)
    except FileExistsError as error:
        raise NameTaken(str(path)) from error
    except OSError as error:
        raise refusal(error, path, ExportError) from error


def _sync_folder(folder: Path) -> None:
    """Flush the rename itself; some file systems do not offer it, which changes nothing here."""
    try:
        descriptor = os.open(folder, os.O_RDONLY)
    except OSError:
        return
    try:
        os.fsync(descriptor)
    except OSError:
        return
    finally:
        os.close(descriptor)
