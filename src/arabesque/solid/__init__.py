"""The B-rep kernel in its worker process: bodies and exchange files."""

from arabesque.solid.body import Body, Told, bodies_in, combine, repeat, sew, steps, turns, with_edges
from arabesque.solid.exchange import (
    MODEL_SUFFIXES,
    FileKind,
    Model,
    deliver,
    deliverable,
    read_model,
    read_step,
    shown_part,
    write_step,
)
from arabesque.solid.worker import KernelWorker

__all__ = [
    "MODEL_SUFFIXES",
    "Body",
    "FileKind",
    "KernelWorker",
    "Model",
    "Told",
    "bodies_in",
    "combine",
    "deliver",
    "deliverable",
    "read_model",
    "read_step",
    "repeat",
    "sew",
    "shown_part",
    "steps",
    "turns",
    "with_edges",
    "write_step",
]
