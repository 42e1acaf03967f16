"""The seven steps of the work, in the order in which people take them."""

from enum import Enum


class Step(Enum):
    """A work step: its name, and what belongs there in one line."""

    PREPARE = ("Prepare", "Bring the scan in and lay it ready.")
    TRACE = ("Trace", "Draw curves on the scan, take its sections, lay surfaces through them.")
    PATCH = ("Patch", "Lay smooth patches over the scan and sculpt them.")
    CAGE = ("Cage", "Lay a cage of quads over the scan; its smooth surface is the model.")
    BODY = ("Body", "Sew the skin to a body; cut, add, keep in common.")
    CHECK = ("Check", "The number keys show each check over any tool; 0 takes all away.")
    DELIVER = ("Deliver", "Hand the surfaces over to other systems.")

    @property
    def title(self) -> str:
        """The word on the path."""
        return self.value[0]

    @property
    def line(self) -> str:
        """What belongs here."""
        return self.value[1]
