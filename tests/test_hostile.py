"""What clumsy and hostile files and calls do to the real program: one plain line, nothing half written, by class."""

from __future__ import annotations

import contextlib
import io
import json
import os
import signal
import socket
import struct
import subprocess
import sys
import tempfile
import time
import unittest
import urllib.error
import urllib.request
import zipfile
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import Any

import cv2
import numpy as np
import tifffile
from PIL import Image, ImageCms
from proving.server import running

from lithopos.core.errors import InputError
from lithopos.core.exchange.decode import read_picture
from lithopos.core.exchange.graphic import read_graphic as graphic_of
from lithopos.core.exchange.picture import write_png
from lithopos.core.reading.ask import ask_reader, inspect_file, read_graphic, read_model
from lithopos.core.shot import load_shot
from lithopos.web.app import create_app
from tests.core.test_files import glb, png_header, triangle
from tests.core.test_shot import example
from tests.support import SAMPLES, TrueCamera

DEEP = "[" * 100_000
PIXELS = np.random.default_rng(0).integers(0, 256, (24, 32, 3)).astype(np.uint8)


class Folder(unittest.TestCase):
    def setUp(self) -> None:
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        self.folder = Path(holder.name)

    def file(self, name: str, data: bytes | str) -> Path:
        (self.folder / name).write_bytes(data.encode() if isinstance(data, str) else data)
        return self.folder / name


def image(mode: str = "RGB", kind: str = "PNG", **more: Any) -> bytes:
    buffer = io.BytesIO()
    Image.fromarray(PIXELS).convert(mode).save(buffer, kind, **more)
    return buffer.getvalue()


