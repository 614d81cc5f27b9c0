"""The Look room: bring in, put right, build, compare, export."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QObject, QPoint
from PySide6.QtWidgets import QWidget

from sfumato.app import theme
from sfumato.app.rooms.look import blink, coat_row, contact, shots
from sfumato.app.rooms.look.blink import Blink
from sfumato.app.rooms.look.coat_edits import CoatEdits
from sfumato.app.rooms.look.exports import Exports
from sfumato.app.rooms.look.ground_edits import GroundEdits
from sfumato.app.rooms.look.look_page import PANEL, LookPage
from sfumato.app.rooms.look.preset_edits import PresetEdits
from sfumato.app.rooms.look.print_edits import PrintEdits
from sfumato.app.rooms.look.shot_edits import ShotEdits
from sfumato.app.rooms.look.view_edits import ViewEdits
from sfumato.app.services.room import Room
from sfumato.app.services.services import Services
from sfumato.app.services.view_state import MODES, ViewState
from sfumato.app.views.easel import Easel
from sfumato.app.views.scope import instruments
from sfumato.core.colour.encodings import Family
from sfumato.core.measure.graticule import PERCENT, UNITS
from sfumato.core.path.path import SPANS
from sfumato.core.study.study import LOOK, Study
from sfumato.formats.parts.registry import by_suffix as lut_suffix
from sfumato.media.parts.registry import by_suffix
from sfumato.work.files import is_folder
from sfumato.work.footage import holds_footage
from sfumato.work.preview.asks import DEVICE, EXACT, FILE, LUT, MATTE, OTHERS, PINNED, PRINTED
from sfumato.work.stores.presets import SUFFIXES as PRESETS

_PASSING = (FILE, MATTE, PINNED, DEVICE, PRINTED, *OTHERS)  # sides that are not there next time


class LookRoom(Room):
    """Owns the page and what its parts do."""

    keys = {
        "Rows of the Ledger": coat_row.KEYS,
        "All shots": contact.KEYS,
        "Shots strip": shots.KEYS,
        "Sides of the Easel": blink.KEYS,
    }

    def __init__(self, services: Services) -> None:
        super().__init__("look", services)
        self._restore_view()
        self._page = page = LookPage(services)
        page.grip.set_width(services.settings.whole("view/panel", PANEL))
        self.ledger, self.seal, self.shots = page.ledger, page.seal, page.shots
        self.easel_panel, self.instruments = page.easel_panel, page.instruments
        self.coats = CoatEdits(services, self.ledger)
        self.presets = PresetEdits(services)
        self.shot_edits = ShotEdits(services, self.ledger)
        self.ground_edits = GroundEdits(services)
        self.exports = Exports(services, self.seal)
        self.view_edits = ViewEdits(services, page)
        self.prints = PrintEdits(services)
        self._blink = Blink(services.view, services.window, (page, page.easel_panel))
        self.ledger.noise_wanted.connect(self.view_edits.measure_noise)
        self._connect()

    @property
    def guide(self) -> str:
        return "faded-photo"

    @property
    def page(self) -> QWidget:
        return self._page

    @property
    def owners(self) -> tuple[QObject, ...]:
        shots = (self.shot_edits, self.ground_edits)
        return (self.coats, self.presets, *shots, self.exports, self.view_edits, self.prints)

    @property
    def easel(self) -> Easel:
        return self.easel_panel.easel

    @property
    def is_busy(self) -> bool:
        parts = (self.coats, self.presets, self.ground_edits, self.prints)
        return self.ledger.is_filling or any(p.is_busy for p in parts)

    def _connect(self) -> None:
        services, panel, ledger = self.services, self.easel_panel, self.ledger
        model, view, desk, run = services.model, services.view, services.desk, services.actions.run
        model.changed.connect(self._on_changed)
        model.about_to_replace.connect(self._forget_view)
        model.replaced.connect(self._show_first_shot)
        view.changed.connect(self._on_view)
        desk.strip.thumbs.connect(self.shots.show_thumbs)
        desk.strip.guesses.connect(self._show_guesses)
        desk.encodings_changed.connect(ledger.renew)
        self.shots.seen.connect(desk.strip.set_seen)
        self.shots.chosen.connect(lambda s: view.set(shot=s))
        for part in (self.shots, panel.contact):
            part.marked.connect(self.shot_edits.mark)
            part.menu_wanted.connect(self.shot_edits.show_menu)
        self.ground_edits.compared.connect(panel.contact.show_before)
        self.shots.moved.connect(self.shot_edits.move)
        self.shots.bring_in.connect(self.shot_edits.bring_in)
        self.shots.remove_wanted.connect(self.shot_edits.remove)
        ledger.coat_menu_wanted.connect(self.coats.show_menu)
        ledger.file_wanted.connect(self.coats.choose_file)
        ledger.apart_wanted.connect(self.coats.take_apart)
        ledger.explain_wanted.connect(self.coats.explain)
        ledger.encodings_wanted.connect(lambda: run("open_encodings"))
        ledger.presets_wanted.connect(self.presets.open_presets)
        self.seal.export_wanted.connect(self.exports.export_lut)
        self.seal.smallest_wanted.connect(self.exports.find_grid)
        self.seal.difference_wanted.connect(self.exports.show_difference)
        panel.bring_in.connect(self.shot_edits.bring_in)
        panel.side_file_wanted.connect(self.view_edits.choose_side_file)
        panel.open_demo.connect(lambda: run("open_demo"))
        panel.encoding_wanted.connect(ledger.choose_encoding)
        panel.guess_taken.connect(self.shot_edits.take_guess)
        panel.doubt_dismissed.connect(self.shot_edits.dismiss_doubt)
        panel.press_wanted.connect(self.prints.choose_shot_press)
        panel.press_taken.connect(self.prints.take_shot_press)
        panel.left.connect(self.instruments.clear_pick)
        panel.picked.connect(self.coats.take_pick)
        panel.play.clicked.connect(self.shot_edits.play_clip)
        panel.bar.play_wanted.connect(self.shot_edits.play_clip)
        panel.bar.moved.connect(self.shot_edits.set_frame)
        panel.bar.limited.connect(self.shot_edits.set_range)
        panel.bar.released.connect(self.shot_edits.frames_released)
        self.shot_edits.player.shown_rate.connect(panel.show_rate)

    # --- keeping up ------------------------------------------------------------------------------
    def _on_changed(self, _before: Study, _after: Study) -> None:
        self._show_shots()

    def _on_view(self, before: ViewState, after: ViewState) -> None:
        if before.believed != after.believed:
            self._show_guesses()
        if before.b != after.b and after.b == DEVICE:
            self.view_edits.simulate_target()
        if before.b != after.b and after.b == PRINTED:
            self.prints.show_printed()
        if before.shot != after.shot or before.marked_shots != after.marked_shots:
            self._show_shots()
        if before.shot != after.shot:
            self.seal.refresh()

    def _show_guesses(self) -> None:
        """Mark the shots whose numbers look like another encoding than the one that is stated."""
        marks = {}
        for shot in self.services.model.study.shots:
            doubt = self.services.desk.strip.doubt(shot)
            if doubt is not None:
                word = "log?" if doubt.family is Family.LOG else "display?"
                marks[shot.id] = (word, f"looks like {doubt.name}: {doubt.evidence}")
        self.shots.show_doubts(marks)
        self.easel_panel.refresh()

    def _show_shots(self) -> None:
        now = self.services.view.now
        self.shots.show_shots(self.services.model.study.shots, now.shot, now.marked_shots)

    def _forget_view(self) -> None:
        self.shot_edits.player.stop()
        view = self.services.view
        view.set(coat="", picking="")
        for side in OTHERS:  # what they expect was told by the study that goes
            view.forget_side(side)
        view.set(others={})
        self.exports.forget_proof()

    def _show_first_shot(self) -> None:
        shots_there = self.services.model.study.shots
        self.services.view.set(shot=shots_there[0].id if shots_there else "")
        self._show_shots()

    def conditions(self) -> set[str]:
        study, now = self.services.model.study, self.services.view.now
        true = {
            "has_look": bool(study.look.coats or study.shots),
            "has_proof": self.exports.proof is not None,
            f"mode_{now.mode}": True,
            "instruments": now.instruments_shown,
            "clipping": now.clipping,
            "pinned": bool(now.pinned) and now.pinned == now.shot,
            "with_ground": study.span.with_ground,
            "solo": bool(now.solo) and now.solo == now.coat,
            **{f"torn_{name}": True for name in self.view_edits.torn.windows},
        }
        if self.is_open:
            coat = study.coat(now.coat) if now.coat else None
            spec, shot = coat.spec if coat else None, self.services.desk.shot
            true |= {
                "in_look": True,
                "has_glazes": bool(study.look.coats),
                "has_shot": shot is not None,
                "has_shot_group": shot is not None and bool(shot.group),
                "has_marked_shots": bool(now.marked_shots),
                "is_clip": self.shot_edits.is_clip,
                "has_coat": coat is not None,
                "has_glaze": spec is not None,
                "has_group": coat is not None and coat.is_group,
                "can_pick": spec is not None and spec.pick is not None and shot is not None,
                "has_cdl": spec is not None and spec.key == "cdl",
                **{f"span_{c.key}": study.span == c.span(study, shot) for c in SPANS},
            }
        return {k for k, v in true.items() if v}

    # --- the window --------------------------------------------------------------------------------
    def begin(self) -> None:
        self.easel_panel.take_focus()
        torn = str(self.services.settings.get("torn/open", "")).split(",")
        for name, tear in (
            ("easel", self.view_edits.tear_easel),
            ("instruments", self.view_edits.tear_instruments),
        ):
            if name in torn and name not in self.view_edits.torn.windows:
                tear()

    def escape(self) -> bool:
        picking = bool(self.services.view.now.picking)
        self.services.view.set(picking="")
        return picking

    def take(self, files: list[Path], at: QPoint | None = None) -> list[Path]:
        """Take presets, LUTs and pictures; with a folder among them LUTs are left to who converts."""
        shot = self.shots.shot_at(self.shots.mapFrom(self._page, at)) if at is not None else ""
        saved = [f for f in files if f.suffix in PRESETS]
        self.presets.take(saved, shot or LOOK)
        pictures = [f for f in files if not is_folder(f) and by_suffix(f.name) is not None]
        luts = [
            f
            for f in files
            if f not in pictures and not is_folder(f) and lut_suffix(f.name) is not None
        ]
        if luts and any(is_folder(f) for f in files):
            luts = []
        side = ""
        if at is not None and self._page.isAncestorOf(self.easel_panel):
            side = self.easel_panel.side_at(self.easel_panel.mapFrom(self._page, at))
        if luts and side:
            self.view_edits.show_files(side, luts)
        elif luts:
            self.coats.lay_files(luts)
        footage = [f for f in files if is_folder(f) and holds_footage(f)] if self.is_open else []
        self.shot_edits.bring_in_files([*pictures, *footage])
        return [f for f in files if f not in (*saved, *luts, *pictures, *footage)]

    def keep(self) -> None:
        settings, now = self.services.settings, self.services.view.now
        sides = {"a": now.a, "b": now.b}
        kept = {name: side for name, side in sides.items() if side not in _PASSING}
        kept |= {"mode": now.mode, "mount": now.mount, "scope_unit": now.scope_unit}
        for name, words in kept.items():
            settings.set(f"view/{name}", words)
        settings.set("view/split_across", now.split_across)
        settings.set("view/instruments", ",".join(now.instruments))
        settings.set("view/instruments_shown", now.instruments_shown)
        settings.set("view/limits", now.limits)
        settings.set("view/panel", self._page.left.width())
        settings.set("torn/open", ",".join(self.view_edits.torn.windows))

    def _restore_view(self) -> None:
        settings, now = self.services.settings, self.services.view.now

        def one_of(name: str, usual: str, allowed: set[str]) -> str:
            value = str(settings.get(f"view/{name}", usual))
            return value if value in allowed else usual

        sides = {"source", "ground", EXACT, LUT}
        kinds = tuple(str(settings.get("view/instruments", "")).split(","))
        known = 2 <= len(kinds) <= 4 and all(k in instruments() for k in kinds)
        self.services.view.set(
            a=one_of("a", now.a, sides),
            b=one_of("b", now.b, sides),
            mode=one_of("mode", now.mode, set(MODES)),
            mount=one_of("mount", now.mount, set(theme.MOUNTS)),
            scope_unit=one_of("scope_unit", PERCENT, set(UNITS)),
            split_across=settings.get("view/split_across", False),
            limits=settings.get("view/limits", False),
            instruments=kinds if known else now.instruments,
            instruments_shown=settings.get("view/instruments_shown", True),
        )

    def close(self) -> None:
        self.coats.close()
        self.presets.close()
        self.shot_edits.close()
        self.ground_edits.close()
        self.view_edits.close()
        self.prints.close()
