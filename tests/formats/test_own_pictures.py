"""Pictures of the artist's own in every format, and objects of mesh files."""

import numpy as np
import OpenEXR
import trimesh
from PIL import Image
from PIL.PngImagePlugin import PngInfo

from pale_ember.core.texture.light import to_linear
from pale_ember.formats.meshes import MeshError, read_mesh
from pale_ember.formats.pictures import PictureError, credit_in, read_picture
from pale_ember.formats.shelf import Shelf
from tests.folder import InFolder


class Pictures(InFolder):
    def test_png_tga_webp_and_dds_read_alike(self):
        codes = np.zeros((8, 8, 4), np.uint8)
        codes[:4] = (200, 100, 50, 255)
        codes[4:] = (20, 40, 220, 255)
        for kind, more, apart in ((".png", {}, 1e-6), (".tga", {}, 1e-6), (".webp", {"lossless": True}, 1e-6), (".dds", {}, 1e-6)):
            path = self.folder / f"ember{kind}"
            Image.fromarray(codes, "RGBA").save(path, **more)
            pixels = read_picture(path)
            np.testing.assert_allclose(pixels[0, 0, :3], to_linear(codes[0, 0, :3] / 255), atol=apart, err_msg=kind)
            np.testing.assert_allclose(pixels[7, 7], [*to_linear(codes[7, 7, :3] / 255), 1.0], atol=apart)

    def test_sixteen_bits_of_grey_keep_their_steps(self):
        path = self.folder / "fine.png"
        Image.fromarray((np.arange(256, dtype=np.uint16) * 257).reshape(16, 16)).save(path)
        pixels = read_picture(path)
        np.testing.assert_allclose(pixels[..., 0].ravel(), to_linear(np.arange(256) / 255), atol=1e-4)

    def test_exr_is_linear_brighter_than_white_and_taken_out_of_its_alpha(self):
        path = self.folder / "sun.exr"
        rgba = np.zeros((4, 4, 4), np.float32)
        rgba[..., :3], rgba[..., 3] = (4.0, 2.0, 1.0), 0.5
        header = {"compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage}
        OpenEXR.File(header, {"RGBA": rgba}).write(str(path))
        np.testing.assert_allclose(read_picture(path)[1, 1], [8.0, 4.0, 2.0, 0.5], atol=1e-3)
        grey = self.folder / "grey.exr"
        OpenEXR.File(header, {"Y": np.full((4, 4), 0.25, np.float32)}).write(str(grey))
        np.testing.assert_allclose(read_picture(grey)[0, 0], [0.25, 0.25, 0.25, 1.0], atol=1e-4)
        odd = self.folder / "odd.exr"
        OpenEXR.File(header, {"Z": np.zeros((4, 4), np.float32)}).write(str(odd))
        with self.assertRaisesRegex(PictureError, "expected channels R, G and B or Y, found Z"):
            read_picture(odd)

    def test_what_cannot_be_read_is_told_in_one_sentence(self):
        for name, data, words in (
            ("torn.png", b"\x89PNG\r\n\x1a\nxx", "torn.png: not a picture"),
            ("torn.exr", b"v/1\x01rubbish", "torn.exr: not a picture"),
            ("torn.dds", b"DDS ", "torn.dds: not a picture"),
            ("notes.txt", b"hello", "expected a picture (.png, .tga"),
            ("bare", b"", "found no ending"),
        ):
            path = self.folder / name
            path.write_bytes(data)
            with self.assertRaises(PictureError) as caught:
                read_picture(path)
            self.assertIn(words, str(caught.exception))
            self.assertNotIn("\n", str(caught.exception))
        with self.assertRaisesRegex(PictureError, "is not there"):
            read_picture(self.folder / "none.png")

    def test_author_and_licence_are_read_off_the_file(self):
        path = self.folder / "signed.png"
        told = PngInfo()
        told.add_text("Author", "E. Ling")
        told.add_text("Copyright", "CC BY 4.0")
        Image.new("RGB", (4, 4)).save(path, pnginfo=told)
        self.assertEqual(credit_in(path), ("E. Ling", "CC BY 4.0"))
        Image.new("RGB", (4, 4)).save(self.folder / "plain.png")
        self.assertEqual(credit_in(self.folder / "plain.png"), ("", ""))
        self.assertEqual(credit_in(self.folder / "none.png"), ("", ""))


class Objects(InFolder):
    def test_one_object_of_a_file_can_be_chosen(self):
        scene = trimesh.Scene({"lid": trimesh.creation.box((1, 1, 1)), "jar": trimesh.creation.icosphere(2)})
        path = self.folder / "carboy.glb"
        scene.export(path)
        whole, lid, jar = read_mesh(path), read_mesh(path, "lid"), read_mesh(path, "jar")
        self.assertEqual(whole.objects, ("jar", "lid"))
        self.assertEqual(len(lid.faces), 12)
        self.assertEqual(len(whole.faces), len(lid.faces) + len(jar.faces))
        with self.assertRaisesRegex(MeshError, 'expected an object "cork", found jar, lid; choose one of these'):
            read_mesh(path, "cork")
        shelf = Shelf(self.folder)
        self.assertEqual(len(shelf.mesh("carboy.glb#lid").faces), 12)
        self.assertIs(shelf.mesh("carboy.glb#lid"), shelf.mesh("carboy.glb#lid"))
        self.assertEqual(shelf.faults, {})
        self.assertEqual((shelf.objects("carboy.glb"), shelf.objects("none.glb")), (("jar", "lid"), ()))
