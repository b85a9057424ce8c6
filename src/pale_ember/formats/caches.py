"""Caches: particles over time for other programs, as USD, glTF and CSV."""

from __future__ import annotations

import io
import tempfile
from collections.abc import Callable, Iterable
from pathlib import Path

import numpy as np

from pale_ember.core.effect.model import Effect, Layer
from pale_ember.core.geometry.mesh import Mesh
from pale_ember.core.preloading import extra, loading
from pale_ember.core.simulate.frame import Frame, LayerFrame
from pale_ember.core.simulate.orientation import orientations
from pale_ember.core.simulate.timeline import built_in
from pale_ember.formats.handover.runtime import slug
from pale_ember.formats.traces import trace_bytes

KINDS = (".usda", ".usdc", ".glb", ".csv", ".npz")


class CacheError(Exception):
    """A cache that cannot be made; the message says why and what to do."""


def cache_bytes(effect: Effect, frames: Iterable[Frame], fps: float, kind: str, meshes: Callable[[str], Mesh] = built_in) -> bytes:
    """Every particle of Frames that follow each other so many a second. kind : one of KINDS. meshes : gives a mesh by its name.
    Raises CacheError."""
    if kind in (".usda", ".usdc"):
        return usd_bytes(effect, frames, fps, meshes, text=kind == ".usda")
    if kind == ".glb":
        return glb_cache(effect, frames, meshes)
    return csv_bytes(effect, frames) if kind == ".csv" else trace_bytes(effect, frames)


def _named(effect: Effect) -> dict[str, str]:
    """By the ids of layers, a legal name of its own for each."""
    names: dict[str, str] = {}
    for layer in effect.layers:
        names[layer.id] = slug(layer.name, names.values())
    return names


_CARD = Mesh(np.array([[-0.5, -0.5, 0], [0.5, -0.5, 0], [0.5, 0.5, 0], [-0.5, 0.5, 0]], float), np.array([[0, 1, 2], [0, 2, 3]]))
"""What a sprite is drawn on."""


def _body(layer: Layer, meshes: Callable[[str], Mesh]) -> tuple[str, Mesh]:
    """What a layer's particles are, as large as 1, and how that is called."""
    return ("body", meshes(layer.look.solid.mesh)) if layer.look.drawn_as == "mesh" else ("card", _CARD)


def _identities(part: LayerFrame) -> np.ndarray:
    """(n,) int64: particles' numbers, and on each further place of a layer others."""
    return (part.number ^ np.uint64(part.copy * 0x9E3779B97F4A7C15 & (2**64 - 1))).astype(np.int64)


def _by_layer(frame: Frame) -> dict[str, list[LayerFrame]]:
    told: dict[str, list[LayerFrame]] = {}
    for layer in frame.layers:
        told.setdefault(layer.layer.id, []).append(layer)
    return told


