"""The guide in a window beside the work: contents and search on the left, a page on the right."""

from __future__ import annotations

from functools import lru_cache
from typing import Any

from PySide6.QtCore import QEvent, Qt, QUrl
from PySide6.QtGui import (
    QDesktopServices,
    QImage,
    QTextBlock,
    QTextCharFormat,
    QTextCursor,
    QTextDocument,
)
from PySide6.QtWidgets import (
    QDialog,
    QHBoxLayout,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QTextBrowser,
    QVBoxLayout,
    QWidget,
)

from sfumato.app.guard import guarded
from sfumato.app.labels import set_help, set_tip
from sfumato.app.services.jobs import single_shot
from sfumato.app.theme import colour, strong_font
from sfumato.work.guide import Page, found, guide_folder, pages

_KEY = Qt.ItemDataRole.UserRole
_PICTURE = 620  # px wide
_KEEP = QTextCursor.MoveMode.KeepAnchor
_ABOVE_HEADING, _BELOW = 14, 7  # px


class _Text(QTextBrowser):
    """A page; its pictures are of one width."""

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("guide.text")
        self.setAccessibleName("Page of the guide")
        self.setOpenLinks(False)
        self.document().setDocumentMargin(18)
        self.setMinimumWidth(_PICTURE + 60)

    @guarded
    def loadResource(self, kind: int, name: QUrl | str) -> Any:
        if kind != QTextDocument.ResourceType.ImageResource.value:
            return None
        return _picture(QUrl(name).fileName(), self.devicePixelRatioF())

    def show_page(self, text: str) -> None:
        self.clear()
        self.setCurrentCharFormat(QTextCharFormat())  # else it begins as what was found last
        self.setMarkdown(text)
        look = QTextCharFormat()  # Markdown comes with a colour and a font of its own
        look.setForeground(colour("azurite"))
        look.setFont(self.font())
        look.setFontUnderline(True)
        cursor = QTextCursor(self.document())
        cursor.beginEditBlock()  # laid out once, not after each change
        block = self.document().begin()
        while block.isValid():
            shape = block.blockFormat()
            shape.setTopMargin(_ABOVE_HEADING if shape.headingLevel() else 0)
            shape.setBottomMargin(_BELOW)
            cursor.setPosition(block.position())
            cursor.mergeBlockFormat(shape)
            for start, end in _links(block):
                cursor.setPosition(start)
                cursor.setPosition(end, _KEEP)
                cursor.mergeCharFormat(look)
            block = block.next()
        cursor.endEditBlock()
        self.moveCursor(QTextCursor.MoveOperation.Start)


def _links(block: QTextBlock) -> list[tuple[int, int]]:
    """Return where the links of a paragraph begin and end."""
    found, parts = [], block.begin()
    while not parts.atEnd():
        part = parts.fragment()
        if part.charFormat().isAnchor():
            found.append((part.position(), part.position() + part.length()))
        parts += 1
    return found


@lru_cache(maxsize=12)  # of 1 MB, and 4 on a screen with twice as many pixels
def _picture(name: str, screen: float) -> QImage | None:
    """Return a picture of a page as wide as the page."""
    picture = QImage(str(guide_folder() / name))
    if picture.isNull():
        return None
    ratio = min(screen, picture.width() / _PICTURE)
    smooth = Qt.TransformationMode.SmoothTransformation
    picture = picture.scaledToWidth(round(_PICTURE * ratio), smooth)
    picture.setDevicePixelRatio(ratio)
    return picture


