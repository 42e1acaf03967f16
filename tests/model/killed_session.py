"""Kill scripted sessions at random moments and see what their journals give back.

Run as a program: python -m tests.model.killed_session FOLDER ROUNDS. Each
round forks a session that commits random steps and notes each on a pipe just
before and just after; the parent kills it with SIGKILL after a random time
and recovers. Prints one JSON line a round.
"""

import json
import os
import random
import select
import signal
import sys
import tempfile
import time
from pathlib import Path

import numpy as np

from arabesque.model import Document, Item, Journal, leftovers, recover
from tests.examples import plane, random_surface

SAFE_WITHIN = 1.0
"""A committed step is on the disk within so many seconds, and what the disk itself makes everybody wait."""


def session(folder: Path, pipe: int, seed: int) -> None:
    """Commit random edits for ever, telling the pipe the number and time of each."""
    rng = np.random.default_rng(seed)
    journal = Journal(folder, lambda problem: os.write(pipe, f"problem {problem}\n".encode()))
    document = (
        Document()
        .with_item(Item("s", "scan", plane(steps=20)))
        .with_item(Item("p", "Patch", random_surface((3, 3), (1, 1))))
    )
    journal.begin("0", document, None)
    for number in range(1, 100_000):
        surface = document["p"].shape
        before = document
        document = document.with_shape("p", surface.with_points(surface.points + rng.normal(size=3)))
        journal.commit(str(number), before, document)
        os.write(pipe, f"{number} {time.time()} {float(document['p'].shape.points[0, 0, 0])!r}\n".encode())
        time.sleep(rng.uniform(0, 0.01))


def disk_takes(folder: Path) -> float:
    """How long the disk takes for a few bytes just now, s: what waits for a busy disk is not lost by the program."""
    began = time.time()
    with (folder / "probe").open("wb") as probe:
        probe.write(b"probe")
        probe.flush()
        os.fsync(probe.fileno())
    (folder / "probe").unlink()
    return time.time() - began


def one_round(folder: Path, seed: int) -> dict[str, object]:
    """One session, killed at a random moment."""
    read, write = os.pipe()
    child = os.fork()
    if child == 0:
        os.close(read)
        try:
            session(folder, write, seed)
        finally:
            os._exit(1)
    os.close(write)
    end = time.time() + random.Random(seed).uniform(0.005, 1.6)
    told, stall = b"", 0.0
    with tempfile.TemporaryDirectory(dir=folder.parent) as beside:
        while (left := end - time.time()) > 0:
            if select.select([read], [], [], min(left, 0.05))[0]:
                told += os.read(read, 65536)
            stall = max(stall, disk_takes(Path(beside)))
    os.kill(child, signal.SIGKILL)
    killed = time.time()
    os.waitpid(child, 0)
    while chunk := os.read(read, 65536):
        told += chunk
    os.close(read)
    lines = [line.split() for line in told.decode().splitlines() if line]
    found = leftovers(folder)
    result: dict[str, object] = {"seed": seed, "committed": len(lines), "found": len(found), "wrong": 0, "missing": 0}
    safe = [line for line in lines if float(line[1]) < killed - SAFE_WITHIN - stall]
    kept = 0
    if found:
        history = recover(found[0]).history
        kept = len(history.steps) - 1
        for step, line in zip(history.steps[1:], lines, strict=False):
            same = step.label == line[0] and float(step.document["p"].shape.points[0, 0, 0]) == float(line[2])
            result["wrong"] = int(result["wrong"]) + (not same)  # type: ignore[call-overload]
        for leftover in found:
            for path in sorted(leftover.folder.rglob("*"), reverse=True):
                path.rmdir() if path.is_dir() else path.unlink()
            leftover.folder.rmdir()
    result["kept"], result["missing"] = kept, max(0, len(safe) - kept)
    return result


if __name__ == "__main__":
    for round_seed in range(int(sys.argv[2])):
        sys.stdout.write(json.dumps(one_round(Path(sys.argv[1]), round_seed)) + "\n")
