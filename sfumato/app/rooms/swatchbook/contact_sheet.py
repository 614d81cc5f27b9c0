"""A contact sheet: a shot through many looks, as PNG or PDF."""

from __future__ import annotations

import math

from attrs import frozen
from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QColor, QFont, QPainter

from sfumato.app import paper
from sfumato.app.images import image_of
from sfumato.core.arrays import Array
from sfumato.core.errors import ExportError

_ACROSS = 5
_MOST_PNG = 400
_PAGE_ROWS = 5
_WIDTH = 1800  # pixels of a PNG


@frozen(eq=False)
class Frame:
    """One picture on the sheet with its name and a word beside it."""

    picture: Array
    name: str
    word: str = ""


def _draw(painter: QPainter, frames: list[Frame], title: str, width: float, per_px: float) -> None:
    """Draw frames in rows over a width; `per_px` is how many units a point of text takes."""
    gap, line = width * 0.012, 16 * per_px
    side = (width - gap * (_ACROSS + 1)) / _ACROSS
    font = QFont("IBM Plex Sans")
    font.setPixelSize(max(1, round(15 * per_px)))
    painter.setFont(font)
    painter.setPen(QColor(40, 40, 40))
    painter.drawText(
        QRectF(gap, gap, width - 2 * gap, 2 * line), Qt.AlignmentFlag.AlignVCenter, title
    )
    font.setPixelSize(max(1, round(11 * per_px)))
    painter.setFont(font)
    top = gap + 2.4 * line
    for i, frame in enumerate(frames):
        height = side * frame.picture.shape[0] / frame.picture.shape[1]
        box = QRectF(
            gap + (i % _ACROSS) * (side + gap),
            top + (i // _ACROSS) * (height + 1.8 * line),
            side,
            height,
        )
        painter.drawImage(box, image_of(frame.picture))
        under = QRectF(box.left(), box.bottom(), side, 1.4 * line)
        metrics = painter.fontMetrics()
        room = side - (metrics.horizontalAdvance(frame.word) + gap if frame.word else 0)
        name = metrics.elidedText(frame.name, Qt.TextElideMode.ElideRight, int(room))
        painter.drawText(under, Qt.AlignmentFlag.AlignVCenter, name)
        if frame.word:
            flags = Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight
            painter.drawText(under, flags, frame.word)


def as_png(frames: list[Frame], title: str) -> bytes:
    """Return the sheet as a PNG, 1800 pixels wide.

    Raises:
        ExportError: there are more frames than a picture holds.
    """
    if len(frames) > _MOST_PNG:
        raise ExportError(
            f"{len(frames)} looks are too many for one picture",
            hint=f"choose PDF, or show up to {_MOST_PNG}",
        )
    gap = _WIDTH * 0.012
    side = (_WIDTH - gap * (_ACROSS + 1)) / _ACROSS
    height = side * frames[0].picture.shape[0] / frames[0].picture.shape[1]
    rows = math.ceil(len(frames) / _ACROSS)
    return paper.png(
        _WIDTH,
        round(gap + 38.4 + rows * (height + 28.8) + gap),
        lambda painter: _draw(painter, frames, title, _WIDTH, 1.0),
    )


def as_pdf(frames: list[Frame], title: str) -> bytes:
    """Return the sheet as a PDF, A4 across, twenty-five looks a page."""
    each = _ACROSS * _PAGE_ROWS
    pages = math.ceil(len(frames) / each)

    def draw(painter: QPainter, page: int, width: float) -> None:
        head = f"{title} · page {page + 1} of {pages}" if pages > 1 else title
        shown = frames[page * each : (page + 1) * each]
        _draw(painter, shown, head, width, paper.RESOLUTION / 110)

    return paper.pdf(title, pages, draw)
