"""A picture with its caption, and a scale under it where its colours stand for numbers."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QImage, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QWidget

from sfumato.app.guard import guarded
from sfumato.app.images import image_of
from sfumato.app.theme import colour, quiet_font
from sfumato.app.views.pictures import HEAT


class PicturePane(QWidget):
    """A picture with its caption, and a ring round the worst place."""

    def __init__(self, caption: str) -> None:
        super().__init__()
        self.caption = caption
        self.image: QImage | None = None
        self.ring: tuple[int, int] | None = None
        self.scale, self.unit = 0.0, "ΔE"
        self.setMinimumHeight(90)

    def show_picture(
        self,
        caption: str,
        image: QImage | None,
        ring: tuple[int, int] | None,
        scale: float = 0.0,
        unit: str = "ΔE",
    ) -> None:
        self.caption, self.image, self.ring, self.scale = caption, image, ring, scale
        self.unit = unit
        self.setAccessibleName(caption)
        self.update()

    @guarded
    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.setFont(quiet_font())
        painter.setPen(colour("quiet"))
        short = painter.fontMetrics().elidedText(
            self.caption, Qt.TextElideMode.ElideMiddle, self.width()
        )
        painter.drawText(QRectF(0, 0, self.width(), 16), Qt.AlignmentFlag.AlignLeft, short)
        if self.image is None:
            return
        room = QRectF(0, 18, self.width(), self.height() - 18 - (16 if self.scale else 0))
        size = self.image.size().scaled(
            int(room.width()), int(room.height()), Qt.AspectRatioMode.KeepAspectRatio
        )
        box = QRectF(room.left(), room.top(), size.width(), size.height())
        painter.drawImage(box, self.image)
        if self.ring is not None:
            factor = size.width() / self.image.width()
            at = box.topLeft() + QPointF(self.ring[0] + 0.5, self.ring[1] + 0.5) * factor
            for width, tone in ((3.5, QColor(0, 0, 0)), (1.5, QColor(255, 255, 255))):
                painter.setPen(QPen(tone, width))
                painter.drawEllipse(at, 9, 9)
        if self.scale:
            bar = QRectF(box.left() + 12, box.bottom() + 6, box.width() - 90, 6)
            painter.drawImage(bar, image_of(np.repeat(HEAT[None], 2, axis=0)))
            painter.setPen(colour("quiet"))
            left = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter
            painter.drawText(QRectF(box.left(), bar.top() - 5, 12, 16), left, "0")
            painter.drawText(
                QRectF(bar.right() + 6, bar.top() - 5, 80, 16), left, f"{self.scale:g} {self.unit}"
            )
