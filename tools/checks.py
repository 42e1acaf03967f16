"""Run every check and close with one clear summary. Called by ./check in the virtual environment."""

import os
import re
import subprocess
import sys
import time
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
BIN = Path(sys.executable).parent

WINDOW_TEST = 7
"""A test that drives the window takes about so many times as long as another one."""

ONE_CORE = {"OPENBLAS_NUM_THREADS": "1", "LP_NUM_THREADS": "1"}
"""Two groups of tests run side by side on two cores: neither is to take the other's."""

TIMES: list[tuple[float, str]] = []
"""Seconds that each test took, from the end of the one before it in its group."""

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
    groups = [modules] if modules else halves()
    with ThreadPoolExecutor(len(groups)) as pool:
        counts = list(pool.map(run_tests, groups))
    passed, failed, skipped = (sum(numbers) for numbers in zip(*counts, strict=True))
    results["tests"] = failed == 0 and all(ran > 0 for ran, _, _ in counts)
    print(f"\ntests took {time.monotonic() - began:.0f} s; the slowest:")
    for seconds, name in sorted(TIMES, reverse=True)[:12]:
        print(f"{seconds:6.1f} s  {name}")
    print("   ".join(f"{name}: {'ok' if ok else 'FAILED'}" for name, ok in results.items()))
    if not results["tests"] and failed == 0:
        print("no test ran: that counts as a failure")
    print(f"{passed} passed, {failed} failed, {skipped} skipped")
    return 0 if all(results.values()) else 1


def halves() -> list[list[str]]:
    """All test modules in two groups that take about as long, to run side by side."""
    weights = {}
    for path in (ROOT / "tests").rglob("test_*.py"):
        name = ".".join(path.relative_to(ROOT).with_suffix("").parts)
        count = path.read_text(encoding="utf-8").count("    def test_")
        weights[name] = count * (WINDOW_TEST if name.startswith("tests.desk.") else 1)
    groups: list[list[str]] = [[], []]
    for name in sorted(weights, key=lambda name: (-weights[name], name)):
        min(groups, key=lambda group: sum(weights[one] for one in group)).append(name)
    return groups


def run_tests(modules: list[str]) -> tuple[int, int, int]:
    """Run unittest on a screen of its own; returns passed, failed (with errors) and skipped."""
    command = [sys.executable, "-X", "faulthandler", "-m", "unittest", "-v", *modules]
    lines: list[str] = []
    before = time.monotonic()
    with Screen() as environment:
        environment |= ONE_CORE
        process = subprocess.Popen(command, cwd=ROOT, env=environment, stderr=subprocess.PIPE, text=True, bufsize=1)
        assert process.stderr is not None
        told = 0
        for line in process.stderr:
            lines.append(line)
            if line.rstrip().endswith("... ok"):
                now = time.monotonic()
                TIMES.append((now - before, line.removesuffix("... ok\n")))
                before = now
            # what failed is told in one piece at the end, so that two groups do not mix
            if told == len(lines) - 1 and not line.startswith(("====", "----")):
                sys.stdout.write(line)
                sys.stdout.flush()
                told += 1
        code = process.wait()
    sys.stdout.write("".join(lines[told:]))
    sys.stdout.flush()
    text = "".join(lines[-4:])
    ran = re.search(r"^Ran (\d+) test", text, re.MULTILINE)
    count = {word: int(n) for word, n in re.findall(r"(failures|errors|skipped|unexpected successes)=(\d+)", text)}
    failed = count.get("failures", 0) + count.get("errors", 0) + count.get("unexpected successes", 0)
    if code != 0 and failed == 0:
        failed = 1  # the runner itself died
    skipped = count.get("skipped", 0)
    return max(0, (int(ran[1]) if ran else 0) - failed - skipped), failed, skipped


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
