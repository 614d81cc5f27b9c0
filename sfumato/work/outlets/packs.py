"""Packs: several looks in several formats as one folder or zip, with notes, pictures, licence and checksums."""

from __future__ import annotations

import hashlib
import json
import shutil
import tempfile
import zipfile
from collections.abc import Callable, Sequence
from pathlib import Path, PurePosixPath

import attrs
import platformdirs
from attrs import frozen

from sfumato._version import VERSION
from sfumato.core.arrays import Array
from sfumato.core.colour.encodings import convert
from sfumato.core.errors import ExportError, FormatError, MediaError
from sfumato.core.path import path
from sfumato.core.study.outlet import ACES, CONFIG, CORRECTIONS, LUT, SHADER, Outlet
from sfumato.core.study.outlet import VERSION as NEW_VERSION
from sfumato.core.study.shot import Shot
from sfumato.core.study.study import Study
from sfumato.work.cancel import Cancel, Progress, silent
from sfumato.work.files import (
    exists,
    is_file,
    make_folder,
    placed,
    plain_name,
    refusal,
    write_bytes,
)
from sfumato.work.frames import Frames
from sfumato.work.luts.deliver import VERSION as NUMBERED
from sfumato.work.outlets.folders import whole_folder
from sfumato.work.outlets.sending import REFUSED, Row, send
from sfumato.work.outlets.sent import Sending
from sfumato.work.outlets.sheets import before_after, contact_sheet, sample_strip
from sfumato.work.preview.asks import to_bytes

INDEX, SUMS, NOTES, LICENCE = "index.json", "SHA256SUMS.txt", "READ ME.txt", "LICENCE.txt"
NO_LICENCE = "The maker of this pack has stated no licence. Ask before you use it in paid work.\n"
_WIDTH = 640  # of the pictures
_WHEN = (2020, 1, 1, 0, 0, 0)  # of files in a zip: the same pack has the same bytes
_MOST_FILES, _MOST_BYTES = 5000, 4 << 30
_HOW = {
    "cube": "Copy the .cube files into the folder in which the program looks for LUTs, or choose one "
    "where it asks for a LUT file.",
    "3dl": "Copy the .3dl files to the card or folder that the device reads, and choose a place for each.",
    "hald": "Open the picture with the program's command for HALD or colour lookup pictures. Do not resize it.",
    "icc": "Put the profiles into the folder of your system's profiles, or choose one where the program "
    "asks for a device link or abstract profile.",
    "strip": "Import the picture as a lookup texture: without compression, mipmaps or a colour space, "
    "clamped at its edges.",
    "ktx2": "Load the file as a 3D texture, without a colour space, clamped at its edges.",
    "clf": "Choose the file where the program asks for a CLF or a file transform.",
    SHADER: "Include the text in your shader and load the texture that lies beside it.",
    CONFIG: "Point the program, or the variable OCIO, to config.ocio in the look's folder.",
    ACES: "Use the CLF as a look transform in ACES2065-1; the .amf names it by its hash.",
}


@frozen(eq=False)
class Pack:
    """What is packed, and how it is called."""

    name: str
    looks: tuple[Sending, ...]
    outlets: tuple[Outlet, ...]
    licence: str = NO_LICENCE
    note: str = ""


@frozen(eq=False)
class Packed:
    """A pack that was made: where, its files, and what became of each look at each outlet."""

    place: Path
    files: int
    rows: tuple[Row, ...]

    @property
    def refused(self) -> tuple[Row, ...]:
        return tuple(r for r in self.rows if r.state == REFUSED)


def folder_of(outlet: Outlet) -> str:
    """Return the folder in a pack for a kind of target."""
    return plain_name(outlet.title.replace(",", ""))


def seen_through(study: Study, shot: Shot, frames: Frames, *, look: bool) -> Array:
    """Return a shot as sRGB bytes (h, w, 3): through Ground and View, and the Look where it is asked for.

    Raises:
        MediaError: it cannot be read.
    """
    code = path.to_working(shot, study, frames.sample(shot, _WIDTH))
    code = path.through_ground(shot, study, code)
    if look:
        code = path.through_look(study, code)
    shown = path.through_view(study, code)
    return to_bytes(convert(shown, study.view.encoding, "sRGB"))


