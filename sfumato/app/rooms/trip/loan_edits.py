"""What is done on the Borrow page: pictures in, ties, and the look adopted."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import attrs
from PySide6.QtCore import QObject

from sfumato.app.rooms.trip.loan_model import LoanModel
from sfumato.app.rooms.trip.loan_page import LoanPage
from sfumato.app.rooms.trip.swatches import shown_there, swatch_folder
from sfumato.app.services.services import Services
from sfumato.core.study.coat import Coat, grouped
from sfumato.core.study.loan import (
    MOST_FILES,
    MOST_PICKS,
    MOST_TIES,
    PAIR,
    REFERENCE,
    Loan,
    Pick,
    Place,
    Region,
    Tie,
)
from sfumato.core.study.study import LOOK, Study
from sfumato.work.borrow.borrowing import Borrowing
from sfumato.work.borrow.sides import files_of
from sfumato.work.borrow.written import Written, write, write_rest
from sfumato.work.cancel import Cancel, Progress
from sfumato.work.files import exists, plain_name
from sfumato.work.stores.coats import place_in_library
from sfumato.work.trip import adopt

_TITLES = {
    "before": "Pictures before the look",
    "after": "Pictures after the look",
    "references": "Pictures to follow",
}


class LoanEdits(QObject):
    """Carries out the actions of the page."""

    def __init__(self, services: Services, model: LoanModel, page: LoanPage) -> None:
        super().__init__(services.window)
        self.services, self.loans, self.page = services, model, page
        self.model, self.notices = services.model, services.notices
        page.inputs.add_wanted.connect(self.add)
        page.middle.add_wanted.connect(self.add)
        page.inputs.take_out_wanted.connect(self.take_out)
        page.inputs.this_wanted.connect(self.borrow_this)
        page.inputs.swap_wanted.connect(self.borrow_swap)
        page.middle.part_tied.connect(self.tie_part)
        page.middle.colour_tied.connect(self.tie_colour)
        page.outcome.adopting.glaze_wanted.connect(self.borrow_lay)
        page.outcome.adopting.look_wanted.connect(self.borrow_look)
        page.outcome.adopting.swatch_wanted.connect(self.borrow_swatch)
        page.outcome.adopting.file_wanted.connect(self.borrow_file)

    # --- pictures --------------------------------------------------------------------------------
    def borrow_before(self) -> None:
        self.add("before")

    def borrow_after(self) -> None:
        self.add("after")

    def borrow_reference(self) -> None:
        self.add("references")

    def add(self, side: str) -> None:
        """Ask for pictures of a side."""
        folder = str(self.services.settings.get("borrow_folder", "")) or str(Path.home())
        files = self.services.ports.choose_pictures(self.services.window, folder, _TITLES[side])
        if files:
            self.services.settings.set("borrow_folder", str(files[0].parent))
            self.take(files, side)

    def take(self, files: list[Path], side: str = "") -> None:
        """Take pictures and folders to a side; without one, to that which waits for them.

        Two folders, or two pictures, at once are before and after.
        """
        loan = self.loans.loan

        def look(_cancel: Cancel, _progress: Progress) -> dict[str, list[Path]]:
            if side:
                return {side: _all(files)}
            if loan.mode == REFERENCE:
                return {"references": _all(files)}
            if len(files) == 2 and not (loan.before or loan.after):
                return {"before": files_of(files[0]), "after": files_of(files[1])}
            return {"after" if loan.before and not loan.after else "before": _all(files)}

        self.services.reading.add("Looking at pictures", look, then=self._taken)

    def _taken(self, found: dict[str, list[Path]]) -> None:
        if not any(found.values()):
            self.notices.note("There is no picture in the folder", "choose pictures or clips")
            return
        loan = self.loans.loan
        many = False
        for side, files in found.items():
            there = getattr(loan, side)
            every = tuple(dict.fromkeys((*there, *(str(f.resolve()) for f in files))))
            many = many or len(every) > MOST_FILES
            every = every[:MOST_FILES]
            values: dict[str, Any] = {side: every}
            if side == "references":
                loan = attrs.evolve(loan.with_references(every), mode=REFERENCE)
            else:
                loan = attrs.evolve(loan, mode=PAIR, **values)
        count = sum(map(len, found.values()))
        self.loans.set(
            f"Borrow from {count} pictures" if count > 1 else "Borrow from a picture", loan
        )
        if many:
            self.notices.note(
                f"A side takes up to {MOST_FILES} pictures", "the others were left out"
            )

    def borrow_this(self) -> None:
        """Take the shot of the Look room as the picture before."""
        shot = self.loans.shot
        if shot is not None:
            before = tuple(dict.fromkeys((*self.loans.loan.before, shot.path)))
            source = self.loans.loan.source or shot.encoding or ""
            self.loans.edit(f"Borrow for {shot.name}", before=before, source=source, mode=PAIR)

    def borrow_swap(self) -> None:
        """Let what is before be after."""
        loan = self.loans.loan
        self.loans.edit(
            "Swap before and after",
            before=loan.after, after=loan.before, source=loan.result, result=loan.source,
        )  # fmt: skip

    def take_out(self, side: str, rows: list[int]) -> None:
        """Take rows of a list out of the loan; the files stay."""
        loan = self.loans.loan
        after: Loan = loan
        if side == "references":
            kept = tuple(f for i, f in enumerate(loan.references) if i not in rows)
            after = loan.with_references(kept)
        elif side == "ties":
            count = len(loan.ties)
            ties = tuple(t for i, t in enumerate(loan.ties) if i not in rows)
            picks = tuple(p for i, p in enumerate(loan.picks, count) if i not in rows)
            after = attrs.evolve(loan, ties=ties, picks=picks)
        else:
            pairs = self.loans.pairs
            ones, others = self.loans.alone
            listed = [*((str(a), str(b)) for a, b in pairs), *((str(f), "") for f in ones)]
            listed += [("", str(f)) for f in others]
            gone = {f for i in rows if i < len(listed) for f in listed[i]}
            before, last = (
                tuple(f for f in files if f not in gone) for files in (loan.before, loan.after)
            )
            after = attrs.evolve(loan, before=before, after=last)
        self.loans.set("Untie" if side == "ties" else "Take out of what is borrowed from", after)

    def borrow_clear(self) -> None:
        """Borrow from nothing; the amounts stay."""
        loan = self.loans.loan
        self.loans.set("Borrow from nothing", Loan(loan.mode, amounts=loan.amounts))

    def borrow_again(self) -> None:
        """Work it out anew."""
        self.loans.again()

    # --- ties ------------------------------------------------------------------------------------
    def borrow_parts(self) -> None:
        self.page.inputs.use("part")

    def borrow_colours(self) -> None:
        self.page.inputs.use("pick")

    def tie_part(self, ours: Region, theirs: Region) -> None:
        """Let a part of the shot be like a part of the shown reference."""
        ties = self.loans.loan.ties
        if len(ties) >= MOST_TIES:
            self.notices.note(f"There are {MOST_TIES} ties already", "take one out by Delete")
        elif self.loans.reference:
            tie = Tie(ours, theirs, self.loans.reference)
            self.loans.edit("Tie a part", ties=(*ties, tie))

    def tie_colour(self, ours: Place, theirs: Place) -> None:
        """Let a colour of the shot become one of the shown reference."""
        picks = self.loans.loan.picks
        if len(picks) >= MOST_PICKS:
            self.notices.note(f"There are {MOST_PICKS} colours already", "take one out by Delete")
        elif self.loans.reference:
            pick = Pick(ours, theirs, self.loans.reference)
            self.loans.edit("Tie a colour", picks=(*picks, pick))

    # --- adopted ---------------------------------------------------------------------------------
    def _named(self) -> Borrowing | None:
        """Return what was borrowed, under the name that is typed; None when there is nothing."""
        if self.loans.outcome is None or self.loans.is_working:
            return None
        found = self.loans.outcome.found
        name = self.page.outcome.name.text().strip() or found.name
        return attrs.evolve(
            found, name=name, rest=found.rest if self.loans.loan.with_rest else None
        )

    def _glazed(self, what: str, laid: Any) -> None:
        """Write the LUT of the rest where there is one, then make of the study what `laid` says."""
        found = self._named()
        if found is None:
            return

        def write_it(_cancel: Cancel, _progress: Progress) -> tuple[Coat, ...]:
            if found.rest is None:
                return found.coats
            rest, _said = write_rest(found, place_in_library(f"{found.name} rest"))
            return (*found.coats, rest)

        def then(coats: tuple[Coat, ...]) -> None:
            if not coats:
                self.notices.note("There is nothing to adopt", "the pictures look alike already")
                return
            self.model.commit(f"Adopt {found.name} as {what}", laid(self.model.study, found, coats))
            more = "its LUT of the rest is the last glaze" if found.rest is not None else ""
            self.notices.good(
                f"{found.name}: adopted as {what}", more or "Alt+1 shows it in the Ledger"
            )

        self.services.queue.add(f"Adopting {found.name}", write_it, then=then)

    def borrow_lay(self) -> None:
        """Lay the glazes as a group at the end of the Look, or renew the group that was laid before."""

        def laid(study: Study, found: Borrowing, coats: tuple[Coat, ...]) -> Study:
            group = grouped(coats, found.name)
            there = next((c for c in study.look.coats if c.id == self.loans.laid), None)
            if there is not None:
                return study.set_coat(there.id, members=group.members, name=group.name)
            self.loans.laid = group.id
            return study.added(LOOK, group)

        self._glazed("glazes of the Look", laid)

    def borrow_look(self) -> None:
        """Let what was borrowed take the place of the Look; over the Look, what was there stays in it."""

        def laid(study: Study, found: Borrowing, coats: tuple[Coat, ...]) -> Study:
            return study.with_look(name=found.name, coats=(*found.base, *coats), strength=1.0)

        self._glazed("the Look", laid)

    def borrow_swatch(self) -> None:
        """Write a LUT of it into a folder of the Swatchbook; ask which when there are several."""
        found = self._named()
        if found is None:
            return
        folder = swatch_folder(self.services)
        if folder is not None:
            shown_there(self.services, folder)
            self._write(found, adopt.free_in(folder, found.name), f"in {folder.name}")

    def borrow_file(self) -> None:
        """Write it as a preset, a study or a LUT, by the suffix."""
        found = self._named()
        if found is None:
            return
        folder = str(self.services.settings.get("borrow_folder", "")) or str(Path.home())
        file = self.services.ports.choose_look_save(
            self.services.window, str(Path(folder) / f"{plain_name(found.name)}.look")
        )
        if file is not None:
            self._write(found, file, str(file.parent), force=exists(file))

    def _write(self, found: Borrowing, file: Path, where: str, *, force: bool = False) -> None:
        loan = self.loans.loan
        sources = [Path(f) for f in (*loan.before, *loan.after, *loan.references)]
        if self.model.file is not None:
            sources.append(self.model.file)

        def write_it(_cancel: Cancel, _progress: Progress) -> Written:
            return write(found, file, force=force, sources=sources)

        def then(written: Written) -> None:
            words = [where, *written.said]
            if written.beside is not None:
                words.insert(1, f"what the glazes leave is in {written.beside.name}")
            self.notices.good(
                f"{written.file.name} is written",
                "; ".join(words),
                "Show it",
                lambda: self.services.ports.reveal(written.file),
            )

        self.services.queue.add(f"Writing {file.name}", write_it, then=then)


def _all(files: list[Path]) -> list[Path]:
    return [f for place in files for f in files_of(place)]
