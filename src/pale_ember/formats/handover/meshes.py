"""The meshes of a package: glTF 2.0, binary."""

from __future__ import annotations

import numpy as np

from pale_ember.core.geometry.mesh import Mesh


def glb_bytes(mesh: Mesh, name: str) -> bytes:
    """A mesh as a GLB: its triangles in their order, its points as float32, texture coordinates and how dense births are on
    it, as a vertex colour, where it has them."""
    import pygltflib as gltf

    points = mesh.points.astype(np.float32)
    used: list[tuple[np.ndarray, int, str, int | None]] = [(points, gltf.FLOAT, "VEC3", gltf.ARRAY_BUFFER)]
    attributes = gltf.Attributes(POSITION=0)
    if mesh.coords is not None:
        attributes.TEXCOORD_0 = len(used)
        # Pictures have their first row at the top there.
        coords = mesh.coords.astype(np.float32) * (1, -1) + (0, 1)
        used.append((coords.astype(np.float32), gltf.FLOAT, "VEC2", gltf.ARRAY_BUFFER))
    if mesh.density is not None:
        attributes.COLOR_0 = len(used)
        shades = np.round(np.clip(mesh.density, 0, 1) * 255).astype(np.uint8)
        colours = np.stack([shades, shades, shades, np.full_like(shades, 255)], axis=1)
        used.append((colours, gltf.UNSIGNED_BYTE, "VEC4", gltf.ARRAY_BUFFER))
    used.append((mesh.faces.astype(np.uint32).ravel(), gltf.UNSIGNED_INT, "SCALAR", gltf.ELEMENT_ARRAY_BUFFER))
    blob, views, accessors = b"", [], []
    for i, (array, kind, form, target) in enumerate(used):
        data = np.ascontiguousarray(array).tobytes()
        views.append(gltf.BufferView(buffer=0, byteOffset=len(blob), byteLength=len(data), target=target))
        ends = {"min": points.min(axis=0).tolist(), "max": points.max(axis=0).tolist()} if i == 0 else {}
        shares = {"normalized": True} if kind == gltf.UNSIGNED_BYTE else {}
        accessors.append(gltf.Accessor(bufferView=i, componentType=kind, count=len(array), type=form, **ends, **shares))
        blob += data + b"\0" * (-len(data) % 4)
    primitive = gltf.Primitive(attributes=attributes, indices=len(used) - 1, material=0)
    file = gltf.GLTF2(
        asset=gltf.Asset(version="2.0", generator="Pale Ember"),
        scene=0,
        scenes=[gltf.Scene(nodes=[0])],
        nodes=[gltf.Node(mesh=0, name=name)],
        meshes=[gltf.Mesh(primitives=[primitive], name=name)],
        materials=[gltf.Material(name=name, alphaCutoff=None)],
        buffers=[gltf.Buffer(byteLength=len(blob))],
        bufferViews=views,
        accessors=accessors,
    )
    file.set_binary_blob(blob)
    return b"".join(file.save_to_bytes())
