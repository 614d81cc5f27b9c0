"""Which swatches the wall shows, and in which order."""

from __future__ import annotations

from collections.abc import Iterable, Mapping

from attrs import frozen

from sfumato.core.measure.swatch import ORDERS
from sfumato.work.luts.lut_files import stem_of
from sfumato.work.luts.swatches import KEPT, PASSED, Facts, Remark, Swatch

ALL, KEPT_ONES = "", "kept"
NAME = "name"
ONE, MARKED, SPREAD = "this shot", "this and the marked shots", "four of the study"
SHOTS = (ONE, MARKED, SPREAD)


@frozen
class Wall:
    """What is shown, and how."""

    folder: str = ALL  # a folder, ALL, or KEPT_ONES
    search: str = ""
    log: bool = True
    display: bool = True
    kept_only: bool = False
    noted_only: bool = False
    hide_passed: bool = False
    order: str = NAME
    convert: bool = True  # show what does not fit as it would be once converted
    shots: str = ONE  # whose pictures the tiles show

    def laid(
        self,
        swatches: Iterable[Swatch],
        facts: Mapping[str, Facts],
        remarks: Mapping[str, Remark],
        chosen: Facts | None,
    ) -> list[Swatch]:
        """Return the swatches that are shown, in their order; `chosen` is what others are likened to."""
        shown = [s for s in swatches if self.shows(s, facts.get(s.key), remark_of(s, remarks))]
        named = sorted(shown, key=lambda s: (name_of(s, facts.get(s.key)).casefold(), str(s.file)))
        if self.order == NAME:
            return named
        measure = ORDERS[self.order][1]
        own = chosen.character if chosen is not None else None

        def rank(swatch: Swatch) -> tuple[bool, float]:
            known = facts.get(swatch.key)
            character = known.character if known is not None else None
            return character is None, 0.0 if character is None else measure(character, own)

        return sorted(named, key=rank)

    def shows(self, swatch: Swatch, facts: Facts | None, remark: Remark) -> bool:
        """Whether folder, search and filters let a swatch through."""
        if self.folder == KEPT_ONES and remark.mark != KEPT:
            return False
        if self.folder not in (ALL, KEPT_ONES) and not swatch.file.is_relative_to(self.folder):
            return False
        if (self.kept_only and remark.mark != KEPT) or (self.noted_only and not remark.note):
            return False
        if self.hide_passed and remark.mark == PASSED:
            return False
        if facts is not None:
            log = facts.log if facts.kind not in ("look", "glaze") else facts.made_for == "log"
            if (log is True and not self.log) or (log is False and not self.display):
                return False
        title = facts.title if facts is not None else ""
        kind = facts.kind if facts is not None else ""
        text = f"{swatch.file.name} {title} {kind} {remark.note}".casefold()
        return all(w in text for w in self.search.casefold().split())


def remark_of(swatch: Swatch, remarks: Mapping[str, Remark]) -> Remark:
    return remarks.get(str(swatch.file), Remark())


def name_of(swatch: Swatch, facts: Facts | None) -> str:
    return facts.title if facts is not None and facts.title else stem_of(swatch.file)
