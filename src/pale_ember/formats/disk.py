"""Files written whole or not at all."""

from __future__ import annotations

import os
import tempfile
from pathlib import Path


def write_whole(path: Path, data: bytes) -> None:
    """Writes a file so that whatever happens either the old one or the new one is there, whole. A link stays one, and what
    it leads to is written. Raises OSError."""
    path = Path(os.path.realpath(path))
    handle, name = tempfile.mkstemp(prefix=f".{path.name}.", dir=path.parent)
    try:
        with os.fdopen(handle, "wb") as file:
            file.write(data)
            file.flush()
            os.fsync(file.fileno())
        os.chmod(name, path.stat().st_mode & 0o777 if path.exists() else 0o644)
        os.replace(name, path)
    except BaseException:
        Path(name).unlink(missing_ok=True)
        raise
