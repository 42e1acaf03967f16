"""Work beside the window: every signal arrives, whatever Python tidies up meanwhile."""

import gc
import unittest

from PyQt6.QtTest import QTest

from arabesque.desk.jobs import JobQueue
from tests.desk.support import application


class JobTest(unittest.TestCase):
    def test_slots_outlive_a_collection_while_others_wait(self) -> None:
        """A collection between two slots of one signal must not clear the second."""
        application()
        jobs = JobQueue()
        self.addCleanup(jobs.close)
        heard: list[str] = []

        def begin(number: int) -> None:
            job = jobs.quick("work", lambda progress: number)
            own = [number]
            job.done.connect(lambda result: heard.append(f"done {result}"))
            job.ended.connect(lambda: heard.append(f"collected {gc.collect() >= 0}"))
            job.ended.connect(lambda: heard.append(f"ended {own[0]}"))

        for number in range(10):
            begin(number)
        while not jobs.idle:
            QTest.qWait(5)
        self.assertEqual([word for word in heard if word.startswith("ended")], [f"ended {n}" for n in range(10)])
