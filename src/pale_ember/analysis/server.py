"""The analysis process: `python -m pale_ember.analysis.server FD`, where FD is its end of the connection."""

from __future__ import annotations

import os
import pickle
import signal
import sys
import threading
from multiprocessing.connection import Connection

import cloudpickle

from pale_ember.analysis.jobs import AnalysisJobs
from pale_ember.machine.error_log import unforeseen

MODESTY = 5
"""How far it stands back behind the window and the stage, as `nice` counts."""


def serve(connection: Connection) -> None:
    """Looks at what it is told, until the other end is gone."""
    telling = threading.Lock()

    def tell(name: str, *told: object) -> None:
        with telling:
            try:
                connection.send_bytes(cloudpickle.dumps((name, *told)))
            except OSError:
                _leave()

    looking = AnalysisJobs(tell)
    threading.Thread(target=_hear, args=(connection, looking), name="pale-ember-hearing", daemon=True).start()
    looking.run()


def _leave() -> None:
    """The window is gone, and nobody waits for what is under way."""
    os._exit(0)


def _hear(connection: Connection, looking: AnalysisJobs) -> None:
    while True:
        try:
            looking.hear(*pickle.loads(connection.recv_bytes()))
        except (EOFError, OSError):
            _leave()
        except Exception as error:  # noqa: BLE001 - what was not understood would be missed for ever: it begins anew
            unforeseen(error)
            os._exit(1)


if __name__ == "__main__":
    # Whoever interrupts the program at a terminal means the window; this ends with it.
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    # Where the processor draws, its threads are as modest.
    os.nice(MODESTY)
    serve(Connection(int(sys.argv[1])))