class Graphics(Folder):
    def test_drawings_run_nothing_and_lead_nowhere(self) -> None:
        secret = self.file("secret.png", image())
        head = '<svg xmlns="http://www.w3.org/2000/svg" xmlns:xlink="http://www.w3.org/1999/xlink" viewBox="0 0 8 8">'
        leading = (
            f'<image href="{secret}" width="8" height="8"/>',
            f'<image xlink:href="file://{secret}" width="8" height="8"/>',
            f'<rect width="8" height="8" style="fill:url({secret})"/>',
            f"<style>@import url({secret}); rect {{fill: red}}</style>",
            "<script>while (true) {}</script>",
        )
        for inside in leading:
            with self.subTest(inside):
                path = self.file("d.svg", f"{head}{inside}</svg>")
                self.assertEqual(inspect_file(path)["kind"], "graphic")
                # Nothing, or one plain colour where a fill was struck out.
                codes = read_graphic(path).codes.reshape(-1, 4)
                self.assertTrue((codes == codes[0]).all())
        drawn = read_graphic(self.file("d.svg", f'{head}<rect width="4" height="8" fill="#f00"/></svg>')).codes
        np.testing.assert_array_equal(drawn[5, [5, -5]], [[255, 0, 0, 255], [0, 0, 0, 0]])

    def test_bad_graphics_end_in_one_line(self) -> None:
        lol = "".join(f'<!ENTITY l{n} "{f"&l{n - 1};" * 10}">' for n in range(1, 12))
        plain = '<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 9 9">'
        bomb = f'<!DOCTYPE svg [<!ENTITY l0 "x">{lol}]>{plain}&l11;</svg>'
        for name, data, words in (
            ("cut.svg", '<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 9 9"><rect', "damaged drawing"),
            ("bare.svg", '<svg xmlns="http://www.w3.org/2000/svg"/>', "tells no size"),
            ("thin.svg", '<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 1e5 1"/>', "absurd size"),
            ("cut.mp4", b"\0\0\0\x18ftypisom\0\0\0\0isomiso2" + b"\0" * 50, "no picture that can be read"),
        ):
            with self.subTest(name), self.assertRaisesRegex(InputError, words):
                inspect_file(self.file(name, data))
        try:  # entities are not followed, or the drawing is refused: nothing grows
            inspect_file(self.file("bomb.svg", bomb))
        except InputError as error:
            self.assertIn("drawing", str(error))

    def test_what_is_not_seen_does_not_bleed_when_a_graphic_is_made_smaller(self) -> None:
        codes = np.zeros((4200, 60, 4), np.uint8)
        codes[..., 0] = 255  # red that is not seen
        codes[1000:3000] = [0, 0, 255, 255]
        buffer = io.BytesIO()
        Image.fromarray(codes).save(buffer, "PNG", compress_level=1)
        path = self.file("g.png", buffer.getvalue())
        small = graphic_of(path, longest=100).codes
        self.assertEqual(small.shape, (100, 1, 4))
        seen = small[small[..., 3] > 0]
        self.assertTrue((seen[:, 0] == 0).all() and (seen[:, 2] > 250).all())
        self.assertEqual(read_graphic(path).codes.shape[0], 4096)

    def test_palettes_greys_and_sixteen_bits_keep_colour_and_transparency(self) -> None:
        palette = Image.new("P", (32, 24), 1)
        palette.putpalette([9, 9, 9, 200, 100, 50])
        grey = Image.new("LA", (32, 24), (70, 128))
        for picture, more, expected in (
            (palette, {}, [200, 100, 50, 255]),
            (palette, {"transparency": 1}, [200, 100, 50, 0]),
            (grey, {}, [70, 70, 70, 128]),
        ):
            buffer = io.BytesIO()
            picture.save(buffer, "PNG", **more)
            np.testing.assert_array_equal(graphic_of(self.file("g.png", buffer.getvalue())).codes[5, 5], expected)
        deep = np.full((16, 16, 3), 32896, np.uint16)
        tifffile.imwrite(self.folder / "deep.tif", deep, photometric="rgb")
        np.testing.assert_array_equal(read_graphic(self.folder / "deep.tif").codes[0, 0], [128, 128, 128, 255])

    def test_a_films_frame_is_the_one_on_show_at_its_time(self) -> None:
        import av

        path = self.folder / "take.mkv"
        with av.open(str(path), "w") as film:
            stream = film.add_stream("ffv1", rate=10)
            stream.width, stream.height, stream.pix_fmt = 32, 24, "bgr0"
            for level in range(0, 200, 20):
                frame = av.VideoFrame.from_ndarray(np.full((24, 32, 3), level, np.uint8), format="rgb24")
                film.mux(stream.encode(frame))
            film.mux(stream.encode())
        told = inspect_file(path)
        self.assertEqual((told["kind"], told["width"], told["height"]), ("film", 32, 24))
        for time_s, level in ((0.0, 0), (0.35, 60), (0.8, 160), (99.0, 180)):
            self.assertEqual(int(read_graphic(path, time_s).codes[3, 3, 0]), level)


