"""The Easel, its choices and readout. Not divided: every part answers to the same picture shown."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from PySide6.QtCore import QPoint, Qt, Signal
from PySide6.QtWidgets import (
    QButtonGroup,
    QHBoxLayout,
    QPushButton,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from sfumato.app.controls.chooser import Chooser
from sfumato.app.controls.editor import quiet
from sfumato.app.controls.frame_bar import FrameBar
from sfumato.app.controls.invitation import Invitation
from sfumato.app.controls.parts import part
from sfumato.app.controls.rows import as_panel
from sfumato.app.labels import Label, brief, set_tip
from sfumato.app.rooms.look.contact import Contact
from sfumato.app.rooms.look.readout import Readout
from sfumato.app.services.desk import Desk
from sfumato.app.services.study_model import StudyModel
from sfumato.app.services.view_state import MODES, ViewModel
from sfumato.app.theme import strong_font
from sfumato.app.views.easel import Easel
from sfumato.core.colour.ranges import LEGAL
from sfumato.core.errors import MediaError, SfumatoError
from sfumato.core.study.printing import NO_LIMIT
from sfumato.core.study.shot import Shot
from sfumato.media.parts.contract import FrameFacts
from sfumato.media.parts.printed import GUESSED
from sfumato.work.preview.asks import FILE, LUT, MATTE, PINNED, SIDES

_CHOOSE = "choose"  # the entry that asks for a LUT file
_MODES_SAY = {
    "one": "Side B alone.",
    "split": "Both sides, with a line between them that is dragged.",
    "side": "Both sides, one beside the other.",
    "difference": "How far the sides lie apart, in ΔE.",
    "all": "Every shot through the Look.",
}


class EaselPanel(QWidget):
    """`bring_in()`, `open_demo()`, `encoding_wanted()`, `picked(x, y)`, `remove_wanted()`."""

    bring_in = Signal()
    open_demo = Signal()
    encoding_wanted = Signal()
    guess_taken = Signal()
    doubt_dismissed = Signal()
    press_wanted = Signal()
    press_taken = Signal(str)
    picked = Signal(int, int)
    left = Signal()
    side_file_wanted = Signal(str)

    def __init__(self, model: StudyModel, view: ViewModel, desk: Desk) -> None:
        super().__init__()
        self._model, self._view, self._desk = model, view, desk
        self._fault: tuple[str, SfumatoError] | None = None
        self._facts: dict[str, FrameFacts] = {}  # of shots that were shown
        self._asks_press = False
        self.fps = 0.0
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        self._head = self._make_head()
        column.addWidget(self._head)
        self.easel = Easel()
        self.easel.setObjectName("easel")
        self.stack = QStackedWidget()
        self.stack.addWidget(self.easel)
        self.stack.addWidget(self._make_empty())
        self._broken = self._make_broken()
        self.stack.addWidget(self._broken)
        self.contact = Contact()
        self.contact.setObjectName("contact")
        self.stack.addWidget(self.contact)
        self.contact.size_changed.connect(lambda: desk.set_tile(*self.contact.tile()))
        self.contact.chosen.connect(lambda s: view.set(shot=s))
        self.contact.opened.connect(self._open_shot)
        desk.contact.connect(self.contact.show_pictures)
        column.addWidget(self.stack, 1)
        self._ask_bar = self._make_ask()
        column.addWidget(self._ask_bar)
        self._frames = self._make_frames()
        column.addWidget(self._frames)
        self._readout = Readout()
        column.addWidget(self._readout)
        self.easel.geometry_changed.connect(self._send_geometry)
        self._hover: tuple[int, int] | None = None
        self.easel.hovered.connect(self._on_hovered)
        self.easel.left.connect(self._clear_readout)
        self.easel.left.connect(self.left)
        self.easel.picked.connect(self.picked)
        self.easel.split_moved.connect(lambda s: view.set(split=s))
        desk.shown.connect(self._on_shown)
        desk.probed.connect(self._readout.show_probe)
        desk.failed.connect(self._on_failed)
        model.changed.connect(lambda _b, _a: self.refresh())
        view.changed.connect(lambda _b, _a: self.refresh())
        self.refresh()

    # --- parts -----------------------------------------------------------------------------------
    def _make_head(self) -> QWidget:
        head = QWidget()
        as_panel(head, height=36)
        row = QHBoxLayout(head)
        row.setContentsMargins(10, 0, 10, 0)
        self.sides: dict[str, Chooser] = {}
        letters = {}
        for side in ("a", "b"):
            letter = Label(side.upper())
            letter.setFont(strong_font())
            letter.setProperty("pigment", "yellow" if side == "b" else "")
            letters[side] = letter
            box = Chooser()
            box.setObjectName(f"side.{side}")
            box.setAccessibleName(f"Side {side.upper()}")
            set_tip(
                box,
                f"What side {side.upper()} of the Easel shows; a LUT file that is dropped here, too.",
            )
            box.activated.connect(lambda _i, s=side: self._choose_side(s))
            box.setMinimumWidth(150)
            self.sides[side] = box
        row.addWidget(letters["a"])
        row.addWidget(self.sides["a"])
        row.addStretch(1)
        self._modes = QButtonGroup(self)
        for mode, title in MODES.items():
            button = QPushButton(title)
            button.setObjectName(f"mode.{mode}")
            set_tip(button, _MODES_SAY[mode])
            button.setProperty("flat", True)
            button.setCheckable(True)
            button.setMinimumWidth(46)
            button.clicked.connect(lambda _on, m=mode: self._view.set(mode=m))
            self._modes.addButton(button)
            row.addWidget(button)
        row.addStretch(1)
        row.addWidget(self.sides["b"])
        row.addWidget(letters["b"])
        return head

    def _choose_side(self, side: str) -> None:
        key = self.sides[side].currentData()
        if key == _CHOOSE:
            self._fill_sides()
            self.side_file_wanted.emit(side)
        else:
            self._view.set(**{side: key})

    def side_at(self, at: QPoint) -> str:
        """Return the side whose half of the head a place of this panel lies in, "" = none."""
        if not self._head.geometry().contains(at):
            return ""
        return "a" if at.x() < self.width() / 2 else "b"

    def _make_empty(self) -> QWidget:
        bring = QPushButton("Bring in pictures…")
        bring.setObjectName("empty.bring_in")
        bring.setProperty("main", True)
        bring.clicked.connect(self.bring_in)
        demo = QPushButton("Open the demo study")
        demo.setObjectName("empty.demo")
        demo.clicked.connect(self.open_demo)
        return Invitation(
            "Bring in a picture",
            "Drop a still or a clip here. Put it right in the Ground, build the Look, then export the Look "
            "as a LUT and see it proved.",
            bring,
            demo,
        )

    def _make_broken(self) -> Invitation:
        again = QPushButton("Try again")
        again.clicked.connect(self._try_again)
        broken = Invitation("", "", again, size=15, guided=False)
        broken.words.setObjectName("broken.words")
        return broken

    def _make_ask(self) -> QWidget:
        """The line that asks for an encoding that the file does not state."""
        bar = QWidget()
        as_panel(bar)
        row = QHBoxLayout(bar)
        row.setContentsMargins(12, 4, 10, 4)
        self._ask_words = Label()
        self._ask_words.setObjectName("ask.words")
        self._ask_words.setProperty("pigment", "cinnabar")
        self._ask_words.setWordWrap(True)
        row.addWidget(self._ask_words, 1)
        self._ask_take = QPushButton()
        self._ask_take.setObjectName("ask.take")
        self._ask_take.clicked.connect(self._take)
        row.addWidget(self._ask_take)
        self._ask_believe = QPushButton("It is right")
        self._ask_believe.setObjectName("ask.believe")
        self._ask_believe.clicked.connect(self._believe)
        row.addWidget(self._ask_believe)
        self._ask_encoding = QPushButton("Choose its encoding…")
        self._ask_encoding.setObjectName("ask.encoding")
        self._ask_encoding.clicked.connect(self.encoding_wanted)
        row.addWidget(self._ask_encoding)
        self._ask_press = QPushButton("Choose its profile…")
        self._ask_press.setObjectName("ask.press")
        self._ask_press.clicked.connect(self.press_wanted)
        row.addWidget(self._ask_press)
        return bar

    def _make_frames(self) -> QWidget:
        """The line of frames, for clips."""
        bar = QWidget()
        as_panel(bar, height=30)
        row = QHBoxLayout(bar)
        row.setContentsMargins(12, 0, 12, 0)
        row.setSpacing(8)
        self.play = QPushButton("Play")
        self.play.setObjectName("clip.play")
        self.play.setProperty("flat", True)
        self.play.setFixedWidth(60)
        set_tip(self.play, "Play the shot through the Look; frames are dropped to keep its time.")
        self.bar = FrameBar()
        self.bar.setObjectName("clip.frames")
        self._frame_words = quiet("")
        self._frame_words.setObjectName("clip.words")
        self._frame_words.setFixedSize(190, 20)
        self._frame_words.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        row.addWidget(self.play)
        row.addWidget(self.bar, 1)
        row.addWidget(self._frame_words)
        bar.hide()
        return bar

    def _show_clipping(self) -> None:
        """Say how much of side B is clipped or crushed, while that is marked."""
        view, easel = self._view, self.easel
        words = list[str]()
        is_marked = view.now.mode not in ("difference", "all")
        if is_marked and view.now.clipping:
            high, low = easel.clipped_shares
            names = ("above legal", "below legal") if view.now.limits else ("clipped", "crushed")
            words = [f"{names[0]} {high * 100:.1f} %", f"{names[1]} {low * 100:.1f} %"]
            if easel.over_share is not None and easel.outside_share is not None:
                limit = self._model.study.printing.ink_limit
                words = [f"not in ink {easel.outside_share * 100:.1f} %"]
                if limit < NO_LIMIT:
                    words.append(f"over {limit:.0f} % of ink {easel.over_share * 100:.1f} %")
            elif easel.outside_share is not None:
                words.append(f"out of gamut {easel.outside_share * 100:.1f} %")
        if is_marked and view.now.band is not None:
            words.append(f"in the band {easel.band_share * 100:.1f} %")
        self._readout.say_clipping(" · ".join(words))

    def show_rate(self, fps: float) -> None:
        """Say how many frames a second are really shown."""
        self.fps = fps

    def _show_frames(self, shown: Any) -> None:
        """Show the frames of a clip, and which of them this is."""
        shot, facts = shown.ask.shot, shown.facts
        is_clip = facts is not None and facts.frames > 1
        self._frames.setVisible(is_clip)
        if not is_clip:
            return
        self.bar.show_frames(facts.frames, shot.frame, shot.first, shot.last)
        seconds, rest = divmod(shot.frame, round(facts.rate) or 25)
        words = f"frame {shot.frame + 1} of {facts.frames} · {seconds // 60:02d}:{seconds % 60:02d}:{rest:02d}"
        if self._view.now.play is None:
            self.play.setText("Play")
        else:
            self.play.setText("Pause")
            words = f"{words} · {self.fps:.1f} fps" if self.fps else words
        self._frame_words.setText(words)

    # --- showing ---------------------------------------------------------------------------------
    def refresh(self) -> None:
        shot = self._desk.shot
        view = self._view
        self._fill_sides()
        for mode in MODES:
            part(self, QPushButton, f"mode.{mode}").setChecked(view.now.mode == mode)
        alone = view.now.mode in ("one", "all")
        self.sides["a"].setEnabled(not alone)
        self.sides["b"].setEnabled(view.now.mode != "all")
        easel = self.easel
        easel.picking = bool(view.now.picking)
        limits = LEGAL if view.now.limits else (0.0, 1.0)
        easel.show_clipping(view.now.clipping, limits)
        easel.show_band(view.now.band, self._model.study.view.encoding)
        self._show_clipping()
        look = (view.now.mount, view.now.split, view.now.split_across)
        if look != (easel.mount, easel.split, easel.across):
            easel.mount, easel.split, easel.across = look
            easel.update()
        mode = "one" if view.now.mode == "all" else view.now.mode
        if easel.mode != mode:
            easel.set_mode(mode)
        self._show_ask(shot)
        if shot is None:
            self.easel.show_nothing()
            self.stack.setCurrentIndex(1)
        elif self._fault is not None and self._fault[0] == shot.id:
            self.stack.setCurrentIndex(2)
        elif view.now.mode == "all":
            self.contact.mount = view.now.mount
            shots = self._model.study.shots
            self.contact.show_shots(shots, shot.id, view.now.marked_shots)
            self.stack.setCurrentIndex(3)
            self._desk.set_tile(*self.contact.tile())
        else:
            self.stack.setCurrentIndex(0)
        self._show_zoom()

    def _show_ask(self, shot: Shot | None) -> None:
        """Ask for an encoding that is not stated, or that the numbers contradict."""
        doubt = self._desk.strip.doubt(shot) if shot is not None else None
        found = self._desk.strip.guess(shot) if shot is not None else None
        unknown = shot is not None and shot.encoding is None
        self._asks_press = self._is_of_no_press(shot)
        self._ask_press.setVisible(self._asks_press)
        self._ask_encoding.setVisible(not self._asks_press)
        if shot is not None and self._asks_press:
            self._ask_bar.show()
            press = Path(self._model.study.printing.press).name  # what is likely
            self._ask_take.setVisible(bool(press))
            self._ask_take.setText(f"Take {brief(press)}")
            self._ask_believe.show()
            self._ask_words.setText(
                f"{shot.name} is in CMYK and has no profile: its inks are taken as of the Saltglass press."
            )
            return
        self._ask_bar.setVisible(unknown or doubt is not None)
        if shot is None or not (unknown or doubt):
            return
        self._ask_believe.setVisible(not unknown)
        self._ask_take.setVisible(found is not None)
        why = ""
        if found is not None:
            why = f" It looks like {found.name}: {found.evidence}."
            self._ask_take.setText(f"Take {brief(found.name)}")
        if unknown:
            working = self._model.study.working
            text = f"{shot.name} does not say what its encoding is: its numbers are taken as {working}."
        else:
            text = f"{shot.name} is taken as {shot.encoding}."
        self._ask_words.setText(text + why)

    def _is_of_no_press(self, shot: Shot | None) -> bool:
        """Whether inks are shown of which nobody has said what press they are of."""
        facts = self._facts.get(shot.id) if shot is not None and shot.press is None else None
        return facts is not None and facts.evidence.startswith(GUESSED)

    def _believe(self) -> None:
        if self._asks_press:
            self.press_taken.emit("")
        else:
            self.doubt_dismissed.emit()

    def _take(self) -> None:
        if self._asks_press:
            self.press_taken.emit(self._model.study.printing.press)
        else:
            self.guess_taken.emit()

    def _open_shot(self, shot_id: str) -> None:
        """Leave the view of all shots for one of them."""
        self._view.set(shot=shot_id, mode="one")
        self.easel.setFocus()

    def take_focus(self) -> None:
        """Give the keyboard to the Easel, or to the first thing to do when there is no picture."""
        first = part(self, QPushButton, "empty.bring_in")
        (self.easel if self._desk.shot is not None else first).setFocus()

    def _fill_sides(self) -> None:
        grid, now = self._model.study.grid, self._view.now
        for side, box in self.sides.items():
            wanted = {
                key: f"{title}, {grid} points" if key == LUT else title
                for key, title in SIDES.items()
                if (key != FILE or self._view.now.exported is not None)
                and (key != MATTE or self._view.now.coat)
                and (key != PINNED or (side == "a" and self._view.now.pinned))
            }
            wanted |= {key: seen.name for key, seen in now.others.items()}
            wanted[_CHOOSE] = "A LUT file…"
            if [box.itemText(i) for i in range(box.count())] != list(wanted.values()):
                box.clear()
                for key, title in wanted.items():
                    box.addItem(title, key)
            box.setCurrentIndex(max(0, box.findData({"a": now.a, "b": now.b}[side])))

    def _on_shown(self, shown: Any) -> None:
        shot = self._desk.shot
        if shot is None or shown.ask.shot.id != shot.id:
            return
        if self._fault is not None:
            self._fault = None
            self.refresh()
        if shown.facts is not None and self._facts.get(shot.id) != shown.facts:
            self._facts[shot.id] = shown.facts
            self._show_ask(shot)
        self.easel.show_picture(shown.size)
        self._show_frames(shown)
        self.easel.show_answer(shown)
        self._show_clipping()
        self._show_zoom()
        if self._hover is not None and not shown.ask.dragging:
            self._desk.probe(*self._hover)

    def _on_failed(self, shot_id: str, error: SfumatoError) -> None:
        shot = self._desk.shot
        if shot is None or shot.id != shot_id:
            return
        if not isinstance(error, MediaError):
            return
        self._fault = (shot_id, error)
        words = f"{error.where}\n{error.summary}; {error.hint}."
        self._broken.say(f"{shot.name} cannot be shown", words)
        self.refresh()

    def _try_again(self) -> None:
        self._fault = None
        self.refresh()
        self._desk.refresh()

    def _send_geometry(self) -> None:
        if self.easel.picture[0]:
            self._desk.set_geometry(*self.easel.wanted(), self.easel.devicePixelRatioF())
        self._show_zoom()

    def _show_zoom(self) -> None:
        if not self.easel.picture[0] or self._view.now.mode == "all":
            self._readout.say_view("", "", "")
            return
        brief, full = self._desk.screen_words
        tip = f"{full}. The numbers and the instruments are the View's."
        how = "fit · " if self.easel.zoom is None else ""
        w, h = self.easel.picture
        zoom = f"{how}{self.easel.scale() * 100:.0f} %  {w} × {h}"
        self._readout.say_view(brief, tip, zoom)

    def _on_hovered(self, x: int, y: int) -> None:
        self._hover = (x, y)
        self._desk.probe(x, y)

    def _clear_readout(self) -> None:
        self._hover = None
        self._readout.clear_probe()
