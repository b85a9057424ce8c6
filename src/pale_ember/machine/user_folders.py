"""Where Pale Ember keeps things on a machine, by the XDG base directory specification (freedesktop.org, 0.8).

Settings lie in the configuration folder (`pale-ember/pale-ember.conf`), by Qt's own hand.
"""

from __future__ import annotations

import os
from pathlib import Path

NAME = "pale-ember"


def _base(variable: str, otherwise: str) -> Path:
    """A base folder; a relative one does not count, as the specification says."""
    told = os.environ.get(variable, "")
    return Path(told) if Path(told).is_absolute() else Path.home() / otherwise


def data_home() -> Path:
    """Where desktop entries, icons and the like are looked for."""
    return _base("XDG_DATA_HOME", ".local/share")


def state() -> Path:
    """What is kept from one start to the next but is no setting: work written aside, the log."""
    return _base("XDG_STATE_HOME", ".local/state") / NAME


def cache() -> Path:
    """What can be made again."""
    return _base("XDG_CACHE_HOME", ".cache") / NAME


def log_file() -> Path:
    """Where the log lies."""
    return state() / "pale-ember.log"