def usd_bytes(effect: Effect, frames: Iterable[Frame], fps: float, meshes: Callable[[str], Mesh] = built_in, *, text: bool) -> bytes:
    """A USD stage with one point instancer for each layer and time samples for every Frame: places, turns, sizes, colours and
    ids; metres, Y up. text : readable instead of packed."""
    # A second to import, so only where a cache is made.
    with loading():
        extra("pxr", "usd", "USD")
        from pxr import Gf, Sdf, Usd, UsdGeom, Vt

    stage = Usd.Stage.CreateInMemory()
    UsdGeom.SetStageUpAxis(stage, UsdGeom.Tokens.y)
    UsdGeom.SetStageMetersPerUnit(stage, 1.0)
    stage.SetTimeCodesPerSecond(fps)
    stage.SetFramesPerSecond(fps)
    names = _named(effect)
    root = UsdGeom.Xform.Define(stage, f"/{slug(effect.name)}")
    stage.SetDefaultPrim(root.GetPrim())
    tools: dict[str, UsdGeom.PointInstancer] = {}
    colours: dict[str, UsdGeom.Primvar] = {}
    for layer in effect.layers:
        if not layer.shown:
            continue
        tool = UsdGeom.PointInstancer.Define(stage, f"{root.GetPath()}/{names[layer.id]}")
        what, body = _body(layer, meshes)
        shape = UsdGeom.Mesh.Define(stage, f"{tool.GetPath()}/{what}")
        points = body.points.astype(np.float32)
        shape.CreatePointsAttr(Vt.Vec3fArray.FromNumpy(points))
        shape.CreateFaceVertexCountsAttr([3] * len(body.faces))
        shape.CreateFaceVertexIndicesAttr(body.faces.ravel().tolist())
        shape.CreateExtentAttr(Vt.Vec3fArray.FromNumpy(np.stack([points.min(axis=0), points.max(axis=0)])))
        shape.CreateSubdivisionSchemeAttr(UsdGeom.Tokens.none)
        tool.CreatePrototypesRel().SetTargets([shape.GetPath()])
        shade = UsdGeom.PrimvarsAPI(tool).CreatePrimvar("displayColor", Sdf.ValueTypeNames.Color3fArray, UsdGeom.Tokens.vertex)
        cover = UsdGeom.PrimvarsAPI(tool).CreatePrimvar("displayOpacity", Sdf.ValueTypeNames.FloatArray, UsdGeom.Tokens.vertex)
        tools[layer.id], colours[layer.id] = tool, (shade, cover)
    first = last = 0.0
    for count, frame in enumerate(frames):
        at = Usd.TimeCode(frame.time * fps)
        first, last = (at.GetValue() if count == 0 else first), at.GetValue()
        there = _by_layer(frame)
        for identity, tool in tools.items():
            parts = there.get(identity, [])
            position = _joined([part.position for part in parts], 3)
            colour = _joined([part.colour for part in parts], 4)
            turn = _joined([orientations(part) for part in parts], 4)
            number = np.concatenate([_identities(part) for part in parts]) if parts else np.zeros(0, np.int64)
            tool.CreatePositionsAttr().Set(Vt.Vec3fArray.FromNumpy(position), at)
            tool.CreateScalesAttr().Set(Vt.Vec3fArray.FromNumpy(_joined([part.size for part in parts], 3)), at)
            tool.CreateVelocitiesAttr().Set(Vt.Vec3fArray.FromNumpy(_joined([part.velocity for part in parts], 3)), at)
            tool.CreateProtoIndicesAttr().Set(Vt.IntArray.FromNumpy(np.zeros(len(number), np.int32)), at)
            tool.CreateIdsAttr().Set(Vt.Int64Array.FromNumpy(number), at)
            quats = [Gf.Quath(float(w), float(x), float(y), float(z)) for x, y, z, w in turn.tolist()]
            tool.CreateOrientationsAttr().Set(Vt.QuathArray(quats), at)
            shade, cover = colours[identity]
            shade.Set(Vt.Vec3fArray.FromNumpy(np.ascontiguousarray(colour[:, :3])), at)
            cover.Set(Vt.FloatArray.FromNumpy(np.ascontiguousarray(colour[:, 3])), at)
    stage.SetStartTimeCode(first)
    stage.SetEndTimeCode(last)
    if text:
        return stage.GetRootLayer().ExportToString().encode()
    with tempfile.TemporaryDirectory() as folder:
        # The library writes packed stages to files alone.
        path = Path(folder) / "cache.usdc"
        stage.GetRootLayer().Export(str(path))
        return path.read_bytes()


def _joined(parts: list[np.ndarray], width: int) -> np.ndarray:
    """(n, width) float32 of all parts."""
    return np.ascontiguousarray(np.concatenate([np.zeros((0, width), np.float32), *parts]), np.float32)


MOST_INSTANCES = 4000
"""Particles of a glTF: each is a node with an animation of its own."""