class Models(Folder):
    def test_bad_models_are_refused_by_name(self) -> None:
        document, binary = triangle()
        primitive = document["meshes"][0]["primitives"][0]
        accessor = document["accessors"][0]
        doubled = [{"mesh": 0}] + [{"children": [n, n]} for n in range(150)]

        def meshes(**more: Any) -> dict[str, Any]:
            return {"meshes": [{"primitives": [{**primitive, **more}]}]}

        coloured = {"materials": [{"pbrMetallicRoughness": {"baseColorFactor": [1, 0.5]}}], **meshes(material=0)}
        cases: list[tuple[dict[str, Any], str]] = [
            ({"asset": {"version": "1.0"}}, "is glTF version 1.0"),
            ({"asset": {"version": "7.3"}}, "is glTF version 7.3"),
            (meshes(material=3), r"names materials\[3\], but there are 0"),
            (meshes(material=-2), r"names materials\[-2\]"),
            ({"nodes": [{"mesh": 9}], "scenes": [{"nodes": [0]}]}, r"names meshes\[9\]"),
            ({"scenes": [{"nodes": [-1]}]}, r"names nodes\[-1\]"),
            ({"scene": 4}, r"names scenes\[4\]"),
            ({"nodes": doubled, "scenes": [{"nodes": [150]}]}, "reaches nodes.* twice"),
            ({"nodes": [{"mesh": 0, "scale": [1e300] * 3}], "scenes": [{"nodes": [0]}]}, "not numbers|beyond"),
            ({"accessors": [{**accessor, "count": -4}]}, r"accessors\[0\] counts -4"),
            ({"accessors": [{**accessor, "bufferView": 8}]}, r"names bufferViews\[8\]"),
            (coloured, "is not 4 numbers"),
            ({"extensionsRequired": [f"X_{n}" for n in range(20_000)]}, r"^model: needs X_0, .{3,40} and 19997 more"),
        ]
        for change, words in cases:
            with self.subTest(words), self.assertRaisesRegex(InputError, words) as caught:
                inspect_file(self.file("m.glb", glb({**document, **change}, binary)))
            self.assertLess(len(str(caught.exception)), 300)
        for name, data, words in (
            ("deep.gltf", '{"a":' * 100_000, "nested too deep|damaged"),
            ("nan.gltf", '{"asset": {"version": "2.0"}, "scene": NaN}', "holds NaN"),
            ("list.gltf", "[1]", "neither a photograph nor a model"),
            ("v1.glb", b"glTF" + struct.pack("<II", 1, 12), "glTF version 1"),
        ):
            with self.subTest(name), self.assertRaisesRegex(InputError, words):
                inspect_file(self.file(name, data))

    def test_what_can_be_mended_is_mended_and_said(self) -> None:
        document, binary = triangle()
        document["accessors"].append({**document["accessors"][0], "count": 2})
        document["meshes"][0]["primitives"][0]["attributes"] |= {"NORMAL": 1, "TEXCOORD_0": 1}
        document["nodes"][0]["name"] = "a\nname\x00 that breaks lines"
        document |= {
            "materials": [{"name": "sign", "pbrMetallicRoughness": {"baseColorTexture": {"index": 0}}}],
            "textures": [{"source": 0}],
            "images": [{"uri": "data:image/png;base64,R0lGODlhAQABAAAAACw="}],
        }
        told = inspect_file(self.file("m.glb", glb(document, binary)))
        self.assertEqual(len(told["lost"]), 3)
        self.assertIn("NORMAL does not fit", told["lost"][0])
        self.assertIn("'sign' lacks a texture that can't be read", told["lost"][2])
        self.assertEqual(told["parts"], ["aname that breaks lines"])

    def test_a_texture_used_many_times_is_decoded_once(self) -> None:
        document, binary = triangle()
        picture = io.BytesIO()
        Image.new("RGB", (3000, 3000)).save(picture, "PNG")
        start = len(binary) + (-len(binary) % 4)
        binary += b"\0" * (-len(binary) % 4) + picture.getvalue()
        document["buffers"][0]["byteLength"] = len(binary)
        document["bufferViews"].append({"buffer": 0, "byteOffset": start, "byteLength": len(picture.getvalue())})
        document["images"] = [{"bufferView": 1}]
        document["textures"] = [{"source": 0}]
        document["materials"] = [{"pbrMetallicRoughness": {"baseColorTexture": {"index": 0}}}] * 40
        model = read_model(self.file("m.glb", glb(document, binary)))
        self.assertEqual(len(model.materials), 41)

    def test_a_reader_ends_with_whoever_started_it(self) -> None:
        script = "from lithopos.core.reading.ask import *; from pathlib import Path; find_edges_of(Path('{}'))"
        slow = self.folder / "slow.png"
        Image.fromarray(np.random.default_rng(0).integers(0, 255, (4000, 6000), np.uint8)).save(slow)
        parent = subprocess.Popen([sys.executable, "-c", script.format(slow)])
        children: list[str] = []
        deadline = time.monotonic() + 20
        while not children and time.monotonic() < deadline:
            time.sleep(0.1)
            children = Path(f"/proc/{parent.pid}/task/{parent.pid}/children").read_text().split()
        time.sleep(0.7)  # it has set its limits by now
        parent.kill()
        parent.wait()
        time.sleep(0.5)
        self.assertTrue(children)
        states = [Path(f"/proc/{child}/stat") for child in children]
        # In a container nobody may collect what ended (Z).
        self.assertEqual(
            [s.read_text().split()[2] for s in states if s.exists() and s.read_text().split()[2] != "Z"], []
        )


