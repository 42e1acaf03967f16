"""Icons of the shipped set."""

import qtawesome
from PyQt6.QtGui import QIcon

from arabesque.desk import theme


def icon(name: str) -> QIcon:
    """An icon of the shipped set, in the colours of the theme."""
    t = theme.now()
    return qtawesome.icon(name, color=t.ink, color_disabled=t.faint, color_active=t.accent)
