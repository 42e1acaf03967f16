"""No tool running: a click selects what lies under the pointer."""

from arabesque.desk.steps import Step
from arabesque.desk.tools.base import Pointer, Tool
from arabesque.desk.view.picking import surface_under


class Pick(Tool):
    """Selects items."""

    id = "pick"
    step = Step.PATCH
    label = "Select"
    hint = "Click a patch, Ctrl adds one. Middle drag turns, Shift moves, wheel zooms"
    shortcut = ""
    icon = "ph.cursor"

    @property
    def says(self) -> str:
        if self.session.scan is None:
            return "Open a scan, or drop one here"
        return self.hint

    def press(self, pointer: Pointer) -> None:
        depths = {}
        for item in self.session.document.surfaces(visible_only=True):
            grid = self.session.grid(item)
            depth = None if grid is None else surface_under(pointer.camera, grid.points, pointer.x, pointer.y)
            if depth is not None:
                depths[item.id] = depth
        nearest = min(depths, key=lambda key: depths[key]) if depths else None
        self.session.select(nearest, add=pointer.ctrl)
