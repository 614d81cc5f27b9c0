"""Files that hold several looks: which of them are meant is asked, wherever such a file comes in."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path

from sfumato.app.services.services import Services
from sfumato.core.errors import SfumatoError
from sfumato.formats.parts.registry import by_suffix
from sfumato.work.cancel import Cancel, Progress
from sfumato.work.luts.lut_files import parts_in, stem_of


def with_parts(
    services: Services,
    files: Sequence[Path],
    then: Callable[[list[Path]], object],
    *,
    one: bool = False,
) -> None:
    """Go on with files, those of several looks replaced by the looks that the person chooses.

    At once when none of them can hold several; else a worker reads them first. A file that cannot be
    read goes on as it is: whoever reads it says why.

    Args:
        one: a single look is wanted of each file.
    """
    known = {f: by_suffix(f.name) for f in files}
    perhaps = [f for f, spec in known.items() if spec is not None and spec.names is not None]
    if not perhaps:
        then(list(files))
        return

    def read(cancel: Cancel, _progress: Progress) -> dict[Path, tuple[Path, ...]]:
        found = {}
        for file in perhaps:
            cancel.check()
            try:
                found[file] = parts_in(file)
            except SfumatoError:
                found[file] = ()
        return found

    def choose(found: dict[Path, tuple[Path, ...]]) -> None:
        chosen: list[Path] = []
        for file in files:
            parts = found.get(file, ())
            if not parts:
                chosen.append(file)
                continue
            names = [stem_of(p) for p in parts]
            places = services.ports.choose_parts(services.window, file.name, names, one)
            chosen += [parts[i] for i in places]
        if chosen:
            then(chosen)

    services.reading.add(f"Reading {perhaps[0].name}", read, then=choose)
