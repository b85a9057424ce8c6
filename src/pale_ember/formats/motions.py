"""Motion recorded in glTF files, and the named nodes of their scenes, as poses and places."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np

from pale_ember.core.effect.places import Place
from pale_ember.core.effect.stage import Pose
from pale_ember.core.simulate.poses import angles_of
from pale_ember.formats.files import read_regular
from pale_ember.formats.meshes import MeshError, is_file

KINDS = (".glb", ".gltf")

MOST_KEYS = 2000
"""Keys of one motion that are kept: more are thinned to as many, evenly."""

_TURNED_AT = 30.0
"""Keys a second where a motion turns: angles between keys run straight, turns of a file along the sphere."""

_TYPES = {5120: np.int8, 5121: np.uint8, 5122: np.int16, 5123: np.uint16, 5125: np.uint32, 5126: np.float32}
_WIDTHS = {"SCALAR": 1, "VEC2": 2, "VEC3": 3, "VEC4": 4, "MAT2": 4, "MAT3": 9, "MAT4": 16}


class MotionScene:
    """A glTF file's nodes and animations. Raises MeshError where it cannot be read."""

    def __init__(self, path: Path) -> None:
        if path.suffix.lower() not in KINDS or not is_file(path):
            raise MeshError(f"{path.name}: expected a glTF file ({', '.join(KINDS)}) that is there; choose another")
        import pygltflib

        try:
            loaded = pygltflib.GLTF2().load(str(path))
            if loaded is None:
                raise ValueError(path.name)
            self._file = loaded
            self._buffers = [self._bytes(buffer, path) for buffer in loaded.buffers]
        except Exception as error:  # The library raises whatever its parsers meet.
            raise MeshError(f"{path.name}: expected a glTF file, found data that is none; export it again") from error
        self.path = path

    def _bytes(self, buffer: Any, path: Path) -> bytes:
        if buffer.uri is None:
            return self._file.binary_blob()
        if buffer.uri.startswith("data:"):
            return self._file.decode_data_uri(buffer.uri)
        # A file names nothing outside its own folder.
        beside = (path.parent / buffer.uri).resolve()
        if path.parent.resolve() not in beside.parents:
            raise ValueError(buffer.uri)
        return read_regular(beside)

    def _numbers(self, index: int) -> np.ndarray:
        """(n, width) float64 of an accessor; whole numbers that stand for shares are made shares."""
        accessor = self._file.accessors[index]
        view = self._file.bufferViews[accessor.bufferView]
        kind: np.dtype = np.dtype(_TYPES[accessor.componentType])
        width = _WIDTHS[accessor.type]
        start = (view.byteOffset or 0) + (accessor.byteOffset or 0)
        stride = view.byteStride or kind.itemsize * width
        wide, data = kind.itemsize * width, np.frombuffer(self._buffers[view.buffer], np.uint8)
        if not (accessor.count > 0 and start >= 0 and stride >= wide) or start + stride * (accessor.count - 1) + wide > len(data):
            raise ValueError(f"accessor {index} lies outside its data")
        rows = np.lib.stride_tricks.as_strided(data[start:], (accessor.count, wide), (stride, 1), writeable=False)
        numbers = np.ascontiguousarray(rows).view(kind).astype(float)
        return numbers / float(np.iinfo(kind).max) if accessor.normalized else numbers

    def nodes(self) -> list[str]:
        """The names of all nodes, in the file's order; those without one as `node 3`."""
        return [node.name or f"node {i}" for i, node in enumerate(self._file.nodes)]

    def stands(self) -> dict[str, np.ndarray]:
        """By its name each node's (4, 4) float64 in the scene, m."""
        above = {child: i for i, node in enumerate(self._file.nodes) for child in node.children or ()}
        named: dict[str, np.ndarray] = {}
        for i, name in enumerate(self.nodes()):
            stand, at, seen = np.eye(4), i, set[int]()
            while at >= 0 and at not in seen:
                seen.add(at)
                stand = _own(self._file.nodes[at]) @ stand
                at = above.get(at, -1)
            named.setdefault(name, stand)
        return named

    def motion(self, node: str = "") -> tuple[Pose, ...]:
        """The keys of a node's recorded way, or of the first that moves. Raises MeshError where none does."""
        try:
            return self._motion(node)
        except (ValueError, IndexError, KeyError, TypeError) as error:
            raise MeshError(
                f"{self.path.name}: expected keys of a motion, found numbers that do not fit ({error}); export it again"
            ) from error

    def _motion(self, node: str) -> tuple[Pose, ...]:
        names = self.nodes()
        for animation in self._file.animations:
            moving = [channel.target.node for channel in animation.channels if channel.target.node is not None]
            wanted = names.index(node) if node in names else (moving[0] if moving else None)
            if wanted is None or wanted not in moving:
                continue
            told: dict[str, tuple[np.ndarray, np.ndarray, str]] = {}
            for channel in animation.channels:
                if channel.target.node == wanted and channel.target.path in ("translation", "rotation", "scale"):
                    sampler = animation.samplers[channel.sampler]
                    told[channel.target.path] = (self._numbers(sampler.input)[:, 0], self._numbers(sampler.output), sampler.interpolation)
            if told:
                return _poses(told, self._file.nodes[wanted])
        what = f'node "{node}" that moves' if node else "node that moves"
        raise MeshError(f"{self.path.name}: expected a {what}, found none; export its animation with it")


