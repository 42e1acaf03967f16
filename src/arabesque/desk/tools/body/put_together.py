"""Bodies put together: others, and what true shapes bound, cut away, added, or kept in common."""

from __future__ import annotations

from dataclasses import dataclass

from arabesque.desk.facts import Fact
from arabesque.desk.tools.body.making_body import MakingBody
from arabesque.desk.tools.on_patches import patch_under
from arabesque.desk.tools.options import labelled
from arabesque.desk.view.pointer import Pointer
from arabesque.errors import ArabesqueError
from arabesque.geometry import Elementary
from arabesque.model import Item
from arabesque.recipes import CombinedBody, Putting
from arabesque.shapes import Sampled
from arabesque.solid import Body


class PutTogether(MakingBody):
    """The first click takes the body, the next ones what is done to it."""

    needs = (Body,)
    makes = CombinedBody
    id = "put-together"
    label = "Put bodies together"
    hint = "Click the body first, then what is cut away, added or kept in common"
    shortcut = "T"
    icon = "ph.puzzle-piece"
    short = "Together"
    at_work = "Putting together"
    begins = True
    picks = "body or true shape"

    @dataclass
    class Options:
        """how: what is done with all that are clicked after the first."""

        how: Putting = labelled(Putting.CUT, "The others are")

    def take(self, item: Item) -> None:
        super().take(item)
        recipe = item.recipe
        assert isinstance(recipe, CombinedBody)
        self.options.how = recipe.how

    def may_pick(self, item: Item) -> bool:
        return isinstance(item.shape, Body | Elementary)

    @property
    def says(self) -> str:
        if len(self.picked) == 1 and not self.working:
            return f"Click what is to be {self.options.how.value}: bodies, or closed true shapes"
        return super().says

    @property
    def facts(self) -> list[Fact]:
        names = [self.session.document[key].name for key in self.picked if key in self.session.document]
        told = [Fact("Body", names[0] if names else "none"), Fact("Others", ", ".join(names[1:]) or "none")]
        return [*told, *(super().facts if self.made is not None else [])]

    def press(self, pointer: Pointer) -> None:
        under = patch_under(self.session, pointer, Sampled)
        if under is not None and self.picked == [under[0].id]:
            return  # it is taken already, by the selection or a click
        super().press(pointer)
        document = self.session.document
        if self.picked and not isinstance(document[self.picked[0]].shape, Body):
            del self.picked[0]
            self.session.tell_problem(ArabesqueError("A true shape alone is no body", "Click a body first"))
            self.changed.emit()

    def draft(self) -> CombinedBody | None:
        if len(self.picked) < 2:
            return None
        return CombinedBody(self.picked[0], tuple(self.picked[1:]), self.options.how)

    def words(self, made: Body) -> str:
        return str(self.options.how.value)
