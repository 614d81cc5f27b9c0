"""The right side of the room: what came of a return, how sure it is, and adopting it."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QRectF, Qt, Signal
from PySide6.QtGui import QPainter, QPaintEvent
from PySide6.QtWidgets import QWidget

from sfumato.app.controls.editor import quiet, strong
from sfumato.app.controls.rows import panel_column
from sfumato.app.guard import guarded
from sfumato.app.rooms.trip.adopting import Adopting
from sfumato.app.rooms.trip.trip_model import TripModel
from sfumato.app.theme import RADIUS, colour, instrument_colour, quiet_font
from sfumato.app.views.cube import Cube
from sfumato.core.carrier.confidence import BETWEEN, GUESSED, NAMES
from sfumato.core.measure.scopes import CubePoints
from sfumato.work.trip.examined import Examined, note_of

_PIGMENTS = ("malachite", "quiet", "cinnabar")
_A_SIDE = 13  # points of the cloud


class _Cloud(QWidget):
    """The cube: results where they rest on nodes, red where they are guessed."""

    def __init__(self) -> None:
        super().__init__()
        self._cube = Cube()
        self._points: CubePoints | None = None
        self.setFixedHeight(170)
        self.setAccessibleName("Confidence over the cube")

    def show_found(self, found: Examined | None) -> None:
        self._points = None if found is None else _points_of(found)
        self.update()

    @guarded
    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setFont(quiet_font())
        area = QRectF(self.rect())
        self._cube.paint(
            painter, area, self._points, instrument_colour("line"), instrument_colour("quiet")
        )


def _points_of(found: Examined) -> CubePoints:
    axis = np.linspace(0, 1, _A_SIDE, dtype=np.float32)
    places = np.stack(np.meshgrid(axis, axis, axis, indexing="ij"), -1).reshape(-1, 3)
    results = np.clip(found.found.transform.apply(places), 0, 1)
    rests = found.sure.of_picture(places)
    colours = (results * 255 + 0.5).astype(np.uint8)
    for kind, role in ((BETWEEN, "quiet"), (GUESSED, "cinnabar")):
        tone = instrument_colour(role)
        colours[rests == kind] = (tone.red(), tone.green(), tone.blue())
    radius = np.where(rests == GUESSED, 2.2, 1.7)
    return CubePoints(results, colours, radius)


class _Sure(QWidget):
    """Three bars: how much of the cube is measured, between nodes, guessed, and how far that may be off."""

    def __init__(self) -> None:
        super().__init__()
        self._rows: list[tuple[str, float, float, str]] = []
        self.setFixedHeight(66)

    def show_found(self, found: Examined | None) -> None:
        self._rows = []
        if found is not None:
            shares, typical = found.sure.shares, found.sure.typical
            self._rows = list(zip(NAMES, shares, typical, _PIGMENTS, strict=True))
        said = [f"{n} {s * 100:.0f} %, {t:.2g} ΔE" for n, s, t, _p in self._rows]
        self.setAccessibleName("How sure: " + "; ".join(said))
        self.update()

    @guarded
    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        right = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
        room = self.width() - 72 - 112
        for i, (name, share, typical, pigment) in enumerate(self._rows):
            y = 22 * i
            painter.setPen(colour("quiet"))
            painter.drawText(QRectF(0, y, 70, 22), Qt.AlignmentFlag.AlignVCenter, name)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(colour(pigment))
            painter.drawRoundedRect(QRectF(72, y + 6, room * share, 10), RADIUS, RADIUS)
            painter.setPen(colour("text"))
            painter.drawText(QRectF(self.width() - 112, y, 42, 22), right, f"{share * 100:.0f} %")
            painter.setPen(colour("quiet"))
            off = "–" if not share else f"{typical:.2f} ΔE" if typical >= 0.01 else "< 0.01 ΔE"
            painter.drawText(QRectF(self.width() - 68, y, 68, 22), right, off)


class AdoptPanel(QWidget):
    """`glaze_wanted()`, `look_wanted()`, `swatch_wanted()`, `file_wanted()`."""

    glaze_wanted = Signal()
    look_wanted = Signal()
    swatch_wanted = Signal()
    file_wanted = Signal()

    def __init__(self, model: TripModel) -> None:
        super().__init__()
        self._model = model
        self._count = 1
        column = panel_column(self, 250)
        column.addWidget(strong("What it became"))
        self.facts = quiet("")
        self.facts.setObjectName("trip.became")
        self.facts.setWordWrap(True)
        column.addWidget(self.facts)
        self._cloud = _Cloud()
        column.addWidget(self._cloud)
        column.addWidget(strong("How sure"))
        self._sure = _Sure()
        self._sure.setObjectName("trip.sure")
        column.addWidget(self._sure)
        self.on_shot = quiet("")
        self.on_shot.setObjectName("trip.on_shot")
        self.on_shot.setWordWrap(True)
        column.addWidget(self.on_shot)
        column.addSpacing(8)
        adopting = Adopting(
            "trip.{}",
            ("As a glaze of the Look", "Laid at the end of the Look."),
            "Any format that Convert writes, by the suffix.",
        )
        self.name, self.buttons = adopting.name, adopting.buttons
        for signal, own in (
            (adopting.glaze_wanted, self.glaze_wanted),
            (adopting.look_wanted, self.look_wanted),
            (adopting.swatch_wanted, self.swatch_wanted),
            (adopting.file_wanted, self.file_wanted),
        ):
            signal.connect(own)
        column.addWidget(adopting)
        self.note = quiet("")
        self.note.setObjectName("trip.note")
        self.note.setWordWrap(True)
        column.addWidget(self.note)
        column.addStretch(1)
        model.known.connect(self.refresh)
        model.chosen_changed.connect(self._name)
        self.refresh()

    def _name(self) -> None:
        self.name.setText(self._model.file.rpartition("/")[2].rpartition(".")[0])

    def show_count(self, count: int) -> None:
        """Say how many returns are chosen."""
        self._count = max(count, 1)
        self.refresh()

    def refresh(self) -> None:
        """Show what is known of the chosen return."""
        found, journey, back = self._model.examined, self._model.journey, self._model.back
        self._cloud.show_found(found)
        self._sure.show_found(found)
        several = self._count > 1
        ready = found is not None
        for key, button in self.buttons.items():
            button.setEnabled(ready and not (several and key == "look"))
        self.name.setEnabled(ready and not several)
        if several:
            self.name.setPlaceholderText(f"{self._count} looks, named by their files")
            self.name.clear()
        elif ready and not self.name.text():
            self._name()
        if found is None or journey is None:
            self.facts.setText("Nothing is chosen that came back." if back is None else "")
            self.on_shot.setText("")
            self.note.setText("")
            return
        table = found.found.transform.table
        size = f"LUT of {table.size} points" if table is not None else "LUT"
        ends = (
            f"{journey.encoding} to {journey.encoding}"
            if journey.encoding
            else "its ends are asked in the Look"
        )
        self.facts.setText(f"{size}, {ends}")
        if found.shot is not None:
            measured, between, guessed = (f"{100 * s:.0f} %" for s in found.shot.shares)
            rest = f"{between} lies between nodes, {guessed} is guessed"
            self.on_shot.setText(f"{measured} of {found.shot.name} was measured, {rest}.")
        else:
            self.on_shot.setText("Choose a shot in the Look room to see how sure it is there.")
        came = back.came if back is not None else ""
        self.note.setText(
            f"Kept with it: {note_of(journey if journey.path else None, found.file, came, found.found)}"
        )
