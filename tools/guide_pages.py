"""Write into the guide what the program says of itself, forms and keys: python -m tools.guide_pages."""

from __future__ import annotations

import inspect
import re
from collections.abc import Iterator
from dataclasses import Field, fields
from enum import Enum
from itertools import zip_longest
from typing import Any

from arabesque.desk.commands import COMMANDS
from arabesque.desk.panels.fields import words_of
from arabesque.desk.steps import Step
from arabesque.desk.tools import GROUPS, TOOLS, Tool
from arabesque.guide import folder

BEGIN, END = "<!-- from the program: python -m tools.guide_pages -->", "<!-- end -->"
BLOCK = re.compile(re.escape(BEGIN) + ".*?" + re.escape(END), re.DOTALL)
_TOLD = re.compile(r"((?:[a-z_]\w*, )*[a-z_]\w*): ")


def blocks() -> Iterator[tuple[str, list[str]]]:
    """What each page is to hold: its name in the guide, and its blocks, in order."""
    for tool in TOOLS:
        yield f"tools/{tool.id}", [found_at(tool), form(tool)]
    for step in Step:
        yield f"steps/{step.title.lower()}", [of_step(step)]
    yield "keys", [keys()]


def found_at(tool: type[Tool]) -> str:
    """Where a tool is found."""
    step = tool.step.title
    key = f"key **{tool.shortcut}**" if tool.shortcut else "no key of its own: in the column, the menu, or by its name"
    line = f"*Step [{step}](../steps/{step.lower()}.md), {key}.* {tool.hint}."
    return f"{line}\n\n![{tool.label}](../pictures/{tool.id}.webp)"


def form(tool: type[Tool]) -> str:
    """What stands in its form."""
    if tool.Options is None:
        return "It has no form: clicks say everything."
    options, told = tool.Options(), descriptions(tool.Options)
    lines = ["| In the form | Begins as | |", "|---|---|---|"]
    for field in fields(options):
        words, begins, choices = words_of(field), value_of(field, options), choices_of(field, options)
        said = told.get(field.name, "")
        lines.append(f"| {words} | {begins} | {'. '.join(part for part in (said, choices) if part)} |")
    return "\n".join(lines)


def descriptions(options: type) -> dict[str, str]:
    """What the docstring of options says of each: "name: words. other, third: words"."""
    known = {field.name for field in fields(options)}
    text = " ".join((inspect.getdoc(options) or "").split())
    found = [match for match in _TOLD.finditer(text) if set(match[1].split(", ")) <= known]
    told = {}
    for match, following in zip_longest(found, found[1:]):
        words = text[match.end() : following.start() if following else len(text)].strip(" ;.")
        words = words[:1].upper() + words[1:]
        told |= dict.fromkeys(match[1].split(", "), cell(words))
    return told


def value_of(field: Field[Any], options: Any) -> str:
    """What a field begins as, with its unit."""
    value = getattr(options, field.name)
    if isinstance(value, Enum):
        return cell(spoken(value))
    if isinstance(value, bool):
        return "on" if value else "off"
    if isinstance(value, float):
        if "share" in field.metadata:
            return f"{100 * value:.0f} %"
        return f"{value:g}{'°' if 'degrees' in field.metadata else ''}"
    return cell(str(value)) or "–"


def choices_of(field: Field[Any], options: Any) -> str:
    """The members of a choice."""
    value = getattr(options, field.name)
    return f"One of: {cell('; '.join(spoken(member) for member in type(value)))}" if isinstance(value, Enum) else ""


def spoken(member: Enum) -> str:
    """What the form says for a member of a choice."""
    return str(member.value[0] if isinstance(member.value, tuple) else member.value)


def cell(words: str) -> str:
    """Words that a table can hold."""
    return words.replace("|", "\\|").replace("*", "\\*").replace("<", "&lt;")


def of_step(step: Step) -> str:
    """The tools of a step, with their keys."""
    lines = ["| Tool | Key | |", "|---|---|---|"]
    named = [tool for group in GROUPS[step] for tool in group if not isinstance(tool, str)]
    for tool in [*named, *(tool for tool in TOOLS if tool.step is step and tool not in named)]:
        lines.append(f"| [{tool.label}](../tools/{tool.id}.md) | {tool.shortcut} | {cell(tool.hint)} |")
    others = [c for c in COMMANDS if c.step is step and c.id not in {tool.id for tool in TOOLS}]
    lines += [f"| {cell(c.label)} | {c.shortcut} | {cell(c.hint)} |" for c in others]
    return "\n".join(lines)


def keys() -> str:
    """Commands whose keys work in every step, by menu; then those without a key."""
    everywhere = [c for c in COMMANDS if c.step is None and c.shortcut]
    other = [c for c in COMMANDS if not c.shortcut and c.id not in {tool.id for tool in TOOLS}]
    lines = ["| Key | Command | |", "|---|---|---|"]
    lines += [f"| {c.shortcut} | {cell(c.label)} | {cell(c.hint)} |" for c in everywhere]
    lines += ["", "## Without a key", "", "| Command | |", "|---|---|"]
    lines += [f"| {cell(c.label)} | {cell(c.hint)} |" for c in other]
    return "\n".join(lines)


def filled(text: str, parts: list[str]) -> str:
    """A page with its blocks as they are to be."""
    waiting = iter(parts)
    return BLOCK.sub(lambda _: f"{BEGIN}\n\n{next(waiting)}\n\n{END}", text)


if __name__ == "__main__":
    for name, parts in blocks():
        path = folder() / f"{name}.md"
        path.write_text(filled(path.read_text(encoding="utf-8"), parts), encoding="utf-8")