def make_pack(
    pack: Pack,
    target: Path,
    frames: Frames,
    shot: Shot | None,
    when: str,
    *,
    force: bool = False,
    cancel: Cancel | None = None,
    progress: Progress = silent,
) -> Packed:
    """Make a pack: a zip where the target's suffix says so, else a folder; whole or not at all.

    Raises:
        ExportError: there is nothing in it, the target exists and `force` is false, or it cannot be
            written.
        Cancelled: it was; nothing is left.
    """
    cancel = cancel or Cancel()
    outlets = [o for o in pack.outlets if o.form != CORRECTIONS]
    if not pack.looks or not outlets:
        raise ExportError("a pack needs a look and an outlet", hint="tick one of each")
    if exists(target) and not force:
        raise ExportError(
            "it exists already", hint="choose another name or replace it", where=str(target)
        )
    if target.suffix.lower() != ".zip":
        with whole_folder(target, replace=force) as made:
            rows = _fill(made, pack, outlets, frames, shot, when, cancel, progress)
        count = sum(map(is_file, target.rglob("*")))
        return Packed(target, count, rows)
    try:
        with tempfile.TemporaryDirectory(prefix="sfumato-pack-") as name:
            made = Path(name) / plain_name(pack.name)
            make_folder(made)
            rows = _fill(made, pack, outlets, frames, shot, when, cancel, progress)
            count = _zip(made, target, force=force)
    except OSError as error:
        raise refusal(error, target, ExportError) from error
    return Packed(target, count, rows)


def _fill(
    made: Path,
    pack: Pack,
    outlets: Sequence[Outlet],
    frames: Frames,
    shot: Shot | None,
    when: str,
    cancel: Cancel,
    progress: Progress,
) -> tuple[Row, ...]:
    """Write everything of a pack into a folder."""
    placed_at = []
    for outlet in outlets:
        make_folder(made / folder_of(outlet))
        there = str((made / folder_of(outlet)).absolute())
        placed_at.append(attrs.evolve(outlet, folder=there, base="", there=NEW_VERSION, places=0))
    rows = []
    for row, _look in send(
        pack.looks,
        placed_at,
        frames,
        when,
        existing=lambda _o, _f: NUMBERED,
        cancel=cancel,
        progress=lambda share, words: progress(0.8 * share, words),
    ):
        rows.append(row)
    progress(0.85, "pictures")
    pictures = _pictures(made, pack, frames, shot, cancel)
    write_bytes(made / LICENCE, (pack.licence.strip() + "\n").encode())
    write_bytes(made / NOTES, _notes(pack, outlets, rows, made).encode())
    write_bytes(made / INDEX, json.dumps(_index(pack, rows, pictures, made), indent=1).encode())
    files = sorted(filter(is_file, made.rglob("*")))
    sums = [f"{hashlib.sha256(f.read_bytes()).hexdigest()}  {f.relative_to(made)}" for f in files]
    write_bytes(made / SUMS, ("\n".join(sums) + "\n").encode())
    return tuple(rows)


def _pictures(
    made: Path, pack: Pack, frames: Frames, shot: Shot | None, cancel: Cancel
) -> dict[str, str]:
    """Write a picture before and after each look, the contact sheet and the sample strip."""
    if shot is None:
        return {}
    seen: list[tuple[str, Array]] = []
    found = {}
    make_folder(made / "pictures")
    before = None
    for look in pack.looks:
        cancel.check()
        try:
            before = seen_through(look.study, shot, frames, look=False)
            after = seen_through(look.study, shot, frames, look=True)
        except MediaError:
            return {}
        seen.append((look.name, after))
        name = f"pictures/{plain_name(look.name)}.png"
        write_bytes(made / name, before_after(before, after, look.name))
        found[look.name] = name
    assert before is not None
    for suffix in (".png", ".pdf"):
        write_bytes(made / f"contact sheet{suffix}", contact_sheet(pack.name, seen, suffix))
    write_bytes(made / "sample strip.png", sample_strip(before, seen))
    return found


def _notes(pack: Pack, outlets: Sequence[Outlet], rows: Sequence[Row], made: Path) -> str:
    """Return the page that tells what is in a pack, and how each kind of file is installed."""
    lines = [pack.name, "=" * len(pack.name), ""]
    lines += [pack.note.strip(), ""] if pack.note.strip() else []
    lines += ["Looks: " + ", ".join(look.name for look in pack.looks), ""]
    for outlet in outlets:
        lines += [f"{folder_of(outlet)}/", f"  For: {outlet.target or outlet.title}."]
        how = _HOW.get(outlet.format if outlet.form == LUT else outlet.form, "")
        lines += [f"  {how}"] if how else []
        first = next((r for r in rows if r.outlet.key == outlet.key and r.files), None)
        if first is not None:
            entry = "".join(w for w in first.warnings if w.startswith("expects"))
            lines += [f"  {entry}"] if entry else []
        lines.append("")
    bad = [r for r in rows if r.state == REFUSED]
    if bad:
        lines += ["Not in this pack:"]
        lines += [f"  {r.look} for {r.outlet.title}: {r.words}" for r in bad]
        lines.append("")
    lines += [f"{SUMS} holds the SHA-256 of every file; {LICENCE} says what you may do.", ""]
    return "\r\n".join(line.replace(str(made), "").strip("\n") for line in lines)


