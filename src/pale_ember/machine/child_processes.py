"""Processes of our own: started so that no file of the working folder is taken for a part of Python or of Pale Ember."""

from __future__ import annotations

import os
import sys
from pathlib import Path

import pale_ember


def command(module: str, *arguments: str) -> list[str]:
    """What starts a module of ours in a process of its own."""
    # Without -P the working folder would come before the standard library.
    return [sys.executable, "-P", "-m", module, *arguments]


def environment() -> dict[str, str]:
    """Where such a process finds Pale Ember."""
    there = [str(Path(pale_ember.__file__).resolve().parent.parent), *os.environ.get("PYTHONPATH", "").split(os.pathsep)]
    return os.environ | {"PYTHONPATH": os.pathsep.join(filter(os.path.isabs, there)), "PYTHONSAFEPATH": "1"}
