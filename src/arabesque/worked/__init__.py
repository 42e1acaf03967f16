"""Worked models: the demo's pieces from scan to closed solid, each by a script as one would write it."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from arabesque.demo import demo_project, master
from arabesque.errors import ArabesqueError
from arabesque.model import Item
from arabesque.progress import Progress, silent
from arabesque.script import Project
from arabesque.worked import dipper, heron, juniper, pebble

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


__all__ = ["MODELS", "worked"]
