"""Under the pictures of the Borrow page: instruments, what is left out, how sure it is, and the shot."""

from __future__ import annotations

import numpy as np
from PySide6.QtWidgets import (
    QButtonGroup,
    QHBoxLayout,
    QPushButton,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from sfumato.app.controls.chooser import Chooser
from sfumato.app.images import image_of
from sfumato.app.labels import set_tip
from sfumato.app.rooms.trip.loan_model import LoanModel
from sfumato.app.theme import colour
from sfumato.app.views.picture_pane import PicturePane
from sfumato.app.views.scope import ScopeView, instruments
from sfumato.core.arrays import Array
from sfumato.core.colour.encodings import encoding

_VIEWS = (
    ("instruments", "Instruments", "What it makes, and in grey under it what it should be like."),
    ("left_out", "Left out", "What is no matter of colour: edges, moved things, a logo, a border."),
    ("sure", "How sure", "Where the shot's colours were not seen in the pictures."),
    ("shot", "The shot", "The shot of the Look room through the look."),
)
_MUCH, _LEAST_RED = (
    40.0,
    0.15,
)  # codes of 255 that are marked in full, and how red what is not seen is


class LoanBelow(QWidget):
    """Buttons for the views, and the one that is chosen."""

    def __init__(self, model: LoanModel) -> None:
        super().__init__()
        self._model = model
        self._view = "instruments"
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        views = QHBoxLayout()
        views.setSpacing(2)
        self._views = QButtonGroup(self)
        self.view_buttons: dict[str, QPushButton] = {}
        for key, words, help_ in _VIEWS:
            button = flat_view(words, f"borrow.below.{key}", help_)
            button.clicked.connect(lambda _on, k=key: self._choose_view(k))
            self._views.addButton(button)
            self.view_buttons[key] = button
            views.addWidget(button)
        views.addStretch(1)
        self.boxes: list[Chooser] = []
        self.scopes: list[ScopeView] = []
        offered = [s for s in instruments().values() if s.counts_pixels or s.key == "neutral"]
        self._kinds = [s.key for s in offered]
        for i, kind in enumerate(self._model.kinds):
            box = Chooser()
            box.setObjectName(f"borrow.instrument.{i}")
            box.setAccessibleName(f"Instrument {i + 1}")
            box.addItems([s.title for s in offered])
            box.setCurrentIndex(self._kinds.index(kind))
            box.activated.connect(lambda _i: self._on_kinds())
            views.addWidget(box)
            self.boxes.append(box)
        column.addLayout(views)
        self._lower = QStackedWidget()
        scopes = QWidget()
        row = QHBoxLayout(scopes)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(10)
        for kind in self._model.kinds:
            scope = ScopeView(kind)
            row.addWidget(scope, 1)
            self.scopes.append(scope)
        self.picture = PicturePane("")
        self.picture.setObjectName("borrow.picture")
        self._lower.addWidget(scopes)
        self._lower.addWidget(self.picture)
        column.addWidget(self._lower, 1)
        model.known.connect(self.refresh)
        model.edited.connect(self.refresh)
        model.sighted.connect(self.refresh)

    # --- what is shown ---------------------------------------------------------------------------
    def _on_kinds(self) -> None:
        self._model.show_instruments(tuple(self._kinds[b.currentIndex()] for b in self.boxes))

    def _choose_view(self, view: str) -> None:
        self._view = view
        self.refresh()

    def refresh(self) -> None:
        model, found, sight = self._model, self._model.outcome, self._model.sight
        if found is None:
            return
        view = self._view if model.is_pair else "instruments"
        on_shot = sight.on_shot if sight is not None else None
        for key, button in self.view_buttons.items():
            button.setVisible(model.is_pair or key == "instruments")
        for key in ("sure", "shot"):
            self.view_buttons[key].setEnabled(on_shot is not None)
        if view in ("sure", "shot") and on_shot is None:
            view = "instruments"
        for key, button in self.view_buttons.items():
            button.setChecked(key == view)
        for box in self.boxes:
            box.setVisible(view == "instruments")
        self._lower.setCurrentIndex(0 if view == "instruments" else 1)
        if view == "instruments" and sight is not None:
            space = encoding(model.study.view.encoding)
            for scope, kind in zip(self.scopes, model.kinds, strict=True):
                if kind in sight.instruments:
                    here = encoding(model.study.working) if kind == "neutral" else space
                    scope.show_scale(scope.unit, here, limits=False)
                    scope.show_data(kind, *sight.instruments[kind])
        elif view == "left_out":
            pair = found.pairs[min(model.chosen, len(found.pairs) - 1)]
            share = 100 * float(pair.left_out.mean())
            words = f"{share:.1f} % left out, red"
            self.picture.show_picture(
                words, image_of(_marked(pair.after, pair.left_out * 1.0)), None
            )
        elif view == "shot" and on_shot is not None:
            name = model.shot.name if model.shot is not None else ""
            seen = image_of(model.services.seen(on_shot.picture))
            self.picture.show_picture(f"{name} through it", seen, None)
        elif view == "sure" and on_shot is not None:
            words = f"{100 * on_shot.share:.0f} % of its colours were seen; red: how far others may be off"
            much = np.where(on_shot.seen, 0, np.clip(on_shot.off * 255 / _MUCH, _LEAST_RED, 1))
            self.picture.show_picture(words, image_of(_marked(on_shot.picture, much)), None)


def _marked(picture: Array, much: Array) -> Array:
    """Return a picture in grey with places in red, by how much (h, w), 0..1."""
    out = picture.astype(np.float32).mean(-1, keepdims=True) * 0.8 + 20
    out = np.repeat(out, 3, -1)
    tone = colour("cinnabar")
    mark = np.array([tone.red(), tone.green(), tone.blue()], np.float32)
    share = 0.7 * much[..., None]
    out = out * (1 - share) + mark * share
    return np.asarray(np.clip(out, 0, 255).astype(np.uint8))


def flat_view(words: str, name: str, tip: str) -> QPushButton:
    """Return a flat button that is down while its view is shown."""
    button = QPushButton(words)
    button.setObjectName(name)
    button.setProperty("flat", True)
    button.setCheckable(True)
    set_tip(button, tip or words)
    return button
