"""A job: the steps of a session as a script of ``arabesque.script`` calls, to be read, changed, run on the next scan.

Every derived item is a call of its recipe, in an order in which it can be made; free shapes stand in the script with
their numbers. What cannot stand there (meshes, free bodies) is kept in a project file beside it.
"""

from __future__ import annotations

import keyword
import math
import re
from dataclasses import MISSING, dataclass, field, fields, is_dataclass
from datetime import date
from enum import Enum
from pathlib import Path
from typing import Any

import numpy as np

from arabesque.errors import ArabesqueError, FileProblem
from arabesque.files import check_place, write_text
from arabesque.geometry import Elementary, Plane
from arabesque.mending import ByHand, Preparing
from arabesque.model import SUFFIX, Document, Item, Project, save_project
from arabesque.model.item import cleaned
from arabesque.model.rebuild import order
from arabesque.reading import Regions
from arabesque.scan import Scan
from arabesque.shapes import Sampled, can
from arabesque.solid import Body

KEPT_SUFFIX = ".kept-items"
"""Ending of the project file beside a job. No other file of the program has it: none of the user's is replaced."""
LONGEST_WORDS = 1000
"""Signs of a title or note at the head of a script."""
MOST_NUMBERS = 4000
"""Numbers of a free shape that stand in the script; a larger one is kept beside it."""

AnyItem = Item[Any]


@dataclass(frozen=True)
class Job:
    """text: the script. kept: what is to lie beside it as a project file, or None. notes: what it does not repeat."""

    text: str
    kept: Document | None
    notes: tuple[str, ...]


@dataclass
class _Writing:
    """What is known while a script is written: variables by id, and what has to be imported."""

    names: dict[str, str] = field(default_factory=dict)
    imports: dict[str, set[str]] = field(default_factory=dict)

    def named(self, item: AnyItem) -> str:
        """A variable for an item, that no other has."""
        plain = re.sub(r"\W+", "_", item.name.lower()).strip("_") or "item"
        if plain[0].isdigit() or keyword.iskeyword(plain) or plain in _TAKEN:
            plain = f"the_{plain}"
        name, number = plain, 1
        while name in self.names.values():
            number += 1
            name = f"{plain}_{number}"
        self.names[item.id] = name
        return name

    def of(self, made: type) -> str:
        """The name of a class, imported."""
        self.imports.setdefault(made.__module__, set()).add(made.__name__)
        return made.__name__

    def code(self, value: Any) -> str:
        """A value as Python makes it."""
        if isinstance(value, str):
            return f"{self.names[value]}.id" if value in self.names else repr(value)
        if isinstance(value, Enum):
            return f"{self.of(type(value))}.{value.name}"
        if isinstance(value, np.ndarray):
            numbers = np.array2string(
                value, separator=", ", threshold=value.size + 1, floatmode="unique", max_line_width=10**9
            )
            kind = "" if value.dtype == np.float64 else f", dtype=np.{value.dtype.name}"
            return f"np.array({_on_one_line(numbers) if value.size else value.tolist()}{kind})"
        if isinstance(value, np.generic):
            return repr(value.item())
        if isinstance(value, tuple):
            return f"({', '.join(self.code(one) for one in value)}{',' if len(value) == 1 else ''})"
        if isinstance(value, frozenset):
            return f"frozenset({self.code(tuple(sorted(value)))})"
        if isinstance(value, Elementary):
            inside = ", ".join(self.code(part) for part in (value.kind, value.frame, value.sizes, value.bounds))
            return f"{self.of(Elementary)}.make({inside})"
        if is_dataclass(value) and not isinstance(value, type):
            given = [f"{one.name}={self.code(getattr(value, one.name))}" for one in fields(value) if _said(value, one)]
            return f"{self.of(type(value))}({', '.join(given)})"
        if isinstance(value, float) and not math.isfinite(value):
            return f'float("{value}")'
        if value is None or isinstance(value, bool | int | float):
            return repr(value)
        raise ArabesqueError(f"A {type(value).__name__} cannot stand in a script", "Make the item free")


_TAKEN = {"project", "scan", "out", "job", "np", "sys", "Path"}


def _on_one_line(numbers: str) -> str:
    return re.sub(r"\s+", " ", numbers)


