"""Mesh files to triangles: OBJ, PLY, STL, glTF."""

from __future__ import annotations

import io
from pathlib import Path
from typing import Any

import numpy as np

from pale_ember.core.geometry.mesh import Mesh
from pale_ember.formats.files import read_regular

KINDS = (".obj", ".ply", ".stl", ".glb", ".gltf")

MOST_FACES = 2_000_000
"""Faces of one file: 200 MB while they are read."""


FARTHEST = 1e6
"""Metres from a mesh's origin beyond which its points cannot be told apart."""


def is_file(path: Path) -> bool:
    """Whether there is a file of that name; a name that cannot be is none."""
    try:
        return path.is_file()
    except OSError:
        return False


class MeshError(Exception):
    """A mesh that cannot be used; the message names it, what is wrong and what to do."""


def read_mesh(path: Path, part: str = "") -> Mesh:
    """The triangles of a file in its metres, joined into one mesh; only those of the object `part` where one is named.
    Raises MeshError."""
    if path.suffix.lower() not in KINDS:
        raise MeshError(f"{path.name}: expected a mesh ({', '.join(KINDS)}), found another kind of file; export it again")
    if not is_file(path):
        raise MeshError(f"{path.name}: the mesh is not there; put it beside the document or choose another")
    # A second and more to import, so only where a mesh is read.
    import trimesh

    try:
        more: dict[str, Any] = {}
        source: Any = path
        if path.suffix.lower() == ".obj":
            more = {"file_type": "obj", "resolver": trimesh.resolvers.FilePathResolver(str(path))}
            source = io.BytesIO(_as_utf8(read_regular(path)))
        parts = trimesh.load_scene(source, process=False, skip_materials=False, **more)
        names = tuple(sorted(parts.geometry)) if len(parts.geometry) > 1 else ()
        if part and part not in parts.geometry:
            there = ", ".join(sorted(parts.geometry))
            raise MeshError(f'{path.name}: expected an object "{part}", found {there}; choose one of these')
        loaded: Any = _joined(parts, part)
        points, faces = np.asarray(loaded.vertices, float), np.asarray(loaded.faces, np.int64)
    except MeshError:
        raise
    except Exception as error:  # The library raises whatever its parsers meet.
        kind = path.suffix.lower().removeprefix(".").upper()
        raise MeshError(f"{path.name}: expected a {kind} mesh, found data that is none; export it again") from error
    if not len(faces):
        raise MeshError(f"{path.name}: expected triangles, found none; export its faces")
    if len(faces) > MOST_FACES:
        raise MeshError(f"{path.name}: {len(faces):,} triangles are too many; at most {MOST_FACES:,}, thin it out")
    _check(path, points, faces)
    return Mesh(points, faces, _coords(loaded, len(points)), _density(loaded, len(points)), names)


def _as_utf8(text: bytes) -> bytes:
    """A text whose names and comments may be of an older code: Latin-1 has a sign for every byte."""
    try:
        text.decode("utf-8")
    except UnicodeDecodeError:
        return text.decode("latin-1").encode()
    return text


def _joined(parts: Any, part: str) -> Any:
    """The meshes of a scene where its nodes put them, in one; only those of the object `part` where one is named."""
    import trimesh

    placed = []
    for node in parts.graph.nodes_geometry:
        stand, name = parts.graph[node]
        if not part or name == part:
            placed.append(parts.geometry[name].copy().apply_transform(stand))
    return placed[0] if len(placed) == 1 else trimesh.util.concatenate(placed)


def _check(path: Path, points: np.ndarray, faces: np.ndarray) -> None:
    """Refuses numbers that nothing can be computed with. Raises MeshError.

    points : (n, 3) m; faces : (m, 3) of numbers of points.
    """
    if faces.min() < 0 or faces.max() >= len(points):
        bad = int(faces.max() if faces.max() >= len(points) else faces.min())
        raise MeshError(
            f"{path.name}: expected faces between its {len(points)} points, found one that names point {bad + 1}; export it again"
        )
    used = points[np.unique(faces)]
    bad_points = ~(np.abs(used) <= FARTHEST).all(axis=1)
    if bad_points.any():
        point = used[bad_points][0]
        raise MeshError(
            f"{path.name}: expected points within {FARTHEST:g} m, found one at {', '.join(f'{number:g}' for number in point)}; "
            "export it again"
        )


def _coords(loaded: object, count: int) -> np.ndarray | None:
    """(count, 2) float32 of texture coordinates, None where a mesh has none."""
    coords = getattr(getattr(loaded, "visual", None), "uv", None)
    return np.asarray(coords, float)[:, :2] if coords is not None and len(coords) == count else None


def _density(loaded: object, count: int) -> np.ndarray | None:
    """(n,) how bright each point's colour is, 0 to 1."""
    visual = getattr(loaded, "visual", None)
    if getattr(visual, "kind", None) != "vertex":
        return None
    colours = np.array(visual.vertex_colors).astype(float)  # type: ignore[union-attr]
    return colours[:, :3].mean(axis=1) / 255 if len(colours) == count else None
