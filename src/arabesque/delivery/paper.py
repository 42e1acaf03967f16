"""Pages of a document as PDF, through fpdf2: headings, pictures, tables, in our typeface."""

from __future__ import annotations

import io
from collections.abc import Sequence
from importlib.resources import files
from typing import Any

from fpdf import FPDF
from fpdf.enums import TableBordersLayout, XPos, YPos
from fpdf.fonts import FontFace

from arabesque.delivery import palette
from arabesque.delivery.report_tables import Table

MARGIN, FOOT = 16.0, 14.0
"""mm."""
TEXT, SMALL, TITLE = 9.0, 7.5, 12.0
"""Points."""
LONG_WORD = 24
"""Signs without a gap, such as a checksum, of which a column is given room for so many."""


class _Pages(FPDF):  # type: ignore[misc]  # its own types are not read
    """A4 with a number and the program's name below."""

    def __init__(self, foot: str) -> None:
        super().__init__("portrait", "mm", "A4")
        self._foot = foot

    def footer(self) -> None:
        self.set_y(-FOOT)
        self.set_font("Inter", size=SMALL)
        self.set_text_color(palette.FAINT)
        self.cell(0, 5, self._foot)
        self.set_x(self.l_margin)
        self.cell(0, 5, f"{self.page_no()} / {{nb}}", align="R")


class Paper:
    """A document that grows from top to bottom."""

    def __init__(self, title: str, foot: str) -> None:
        self._pdf = _Pages(foot)
        load_typeface(self._pdf)
        self._pdf.set_title(title)
        self._pdf.set_margins(MARGIN, MARGIN)
        self._pdf.set_auto_page_break(True, FOOT + 6)
        self._pdf.add_page()

    @property
    def wide(self) -> float:
        """mm between the margins."""
        return float(self._pdf.epw)

    def heading(self, title: str, line: str) -> None:
        """What it is."""
        self._text(title, 18.0, palette.INK, 9.0, "B")
        self._text(line, TEXT, palette.FAINT, 6.0)

    def verdict(self, words: str, colour: str) -> None:
        """The one sentence that counts, with a bar beside it."""
        pdf = self._pdf
        pdf.ln(2)
        top = pdf.get_y()
        pdf.set_left_margin(MARGIN + 5)
        self._text(words, TITLE, palette.INK, 6.5)
        pdf.set_left_margin(MARGIN)
        pdf.set_fill_color(colour)
        pdf.rect(MARGIN, top, 1.4, pdf.get_y() - top, style="F")
        pdf.ln(3)

    def title(self, words: str) -> None:
        """A heading inside, never alone at the foot of a page."""
        if self._pdf.will_page_break(30):
            self._pdf.add_page()
        self._pdf.ln(4)
        self._text(words, TITLE, palette.INK, 7.0, "B")

    def picture(self, png: bytes, words: str) -> None:
        """A picture over the whole width, with a line below."""
        pdf = self._pdf
        info = pdf.image(io.BytesIO(png), w=self.wide, alt_text=words)
        assert info is not None
        self._text(words, SMALL, palette.FAINT, 5.0)

    def legend(self, rows: Sequence[tuple[str, str]]) -> None:
        """Colours with their words, side by side."""
        pdf = self._pdf
        pdf.ln(1)
        pdf.set_font("Inter", size=SMALL)
        pdf.set_text_color(palette.INK)
        pdf.set_draw_color(palette.FAINT)
        for colour, words in rows:
            width = pdf.get_string_width(words) + 10
            if pdf.get_x() + width > pdf.w - MARGIN:
                pdf.ln(5)
            pdf.set_fill_color(colour)
            pdf.rect(pdf.get_x(), pdf.get_y() + 0.7, 3.4, 3.4, style="FD")
            pdf.set_x(pdf.get_x() + 5)
            pdf.cell(width - 5, 5, words)
        pdf.ln(6)

    def bars(self, bars: Sequence[dict[str, Any]], ticks: Sequence[tuple[float, str]], high: float) -> None:
        """Rectangles over a line, with words below it."""
        pdf = self._pdf
        top = pdf.get_y()
        for bar in bars:
            pdf.set_fill_color(bar["colour"])
            pdf.rect(MARGIN + bar["x"], top + bar["y"], bar["width"], bar["height"], style="F")
        base = top + high + 5
        pdf.set_draw_color(palette.FAINT)
        pdf.line(MARGIN, base, MARGIN + self.wide, base)
        pdf.set_font("Inter", size=SMALL)
        for x, words in ticks:
            pdf.line(MARGIN + x, base, MARGIN + x, base + 1.5)
            pdf.set_xy(MARGIN + x - 15, base + 2)
            pdf.cell(30, 4, words, align="C")
        pdf.set_xy(MARGIN, base + 8)

    def table(self, table: Table) -> None:
        """A table over as many pages as it needs, its head on each."""
        pdf = self._pdf
        self.title(table.title)
        pdf.set_font("Inter", size=SMALL)
        pdf.set_draw_color(palette.LINE)
        pdf.set_fill_color(255)
        pdf.set_text_color(palette.INK)
        if table.rows:
            head = FontFace(emphasis="BOLD", color=palette.FAINT)
            widths = _widths(table)
            named = any(table.head)
            with pdf.table(
                borders_layout=TableBordersLayout.HORIZONTAL_LINES,
                headings_style=head,
                first_row_as_headings=named,
                col_widths=widths,
                line_height=4.2,
                padding=(0.6, 1.2, 0.6, 0),
                text_align="LEFT",
                wrapmode="CHAR" if _unbroken(table) else "WORD",
            ) as drawn:
                for row in [table.head, *table.rows] if named else table.rows:
                    drawn.row(row)
        if table.note:
            pdf.ln(1)
            self._text(table.note, SMALL, palette.FAINT, 4.2)

    def closed(self, name: str, content: bytes) -> bytes:
        """The bytes of the file, with something attached under a name."""
        self._pdf.embed_file(basename=name, bytes=content, desc="The figures, for programs")
        return bytes(self._pdf.output())

    def _text(self, words: str, points: float, colour: str, line: float, style: str = "") -> None:
        pdf = self._pdf
        pdf.set_font("Inter", style, points)
        pdf.set_text_color(colour)
        pdf.multi_cell(0, line, words, align="L", new_x=XPos.LMARGIN, new_y=YPos.NEXT)


def load_typeface(pdf: FPDF) -> None:
    """Our typeface, of which only the letters used are put into the file."""
    folder = files("arabesque").joinpath("fonts")
    for style, name in (("", "Inter-Regular.otf"), ("B", "Inter-SemiBold.otf")):
        pdf.add_font("Inter", style, str(folder.joinpath(name)))


def _widths(table: Table) -> tuple[int, ...]:
    """Shares of the width: by the longest words of each column, within reason."""
    columns = list(zip(*([table.head, *table.rows]), strict=True))
    return tuple(min(LONG_WORD, max(5, *(len(word) for word in column))) + 2 for column in columns)


def _unbroken(table: Table) -> bool:
    return any(len(part) > LONG_WORD for row in table.rows for word in row for part in word.split())
