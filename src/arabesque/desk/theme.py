"""Every colour, font and size, by name."""

from dataclasses import dataclass
from functools import cache
from importlib.resources import files

from PyQt6.QtGui import QColor, QFont, QFontDatabase, QPalette
from PyQt6.QtWidgets import QApplication

FAMILY = "Inter"
TEXT_POINTS = 10
"""Size of the text for which the sizes of panels are given."""
CORNER = 4


@dataclass(frozen=True)
class Theme:
    """Colours as #rrggbb. The view's own colours are the same in every theme: forms are judged on it."""

    name: str
    window: str
    panel: str
    field: str
    ink: str
    faint: str
    line: str
    accent: str
    on_accent: str
    wash: str
    inside: str
    outside: str

    # the view
    sky: str = "#C9CCCD"
    ground: str = "#A9ADAF"
    clay: str = "#D0A283"
    porcelain: str = "#DFE4E6"
    net: str = "#3D4C58"
    view_ink: str = "#24303A"
    above_near: str = "#E8A33D"
    above_far: str = "#9E2A1F"
    below_near: str = "#6FB1D6"
    below_far: str = "#2B2A6B"
    unmeasured: str = "#8E9496"
    bulging: str = "#8C3F78"
    hollow: str = "#2E7D5B"
    marked: str = "#3C8DA8"
    scan_line: str = "#8A4B2D"
    areas: tuple[str, ...] = (
        "#B9A27F", "#8FA3AD", "#A8B08C", "#B58E8A", "#9A93B3", "#7FA39A", "#C2B28A", "#A58FA0",
    )  # fmt: skip
    """Colours of regions: quiet, apart from one another, and none of them a deviation colour."""


LIGHT = Theme(
    name="light",
    window="#EFECE6",
    panel="#F8F6F2",
    field="#FFFFFF",
    ink="#24303A",
    faint="#5C6670",
    line="#D5CFC4",
    accent="#0A706B",
    on_accent="#FFFFFF",
    wash="#DDEBE8",
    inside="#0A706B",
    outside="#A8321F",
)


DARK = Theme(
    name="dark",
    window="#1D2125",
    panel="#262B30",
    field="#1F2428",
    ink="#E4E0D8",
    faint="#A4ADB5",
    line="#3A4147",
    accent="#3DB8A8",
    on_accent="#10201E",
    wash="#2C3F40",
    inside="#4CC2B2",
    outside="#F08C6E",
)

THEMES = {theme.name: theme for theme in (LIGHT, DARK)}
_shown = [LIGHT]
_points = [float(TEXT_POINTS)]


def now() -> Theme:
    """The theme that is shown."""
    return _shown[0]


def scale() -> float:
    """How many times as large as usual the text is."""
    return _points[0] / TEXT_POINTS


def scaled(pixels: float) -> int:
    """A length that grows with the text, in pixels."""
    return round(pixels * scale())


def rgb(colour: str) -> tuple[float, float, float]:
    """A colour for a shader, 0 to 1."""
    value = QColor(colour)
    return value.redF(), value.greenF(), value.blueF()


def apply(application: QApplication, theme: Theme, points: float = TEXT_POINTS) -> None:
    """Dress the whole application in a theme, with text of a size in points."""
    _shown[0], _points[0] = theme, points
    _load_typeface()
    application.setFont(text_font(points))
    application.setStyle("Fusion")
    application.setPalette(_palette(theme))
    application.setStyleSheet(_style(theme, points))


@cache
def _load_typeface() -> None:
    for face in sorted(files("arabesque").joinpath("fonts").iterdir(), key=lambda f: f.name):
        if face.name.endswith(".otf"):
            QFontDatabase.addApplicationFontFromData(face.read_bytes())


def text_font(points: float | None = None, strong: bool = False) -> QFont:
    """The shipped typeface, with digits of even width so that live figures do not jump; as large as chosen."""
    font = QFont(FAMILY)
    font.setPointSizeF(_points[0] if points is None else points)
    font.setWeight(QFont.Weight.DemiBold if strong else QFont.Weight.Normal)
    font.setFeature(QFont.Tag("tnum"), 1)
    return font


def small_font() -> QFont:
    """For what is said in the view and beside tools."""
    return text_font(_points[0] - 1)


def _palette(theme: Theme) -> QPalette:
    palette = QPalette()
    roles = QPalette.ColorRole
    for role, colour in {
        roles.Window: theme.window,
        roles.WindowText: theme.ink,
        roles.Base: theme.field,
        roles.AlternateBase: theme.panel,
        roles.Text: theme.ink,
        roles.Button: theme.panel,
        roles.ButtonText: theme.ink,
        roles.Highlight: theme.accent,
        roles.HighlightedText: theme.on_accent,
        roles.ToolTipBase: theme.field,
        roles.ToolTipText: theme.ink,
        roles.PlaceholderText: theme.faint,
    }.items():
        palette.setColor(role, QColor(colour))
    for role in (roles.WindowText, roles.Text, roles.ButtonText):
        palette.setColor(QPalette.ColorGroup.Disabled, role, QColor(theme.faint))
    return palette


