"""./start build: a worked model of the demo, from its scan to a closed solid."""

from __future__ import annotations

import argparse
import time

from arabesque.headless.common import SURFACES, output

WORD = "build"
SYSTEM = "kernel"
HELP = "build a worked model from its simulated scan to a closed solid: heron, pebble, juniper or dipper"


def arguments(parser: argparse.ArgumentParser) -> None:
    """What the command is told."""
    parser.add_argument("name", help="heron, pebble, juniper or dipper")
    parser.add_argument("--out", type=output(*SURFACES), required=True, help="the .step file to write")
    parser.add_argument("--report", type=output(), help="write what became of it as JSON")
    parser.add_argument("--project", type=output(".arabesque"), help="write the whole project too, as .arabesque")


def run(options: argparse.Namespace) -> None:
    """Simulate, build, write, measure."""
    from arabesque.checking import measure_both_ways
    from arabesque.demo import master
    from arabesque.headless.check_body import record_of_body, words_of_body
    from arabesque.headless.common import write_json
    from arabesque.scan import Scan
    from arabesque.script import Project
    from arabesque.worked import worked

    began = time.perf_counter()
    shape = master(options.name)
    with Project() as project:
        body = worked(options.name, project)
        seconds = time.perf_counter() - began
        project.export(options.out, [body])
        if options.project:
            project.save(options.project)
        told = record_of_body(project.item(body.id).shape, 1.0)
        # the reference may be a healed scan by then: what counts is the one that came in
        clay = next(item.shape for item in project.items if isinstance(item.shape, Scan))
        figures = measure_both_ways([project.item(body.id).shape], clay, project.tolerance)
    record = {
        "name": options.name,
        "title": shape.title,
        "unit": "mm",
        "seconds": seconds,
        "body": told,
        "tolerance": 0.2,
        **figures.as_record(),
        "verdict": figures.verdict(0.2),
    }
    if options.report:
        write_json(options.report, record)
    print(f"{shape.title}, {seconds:.0f} s: {words_of_body(1, told, 'mm')}")
