"""What is delivered: layers compose to the picture by other hands, codes and profiles stay, names never meet."""

from __future__ import annotations

import io
import json
import struct
import tempfile
import unittest
import zipfile
from pathlib import Path
from typing import Any
from xml.etree import ElementTree

import cv2
import numpy as np
import OpenEXR
import tifffile
from PIL import Image, ImageCms

from lithopos.core.blend.blend import Tones
from lithopos.core.camera.pinhole import Pinhole
from lithopos.core.colour import decode_srgb, encode_srgb
from lithopos.core.composite.passes import Names, Passes, put_together
from lithopos.core.deliver.finished import Finished
from lithopos.core.deliver.flat import sized_to
from lithopos.core.deliver.framed import framed, framed_camera, framed_codes, window_of
from lithopos.core.deliver.handover import read_reply
from lithopos.core.deliver.icc import display_p3
from lithopos.core.deliver.make import deliver, plan_of
from lithopos.core.deliver.openexr import murmur3, name_float
from lithopos.core.errors import InputError
from lithopos.core.exchange.picture import Picture
from lithopos.core.layers import Window
from lithopos.core.reading.ask import notes_of
from lithopos.core.shot import Crop, Shot, load_shot
from tests.support import TrueCamera

WIDE, HIGH = 96, 64
NAMES = Names(("Marl bench", "Sill planter"), (("grey stone", "oak"), ("oak", "grey stone")))


def finished(depth: Any = np.uint8, icc: bytes | None = None, exif: bytes | None = None) -> Finished:
    """A picture with all that passes can hold, on random codes: shadow, light, two things, one in front, grain."""
    rng = np.random.default_rng(1)
    top = np.iinfo(depth).max
    codes: Any = rng.integers(0, top, (HIGH, WIDE, 3), depth, endpoint=True)
    window = Window(8, 8, 88, 60)
    shape = (52, 80)
    shadow = np.where(rng.random((*shape, 1)) < 0.5, 1, rng.random((*shape, 3))).astype(np.float32)
    added = (np.where(rng.random((*shape, 1)) < 0.7, 0, 0.3) * rng.random((*shape, 3))).astype(np.float32)
    cover, numbers = np.zeros(shape, np.float32), np.zeros(shape, np.int32)
    for number, (rows, columns) in enumerate(((slice(5, 25), slice(10, 40)), (slice(20, 45), slice(45, 70))), 1):
        cover[rows, columns], numbers[rows, columns] = rng.choice([0.3, 1.0, 1.0], (rows.stop - rows.start, 1)), number
    model = cover[..., None] * rng.random((*shape, 3)).astype(np.float32)
    front = np.where(np.arange(80) > 60, rng.choice([0.0, 0.5, 1.0], shape), 0).astype(np.float32)
    light, grain = rng.random((*shape, 3)).astype(np.float32), rng.normal(0, 0.01, (*shape, 3)).astype(np.float32)
    changed = ((cover > 0) | (shadow != 1).any(-1) | (added != 0).any(-1)) & (front < 1)
    own = decode_srgb(codes[window.slices].astype(np.float32) / top)
    light = np.where(~changed[..., None], own, light)
    away, normal = np.where(numbers > 0, np.float32(4), 0).astype(np.float32), np.zeros((*shape, 3), np.float32)
    parts = (shadow, added, model, cover, front, light, away, normal, normal, numbers, numbers)
    passes = Passes(window, *parts, grain * changed[..., None])
    made = codes.copy()
    made[window.slices] = put_together(codes[window.slices], passes)
    told: dict[str, Any] = {"camera": camera(), "names": NAMES, "exif": exif}
    return Finished(Picture(codes, icc), Picture(made, icc), lambda: [passes], **told)


def camera() -> Pinhole:
    true = TrueCamera(focal=90, size=(WIDE, HIGH))
    return Pinhole(true.focal, true.axis, true.rotation, true.centre, WIDE, HIGH)


def shot(*files: dict[str, Any], names: str = "{project}-{shot}-{view}-{n}") -> Shot:
    return load_shot(
        {
            "format": 4,
            "name": "Cloister yard",
            "photograph": {"file": "cloister.jpg", "width": WIDE, "height": HIGH},
            "deliverables": [{"id": f"d{number}", **one} for number, one in enumerate(files)],
            "output": {"names": names},
        }
    )


