"""Painting on a still: the chosen layer, the brush, the stroke under the hand; every stroke is one undo step."""

from __future__ import annotations

from typing import Any

import attrs
from PySide6.QtCore import QObject, Signal

from sfumato.app.services.desk import Desk
from sfumato.app.services.jobs import Lane, Turn, single_shot
from sfumato.app.services.notices import Notices
from sfumato.app.services.view_state import ViewState
from sfumato.core.arrays import Array
from sfumato.core.controls import LutFile
from sfumato.core.errors import SfumatoError, ValueRefused
from sfumato.core.study.coat import Coat, new_coat
from sfumato.core.study.mask import Brush, Gradient, Inverted, Mark, Mask, Point, Rect, Stroke
from sfumato.core.study.shot import Layer, Shot
from sfumato.core.study.study import Study
from sfumato.work.cancel import Cancel
from sfumato.work.frames import WHOLE, Region
from sfumato.work.preview.painting import Canvas, CanvasAsk
from sfumato.work.stores.coats import values_in

_LEAST_STEP = 1 / 40  # of the brush
BRUSH, GRADIENT = "brush", "gradient"
_Laid = tuple[Canvas, dict[int, tuple[int, Stroke]], list[tuple[Rect, Array]]]


class PaintModel(QObject):
    """Says what changes: `canvas_changed(Canvas)`, `repaired(rect, pixels)`, `chosen_changed()` (shot, layer,
    brush or tool).

    Strokes are laid by a worker, the only one that changes a canvas: below a large brush with layers
    above it takes 400 ms, and the hand goes on meanwhile.
    """

    canvas_changed = Signal(object)
    repaired = Signal(object, object)
    chosen_changed = Signal()

    def __init__(
        self, desk: Desk, notices: Notices, room: str, parent: QObject | None = None
    ) -> None:
        super().__init__(parent)
        self._room = room
        self._desk, self._model, self._notices = desk, desk.model, notices
        self.shot_id = ""
        self.layer = 0  # 0 is the Look's mask
        self.brush = Brush()
        self.tool = BRUSH
        self.canvas: Canvas | None = None
        self._points: list[Point] = []
        self._unlaid: dict[int, tuple[int, Stroke]] = {}  # by its number: a stroke's step
        self.shows_mask = False
        self._strokes, self._is_stroke = 0, False  # so many were laid; one is being kept
        self._geometry: tuple[int, int, Region] = (640, 360, WHOLE)
        self._lane = Lane("paint", self)
        self._lane.answered.connect(self._on_canvas)
        self._lane.refused.connect(notices.fault)
        self._lane.crashed.connect(notices.bug)
        self._hand = Lane("brush", self, turn=Turn.FIRST)
        self._hand.answered.connect(self._on_laid)
        self._hand.crashed.connect(notices.bug)
        self._later = single_shot(self, desk.rests.picture, self._ask)
        self._model.changed.connect(self._on_changed)
        desk.view.changed.connect(self._on_view)
        desk.screen_changed.connect(self._later.start)

    # --- what is painted on --------------------------------------------------------------------------
    @property
    def shot(self) -> Shot | None:
        return next((s for s in self._model.study.shots if s.id == self.shot_id), None)

    @property
    def mask(self) -> Mask:
        """The mask of the chosen layer."""
        shot = self.shot
        if shot is None:
            return Mask()
        return shot.layers[self.layer - 1].mask if 0 < self.layer <= len(shot.layers) else shot.mask

    @property
    def is_busy(self) -> bool:
        return self._lane.is_busy or self._hand.is_busy or self._later.isActive()

    def open(self, shot_id: str) -> None:
        """Begin with a still; "" ends."""
        self.shot_id, self.layer, self.canvas = shot_id, 0, None
        self._points = []
        self._later.stop()
        self._lane.drop()
        self._let_go()
        self.chosen_changed.emit()
        if shot_id:
            self._ask()

    def set_geometry(self, width: int, height: int, region: Region) -> None:
        """Say how large the picture is seen, in device pixels, and which part of it."""
        if (width, height, region) != self._geometry:
            self._geometry = width, height, region
            if self.shot_id:
                self._later.start()

    def _ask(self) -> None:
        shot = self.shot
        if shot is None or self._points:
            return  # a stroke is under way: asked again when it ends
        if self._desk.view.now.room != self._room:
            return  # not seen: asked on coming back
        ask = CanvasAsk(self._model.study, shot, *self._geometry)
        previewer, strokes = self._desk.previewer, self._strokes
        # Patient: while a number is dragged the running one is finished, and shown.
        self._lane.ask(lambda cancel: (strokes, Canvas(previewer, ask, cancel)), patient=True)

    def _on_canvas(self, answer: tuple[int, Canvas]) -> None:
        strokes, canvas = answer
        if self._points or strokes != self._strokes or canvas.ask.shot.id != self.shot_id:
            self._later.start()  # it does not know what was painted meanwhile
            return
        self._let_go()
        self.canvas = canvas
        self.canvas_changed.emit(canvas)

    def _on_view(self, before: ViewState, after: ViewState) -> None:
        if before.room != after.room and self.shot_id:
            if after.room != self._room and not self._points:
                self.canvas = None  # some ten pictures of floats; made anew on coming back
            self._later.start()

    def _on_changed(self, _before: Study, _after: Study) -> None:
        if not self.shot_id:
            return
        shot = self.shot
        if shot is None:
            self.open("")
            return
        self.layer = min(self.layer, len(shot.layers))
        self.chosen_changed.emit()
        if self._is_stroke:
            self._later.start()  # the canvas has it already
        else:
            self._ask()

    # --- the hand ------------------------------------------------------------------------------------
    @property
    def is_painting(self) -> bool:
        return bool(self._points)

    def begin(self, x: float, y: float, pressure: float) -> None:
        """Put the brush down, places in shares of the picture."""
        if self.canvas is None:
            return
        if self.canvas.step_of(self.layer) is None:
            self._notices.note("this layer does nothing yet", "switch it on, or choose its LUT")
            return
        self._points = [(x, y, pressure)]
        self._lay()

    def move(self, x: float, y: float, pressure: float) -> None:
        """Go on with the stroke, or pull the end of the gradient."""
        if not self._points:
            return
        point = (x, y, pressure)
        if self.tool == GRADIENT:
            self._points = [self._points[0], point]
        elif self._is_far(point):
            self._points.append(point)
            self._lay()

    def _is_far(self, point: Point) -> bool:
        """Whether a point adds to the stroke: a hand at rest, or a tiny step, does not."""
        if self.canvas is None:
            return False
        sheet = self.canvas.sheets[0]
        longer = max(sheet.width, sheet.height)
        before = self._points[-1]
        dx = (point[0] - before[0]) * sheet.width / longer
        dy = (point[1] - before[1]) * sheet.height / longer
        return bool((dx * dx + dy * dy) ** 0.5 > self.brush.size / 100 * _LEAST_STEP)

    def _lay(self) -> None:
        if self.tool == GRADIENT or self.canvas is None:
            return
        step = self.canvas.step_of(self.layer)
        if step is None:
            return
        self._unlaid[self._strokes] = step, Stroke(self.brush, tuple(self._points))
        canvas, strokes = self.canvas, dict(self._unlaid)
        masked = self.step if self.shows_mask else None

        def work(_cancel: Cancel) -> _Laid:
            parts = []
            for number, (on, stroke) in strokes.items():
                rect = canvas.lay(on, stroke, number)
                if rect is not None:
                    parts.append((rect, canvas.part(rect, masked)))
            return canvas, strokes, parts

        self._hand.ask(work, patient=True)

    def _on_laid(self, answer: _Laid) -> None:
        canvas, strokes, parts = answer
        if canvas is not self.canvas:
            return
        for number, laid in strokes.items():
            if self._unlaid.get(number) is laid:
                del self._unlaid[number]
        for rect, pixels in parts:
            self.repaired.emit(rect, pixels)

    def _let_go(self) -> None:
        """Lay no more of what is still to be laid on this canvas."""
        self._hand.drop()
        self._unlaid.clear()

    @property
    def pulled(self) -> tuple[Point, Point] | None:
        """The ends of the gradient under the hand."""
        if self.tool == GRADIENT and len(self._points) == 2:
            return self._points[0], self._points[1]
        return None

    def end(self) -> None:
        """Lift the brush: what was painted is one step that can be undone."""
        points, self._points = self._points, []
        if not points:
            return
        mark: Mark | None = Stroke(self.brush, tuple(points))
        words = "Erase" if self.brush.erase else "Paint"
        if self.tool == GRADIENT:
            words = "Erase along a gradient" if self.brush.erase else "Lay a gradient"
            (x0, y0, _p), (x1, y1, _q) = points[0], points[-1]
            far = (x0, y0) != (x1, y1)
            mark = Gradient((x0, y0), (x1, y1), self.brush.erase) if far else None
        if mark is not None:
            self._strokes += 1
            self._is_stroke = isinstance(mark, Stroke)
            self._mark(words, mark)
            self._is_stroke = False
        self._later.start()

    def give_up(self) -> None:
        """Let the stroke under the hand go, as if it had never begun."""
        if self._points:
            self._points = []
            self._strokes += 1  # a canvas that has some of it is not shown
            self._let_go()
            self._ask()

    # --- edits ---------------------------------------------------------------------------------------
    def _mark(self, words: str, mark: Mark) -> None:
        try:
            self._set_mask(words, self.mask.marked(mark))
        except ValueRefused as error:
            self._notices.fault(error)

    def _set_mask(self, words: str, mask: Mask) -> None:
        if self.layer == 0:
            self._commit(words, mask=mask)
        else:
            self._set_layer(words, mask=mask)

    def _set_layer(self, words: str, key: Any = None, **values: Any) -> None:
        shot = self.shot
        if shot is None:
            return
        layers = list(shot.layers)
        layers[self.layer - 1] = attrs.evolve(layers[self.layer - 1], **values)
        self._commit(words, key, layers=tuple(layers))

    def _commit(self, words: str, key: Any = None, **values: Any) -> None:
        if self.shot is not None:
            study = self._model.study.with_shot(self.shot_id, **values)
            self._model.commit(words, study, key)

    def invert(self) -> None:
        self._mark("Invert the mask", Inverted())

    def fill(self, full: bool) -> None:
        """Let the layer act everywhere, or nowhere."""
        self._set_mask("Mask everywhere" if full else "Clear the mask", Mask(full))

    def choose(self, layer: int) -> None:
        if layer != self.layer:
            self.layer = layer
            self.chosen_changed.emit()

    def set_brush(self, brush: Brush) -> None:
        if brush != self.brush:
            self.brush = brush
            self.chosen_changed.emit()

    def resize(self, steps: int) -> None:
        """Make the brush larger or smaller by so many tenths."""
        size = min(max(self.brush.size * 1.1**steps, 0.2), 100.0)
        self.set_brush(attrs.evolve(self.brush, size=round(size, 2)))

    def set_tool(self, tool: str) -> None:
        self.give_up()
        self.tool = tool
        self.chosen_changed.emit()

    @property
    def coat(self) -> Coat | None:
        """The LUT of the chosen layer, None for the Look."""
        shot = self.shot
        if shot is None or not 0 < self.layer <= len(shot.layers):
            return None
        return shot.layers[self.layer - 1].coat

    def set_coat(self, words: str, key: Any = None, **values: Any) -> None:
        """Set Strength, laying, on or parameters of the chosen layer's LUT."""
        coat = self.coat
        if coat is not None:
            self._set_layer(words, key, coat=attrs.evolve(coat, **values))

    def end_gesture(self) -> None:
        self._model.end_gesture()

    def add(self, lut: LutFile) -> None:
        """Lay a LUT over what is there; its mask begins empty."""
        shot = self.shot
        if shot is None:
            return
        try:
            coat = new_coat("lut", **values_in(lut, self._model.study))
        except SfumatoError as error:
            self._notices.fault(error)
            return
        layers = (*shot.layers, Layer(coat))
        self.layer = len(layers)
        self._commit("Add a layer", layers=layers)

    def remove(self) -> None:
        shot = self.shot
        if shot is not None and self.layer:
            gone = self.layer - 1
            self._commit("Remove the layer", layers=shot.layers[:gone] + shot.layers[gone + 1 :])

    def shift(self, step: int) -> None:
        """Move the chosen layer over (1) or under (-1) its neighbour."""
        shot = self.shot
        if shot is None or not self.layer or not 1 <= self.layer + step <= len(shot.layers):
            return
        layers = list(shot.layers)
        layers.insert(self.layer - 1 + step, layers.pop(self.layer - 1))
        self.layer += step
        self._commit("Move the layer", layers=tuple(layers))

    @property
    def step(self) -> int | None:
        """The canvas's step of the chosen layer."""
        return None if self.canvas is None else self.canvas.step_of(self.layer)

    def close(self) -> None:
        self._later.stop()
        self._lane.close()
        self._hand.close()
