"""The tools: one class a tool, in the folder of its step, whose ``GROUPS`` are column, menu and order at once."""

from arabesque.desk.steps import Step
from arabesque.desk.tools import body, cage, check, deliver, patch, prepare, trace
from arabesque.desk.tools.base import Tool

GROUPS: dict[Step, tuple[tuple[type[Tool] | str, ...], ...]] = {
    Step.PREPARE: prepare.GROUPS,
    Step.TRACE: trace.GROUPS,
    Step.PATCH: patch.GROUPS,
    Step.CAGE: cage.GROUPS,
    Step.BODY: body.GROUPS,
    Step.CHECK: check.GROUPS,
    Step.DELIVER: deliver.GROUPS,
}
"""What the tool column offers in each step: tools, and the words of commands that stand among them."""

TOOLS: list[type[Tool]] = [
    *(tool for groups in GROUPS.values() for group in groups for tool in group if not isinstance(tool, str)),
    *patch.RARE,
]
"""Every tool, in the order of the work; what is rare stands in the menus only."""

__all__ = ["GROUPS", "TOOLS", "Tool"]
