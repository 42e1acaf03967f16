"""The demo projects: what `--demo` opens."""

from arabesque.demo.master import Master
from arabesque.demo.scanner import simulate
from arabesque.model import Document, Item, Origin, new_id
from arabesque.progress import Progress, part, silent
from arabesque.scan import ready_to_fit

NOISE = 0.03
SEED = 7


def demo_project(shape: Master, progress: Progress = silent) -> Document:
    """A project with the shape's simulated scan, ready to fit."""
    simulated = simulate(shape, shape.triangles, NOISE, SEED, part(progress, 0.0, 0.7))
    ready_to_fit(simulated.scan, part(progress, 0.7, 1.0))
    item = Item(new_id(), f"{shape.name} clay", simulated.scan, Origin(words=f"{shape.title}, simulated scan"))
    return Document().with_item(item)
