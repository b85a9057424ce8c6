"""The analysis process as the window sees it: a process that is told what to look at, and tells what it sees."""

from __future__ import annotations

import functools
import itertools
import pickle
import subprocess
import threading
from collections.abc import Callable
from multiprocessing.connection import Connection, Pipe
from typing import Any

import cloudpickle

from pale_ember.machine import child_processes

Listener = Callable[..., None]
"""What is called with what the analysis process tells, on a thread of its own: a name, and what belongs to it."""

ENDED = "ended by itself"
"""Told where the process is gone though nobody ended it; with its exit code."""


class AnalysisProcess:
    """A process that serves one listener at a time. It begins with the first message, and anew if it ended by itself; it ends with the
    program."""

    def __init__(self) -> None:
        self._process: subprocess.Popen[bytes] | None = None
        self._connection: Connection | None = None
        self._listener: Listener | None = None
        self._listening = threading.RLock()
        self._numbers = itertools.count(1)

    def listen(self, listener: Listener) -> None:
        """Tells a listener from now on, and none that was before."""
        with self._listening:
            self._listener = listener

    def leave(self, listener: Listener) -> None:
        """Tells a listener nothing more, and rests, unless another listens by now."""
        with self._listening:
            if self._listener != listener:
                return
            self._listener = None
        if self._connection is not None:
            self.send("rest")

    def send(self, name: str, *told: object) -> None:
        """Sends a message, as `looking.Looking` hears it. Functions go with what they close over."""
        if self._connection is None:
            self._begin()
        assert self._connection is not None
        try:
            self._connection.send_bytes(cloudpickle.dumps((name, told)))
        except OSError:
            # It is gone; whoever reads says so.
            self._connection = None

    def number(self) -> int:
        """A number by which something is told of that no other is."""
        return next(self._numbers)

    @property
    def process_id(self) -> int | None:
        """Of the process, where there is one."""
        return None if self._process is None else self._process.pid

    def _begin(self) -> None:
        ours, theirs = Pipe()
        with theirs:
            self._process = subprocess.Popen(
                child_processes.command("pale_ember.analysis.server", str(theirs.fileno())),
                stdin=subprocess.DEVNULL,
                pass_fds=[theirs.fileno()],
                env=child_processes.environment(),
            )
        self._connection = ours
        threading.Thread(target=self._read, args=(ours, self._process), name="pale-ember-analysis", daemon=True).start()

    def _read(self, connection: Connection, process: subprocess.Popen[bytes]) -> None:
        while True:
            try:
                told: tuple[Any, ...] = pickle.loads(connection.recv_bytes())
            except (EOFError, OSError):
                break
            with self._listening:
                if self._listener is not None:
                    self._listener(*told)
        code = process.wait()
        if self._connection is connection:
            self._connection = None
        with self._listening:
            if self._listener is not None:
                self._listener(ENDED, code)


@functools.cache
def analysis_process() -> AnalysisProcess:
    """The one of this program."""
    return AnalysisProcess()