def _own(node: Any) -> np.ndarray:
    """(4, 4) where a node stands within the one above it."""
    if node.matrix:
        return np.array(node.matrix, float).reshape(4, 4).T
    stand = np.eye(4)
    stand[:3, :3] = _turn(np.array([node.rotation or (0, 0, 0, 1)], float))[0] * np.array(node.scale or (1, 1, 1))
    stand[:3, 3] = node.translation or (0, 0, 0)
    return stand


def _turn(quaternions: np.ndarray) -> np.ndarray:
    """(n, 3, 3) of (n, 4) quaternions x, y, z, w."""
    from scipy.spatial.transform import Rotation

    return Rotation.from_quat(quaternions).as_matrix()


def _between(times: np.ndarray, values: np.ndarray, how: str, at: np.ndarray) -> np.ndarray:
    """(m, width) the values of a sampler at moments (m,), as glTF 2.0 says in appendix C.

    times : (n,) s. values : (n, width), of a spline (3 n, width) with slopes before and after each.
    """
    if len(times) == 1:
        return np.repeat(values[1:2] if how == "CUBICSPLINE" else values[:1], len(at), axis=0)
    place = np.clip(np.searchsorted(times, at, side="right") - 1, 0, len(times) - 2)
    span = (times[place + 1] - times[place])[:, None]
    t = np.clip((at[:, None] - times[place][:, None]) / span, 0.0, 1.0)
    if how == "CUBICSPLINE":
        arrive, value, leave = values[0::3], values[1::3], values[2::3]
        return (
            (2 * t**3 - 3 * t**2 + 1) * value[place]
            + span * (t**3 - 2 * t**2 + t) * leave[place]
            + (3 * t**2 - 2 * t**3) * value[place + 1]
            + span * (t**3 - t**2) * arrive[place + 1]
        )
    if how == "STEP":
        return np.where(t < 1.0, values[place], values[place + 1])
    before, after = values[place], values[place + 1]
    if values.shape[1] == 4:
        from scipy.spatial.transform import Rotation

        # Turns lie on a sphere: the shorter way round.
        first = Rotation.from_quat(before)
        return (first * Rotation.from_rotvec(t * (first.inv() * Rotation.from_quat(after)).as_rotvec())).as_quat()
    return before + t * (after - before)


def _poses(told: dict[str, tuple[np.ndarray, np.ndarray, str]], node: Any) -> tuple[Pose, ...]:
    """Keys of all that a node's samplers say; what they do not say is as the node stands."""
    at = np.unique(np.round(np.concatenate([times for times, _, _ in told.values()]), 6))
    if "rotation" in told or any(how == "CUBICSPLINE" for _, _, how in told.values()):
        every = np.arange(at[0], at[-1], 1.0 / _TURNED_AT)
        at = np.unique(np.round(np.concatenate([at, every]), 6))
    if len(at) > MOST_KEYS:
        at = at[np.unique(np.linspace(0, len(at) - 1, MOST_KEYS).astype(int))]
    rest = {"translation": node.translation or (0, 0, 0), "rotation": node.rotation or (0, 0, 0, 1), "scale": node.scale or (1, 1, 1)}
    parts = {
        path: _between(*told[path], at) if path in told else np.repeat(np.array([still], float), len(at), axis=0)
        for path, still in rest.items()
    }
    turn = np.unwrap(angles_of(_turn(parts["rotation"])), axis=0, period=360.0)
    scale = np.cbrt(np.abs(parts["scale"].prod(axis=1)))
    stepped = all(how == "STEP" for _, _, how in told.values())
    return tuple(
        Pose(
            at=float(when),
            place=_three(where, 5),
            turn=_three(angles, 3),
            scale=round(max(float(size), 0.001), 5),
            ease="stepped" if stepped else "straight",
        )
        for when, where, angles, size in zip(at - at[0], parts["translation"], turn, scale, strict=True)
    )


def _three(numbers: np.ndarray, digits: int) -> tuple[float, float, float]:
    x, y, z = np.round(numbers, digits).tolist()
    return (x, y, z)


def places_on(scene: MotionScene, prop: str, size: np.ndarray) -> tuple[Place, ...]:
    """A place at every named node of a prop's mesh but the scene's own root, riding on the prop. size : (3,) the prop's."""
    listed = []
    stands = scene.stands()
    for name, stand in stands.items():
        if name == "world" or name.startswith("node "):
            continue
        turn = stand[:3, :3] / np.cbrt(max(abs(np.linalg.det(stand[:3, :3])), 1e-12))
        angles = angles_of(turn[None])[0]
        listed.append(Place(name=name, stands_on=prop, place=_three(stand[:3, 3] * size, 5), turn=_three(angles, 3)))
    return tuple(listed)
