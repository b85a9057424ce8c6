"""Events from outside: JSON lines over the loopback. Whoever sends too much, too long or nothing understandable is told so."""

from __future__ import annotations

import contextlib
import json
import queue
import selectors
import socket
import threading
import time
from collections import deque
from typing import Any

LOOPBACK = "127.0.0.1"
"""The only address that is listened on."""

PORT = 47110
LONGEST = 4096
"""Bytes of a line at most."""
MOST_PEERS = 8
RATE, BURST = 60.0, 120
"""Lines a second of one peer, and how many may come at once."""
_UNREAD = 256 * 1024
"""Bytes of answers that a peer may leave unread before it is let go."""


class _Peer:
    def __init__(self, link: socket.socket) -> None:
        self.link, self.heard, self.unsent = link, b"", deque[bytes]()
        self.waits, self.allowed, self.since = 0, float(BURST), time.monotonic()
        self.skipping = False
        """Whether the rest of a line that was too long is still coming."""

    def may_speak(self) -> bool:
        now = time.monotonic()
        self.allowed = min(self.allowed + (now - self.since) * RATE, float(BURST))
        self.since = now
        if self.allowed < 1.0:
            return False
        self.allowed -= 1.0
        return True


class Wire:
    """A thread that listens. Messages wait in `heard` as (message, answer) until the game takes them."""

    def __init__(self, port: int = PORT) -> None:
        """port : 0 for any that is free. Raises OSError where it is taken."""
        self.heard: queue.Queue[tuple[Any, Any]] = queue.Queue(maxsize=512)
        self._server = socket.create_server((LOOPBACK, port))
        self._server.setblocking(False)
        self.port: int = self._server.getsockname()[1]
        self._poll = selectors.DefaultSelector()
        self._poll.register(self._server, selectors.EVENT_READ)
        self._answers: queue.Queue[tuple[_Peer, dict[str, Any]]] = queue.Queue()
        self._peers: set[_Peer] = set()
        self._ends = False
        self._thread = threading.Thread(target=self._run, name="pale-ember-wire", daemon=True)
        self._thread.start()

    def close(self) -> None:
        """Closes the port and all connections."""
        self._ends = True
        self._thread.join(timeout=2)

    def _run(self) -> None:
        try:
            while not self._ends:
                for key, _ in self._poll.select(timeout=0.02):
                    if key.data is None:
                        self._welcome()
                    else:
                        self._read(key.data)
                while not self._answers.empty():
                    peer, answer = self._answers.get()
                    self._say(peer, answer)
                for peer in list(self._peers):
                    self._send(peer)
        finally:
            for peer in list(self._peers):
                self._part(peer)
            self._server.close()
            self._poll.close()

    def _welcome(self) -> None:
        try:
            link, _ = self._server.accept()
        except OSError:
            return
        link.setblocking(False)
        peer = _Peer(link)
        if len(self._peers) >= MOST_PEERS:
            self._peers.add(peer)
            self._say(peer, {"error": f"expected at most {MOST_PEERS} at once, found one more; try again when one has left"})
            self._send(peer)
            self._part(peer)
            return
        self._peers.add(peer)
        self._poll.register(link, selectors.EVENT_READ, peer)

    def _part(self, peer: _Peer) -> None:
        self._peers.discard(peer)
        with contextlib.suppress(KeyError, ValueError):
            self._poll.unregister(peer.link)
        peer.link.close()

    def _read(self, peer: _Peer) -> None:
        try:
            data = peer.link.recv(65536)
        except BlockingIOError:
            return
        except OSError:
            data = b""
        if not data:
            self._part(peer)
            return
        *lines, peer.heard = (peer.heard + data).split(b"\n")
        if peer.skipping and lines:
            lines, peer.skipping = lines[1:], False
        for line in lines:
            self._line(peer, line)
        if len(peer.heard) > LONGEST:
            if not peer.skipping:
                self._say(peer, {"error": f"expected lines of at most {LONGEST} bytes, found a longer one; it was left out"})
            peer.heard, peer.skipping = b"", True

    def _line(self, peer: _Peer, line: bytes) -> None:
        if not line.strip():
            return
        if not peer.may_speak():
            self._say(peer, {"error": f"expected at most {RATE:g} lines a second, found more; this one was left out"})
            return
        if len(line) > LONGEST:
            self._say(peer, {"error": f"expected lines of at most {LONGEST} bytes, found {len(line)}; it was left out"})
            return
        try:
            message = json.loads(line)
        except (ValueError, RecursionError):
            self._say(peer, {"error": "expected a JSON value on one line, found something else; it was left out"})
            return
        try:
            self.heard.put_nowait((message, lambda answer, peer=peer: self._answers.put((peer, answer))))
        except queue.Full:
            self._say(peer, {"error": "the game is busy; this line was left out"})

    def _say(self, peer: _Peer, answer: dict[str, Any]) -> None:
        data = (json.dumps(answer) + "\n").encode()
        if peer.waits + len(data) > _UNREAD:
            # It does not read what it asked for.
            self._part(peer)
            return
        peer.unsent.append(data)
        peer.waits += len(data)

    def _send(self, peer: _Peer) -> None:
        while peer.unsent and peer in self._peers:
            data = peer.unsent[0]
            try:
                sent = peer.link.send(data)
            except BlockingIOError:
                return
            except OSError:
                self._part(peer)
                return
            peer.waits -= sent
            if sent < len(data):
                peer.unsent[0] = data[sent:]
                return
            peer.unsent.popleft()


def send(port: int, message: dict[str, Any], seconds: float = 5.0) -> dict[str, Any]:
    """Sends one message to a game that listens, and gives its answer; its first play may have kernels to read. Raises OSError."""
    with socket.create_connection((LOOPBACK, port), timeout=seconds) as link:
        link.sendall((json.dumps(message) + "\n").encode())
        answer = b""
        while not answer.endswith(b"\n"):
            data = link.recv(65536)
            if not data:
                raise ConnectionError("it hung up")
            answer += data
        return json.loads(answer)