class InLayers(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def made(self, done: Finished, *files: dict[str, Any], **told: Any) -> list[Path]:
        wanted = shot(*files, **told)
        return list(deliver(wanted, done, plan_of(wanted), self.folder, {"project": "Tidewater", "shot": "Cloister"}))

    def test_raster_layers_compose_to_the_flat_picture(self) -> None:
        """By the modes' own formulas (W3C Compositing and Blending Level 1), nothing of ours."""
        for depth in (np.uint8, np.uint16):
            done = finished(depth)
            openraster, tiff = self.made(done, {"kind": "ora"}, {"kind": "layered tiff"})
            stacks = [from_openraster(openraster), from_tiff(tiff)]
            for layers in stacks:
                self.assertEqual(layers[0][0], "Photograph")
                made = composed([(mode, codes / 65535) for _, mode, codes in layers])
                top = np.iinfo(depth).max
                off = np.abs(made * 255 - done.picture.codes.astype(float) * 255 / top)
                self.assertLess(float(off.max()), 0.51)
            flat = tifffile.imread(tiff, key=0).astype(float) / 65535
            np.testing.assert_allclose(flat, done.picture.codes / np.iinfo(depth).max, atol=1e-5)

    def test_exr_parts_compose_and_tell_where_and_what(self) -> None:
        done = finished()
        (path,) = self.made(done, {"kind": "exr"})
        with OpenEXR.File(str(path)) as opened:
            parts = {part.name(): part for part in opened.parts}
            pixels = {
                name: {key: channel.pixels for key, channel in part.channels.items()} for name, part in parts.items()
            }
            manifest = next(v for k, v in parts["CryptoObject"].header.items() if str(k).endswith("/manifest"))
        one = {name: next(iter(value.values())).astype(float) for name, value in pixels.items()}
        place = one["photograph"] * one["shadow"] + one["added"]
        behind = place * (1 - one["model"][..., 3:]) + one["model"][..., :3]
        share = one["front"][..., 3:]
        light = share * one["front"][..., :3] + (1 - share) * behind
        made = np.clip(encode_srgb(light) + one["grain"], 0, 1) * 255
        np.testing.assert_allclose(made, done.picture.codes, atol=0.501)
        np.testing.assert_allclose(encode_srgb(one["picture"]) * 255, done.picture.codes, atol=0.2)
        there = np.stack([pixels["position"][axis] for axis in "XYZ"], -1)[30, 60]
        np.testing.assert_allclose(TrueCamera(focal=90, size=(WIDE, HIGH)).see(there)[0], [60.5, 30.5], atol=1e-3)
        self.assertAlmostEqual(float(np.linalg.norm(there - done.camera.position)), 4, places=4)
        for number, (name, code) in enumerate(json.loads(manifest).items(), 1):
            identity = struct.unpack("<f", bytes.fromhex(code)[::-1])[0]
            picked = pixels["CryptoObject"]["CryptoObject00"][..., 0] == np.float32(identity)
            self.assertEqual(name, NAMES.objects[number - 1])
            (numbers,) = (part.objects for part in done.passes())
            self.assertTrue(picked[8:60, 8:88][numbers == number].all())
            self.assertFalse(picked[8:60, 8:88][(numbers != number) & (numbers > 0)].any())

    def test_hashes_are_those_of_the_published_function(self) -> None:
        known = {"": 0, "hello": 0x248BFA47, "hello, world": 0x149BBB7F, "Hello, world!": 0xC0363E43}
        for word, value in known.items():
            self.assertEqual(murmur3(word.encode()), value)
        self.assertEqual(murmur3(b"aaaa", 0x9747B28C), 0x5A97808A)
        self.assertTrue(np.isfinite(name_float("Marl bench")))

    def test_sixteen_bits_profiles_and_notes_go_through(self) -> None:
        icc = display_p3()
        exif = Image.Exif()
        exif[0x010F], exif[0x0112] = "Made-up camera", 6
        buffer = io.BytesIO()
        Image.new("RGB", (8, 8)).save(buffer, "JPEG", exif=exif)
        (self.folder / "p.jpg").write_bytes(buffer.getvalue())
        notes = notes_of(self.folder / "p.jpg")
        done = finished(np.uint16, icc, notes)
        png, tiff = self.made(done, {"kind": "png"}, {"kind": "tiff"})
        np.testing.assert_array_equal(
            np.asarray(cv2.imread(str(png), cv2.IMREAD_UNCHANGED))[..., ::-1], done.picture.codes
        )
        np.testing.assert_array_equal(tifffile.imread(tiff), done.picture.codes)
        with Image.open(png) as opened, tifffile.TiffFile(tiff) as pages:
            self.assertEqual(opened.info["icc_profile"], icc)
            self.assertEqual(pages.pages[0].tags[34675].value, icc)  # type: ignore[union-attr]
        small = finished(np.uint8, icc, notes)
        kinds = ("png", "jpeg", "webp", "avif")
        for path in self.made(small, *({"kind": kind} for kind in kinds), {"kind": "jpeg", "notes": False}):
            with Image.open(path) as opened:
                self.assertEqual(opened.info["icc_profile"], icc)
                noted = opened.getexif()
                self.assertEqual(noted.get(0x010F), None if path.stem.endswith("-b") else "Made-up camera", path.name)
                self.assertIn(noted.get(0x0112), (None, 1))
                told: Any = opened.info
                xmp = told.get("xmp") or told["XML:com.adobe.xmp"].encode()
                self.assertIn(b"compositeSynthetic", xmp)
                if path.suffix == ".png":
                    np.testing.assert_array_equal(np.asarray(opened), small.picture.codes)

    def test_colours_are_converted_by_the_profiles(self) -> None:
        done = finished()
        patch = np.broadcast_to(np.array([255, 0, 0], np.uint8), done.picture.codes.shape).copy()
        red = Finished(done.photograph, Picture(patch), done.passes, done.camera, NAMES, None)
        (path,) = self.made(red, {"kind": "png", "colours": "Display P3"})
        with Image.open(path) as opened:
            # sRGB's red in P3: (0.9175, 0.2003, 0.1386), from both sets of primaries.
            np.testing.assert_allclose(np.asarray(opened)[5, 5], [234, 51, 35], atol=1)
            profile = ImageCms.ImageCmsProfile(io.BytesIO(opened.info["icc_profile"]))
        self.assertEqual(ImageCms.getProfileDescription(profile).strip(), "Display P3")
        broken = Finished(done.photograph, Picture(patch, b"no profile"), done.passes, done.camera, NAMES, None)
        with self.assertRaisesRegex(InputError, "profile that is broken"):
            self.made(broken, {"kind": "png", "colours": "sRGB"})

    def test_nothing_is_overwritten_and_a_second_run_counts_on(self) -> None:
        done = finished()
        files = ({"kind": "png"}, {"kind": "jpeg"}, {"kind": "jpeg", "longest_px": 48})
        first, second = ([path.name for path in self.made(done, *files)] for _ in range(2))
        self.assertEqual(first, [f"Tidewater-Cloister-picture-01{end}" for end in (".png", ".jpg", "-b.jpg")])
        self.assertEqual(second, [f"Tidewater-Cloister-picture-02{end}" for end in (".png", ".jpg", "-b.jpg")])
        plain = [self.made(done, {"kind": "png"}, names="{shot}")[0].name for _ in range(2)]
        self.assertEqual(plain, ["Cloister.png", "Cloister-2.png"])
        self.assertEqual(len(list(self.folder.iterdir())), 8)

    def test_wrong_names_sizes_and_folders_are_said_and_nothing_is_written(self) -> None:
        cases: list[tuple[dict[str, Any], str]] = [
            ({"names": "{client}-{n}"}, "unknown word {client}"),
            ({"names": "../{n}"}, "file names can’t have"),
            ({"names": "{n"}, "brace"),
        ]
        for told, words in cases:
            with self.assertRaisesRegex(InputError, words):
                shot(**told)
        wide = shot({"kind": "webp", "longest_px": 20_000})
        assert wide.photograph
        wide.photograph.width, wide.photograph.height = 9000, 6000
        with self.assertRaisesRegex(InputError, "20000 pixels long; webp holds 16383"):
            plan_of(wide)
        with self.assertRaisesRegex(InputError, "10.4 times as large as the photograph"):
            plan_of(shot({"kind": "jpeg", "longest_px": 1000}))
        with self.assertRaisesRegex(InputError, "one of them must be null"):
            shot({"longest_px": 500, "width_mm": 100})
        blocked = self.folder / "file"
        blocked.write_text("")
        self.folder = blocked
        with self.assertRaisesRegex(InputError, "can’t be written to"):
            self.made(finished(), {"kind": "png"})

    def test_sizes_for_web_and_print(self) -> None:
        web, paper = plan_of(shot({"longest_px": 48}, {"width_mm": 20, "dpi": 254, "bleed_mm": 3}))
        self.assertEqual((web.width, web.height, web.scale), (48, 32, 0.5))
        self.assertEqual((paper.width, paper.height, paper.bleed_px), (260, 193, 30))
        checks = np.indices((HIGH, WIDE)).sum(0)[..., None] % 2 * np.full(3, 255)
        half = sized_to(checks.astype(np.uint8), 48, 32)
        np.testing.assert_allclose(decode_srgb(half / 255), 0.5, atol=0.01)  # of light, not of codes
        grown = sized_to(finished().picture.codes, WIDE, HIGH, 10)
        np.testing.assert_array_equal(grown[10:-10, 9], grown[10:-10, 11])


def from_openraster(path: Path) -> list[tuple[str, str, Any]]:
    """Name, mode and codes of each layer, the lowest first, by the format's own rules."""
    with zipfile.ZipFile(path) as package:
        first = package.infolist()[0]
        assert (first.filename, first.compress_type, package.read(first)) == ("mimetype", 0, b"image/openraster")
        found = []
        for layer in ElementTree.fromstring(package.read("stack.xml")).iter("layer"):
            data = cv2.imdecode(np.frombuffer(package.read(layer.attrib["src"]), np.uint8), cv2.IMREAD_UNCHANGED)
            assert data is not None
            found.append((layer.attrib["name"], layer.attrib["composite-op"], data[..., [2, 1, 0, 3]]))
        assert {"mergedimage.png", "Thumbnails/thumbnail.png"} <= set(package.namelist())
    return found[::-1]


def from_tiff(path: Path) -> list[tuple[str, str, Any]]:
    modes = {"over": "svg:src-over", "multiply": "svg:multiply", "plus": "svg:plus", "hard light": "svg:hard-light"}
    with tifffile.TiffFile(path) as opened:
        pages = [(page.tags[285].value, page.description, page.asarray()) for page in opened.pages[1:]]  # type: ignore[union-attr]
    return [(name, modes[told.split("mode: ")[1]], codes) for name, told, codes in pages]


def composed(layers: list[tuple[str, Any]]) -> Any:
    under = np.zeros((HIGH, WIDE, 3))
    for mode, layer in layers:
        source, alpha = layer[..., :3], layer[..., 3:]
        blended = {
            "svg:src-over": source,
            "svg:multiply": source * under,
            "svg:plus": np.minimum(source + under, 1),
            "svg:hard-light": np.where(
                source <= 0.5, under * 2 * source, under + (2 * source - 1) - under * (2 * source - 1)
            ),
        }[mode]
        under = (1 - alpha) * under + alpha * blended
    return under


class Framed(unittest.TestCase):
    def framed(self, done: Finished, **crop: Any) -> Finished:
        return framed(done, Crop.model_validate(crop), 1.0, Tones())

    def test_a_cut_keeps_codes_and_camera_and_layers_follow(self) -> None:
        done = finished()
        cut = self.framed(done, x=20, y=16, width=50, height=40)
        np.testing.assert_array_equal(cut.picture.codes, done.picture.codes[16:56, 20:70])
        np.testing.assert_array_equal(cut.photograph.codes, done.photograph.codes[16:56, 20:70])
        made = cut.photograph.codes.copy()
        for part in cut.passes():
            made[part.window.slices] = put_together(made[part.window.slices], part)
        np.testing.assert_array_equal(made, cut.picture.codes)
        points = np.array([[0.5, 3, 0], [1, 4, 1.0], [2, 5, 0.2]])
        true = TrueCamera(focal=90, size=(WIDE, HIGH)).see(points)
        np.testing.assert_allclose(cut.camera.project(points), true - [20, 16], atol=1e-9)

    def test_the_camera_goes_with_whole_pixels_where_the_picture_is_smaller(self) -> None:
        """At half the size a frame that begins at 21 is cut at a whole pixel: the camera says which."""
        crop = Crop(x=21, y=13, width=51, height=35)
        codes = np.broadcast_to(np.arange(WIDE, dtype=np.uint8)[None, :, None], (HIGH, WIDE, 3))
        first = int(framed_codes(codes, crop, 0.5)[0, 0, 0])
        self.assertEqual(camera().principal_point[0] - framed_camera(camera(), crop, 0.5).principal_point[0], first)

    def test_a_turn_rolls_the_camera_and_the_picture_alike(self) -> None:
        """A bright spot lies where the turned camera sees it; the picture is put together anew from what was turned."""
        point = np.array([[0.9, 3.1, 1.0]])
        at = TrueCamera(focal=90, size=(WIDE, HIGH)).see(point)[0]
        y, x = np.mgrid[0:HIGH, 0:WIDE] + 0.5
        spot = np.round(200 * np.exp(-((x - at[0]) ** 2 + (y - at[1]) ** 2) / 8))[..., None] * [1, 1, 1]
        codes = spot.astype(np.uint8)
        done = Finished(Picture(codes), Picture(codes), list, camera(), NAMES, None)
        turned = self.framed(done, x=10, y=8, width=70, height=50, turn_deg=9)
        weight = turned.picture.codes[..., 0].astype(float)
        rows, columns = np.mgrid[0:50, 0:70] + 0.5
        middle = np.array([(weight * columns).sum(), (weight * rows).sum()]) / weight.sum()
        np.testing.assert_allclose(turned.camera.project(point)[0], middle, atol=0.1)
        full = self.framed(finished(), x=10, y=8, width=70, height=50, turn_deg=-4)
        made = full.photograph.codes.copy()
        for part in full.passes():
            made[part.window.slices] = put_together(made[part.window.slices], part)
        np.testing.assert_array_equal(made, full.picture.codes)

    def test_beyond_the_photograph_it_is_mirrored_or_plain(self) -> None:
        done = finished()
        wide = self.framed(done, x=-10, y=0, width=WIDE + 10, height=HIGH).picture.codes
        np.testing.assert_array_equal(wide[:, 10:], done.picture.codes)
        np.testing.assert_array_equal(wide[:, 9], done.picture.codes[:, 1])
        plain = self.framed(done, x=0, y=0, width=WIDE, height=HIGH + 9, beyond="plain").picture.codes
        self.assertEqual(len(np.unique(plain[HIGH:].reshape(-1, 3), axis=0)), 1)

    def test_beyond_the_photograph_it_is_made_up_from_its_border(self) -> None:
        """A sky that pales to the left goes on as pale as its border; the photograph itself keeps its codes."""
        rng = np.random.default_rng(4)
        tones = np.linspace(220, 90, WIDE)[None, :, None] * [0.8, 0.9, 1.0] + rng.normal(0, 2, (HIGH, WIDE, 3))
        codes = np.clip(tones, 0, 255).astype(np.uint8)
        for kind in (np.uint8, np.uint16):
            whole: Any = codes.astype(kind) * (257 if kind == np.uint16 else 1)
            made = framed_codes(whole, Crop(x=-30, y=0, width=WIDE + 30, height=HIGH, beyond="filled"), 1.0)
            np.testing.assert_array_equal(made[:, 30:], whole)
            beyond = made[:, :26].astype(float) / (257 if kind == np.uint16 else 1)
            np.testing.assert_allclose(beyond.mean((0, 1)), codes[:, :4].mean((0, 1)), atol=8)
            self.assertGreater(beyond.std(0).mean(), 1, "grain goes on")
        full = self.framed(finished(), x=-9, y=-5, width=70, height=50, turn_deg=-4, beyond="filled")
        again = full.photograph.codes.copy()
        for part in full.passes():
            again[part.window.slices] = put_together(again[part.window.slices], part)
        np.testing.assert_array_equal(again, full.picture.codes)

    def test_only_what_the_frame_shows_is_rendered_and_sizes_are_its_own(self) -> None:
        shown = window_of(Crop(x=100, y=50, width=200, height=100), 0.5, 400, 300)
        self.assertEqual(shown, Window(48, 23, 152, 77))
        (plan,) = plan_of(load_shot({**shot({}).model_dump(), "frame": {"x": 8, "y": 8, "width": 60, "height": 30}}))
        self.assertEqual((plan.width, plan.height), (60, 30))
        with self.assertRaisesRegex(InputError, "wholly outside"):
            load_shot({**shot().model_dump(), "frame": {"x": 500, "y": 8, "width": 60, "height": 30}})


def reply(told: dict[str, Any], **outer: Any) -> bytes:
    """A reply as a page saves it: FNV-1a of 32 bits over its words, offset and prime as published."""
    words = json.dumps(told)
    seal = 2166136261
    for byte in words.encode():
        seal = (seal ^ byte) * 16777619 % 2**32
    return json.dumps({"lithopos": "reply", "told": words, "seal": f"{seal:08x}", **outer}).encode()


SAID = {
    "project": "p1",
    "shot": "s1",
    "revision": 7,
    "by": "Ines",
    "at": "2026-11-27T08:00:00Z",
    "verdict": "no",
    "pins": [{"at": [0.5, 0.25], "text": "höher"}],
}  # as pages said it before there were options


class HandedOver(unittest.TestCase):
    def test_a_page_holds_all_it_needs_and_runs_nothing_of_what_it_is_told(self) -> None:
        wicked = "Yard </script><script>alert(1)</script>"
        with tempfile.TemporaryDirectory() as folder:
            wanted = shot({"kind": "page"}, {"kind": "jpeg"}, names="{shot}")
            wanted.name = wicked
            page, jpeg = deliver(wanted, finished(), plan_of(wanted), Path(folder), {"project": "P", "shot": wicked})
            text, beside = page.read_text(), jpeg.name
        self.assertEqual(text.count("</script>"), 1)
        self.assertNotRegex(text.replace("http-equiv", ""), r"https?:")
        self.assertEqual(text.count("data:image/jpeg;base64,"), 2)
        self.assertIn(beside, text)
        self.assertIn("default-src 'none'", text)

    def test_a_folder_holds_the_page_and_its_pictures(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            wanted = shot({"kind": "page folder"}, names="{shot}")
            (packed,) = deliver(wanted, finished(), plan_of(wanted), Path(folder), {"project": "P", "shot": "Yard"})
            with zipfile.ZipFile(packed) as opened:
                names, page = set(opened.namelist()), opened.read("index.html").decode()
                size = Image.open(io.BytesIO(opened.read("pictures/option-0.jpg"))).size
        self.assertEqual(names, {"index.html", "pictures/photograph.jpg", "pictures/option-0.jpg"})
        self.assertEqual(size, (WIDE, HIGH))
        self.assertIn('"after": "pictures/option-0.jpg"', page)
        self.assertNotIn("base64", page)

    def test_a_reply_is_read_and_one_that_was_changed_is_not(self) -> None:
        origin, (told,) = read_reply(reply(SAID))
        self.assertEqual((origin.project, origin.shot, told.revision, told.by), ("p1", "s1", 7, "Ines"))
        self.assertEqual((told.verdict, told.pins[0].at, told.pins[0].text), ("no", (0.5, 0.25), "höher"))
        bare = {name: value for name, value in SAID.items() if name not in ("verdict", "pins")}
        said = [{"option": "o1", "verdict": "yes"}, {"option": None, "pins": SAID["pins"]}]
        of_options = read_reply(reply({**bare, "said": said}))[1]
        self.assertEqual(
            [(one.option, one.verdict, len(one.pins)) for one in of_options], [("o1", "yes", 0), (None, None, 1)]
        )
        cases = [
            (reply(SAID).replace(b"Ines", b"Inez"), "has been changed since it was saved"),
            (reply({**SAID, "pins": [{"at": [2, 0]}]}), "is damaged: pins"),
            (reply({**SAID, "verdict": "maybe"}), "is damaged: verdict"),
            (reply(SAID, lithopos="else"), "is no reply"),
            (b"[]", "is no reply"),
            (b"{", "is no reply"),
            (b"x" * 2_000_000, "is larger than any reply"),
        ]
        for data, words in cases:
            with self.assertRaisesRegex(InputError, words):
                read_reply(data)


class Tinted(unittest.TestCase):
    def test_grades_are_in_the_layers_too(self) -> None:
        from lithopos.core.deliver.layers import laid, layers_of
        from lithopos.core.shot import Grade

        done = finished()
        tones = Tones(whole=Grade(exposure_stops=-0.5))
        (passes,) = done.passes()
        made = tones.photograph(done.photograph.codes).copy()
        inner = passes.window.slices
        made[inner] = put_together(done.photograph.codes[inner], passes, tones)
        under = np.zeros(made.shape, np.float32)
        for layer in layers_of(done.photograph.codes, [passes], tones, made):
            under = laid(under, layer.codes, layer.mode)
        np.testing.assert_allclose(under * 255, made, atol=0.5)
