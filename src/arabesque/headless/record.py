"""./start record: the steps of a project as a job, a script for the next scan."""

from __future__ import annotations

import argparse
from pathlib import Path

from arabesque.headless.common import output

WORD = "record"
SYSTEM = "kernel"
HELP = "write the steps of a project as a script that makes it again on another scan"


def arguments(parser: argparse.ArgumentParser) -> None:
    """What the command is told."""
    parser.add_argument("project", help="an .arabesque file")
    parser.add_argument("--out", type=output(".py"), required=True, help="the .py file to write")
    parser.add_argument("--title", default="", help="of the reports; the project's name if not given")


def run(options: argparse.Namespace) -> None:
    """Read, write, tell what is not repeated."""
    from arabesque.delivery import kept_beside, write_job
    from arabesque.model import load_project

    document = load_project(options.project).document
    job = write_job(options.out, document, options.title or Path(options.project).stem)
    for note in job.notes:
        print(f"note: {note}")
    beside = "" if job.kept is None else f", and what it keeps in {kept_beside(options.out).name}"
    print(f"{options.out}: {len(document.items)} items{beside}")
