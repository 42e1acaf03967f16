"""The process in which the B-rep kernel lives.

The kernel holds the GIL, and some bad input crashes or hangs it. In a process
of its own it can do neither to the window: it is started when first needed,
given a time limit, and started again after a crash.
"""

import logging
import os
import subprocess
import sys
import time
from multiprocessing import Pipe
from multiprocessing.connection import Connection
from pathlib import Path
from threading import Lock, Thread
from typing import Any

from arabesque.errors import ArabesqueError, KernelCrash, KernelProblem
from arabesque.progress import Progress, silent

TIME_LIMIT = 120.0
"""s of processor time of a call: a busy machine is no reason to end one that is at work."""
STANDS_STILL = 4.0
"""Time limits after which a process that does not even use its processor is ended."""
POLL = 0.05

log = logging.getLogger(__name__)


def serve(handle: int) -> None:
    """The worker's loop over a pipe: name and arguments in, (ok, result or error) out, until its other end closes."""
    os.nice(5)  # starting it is work for a processor that the window may need at once
    connection = Connection(handle)

    from arabesque.solid import bodies, hidden, kernel, parting, repeating, swapping, writing

    kernel.prepare()
    rooms = (kernel, writing, hidden, bodies, parting, repeating, swapping)
    while True:
        try:
            name, arguments = connection.recv()
        except (EOFError, ConnectionError):
            return
        try:
            operation = next(getattr(room, name) for room in rooms if hasattr(room, name))
            answer = (True, operation(*arguments))
        except ArabesqueError as problem:
            answer = (False, problem)
        except Exception as problem:
            log.exception("kernel call %s failed", name)
            answer = (
                False,
                KernelProblem(f"The geometry kernel could not do this ({problem})", "Check the shapes it was given"),
            )
        try:
            connection.send(answer)
        except ConnectionError:
            return  # whoever asked is gone


class KernelWorker:
    """Calls functions of ``arabesque.solid.kernel`` in a process that is started when needed."""

    def __init__(self, time_limit: float = TIME_LIMIT) -> None:
        self._time_limit = time_limit
        self._lock = Lock()
        self._process: subprocess.Popen[bytes] | None = None
        self._connection: Connection | None = None
        self._sending: Thread | None = None

    def call(self, name: str, *arguments: Any, progress: Progress = silent) -> Any:
        """Result of the kernel function ``name``.

        Raises the ArabesqueError it raised; KernelProblem when the process
        crashed or took longer than the time limit (it is started afresh at
        the next call); Cancelled when ``progress`` asks for it.
        """
        with self._lock:
            connection = self._started()
            finished = False
            try:
                ok, answer = self._answer(connection, (name, arguments), progress)
                finished = True
            except (EOFError, OSError) as problem:
                raise KernelCrash(
                    "The geometry kernel crashed on these shapes; it has been started afresh",
                    "Your work is unharmed: change the shapes a little and try again",
                ) from problem
            finally:
                if not finished:
                    self._stop()
        if not ok:
            raise answer
        return answer

    def close(self) -> None:
        """End the process; the next call would start another. A call in the middle of its work ends at once."""
        process = self._process
        if process is not None:
            process.kill()
        with self._lock:
            self._stop()

    def _answer(self, connection: Connection, request: tuple[str, Any], progress: Progress) -> tuple[bool, Any]:
        """Send a request and wait for its answer, both under the one limit: a process that stands still reads nothing,
        and whoever wrote to it would wait for ever."""
        began, used = time.monotonic(), self._processor_time()
        failed: list[BaseException] = []

        def send() -> None:
            try:
                connection.send(request)
            except BaseException as problem:  # noqa: BLE001  # raised again by whoever waits for it
                failed.append(problem)

        sending = self._sending = Thread(target=send, name="arabesque-kernel-request", daemon=True)
        sending.start()
        while True:
            sending.join(POLL)
            if failed:
                raise failed[0]
            if not sending.is_alive() and connection.poll(POLL):
                break
            waited = time.monotonic() - began
            # neighbours only take time from it: while less has gone by than the limit, it cannot have used that up
            late = waited > self._time_limit and self._processor_time() - used > self._time_limit
            if late or waited > STANDS_STILL * self._time_limit:
                raise KernelProblem(
                    f"The geometry kernel did not answer within {self._time_limit:.0f} s; it has been started afresh",
                    "Try with fewer or simpler shapes",
                )
            progress(min(0.95, waited / (waited + 5.0)), "The kernel is at work")
        answer: tuple[bool, Any] = connection.recv()
        return answer

    def _processor_time(self) -> float:
        """s that the process has used; of one that is gone, any number: its pipe tells."""
        assert self._process is not None
        try:
            fields = Path(f"/proc/{self._process.pid}/stat").read_text(encoding="ascii").rpartition(")")[2].split()
        except OSError:
            return 0.0
        # utime and stime, proc(5)
        return (int(fields[11]) + int(fields[12])) / os.sysconf("SC_CLK_TCK")

    def _started(self) -> Connection:
        if self._process is None or self._process.poll() is not None or self._connection is None:
            self._stop()
            self._connection, theirs = Pipe()
            # not by multiprocessing, which would run a user's script once more in the new process
            handle = theirs.fileno()
            command = [sys.executable, "-c", f"from arabesque.solid.worker import serve; serve({handle})"]
            environment = {**os.environ, "PYTHONPATH": os.pathsep.join(filter(None, sys.path))}
            self._process = subprocess.Popen(command, env=environment, pass_fds=(handle,), stdin=subprocess.DEVNULL)
            theirs.close()
        return self._connection

    def _stop(self) -> None:
        if self._process is not None:
            self._process.kill()
            self._process.wait(5)
            self._process = None
        if self._sending is not None:
            self._sending.join()  # nobody reads any more: it has failed, or does so now
            self._sending = None
        if self._connection is not None:
            self._connection.close()
            self._connection = None
