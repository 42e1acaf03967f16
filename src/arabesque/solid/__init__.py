"""The B-rep kernel in its worker process: bodies and exchange files."""

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
    "FileKind",
    "KernelWorker",
    "Model",
    "deliver",
    "deliverable",
    "read_model",
    "read_step",
    "shown_part",
    "write_step",
]
