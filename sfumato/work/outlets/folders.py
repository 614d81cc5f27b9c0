"""A folder of files that belong together: made under another name, and named when it is whole."""

from __future__ import annotations

import shutil
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from sfumato.core.errors import ExportError
from sfumato.work.files import exists, followed, refusal


@contextmanager
def whole_folder(folder: Path, *, replace: bool) -> Iterator[Path]:
    """Yield a folder to write into; it gets its name when the block ends well, and is gone when not.

    A folder that is there is put aside first and removed after.

    Raises:
        ExportError: it is there and `replace` is false, or the place cannot be written.
    """
    made = None
    try:
        made = Path(tempfile.mkdtemp(prefix=f".{folder.name[:80]}.", dir=folder.parent))
        yield made
        _place(made, followed(folder), replace=replace)
    except OSError as error:
        raise refusal(error, folder, ExportError) from error
    finally:
        if made is not None:
            shutil.rmtree(made, ignore_errors=True)


def _place(made: Path, target: Path, *, replace: bool) -> None:
    aside = None
    if exists(target):
        if not replace:
            raise ExportError(
                "the folder exists already", hint="choose another name", where=str(target)
            )
        aside = target.with_name(f".{target.name[:80]}.before")
        shutil.rmtree(aside, ignore_errors=True)
        target.rename(aside)
    try:
        made.chmod(0o755)
        made.rename(target)
    except OSError:
        if aside is not None:
            aside.rename(target)
        raise
    if aside is not None:
        shutil.rmtree(aside, ignore_errors=True)
