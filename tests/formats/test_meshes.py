"""Mesh files in, and what is told where they cannot be used."""

import unittest

import numpy as np

from pale_ember.core.geometry.mesh import solid
from pale_ember.formats.meshes import MeshError, read_mesh
from pale_ember.formats.shelf import Shelf
from tests.folder import InFolder

CRATE = "v 0 0 0\nv 2 0 0\nv 2 1 0\nv 0 1 0\nvt 0 0\nvt 1 0\nvt 1 1\nvt 0 1\nf 1/1 2/2 3/3 4/4\n"


class Files(InFolder):
    def test_obj_stl_and_ply_are_read(self):
        (self.folder / "crate.obj").write_text(CRATE)
        mesh = read_mesh(self.folder / "crate.obj")
        self.assertAlmostEqual(float(mesh.areas().sum()), 2.0)
        self.assertEqual(mesh.coords.shape[1], 2)
        stl = "solid s\nfacet normal 0 0 1\nouter loop\nvertex 0 0 0\nvertex 3 0 0\nvertex 0 2 0\nendloop\nendfacet\nendsolid s\n"
        (self.folder / "shard.stl").write_text(stl)
        self.assertAlmostEqual(float(read_mesh(self.folder / "shard.stl").areas().sum()), 3.0)
        ply = (
            "ply\nformat ascii 1.0\nelement vertex 3\nproperty float x\nproperty float y\nproperty float z\n"
            "property uchar red\nproperty uchar green\nproperty uchar blue\nelement face 1\nproperty list uchar int vertex_indices\n"
            "end_header\n0 0 0 0 0 0\n1 0 0 255 255 255\n0 1 0 255 255 255\n3 0 1 2\n"
        )
        (self.folder / "drip.ply").write_text(ply)
        np.testing.assert_allclose(read_mesh(self.folder / "drip.ply").density, [0, 1, 1], atol=1e-6)

    def test_a_comment_of_an_older_code_is_no_fault(self):
        (self.folder / "crate.obj").write_bytes("# Kiste für den Kai, 4 Stück\n".encode("latin-1") + CRATE.encode())
        self.assertAlmostEqual(float(read_mesh(self.folder / "crate.obj").areas().sum()), 2.0)

    def test_what_cannot_be_used_is_told_in_a_sentence(self):
        (self.folder / "broken.obj").write_text("v 1 2\nf 1 2 9\n")
        (self.folder / "empty.stl").write_bytes(b"")
        (self.folder / "notes.txt").write_text("quay")
        (self.folder / "strange.obj").write_bytes(b"v 0 0 0\n\xff\xfe\xfa\x00 f 1 2 3")
        triangle = "v 0 0 0\nv 1 0 0\nv 0 1 {}\nf 1 2 3\n"
        (self.folder / "far.obj").write_text(triangle.format("1e300"))
        (self.folder / "odd.obj").write_text(triangle.format("nan"))
        for name, said in (
            ("strange.obj", "expected"),
            ("far.obj", "found one at"),
            ("odd.obj", "found one at"),
            ("n" * 300 + ".obj", "not there"),
            ("broken.obj", "export"),
            ("empty.stl", "export"),
            ("notes.txt", "expected a mesh"),
            ("gone.obj", "not there"),
        ):
            with self.assertRaisesRegex(MeshError, said):
                read_mesh(self.folder / name)

    def test_faces_that_name_no_point_are_refused(self):
        import trimesh

        scene = trimesh.Scene()
        stand = np.eye(4)
        stand[:3, 3] = 5.0, 0.0, 0.0
        scene.add_geometry(trimesh.creation.box(), geom_name="crate", transform=stand)
        scene.add_geometry(trimesh.creation.box(), geom_name="lid")
        (self.folder / "cargo.glb").write_bytes(scene.export(file_type="glb"))
        self.assertAlmostEqual(float(read_mesh(self.folder / "cargo.glb", "crate").points[:, 0].mean()), 5.0)
        ply = (
            "ply\nformat ascii 1.0\nelement vertex 3\nproperty float x\nproperty float y\nproperty float z\nelement face 1\n"
            "property list uchar int vertex_indices\nend_header\n0 0 0\n1 0 0\n0 1 0\n3 0 1 9\n"
        )
        (self.folder / "bent.ply").write_text(ply)
        with self.assertRaisesRegex(MeshError, "bent.ply: expected"):
            read_mesh(self.folder / "bent.ply")

    def test_a_shelf_stands_in_and_reads_again_when_a_file_changes(self):
        shelf = Shelf(self.folder)
        self.assertIs(shelf.mesh("crate.obj"), solid("box"))
        self.assertIn("crate.obj", shelf.faults)
        (self.folder / "crate.obj").write_text(CRATE)
        self.assertEqual(len(shelf.mesh("crate.obj").faces), 2)
        self.assertNotIn("crate.obj", shelf.faults)
        self.assertIs(shelf.mesh("crate.obj"), shelf.mesh("crate.obj"))
        self.assertIs(shelf.mesh("solid:kiln arch"), solid("kiln arch"))
        shelf.mesh("solid:cathedral")
        self.assertIn("no such solid", shelf.faults["solid:cathedral"])


if __name__ == "__main__":
    unittest.main()
