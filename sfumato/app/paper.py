"""Drawings as files: a PNG, or the pages of a PDF."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QBuffer, QByteArray, QIODevice, QMarginsF
from PySide6.QtGui import (
    QColor,
    QImage,
    QImageWriter,
    QPageLayout,
    QPageSize,
    QPainter,
    QPdfWriter,
)

RESOLUTION = 300  # of a PDF, dots an inch
_PAPER = QColor(250, 250, 250)


def png(width: int, height: int, draw: Callable[[QPainter], None]) -> bytes:
    """Return a drawing on paper as PNG."""
    image = QImage(width, height, QImage.Format.Format_RGB32)
    image.fill(_PAPER)
    with QPainter(image) as painter:  # ends also when it is cancelled, while the picture is there
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        draw(painter)
    buffer = QBuffer()
    buffer.open(QIODevice.OpenModeFlag.WriteOnly)
    QImageWriter(buffer, QByteArray(b"png")).write(image)
    return bytes(buffer.data().data())


def pdf(title: str, pages: int, draw: Callable[[QPainter, int, float], None]) -> bytes:
    """Return pages of A4 on its side; `draw` is given the painter, the page from 0, and its width."""
    buffer = QBuffer()
    buffer.open(QIODevice.OpenModeFlag.WriteOnly)
    writer = QPdfWriter(buffer)
    writer.setTitle(title)
    writer.setCreator("Sfumato")
    writer.setResolution(RESOLUTION)
    writer.setPageLayout(
        QPageLayout(
            QPageSize(QPageSize.PageSizeId.A4),
            QPageLayout.Orientation.Landscape,
            QMarginsF(0, 0, 0, 0),
        )
    )
    with QPainter(writer) as painter:
        for page in range(pages):
            if page:
                writer.newPage()
            draw(painter, page, writer.width())
    buffer.close()
    return bytes(buffer.data().data())
