"""Under the screen of the device: how it is used, recording, the waveform, and the proof."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QVBoxLayout, QWidget

from sfumato.app.controls.bars import Bar, Bars
from sfumato.app.controls.editor import quiet, strong
from sfumato.app.controls.editors import NumberEditor
from sfumato.app.controls.rows import as_panel
from sfumato.app.guard import guarded
from sfumato.app.images import image_of
from sfumato.app.labels import Label
from sfumato.app.rooms.bench.big_button import BigButton
from sfumato.app.rooms.bench.monitor_model import MonitorModel
from sfumato.app.theme import instrument_colour, quiet_font
from sfumato.core.arrays import Array
from sfumato.core.bench.monitor import HALF, RECORDING, SCREEN, USES
from sfumato.core.controls import Number

_PIGMENTS = {SCREEN: "azurite", RECORDING: "cinnabar", HALF: "text"}
_ZEBRA = Number(
    title="Zebra",
    least=0,
    most=109,
    step=1,
    digits=0,
    unit="%",
    help="Stripes lie on luma from this level on, per cent of black to white; 0 for none.",
)
_SHARES = {
    "interpolation": "between the nodes",
    "lattice": "whole numbers",
    "bits": "10 bit signal",
    "sampling": "4:2:2",
    "codec": "codec",
}
# Of 960 x 540, on the demo's richest clip: jetty and causeway take two thirds of it.
_MB_A_MINUTE = {"ProRes": 483.0, "FFV1": 554.0}


class Trace(QWidget):
    """The waveform of what leaves the device, and the level of the zebra on it."""

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("bench.waveform")
        self.setAccessibleName("Waveform of what leaves the device")
        self.setMinimumHeight(90)
        self._data: Array | None = None
        self._zebra = 0.0

    def show_data(self, data: Array | None, zebra: float) -> None:
        self._data, self._zebra = data, zebra
        self.update()

    @guarded
    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        box = QRectF(self.rect()).adjusted(34, 6, -8, -6)
        painter.setFont(quiet_font())
        if self._data is not None:
            painter.drawImage(box, image_of(self._data))
        painter.setCompositionMode(QPainter.CompositionMode.CompositionMode_Lighten)
        for level in (0, 50, 100):
            y = box.bottom() - level / 100 * box.height()
            painter.setPen(instrument_colour("line"))
            painter.drawLine(QPointF(box.left(), y), QPointF(box.right(), y))
            painter.setPen(instrument_colour("quiet"))
            room = QRectF(0, y - 8, 28, 16)
            painter.drawText(
                room, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, f"{level}"
            )
        if self._zebra:
            y = box.bottom() - min(self._zebra, 100) / 100 * box.height()
            painter.setPen(QPen(instrument_colour("yellow"), 1, Qt.PenStyle.DashLine))
            painter.drawLine(QPointF(box.left(), y), QPointF(box.right(), y))


class MonitorBelow(QWidget):
    """`used(key)`, `zebra_moved(level)`, `released()`, `record_wanted()`."""

    used = Signal(str)
    zebra_moved = Signal(float)
    released = Signal()
    record_wanted = Signal()

    def __init__(self, model: MonitorModel) -> None:
        super().__init__()
        self._model = model
        as_panel(self)
        column = QVBoxLayout(self)
        column.setContentsMargins(16, 12, 16, 12)
        column.setSpacing(10)
        column.addLayout(self._make_uses())
        grid = QGridLayout()
        grid.setHorizontalSpacing(14)
        grid.addWidget(self._make_waveform(), 0, 0)
        grid.addWidget(self._make_proof(), 0, 1)
        grid.setColumnStretch(0, 1)
        grid.setColumnStretch(1, 1)
        column.addLayout(grid, 1)
        for signal in (model.known, model.recording_changed, model.screened, model.proved):
            signal.connect(self.refresh)
        model.recorder.told.connect(self._tell)
        self.refresh()

    def _make_uses(self) -> QHBoxLayout:
        row = QHBoxLayout()
        row.setSpacing(10)
        self.uses: dict[str, BigButton] = {}
        for key, (title, words) in USES.items():
            button = BigButton(f"bench.use.{key}", title, words, _PIGMENTS[key])
            button.clicked.connect(lambda _on, k=key: self.used.emit(k))
            self.uses[key] = button
            row.addWidget(button, 3)
        self.record = BigButton("bench.record", "Record", "", "cinnabar", mark=True)
        self.record.clicked.connect(self.record_wanted)
        row.addSpacing(10)
        row.addWidget(self.record, 2)
        return row

    def _make_waveform(self) -> QWidget:
        box = QWidget()
        column = QVBoxLayout(box)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        row = QHBoxLayout()
        row.addWidget(quiet("What leaves it, waveform"), 1)
        self.over = quiet("")
        self.over.setObjectName("bench.over")
        row.addWidget(self.over)
        column.addLayout(row)
        self.trace = Trace()
        column.addWidget(self.trace, 1)
        self.zebra = NumberEditor("zebra", _ZEBRA, 95.0)
        self.zebra.edited.connect(lambda _field, value: self.zebra_moved.emit(value))
        self.zebra.released.connect(self.released)
        column.addWidget(self.zebra)
        return box

    def _make_proof(self) -> QWidget:
        box = QWidget()
        column = QVBoxLayout(box)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        column.addWidget(quiet("Against the exact look of the file, on this frame"))
        self.mean = strong("")
        self.mean.setObjectName("bench.mean")
        column.addWidget(self.mean)
        self.shares = Bars("bench.shares", "What adds to the difference", 128)
        column.addWidget(self.shares)
        self.warning = Label("")
        self.warning.setObjectName("bench.warning")
        self.warning.setWordWrap(True)
        column.addWidget(self.warning)
        column.addStretch(1)
        return box

    # --- what is shown ---------------------------------------------------------------------------
    def refresh(self) -> None:
        """Show how the device is used and what it makes of the frame."""
        model, rig, shown = self._model, self._model.rig, self._model.shown
        is_on = rig is not None and rig.state.is_on
        for key, button in self.uses.items():
            button.setChecked(rig is not None and rig.state.use == key)
            button.setEnabled(is_on and not model.is_recording)
        self.zebra.setEnabled(is_on)
        self.record.setEnabled(is_on and model.feed is not None)
        self.record.setChecked(model.is_recording)
        if not model.is_recording:
            self.record.show_words("Record", self._where())
        zebra = rig.state.zebra if rig is not None else 0.0
        if rig is not None:
            self.zebra.show_record(rig.state)
        if shown is None or not is_on or shown.waveform is not None:
            self.trace.show_data(shown.waveform if shown is not None else None, zebra)
        over = 100 * shown.share_over if shown is not None and is_on else 0.0
        self.over.setText(f"{over:.1f} % over {zebra:.0f}" if zebra and is_on else "")
        self._show_proof()

    def _where(self) -> str:
        rig = self._model.rig
        if rig is None or rig.card is None:
            return "into the device"
        minutes = self._model.room / 1e6 / _MB_A_MINUTE[rig.monitor.codec]
        left = f"{minutes:.0f} min" if minutes >= 2 else f"{60 * minutes:.0f} s"
        return f"{rig.card.name}: about {left}"

    def _tell(self, words: str) -> None:
        if self._model.is_recording:
            self.record.show_words("Stop", f"recording, {words}")

    def _show_proof(self) -> None:
        rig, found = self._model.rig, self._model.proof
        place = rig.place if rig is not None else None
        burns = rig is not None and rig.state.use == RECORDING and place is not None
        self.warning.setText(
            f"{place.name} goes into the recording, and cannot be taken out of it again."
            if burns and place is not None
            else ""
        )
        self.warning.setVisible(burns)
        if found is None:
            words = (
                "The place is empty: the picture stays natural." if place is None else "measuring …"
            )
            if rig is not None and not rig.state.is_on:
                words = "Switched off."
            self.mean.setText(words)
            self.shares.show_rows(())
            return
        off = found.off
        self.mean.setText(
            f"{off.mean:.2f} ΔE mean   {off.p99:.2f} at 99 %   {off.worst:.1f} at worst"
        )
        most = max(max(abs(v) for _n, v in found.shares), 1e-6)
        self.shares.show_rows(
            tuple(
                Bar(
                    _SHARES[name],
                    max(value, 0) / most,
                    f"{value:+.2f}",
                    "yellow" if value == max(v for _n, v in found.shares) else "malachite",
                )
                for name, value in found.shares
            )
        )
