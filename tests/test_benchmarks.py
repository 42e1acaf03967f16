"""The measuring program: what it has measured is in the report, whatever comes after."""

import contextlib
import io
import json
import sys
import tempfile
import unittest
from pathlib import Path
from unittest import mock

import numpy as np
from benchmarks import __main__ as bench
from benchmarks.row import Row


class ReportTest(unittest.TestCase):
    def run_bench(self, rows: object, path: Path) -> int:
        arguments = ["bench", "--only", "core", "--report", str(path)]
        with (
            mock.patch.object(sys, "argv", arguments),
            mock.patch.object(bench.numbers, "rows", rows),
            contextlib.redirect_stdout(io.StringIO()),
        ):
            return bench.main()

    def test_numpy_figures_are_written(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "r.json"
            rows = [
                Row("a", np.float64(1.0), np.float32(2.0), np.float64(0.6), "ms"),
                Row("b", np.float64(3), None, 2, "ms"),
            ]
            self.assertEqual(self.run_bench(lambda: rows, path), 1)
            told = json.loads(path.read_text())
        self.assertEqual(
            [(row["name"], row["holds"], row["ratio"]) for row in told], [("a", True, 0.5), ("b", False, None)]
        )

    def test_rows_are_written_as_they_come(self) -> None:
        def rows() -> object:
            yield Row("a", 1.0, None, 2.0, "ms")
            raise RuntimeError("the second measurement failed")

        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "r.json"
            with self.assertRaisesRegex(RuntimeError, "second"):
                self.run_bench(rows, path)
            self.assertEqual([row["name"] for row in json.loads(path.read_text())], ["a"])


if __name__ == "__main__":
    unittest.main()
