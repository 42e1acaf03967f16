"""A drawn sheet as PDF (fpdf2), SVG or DXF (ezdxf)."""

from __future__ import annotations

from pathlib import Path
from typing import Any
from xml.etree import ElementTree

import numpy as np

from arabesque import __version__
from arabesque.delivery.strokes import Drawn, Pen, Stroke, Words
from arabesque.errors import FileProblem
from arabesque.files import write_text, written

KINDS = (".pdf", ".svg", ".dxf")
CAPITALS = 0.727
"""Height of capital letters of our typeface, of its size."""
POINT = 25.4 / 72
"""mm."""


def write_sheet(path: str | Path, sheet: Drawn) -> None:
    """Write a sheet as the ending of the name says: .pdf, .svg or .dxf. Raises FileProblem."""
    suffix = Path(path).suffix.lower()
    if suffix == ".svg":
        write_text(path, as_svg(sheet))
        return
    writers = {".pdf": _write_pdf, ".dxf": _write_dxf}
    if suffix not in writers:
        raise FileProblem(f"'{Path(path).name}' is no kind of sheet", f"Give a name that ends in {', '.join(KINDS)}")
    with written(path) as beside:
        writers[suffix](sheet, beside)


def _write_pdf(sheet: Drawn, path: Path) -> None:
    from fpdf import FPDF  # a quarter of a second that no start needs

    from arabesque.delivery.paper import load_typeface

    wide, high = sheet.size
    pdf = FPDF("landscape", "mm", (high, wide))
    load_typeface(pdf)
    pdf.set_auto_page_break(False)
    pdf.add_page()
    for stroke in sheet.strokes:
        pdf.set_line_width(stroke.pen.width)
        dashes = stroke.pen.dashes
        pdf.set_dash_pattern(*(dashes[:2] if dashes else ()))
        places = [(float(x), high - float(y)) for x, y in stroke.points]
        if stroke.filled:
            pdf.set_fill_color(0)
            pdf.polygon(places, style="F")
        else:
            pdf.polyline(places)
    pdf.set_dash_pattern()
    for words in sheet.words:
        pdf.set_font("Inter", "B" if words.strong else "", words.height / CAPITALS / POINT)
        x, y = words.at[0], high - words.at[1]
        with pdf.rotation(words.turned, x, y):
            pdf.text(x - words.across * pdf.get_string_width(words.text), y, words.text)
    pdf.output(str(path))


def as_svg(sheet: Drawn) -> str:
    """The sheet in mm, its lines in groups by pen."""
    wide, high = sheet.size
    root = ElementTree.Element(
        "svg",
        {
            "xmlns": "http://www.w3.org/2000/svg", "width": f"{wide:g}mm", "height": f"{high:g}mm",
            "viewBox": f"0 0 {wide:g} {high:g}",
        },
    )  # fmt: skip
    for pen in Pen:
        some = [stroke for stroke in sheet.strokes if stroke.pen is pen]
        look = {"id": pen.title, "fill": "none", "stroke": "#000", "stroke-width": f"{pen.width:g}"}
        if pen.dashes:
            look["stroke-dasharray"] = " ".join(f"{dash:g}" for dash in pen.dashes)
        group = ElementTree.SubElement(root, "g", {**look, "stroke-linecap": "round", "stroke-linejoin": "round"})
        for stroke in some:
            places = " ".join(f"{x:.3f},{high - y:.3f}" for x, y in stroke.points)
            ElementTree.SubElement(group, "polyline", {"points": places, **({"fill": "#000"} if stroke.filled else {})})
    group = ElementTree.SubElement(root, "g", {"id": "Words", "font-family": "Inter, Arial, sans-serif"})
    for words in sheet.words:
        x, y = words.at[0], high - words.at[1]
        anchor = "start" if words.across < 0.25 else "middle" if words.across < 0.75 else "end"
        look = {"x": f"{x:.3f}", "y": f"{y:.3f}", "font-size": f"{words.height / CAPITALS:.3f}", "text-anchor": anchor}
        if words.turned:
            look["transform"] = f"rotate({-words.turned:.3f} {x:.3f} {y:.3f})"
        if words.strong:
            look["font-weight"] = "600"
        ElementTree.SubElement(group, "text", look).text = words.text
    ElementTree.indent(root)
    return ElementTree.tostring(root, "unicode", xml_declaration=True) + "\n"


def _write_dxf(sheet: Drawn, path: Path) -> None:
    import ezdxf  # not needed at the start of the window
    from ezdxf.enums import TextEntityAlignment

    document = ezdxf.new("R2010", units=4)
    document.header["$LASTSAVEDBY"] = f"Arabesque {__version__}"
    space = document.modelspace()
    for pen in Pen:
        layer = document.layers.add(pen.title)
        layer.dxf.lineweight = round(100 * pen.width)
        if pen.dashes:
            runs = [dash if number % 2 == 0 else -dash for number, dash in enumerate(pen.dashes)]
            document.linetypes.add(pen.title, [sum(pen.dashes), *runs])
            layer.dxf.linetype = pen.title
    document.layers.add("Words")
    document.styles.add("Inter", font="Inter-Regular.otf")
    for stroke in sheet.strokes:
        _add_stroke(space, stroke)
    align = {0.0: TextEntityAlignment.LEFT, 0.5: TextEntityAlignment.CENTER, 1.0: TextEntityAlignment.RIGHT}
    for words in sheet.words:
        _add_words(space, words, align[words.across])
    document.saveas(path)


def _add_stroke(space: Any, stroke: Stroke) -> None:
    look = {"layer": stroke.pen.title}
    if stroke.filled:
        space.add_hatch(dxfattribs=look).paths.add_polyline_path(stroke.points.tolist(), is_closed=True)
    elif len(stroke.points) == 2:
        space.add_line(*stroke.points.tolist(), dxfattribs=look)
    else:
        closed = bool(np.allclose(stroke.points[0], stroke.points[-1]))
        places = stroke.points[:-1] if closed else stroke.points
        space.add_lwpolyline(places.tolist(), close=closed, dxfattribs=look)


def _add_words(space: Any, words: Words, align: Any) -> None:
    look = {"layer": "Words", "style": "Inter"}
    text = space.add_text(words.text, height=words.height, rotation=words.turned, dxfattribs=look)
    text.set_placement(words.at, align=align)
