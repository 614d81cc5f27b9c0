"""The Round trip room by action: carriers out, files back, looks adopted."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import attrs
from PySide6.QtCore import QObject, Qt

from sfumato.app.rooms.trip.corner_sheet import CornerSheet
from sfumato.app.rooms.trip.swatches import shown_there, swatch_folder
from sfumato.app.rooms.trip.trip_model import TripModel
from sfumato.app.rooms.trip.trip_page import TripPage
from sfumato.app.rooms.trip.watch import Watch
from sfumato.app.services.services import Services
from sfumato.core.arrays import Array
from sfumato.core.carrier.corners import of_words
from sfumato.core.carrier.recover import Recovered
from sfumato.core.study.journey import Journey, Return
from sfumato.core.study.study import LOOK, Study
from sfumato.work.cancel import Cancel, Progress
from sfumato.work.files import exists, plain_name
from sfumato.work.preview.asks import to_bytes
from sfumato.work.stores.coats import place_in_library
from sfumato.work.trip import adopt
from sfumato.work.trip.adopt import Adopted
from sfumato.work.trip.arrivals import Arrival, arrived, pictures_in
from sfumato.work.trip.returns import read_return
from sfumato.work.trip.send import Order, named, send


class TripEdits(QObject):
    """Carries out the actions of the room."""

    def __init__(self, services: Services, model: TripModel, page: TripPage) -> None:
        super().__init__(services.window)
        self.services, self.trip, self.page = services, model, page
        self.model, self.notices = services.model, services.notices
        self.watch = Watch(services.desk.rests.folder, self)
        self.watch.came.connect(lambda files: self._look_at(files, all_meant=False))
        page.send_wanted.connect(self.trip_send)
        page.take_wanted.connect(self.trip_take)
        page.forget_wanted.connect(self.trip_forget)
        page.corners_wanted.connect(self.trip_corners)
        page.glaze_wanted.connect(self.trip_glaze)
        page.look_wanted.connect(self.trip_new_look)
        page.swatch_wanted.connect(self.trip_swatch)
        page.file_wanted.connect(self.trip_file)
        self.watch.follow(self.model.study.journeys)
        self.model.changed.connect(self._follow)

    def _follow(self, before: Study, after: Study) -> None:
        if before.journeys != after.journeys:
            self.watch.follow(after.journeys)

    # --- out -------------------------------------------------------------------------------------
    def trip_send(self) -> None:
        """Ask where the carrier goes, write it and its card, and remember it in the study."""
        order = self.page.form.order()
        if order is None:
            return
        name = f"{named(order)}{order.suffix}"
        folder = Path(str(self.services.settings.get("trip_folder", "")) or Path.home())
        file = self.services.ports.choose_carrier(self.services.window, str(folder / name))
        if file is None:
            return
        if file.suffix.lower() != order.suffix:
            file = file.with_name(file.name + order.suffix)
            if exists(file) and not self.services.ports.ask_replace(
                self.services.window, file.name
            ):
                return
        self.services.settings.set("trip_folder", str(file.parent))
        self.send_to(order, file)

    def send_to(self, order: Order, file: Path) -> None:
        """Write a carrier to a place that was agreed to."""
        study, frames = self.model.study, self.services.desk.frames
        force = exists(file)  # the chooser has asked

        def write(cancel: Cancel, progress: Progress) -> tuple[Journey, tuple[str, ...]]:
            progress(0.3, file.name)
            return send(study, order, file, frames, force=force, check=cancel.check)

        self.services.queue.add(f"Writing {file.name}", write, then=self._sent)

    def _sent(self, answer: tuple[Journey, tuple[str, ...]]) -> None:
        journey, remarks = answer
        file = Path(journey.path)
        self.watch.expect([str(file)])
        self.model.commit(f"Send {journey.name}", self.model.study.with_journey(journey))
        self.trip.choose(journey.id)
        self.notices.good(
            f"{file.name} is out",
            "; ".join(remarks) or f"{file.parent} is watched for what comes back",
            "Show it",
            lambda: self.services.ports.reveal(file),
        )

    # --- back ------------------------------------------------------------------------------------
    def trip_take(self) -> None:
        """Ask for files that came back."""
        folder = str(self.services.settings.get("trip_folder", "")) or str(Path.home())
        files = self.services.ports.choose_pictures(
            self.services.window, folder, "Pictures that came back"
        )
        if files:
            self.take(files)

    def trip_look(self) -> None:
        """Look again into the folders of the carriers."""
        self.watch.look()

    def take(self, files: list[Path]) -> None:
        """Take files and folders as returns, each to the journey that it belongs to."""
        pictures = pictures_in(files)
        if pictures:
            self._look_at(pictures, all_meant=True)
        else:
            self.notices.note("There is no picture in the folder", "drop what came back")

    def _look_at(self, files: list[Path], *, all_meant: bool) -> None:
        journeys, returns = self.model.study.journeys, self.trip.returns
        title = files[0].name if len(files) == 1 else f"{len(files)} files"

        def look(cancel: Cancel, progress: Progress) -> list[Arrival]:
            return arrived(files, journeys, returns, cancel, progress, all_meant=all_meant)

        self.services.reading.add(f"Looking at {title}", look, then=self._came)

    def _came(self, arrivals: list[Arrival]) -> None:
        if not arrivals:
            return
        study = self.model.study
        last = ("", "")
        for each in arrivals:
            journey = study.journey(each.journey) or _stray(study, each.back)
            study = study.with_journey(journey.with_returns((each.back,)))
            last = (journey.id, each.back.path)
        name = Path(arrivals[0].back.path).name
        what = f"{name} is back" if len(arrivals) == 1 else f"{len(arrivals)} files are back"
        self.watch.expect(a.back.path for a in arrivals)
        self.model.commit(what, study)
        chosen = self.trip.journey
        if chosen is None or chosen.id != last[0] or len(arrivals) == 1:
            self.trip.choose(*last)
        failed = [a for a in arrivals if a.back.fault]
        if failed and len(failed) == len(arrivals):
            return  # the room says it, where the report would be
        words = f"{len(failed)} of them hold no look" if failed else ""
        self.notices.good(what, words or "see Round trip")

    def trip_corners(self) -> None:
        """Show the chosen return, for its corners to be set."""
        journey, back = self.trip.journey, self.trip.back
        if journey is None or back is None:
            return
        file = Path(back.path)

        def read(_cancel: Cancel, _progress: Progress) -> Array:
            return to_bytes(read_return(file).pixels)

        def show(pixels: Array) -> None:
            sheet = CornerSheet(self.services.window, file.name, pixels, of_words(back.corners))
            sheet.taken.connect(lambda words: self._set_corners(journey.id, back.path, words))
            sheet.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
            sheet.open()

        self.services.reading.add(f"Reading {file.name}", read, then=show)

    def _set_corners(self, journey_id: str, path: str, words: str) -> None:
        """Read a return between corners; what that gives is remembered with it."""
        journey, returns = self.model.study.journey(journey_id), self.trip.returns
        back = journey.back(path) if journey is not None else None
        if journey is None or back is None:
            return

        def look(cancel: Cancel, _progress: Progress) -> Recovered:
            return returns.look(Path(path), journey, cancel.check, corners=words)

        def then(found: Recovered) -> None:
            now = self.model.study.journey(journey_id)
            if now is None:
                return
            read = attrs.evolve(back, corners=words, fault="", things=len(found.faults))
            after = self.model.study.with_journey(now.with_returns((read,)))
            self.model.commit(f"Set the corners in {Path(path).name}", after)

        self.services.queue.add(f"Reading {Path(path).name}", look, then=then)

    def trip_forget(self) -> None:
        """Take the chosen journey out of the study; its files stay."""
        journey = self.trip.journey
        if journey is not None:
            after = self.model.study.without_journey(journey.id)
            self.model.commit(f"Forget {journey.name}", after)

    def trip_reveal(self) -> None:
        journey = self.trip.journey
        if journey is not None:
            self.services.ports.reveal(Path(journey.path or self.trip.file))

    # --- adopted ---------------------------------------------------------------------------------
    def trip_glaze(self) -> None:
        """Lay the looks of the chosen returns into the Look, at its end."""

        def laid(study: Study, found: list[Adopted]) -> Study:
            for each in found:
                study = study.added(LOOK, each.coat)
            return study

        self._adopt("a glaze", place_in_library, laid)

    def trip_new_look(self) -> None:
        """Let the look of the chosen return take the place of the study's."""

        def laid(study: Study, found: list[Adopted]) -> Study:
            last = found[-1]
            return study.with_look(name=last.name, coats=(last.coat,), strength=1.0)

        self._adopt("the Look", place_in_library, laid)

    def trip_swatch(self) -> None:
        """Write the looks into a folder of the Swatchbook; ask which when there are several."""
        chosen = swatch_folder(self.services)
        if chosen is None:
            return

        def place(name: str) -> Path:
            return adopt.free_in(chosen, name)

        def laid(study: Study, _found: list[Adopted]) -> Study:
            shown_there(self.services, chosen)
            return study

        self._adopt("a swatch", place, laid)

    def trip_file(self) -> None:
        """Write the look of one return to a file, or those of several into a folder."""
        files = self.page.chosen_returns()
        if len(files) > 1:
            folder = self.services.ports.choose_folder(
                self.services.window, files[0].parent, "Folder for the looks"
            )
            if folder is not None:
                self._adopt("a file", lambda n: adopt.free_in(folder, n), lambda s, _f: s)
            return
        name = plain_name(self.page.name())
        file = self.services.ports.choose_lut_save(
            self.services.window, str(files[0].parent / f"{name}.cube")
        )
        if file is not None:
            self._adopt("a file", lambda _n: file, lambda s, _f: s, force=exists(file))

    def _adopt(
        self,
        what: str,
        place: Callable[[str], Path],
        laid: Callable[[Study, list[Adopted]], Study],
        *,
        force: bool = False,
    ) -> None:
        """Write the looks of the chosen returns, then make of the study what `laid` says: one step."""
        journey, files = self.trip.journey, self.page.chosen_returns()
        if journey is None or not files:
            return
        returns, study = self.trip.returns, self.model.study
        names = {f: self.page.name() if len(files) == 1 else f.stem for f in files}

        def write(cancel: Cancel, progress: Progress) -> list[Adopted]:
            found = []
            for i, file in enumerate(files):
                cancel.check()
                progress(i / len(files), file.name)
                found.append(
                    adopt.adopt(returns, journey, file, names[file], place, study, force=force)
                )
            return found

        def then(found: list[Adopted]) -> None:
            now = self.model.study
            there = now.journey(journey.id)
            after = now
            if there is not None:
                for each in found:
                    there = there.adopted(str(each.back), what)
                after = now.with_journey(there)
            after = laid(after, found)
            title = found[0].name if len(found) == 1 else f"{len(found)} looks"
            self.model.commit(f"Adopt {title} as {what}", after)
            self.notices.good(f"{title}: adopted as {what}", found[0].said(what))

        title = files[0].name if len(files) == 1 else f"{len(files)} looks"
        self.services.queue.add(f"Adopting {title}", write, then=then)

    @property
    def is_busy(self) -> bool:
        return self.watch.is_busy

    def close(self) -> None:
        self.watch.close()


def _stray(study: Study, back: Return) -> Journey:
    """Return the journey of a file whose carrier is not ours: the one that has it, or a new one."""
    for journey in study.journeys:
        if not journey.path and any(r.path == back.path for r in journey.returns):
            return journey
    return attrs.evolve(Journey("", Path(back.path).stem), to="not sent from here")
