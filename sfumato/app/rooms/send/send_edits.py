"""The Send room by action: outlets set, looks sent and taken back, versions gone back to."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path

import attrs
from PySide6.QtCore import QObject

from sfumato.app.rooms.send.kept import keep_current
from sfumato.app.rooms.send.send_model import ACCORD, RESULTS, VERSIONS, SendModel
from sfumato.app.rooms.send.send_page import SendPage
from sfumato.app.services.jobs import FINISHED, single_shot
from sfumato.app.services.parts import with_parts
from sfumato.app.services.services import Services
from sfumato.app.services.trash import forget_in_trash, to_trash
from sfumato.core.errors import SfumatoError
from sfumato.core.study.outlet import ASK, Outlet
from sfumato.core.study.study import Study
from sfumato.core.study.version import Version, as_sent
from sfumato.work.cancel import Cancel, Progress
from sfumato.work.files import exists, json_bytes, plain_name, write_bytes
from sfumato.work.luts.deliver import REFUSE, REPLACE
from sfumato.work.luts.lut_files import stem_of
from sfumato.work.luts.swatches import moved_file, takes
from sfumato.work.outlets.accord import answer
from sfumato.work.outlets.packs import Pack, Packed, make_pack
from sfumato.work.outlets.sending import REFUSED, Row, send, with_sent
from sfumato.work.outlets.sent import Sending, foreign
from sfumato.work.trip.arrivals import now

_RESTED = 1500  # ms after an edit, before what is behind is sent again


class SendEdits(QObject):
    """Carries out the actions of the room."""

    def __init__(self, services: Services, model: SendModel, page: SendPage) -> None:
        super().__init__(services.window)
        self.services, self.send, self.page = services, model, page
        self.model, self.notices = services.model, services.notices
        page.left.keep.setChecked(model.keeps)
        left, results, versions = page.left, page.results, page.versions
        for signal, then in (
            (left.add_wanted, self.send_add),
            (left.remove_wanted, self.drop_look),
            (left.send_wanted, self.send_all),
            (left.pack_wanted, self.send_pack),
            (left.keep_wanted, self.keep_current),
            (results.reveal_wanted, services.ports.reveal),
            (results.back_wanted, self.take_back),
            (results.again_wanted, self.again),
            (versions.name_wanted, self.name_version),
            (versions.go_back_wanted, self.go_back),
            (page.accord.sheet_wanted, self.send_sheet),
            (page.accord.json_wanted, self.send_json),
        ):
            signal.connect(then)
        self._kept_for: Study | None = None  # when what was behind was sent by itself last
        self._at_rest = single_shot(self, _RESTED, self._keep_up)
        model.known.connect(self._on_known)

    # --- looks -----------------------------------------------------------------------------------
    def send_add(self) -> None:
        """Add files of looks to what is sent."""
        folder = str(self.services.settings.get("send_looks", "")) or str(Path.home())
        files = self.services.ports.choose_luts(self.services.window, folder, "Looks to send")
        if files:
            self.services.settings.set("send_looks", str(files[0].parent))
            self.take(files)

    def take(self, files: Sequence[Path]) -> list[Path]:
        """Take dropped files of looks; return the others."""
        looks = [f for f in files if takes(f)]
        if looks:
            with_parts(
                self.services, looks, lambda found: self.send.set_files([*self.send.files, *found])
            )
        return [f for f in files if f not in looks]

    def drop_look(self, tick: str) -> None:
        """Send an added look no longer; its file stays."""
        name = tick.partition(": ")[2]
        kept = [f for f in self.send.files if stem_of(f) != name]
        if len(kept) != len(self.send.files):
            self.send.set_files(kept)

    # --- sending ---------------------------------------------------------------------------------
    def send_all(self) -> None:
        """Send the ticked looks to the ticked outlets."""
        self._send(self.send.ticked_looks(), self.send.ticked_outlets())

    def send_behind(self) -> None:
        """Send again what is behind, each look only where it went before."""
        self._send_pairs(self.send.behind())

    def again(self, row: Row) -> None:
        self._send_pairs([(row.look, row.outlet.key)])

    def _send_pairs(self, pairs: list[tuple[str, str]]) -> None:
        looks = [s for s in self.send.looks if any(s.name == look for look, _key in pairs)]
        outlets = [o for o in self.model.study.outlets if any(o.key == k for _look, k in pairs)]
        self._send(looks, outlets, set(pairs))

    def _send(
        self,
        looks: Sequence[Sending],
        outlets: Sequence[Outlet],
        only: set[tuple[str, str]] | None = None,
        *,
        quietly: bool = False,
    ) -> None:
        if not looks or not outlets:
            return
        looks = [self.send.current(look) for look in looks]
        if quietly:
            self._write_all(looks, outlets, only, set(), quietly=True)
            return
        asking = [o for o in outlets if o.there == ASK]

        def look_there(_cancel: Cancel, _progress: Progress) -> list[Path]:
            return [f for look in looks for o in asking for f in foreign(look, o)]

        def then(found: list[Path]) -> None:
            """Ask about files that are in the way and were not sent from here."""
            ask = self.services.ports.ask_replace
            agreed = {f for f in dict.fromkeys(found) if ask(self.services.window, f.name)}
            self.send.show_page(RESULTS)
            self._write_all(looks, outlets, only, agreed, quietly=False)

        self.services.reading.add("Looking at the outlets", look_there, then=then)

    def _write_all(
        self,
        looks: Sequence[Sending],
        outlets: Sequence[Outlet],
        only: set[tuple[str, str]] | None,
        agreed: set[Path],
        *,
        quietly: bool,
    ) -> None:
        frames, when = self.services.desk.frames, now()
        what = f"{len(looks)} looks" if len(looks) > 1 else looks[0].name

        def existing(_outlet: Outlet, file: Path) -> str:
            return REPLACE if file in agreed else REFUSE

        done: list[tuple[Row, Sending]] = []

        def work(cancel: Cancel, progress: Progress) -> list[tuple[Row, Sending]]:
            rows = send(
                looks,
                outlets,
                frames,
                when,
                only=only,
                existing=existing,
                done=done.append,
                cancel=cancel,
                progress=progress,
            )
            return list(rows)

        def ended(how: str) -> None:
            if how != FINISHED and done:  # what was written is known all the same
                self._sent(list(done), when, quietly=quietly)

        self.services.queue.add(
            f"Sending {what}",
            work,
            then=lambda rows: self._sent(rows, when, quietly=quietly),
            ended=ended,
        )

    def _sent(self, rows: list[tuple[Row, Sending]], when: str, *, quietly: bool) -> None:
        study = self.model.study
        after = with_sent(study, rows, when)
        count = len([r for r, _l in rows if r.state != REFUSED])
        title = "Keep outlets current" if quietly else f"Send {count} files"
        self.model.commit(title, after)
        self.send.show_rows([r for r, _look in rows])
        self.send.ask()
        failed = [r for r, _l in rows if r.state == REFUSED]
        good = [r for r, _l in rows if r.state != REFUSED]
        words = f"{len(good)} of {len(rows)} files are where they belong"
        if failed:
            self.notices.note(words, f"{failed[0].outlet.title}: {failed[0].words}")
        elif not quietly:
            worst = max((r.worst or 0.0 for r in good), default=0.0)
            self.notices.good(words, f"worst {worst:.2f} ΔE on the shots")

    def send_pack(self) -> None:
        """Put the ticked looks for the ticked outlets into one zip."""
        looks = [self.send.current(look) for look in self.send.ticked_looks()]
        outlets = self.send.ticked_outlets()
        if not looks or not outlets:
            self.notices.note("A pack needs a look and an outlet", "tick one of each")
            return
        study = self.model.study
        folder = str(self.services.settings.get("send_packs", "")) or str(Path.home())
        name = plain_name(f"{study.name} looks")
        file = self.services.ports.choose_pack(self.services.window, f"{folder}/{name}.zip")
        if file is None:
            return
        if file.suffix.lower() != ".zip":
            file = file.with_name(f"{file.name}.zip")  # of which the chooser knew nothing
            ask = self.services.ports.ask_replace
            if exists(file) and not ask(self.services.window, file.name):
                return
        self.services.settings.set("send_packs", str(file.parent))
        pack = Pack(file.stem, tuple(looks), tuple(outlets), note=study.notes)
        frames, shot, when = self.services.desk.frames, self.services.desk.shot, now()

        def work(cancel: Cancel, progress: Progress) -> Packed:
            return make_pack(
                pack, file, frames, shot, when, force=True, cancel=cancel, progress=progress
            )

        self.services.queue.add(f"Packing {file.name}", work, then=self._packed)

    def _packed(self, made: Packed) -> None:
        words = f"{made.place.name} holds {made.files} files"
        if made.refused:
            first = made.refused[0]
            self.notices.note(
                words, f"without {first.look} for {first.outlet.title}: {first.words}"
            )
        else:
            reveal = self.services.ports.reveal
            self.notices.good(words, str(made.place.parent), "Show it", lambda: reveal(made.place))

    # --- kept current ----------------------------------------------------------------------------
    def keep_current(self, on: bool) -> None:
        self.send.keeps = on
        keep_current(self.services.settings, on)
        self.send.ask()

    def _on_known(self) -> None:
        if self.send.keeps and self.send.behind() and self._is_new:
            self._at_rest.start()

    @property
    def _is_new(self) -> bool:
        """Whether the study was changed since what is behind was sent by itself."""
        return attrs.evolve(self.model.study, versions=()) != self._kept_for

    def _keep_up(self) -> None:
        """Send again what is behind, once the work has rested and nothing else is written."""
        if self.services.queue.is_busy:
            self._at_rest.start()
            return
        asked = attrs.evolve(self.model.study, versions=())
        if asked == self._kept_for:
            return  # what could not be written then cannot be now
        self._kept_for = asked
        pairs = [p for p in self.send.behind() if self.send.is_on(p[1])]
        looks = [s for s in self.send.looks if any(s.name == look for look, _k in pairs)]
        outlets = [o for o in self.model.study.outlets if any(o.key == k for _l, k in pairs)]
        self._send(looks, outlets, set(pairs), quietly=True)

    # --- taken back ------------------------------------------------------------------------------
    def take_back(self, row: Row) -> None:
        """Put what was sent into the trash, and forget it; undo in the notice brings it back."""
        study, kept = self.model.study, self.send.rows
        gone: list[tuple[Path, Path]] = []
        try:
            for file in _tops(row.files):
                if exists(file):
                    gone.append((file, to_trash(file)))
        except SfumatoError as error:
            self.notices.fault(error)
            if not gone:
                return
        paths = {str(row.files[0])}
        versions = tuple(v.without(paths) for v in study.versions)
        self.model.commit(f"Take back {row.files[0].name}", attrs.evolve(study, versions=versions))
        self.send.rows = tuple(r for r in kept if r is not row)
        self.send.rows_changed.emit()
        self.send.ask()

        def undo() -> None:
            try:
                for file, place in gone:
                    moved_file(place, file)
                    forget_in_trash(place)
            except SfumatoError as error:
                self.notices.fault(error)
                return
            now_ = self.model.study
            back = attrs.evolve(now_, versions=study.versions)
            self.model.commit(f"Put {row.files[0].name} back", back)
            self.send.rows = kept
            self.send.rows_changed.emit()
            self.send.ask()

        if gone:
            self.notices.good(f"{row.files[0].name} is in the trash", "", "Undo", undo)

    # --- versions --------------------------------------------------------------------------------
    def name_version(self, version: Version) -> None:
        name = self.services.ports.ask_name(
            self.services.window, "Name this version", version.title
        )
        if name is None:
            return
        self._with_version(version, attrs.evolve(version, name=name[:200]), f"Name {version.title}")

    def _with_version(self, old: Version, new: Version, title: str) -> None:
        study = self.model.study
        versions = tuple(new if v == old else v for v in study.versions)
        self.model.commit(title, attrs.evolve(study, versions=versions))

    def go_back(self, version: Version) -> None:
        """Let the look be what it was in a version; View, Span and grid too."""
        self.model.commit(f"Go back to {version.title}", as_sent(self.model.study, version))

    # --- pages, and Accord on paper --------------------------------------------------------------
    def send_results(self) -> None:
        self.send.show_page(RESULTS)

    def send_accord(self) -> None:
        self.send.show_page(ACCORD)

    def send_versions(self) -> None:
        self.send.show_page(VERSIONS)

    def send_json(self) -> None:
        """Save Accord's figures as JSON."""
        found = self.send.accord
        if found is None:
            return
        self._save("accord.json", lambda: json_bytes(answer(found)))

    def send_sheet(self) -> None:
        """Save what the page shows as PDF or PNG."""
        from sfumato.app.rooms.send import accord_sheet

        found = self.send.accord
        if found is None:
            return
        file = self.services.ports.choose_sheet(
            self.services.window, str(Path.home() / "accord.pdf"), "Save the page"
        )
        if file is None:
            return
        make = accord_sheet.as_png if file.suffix.lower() == ".png" else accord_sheet.as_pdf
        self._write(file, lambda: make(found))

    def _save(self, name: str, data: Callable[[], bytes]) -> None:
        file = self.services.ports.choose_json(self.services.window, str(Path.home() / name))
        if file is not None:
            self._write(file, data)

    def _write(self, file: Path, data: Callable[[], bytes]) -> None:
        def work(_cancel: Cancel, _progress: Progress) -> Path:
            write_bytes(file, data())
            return file

        def then(written: Path) -> None:
            self.notices.good(f"{written.name} is saved", str(written.parent))

        self.services.queue.add(f"Writing {file.name}", work, then=then)

    @property
    def is_busy(self) -> bool:
        return self._at_rest.isActive()


def _tops(files: Sequence[Path]) -> list[Path]:
    """Return what goes into the trash: files, or the folder that holds them all."""
    folder = files[0].parent
    if len(files) > 2 and all(f.is_relative_to(folder) for f in files):
        names = {f.relative_to(folder).parts[0] for f in files}
        if {f.name for f in folder.iterdir()} == names:
            return [folder]
    return list(files)
