"""Worked models: the demo's pieces from scan to closed solid, each by a script as one would write it."""

from __future__ import annotations

import logging
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import Any

from arabesque import __version__
from arabesque.demo import demo_project, master
from arabesque.errors import ArabesqueError
from arabesque.model import SUFFIX, Document, Item, load_project, save_project
from arabesque.model import Project as StoredProject
from arabesque.progress import Progress, silent
from arabesque.script import Project
from arabesque.worked import dipper, heron, juniper, pebble

log = logging.getLogger(__name__)
Build = Callable[[Project], Item[Any]]
MODELS: dict[str, Build] = {
    "heron": heron.build, "pebble": pebble.build, "juniper": juniper.build, "dipper": dipper.build,
}  # fmt: skip
"""What makes each: from a project whose reference scan is that of the piece, the body that is its end."""


def worked(name: str, project: Project, progress: Progress = silent) -> Item[Any]:
    """Simulate the scan of a piece in an empty project, and build its model; returns the body.

    Raises ArabesqueError for a name that is none.
    """
    if name not in MODELS:
        raise ArabesqueError(f"There is no worked model called '{name}'", f"Choose one of: {', '.join(MODELS)}")
    scanned = demo_project(master(name), progress)
    clay = next(iter(scanned))
    project.add(clay.name, clay.shape)
    return MODELS[name](project)


def patched_project(name: str, progress: Progress = silent) -> Document:
    """The demo of a piece with one patch laid on its scan: something to deliver."""
    shape = master(name)
    with Project() as project:
        scanned = demo_project(shape, progress)
        clay = next(iter(scanned))
        project.add(clay.name, clay.shape)
        project.patch(next(iter(shape.corners.values())))
        return project.document


def finished_project(name: str, cache: Path, progress: Progress = silent) -> Document:
    """The project of a worked model, with its whole Outline; kept in a folder for the next time.

    What is shown of it is its end: all that it was made from is hidden. Raises ArabesqueError.
    """
    path = cache / f"{name}-{__version__}{SUFFIX}"
    if path.exists():
        try:
            return load_project(path, progress).document
        except ArabesqueError:
            log.warning("%s cannot be read: it is built again", path)
    with Project(progress) as project:
        end = worked(name, project, progress)
        document = project.document
    for item in document:
        if item.id != end.id and item.id != document.reference:
            document = document.changed(item.id, look=replace(item.look, visible=False))
    try:
        cache.mkdir(parents=True, exist_ok=True)
        save_project(path, StoredProject(document))
    except (OSError, ArabesqueError) as problem:  # it is only built again the next time
        log.warning("%s was not kept: %s", path, problem)
    return document


__all__ = ["MODELS", "finished_project", "patched_project", "worked"]
