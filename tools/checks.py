"""Run every check and close with one clear summary. Called by ./check in the virtual environment."""

import contextlib
import os
import subprocess
import sys
import time
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from queue import Empty, SimpleQueue

from tools.runner import DONE

ROOT = Path(__file__).resolve().parent.parent
BIN = Path(sys.executable).parent

WORKERS = 2
WINDOW_TEST = 7
"""A test that drives the window takes about so many times as long as another one."""

ONE_CORE = {"OPENBLAS_NUM_THREADS": "1", "LP_NUM_THREADS": "1"}
"""Two processes run tests side by side on two cores: neither is to take the other's."""

TIMES: list[tuple[float, str]] = []
"""Seconds that each test took, from the end of the one before it in its group."""

DYING = 80
"""So many lines of a process that died are told again: the stacks of its threads are among them."""

FAILURES: list[str] = []
"""What failed, in full: told once more at the very end, where a log that was cut still has it."""

PARTS = {
    "style": [str(BIN / "ruff"), "check", "src", "tests", "benchmarks", "tools"],
    "types": [str(BIN / "mypy")],
    "imports": [str(BIN / "lint-imports"), "--no-logo"],
}


def main(modules: list[str]) -> int:
    """Run all parts, or with ``modules`` only those tests; returns the exit code."""
    results = {}
    if not modules:
        for name, command in PARTS.items():
            results[name] = subprocess.run(command, cwd=ROOT, check=False).returncode == 0
    began = time.monotonic()
    waiting: SimpleQueue[list[str]] = SimpleQueue()
    for names in [modules] if modules else [[name] for name in heaviest_first()]:
        waiting.put(names)
    workers = 1 if modules else WORKERS
    with ThreadPoolExecutor(workers) as pool:
        counts = list(pool.map(lambda _: run_tests(waiting), range(workers)))
    passed, failed, skipped = (sum(numbers) for numbers in zip(*counts, strict=True))
    results["tests"] = failed == 0 and passed > 0
    print(f"\ntests took {time.monotonic() - began:.0f} s; the slowest:")
    for seconds, name in sorted(TIMES, reverse=True)[:12]:
        print(f"{seconds:6.1f} s  {name}")
    for failure in FAILURES:
        print(f"\n{failure.rstrip()}")
    print("   ".join(f"{name}: {'ok' if ok else 'FAILED'}" for name, ok in results.items()))
    if not results["tests"] and failed == 0:
        print("no test ran: that counts as a failure")
    print(f"{passed} passed, {failed} failed, {skipped} skipped")
    return 0 if all(results.values()) else 1


def heaviest_first() -> list[str]:
    """All test modules, those that probably take longest first: what comes last fills the gaps."""
    weights = {}
    for path in (ROOT / "tests").rglob("test_*.py"):
        name = ".".join(path.relative_to(ROOT).with_suffix("").parts)
        count = path.read_text(encoding="utf-8").count("    def test_")
        weights[name] = count * (WINDOW_TEST if name.startswith("tests.desk.") else 1)
    return sorted(weights, key=lambda name: (-weights[name], name))


def run_tests(waiting: "SimpleQueue[list[str]]") -> tuple[int, int, int]:
    """Run what waits, with a screen of its own; returns passed, failed (with errors) and skipped.

    One process runs module after module; where it dies the next one goes on with what still waits.
    """
    command = [sys.executable, "-X", "faulthandler", "-m", "tools.runner"]
    total = [0, 0, 0]
    with Screen() as environment:
        environment |= ONE_CORE
        while not waiting.empty():
            pipe = subprocess.PIPE
            process = subprocess.Popen(
                command, cwd=ROOT, env=environment, stdin=pipe, stderr=pipe, text=True, bufsize=1
            )
            with contextlib.suppress(Empty):
                while process.poll() is None:
                    ran, failed, skipped = run_modules(process, waiting.get_nowait())
                    total = [total[0] + ran - failed - skipped, total[1] + failed, total[2] + skipped]
            assert process.stdin is not None
            process.stdin.close()
            process.wait()
    return total[0], total[1], total[2]


def run_modules(process: "subprocess.Popen[str]", modules: list[str]) -> tuple[int, int, int]:
    """Have the process run some modules; how many tests ran, failed and were skipped."""
    assert process.stdin is not None and process.stderr is not None
    process.stdin.write(" ".join(modules) + "\n")
    process.stdin.flush()
    lines: list[str] = []
    before, told = time.monotonic(), 0
    for line in process.stderr:
        if line.startswith(DONE):
            ran, failed, skipped = (int(number) for number in line.removeprefix(DONE).split())
            if failed:
                FAILURES.append("".join(lines[told:]))
            return ran, failed, skipped
        lines.append(line)
        if line.rstrip().endswith("... ok"):
            now = time.monotonic()
            TIMES.append((now - before, line.removesuffix("... ok\n")))
            before = now
        # what failed is told in one piece at the end, so that two processes do not mix
        if told == len(lines) - 1 and not line.startswith(("====", "----")):
            sys.stdout.write(line)
            sys.stdout.flush()
            told += 1
    code = process.wait()
    passed = sum(line.rstrip().endswith("... ok") for line in lines)
    FAILURES.append(f"the process died ({code}) in {' '.join(modules)}:\n" + "".join(lines[-DYING:]))
    return passed + 1, 1, 0


class Screen:
    """A virtual screen for the window tests, unless there is an X display to use."""

    size = "1400x900x24"

    def __enter__(self) -> dict[str, str]:
        self._server: subprocess.Popen[bytes] | None = None
        environment = {**os.environ, "QT_QPA_PLATFORM": "xcb", "LIBGL_ALWAYS_SOFTWARE": "1"}
        if not os.environ.get("ARABESQUE_TEST_DISPLAY"):
            read, write = os.pipe()
            self._server = subprocess.Popen(
                ["Xvfb", "-displayfd", str(write), "-screen", "0", self.size, "-nolisten", "tcp"],
                pass_fds=[write],
                stdout=subprocess.DEVNULL,
                stderr=subprocess.DEVNULL,
            )
            os.close(write)
            with os.fdopen(read) as number:
                environment["DISPLAY"] = ":" + number.readline().strip()
        return environment

    def __exit__(self, *_: object) -> None:
        if self._server is not None:
            self._server.terminate()
            self._server.wait()


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