def _said(value: Any, one: Any) -> bool:
    """True for a field of a dataclass that is not as it would be by itself."""
    if not one.init:
        return False
    if one.default is MISSING and one.default_factory is MISSING:
        return True
    now = getattr(value, one.name)
    usual = one.default if one.default is not MISSING else one.default_factory()
    if isinstance(now, np.ndarray) or isinstance(usual, np.ndarray):
        return not (isinstance(now, np.ndarray) and isinstance(usual, np.ndarray) and np.array_equal(now, usual))
    return bool(now is not usual and now != usual)


def job_of(document: Document, title: str, today: date | None = None) -> Job:
    """The script that makes a document again, on whatever scan it is given. Raises ArabesqueError without a scan."""
    reference = document.items.get(document.reference or "")
    if reference is None:
        raise ArabesqueError(
            "There is no scan that the next one could stand for", "Open one, or choose the reference scan"
        )
    writing, lines, notes = _Writing(), [], []
    writing.names[reference.id] = "scan_item"
    kept: list[AnyItem] = []
    passed = _ancestors(document, reference)
    steps, missed = _preparing(document, reference)
    notes += [f"Left out, for it was done by hand: {words}" for words in missed]
    if steps:
        lines.append(f"scan_item = project.prepare({', '.join(writing.code(step) for step in steps)})")
    for key in _in_order(document):
        item = document[key]
        if key == reference.id or key in passed:
            continue
        name = writing.named(item)
        if item.recipe is not None:
            lines.append(f"{name} = project.make({item.name!r}, {writing.code(item.recipe)})")
        elif isinstance(item.shape, Regions):
            lines.append(f"{name} = project.regions({_sensitivity(item):g})")
        elif isinstance(item.shape, Scan | Body) or _numbers(item.shape) > MOST_NUMBERS:
            kept.append(item)
            lines.append(f"{name} = project.take(KEPT, {item.name!r})")
        else:
            lines.append(f"{name} = project.add({item.name!r}, {writing.code(item.shape)})")
        if item.ties.twin is not None:
            notes.append(f"'{item.name}' follows its mirror image in the window only")
    hidden = [writing.names[item.id] for item in document if not document.shows(item) and item.id in writing.names]
    hidden = [name for name in hidden if name != "scan_item"]
    if hidden:
        lines.append(f"project.hide({', '.join(hidden)})")
    plane = _plane_line(writing, document.plane)
    text = _script(title, document, writing, [*plane, *lines], notes, bool(kept), today or date.today())
    return Job(text, _kept_document(kept), tuple(notes))


def write_job(path: str | Path, document: Document, title: str, today: date | None = None) -> Job:
    """Write a job to a .py file, and what it keeps to a file of the same name beside it (see ``kept_beside``).

    Raises FileProblem for another ending, where it cannot be written, and where the file for what is kept is there
    already but belongs to no job of that name.
    """
    path = Path(path)
    check_place(path, (".py",))
    job = job_of(document, title, today)
    if job.kept is not None:
        beside = kept_beside(path)
        check_place(beside)
        if beside.exists() and not path.exists():
            raise FileProblem(f"{beside.name} is there already, and no job beside it", "Give the job another name")
        save_project(beside, Project(job.kept))
    write_text(path, job.text)
    return job


def kept_beside(path: str | Path) -> Path:
    """Where a job keeps what cannot stand in its script."""
    return Path(path).with_suffix(KEPT_SUFFIX)


