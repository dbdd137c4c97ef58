"""Work that is killed in the middle, again and again, by a process that is warm, each in a fork of it."""

from __future__ import annotations

import subprocess
import sys
import textwrap
from collections.abc import Iterator
from contextlib import contextmanager

_LOOP = """
import os, signal, sys, time

for line in sys.stdin:
    seconds, *arguments = line.rstrip("\\n").split("\\t")
    child = os.fork()
    if child == 0:
        try:
            work(*arguments)
            print("done", flush=True)
        finally:
            os._exit(0)
    until = time.monotonic() + float(seconds)
    while time.monotonic() < until and os.waitpid(child, os.WNOHANG) == (0, 0):
        time.sleep(0.001)
    try:
        os.kill(child, signal.SIGKILL)  # not waited for yet: it is still this very child
        os.waitpid(child, 0)
    except (ProcessLookupError, ChildProcessError):
        pass
    print("over", flush=True)
"""


class Worker:
    """A process that does a piece of work as often as it is asked."""

    def __init__(self, process: subprocess.Popen[str]) -> None:
        self._process = process

    def killed_after(self, seconds: float, *arguments: object) -> bool:
        """Begin the work and kill it after a while: whether it said before that it is done."""
        self._process.stdin.write("\t".join(str(a) for a in (seconds, *arguments)) + "\n")
        self._process.stdin.flush()
        said = []
        while (line := self._process.stdout.readline().strip()) != "over":
            assert line in ("done", ""), line
            assert self._process.poll() is None
            said.append(line)
        return "done" in said


@contextmanager
def worker(work: str, *arguments: object) -> Iterator[Worker]:
    """A worker for source code that defines ``work(*texts)``; the arguments are in its ``sys.argv``."""
    command = [sys.executable, "-c", textwrap.dedent(work) + _LOOP, *map(str, arguments)]
    with subprocess.Popen(command, stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True) as process:
        yield Worker(process)
        process.stdin.close()
        process.wait(10)