def _index(
    pack: Pack, rows: Sequence[Row], pictures: dict[str, str], made: Path
) -> dict[str, object]:
    """Return a pack as plain data."""
    return {
        "sfumato_pack": 1,
        "name": pack.name,
        "made_with": f"Sfumato {VERSION}",
        "looks": [{"name": s.name, "picture": pictures.get(s.name)} for s in pack.looks],
        "files": [
            {
                "look": r.look,
                "outlet": r.outlet.key,
                "kind": r.outlet.target or r.outlet.title,
                "files": [str(f.relative_to(made)) for f in r.files],
                "sha256": r.digest,
                "mean": r.mean,
                "worst": r.worst,
                "readers": list(r.readers),
                "warnings": list(r.warnings),
            }
            for r in rows
            if r.state != REFUSED
        ],
    }


def _zip(folder: Path, target: Path, *, force: bool) -> int:
    """Write a folder as a zip: the same contents give the same bytes."""
    handle = tempfile.NamedTemporaryFile(  # noqa: SIM115  the name is given when it is whole
        prefix=f".{target.name[:80]}.", dir=target.parent, delete=False
    )
    temporary = Path(handle.name)
    count = 0
    try:
        with handle, zipfile.ZipFile(handle, "w", zipfile.ZIP_DEFLATED, compresslevel=6) as pack:
            for file in sorted(filter(is_file, folder.rglob("*"))):
                info = zipfile.ZipInfo(str(file.relative_to(folder.parent)), _WHEN)
                info.compress_type = zipfile.ZIP_DEFLATED
                info.external_attr = 0o644 << 16
                pack.writestr(info, file.read_bytes())
                count += 1
        placed(temporary, target, force=force)
    finally:
        temporary.unlink(missing_ok=True)
    return count


def packs_folder() -> Path:
    """Return where packs are unpacked, in the user's own data; it may not be there yet."""
    return Path(platformdirs.user_data_dir("sfumato", appauthor=False)) / "packs"


def is_pack(file: Path) -> bool:
    """Whether a file is a zip that may be a pack."""
    return file.suffix.lower() == ".zip"


def unpacked(file: Path, into: Path, check: Callable[[], None] = lambda: None) -> Path:
    """Unpack a pack into a new folder within another, and return it; names stay inside.

    Raises:
        FormatError: it is no pack, damaged, or larger than a pack may be.
    """
    try:
        with zipfile.ZipFile(file) as pack:
            infos = [i for i in pack.infolist() if not i.filename.endswith("/")]
            if len(infos) > _MOST_FILES or sum(i.file_size for i in infos) > _MOST_BYTES:
                raise FormatError("the zip is larger than a pack may be", where=str(file))
            index = next((i for i in infos if PurePosixPath(i.filename).name == INDEX), None)
            if index is None or index.file_size > 64 << 20:
                raise FormatError(
                    "this zip is not a pack", hint="unpack it in the file manager", where=str(file)
                )
            make_folder(into)
            place = _free_folder(into / plain_name(file.stem))
            whole = False
            try:
                for info in infos:
                    check()
                    _unpack_one(pack, info, place, file)
                whole = True
            finally:
                if not whole:
                    shutil.rmtree(place, ignore_errors=True)
            return place
    except (zipfile.BadZipFile, OSError, EOFError, NotImplementedError, RuntimeError) as error:
        raise FormatError("the zip is damaged", hint="fetch it again", where=str(file)) from error


def _unpack_one(pack: zipfile.ZipFile, info: zipfile.ZipInfo, place: Path, file: Path) -> None:
    parts = PurePosixPath(info.filename.replace("\\", "/")).parts
    if any(p in ("..", "/") or ":" in p or "\0" in p for p in parts):
        raise FormatError("a name in the zip leads out of it", where=str(file))
    target = place.joinpath(*(parts[1:] or parts))
    make_folder(target.parent)
    left = info.file_size
    with pack.open(info) as data, target.open("wb") as out:
        while block := data.read(1 << 20):
            left -= len(block)
            if left < 0:
                raise FormatError("a file in the zip is longer than it says", where=str(file))
            out.write(block)


def _free_folder(folder: Path) -> Path:
    names = (folder if i == 1 else folder.with_name(f"{folder.name} {i}") for i in range(1, 10_000))
    place = next(f for f in names if not exists(f))
    make_folder(place)
    return place
