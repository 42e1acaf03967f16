"""What the commands share that check a thing for making: reading it, and a direction."""

from __future__ import annotations

import argparse
from pathlib import Path
from typing import TYPE_CHECKING, Any

from arabesque.errors import ArabesqueError
from arabesque.headless.common import output, point
from arabesque.units import MILLIMETRES

if TYPE_CHECKING:
    from arabesque.script import Project


def add_model(parser: argparse.ArgumentParser, way: str, words: str) -> None:
    """The model, its unit, a direction, and the report."""
    parser.add_argument("model", help=".step with bodies, or a mesh")
    parser.add_argument("--unit", choices=list(MILLIMETRES), default="mm", help="of a mesh; all lengths here are in mm")
    parser.add_argument(way, type=point, default=(0.0, 0.0, 1.0), metavar="X,Y,Z", help=words)
    parser.add_argument("--report", type=output(), help="write the figures as JSON")


def things_in(project: Project, options: argparse.Namespace) -> list[Any]:
    """The bodies of a STEP file, or the mesh of another."""
    from arabesque.solid import STEP_SUFFIXES, Body

    if Path(options.model).suffix.lower() not in STEP_SUFFIXES:
        return [project.open_scan(options.model, options.unit)]
    found = [item for item in project.open_bodies(options.model) if isinstance(item.shape, Body)]
    if not found:
        raise ArabesqueError(f"There is no body in {options.model}", "Give a STEP file with solids")
    return found
