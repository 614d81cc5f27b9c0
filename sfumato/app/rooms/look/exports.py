"""The LUT of the Look as a file, and the proof of it."""

from __future__ import annotations

import json
from pathlib import Path

import attrs
from PySide6.QtCore import QObject, Qt

from sfumato.app.rooms.look.export_sheet import ExportAsk, ExportSheet, ExportWish
from sfumato.app.rooms.look.seal import Seal, loss_words
from sfumato.app.services.services import Services
from sfumato.core.errors import SfumatoError, ValueRefused
from sfumato.core.lut.bake import baked
from sfumato.core.lut.transform import Transform
from sfumato.core.path.path import SPANS, span_names, span_sentence, span_title
from sfumato.core.study.coat import every
from sfumato.core.study.study import Study
from sfumato.work.cancel import Cancel, Progress
from sfumato.work.luts.deliver import REFUSE, REPLACE, Delivered
from sfumato.work.luts.proof import GridLoss, Yardstick, smallest_grid
from sfumato.work.luts.target import Target, held, options_for
from sfumato.work.outlets.forms.lut_file import delivered, outlet_of
from sfumato.work.outlets.order import Order
from sfumato.work.preview.asks import EXACT, FILE

_TRIED = 9  # points of the lattice on which formats are asked what they would lose


def kept(target: Target) -> str:
    """Return the choices of an export as they are kept between sessions."""
    return json.dumps(attrs.asdict(attrs.evolve(target, grid=None, domain=None)))


def remembered(text: str) -> Target:
    """Return the choices of the last export; a cube file where there are none that hold."""
    try:
        plain = json.loads(text)
        target = Target(**plain)
        return target if target.depth_written and target.spec.write is not None else Target("cube")
    except (ValueError, TypeError, KeyError, ValueRefused):
        return Target("cube")


def _lost(plain: Transform, target: Target) -> tuple[str, ...]:
    """Say what a file of a target would not keep of a lattice; why not, behind "!", where it cannot be."""
    spec = target.spec
    if spec.bakes:
        return spec.not_kept(plain, options_for(target, plain))
    try:
        found = held(plain, target)
    except ValueRefused as error:
        return (f"!{error.summary}",)
    return (*found.said, *spec.not_kept(found.transform, options_for(target, found.transform)))


class Exports(QObject):
    """Writes the Look and remembers the last proof."""

    def __init__(self, services: Services, seal: Seal) -> None:
        super().__init__(services.window)
        self.services, self._seal = services, seal
        self.model, self.view, self.desk = services.model, services.view, services.desk
        self.notices = services.notices
        self.proof: Delivered | None = None

    def _take_span(self, key: str) -> None:
        study = self.model.study
        span = next(c for c in SPANS if c.key == key).span(study, self.desk.shot)
        if span != study.span:
            self.model.commit("Change the Span", attrs.evolve(study, span=span))

    def span_camera(self) -> None:
        self._take_span("camera")

    def span_working(self) -> None:
        self._take_span("working")

    def span_display(self) -> None:
        self._take_span("display")

    def span_shown(self) -> None:
        self._take_span("shown")

    def export_lut(self) -> None:
        study, shot = self.model.study, self.desk.shot
        warning = ""
        if study.span.with_ground:
            if shot is None:
                return
            warning = f"Includes the Ground of {shot.name}: right for this shot only."
        settings = self.services.settings
        try:
            exact = study.transform(shot=shot.id if shot and study.span.with_ground else None)
        except SfumatoError as error:
            self.notices.fault(error)
            return
        plain = baked(exact, _TRIED)
        sheet = ExportSheet(
            self.services.window,
            ExportAsk(
                study.look.name,
                span_title(study, span_names(study, shot)),
                span_sentence(study, shot),
                Path(str(settings.get("export_folder", str(Path.home())))),
                study.grid,
                remembered(str(settings.get("export_target", ""))),
                lambda target: _lost(plain, target),
                lambda f: self.services.ports.choose_folder(
                    self.services.window, f, "Folder for the LUT"
                ),
                warning,
            ),
        )
        sheet.accepted.connect(lambda: self.export(sheet.wish))
        sheet.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        sheet.open()

    def export(self, wish: ExportWish | None) -> None:
        if wish is None:
            return
        settings, target = self.services.settings, wish.target
        settings.set("export_folder", str(wish.file.parent))
        settings.set("export_target", kept(target))
        study = self.model.study
        if target.grid and target.spec.bakes and target.grid != target.spec.grid_for(study.grid):
            study = attrs.evolve(study, grid=target.grid)
            self.model.commit("Grid", study)
        shot, frames = self.desk.shot, self.desk.frames

        def work(cancel: Cancel, progress: Progress) -> tuple[Study, Delivered]:
            with_ground = shot if study.span.with_ground else None
            order = Order(
                study,
                outlet_of(target, study.grid),
                frames,
                wish.file,
                "",
                with_ground,
                wish.title,
                REPLACE if wish.force else REFUSE,
                yardstick=lambda: Yardstick(study, frames, with_ground, cancel),
                cancel=cancel,
                progress=progress,
            )
            return study, delivered(order)

        self.services.queue.add(f"Exporting {wish.file.name}", work, then=self._exported)

    def find_grid(self, tolerance: float) -> None:
        """Look for the smallest grid within a tolerance, in the background."""
        study, shot, frames = self.model.study, self.desk.shot, self.desk.frames

        def work(
            cancel: Cancel, progress: Progress
        ) -> tuple[Study, float, tuple[int | None, GridLoss]]:
            with_ground = shot if study.span.with_ground else None
            found = smallest_grid(study, frames, tolerance, with_ground, cancel, progress)
            return study, tolerance, found

        self.services.queue.add("Measuring grids", work, then=self._found_grid)

    def _found_grid(self, answer: tuple[Study, float, tuple[int | None, GridLoss]]) -> None:
        """Take the grid that was found, or say why there is none."""
        study, tolerance, (grid, loss) = answer
        said = loss_words(loss)
        if grid is None:
            hard = next((c.title for c in every(study.look.coats) if c.spec and c.spec.is_hard), "")
            why = f"{hard} makes edges that no grid follows" if hard else "choose a wider tolerance"
            text = f"No grid to {loss.grid} points holds {tolerance:g} ΔE: {said}"
            self.notices.note(text, why)
            return
        if attrs.evolve(self.model.study, grid=study.grid) != study:
            self.notices.note(
                f"{grid} points were enough: {said}",
                "the study has changed since; measure it again",
            )
            return
        self.model.commit("Grid", attrs.evolve(self.model.study, grid=grid))
        self.notices.good(f"{grid} points are enough", said)

    def _exported(self, answer: tuple[Study, Delivered]) -> None:
        """Show what a written file does."""
        study, done = answer
        self.proof = done
        if self.model.study == study:
            self._seal.show_proof(done)
        verdict = "proved" if done.proved else "written, but out of tolerance"
        say = self.notices.good if done.proved else self.notices.note
        worst = max(done.losses, key=lambda each: each.main.p99, default=None)
        words = f": {loss_words(worst)}" if worst is not None else ""
        say(f"{done.place.name} is {verdict}{words}", str(done.place.parent))
        self.view.set(exported=done.transform)

    def forget_proof(self) -> None:
        self.proof = None
        self.view.set(exported=None)
        self.view.forget_side(FILE)

    def show_difference(self) -> None:
        """One click from a written file to the picture of what it does differently."""
        if self.proof is None:
            return
        self.view.set(a=EXACT)
        self.view.set(b=FILE)
        self.view.set(mode="difference")
