"""The guide in a window of its own, which may stay open beside the work."""

from __future__ import annotations

import posixpath
from html import escape
from urllib.parse import quote, unquote

from PyQt6.QtCore import Qt, QUrl
from PyQt6.QtGui import QImage, QKeyEvent, QKeySequence, QShortcut, QTextDocument
from PyQt6.QtWidgets import QHBoxLayout, QLineEdit, QPushButton, QTextBrowser, QVBoxLayout, QWidget

from arabesque.desk import theme
from arabesque.guide import FIRST, body, exists, find, folder, title

SIZE = (820, 780)
LEAST = 480
"""Pixels for which pictures are made smaller at most."""
BAR = 20
"""Pixels that a bar to scroll may take."""
EDGE = 24
"""Pixels that the page keeps free round a picture."""
SEARCH = "search/"
"""Begins the address of a page of what was found."""
SUFFIX = ".html"


class Pages(QTextBrowser):
    """Shows pages of the guide; a link to another one leads there."""

    def page(self, name: str) -> None:
        """Show a page by its name."""
        self.setSource(QUrl(name + SUFFIX))

    def search(self, words: str) -> None:
        """Show the pages that hold all these words."""
        self.setSource(QUrl(SEARCH + quote(words)))

    def loadResource(self, kind: int, url: QUrl) -> object:
        """Pages and pictures lie in the guide's own folder; nothing else is read."""
        path = posixpath.normpath(url.toString(QUrl.UrlFormattingOption.RemoveFragment))
        if kind == QTextDocument.ResourceType.ImageResource:
            image = QImage(str(picture)) if (picture := folder() / path).is_file() else QImage()
            room = max(self.viewport().width(), LEAST) - 2 * EDGE - BAR
            wide = Qt.TransformationMode.SmoothTransformation
            return image.scaledToWidth(room, wide) if image.width() > room else image
        if path.startswith(SEARCH):
            return self._dressed(_found(path.removeprefix(SEARCH)))
        name = path.removesuffix(SUFFIX)
        return self._dressed(body(name)) if exists(name) else ""

    def _dressed(self, html: str) -> str:
        t = theme.now()
        style = f"""a {{ color: {t.accent}; }} th {{ color: {t.faint}; text-align: left; }}
        h1 {{ font-size: 150%; }} h2 {{ font-size: 115%; margin-top: 18px; }}
        td, th {{ padding: 3px 10px 3px 0; }} p, li {{ line-height: 135%; }}"""
        # a line as high as a picture needs no room to the next one
        pictured = html.replace("<p><img", "<p style='line-height: 100%'><img")
        return f"<style>{style}</style>{pictured}"


class HelpPage(QWidget):
    """The page of what runs, the contents, and a search over all pages."""

    def __init__(self, name: str, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowFlag(Qt.WindowType.Window)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.setObjectName("body")
        self.setWindowTitle("Arabesque: guide")
        self.resize(*SIZE)
        self.pages = Pages()
        self.pages.setAccessibleName("Page of the guide")
        self.pages.setOpenExternalLinks(False)
        self.contents, self.back = QPushButton("Contents"), QPushButton("Back")
        self.field = QLineEdit()
        self.field.setPlaceholderText("Find in the guide  (Ctrl+F)")
        self.field.setAccessibleName("Find in the guide")
        self.contents.clicked.connect(lambda: self.pages.page(FIRST))
        self.back.clicked.connect(self.pages.backward)
        self.back.setEnabled(False)
        self.pages.backwardAvailable.connect(self.back.setEnabled)
        self.pages.sourceChanged.connect(self._named)
        self.field.returnPressed.connect(self._search)
        row = QHBoxLayout()
        row.setContentsMargins(10, 8, 10, 0)
        for part in (self.contents, self.back):
            row.addWidget(part)
        row.addWidget(self.field, 1)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addLayout(row)
        column.addWidget(self.pages, 1)
        self.pages.document().setDocumentMargin(EDGE)
        self.pages.setFrameStyle(0)
        QShortcut(QKeySequence("Ctrl+F"), self, self.field.setFocus)
        column.activate()
        self.pages.page(name)
        self.pages.setFocus()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        if event.key() == Qt.Key.Key_Escape:
            self.close()
        else:
            super().keyPressEvent(event)

    def _named(self, url: QUrl) -> None:
        name = url.toString(QUrl.UrlFormattingOption.RemoveFragment).removesuffix(SUFFIX)
        self.setWindowTitle(f"{title(name)} – guide" if exists(name) else "Arabesque: guide")

    def _search(self) -> None:
        if self.field.text().strip():
            self.pages.search(self.field.text().strip())
            self.pages.setFocus()


def page_of(tool: str, step: str, picks: bool) -> str:
    """The page that belongs to what runs: of the tool, of the step where nothing is in the hand, or of the window."""
    names = [f"steps/{step}" if picks else f"tools/{tool}", "window"]
    return next((name for name in names if exists(name)), FIRST)


def _found(words: str) -> str:
    words = unquote(words)
    found = find(words)
    lines = [f"<li><a href='../{name}{SUFFIX}'>{escape(title(name))}</a></li>" for name in found]
    none = "<p>Nothing. Fewer or other words may find it; Ctrl+Space in the window finds commands by their names.</p>"
    return f"<h1>{escape(words)}</h1>{'<ul>' + ''.join(lines) + '</ul>' if lines else none}"