def _style(t: Theme, points: float) -> str:
    return f"""
    QMainWindow, QWidget#body {{ background: {t.window}; }}
    QWidget#panel {{ background: {t.panel}; }}
    QWidget#strip {{ background: {t.panel}; border-top: 1px solid {t.line}; }}
    QWidget#pathbar {{ background: {t.window}; border-bottom: 1px solid {t.line}; }}
    QWidget#chips {{ background: {t.panel}; border-radius: {CORNER}px; }}
    QLabel#heading {{ color: {t.faint}; font-size: {points - 1}pt; font-weight: 600; }}
    QLabel#faint {{ color: {t.faint}; }}
    QLabel#problem {{ color: {t.outside}; }}
    QLabel#good {{ color: {t.inside}; }}
    QLabel#bad {{ color: {t.outside}; }}
    QMenuBar {{ background: {t.window}; padding: 2px 4px; }}
    QMenuBar::item {{ padding: 4px 8px; border-radius: {CORNER}px; }}
    QMenuBar::item:selected {{ background: {t.wash}; }}
    QMenu {{ background: {t.panel}; border: 1px solid {t.line}; padding: 4px; }}
    QMenu::item {{ padding: 5px 24px 5px 8px; border-radius: {CORNER}px; }}
    QMenu::item:selected {{ background: {t.wash}; color: {t.ink}; }}
    QMenu::item:disabled {{ color: {t.faint}; }}
    QMenu::separator {{ height: 1px; background: {t.line}; margin: 4px 8px; }}
    QToolTip {{ background: {t.field}; color: {t.ink}; border: 1px solid {t.line}; padding: 4px; }}
    QToolButton {{ border: 1px solid transparent; border-radius: {CORNER}px; padding: 4px 8px; }}
    QToolButton:hover {{ background: {t.wash}; }}
    QToolButton:checked {{ background: {t.wash}; border-color: {t.accent}; }}
    QToolButton:focus {{ border-color: {t.accent}; }}
    QToolButton:disabled {{ color: {t.faint}; }}
    QWidget#chips QToolButton {{ padding: 4px 4px; }}
    QWidget#chips QToolButton:checked:focus {{ border: 2px solid {t.ink}; padding: 3px 3px; }}
    QToolButton#step {{ padding: 4px 10px; }}
    QToolButton#step:checked {{ background: transparent; border: 1px solid transparent;
        border-bottom: 2px solid {t.accent}; border-radius: 0; font-weight: 600; }}
    QToolButton#step:checked:focus {{ border: 1px solid {t.accent}; border-bottom: 2px solid {t.accent}; }}
    QToolButton#line {{ text-align: left; padding: 3px 4px; }}
    QToolButton#line:checked:focus {{ border: 2px solid {t.ink}; padding: 2px 3px; }}
    QToolButton#tool {{ text-align: left; padding: 6px 8px; }}
    QToolButton#tool:checked:focus {{ border: 2px solid {t.ink}; padding: 5px 7px; }}
    QToolButton#push {{ background: {t.field}; border-color: {t.line}; padding: 5px 4px; }}
    QToolButton#push:hover, QToolButton#push:focus {{ border-color: {t.accent}; }}
    QToolButton#push:disabled {{ color: {t.faint}; background: {t.panel}; }}
    QToolButton#push[best="true"] {{ background: {t.wash}; border: 2px solid {t.accent}; font-weight: 600; }}
    QPushButton {{ background: {t.field}; border: 1px solid {t.line}; border-radius: {CORNER}px; padding: 5px 12px; }}
    QPushButton:hover, QPushButton:focus {{ border-color: {t.accent}; }}
    QPushButton:disabled {{ color: {t.faint}; background: {t.panel}; }}
    QPushButton#apply {{ background: {t.accent}; color: {t.on_accent}; border-color: {t.accent}; font-weight: 600; }}
    QPushButton#apply:focus {{ border: 2px solid {t.ink}; padding: 4px 11px; }}
    QPushButton#apply:disabled {{ background: {t.line}; color: {t.faint}; border-color: {t.line}; }}
    QLineEdit, QSpinBox, QDoubleSpinBox {{ background: {t.field}; border: 1px solid {t.line};
        border-radius: {CORNER}px; padding: 3px 6px; selection-background-color: {t.accent}; }}
    QLineEdit:disabled, QSpinBox:disabled, QDoubleSpinBox:disabled {{ background: {t.panel}; color: {t.faint}; }}
    QLineEdit:focus, QSpinBox:focus, QDoubleSpinBox:focus {{ border-color: {t.accent}; }}
    QLineEdit[wrong="true"] {{ border-color: {t.outside}; }}
    QTreeView {{ background: {t.panel}; border: 1px solid transparent; outline: none; }}
    QTreeView:focus, QListWidget:focus, QTextBrowser:focus {{ border: 1px solid {t.accent}; }}
    QTreeView::item {{ padding: 3px 2px; }}
    QTreeView::item:selected {{ background: {t.wash}; color: {t.ink}; }}
    QTreeView::item:hover {{ background: {t.wash}; }}
    QListWidget {{ background: {t.panel}; border: 1px solid transparent; outline: none; }}
    QListWidget::item {{ padding: 4px; border-radius: {CORNER}px; }}
    QListWidget::item:hover, QListWidget::item:selected {{ background: {t.wash}; color: {t.ink}; }}
    QWidget#card {{ background: {t.panel}; border: 1px solid {t.line}; border-radius: 6px; }}
    QPushButton#way {{ padding: 14px 18px; text-align: left; }}
    QLabel#title {{ font-size: {points + 6}pt; font-weight: 600; }}
    QHeaderView::section {{ background: {t.panel}; border: none; color: {t.faint}; padding: 2px; }}
    QProgressBar {{ background: {t.line}; border: none; border-radius: 2px; max-height: 4px; min-height: 4px; }}
    QProgressBar::chunk {{ background: {t.accent}; border-radius: 2px; }}
    QSplitter::handle {{ background: {t.line}; }}
    QScrollArea {{ border: 1px solid transparent; background: {t.panel}; }}
    QScrollArea:focus {{ border-color: {t.accent}; }}
    """