class Pictures(Folder):
    def test_every_depth_profile_and_orientation_comes_in_right(self) -> None:
        deep = PIXELS.astype(np.uint16) * 257
        srgb = ImageCms.ImageCmsProfile(ImageCms.createProfile("sRGB")).tobytes()
        exif = Image.Exif()
        exif[0x0112] = 6
        turned = np.rot90(PIXELS, -1)
        cv2.imwrite(str(self.folder / "deep.png"), deep[..., ::-1])
        with_exif = cv2.imencodeWithMetadata(
            ".png", deep[..., ::-1].copy(), [cv2.IMAGE_METADATA_EXIF], [np.frombuffer(exif.tobytes(), np.uint8)]
        )[1]
        tifffile.imwrite(self.folder / "deep.tif", deep, photometric="rgb", compression="lzw")
        tifffile.imwrite(self.folder / "wide.tif", PIXELS.astype(np.uint32) << 24, photometric="rgb")
        linear = (PIXELS / 255.0).astype(np.float32)
        tifffile.imwrite(self.folder / "float.tif", linear, photometric="rgb")
        tifffile.imwrite(
            self.folder / "planes.tif", np.moveaxis(deep, 2, 0), photometric="rgb", planarconfig="separate"
        )
        tifffile.imwrite(self.folder / "grey.tif", deep[..., 0], photometric="minisblack")
        cases: list[tuple[Path, Any, float]] = [
            (self.file("a.png", image()), PIXELS, 0),
            (self.file("a.webp", image(kind="WEBP", lossless=True)), PIXELS, 0),
            (self.file("a.avif", image(kind="AVIF", quality=100, subsampling="4:4:4")), PIXELS, 6),
            (self.file("t.jpg", image(kind="JPEG", quality=100, subsampling=0, exif=exif)), turned, 12),
            (self.file("t.png", image(exif=exif)), turned, 0),
            (self.file("x.png", with_exif.tobytes()), np.rot90(deep, -1), 0),
            (self.folder / "deep.png", deep, 0),
            (self.folder / "deep.tif", deep, 0),
            (self.folder / "planes.tif", deep, 0),
            (self.folder / "grey.tif", np.repeat(deep[..., :1], 3, axis=2), 0),
            (self.folder / "wide.tif", PIXELS.astype(np.uint16) << 8, 0),
            (self.file("wrong-name.txt", image()), PIXELS, 0),
        ]
        for path, expected, within in cases:
            with self.subTest(path.name):
                read = read_picture(path)
                self.assertEqual((read.codes.shape, read.codes.dtype), (expected.shape, expected.dtype))
                difference = np.abs(read.codes.astype(int) - expected.astype(int))
                self.assertLessEqual(float(np.percentile(difference, 95)), within)
        floating = read_picture(self.folder / "float.tif")
        # Linear 0.5 is sRGB code 188 of 255.
        half = np.abs(linear - 0.5) < 0.005
        self.assertAlmostEqual(float(floating.codes[half].mean()) / 257, 188, delta=1.5)
        self.assertIn("floating point", floating.notes[0])
        cmyk = read_picture(self.file("c.jpg", image("CMYK", "JPEG", quality=95)))
        self.assertIsNone(cmyk.icc)
        self.assertIn("CMYK", cmyk.notes[0])
        kept = read_picture(self.file("p.png", image(icc_profile=srgb)))
        self.assertEqual(kept.icc, srgb)
        cv2.imwrite(str(self.folder / "d.png"), deep)
        profiled = read_picture(self.folder / "d.png")
        write_png(type(profiled)(profiled.codes, srgb), self.folder / "out.png")
        again = read_picture(self.folder / "out.png")
        self.assertEqual(again.icc, srgb)
        np.testing.assert_array_equal(again.codes, profiled.codes)

    def test_bad_pictures_get_one_plain_sentence_and_no_memory(self) -> None:
        bomb = png_header(12_000, 9_000)
        for name, data, words in (
            ("script.ps", b"%!PS-Adobe-3.0 EPSF-3.0\n%%BoundingBox: 0 0 99 99\nshowpage", "neither a photograph"),
            ("gif.jpg", b"GIF89a" + b"\0" * 60, "neither a photograph"),
            ("cut.png", image()[:-60], "cut off|damaged"),
            ("cut.tif", tiff_bytes()[:-2000], "cut off|damaged"),
            ("bomb.png", bomb, "cut off|damaged"),
            ("huge.png", png_header(20_000, 20_000), "limit of 200 million"),
            ("thin.png", png_header(16, 70_000), "65500 pixels a side"),
            ("photo.heic", b"\0\0\0\x18ftypheic\0\0\0\0mif1heic" + b"\0" * 99, "pillow-heif|can't be read|cut off"),
            ("photo.dng", b"II*\0" + b"\0" * 99, "rawpy|raw"),
        ):
            with self.subTest(name), self.assertRaisesRegex(InputError, words):
                ask_reader("tell", self.file(name, data))

    def test_tall_thin_and_odd_photographs_have_small_pictures_and_a_copy_for_the_screen(self) -> None:
        thin = self.folder / "thin.png"
        Image.new("RGB", (16, 30_000), (90, 80, 70)).save(thin)
        for path, has_copy in ((thin, False), (self.file("t.tif", tiff_bytes()), True)):
            made = self.folder / f"made-{path.stem}"
            made.mkdir()
            ask_reader("prepare", path, made)
            with Image.open(made / "thumb-240.jpg") as small:
                self.assertLessEqual(max(small.size), 4 * 240)
            self.assertEqual((made / "display.jpg").is_file(), has_copy)


