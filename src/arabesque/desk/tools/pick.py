"""No tool running: a click selects what lies under the pointer."""

from arabesque.desk.kinds import item_under
from arabesque.desk.steps import Step
from arabesque.desk.tools.base import Tool
from arabesque.desk.view.pointer import Pointer
from arabesque.shapes import Sampled, can


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
        if not any(can(item.shape, Sampled) for item in self.session.document):
            return "In Patch, N lays the first patch: four clicks on the scan. In Prepare it is made ready for that"
        return self.hint

    def press(self, pointer: Pointer) -> None:
        found = item_under(self.session, pointer)
        self.session.select(None if found is None else found[0].id, add=pointer.ctrl)
