"""Pictures and models from files: what is read, and how damaged ones are refused."""

from __future__ import annotations

import errno
import io
import json
import struct
import tempfile
import unittest
import zlib
from pathlib import Path
from typing import Any
from unittest import mock

import cv2
import numpy as np
from PIL import Image

from lithopos.core.errors import InputError, NoRoom
from lithopos.core.exchange.decode import read_picture
from lithopos.core.exchange.picture import Picture, write_png
from lithopos.core.geometry.readers.table import read_model
from lithopos.core.reading.ask import inspect_file
from tests.support import SAMPLES


class Folder(unittest.TestCase):
    def setUp(self) -> None:
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        self.folder = Path(holder.name)

    def file(self, name: str, data: bytes) -> Path:
        (self.folder / name).write_bytes(data)
        return self.folder / name


def png_header(width: int, height: int) -> bytes:
    def chunk(kind: bytes, data: bytes) -> bytes:
        return struct.pack(">I", len(data)) + kind + data + struct.pack(">I", zlib.crc32(kind + data))

    head = struct.pack(">IIBBBBB", width, height, 8, 2, 0, 0, 0)
    return (
        b"\x89PNG\r\n\x1a\n" + chunk(b"IHDR", head) + chunk(b"IDAT", zlib.compress(b"\0" * 100)) + chunk(b"IEND", b"")
    )


