"""A virtual display for where there is none."""

from __future__ import annotations

import os
import subprocess


class NoDisplay(RuntimeError):  # noqa: N818 - it names what is missing
    """No virtual display could be started; the message says what to do."""


def virtual_display(width: int, height: int) -> tuple[subprocess.Popen, str]:
    """A virtual X display and its name; whoever asks ends the process. It is not begun anew when the last window is gone,
    for one that comes just then would not find it. Raises NoDisplay."""
    read, write = os.pipe()
    screen = f"{max(width, 640)}x{max(height, 480)}x24"
    process = subprocess.Popen(
        ["Xvfb", "-displayfd", str(write), "-screen", "0", screen, "-nolisten", "tcp", "-noreset"],
        pass_fds=(write,),
        stdout=subprocess.DEVNULL,
        stderr=subprocess.DEVNULL,
    )
    os.close(write)
    with os.fdopen(read) as pipe:
        number = pipe.readline().strip()
    if not number:
        raise NoDisplay("Xvfb: expected a virtual display, found none started; run it by hand to see why")
    return process, f":{number}"