def _script(
    title: str, document: Document, writing: _Writing, steps: list[str], notes: list[str], kept: bool, today: date
) -> str:
    measured = any(can(item.shape, Sampled) and document.shows(item) for item in document)
    imports = [f"from {module} import {', '.join(sorted(names))}" for module, names in sorted(writing.imports.items())]
    scan = _line(document, document.items[document.reference or ""])[0]
    body = [
        "    with Project() as project:",
        "        scan_item = project.open_scan(scan, UNIT)",
        "        project.tolerance = TOLERANCE",
        *(f"        {line}" for line in steps),
    ]
    if measured:
        body += [
            "        project.export(Path(out) / MODEL, project.model)",
            "        return project.report(Path(out) / REPORT, TITLE)",
        ]
    else:
        body.append("        project.save(Path(out) / PROJECT)")
    told = "".join(f"\n{_quotable(note)}." for note in notes)
    head = [
        f'"""{_quotable(title)}: a job, recorded {today.isoformat()}.{told}',
        "",
        "Run it on another scan:  ./start run THIS.py NEXT.ply FOLDER",
        "on all of a folder:      ./start batch THIS.py SCANS FOLDER",
        '"""',
        "",
        "import sys",
        "from pathlib import Path",
        "",
        "import numpy as np",
        "",
        *imports,
        "from arabesque.script import Project",
        "",
        f"SCAN = {(scan.origin.file.name if scan.origin.file else scan.name + '.ply')!r}",
        'UNIT = "mm"',
        f"TOLERANCE = {document.tolerance!r}",
        f"TITLE = {title!r}",
        'MODEL, REPORT = "model.step", "fit.json"' if measured else f'PROJECT = "job{SUFFIX}"',
        *([f"KEPT = Path(__file__).with_suffix({KEPT_SUFFIX!r})"] if kept else []),
        "",
        "",
        "def job(scan, out):",
        '    """The work on one scan; writes into a folder, and returns what is to be told of it."""',
    ]
    tail = [
        "",
        "",
        'if __name__ == "__main__":',
        '    given = [*sys.argv[1:], *(SCAN, ".")[len(sys.argv) - 1 :]]',
        "    told = job(*given[:2])",
        '    print(getattr(told, "verdict", "done"))',
    ]
    return "\n".join([*head, *body, *tail]) + "\n"


def _quotable(words: str) -> str:
    """Words on one line that neither end the text they stand in nor begin an escape."""
    return cleaned(words, LONGEST_WORDS).replace("\\", "/").replace('"', "'")


def _in_order(document: Document) -> list[str]:
    """Ids of all items, each after what it is made from: the free ones first among those that can come next."""
    derived = order(document)
    return [item.id for item in document if item.recipe is None] + derived


def _ancestors(document: Document, item: AnyItem) -> set[str]:
    """Ids of what a scan was made from."""
    found: set[str] = set()
    waiting = list(item.origin.made_from)
    while waiting:
        key = waiting.pop()
        if key in document and key not in found:
            found.add(key)
            waiting += document[key].origin.made_from
    return found


def _preparing(document: Document, reference: AnyItem) -> tuple[list[Preparing], list[str]]:
    """The steps by which the reference scan was prepared, in order, and what of them cannot be repeated."""
    steps: list[Preparing] = []
    missed: list[str] = []
    for item in _line(document, reference):
        origin = item.origin
        if origin.made_from and (len(origin.made_from) > 1 or not origin.steps):
            missed.append(origin.words or f"how '{item.name}' was made")
        missed += [step.words for step in origin.steps if isinstance(step, ByHand)]
        steps += [step for step in origin.steps if not isinstance(step, ByHand)]
    return steps, missed


def _line(document: Document, item: AnyItem) -> list[AnyItem]:
    """The scans from the one that came in to this one, each made from the one before."""
    line = [item]
    while line[0].origin.made_from and line[0].origin.made_from[0] in document:
        line.insert(0, document[line[0].origin.made_from[0]])
    return line


def _sensitivity(item: AnyItem) -> float:
    told = re.search(r"sensitivity ([\d.]+)", item.origin.words)
    return float(told.group(1)) if told else 0.5


def _plane_line(writing: _Writing, plane: Plane) -> list[str]:
    usual = Plane.coordinate(1)
    if np.array_equal(plane.normal, usual.normal) and plane.offset == usual.offset:
        return []
    return [f"project.plane = {writing.of(Plane)}({writing.code(plane.normal)}, {plane.offset!r})"]


def _numbers(value: Any) -> int:
    """How many numbers the arrays of a shape hold."""
    if isinstance(value, np.ndarray):
        return int(value.size)
    if isinstance(value, tuple):
        return sum(map(_numbers, value))
    if is_dataclass(value) and not isinstance(value, type):
        return sum(_numbers(getattr(value, one.name)) for one in fields(value))
    return 1


def _kept_document(items: list[AnyItem]) -> Document | None:
    if not items:
        return None
    document = Document()
    for item in items:
        document = document.with_item(Item(item.id, item.name, item.shape))
    return document
