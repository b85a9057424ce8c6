"""A package read back, as a game reads it: nothing of the document it was made of is needed."""

from __future__ import annotations

import hashlib
import json
from pathlib import Path, PurePosixPath
from typing import Any

from pale_ember.core.effect.files import meshes_of, pictures_of
from pale_ember.core.effect.model import Effect
from pale_ember.formats.files import read_regular
from pale_ember.formats.handover.runtime import PackageError, effect_of

MOST_BYTES = 256 * 2**20
"""Of effect.json: more is no effect."""


def is_package(path: Path) -> bool:
    """Whether a path leads to a package, or to the effect in one."""
    return path.is_dir() or path.name == "effect.json"


def read_package(folder: Path) -> Effect:
    """The effect of a package, its pictures and meshes by their names there. Every file is looked at first. Raises
    PackageError."""
    manifest = _json(folder, "manifest.json")
    listed = manifest.get("files") if isinstance(manifest, dict) else None
    if not isinstance(listed, list):
        raise PackageError("manifest.json: expected a list of files, found none; hand the effect over again")
    known = {each["name"]: each for each in listed if isinstance(each, dict) and isinstance(each.get("name"), str)}
    effect = effect_of(_as_json("effect.json", _handed_over(folder, "effect.json", known)))
    for name in (*pictures_of(effect), *meshes_of(effect)):
        inside(name)
        _handed_over(folder, name, known)
    return effect


def _handed_over(folder: Path, name: str, known: dict[str, dict[str, Any]]) -> bytes:
    """A file as the manifest knows it. Raises PackageError."""
    if name not in known:
        raise PackageError(f"manifest.json: expected {name} in the list, found it is not; hand the effect over again")
    data = _bytes(folder, name)
    if hashlib.sha256(data).hexdigest() != known[name].get("sha256"):
        raise PackageError(f"{name}: expected the file that was handed over, found another; hand the effect over again")
    return data


def inside(name: str) -> None:
    """Raises PackageError for a name that leads out of its package."""
    parts = PurePosixPath(name).parts
    if not parts or name.startswith("/") or ".." in parts or "\\" in name or ":" in parts[0]:
        raise PackageError(f'"{name}": expected a file within the package, found one outside; hand the effect over again')


def _bytes(folder: Path, name: str) -> bytes:
    path = folder / name
    if folder.resolve() not in path.resolve().parents:
        raise PackageError(f'"{name}": expected a file within the package, found a link that leads outside; remove it')
    try:
        return read_regular(path, MOST_BYTES)
    except FileNotFoundError:
        raise PackageError(f"{name}: expected a file of the package, found none; hand the effect over again") from None
    except OSError as error:
        raise PackageError(f"{name}: expected a file that can be read, found {error.strerror}; check its rights") from None


def _json(folder: Path, name: str) -> Any:
    return _as_json(name, _bytes(folder, name))


def _as_json(name: str, data: bytes) -> Any:
    try:
        return json.loads(data)
    except (ValueError, RecursionError):
        raise PackageError(f"{name}: expected JSON, found something else; hand the effect over again") from None