def tiff_bytes() -> bytes:
    buffer = io.BytesIO()
    tifffile.imwrite(buffer, PIXELS.astype(np.uint16) * 257, photometric="rgb")
    return buffer.getvalue()


def zipped(entries: dict[str, bytes | str], **more: Any) -> bytes:
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w", **more) as bundle:
        for name, data in entries.items():
            bundle.writestr(name, data)
    return buffer.getvalue()


class CommandLine(Folder):
    def test_bad_calls_end_with_two_and_one_line(self) -> None:
        picture, good = example()["photograph"], json.dumps(example())

        def shot(**changes: Any) -> str:
            return json.dumps({**example(), **changes})

        files: dict[str, bytes | str] = {
            **{name: (SAMPLES / name).read_bytes() for name in load_shot(example()).files()},
        }
        for name, data in files.items():
            self.file(name, data)
        true = TrueCamera()
        question = true.problem(true.edges("ab"))
        texts = {**question, "lines": [{"family": "a", "points": [["1", "2"], ["3", "4"]]}]}
        camera = {"focal_px": 1500, "principal_point": [9, 9], "rotation": np.eye(3).tolist()}
        sun = json.dumps({"image": question["image"], "camera": camera, "gnomons": [{"top": [1, 2], "tip": [3, 4]}]})
        infinite = sun.replace('"focal_px": 1500', '"focal_px": 1500, "sigma": {"focal_px": 1e999}')
        shots: dict[str, bytes | str] = {
            "shot.json": good,
            "deep.json": DEEP,
            "old.json": json.dumps({**example(), "format": 1, "lengths": 5}),
            "nul.json": shot(photograph={**picture, "file": "a\0b"}),
            "size.json": shot(photograph={**picture, "width": 99}),
            "swapped.json": shot(photograph={**picture, "file": "marl-bench.glb"}),
            "far.json": shot(models=[{**example()["models"][0], "position_m": [9e3, 9e3, 0]}]),
            "huge.json": shot(photograph={**picture, "width": 19200, "height": 12800}, output={"scale": 4}),
            "twice.zip": twice(good),
            "cut.zip": zipped({"shot.json": good, **files})[:-4000],
            "bare.zip": zipped({"readme": "x"}),
            "long.zip": zipped({"shot.json": good.replace("marl-bench.glb", "x" * 300)}),
            "secret.zip": encrypted(zipped({"shot.json": good})),
            "zeros.zip": zipped({"shot.json": good, "zeros": bytes(1 << 27)}, compression=zipfile.ZIP_DEFLATED),
        }
        for name, data in shots.items():
            self.file(name, data)
        (self.folder / "out.png").mkdir()
        out = ["-o", str(self.folder / "made.png")]

        def rendered(shot: str, *more: str) -> list[str]:
            return ["render", str(self.folder / shot), *(more or out)]

        cases: list[tuple[list[str], str, str]] = [
            (["camera", "-"], DEEP, "FILE: is nested too deep|FILE: is not JSON"),
            (["camera", "-"], '{"image": ' + "9" * 5000 + "}", "FILE: is not JSON"),
            (["camera", "-"], json.dumps(texts), r"lines\[0\].points\[0\]\[0\]: is a str, not a number"),
            (["sun", "-"], infinite, "sigma"),
            (rendered("deep.json"), "", "nested too deep|not JSON"),
            (rendered("old.json"), "", "lengths"),
            (rendered("nul.json"), "", "photograph.file"),
            (rendered("size.json"), "", "photograph: is .*, but the shot says 99"),
            (rendered("swapped.json"), "", "photograph: is not a picture"),
            (rendered("far.json"), "", "models: .* km away"),
            (rendered("huge.json", *out, "--quality", "master"), "", "GB of memory"),
            (rendered("twice.zip"), "", "holds shot.json twice"),
            (rendered("cut.zip"), "", "damaged"),
            (rendered("bare.zip"), "", "holds no shot.json"),
            (rendered("long.zip"), "", "is missing"),
            (rendered("secret.zip"), "", "encrypted|damaged"),
            (rendered("zeros.zip"), "", "cloister-yard.jpg is missing from the bundle"),
            (rendered("shot.json", *out, "--scale", "nan"), "", "--scale"),
            (rendered("shot.json", "-o", str(self.folder / "out.png")), "", "--out: .* is a folder"),
            (rendered("shot.json", "-o", str(self.folder / ("x" * 300 + ".png"))), "", "--out: .*can't be written"),
            (rendered("shot.json", "-o", "/proc/no/x.png"), "", "--out"),
            (["inspect", str(self.file("a\nb.glb", b"glTF"))], "", "damaged|cut off"),
            (["serve", "--port", "0", "--data", "/proc/no"], "", "--data"),
        ]
        with ThreadPoolExecutor(2) as pool:
            results = list(pool.map(self.told, cases))
        for (call, _, words), told in zip(cases, results, strict=True):
            with self.subTest(call=call[:2], words=words):
                self.assertEqual(told.returncode, 2, told.stderr[-500:])
                self.assertEqual(len(told.stderr.strip().splitlines()), 1, told.stderr[-500:])
                self.assertRegex(told.stderr, words)
                self.assertEqual(told.stdout, "")
        self.assertFalse((self.folder / "made.png").exists())
        self.assertEqual(list(self.folder.glob(".*")), [], "nothing half written is left")

    def told(self, case: tuple[list[str], str, str]) -> subprocess.CompletedProcess[str]:
        call, given, _ = case
        return subprocess.run(
            [sys.executable, "-m", "lithopos.cli", *call],
            input=given,
            capture_output=True,
            text=True,
            check=False,
            env={**os.environ, "TMPDIR": str(self.folder)},
            timeout=120,
        )

    def test_questions_without_measure_are_answered_soon(self) -> None:
        rng = np.random.default_rng(0)
        bent = TrueCamera(k1=-0.1)
        many = bent.wide_edges(each=66, points=1000, noise=0.5)
        random = [
            {"family": ("a", "b", "plumb")[n % 3], "points": rng.uniform(0, 1200, (2, 2)).tolist()} for n in range(2000)
        ]
        long = [{"family": "a", "points": np.linspace([10, 700], [1900, 720], 4000).tolist()}]
        cases = [
            {**bent.problem(many), "distortion": "solve", "principal_point": "free"},
            {**TrueCamera().problem(random), "robust": True},
            TrueCamera().problem(long + TrueCamera().edges("ab")),
        ]
        for case in cases:
            started = time.monotonic()
            self.told((["camera", "-"], json.dumps(case), ""))
            self.assertLess(time.monotonic() - started, 20)