class Pictures(Folder):
    def test_bad_pictures_get_one_plain_sentence(self) -> None:
        whole = (SAMPLES / "cloister-yard.jpg").read_bytes()
        cases = [
            ("empty.jpg", b"", "the file is empty"),
            ("text.jpg", b"not a picture at all", "is not a picture"),
            ("cut.jpg", whole[: len(whole) // 2], "cut off"),
            ("huge.png", png_header(60_000, 60_000), "limit of 200 million pixels"),
            ("tiny.png", png_header(4, 4), "16 pixels a side"),
        ]
        for name, data, words in cases:
            with self.subTest(name), self.assertRaisesRegex(InputError, words):
                read_picture(self.file(name, data))

    def test_sixteen_bits_stay_and_orientation_is_applied(self) -> None:
        codes = np.random.default_rng(0).integers(0, 65536, (20, 30, 3)).astype(np.uint16)
        cv2.imwrite(str(self.folder / "deep.png"), codes[..., ::-1])
        deep = read_picture(self.folder / "deep.png")
        np.testing.assert_array_equal(deep.codes, codes)
        write_png(deep, self.folder / "again.png")
        np.testing.assert_array_equal(read_picture(self.folder / "again.png").codes, codes)
        turned, exif = Image.new("RGB", (40, 20)), Image.Exif()
        exif[0x0112] = 6
        buffer = io.BytesIO()
        turned.save(buffer, "JPEG", exif=exif)
        self.assertEqual(read_picture(self.file("turned.jpg", buffer.getvalue())).codes.shape, (40, 20, 3))

    def test_a_full_disk_leaves_nothing_and_says_so(self) -> None:
        full = OSError(errno.ENOSPC, "No space left on device")
        with mock.patch("PIL.Image.Image.save", side_effect=full), self.assertRaisesRegex(NoRoom, "disk is full"):
            write_png(Picture(np.zeros((20, 20, 3), np.uint8)), self.folder / "out.png")
        self.assertEqual(list(self.folder.iterdir()), [])


def glb(document: dict[str, Any], binary: bytes) -> bytes:
    text = json.dumps(document).encode()
    text += b" " * (-len(text) % 4)
    binary += b"\0" * (-len(binary) % 4)
    body = struct.pack("<I4s", len(text), b"JSON") + text + struct.pack("<I4s", len(binary), b"BIN\0") + binary
    return b"glTF" + struct.pack("<II", 2, 12 + len(body)) + body


def triangle(**changes: Any) -> tuple[dict[str, Any], bytes]:
    """One triangle (0,0,0) (1,0,0) (0,1,0) in glTF's y up, its positions as normalised int16."""
    binary = np.array([[0, 0, 0, 0], [32767, 0, 0, 0], [0, 32767, 0, 0]], "<i2").tobytes()
    document = {
        "asset": {"version": "2.0"},
        "buffers": [{"byteLength": len(binary)}],
        "bufferViews": [{"buffer": 0, "byteLength": 24, "byteStride": 8}],
        "accessors": [{"bufferView": 0, "componentType": 5122, "normalized": True, "count": 3, "type": "VEC3"}],
        "meshes": [{"primitives": [{"attributes": {"POSITION": 0}}]}],
        "nodes": [{"mesh": 0, "scale": [2, 2, 2]}, {"children": [0], "translation": [0, 5, 0]}],
        "scenes": [{"nodes": [1]}],
        **changes,
    }
    return document, binary


class Models(Folder):
    def test_nodes_normalised_integers_and_the_upright_axis(self) -> None:
        model = read_model(self.file("t.glb", glb(*triangle())))
        # y up becomes z up: (x, y, z) → (x, −z, y), after the tree's scale 2 and rise of 5.
        np.testing.assert_allclose(model.parts[0].vertices, [[0, 0, 5], [2, 0, 5], [0, 0, 7]], atol=1e-4)
        np.testing.assert_allclose(model.parts[0].normals[0], [0, -1, 0], atol=1e-6)

    def test_sparse_accessors_are_applied(self) -> None:
        document, binary = triangle()
        document["accessors"][0] |= {
            "sparse": {"count": 1, "indices": {"bufferView": 1, "componentType": 5121}, "values": {"bufferView": 2}}
        }
        document["bufferViews"] += [
            {"buffer": 0, "byteOffset": 24, "byteLength": 1},
            {"buffer": 0, "byteOffset": 28, "byteLength": 6},
        ]
        binary += b"\x01\0\0\0" + np.array([0, 0, 32767], "<i2").tobytes()
        np.testing.assert_allclose(
            read_model(self.file("s.glb", glb(document, binary))).parts[0].vertices[1], [0, -2, 5], atol=1e-4
        )

    def test_the_sample_models_are_as_described(self) -> None:
        for name, size in (("marl-bench", [1.8, 0.46, 0.68]), ("tern-fountain", [0.48, 0.48, 1.01])):
            told = inspect_file(SAMPLES / f"{name}.glb")
            np.testing.assert_allclose(told["size_m"], size, atol=0.01)
            self.assertTrue(5_000 <= told["triangles"] <= 30_000, told["triangles"])
            self.assertEqual(told["lost"], [])

    def test_bad_models_get_one_plain_sentence(self) -> None:
        document, binary = triangle()
        good = glb(document, binary)
        circle = {**document, "nodes": [{"mesh": 0, "children": [1]}, {"children": [0]}]}
        cases = [
            ("cut.glb", good[:-30], "cut off"),
            ("noise.glb", b"glTF" + b"\x02\0\0\0" + b"\xff" * 40, "cut off|damaged"),
            ("none.glb", glb({**document, "meshes": [{"primitives": []}]}, binary), "has no triangles"),
            (
                "short.glb",
                glb({**document, "accessors": [{**document["accessors"][0], "count": 9}]}, binary),
                "cut off",
            ),
            (
                "needs.glb",
                glb({**document, "extensionsRequired": ["KHR_texture_basisu"]}, binary),
                "KHR_texture_basisu",
            ),
            ("circle.glb", glb(circle, binary), "circle"),
            (
                "out.gltf",
                json.dumps({**document, "buffers": [{"uri": "../x.bin", "byteLength": 24}]}).encode(),
                "outside its folder",
            ),
        ]
        for name, data, words in cases:
            with self.subTest(name), self.assertRaisesRegex(InputError, words):
                inspect_file(self.file(name, data))


if __name__ == "__main__":
    unittest.main()
