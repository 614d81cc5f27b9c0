"""What keeps the picture true: asks the lanes when the study or the view moves, and passes answers on."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import attrs
from PySide6.QtCore import QObject, Signal

from sfumato.app.services.jobs import Lane, Turn, single_shot
from sfumato.app.services.notices import Notices
from sfumato.app.services.rests import Rests
from sfumato.app.services.strip import Strip
from sfumato.app.services.study_model import StudyModel
from sfumato.app.services.view_state import ViewModel, ViewState
from sfumato.core.colour.encodings import Encoding, encoding
from sfumato.core.colour.screen import screen_words
from sfumato.core.errors import MediaError, SfumatoError
from sfumato.core.lut.transform import Transform
from sfumato.core.study.shot import Shot
from sfumato.core.study.study import Study
from sfumato.work import warm
from sfumato.work.cancel import Cancel
from sfumato.work.frames import WHOLE, Frames, Region
from sfumato.work.luts.proof import look_loss
from sfumato.work.memory import while_the_hand_moves
from sfumato.work.preview.asks import Ask, Shown
from sfumato.work.preview.measures import tried
from sfumato.work.preview.preview import Previewer
from sfumato.work.preview.scene import Measuring

_TURNS = dict.fromkeys(("preview", "probe"), Turn.FIRST) | dict.fromkeys(
    ("ready", "thumbs", "contact", "loss"), Turn.LAST
)

_FINE = 1.5  # device pixels to one of the desktop's, from which on a picture that moves has fewer


def _picture(state: ViewState) -> tuple[object, ...]:
    """Return what of the view a picture depends on."""
    sides = (state.shot, state.a, state.b, state.mode, id(state.exported), state.pinned)
    parts = (state.instruments, state.instruments_shown, state.coat, state.solo, state.clipping)
    return (*sides, *parts, state.play, id(state.others), state.blink)


def _same(one: Ask, two: Ask) -> bool:
    """Whether two asks have the same answer; studies and tables are told apart by being others."""
    pairs = ((getattr(one, f.name), getattr(two, f.name)) for f in attrs.fields(Ask))
    return all(a is b or (not isinstance(a, Study | Transform) and a == b) for a, b in pairs)


class Desk(QObject):
    """Owns the lanes. `shown(Shown)`, `probed(Probe)`, `loss(GridLoss)`, `tried(dict)`, `failed(shot, error)`.

    `bring(files)`: a room wants files to become shots. `screen_changed()`: pictures are looked at on another.
    """

    shown = Signal(object)
    probed = Signal(object)
    contact = Signal(object)
    loss = Signal(object)
    loss_unknown = Signal()
    failed = Signal(str, object)
    tried = Signal(object)
    encodings_changed = Signal()
    bring = Signal(object)
    warmed = Signal()
    screen_changed = Signal()

    def __init__(
        self,
        model: StudyModel,
        view: ViewModel,
        notices: Notices,
        instruments: Mapping[str, Measuring],
        parent: QObject | None = None,
        rests: Rests | None = None,
    ) -> None:
        super().__init__(parent)
        self.model, self.view, self.notices = model, view, notices
        self.rests = rests = rests or Rests()
        self._instruments = instruments
        self.frames = Frames()
        self.previewer = Previewer(self.frames)
        self._size = (640, 360)
        self._region: Region = WHOLE
        self._ratio = 1.0
        self.dragging = self._asked_moving = False
        self.has_begun = False  # the first picture is there
        self._last: list[Shown] = []  # the two last answers, which alternate while sides blink
        self._blinked = False
        self._lanes = {
            n: Lane(n, self, turn=_TURNS.get(n, Turn.SHARED))
            for n in ("preview", "probe", "ready", "thumbs", "contact", "loss", "warm", "tried")
        }
        for lane in self._lanes.values():
            lane.crashed.connect(notices.bug)
        self._lanes["preview"].answered.connect(self._on_answered)
        self._lanes["preview"].refused.connect(self._on_refused)
        self._lanes["probe"].answered.connect(self.probed)
        self.strip = Strip(self, self._lanes["thumbs"])
        self._lanes["contact"].answered.connect(self.contact)
        self._tile = (320, 180)
        self._lanes["loss"].answered.connect(self._on_loss)
        self._lanes["tried"].answered.connect(self.tried)
        self._lanes["warm"].answered.connect(lambda _none: self.warmed.emit())
        self._now = single_shot(self, 0, self._ask)
        self._rest = single_shot(self, rests.picture, self._at_rest)
        self._measure = single_shot(self, rests.loss, self._ask_loss)
        self._later = single_shot(self, 30, self._start_rest)
        # First of all: whoever hears of a change finds choices that are there.
        model.changed.connect(view.fit)
        model.changed.connect(self._on_changed)
        view.changed.connect(self._on_view)

    # --- what is asked for -----------------------------------------------------------------------
    @property
    def shot(self) -> Shot | None:
        """The chosen shot, or the first; None in an empty study."""
        study = self.model.study
        chosen = self.view.now.shot
        return next(
            (s for s in study.shots if s.id == chosen), study.shots[0] if study.shots else None
        )

    def set_geometry(self, width: int, height: int, region: Region, ratio: float = 1.0) -> None:
        """Say how large the picture is on the Easel, in device pixels, which part is seen, and how many
        device pixels make one of the desktop's.
        """
        if ((width, height), region, ratio) != (self._size, self._region, self._ratio):
            self._size, self._region, self._ratio = (width, height), region, ratio
            self._now.start()

    def _moving_size(self) -> tuple[int, int]:
        """Return how large the picture is while it moves: where pixels are very small, four or more are one.

        At 200 % a step of a drag took 2.8 times as long as at 100 %; the fine picture comes when the hand rests.
        """
        if self._ratio < _FINE:
            return self._size
        width, height = (max(1, round(side / self._ratio)) for side in self._size)
        return width, height

    @property
    def geometry(self) -> tuple[int, int, Region]:
        """Width and height of the picture on the Easel, in device pixels, and the part that is seen."""
        return (*self._size, self._region)

    def ask(self) -> Ask | None:
        shot = self.shot
        if shot is None:
            return None
        now = self.view.now
        play = now.play
        if play is not None:
            shot = attrs.evolve(shot, frame=play)
        coat = now.coat
        try:
            where = self.model.study.root(coat) if coat else ""
        except KeyError:
            where = ""
        known = where in ("look", shot.id)
        mode = now.mode
        moves = self.dragging or play is not None
        width, height = self._moving_size() if moves else self._size
        return Ask(
            self.model.study,
            shot,
            a=now.b if now.blink else now.a,
            b=now.a if now.blink else now.b,
            need_a=mode in ("split", "side"),
            difference=mode == "difference",
            width=width,
            height=height,
            region=self._region,
            instruments=tuple(self._instruments[k] for k in now.instruments)
            if now.instruments_shown
            else (),
            dragging=moves,
            playing=play is not None,
            pinned=next((s for s in self.model.study.shots if s.id == now.pinned), None),
            exported=now.exported,
            others=now.others,
            gamut=now.clipping,
            coat=coat if known else "",
        )

    def _shown_ask(self) -> Ask | None:
        """Return what the Easel shows: with one glaze alone while it is soloed."""
        ask, solo = self.ask(), self.view.now.solo
        if ask is None or not solo:
            return ask
        try:
            return attrs.evolve(ask, study=ask.study.soloed(solo))
        except KeyError:
            return ask

    def refresh(self) -> None:
        self._now.start()

    def forget(self) -> None:
        """Encodings of the same names may be others now: compute everything anew, and say so."""
        self.previewer.forget()
        self._last.clear()
        self.refresh()
        self.encodings_changed.emit()

    def hold(self) -> None:
        """A control is moving: quick pictures now, exact ones when it rests."""
        if not self.dragging:
            self.dragging = True
            while_the_hand_moves(True)
            for name in ("ready", "thumbs", "loss", "probe"):
                self._lanes[name].drop()
        self._rest.start()

    def release(self) -> None:
        if self.dragging:
            self._at_rest()

    def _at_rest(self) -> None:
        self.dragging = False
        while_the_hand_moves(False)
        self._rest.stop()
        self._now.start()
        self.strip.ask()
        self.ask_contact()

    def _ask(self) -> None:
        ask = self._shown_ask()
        if ask is None:
            return
        kept = next((s for s in self._last if self._blinked and _same(s.ask, ask)), None)
        self._blinked = False
        if kept is not None:
            self._lanes["preview"].drop()
            self.shown.emit(kept)
            return
        # A step of a drag lets the one before it end; a picture at rest, which takes longer, it ends.
        patient, self._asked_moving = ask.dragging and self._asked_moving, ask.dragging
        self._lanes["preview"].ask(lambda cancel: self.previewer.show(ask, cancel), patient=patient)

    def _on_answered(self, shown: Any) -> None:
        """Pass a picture on; everything else waits until the first one is there."""
        self._last = [*self._last[-1:], shown]
        self.shown.emit(shown)
        if not self.has_begun:
            self._later.start()
        elif not shown.ask.dragging:
            self._make_ready()
            own = shown.ask.study is self.model.study
            if own and self.previewer.awaits_fit(shown.ask) and not self._lanes["loss"].is_busy:
                self._measure.start()

    def _make_ready(self) -> None:
        """Have what the first step of a drag of the chosen glaze needs."""
        ask = self._shown_ask()
        if ask is not None and not ask.dragging:
            width, height = self._moving_size()
            small = attrs.evolve(ask, width=width, height=height)
            self._lanes["ready"].ask(lambda cancel: self.previewer.prepare(small, cancel))

    def _start_rest(self) -> None:
        if self._now.isActive() or self._lanes["preview"].is_busy:
            self._later.start()
            return
        self.has_begun = True
        self._make_ready()
        self.strip.ask()
        self._measure.start()
        self.warm()

    # --- answers to changes ----------------------------------------------------------------------
    def _on_changed(self, before: Study, after: Study) -> None:
        if self.dragging:
            self._ask()  # at once: while the controls are painted, the picture is computed
        else:
            self._now.start()
        self.ask_contact()
        if not self.dragging:
            self.strip.ask()
        same = attrs.evolve(before, notes="", name="") == attrs.evolve(after, notes="", name="")
        if not same:
            self._measure_anew()

    def _measure_anew(self) -> None:
        """What was said of the loss no longer holds."""
        self.loss_unknown.emit()
        self._lanes["loss"].drop()
        if self.has_begun:
            self._measure.start()

    def _on_view(self, before: ViewState, after: ViewState) -> None:
        if before.mode != after.mode:
            self.ask_contact()
        self._blinked = before.blink != after.blink
        if before.shot != after.shot:
            self.strip.ask(anew=False)
            if self.model.study.span.with_ground:  # a LUT for each shot
                self._measure_anew()
        if _picture(before) != _picture(after):
            self._now.start()

    def _on_refused(self, error: SfumatoError) -> None:
        shot = self.shot
        self.failed.emit(shot.id if shot else "", error)
        if not isinstance(error, MediaError):
            self.notices.fault(error)

    def set_screen(self, screen: Encoding | None) -> None:
        """Say what the pictures are looked at on; None = their codes go there as they are."""
        self.previewer.screen = screen
        self._last.clear()
        self._now.start()
        self.strip.ask()
        self.ask_contact()
        self.screen_changed.emit()

    @property
    def screen_words(self) -> tuple[str, str]:
        """Say how pictures are brought to the screen, briefly and in full; "" when they go as they are."""
        screen, view = self.previewer.screen, encoding(self.model.study.view.encoding)
        return screen_words(view, screen) if screen is not None else ("", "")

    def set_tile(self, width: int, height: int) -> None:
        """Say how large a shot is in the view of all shots, in device pixels."""
        if (width, height) != self._tile:
            self._tile = (width, height)
            self.ask_contact()

    def ask_contact(self) -> None:
        """Ask for the pictures of all shots, when they are looked at."""
        if self.view.now.mode != "all" or self.dragging:
            return
        study, tile = self.model.study, self._tile

        def work(cancel: Cancel) -> dict[str, Any]:
            found: dict[str, Any] = {}
            for shot in study.shots:
                cancel.check()
                try:
                    whole = self.previewer.whole_picture(study, shot, *tile, cancel)
                    found[shot.id] = self.previewer.screened(study, whole)
                except SfumatoError as error:
                    found[shot.id] = error.alone()
            return found

        self._lanes["contact"].ask(work)

    def try_glazes(self, where: str) -> None:
        """Ask what each glaze would do at the end of a shot's Ground or of the Look, for `tried`."""
        study, shot = self.model.study, self.shot or Shot("", "")
        self._lanes["tried"].ask(
            lambda _cancel: tried(study, shot, where, lambda c: self.previewer.screened(study, c))
        )

    def _ask_loss(self) -> None:
        ask = self.ask()
        if self.dragging:
            self._measure.start()
            return
        if ask is None:
            return

        def work(cancel: Cancel) -> Any:
            made = self.previewer.look_table(ask, cancel)
            return look_loss(ask.study, self.frames, made, ask.shot, cancel)

        self._lanes["loss"].ask(work)

    def _on_loss(self, loss: Any) -> None:
        """Pass the loss on; a fitted table is ready with it, so side B is shown through that."""
        self.loss.emit(loss)
        if loss is not None and loss.fitted:
            self._now.start()

    def probe(self, x: int, y: int) -> None:
        """Measure the pixel under the cursor; the answer comes as `probed`."""
        ask = self._shown_ask()
        if ask is not None and not self.dragging:
            self._lanes["probe"].ask(lambda _cancel: self.previewer.probe(ask, x, y))

    def warm(self) -> None:
        """Load the compiled kernels behind the first picture."""
        self._lanes["warm"].ask(lambda _cancel: warm.warm())

    @property
    def is_busy(self) -> bool:
        """Whether an answer is still under way (for tests and for closing)."""
        timers = (self._now, self._rest, self._measure, self._later)
        return any(t.isActive() for t in timers) or any(n.is_busy for n in self._lanes.values())

    def close(self) -> None:
        for timer in (self._now, self._rest, self._measure, self._later):
            timer.stop()
        for lane in self._lanes.values():
            lane.close()