class GuideWindow(QDialog):
    """Reads the pages; it stays open beside the window."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.setObjectName("guide.window")
        self.setWindowTitle("Guide")
        self.resize(980, 720)
        self._seen: list[str] = []
        self._again = single_shot(self, 0, self._show_again)
        self.line = QLineEdit()
        self.line.setObjectName("guide.find")
        self.line.setPlaceholderText("Find in the guide")
        self.line.setAccessibleName("Find in the guide")
        set_tip(self.line, "Narrows the pages to those with these words; Enter opens the first.")
        self.line.setClearButtonEnabled(True)
        self.line.textChanged.connect(self._fill)
        self.line.returnPressed.connect(self._take_first)
        self.list = QListWidget()
        self.list.setObjectName("guide.pages")
        self.list.setAccessibleName("Pages of the guide")
        self.list.setWordWrap(True)
        set_help(self.list, "The pages, or those with all the words that were typed.")
        self.list.currentItemChanged.connect(self._on_chosen)
        self.back = QPushButton("Back")
        self.back.setObjectName("guide.back")
        set_tip(self.back, "The page before this one.")
        self.back.setShortcut("Alt+Left")
        self.back.setAutoDefault(False)  # Enter in the search takes the first page
        self.back.clicked.connect(self._go_back)
        self.text = _Text()
        self.text.anchorClicked.connect(self._follow)
        left = QVBoxLayout()
        left.setSpacing(8)
        for part in (self.line, self.list, self.back):
            left.addWidget(part)
        row = QHBoxLayout(self)
        row.setContentsMargins(12, 12, 12, 12)
        row.setSpacing(12)
        row.addLayout(left)
        row.addWidget(self.text, 1)
        self.list.setFixedWidth(264)
        self.line.setFixedWidth(264)
        self._fill("")
        self.show_page(next(iter(pages()), ""))

    @guarded
    def changeEvent(self, event: QEvent) -> None:
        super().changeEvent(event)
        if event.type() == QEvent.Type.StyleChange:
            self._again.start()

    def _show_again(self) -> None:
        """Dress the page in another theme."""
        place = self.text.verticalScrollBar().value()
        self.show_page(self.page)
        self.text.verticalScrollBar().setValue(place)

    @property
    def page(self) -> str:
        """The key of the page that is read."""
        return self._seen[-1] if self._seen else ""

    def show_page(self, key: str) -> None:
        """Read a page."""
        page = pages().get(key)
        if page is None:
            self.text.show_page("The guide is not installed with this copy of Sfumato.")
            return
        if key != self.page:
            self._seen.append(key)
        self.back.setEnabled(len(self._seen) > 1)
        self.text.show_page(page.text)
        asked = self.line.text().strip()
        if asked:
            self.text.find(asked.split()[0])
        self.list.blockSignals(True)
        for i in range(self.list.count()):
            if self.list.item(i).data(_KEY) == key:
                self.list.setCurrentRow(i)
        self.list.blockSignals(False)

    def _fill(self, asked: str) -> None:
        shown: list[Page] = found(asked) if asked.strip() else list(pages().values())
        self.list.blockSignals(True)
        self.list.clear()
        group = ""
        for page in shown:
            if page.group != group and not asked.strip():
                group = page.group
                heading = QListWidgetItem(group)
                heading.setFlags(Qt.ItemFlag.NoItemFlags)
                heading.setFont(strong_font(12))
                self.list.addItem(heading)
            item = QListWidgetItem(page.title)
            item.setData(_KEY, page.key)
            self.list.addItem(item)
            if page.key == self.page:
                self.list.setCurrentItem(item)
        if not shown:
            nothing = QListWidgetItem("No page has all these words.")
            nothing.setFlags(Qt.ItemFlag.NoItemFlags)
            self.list.addItem(nothing)
        self.list.blockSignals(False)

    def _take_first(self) -> None:
        keys = (self.list.item(i).data(_KEY) for i in range(self.list.count()))
        first = next((k for k in keys if k), "")
        if first:
            self.show_page(first)

    def _on_chosen(self, now: QListWidgetItem | None, _before: object) -> None:
        if now is not None and now.data(_KEY):
            self.show_page(now.data(_KEY))

    def _go_back(self) -> None:
        if len(self._seen) > 1:
            self._seen.pop()
            self.show_page(self._seen[-1])

    def _follow(self, link: QUrl) -> None:
        """Go to another page; what lies outside of the guide is left to the desktop."""
        name = link.fileName()
        if name.endswith(".md") and name[:-3] in pages():
            self.show_page(name[:-3])
        elif link.scheme() in ("http", "https"):
            QDesktopServices.openUrl(link)
