"""Accord on paper: the map, the table and a picture of the farthest target, as PNG or PDF."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QFont, QPainter, QPen

from sfumato.app import paper
from sfumato.app.images import image_of
from sfumato.app.rooms.send.accord_map import pigment_of
from sfumato.app.rooms.send.accord_page import in_codes
from sfumato.work.outlets.accord import Accord

_WIDTH, _HEIGHT = 1600, 1130  # points of the drawing: an A4 page on its side
_MOST_PAIRS = 12
_INK, _PALE, _LINE = QColor(30, 30, 30), QColor(110, 110, 110), QColor(190, 190, 190)
_MARKS = {
    "malachite": QColor(70, 130, 95),
    "yellow": QColor(180, 140, 20),
    "cinnabar": QColor(190, 60, 40),
}


def _draw(painter: QPainter, found: Accord) -> None:
    """Draw the sheet into a square of points (`_WIDTH`, `_HEIGHT`)."""

    def text(
        x: float, y: float, w: float, words: str, size: int, tone: QColor, *, right: bool = False
    ) -> None:
        font = QFont("IBM Plex Sans")
        font.setPixelSize(size)
        painter.setFont(font)
        painter.setPen(tone)
        flags = Qt.AlignmentFlag.AlignVCenter
        flags |= Qt.AlignmentFlag.AlignRight if right else Qt.AlignmentFlag.AlignLeft
        shown = painter.fontMetrics().elidedText(words, Qt.TextElideMode.ElideRight, int(w))
        painter.drawText(QRectF(x, y, w, size * 1.7), flags, shown)

    text(50, 40, 1000, f"Accord: {found.look}", 34, _INK)
    shots = ", ".join(found.shots)
    text(
        50, 96, 1500, f"ΔE between what each target shows and the exact look, on {shots}", 18, _PALE
    )
    far = max((t.from_look.mean for t in found.targets), default=1.0) or 1.0
    middle, radius = QPointF(380, 500), 290.0
    for share in (0.25, 0.5, 1.0):
        painter.setPen(QPen(_LINE, 1.5))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        r = radius * share**0.5
        painter.drawEllipse(middle, r, r)
        text(middle.x() + r * 0.72, middle.y() - r * 0.72 - 26, 90, f"{far * share:.2g}", 15, _PALE)
    painter.fillRect(QRectF(middle.x() - 7, middle.y() - 7, 14, 14), _MARKS["yellow"])
    together: list[tuple[QPointF, list[str]]] = []  # numbers of targets that lie at one place
    for i, target in enumerate(found.targets, 1):
        x, y = found.at[i - 1] / far**0.5 * radius
        at = middle + QPointF(float(x), float(-y))
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(_MARKS[pigment_of(target.from_look.mean)])
        painter.drawEllipse(at, 7, 7)
        there = next((n for p, n in together if (p - at).manhattanLength() < 14), None)
        if there is None:
            together.append((at, [str(i)]))
        else:
            there.append(str(i))
    for at, numbers in together:
        text(at.x() + 11, at.y() - 13, 220, ", ".join(numbers), 16, _INK)
    top = 170.0
    for words, x in (("Target", 780), ("read by", 1110)):
        text(x, top, 300, words, 16, _PALE)
    for words, x in (("mean", 1290), ("99 %", 1385), ("worst", 1480)):
        text(x, top, 70, words, 16, _PALE, right=True)
    for i, target in enumerate(found.targets[:18]):
        y, d = top + 36 + 34 * i, target.from_look
        text(780, y, 320, f"{i + 1}   {target.outlet.title}", 18, _INK)
        text(1110, y, 190, target.engine.partition(" · ")[0], 16, _PALE)
        for value, x, tone in (
            (d.mean, 1290, _MARKS[pigment_of(d.mean)]),
            (d.p99, 1385, _INK),
            (d.worst, 1480, _INK),
        ):
            text(x, y, 70, f"{value:.2f}", 18, tone, right=True)
    _draw_pairs(found, text, top + 36 + 34 * min(len(found.targets), 18) + 40)
    _draw_pictures(painter, found, text)


def _draw_pairs(found: Accord, text: Callable[..., None], top: float) -> None:
    """Draw how far targets lie from one another, as far as there is room for them."""
    count = min(len(found.targets), _MOST_PAIRS, int((_HEIGHT - 60 - top) // 30))
    if count < 2:
        return
    text(780, top, 700, "Targets from one another, mean ΔE", 16, _PALE)
    for column in range(count - 1):
        text(820 + 62 * column, top + 34, 56, f"{column + 1}", 16, _PALE, right=True)
    for row in range(1, count):
        y = top + 34 + 30 * row
        text(780, y, 40, f"{row + 1}", 16, _INK)
        for column in range(row):
            mean = found.pair(row, column).mean
            tone = _MARKS[pigment_of(mean)]
            text(820 + 62 * column, y, 56, f"{mean:.2f}", 16, tone, right=True)


def _draw_pictures(painter: QPainter, found: Accord, text: Callable[..., None]) -> None:
    """Draw the exact look and the farthest target on the shot where they differ most."""
    if not found.targets or not found.shots:
        return
    target = max(found.targets, key=lambda t: t.from_look.mean)
    place = found.shots.index(target.worst.shot) if target.worst.shot in found.shots else 0
    words = (f"{found.look}, exactly", f"{target.outlet.title}: farthest at {target.worst.name}")
    for i, (seen, says) in enumerate(zip((found.exact, target.seen), words, strict=True)):
        picture = image_of(in_codes(found.pictures(seen)[place], target.display)[0])
        width = 330.0
        height = width * picture.height() / picture.width()
        x = 50 + i * (width + 20)
        text(x, 830, width, says, 16, _INK)
        painter.drawImage(QRectF(x, 862, width, min(height, 240)), picture)


def as_png(found: Accord) -> bytes:
    """Return the sheet as PNG."""
    return paper.png(_WIDTH, _HEIGHT, lambda painter: _draw(painter, found))


def as_pdf(found: Accord) -> bytes:
    """Return the sheet as a PDF of one page."""

    def draw(painter: QPainter, _page: int, width: float) -> None:
        painter.scale(width / _WIDTH, width / _WIDTH)
        _draw(painter, found)

    return paper.pdf(f"Accord: {found.look}", 1, draw)
