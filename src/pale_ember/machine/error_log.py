"""The log: what went wrong and nobody expected, in a file that is kept small."""

from __future__ import annotations

import logging
import platform
import sys
import threading
import traceback
from logging.handlers import RotatingFileHandler

from pale_ember import __version__
from pale_ember.machine.user_folders import log_file

LOG = logging.getLogger("pale_ember")

_MOST = 1_000_000
"""Bytes of one file; two older ones are kept."""


def begin() -> None:
    """Opens the log, once. Where it cannot be written, what would stand in it goes to the error output alone."""
    if LOG.handlers:
        return
    LOG.setLevel(logging.INFO)
    LOG.propagate = False
    LOG.addHandler(logging.StreamHandler())
    LOG.handlers[0].setLevel(logging.ERROR)
    try:
        log_file().parent.mkdir(parents=True, exist_ok=True)
        kept = RotatingFileHandler(log_file(), maxBytes=_MOST, backupCount=2, encoding="utf-8", delay=True)
        kept.setFormatter(logging.Formatter("%(asctime)s %(levelname)s %(threadName)s: %(message)s"))
        LOG.addHandler(kept)
        LOG.info("Pale Ember %s on %s, Python %s", __version__, platform.platform(), platform.python_version())
    except OSError as error:
        LOG.error("The log cannot be written to %s (%s).", log_file(), error.strerror)


def standing_still(what: str) -> str:
    """One sentence about a part of the program that nothing is heard of; where each thread stands goes to the log."""
    begin()
    names = {thread.ident: thread.name for thread in threading.enumerate()}
    stands = [f"{names.get(ident, ident)}:\n" + "".join(traceback.format_stack(frame)) for ident, frame in sys._current_frames().items()]
    LOG.error("%s. Where each thread stands:\n%s", what, "\n".join(stands))
    return f"{what}; it starts again. More stands in {log_file()}."


def unforeseen(error: BaseException) -> str:
    """One sentence about an error that nobody expected; the whole of it goes to the log. One that is `plain` speaks for itself."""
    if getattr(error, "plain", False):
        return f"{str(error)[:1].upper()}{str(error)[1:]}."
    begin()
    LOG.error("Unforeseen: %s", error, exc_info=error)
    said = str(error).strip().splitlines()[0] if str(error).strip() else "no more is known"
    return (
        f"Something unforeseen happened ({type(error).__name__}: {said}). The work goes on; save it and try again. "
        f"More stands in {log_file()}."
    )
