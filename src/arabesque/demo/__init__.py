"""The invented demo scenario: master shapes with known equations, and a simulated scanner."""

from arabesque.demo.dipper import Dipper
from arabesque.demo.heron import Heron
from arabesque.demo.juniper import Juniper
from arabesque.demo.master import Dent, Hole, Master
from arabesque.demo.pebble import Pebble
from arabesque.demo.project import demo_project
from arabesque.demo.scanner import Simulated, simulate
from arabesque.errors import ArabesqueError

MASTERS: dict[str, type[Master]] = {"heron": Heron, "pebble": Pebble, "juniper": Juniper, "dipper": Dipper}
"""The master shapes by name."""


def master(name: str) -> Master:
    """The master shape of that name; raises ArabesqueError for an unknown one."""
    if name not in MASTERS:
        raise ArabesqueError(f"There is no demo called '{name}'", f"Choose one of: {', '.join(MASTERS)}")
    return MASTERS[name]()


__all__ = [
    "MASTERS",
    "Dent",
    "Dipper",
    "Heron",
    "Hole",
    "Juniper",
    "Master",
    "Pebble",
    "Simulated",
    "demo_project",
    "master",
    "simulate",
]