def glb_cache(effect: Effect, frames: Iterable[Frame], meshes: Callable[[str], Mesh] = built_in) -> bytes:
    """A glTF 2.0, binary: a card or a mesh for every particle that ever lives, moved, turned and sized by an animation, as large as
    nothing before its birth and after its end. Raises CacheError where there are too many."""
    import pygltflib as gltf

    names = _named(effect)
    times: list[float] = []
    tracks: dict[tuple[str, int, int], dict[int, tuple[np.ndarray, np.ndarray, np.ndarray]]] = {}
    for count, frame in enumerate(frames):
        times.append(frame.time)
        for layer in frame.layers:
            turn = orientations(layer)
            for i, number in enumerate(layer.number.tolist()):
                key = layer.layer.id, layer.copy, number
                if key not in tracks and len(tracks) >= MOST_INSTANCES:
                    raise CacheError(f"cache: a glTF holds at most {MOST_INSTANCES} particles that ever live, found more; use USD")
                tracks.setdefault(key, {})[count] = layer.position[i], turn[i], layer.size[i]
    if not tracks:
        raise CacheError("cache: expected particles, found none; choose another span")
    times = [time - times[0] for time in times]
    blob, views, accessors = bytearray(), [], []

    def keep(array: np.ndarray, form: str, *, ends: bool = False, target: int | None = None, kind: int = gltf.FLOAT) -> int:
        data = np.ascontiguousarray(array).tobytes()
        views.append(gltf.BufferView(buffer=0, byteOffset=len(blob), byteLength=len(data), target=target))
        blob.extend(data + b"\0" * (-len(data) % 4))
        low, high = (np.atleast_1d(array.min(axis=0)).tolist(), np.atleast_1d(array.max(axis=0)).tolist()) if ends else (None, None)
        accessors.append(gltf.Accessor(bufferView=len(views) - 1, componentType=kind, count=len(array), type=form, min=low, max=high))
        return len(accessors) - 1

    bodies, body_of = list[gltf.Mesh](), dict[str, int]()
    for each in effect.layers:
        if not any(identity == each.id for identity, _, _ in tracks):
            continue
        what, body = _body(each, meshes)
        called = each.look.solid.mesh if what == "body" else what
        index_of = next((i for i, one in enumerate(bodies) if one.name == called), None)
        if index_of is None:
            place = keep(body.points.astype(np.float32), "VEC3", ends=True, target=gltf.ARRAY_BUFFER)
            corners = body.faces.astype(np.uint32).ravel()
            index = keep(corners, "SCALAR", target=gltf.ELEMENT_ARRAY_BUFFER, kind=gltf.UNSIGNED_INT)
            drawn = gltf.Primitive(attributes=gltf.Attributes(POSITION=place), indices=index)
            index_of = len(bodies)
            bodies.append(gltf.Mesh(name=called, primitives=[drawn]))
        body_of[each.id] = index_of
    marks = keep(np.array(times, np.float32), "SCALAR", ends=True)
    nodes: list[gltf.Node] = []
    samplers: list[gltf.AnimationSampler] = []
    channels: list[gltf.AnimationChannel] = []
    groups: dict[str, list[int]] = {}
    for (identity, copy, number), told in tracks.items():
        position, turn, size = (np.zeros((len(times), width), np.float32) for width in (3, 4, 3))
        turn[:, 3] = 1.0
        known = sorted(told)
        # Before it is born and after it ended it stays where it was, as large as nothing.
        nearest = np.clip(np.searchsorted(known, np.arange(len(times)), side="right") - 1, 0, len(known) - 1)
        for k in range(len(times)):
            at = told[known[nearest[k]]]
            position[k], turn[k] = at[0], at[1]
            size[k] = at[2] if k in told else 0.0
        node = len(nodes)
        nodes.append(gltf.Node(mesh=body_of[identity], name=f"{names[identity]}_{copy}_{number:016x}"))
        groups.setdefault(identity, []).append(node)
        for path, array, form in (("translation", position, "VEC3"), ("rotation", turn, "VEC4"), ("scale", size, "VEC3")):
            step = "STEP" if path == "scale" else "LINEAR"
            samplers.append(gltf.AnimationSampler(input=marks, output=keep(array, form), interpolation=step))
            where = gltf.AnimationChannelTarget(node=node, path=path)
            channels.append(gltf.AnimationChannel(sampler=len(samplers) - 1, target=where))
    roots = []
    for identity, children in groups.items():
        roots.append(len(nodes))
        nodes.append(gltf.Node(name=names[identity], children=children))
    file = gltf.GLTF2(
        asset=gltf.Asset(version="2.0", generator="Pale Ember"), scene=0, scenes=[gltf.Scene(nodes=roots)], nodes=nodes,
        meshes=bodies, buffers=[gltf.Buffer(byteLength=len(blob))], bufferViews=views, accessors=accessors,
        animations=[gltf.Animation(name=effect.name, samplers=samplers, channels=channels)],
    )  # fmt: skip
    file.set_binary_blob(bytes(blob))
    return b"".join(file.save_to_bytes())


def csv_bytes(effect: Effect, frames: Iterable[Frame]) -> bytes:
    """A table with a line for every particle at every moment, comma between, a heading above."""
    names = _named(effect)
    store = io.StringIO()
    store.write("time,layer,place,number,age,life,x,y,z,vx,vy,vz,width,height,depth,angle,qx,qy,qz,qw,red,green,blue,opacity,frame\n")
    for frame in frames:
        for layer in frame.layers:
            numbers = np.column_stack([
                layer.age, layer.life, layer.position, layer.velocity, layer.size, layer.angle, orientations(layer), layer.colour,
                layer.frame,
            ])  # fmt: skip
            for number, row in zip(layer.number.tolist(), numbers.tolist(), strict=True):
                told = ",".join(f"{value:.7g}" for value in row)
                store.write(f"{frame.time:.6f},{names[layer.layer.id]},{layer.copy},{number},{told}\n")
    return store.getvalue().encode()
