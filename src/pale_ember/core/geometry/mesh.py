"""Triangle meshes: what they are, our own solids, and places drawn on them."""

from __future__ import annotations

import functools
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

SOLID = "solid:"
"""Before the name of a built-in solid."""

_FINEST = 200_000
"""The most pieces a mesh is cut into to follow a density."""


@dataclass(frozen=True, slots=True, eq=False)
class Mesh:
    """Triangles; its arrays are read-only, for it is shared.

    points : (n, 3) float64, m. faces : (m, 3) int64, counter-clockwise seen from outside.
    coords : (n, 2) float64 texture coordinates or None. density : (n,) float64, 0 to 1, from vertex colours or None.
    objects : the names of the objects in its file, where there are several.
    """

    points: np.ndarray
    faces: np.ndarray
    coords: np.ndarray | None = None
    density: np.ndarray | None = None
    objects: tuple[str, ...] = ()

    def __post_init__(self) -> None:
        # As fine as files of triangles hold them: what is handed over is what was tried, to the bit.
        object.__setattr__(self, "points", self.points.astype(np.float32).astype(float))
        for array in (self.points, self.faces, self.coords, self.density):
            if array is not None:
                array.setflags(write=False)

    def corners(self) -> np.ndarray:
        """(m, 3, 3) float64: the three points of each face."""
        return self.points[self.faces]

    def areas(self) -> np.ndarray:
        """(m,) float64, m²."""
        a, b, c = np.moveaxis(self.corners(), 1, 0)
        return 0.5 * np.linalg.norm(np.cross(b - a, c - a), axis=1)

    def normals(self) -> np.ndarray:
        """(m, 3) float64 outward units; up where a face has no area."""
        a, b, c = np.moveaxis(self.corners(), 1, 0)
        across = np.cross(b - a, c - a)
        length = np.linalg.norm(across, axis=1, keepdims=True)
        return np.where(length > 0, across / np.maximum(length, 1e-300), [0.0, 1.0, 0.0])

    def point_normals(self) -> np.ndarray:
        """(n, 3) float64 units: the faces' normals around each point, weighted by area."""
        total = np.zeros_like(self.points)
        weighted = self.normals() * self.areas()[:, None]
        for corner in range(3):
            np.add.at(total, self.faces[:, corner], weighted)
        length = np.linalg.norm(total, axis=1, keepdims=True)
        return np.where(length > 1e-12, total / np.maximum(length, 1e-300), [0.0, 1.0, 0.0])

    def shaded(self, smooth: float) -> np.ndarray:
        """(m, 3, 3) float64 unit normals of each face's corners: faces around a point that meet at less than `smooth`
        degrees share one, weighted by area, the others keep their own edge."""
        flat, areas = self.normals(), self.areas()
        same = np.unique(np.round(self.points, 6), axis=0, return_inverse=True)[1].ravel()
        corner = same[self.faces].ravel()
        order = np.argsort(corner, kind="stable")
        counts = np.bincount(corner)
        begin = np.concatenate([[0], np.cumsum(counts)])
        # Every pair of corners that stand on one point.
        per = counts[corner]
        mine = np.repeat(np.arange(len(corner)), per)
        place = np.arange(per.sum()) - np.repeat(np.cumsum(per) - per, per)
        others = order[begin[corner[mine]] + place]
        near = (flat[mine // 3] * flat[others // 3]).sum(axis=1) >= np.cos(np.radians(smooth)) - 1e-9
        total = np.zeros((len(corner), 3))
        np.add.at(total, mine[near], (flat * areas[:, None])[others[near] // 3])
        length = np.linalg.norm(total, axis=1, keepdims=True)
        return np.where(length > 1e-12, total / np.maximum(length, 1e-300), np.repeat(flat, 3, axis=0)).reshape(-1, 3, 3)

    def edges(self) -> np.ndarray:
        """(e, 2) int64: each edge once."""
        pairs = np.sort(np.concatenate([self.faces[:, [0, 1]], self.faces[:, [1, 2]], self.faces[:, [2, 0]]]), axis=1)
        return np.unique(pairs, axis=0)

    def closed(self) -> bool:
        """Whether it has an inside and an outside: each edge joins two faces, which turn alike, and faces look outward. Points nearer
        than a tenth of a millimetre are one."""
        points, same = np.unique(np.round(self.points, 4), axis=0, return_inverse=True)
        a, b, c = same.reshape(-1)[self.faces].T
        real = (a != b) & (b != c) & (c != a)
        a, b, c = a[real], b[real], c[real]
        ahead = np.concatenate([a * len(points) + b, b * len(points) + c, c * len(points) + a])
        back = np.concatenate([b * len(points) + a, c * len(points) + b, a * len(points) + c])
        volume = (points[a] * np.cross(points[b], points[c])).sum()
        return bool(np.array_equal(np.sort(ahead), np.sort(back)) and volume > 0)


@dataclass(frozen=True, slots=True, eq=False)
class Scatter:
    """What births on a mesh are drawn from: pieces, each as likely as its share.

    points : (k, 3, 3) float64, corners of a triangle, an edge or one point, repeated to three.
    normals : (k, 3, 3) float64 at those corners. up_to : (k,) float64, shares summed up, the last is 1.
    """

    points: np.ndarray
    normals: np.ndarray
    up_to: np.ndarray


def scatter(mesh: Mesh, part: str, density: Callable[[np.ndarray], np.ndarray] | str) -> Scatter:
    """Pieces of a mesh's `part` ("surface", "edges", "vertices") and their shares.

    density : "" for by area, "vertex colour", or a function of texture coordinates (n, 2) giving (n,).
    """
    smooth = mesh.point_normals()
    if part == "vertices":
        picked = np.arange(len(mesh.points))[:, None].repeat(3, axis=1)
        return _shared(mesh.points[picked], smooth[picked], np.ones(len(mesh.points)))
    if part == "edges":
        picked = mesh.edges()[:, [0, 1, 1]]
        ends = mesh.points[picked]
        return _shared(ends, smooth[picked], np.linalg.norm(ends[:, 1] - ends[:, 0], axis=1))
    corners, flat = mesh.corners(), mesh.normals()
    lean = np.repeat(flat[:, None], 3, axis=1)
    areas = mesh.areas()
    if density == "" or (density == "vertex colour" and mesh.density is None):
        return _shared(corners, lean, areas)
    told = mesh.density[:, None] if density == "vertex colour" and mesh.density is not None else mesh.coords
    if told is None:
        return _shared(corners, lean, areas)
    values = told[mesh.faces]
    finest = np.linalg.norm(np.ptp(mesh.points, axis=0)) / 48
    while len(corners) < _FINEST // 4:
        longest = np.linalg.norm(corners - np.roll(corners, 1, axis=1), axis=2).max(axis=1)
        if longest.max() <= finest:
            break
        corners, values, lean = _quartered(corners), _quartered(values), np.repeat(lean, 4, axis=0)
        areas = np.repeat(areas / 4, 4)
    middle = values.mean(axis=1)
    weight = middle[:, 0] if isinstance(density, str) else density(middle)
    return _shared(corners, lean, areas * np.clip(weight, 0.0, 1.0))


def _quartered(corners: np.ndarray) -> np.ndarray:
    """Each triangle (m, 3, d) cut into four of the same form, one after the other."""
    a, b, c = np.moveaxis(corners, 1, 0)
    ab, bc, ca = 0.5 * (a + b), 0.5 * (b + c), 0.5 * (c + a)
    parts = [(a, ab, ca), (ab, b, bc), (ca, bc, c), (ab, bc, ca)]
    return np.stack([np.stack(part, axis=1) for part in parts], axis=1).reshape(-1, 3, corners.shape[2])


def _shared(points: np.ndarray, normals: np.ndarray, weights: np.ndarray) -> Scatter:
    """Pieces with weights that run up to 1. points, normals : (k, 3); weights : (k,)."""
    keep = weights > 0
    if not keep.any():
        keep[:], weights = True, np.ones(len(weights))
    total = np.cumsum(weights[keep])
    return Scatter(np.ascontiguousarray(points[keep]), np.ascontiguousarray(normals[keep]), total / total[-1])


def joined(*meshes: Mesh) -> Mesh:
    """One mesh of several, their points side by side."""
    starts = np.cumsum([0, *(len(mesh.points) for mesh in meshes)])
    faces = [mesh.faces + start for mesh, start in zip(meshes, starts, strict=False)]
    points = np.concatenate([mesh.points for mesh in meshes])
    coords = [mesh.coords if mesh.coords is not None else np.zeros((len(mesh.points), 2)) for mesh in meshes]
    return Mesh(points, np.concatenate(faces), np.concatenate(coords))


def box(size: tuple[float, float, float], middle: tuple[float, float, float] = (0.0, 0.0, 0.0)) -> Mesh:
    """A box of a size around its middle, m."""
    corner = np.array([[x, y, z] for x in (-1, 1) for y in (-1, 1) for z in (-1, 1)]) * 0.5
    quads = [(0, 1, 3, 2), (4, 6, 7, 5), (0, 4, 5, 1), (2, 3, 7, 6), (0, 2, 6, 4), (1, 5, 7, 3)]
    faces = [face for a, b, c, d in quads for face in ((a, b, c), (a, c, d))]
    return Mesh(corner * np.array(size) + np.array(middle), np.array(faces))


def wedge(size: tuple[float, float, float]) -> Mesh:
    """A ramp about its middle that rises towards -Z."""
    whole = box(size)
    points = whole.points.copy()
    high = points[:, 2] > 0
    points[high, 1] = -0.5 * size[1]
    # The front has no height left: its two faces are let go of.
    return Mesh(points, whole.faces[Mesh(points, whole.faces).areas() > 1e-12])


def _lathe(outline: list[tuple[float, float]], around: int = 32, arc: float = 360.0) -> Mesh:
    """A surface turned about Y from (radius, height) points, bottom to top."""
    angles = np.radians(np.linspace(0, arc, around + 1))
    radius, height = np.array(outline).T
    points = np.stack(
        [np.outer(np.cos(angles), radius), np.broadcast_to(height, (around + 1, len(height))), np.outer(np.sin(angles), radius)], axis=-1
    )
    n = len(outline)
    i, j = (part.ravel() for part in np.meshgrid(np.arange(around), np.arange(n - 1), indexing="ij"))
    a, b, c, d = i * n + j, i * n + j + 1, (i + 1) * n + j, (i + 1) * n + j + 1
    faces = np.concatenate([np.stack([a, b, c], axis=1), np.stack([c, b, d], axis=1)])
    around_share, up_share = np.meshgrid(np.linspace(0, 1, around + 1), _come(outline), indexing="ij")
    coords = np.stack([around_share.ravel(), up_share.ravel()], axis=1)
    turned = Mesh(points.reshape(-1, 3), faces, coords)
    return Mesh(turned.points, faces[turned.areas() > 1e-12], coords)


def _come(outline: list[tuple[float, float]]) -> np.ndarray:
    """(n,) how far along an outline each of its points is, 0 to 1."""
    lengths = np.linalg.norm(np.diff(np.array(outline), axis=0), axis=1)
    return np.concatenate([[0.0], np.cumsum(lengths)]) / max(lengths.sum(), 1e-12)


def _ball(around: int = 32) -> Mesh:
    angles = np.linspace(-np.pi / 2, np.pi / 2, around // 2 + 1)
    return _lathe([(float(np.cos(a)) * 0.5, float(np.sin(a)) * 0.5) for a in angles], around)


def _arch() -> Mesh:
    """The mouth of the kiln: two piers and a half-round of wedge stones, 1.2 m wide and 1.35 m high."""
    piers = [box((0.28, 0.75, 0.5), (side * 0.46, 0.375, 0.0)) for side in (-1, 1)]
    stones = []
    for k in range(9):
        low, high = np.pi * (k + 0.03) / 9, np.pi * (k + 0.97) / 9
        ring = [(r, a) for a in (low, high) for r in (0.32, 0.6)]
        points = [(r * np.cos(a), 0.75 + r * np.sin(a), z) for r, a in ring for z in (-0.25, 0.25)]
        quads = [(0, 1, 3, 2), (4, 6, 7, 5), (0, 4, 5, 1), (2, 3, 7, 6), (0, 2, 6, 4), (1, 5, 7, 3)]
        faces = [face for a, b, c, d in quads for face in ((a, b, c), (a, c, d))]
        stones.append(Mesh(np.array(points), np.array(faces)))
    return joined(*piers, *stones)


def _quay() -> Mesh:
    """Worn quay stones: a 6 m field of uneven blocks, 4,900 faces or so."""
    side = 50
    x, z = np.meshgrid(np.linspace(-3, 3, side), np.linspace(-3, 3, side), indexing="ij")
    joints = np.minimum(np.abs((x * 1.25) % 1 - 0.5), np.abs((z * 1.25 + 0.5 * (np.floor(x * 1.25) % 2)) % 1 - 0.5))
    height = 0.05 * np.tanh(12 * joints) + 0.015 * np.sin(3.1 * x + 1) * np.cos(2.7 * z)
    points = np.stack([x, height, z], axis=-1).reshape(-1, 3)
    i, j = (part.ravel() for part in np.meshgrid(np.arange(side - 1), np.arange(side - 1), indexing="ij"))
    a, b, c, d = i * side + j, i * side + j + 1, (i + 1) * side + j, (i + 1) * side + j + 1
    return Mesh(points, np.concatenate([np.stack([a, b, c], axis=1), np.stack([c, b, d], axis=1)]))


def _quad() -> Mesh:
    points = np.array([[-0.5, 0, 0], [0.5, 0, 0], [0.5, 1, 0], [-0.5, 1, 0]], float)
    return Mesh(points, np.array([[0, 1, 2], [0, 2, 3]]), points[:, :2] + [0.5, 0.0])


def _shard() -> Mesh:
    """A splinter with five corners to either side of a bevelled edge, half a metre high."""
    rng = np.random.default_rng(4)
    turns = np.sort(rng.uniform(0, 2 * np.pi, 5))
    reach = rng.uniform(0.14, 0.25, 5)
    rim = np.stack([reach * np.cos(turns), 0.25 + reach * np.sin(turns) * 1.2, np.zeros(5)], axis=1)
    faces, points = [], [*rim]
    for side in (1, -1):
        inner = (rim - [0, 0.25, 0]) * 0.72 + [0.01, 0.25, 0.045 * side]
        first = len(points)
        points += [*inner]
        for k in range(5):
            a, b, c, d = k, (k + 1) % 5, first + k, first + (k + 1) % 5
            faces += [(a, b, d), (a, d, c)] if side > 0 else [(a, d, b), (a, c, d)]
        for k in (1, 2, 3):
            faces.append((first, first + k, first + k + 1) if side > 0 else (first, first + k + 1, first + k))
    placed = np.array(points)
    return Mesh(placed, np.array(faces), placed[:, :2] * 2 + [0.5, 0.0])


def _rock() -> Mesh:
    """A broken stone, about half a metre across."""
    ball = _lathe([(float(np.cos(a)), float(np.sin(a))) for a in np.linspace(-np.pi / 2, np.pi / 2, 7)], 9)
    rng = np.random.default_rng(9)
    cuts = rng.standard_normal((14, 3))
    cuts /= np.linalg.norm(cuts, axis=1, keepdims=True)
    depth = rng.uniform(0.55, 0.9, 14)
    over = np.maximum((ball.points @ cuts.T) / depth, 1e-9).max(axis=1, keepdims=True)
    return Mesh(ball.points / np.maximum(over, 1.0) * 0.28, ball.faces, ball.coords)


def _kiln() -> Mesh:
    """A beehive kiln of brick with a chimney, 2.6 m across, open towards +Z where its mouth stands; seen from inside too."""
    outline = [
        (1.3, 0.0),
        (1.3, 0.8),
        (1.22, 1.25),
        (1.02, 1.65),
        (0.7, 1.95),
        (0.36, 2.1),
        (0.34, 2.65),
        (0.4, 2.66),
        (0.4, 2.78),
        (0.26, 2.78),
        (0.26, 2.2),
    ]
    turned = _lathe(outline, 46, 326.0)
    turn = np.radians(90.0 + 17.0)
    cos, sin = np.cos(turn), np.sin(turn)
    points = turned.points @ np.array([[cos, 0.0, sin], [0.0, 1.0, 0.0], [-sin, 0.0, cos]])
    # Above the mouth the dome is whole.
    lintel = _lathe([part for part in outline if part[1] >= 1.2], 6, 34.0)
    turn = np.radians(90.0 - 17.0)
    cos, sin = np.cos(turn), np.sin(turn)
    over = lintel.points @ np.array([[cos, 0.0, sin], [0.0, 1.0, 0.0], [-sin, 0.0, cos]])
    return joined(Mesh(points, turned.faces, turned.coords), Mesh(over, lintel.faces, lintel.coords))


def _coil() -> Mesh:
    """A rope laid in rings, 0.7 m across."""
    rings = []
    for middle, height in ((0.28, 0.04), (0.27, 0.11), (0.29, 0.18), (0.2, 0.04), (0.19, 0.11)):
        turn = np.linspace(0, 2 * np.pi, 9)
        rings.append(_lathe([(middle + 0.042 * float(np.cos(a)), height + 0.042 * float(np.sin(a))) for a in turn], 40))
    return joined(*rings)


def _steps() -> Mesh:
    """Six steps of stone that go down towards +Z, 3 m wide, the highest at height 0."""
    return joined(*(box((3.0, 0.18, 0.32 + 0.02 * (k % 2)), (0.0, -0.09 - 0.17 * k, 0.3 * k)) for k in range(6)))


def _grinder() -> Mesh:
    """The frame of a grindstone: two trestles with a trough between, 1.1 m long; the wheel's axle is 0.66 m up."""
    legs = [
        Mesh(leg.points + np.where(leg.points[:, 1:2] < 0.3, [[lean, 0.0, 0.0]], [[0.0, 0.0, 0.0]]), leg.faces)
        for z in (-0.2, 0.2)
        for x, lean in ((-0.2, -0.22), (0.2, 0.22))
        for leg in [box((0.07, 0.66, 0.07), (x, 0.33, z))]
    ]
    beams = [box((0.62, 0.08, 0.08), (0.0, 0.64, z)) for z in (-0.2, 0.2)]
    trough = [
        box((0.74, 0.05, 0.3), (0.0, 0.22, 0.0)),
        *(box((0.74, 0.2, 0.03), (0.0, 0.29, z)) for z in (-0.15, 0.15)),
        *(box((0.03, 0.2, 0.3), (x, 0.29, 0.0)) for x in (-0.36, 0.36)),
    ]
    return joined(*legs, *beams, *trough)


def _lamp_post() -> Mesh:
    """A post with a six-sided lantern, open between its bars, 3.15 m high; its light is 2.88 m up."""
    post = _lathe([(1e-6, 0.0), (0.17, 0.0), (0.17, 0.06), (0.12, 0.1), (0.1, 0.5), (0.06, 0.58), (0.045, 0.7), (0.04, 2.55), (0.07, 2.6),
                   (0.12, 2.68), (0.12, 2.7), (1e-6, 2.7)], 20)  # fmt: skip
    roof = _lathe([(0.2, 3.04), (0.21, 3.06), (0.07, 3.17), (0.05, 3.19), (0.03, 3.26), (1e-6, 3.29)], 6)
    angles = np.radians(np.arange(6) * 60.0)
    bars = [box((0.02, 0.36, 0.02), (0.155 * float(np.cos(a)), 2.87, 0.155 * float(np.sin(a)))) for a in angles]
    return joined(post, roof, *bars)


TURNED = ("kiln", "bollard", "cask", "lamp post", "carboy", "cylinder", "tube")
"""Solids that are round about their height."""

SOLIDS: dict[str, Callable[[], Mesh]] = {
    "kiln arch": _arch,
    "quay stones": _quay,
    "box": lambda: box((1.0, 1.0, 1.0), (0.0, 0.5, 0.0)),
    "sphere": _ball,
    "bead": lambda: _ball(14),
    "cylinder": lambda: _lathe([(1e-6, 0.0), (0.5, 0.0), (0.5, 1.0), (1e-6, 1.0)]),
    "spike": lambda: _lathe([(1e-6, 0.0), (0.5, 0.0), (1e-6, 1.0)]),
    "tube": lambda: _lathe([(0.5, 0.0), (0.5, 1.0)], 48),
    "cone": lambda: _lathe([(0.2, 0.0), (0.5, 1.0)], 48),
    "ring": lambda: _lathe([(0.35, 0.0), (0.5, 0.0)], 64),
    "skirt": lambda: _lathe([(0.5, 0.0), (0.36, 0.05), (0.24, 0.16), (0.18, 0.34), (0.16, 0.6)], 48),
    "quad": _quad,
    "shard": _shard,
    "rock": _rock,
    "carboy": lambda: _lathe([(1e-6, 0.0), (0.24, 0.0), (0.28, 0.1), (0.28, 0.32), (0.2, 0.44), (0.07, 0.5), (0.07, 0.6)]),
    "lamp post": _lamp_post,
    "kiln": _kiln,
    "bollard": lambda: _lathe(
        [
            (1e-6, 0.0),
            (0.24, 0.0),
            (0.24, 0.05),
            (0.17, 0.08),
            (0.15, 0.42),
            (0.16, 0.5),
            (0.22, 0.56),
            (0.24, 0.62),
            (0.2, 0.68),
            (1e-6, 0.71),
        ]
    ),
    "cask": lambda: _lathe(
        [
            (1e-6, 0.03),
            (0.24, 0.03),
            (0.25, 0.0),
            (0.265, 0.0),
            (0.285, 0.1),
            (0.295, 0.1),
            (0.3, 0.16),
            (0.29, 0.16),
            (0.325, 0.43),
            (0.29, 0.7),
            (0.3, 0.7),
            (0.295, 0.76),
            (0.285, 0.76),
            (0.265, 0.86),
            (0.25, 0.86),
            (0.24, 0.83),
            (1e-6, 0.83),
        ]
    ),
    "rope": _coil,
    "steps": _steps,
    "grindstone frame": _grinder,
}
"""Our own solids by name, standing on the ground, in metres."""


@functools.cache
def solid(name: str) -> Mesh:
    """A built-in solid by its name. Raises KeyError."""
    return SOLIDS[name]()