def twice(document: str) -> bytes:
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w") as bundle, contextlib.suppress(UserWarning):
        bundle.writestr("shot.json", document)
        info = zipfile.ZipInfo("shot.jsoX")
        bundle.writestr(info, document)
    return buffer.getvalue().replace(b"shot.jsoX", b"shot.json")


def encrypted(bundle: bytes) -> bytes:
    """A bundle whose entries say that they are encrypted (general purpose flag 0 in both headers)."""
    data = bytearray(bundle)
    for mark, at in ((b"PK\x03\x04", 6), (b"PK\x01\x02", 8)):
        place = data.find(mark)
        data[place + at] |= 1
    return bytes(data)


class Web(unittest.TestCase):
    def setUp(self) -> None:
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        self.app = create_app(Path(holder.name))
        self.addCleanup(self.app.extensions["library"].engine.dispose)
        self.client = self.app.test_client()
        self.project = str((self.client.post("/api/v1/projects", json={"name": "x"}).json or {})["id"])

    def send(self, name: str, data: bytes) -> Any:
        form = {"file": (io.BytesIO(data), name)}
        return self.client.post(f"/api/v1/projects/{self.project}/files", data=form)

    def test_a_file_is_what_it_holds_and_can_do_nothing_here(self) -> None:
        script = b"GIF89a/*" + b"\0" * 40 + b"*/=1;alert(1)"
        page = b"GIF89a<script>alert(1)</script>" + b"\0" * 40
        for name, data in (("p.js", script), ("p.html", page), ("p.svg", b"<svg onload=alert(1)>")):
            self.assertEqual(self.send(name, data).status_code, 422, name)
        for name, data, media, attached in (
            ("p.html", image(kind="JPEG"), "image/jpeg", False),
            ("p.js", (SAMPLES / "tern-fountain.glb").read_bytes(), "model/gltf-binary", True),
            ("p.png", tiff_bytes(), "image/jpeg", False),
            ("w" * 300 + "." + "é" * 150, image(), "image/png", False),
            ("a\x00b.png", image("L"), "image/png", False),
        ):
            sent = self.send(name, data)
            self.assertEqual(sent.status_code, 201, sent.text)
            answer = self.client.get(f"/api/v1/files/{sent.json['sha256']}")
            self.assertEqual((answer.status_code, answer.mimetype), (200, media))
            self.assertEqual(answer.headers["X-Content-Type-Options"], "nosniff")
            self.assertEqual(answer.headers["Cross-Origin-Resource-Policy"], "same-origin")
            self.assertIn("sandbox", answer.headers["Content-Security-Policy"])
            self.assertEqual("attachment" in answer.headers.get("Content-Disposition", ""), attached)
        policy = self.client.get("/").headers["Content-Security-Policy"]
        for word in ("base-uri 'none'", "form-action 'self'", "frame-ancestors 'none'"):
            self.assertIn(word, policy)

    def test_tables_of_colours_and_marks_without_a_camera_are_refused_in_words(self) -> None:
        rows = b"0 0 0\n1 1 1\n"
        for data in (
            b"LUT_3D_SIZE 2\n" + rows,
            b"LUT_3D_SIZE -2\n" + rows,
            b"LUT_3D_SIZE 2 2\n" + rows,
            b"LUT_1D_SIZE 2\n0 0 nan\n1 1 1\n",
            b"LUT_1D_SIZE 2\n0 0 1e999\n1 1 1\n",
            b"LUT_1D_SIZE 2\nDOMAIN_MIN a b c\n" + rows,
            b"LUT_1D_SIZE 2\nDOMAIN_MAX 1\n" + rows,
            b"LUT_1D_SIZE 99999999\n",
            b"LUT_1D_SIZE \xff\n",
            b"LUT_3D_SIZE 129\n" + b"0 0 0\n" * 1000,
        ):
            sent = self.send("x.cube", data)
            self.assertEqual(sent.status_code, 422, data[:40])
            self.assertIn("table of colours", sent.json["detail"])
        self.assertEqual(self.send("bom.cube", b"\xef\xbb\xbfLUT_1D_SIZE 2\n" + rows).status_code, 201)
        told = self.send("p.jpg", (SAMPLES / "cloister-yard.jpg").read_bytes()).json
        made = {"name": "s", "photograph": told["sha256"]}

        def posted(path: str, body: Any) -> tuple[int, Any]:
            answer = self.client.post(f"/api/v1/{path}", json=body)
            return answer.status_code, answer.json

        shot = posted(f"projects/{self.project}/shots", made)[1]["id"]
        for what, body in (
            ("focus", {"sharp": [9, 900], "soft": [9, 1200]}),
            ("haze", {"near": [9, 900], "far": [9, 700], "haze": [9, 400]}),
        ):
            status, answer = posted(f"shots/{shot}/{what}", body)
            self.assertEqual((status, answer["field"]), (422, "camera"))
            self.assertEqual(posted(f"shots/{shot}/{what}", {**body, "else": 1})[0], 422)
        for name in (f"{shot}~", f"{shot}~none", f"{shot}~a~b", f"~{shot}", f"{shot}~%2e%2e"):
            wanted = 200 if name.endswith("~") else 404  # no option is the shot itself
            self.assertEqual(self.client.get(f"/api/v1/shots/{name}").status_code, wanted, name)
        for options in ([], [{"of": ["none"]}], [{"name": "x" * 300}], 5):
            self.assertEqual(posted(f"shots/{shot}/options", {"options": options})[0], 422, options)
        library = self.app.extensions["library"]
        self.assertEqual(library.shot(shot).revision, 1, "nothing was kept")

    def test_odd_requests_get_problems_not_failures(self) -> None:
        deep = '{"name":' * 20_000
        files = f"/api/v1/projects/{self.project}/files"
        cases: list[tuple[str, str, dict[str, Any], set[int]]] = [
            ("GET", "/" + "x" * 256, {}, {200, 503}),
            ("GET", "/" + "x" * 5000, {}, {200, 404, 414, 503}),
            ("POST", "/api/v1/projects", {"data": deep, "content_type": "application/json"}, {400, 422}),
            (
                "POST",
                "/api/v1/projects",
                {"data": '{"name": ' + "9" * 5000 + "}", "content_type": "application/json"},
                {400, 422},
            ),
            ("POST", "/api/v1/projects", {"data": b"\xff\xfe", "content_type": "application/json"}, {400, 415, 422}),
            ("POST", files, {"data": {"file": "no file name"}}, {400, 422}),
            ("POST", files, {"data": {}}, {400, 422}),
            ("POST", files, {"data": {f"f{n}": "x" for n in range(2000)}}, {413, 422}),
            ("GET", "/api/v1/shots/ffffffffffff/renders", {}, {404}),
            ("GET", "/api/v1/files/" + "0" * 64 + "/thumb?width=9999999", {}, {422}),
            ("PATCH", "/api/v1/shots/ffffffffffff", {"json": {"revision": 10**30, "patch": {}}}, {404, 422}),
        ]
        for method, path, more, allowed in cases:
            with self.subTest(f"{method} {path[:40]}"):
                answer = self.client.open(path, method=method, **more)
                self.assertIn(answer.status_code, allowed, answer.text[:300])
                if answer.status_code >= 400 and answer.status_code != 503:
                    self.assertEqual(answer.mimetype, "application/problem+json")
        secrets = [self.client.get(f"/..%2f..%2f{name}") for name in ("app.py", "nothing.py")]
        self.assertEqual(secrets[0].data, secrets[1].data)
        self.assertNotIn(b"create_app", secrets[0].data)

    def test_half_open_connections_keep_nobody_out(self) -> None:
        with running() as server, contextlib.ExitStack() as stack:
            port = int(server.address.rsplit(":", 1)[1])
            for _ in range(150):
                connection = stack.enter_context(socket.create_connection(("127.0.0.1", port)))
                connection.sendall(b"POST /api/v1/projects HTTP/1.1\r\nContent-Le")
            self.assertEqual(server.ask("GET", "/health")["version"], "0.1.0")
            request = urllib.request.Request(f"{server.address}/api/v1/projects", b"{}", method="POST")
            request.add_header("Content-Length", str(3 << 30))
            with self.assertRaises((urllib.error.HTTPError, urllib.error.URLError, ConnectionError)):
                urllib.request.urlopen(request, timeout=10)
            server.end(signal.SIGTERM)


if __name__ == "__main__":
    unittest.main()
