"""Mesh files to triangles: OBJ, PLY, STL, glTF."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np

from pale_ember.core.geometry.mesh import Mesh

KINDS = (".obj", ".ply", ".stl", ".glb", ".gltf")

MOST_FACES = 2_000_000
"""Faces of one file: 200 MB while they are read."""


class MeshError(Exception):
    """A mesh that cannot be used; the message names it, what is wrong and what to do."""


def read_mesh(path: Path, part: str = "") -> Mesh:
    """The triangles of a file in its metres, joined into one mesh; only those of the object `part` where one is named.
    Raises MeshError."""
    if path.suffix.lower() not in KINDS:
        raise MeshError(
            f"{path.name}: expected a mesh ({', '.join(KINDS)}), found another kind of file; export it anew"
        )
    if not path.is_file():
        raise MeshError(f"{path.name}: the mesh is not there; put it beside the document or choose another")
    # A second and more to import, so only where a mesh is read.
    import trimesh

    try:
        parts = trimesh.load_scene(path, process=False, skip_materials=False)
        names = tuple(sorted(parts.geometry)) if len(parts.geometry) > 1 else ()
        if part and part not in parts.geometry:
            there = ", ".join(sorted(parts.geometry))
            raise MeshError(f'{path.name}: expected an object "{part}", found {there}; choose one of these')
        loaded: Any = parts.geometry[part] if part else parts.to_mesh()
        points, faces = np.asarray(loaded.vertices, float), np.asarray(loaded.faces, np.int64)
    except MeshError:
        raise
    except Exception as error:  # noqa: BLE001 - the library raises whatever its parsers meet
        raise MeshError(f"{path.name}: not a mesh that can be read ({error}); export it again") from None
    if not len(faces):
        raise MeshError(f"{path.name}: expected triangles, found none; export its faces")
    if len(faces) > MOST_FACES:
        raise MeshError(f"{path.name}: {len(faces):,} triangles are too many; at most {MOST_FACES:,}, thin it out")
    if not np.isfinite(points).all():
        raise MeshError(f"{path.name}: expected numbers for its points, found others; export it again")
    return Mesh(points, faces, _coords(loaded, len(points)), _density(loaded, len(points)), names)


def _coords(loaded: object, count: int) -> np.ndarray | None:
    coords = getattr(getattr(loaded, "visual", None), "uv", None)
    return np.asarray(coords, float)[:, :2] if coords is not None and len(coords) == count else None


def _density(loaded: object, count: int) -> np.ndarray | None:
    """(n,) how bright each point's colour is, 0 to 1."""
    visual = getattr(loaded, "visual", None)
    if getattr(visual, "kind", None) != "vertex":
        return None
    colours = np.array(visual.vertex_colors).astype(float)  # type: ignore[union-attr]
    return colours[:, :3].mean(axis=1) / 255 if len(colours) == count else None
