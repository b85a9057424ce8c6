"""A game's player under test: a process that is asked a line at a time, and may do whatever it likes with it."""

from __future__ import annotations

import contextlib
import json
import os
import shlex
import signal
import subprocess
import threading
from typing import Any

from pale_ember.commands.common import Refused

PATIENCE = 60.0
"""Seconds that a player may take over one answer."""

LONGEST = 64 * 2**20
"""Bytes of an answer at most."""


class PlayerProcess:
    """A command that answers a line of JSON with a line of JSON. It ends with all that it started."""

    def __init__(self, command: str) -> None:
        """Raises Refused where the command does not start."""
        try:
            words = shlex.split(command)
        except ValueError:
            words = []
        if not words:
            raise Refused(f'--player: expected a command that starts a player, found "{command}"; name a program')
        try:
            # A group of its own: a shell's children are ended with it.
            self._process = subprocess.Popen(words, stdin=subprocess.PIPE, stdout=subprocess.PIPE, start_new_session=True)
        except (OSError, ValueError) as error:
            found = getattr(error, "strerror", None) or "what is no command"
            raise Refused(f'--player: expected a command that starts a player, found "{words[0]}": {found}') from None

    def __enter__(self) -> PlayerProcess:
        return self

    def __exit__(self, *_: object) -> None:
        self._end()
        self._process.wait()

    def _end(self) -> None:
        with contextlib.suppress(ProcessLookupError, PermissionError):
            os.killpg(self._process.pid, signal.SIGKILL)

    def answer(self, question: Any) -> Any:
        """What it makes of a question. Raises ValueError, in a sentence."""
        late = threading.Event()

        def give_up() -> None:
            late.set()
            self._end()

        watch = threading.Timer(PATIENCE, give_up)
        watch.start()
        try:
            self._process.stdin.write(json.dumps(question).encode() + b"\n")  # type: ignore[union-attr]
            self._process.stdin.flush()  # type: ignore[union-attr]
            line = self._process.stdout.readline(LONGEST + 1)  # type: ignore[union-attr]
        except OSError:
            line = b""
        finally:
            watch.cancel()
        if late.is_set():
            raise ValueError(f"expected a line within {PATIENCE:g} s, found {'half of one' if line else 'none'}: it was ended")
        if len(line) > LONGEST:
            self._end()
            raise ValueError(f"expected a line of at most {LONGEST // 2**20} MB, found a longer one: it was ended")
        if not line.endswith(b"\n"):
            raise ValueError(f"expected a whole line, found {'half of one' if line else 'none'}, and then the player ended")
        try:
            return json.loads(line)
        except (ValueError, RecursionError):
            seen = line[:60].decode("ascii", "backslashreplace").strip()
            raise ValueError(f"expected a JSON value on one line, found: {seen}") from None
