"""The B-rep kernel in its worker process: bodies and exchange files."""

from arabesque.solid.step import Face, read_step, write_step
from arabesque.solid.worker import KernelWorker

__all__ = ["Face", "KernelWorker", "read_step", "write_step"]
