"""A kernel worker for a whole test class, and a folder for each test."""

import tempfile
import unittest
from pathlib import Path

from arabesque.solid import KernelWorker


class KernelTest(unittest.TestCase):
    """A test that calls the geometry kernel."""

    worker: KernelWorker

    @classmethod
    def setUpClass(cls) -> None:
        cls.worker = KernelWorker()

    @classmethod
    def tearDownClass(cls) -> None:
        cls.worker.close()

    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
