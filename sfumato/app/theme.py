"""Colours by role, fonts and the style sheet. Surfaces are neutral grey; pigments are used sparingly."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtGui import QColor, QFont, QFontDatabase, QPainter, QPen
from PySide6.QtWidgets import QApplication, QWidget

DARK = {
    "window": "#2E2E2E",
    "rail": "#262626",
    "well": "#262626",
    "panel": "#383838",
    "raised": "#444444",
    "chosen": "#444444",  # a row of a list
    "heap": "#444444",  # a histogram
    "line": "#555555",
    "text": "#E8E8E8",
    "quiet": "#A9A9A9",
    "yellow": "#DDBB4A",
    "azurite": "#6E95C4",
    "malachite": "#6FA287",
    "cinnabar": "#E0705B",
    "on_yellow": "#1E1E1E",
    "red": "#D9695A",
    "green": "#6DB877",
    "blue": "#6C94E0",
}
LIGHT = {
    "window": "#D6D6D6",
    "rail": "#C6C6C6",
    "well": "#EFEFEF",
    "panel": "#E2E2E2",
    "raised": "#F4F4F4",
    "chosen": "#D0D0D0",
    "heap": "#CFCFCF",
    "line": "#A8A8A8",
    "text": "#1C1C1C",
    "quiet": "#505050",
    "yellow": "#8A6A00",
    "azurite": "#2C5C94",
    "malachite": "#2C6A4A",
    "cinnabar": "#A63A22",
    "on_yellow": "#FFFFFF",
    "red": "#B8412F",
    "green": "#2F7D3C",
    "blue": "#345FB8",
}
MOUNTS = {"dark": "#2A2A2A", "mid": "#6E6E6E", "light": "#B4B4B4"}
RADIUS = 3
_ARROW = (Path(__file__).parent / "arrow.svg").as_posix()


class _Current:
    roles = dict(DARK)
    sheet = ""


def colour(role: str) -> QColor:
    """Return the colour of a role in the theme in use."""
    return QColor(_Current.roles[role])


def instrument_colour(role: str) -> QColor:
    """Return the colour of a role on instruments and pictures, which a theme does not make lighter or darker."""
    return QColor(DARK[role])


def quiet_font() -> QFont:
    font = QFont(QApplication.font())
    font.setPixelSize(11)
    return font


def strong_font(size: int = 13) -> QFont:
    font = QFont(QApplication.font())
    font.setPixelSize(size)
    font.setWeight(QFont.Weight.DemiBold)
    return font


def focus_ring(widget: QWidget, painter: QPainter, inset: float = 0.5) -> None:
    """Draw the ring that says "the keyboard speaks to this"."""
    if not widget.hasFocus():
        return
    painter.save()
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.setPen(QPen(colour("yellow"), 1))
    r = widget.rect().toRectF().adjusted(inset, inset, -inset, -inset)
    painter.drawRoundedRect(r, RADIUS, RADIUS)
    painter.restore()


def load_fonts() -> None:
    for file in sorted((Path(__file__).parent / "fonts").glob("*.ttf")):
        QFontDatabase.addApplicationFont(str(file))


def install(app: QApplication) -> None:
    """Load fonts and choose the style that the style sheet builds on."""
    if "IBM Plex Sans" not in QFontDatabase.families():
        load_fonts()
    app.setStyle("Fusion")
    font = QFont("IBM Plex Sans")
    font.setPixelSize(13)
    font.setFeature(QFont.Tag("tnum"), 1)
    app.setFont(font)


def choose(light: bool) -> None:
    """Take the colours of a theme; what is dressed already needs its sheet anew."""
    _Current.roles.clear()
    _Current.roles.update(LIGHT if light else DARK)
    _Current.sheet = _sheet(_Current.roles)


def sheet() -> str:
    """Return the style sheet of the theme in use."""
    return _Current.sheet


def _sheet(c: dict[str, str]) -> str:
    return f"""
    * {{ color: {c["text"]}; }}
    QMainWindow, QDialog, QWidget[torn="true"] {{ background: {c["window"]}; }}
    QWidget#panel {{ background: {c["panel"]}; }}
    QWidget#rail {{ background: {c["rail"]}; }}
    QLabel {{ background: transparent; }}
    QLabel[quiet="true"] {{ color: {c["quiet"]}; font-size: 11px; }}
    QLabel[strong="true"] {{ font-weight: 600; }}
    QLabel[pigment="azurite"] {{ color: {c["azurite"]}; font-weight: 600; }}
    QLabel[pigment="yellow"] {{ color: {c["yellow"]}; font-weight: 600; }}
    QLabel[pigment="malachite"] {{ color: {c["malachite"]}; }}
    QLabel[pigment="cinnabar"] {{ color: {c["cinnabar"]}; }}
    QScrollArea, QScrollArea > QWidget > QWidget {{ background: transparent; border: none; }}
    QToolTip {{ background: {c["raised"]}; color: {c["text"]}; border: 1px solid {c["line"]}; padding: 4px; }}
    QMenu {{ background: {c["panel"]}; border: 1px solid {c["line"]}; padding: 4px; }}
    QMenu::item {{ padding: 5px 24px 5px 14px; border-radius: {RADIUS}px; }}
    QMenu::item:selected {{ background: {c["raised"]}; }}
    QMenu::item:disabled {{ color: {c["quiet"]}; }}
    QMenu::separator {{ height: 1px; background: {c["line"]}; margin: 4px 8px; }}
    QMenuBar {{ background: {c["rail"]}; font-size: 12px; }}
    QMenuBar::item {{ padding: 3px 9px; background: transparent; }}
    QMenuBar::item:selected {{ background: {c["raised"]}; }}
    QPushButton {{ background: {c["raised"]}; border: 1px solid transparent; border-radius: {RADIUS}px;
        padding: 5px 12px; }}
    QPushButton:hover {{ border-color: {c["line"]}; }}
    QPushButton:focus {{ border-color: {c["yellow"]}; }}
    QPushButton:disabled {{ color: {c["quiet"]}; }}
    QPushButton[main="true"] {{ background: {c["yellow"]}; color: {c["on_yellow"]}; font-weight: 600; }}
    QPushButton[main="true"]:disabled {{ background: {c["line"]}; color: {c["quiet"]}; }}
    QPushButton[main="true"]:focus {{ border-color: {c["text"]}; }}
    QPushButton[flat="true"] {{ background: transparent; padding: 3px 6px; color: {c["quiet"]}; }}
    QPushButton[flat="true"]:hover {{ color: {c["text"]}; }}
    QPushButton[flat="true"]:checked {{ background: {c["raised"]}; color: {c["text"]}; font-weight: 600; }}
    QPushButton[line="true"] {{ padding: 1px 3px; margin: 0; font-size: 11px; text-align: left; }}
    QPushButton[dashed="true"] {{ background: transparent; border: 1px dashed {c["line"]}; color: {c["quiet"]}; }}
    QPushButton[dashed="true"]:hover {{ color: {c["text"]}; }}
    QPushButton[dashed="true"]:focus {{ border-color: {c["yellow"]}; }}
    QPushButton::menu-indicator {{ width: 0; }}
    QLineEdit, QPlainTextEdit, QTextBrowser, QListWidget, QTreeWidget {{
        background: {c["well"]}; border: 1px solid {c["line"]};
        border-radius: {RADIUS}px; padding: 4px 6px; selection-background-color: {c["line"]}; }}
    QLineEdit:focus, QListWidget:focus, QTreeWidget:focus {{ border-color: {c["yellow"]}; }}
    QTreeWidget::item {{ padding: 3px 4px; }}
    QTreeWidget::item:selected {{ background: {c["chosen"]}; color: {c["text"]}; }}
    QTreeWidget::branch {{ background: transparent; }}
    QFrame#explanation, QFrame#picker {{
        background: {c["panel"]}; border: 1px solid {c["line"]}; border-radius: {RADIUS}px; }}
    QListWidget::item {{ padding: 5px 6px; border-radius: {RADIUS}px; }}
    QListWidget::item:selected {{ background: {c["chosen"]}; color: {c["text"]}; }}
    QFileDialog QListView, QFileDialog QTreeView {{ background: {c["well"]}; border: 1px solid {c["line"]};
        border-radius: {RADIUS}px; }}
    QFileDialog QListView::item:selected, QFileDialog QTreeView::item:selected {{
        background: {c["chosen"]}; color: {c["text"]}; }}
    QFileDialog QHeaderView {{ background: {c["panel"]}; }}
    QFileDialog QToolButton {{ background: #A9A9A9; border: none; border-radius: {RADIUS}px; }}
    QFileDialog QToolButton:disabled {{ background: transparent; }}
    QTableWidget {{ background: {c["well"]}; border: 1px solid {c["line"]}; border-radius: {RADIUS}px; }}
    QTableWidget:focus {{ border-color: {c["yellow"]}; }}
    QTableWidget::item {{ padding: 2px 6px; }}
    QTableWidget::item:selected {{ background: {c["chosen"]}; }}
    QHeaderView::section {{ background: {c["panel"]}; color: {c["quiet"]}; border: none; padding: 4px 6px;
        font-size: 11px; }}
    QComboBox {{ background: transparent; border: 1px solid transparent;
        border-radius: {RADIUS}px; padding: 3px 6px; }}
    QComboBox:hover, QComboBox:on {{ background: {c["raised"]}; }}
    QComboBox:focus {{ border-color: {c["yellow"]}; }}
    QComboBox:disabled {{ color: {c["quiet"]}; }}
    QLineEdit[flat="true"] {{ background: transparent; border-color: transparent; padding: 1px 3px; }}
    QLineEdit[flat="true"]:hover {{ border-color: {c["line"]}; }}
    QLineEdit[flat="true"]:focus {{ border-color: {c["yellow"]}; background: {c["well"]}; }}
    QComboBox::drop-down {{ border: none; width: 16px; }}
    QComboBox::down-arrow {{ image: url({_ARROW}); width: 9px; height: 9px; }}
    QComboBox QAbstractItemView {{ background: {c["panel"]}; border: solid {c["line"]}; border-width: 0 1px;
        selection-background-color: {c["raised"]}; outline: none; }}
    QProgressBar {{ background: {c["well"]}; border: none; border-radius: {RADIUS}px; height: 6px; }}
    QProgressBar::chunk {{ background: {c["yellow"]}; border-radius: {RADIUS}px; }}
    QScrollBar:vertical {{ background: transparent; width: 8px; margin: 0; }}
    QScrollBar::handle:vertical {{ background: {c["line"]}; border-radius: {RADIUS}px; min-height: 24px; }}
    QScrollBar:horizontal {{ background: transparent; height: 8px; margin: 0; }}
    QScrollBar::handle:horizontal {{ background: {c["line"]}; border-radius: {RADIUS}px; min-width: 24px; }}
    QScrollBar::add-line, QScrollBar::sub-line, QScrollBar::add-page, QScrollBar::sub-page {{
        background: none; border: none; height: 0; width: 0; }}
    """
