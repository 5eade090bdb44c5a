"""Takes against made-up ones with their truth: reading, trembling, clean plates, who is in front, films written."""

from __future__ import annotations

import hashlib
import tempfile
import unittest
import zipfile
from functools import cache
from pathlib import Path
from typing import Any

import av
import cv2
import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from lithopos.core.arrays import Floats, Mask
from lithopos.core.blend.blend import Tones
from lithopos.core.camera.pinhole import Pinhole
from lithopos.core.camera.solve import pinhole_of
from lithopos.core.colour import linear_of
from lithopos.core.derive import derive
from lithopos.core.errors import InputError
from lithopos.core.exchange.film import take_notes
from lithopos.core.exchange.picture import encoded_of
from lithopos.core.footage.asked import take_notes_of
from lithopos.core.footage.at_hand import AtHand
from lithopos.core.footage.colours import Colours, Learning
from lithopos.core.footage.compose import Layer, Taken, composed, shaded_where
from lithopos.core.footage.frames import read_frame, read_frames
from lithopos.core.footage.front import Front, Part, Verdict, front_of_frame, judged, odds_alone
from lithopos.core.footage.people import followed, people_in
from lithopos.core.footage.shadows import Looks
from lithopos.core.footage.shake import Moved, Reference
from lithopos.core.footage.states import state_key, states_at, value_at
from lithopos.core.footage.strokes import Carried
from lithopos.core.footage.study import Study, keep_study, kept_study, painted_plate, studied, whole_study
from lithopos.core.footage.sunless import sunless
from lithopos.core.footage.written import Film, refuse_unfit, write_film
from lithopos.core.place.face import Face
from lithopos.core.place.shading import solids_of
from lithopos.core.shot import FrontStroke, Key, Passing, PlateStroke, Shot, Take, load_shot
from tests.core.takes import RATE, MadeTake, camera_of, encode, made_take, take_document, write_take

SIZE = (240, 160)
COUNT = 30


@cache
def folder() -> Path:
    """A folder for all tests of this module."""
    made = tempfile.TemporaryDirectory(prefix="lithopos-takes-")
    _HELD.append(made)
    return Path(made.name)


_HELD: list[Any] = []


@cache
def take() -> tuple[MadeTake, Path]:
    """A made-up take and its film, with sound."""
    made = made_take(COUNT, SIZE)
    return made, write_take(made.frames, folder() / "take.mkv", sound=True)


@cache
def study() -> Study:
    """It looked through."""
    return whole_study(studied(AtHand(take()[1], 0, COUNT - 1), Take(file="take.mkv", frames=COUNT, last=COUNT - 1)))


def told(number: int) -> tuple[Floats, Floats, Front]:
    """A frame's light, its plate, and who is in front."""
    frame, plate = linear_of(take()[0].frames[number]), study().plate_in(number)
    looks = Looks.of(frame, plate, study().noise)
    return frame, plate, front_of_frame(looks, verdict(looks, study().colours))


def verdict(looks: Looks, colours: Colours | None, dark: Mask | None = None) -> Verdict:
    """What a frame shows by itself."""
    odds = odds_alone(looks, colours, study().deepest, dark) if colours else None
    return judged(looks, study().deepest, in_shade=dark, odds=odds)


def psnr(one: Floats, other: Floats) -> float:
    return float(-10 * np.log10(((one - other) ** 2).mean()))


def band(alpha: Floats, px: int = 5) -> Mask:
    """Pixels within some of an edge."""
    near = np.ones((2 * px + 1, 2 * px + 1), np.uint8)
    solid = (alpha > 0.5).astype(np.uint8)
    return (cv2.dilate(solid, near) > 0) & (cv2.erode(solid, near) == 0)


class Reading(unittest.TestCase):
    def test_frames_are_exact_from_anywhere(self) -> None:
        made, path = take()
        notes = take_notes_of(path)
        self.assertEqual((notes.frames, notes.rate, notes.even, notes.sound), (COUNT, (RATE, 1), True, "opus"))
        self.assertAlmostEqual(notes.seconds, COUNT / RATE)
        for number, codes in enumerate(read_frames(path, 11, 14), 11):
            self.assertTrue((codes == made.frames[number]).all())
        self.assertTrue((read_frame(path, COUNT - 1) == made.frames[-1]).all())

    def test_uneven_times_are_kept_and_said(self) -> None:
        times = [0, 40, 80, 200, 240, 420]
        path = write_take(take()[0].frames[:6], folder() / "uneven.mkv", times_ms=times)
        notes = take_notes(path)
        self.assertFalse(notes.even)
        np.testing.assert_allclose(np.array(notes.times_s) * 1000, times, atol=1)
        self.assertIn("uneven", notes.notes[0])
        self.assertTrue((read_frame(path, 3) == take()[0].frames[3]).all())

    def test_numbered_pictures_come_in_the_order_of_their_numbers(self) -> None:
        path = folder() / "numbered.zip"
        with zipfile.ZipFile(path, "w") as package:
            for number in (10, 2, 9):
                _, data = cv2.imencode(".png", take()[0].frames[number][..., ::-1])
                package.writestr(f"walk/shot_{number}.png", data.tobytes())
        self.assertEqual(take_notes(path).frames, 3)
        for codes, number in zip(read_frames(path, 0, 2), (2, 9, 10), strict=True):
            self.assertTrue((codes == take()[0].frames[number]).all())

    def test_colours_by_their_tags(self) -> None:
        """A film of flat colours, its matrix and range told by tags, gives those colours back."""
        wanted = np.array([[200, 60, 40], [40, 180, 90], [60, 80, 220], [128, 128, 128]], np.uint8)
        codes = np.repeat(np.repeat(wanted.reshape(2, 2, 3), 64, 0), 64, 1)
        for matrix, spread in ((1, 1), (5, 1), (1, 2)):
            path = folder() / f"colours-{matrix}-{spread}.mkv"
            kr, kb = {1: (0.2126, 0.0722), 5: (0.299, 0.114)}[matrix]  # H.273, table 4
            rgb = codes.astype(float) / 255
            y = rgb @ [kr, 1 - kr - kb, kb]
            cb, cr = (rgb[..., 2] - y) / (2 * (1 - kb)), (rgb[..., 0] - y) / (2 * (1 - kr))
            scale, offset, chroma = (219, 16, 224) if spread == 1 else (255, 0, 255)
            planes = [y * scale + offset, cb[::2, ::2] * chroma + 128, cr[::2, ::2] * chroma + 128]
            flat = [np.round(plane).astype(np.uint8).reshape(-1) for plane in planes]
            with av.open(str(path), "w") as container:
                stream: Any = container.add_stream("ffv1", rate=RATE)
                stream.width, stream.height, stream.pix_fmt = 128, 128, "yuv420p"
                stream.codec_context.colorspace, stream.codec_context.color_range = matrix, spread
                for number in range(2):
                    frame = av.VideoFrame.from_ndarray(np.concatenate(flat).reshape(192, 128), format="yuv420p")
                    frame.colorspace, frame.color_range, frame.pts = matrix, spread, number
                    container.mux(stream.encode(frame))
                container.mux(stream.encode(None))
            seen = read_frame(path, 1)[32::64, 32::64].reshape(4, 3).astype(int)
            self.assertLessEqual(np.abs(seen - wanted).max(), 2, f"matrix {matrix}, range {spread}")

    def refused(self, path: Path, words: str, first: int = 0, last: int = 0) -> None:
        with self.assertRaisesRegex(InputError, words):
            take_notes_of(path)
            list(read_frames(path, first, last))

    def test_what_is_no_take_is_refused_by_name(self) -> None:
        frames = take()[0].frames
        self.refused(write_take(frames[:1], folder() / "single.mkv"), "single frame")
        whole = take()[1].read_bytes()
        cut = folder() / "cut.mkv"
        cut.write_bytes(whole[: len(whole) // 2])
        self.refused(cut, "damaged|cut off|can’t be read|not in the take", 0, COUNT - 1)
        (folder() / "noise.mkv").write_bytes(whole[:40] + bytes(2000))
        self.refused(folder() / "noise.mkv", "damaged|no video|without a single")
        heard = folder() / "heard.mkv"
        with av.open(str(heard), "w") as container:
            voice: Any = container.add_stream("libopus", rate=48000, layout="mono")
            part = av.AudioFrame.from_ndarray(np.zeros((1, 960), np.float32), "flt", "mono")
            part.sample_rate = 48000
            container.mux(voice.encode(part))
            container.mux(voice.encode(None))
        self.refused(heard, "no video track")
        changing = folder() / "changing.zip"
        with zipfile.ZipFile(changing, "w") as package:
            for number in range(3):
                codes = frames[number] if number < 2 else frames[number][:100]
                package.writestr(f"{number}.png", cv2.imencode(".png", codes)[1].tobytes())
        self.refused(changing, "changes its size at frame 2", 0, 2)
        source = AtHand(changing, 0, 2)
        source.one(2)
        with self.assertRaisesRegex(InputError, "changes its size at frame 0"):
            next(source.read(0, 2))

    def test_what_was_read_once_is_at_hand(self) -> None:
        """Where there is room: its file may go then."""
        path = folder() / "gone.mkv"
        for most_bytes in (0, 1 << 30):
            write_take(take()[0].frames, path)
            source = AtHand(path, 2, 9, most_bytes)
            self.assertEqual(len(list(source.read(2, 4))), 3)
            before = [codes.copy() for codes in source.read(2, 9)]
            path.unlink()
            if most_bytes:
                self.assertTrue(all((a == b).all() for a, b in zip(source.read(2, 9), before, strict=True)))
                self.assertTrue((source.one(7) == take()[0].frames[7]).all())
            else:
                with self.assertRaises(InputError):
                    source.one(7)

    def test_a_moving_camera_is_told_how_far_it_moves(self) -> None:
        frames = made_take(8, SIZE, shake_px=0).frames
        moved = [np.roll(codes, 2 * number, axis=1) for number, codes in enumerate(frames)]
        path = write_take(moved, folder() / "panned.mkv")
        with self.assertRaisesRegex(InputError, r"moving camera: .* by [678] pixels, and 6 is the most"):
            whole_study(studied(AtHand(path, 0, 7), Take(file="panned.mkv", frames=8, last=7)))


class LookedThrough(unittest.TestCase):
    def test_trembling_within_a_fiftieth_of_a_pixel(self) -> None:
        found, true = study().moved[:, :2], np.array(take()[0].shifts)
        self.assertLess(np.abs(found - true).max(), 0.02)
        self.assertLess(np.abs(study().moved[:, 2]).max() * SIZE[0] / 2, 0.03)

    @settings(max_examples=25, deadline=None)
    @given(st.floats(-3, 3), st.floats(-3, 3), st.floats(-0.4, 0.4))
    def test_a_frame_that_was_turned_is_brought_back(self, x: float, y: float, turn_deg: float) -> None:
        large = cv2.GaussianBlur(take()[0].place, (0, 0), 0.8)
        codes = (encode(large) * 255 + 0.5).astype(np.uint8)
        true = Moved(x, y, float(np.radians(turn_deg)))
        matrix = true.matrix(SIZE[0], SIZE[1])
        there = cv2.warpAffine(codes, matrix, SIZE, flags=cv2.INTER_CUBIC, borderMode=cv2.BORDER_REFLECT)
        found = Reference(codes).moved(there)
        corners = np.array([[0, 0, 1], [SIZE[0], SIZE[1], 1]], float)
        off = corners @ (found.matrix(*SIZE) - matrix).T
        self.assertLess(np.abs(off).max(), 0.12)

    def test_the_plate_is_the_place(self) -> None:
        made = take()[0]
        self.assertGreater(psnr(study().plate, encode(made.place)), 40)
        self.assertTrue(study().empty.all())
        for number in (0, 14, COUNT - 1):
            self.assertAlmostEqual(float(study().gain(number).mean()), made.gains[number], delta=0.004)

    def test_noise_is_told_from_frame_to_frame(self) -> None:
        wanted = float(np.hypot(0.006 * 255, 0.29))
        self.assertLess(np.abs(study().noise.sigma[9:14] / wanted - 1).max(), 0.15)

    def test_what_was_kept_tells_the_same(self) -> None:
        """A job that goes on after a kill reads what another one learnt: its frames must not differ by a bit."""
        assert study().colours
        keep_study(study(), folder() / "kept.npz")
        kept = kept_study(folder() / "kept.npz")
        assert kept and kept.colours
        for number in (9, 20):
            fresh, again = (
                verdict(one.looks(number, take()[0].frames[number]), one.colours) for one in (study(), kept)
            )
            self.assertGreater(int(fresh.somebody.sum()), 300)
            np.testing.assert_array_equal(fresh.somebody, again.somebody)
            np.testing.assert_array_equal(fresh.shade, again.shade)

    def test_where_nobody_ever_saw_the_place_that_is_said_and_mended(self) -> None:
        """Something flickers over a corner in all frames but the last two."""
        rng = np.random.default_rng(2)
        frames = [codes.copy() for codes in made_take(24, SIZE, shake_px=0, cloud=0).frames]
        for codes in frames[:-2]:
            codes[10:40, 10:50] = rng.integers(0, 255, (30, 40, 3))
        path = write_take(frames, folder() / "hidden.mkv")
        found = whole_study(studied(AtHand(path, 0, 23), Take(file="hidden.mkv", frames=24, last=23)))
        self.assertLess(found.empty[15:35, 15:45].mean(), 0.2)
        self.assertGreater(found.empty[60:, 80:].mean(), 0.999)
        line = [(12.0, 25.0), (50.0, 25.0)]
        plate, empty = painted_plate(path, found, [PlateStroke(id="p1", frame=23, points=line, radius_px=22)])
        self.assertTrue(empty[15:35, 15:45].all())
        self.assertGreater(psnr(plate[14:36, 14:46], encode(take()[0].place)[14:36, 14:46]), 34)


class WhoIsInFront(unittest.TestCase):
    def test_edges_are_soft_as_they_are(self) -> None:
        errors = []
        for number in range(4, COUNT - 4, 5):
            true, (_, _, front) = take()[0].alphas[number], told(number)
            near = band(true)
            errors.append(float(np.abs(front.alpha - true)[near].mean()))
            self.assertEqual(float(front.alpha[~cv2.dilate(near.astype(np.uint8), np.ones((9, 9))).astype(bool)][0]), 0)
        self.assertLess(np.mean(errors), 0.04)

    def test_a_shadow_is_nobody_and_is_told_as_a_shadow(self) -> None:
        number = 14
        _, _, front = told(number)
        x, y = take()[0].feet[number]
        under = (slice(round(y) - 6, round(y) - 1), slice(round(x) + 14, round(x) + 28))
        self.assertLess(float(front.alpha[under].max()), 0.05)
        np.testing.assert_allclose(front.shade[under].mean((0, 1)), [0.32, 0.34, 0.4], atol=0.06)

    def test_the_place_between_somebodys_legs_is_seen(self) -> None:
        body = np.zeros((160, 240), np.float32)
        body[30:130, 90:150], body[80:125, 116:124] = 1, 0
        found = _painted(body, RED)
        self.assertLess(float(found.alpha[84:121, 119:121].max()), 0.05)
        self.assertLess(float(np.abs(found.alpha - body)[band(body)].mean()), 0.04)

    def test_edges_beside_a_narrow_shadow_are_somebodys_own(self) -> None:
        body, shadow = np.zeros((160, 240), np.float32), np.zeros((160, 240), np.float32)
        body[40:120, 100:130], shadow[40:120, 115:136] = 1, 1
        found = _painted(body, RED, 1 - cv2.GaussianBlur(shadow, (0, 0), 1)[..., None] * (1 - study().deepest))
        self.assertLess(float(found.alpha[45:115, 130:133].mean()), 0.05)
        self.assertGreater(float(found.alpha[45:115, 127:130].mean()), 0.98)

    def test_where_no_sun_reaches_the_place_what_is_dark_is_somebody(self) -> None:
        """In a house's shade somebody dark has the colours of a deeper shadow, which can't be there."""
        body, dark = np.zeros((160, 240), np.float32), np.zeros((160, 240), bool)
        body[60:120, 100:130], dark[:, 20:220] = 1, True
        house = np.where(dark[..., None], study().deepest, np.float32(1))
        navy = study().plate_in(0) * study().deepest ** 2
        missed, found = (_painted(body, navy, house=house, dark=mask) for mask in (None, dark))
        self.assertGreater(float(found.alpha[62:118, 102:128].mean()), 0.95)
        self.assertLess(float(missed.alpha[62:118, 102:128].mean()), 0.5)

    def test_colours_seen_elsewhere_tell_what_could_be_a_shadow(self) -> None:
        """Before a red door clothes are surely somebody's; on the ground they look like a shadow, and one like them."""
        deepest, plate = study().deepest, study().plate_in(0)
        body, under = np.zeros((160, 240), np.float32), np.ones((160, 240, 1), np.float32)
        body[70:130, 60:90], under[70:130, 100:190] = 1, 0
        bluish = np.array([1.05, 1, 1.1], np.float32)
        cloth = np.median(plate[70:130, 60:90], axis=(0, 1)) * (0.85 * deepest + 0.15) * bluish
        door = plate * np.array([1, 0.3, 0.25], np.float32)
        frame = _grainy(np.where(body[..., None] > 0, cloth, door * (under + (1 - under) * deepest)))
        looks, learning = Looks.of(frame, door, study().noise), Learning()
        first = judged(looks, deepest)
        learning.add(looks, first.somebody, first.shade, deepest)
        colours = learning.learnt()
        assert colours
        deep = under + (1 - under) * 0.55 * deepest
        before, after = (_painted(body, cloth, deep, colours=known) for known in (None, colours))
        for where, true in ((np.s_[72:128, 62:88], 1), (np.s_[72:128, 102:188], 0)):
            at_first, told = (float(np.abs(one.alpha[where] - true).mean()) for one in (before, after))
            self.assertGreater(at_first, 0.3)
            self.assertLess(told, 0.02)

    def test_dark_clothes_that_are_like_a_shadow_everywhere_are_learnt_by_their_width(self) -> None:
        deepest, plate = study().deepest, study().plate_in(0)
        learning, body, under = Learning(), np.zeros((160, 240), np.float32), np.ones((160, 240, 1), np.float32)
        body[60:120, 100:130], under[60:120, 20:80] = 1, 0
        suit = np.median(plate[60:120, 100:130], axis=(0, 1)) * deepest * 0.5
        frame = _grainy(np.where(body[..., None] > 0, suit, plate * (under + (1 - under) * deepest)))
        looks = Looks.of(frame, plate, study().noise)
        first = judged(looks, deepest)
        learning.add(looks, first.somebody, first.shade, deepest)
        found = _painted(np.roll(body, 30, 1), suit, colours=learning.learnt())
        self.assertGreater(float(found.alpha[62:118, 132:158].mean()), 0.95)

    def test_where_something_drawn_keeps_the_sun_off_is_known(self) -> None:
        """Ground behind a box: told as sunless only where a ray to the sun meets the box."""
        width, height = SIZE
        box = {"id": "b", "kind": "box", "points": [(90, 110), (140, 112)], "depth_m": 1.0, "height_m": 1.5}
        sun = {"kind": "hand", "azimuth_deg": 200.0, "elevation_deg": 35.0}
        plain = {"photograph": {"file": "p.png", "width": width, "height": height}, "camera": camera_of(*SIZE)}
        shot = load_shot({**plain, "sun": sun, "proxies": [box]})
        facts = derive(shot)
        assert facts.camera and facts.sun_shown
        camera = pinhole_of(facts.camera).sized(width, height)
        dark = sunless(shot, facts, camera)
        assert dark is not None
        rows, columns = np.mgrid[0:height, 0:width]
        pixels = np.column_stack([columns.ravel(), rows.ravel()]) + 0.5
        ground = camera.ground_points(pixels)
        solids = solids_of([Face(np.array(corners)) for corners in facts.proxies[0].faces], None)
        seen, _ = solids.met(np.broadcast_to(camera.position, ground.shape), camera.rays(pixels))
        open_ = np.isfinite(ground).all(1) & ~np.isfinite(seen)
        blocked, _ = solids.met(ground[open_] + [0, 0, 1e-3], np.broadcast_to(facts.sun_shown, ground[open_].shape))
        told, true = dark.ravel()[open_], np.isfinite(blocked)
        self.assertGreater(int(true.sum()), 300)
        self.assertTrue(true[told].all())
        self.assertGreater(float(told[true].mean()), 0.3)
        self.assertIsNone(sunless(load_shot({**plain, "sun": sun}), facts.model_copy(update={"proxies": []}), camera))

    def test_strokes_correct_and_are_carried_along(self) -> None:
        """A stroke out over somebody in one frame takes them away in the next ones too, where they are by then."""
        said = FrontStroke(id="s1", frame=10, says="out", points=[take()[0].feet[10]], radius_px=40, reach=3)
        carried = Carried([said], 1.0)
        verdicts = {}
        for number in range(6, 17):
            frame, plate, _ = told(number)
            looks = Looks.of(frame, plate, study().noise)
            verdicts[number] = (judged(looks, study().deepest), frame, plate)
            carried.note(number, verdicts[number][0].somebody)
        for number, there in ((6, True), (8, False), (10, False), (13, False), (15, True)):
            found = carried.corrected(number, *verdicts[number])
            upper = found.somebody[: int(take()[0].feet[number][1]) - 30]
            self.assertEqual(bool(found.somebody.sum() - upper.sum() > 200), there, number)

    def test_feet_tell_how_far_away_somebody_walks(self) -> None:
        camera = pinhole(*SIZE)
        frames = []
        for number in range(4, 20):
            front = told(number)[2]
            frames.append(people_in(front, number, camera, study().lies(number)))
        walked = followed(frames, [])
        self.assertEqual({person.track for people in walked for person in people}, {0})
        for people in walked:
            x, y = take()[0].feet[people[0].frame]
            true = camera.ground_points(np.array([[x, y]]))[0]
            away = float(np.linalg.norm(true[:2] - camera.position[:2]))
            self.assertAlmostEqual(people[0].distance_m or 0, away, delta=0.05 * away)
        at = take()[0].feet[10]
        said = Passing(id="w1", frame=10, at=(at[0], at[1] - 10), first=8, last=12, side="behind")
        sides = [people[0].side for people in followed(frames, [said])]
        self.assertEqual(sides, [None] * 4 + ["behind"] * 5 + [None] * 7)


def pinhole(width: int, height: int) -> Pinhole:
    known = camera_of(width, height)
    point = np.array([width / 2, height / 2])
    rotation, position = np.array(known["rotation"]), np.array(known["camera_position"])
    return Pinhole(known["focal_px"], point, rotation, position, width, height)


RED = np.array([0.4, 0.07, 0.05], np.float32)


def _painted(
    body: Floats,
    colour: Floats,
    shade: Floats | None = None,
    house: Floats | None = None,
    dark: Mask | None = None,
    colours: Colours | None = None,
) -> Front:
    """Who is in front in a frame of the place, in a house's shade, with a body and its own shadow painted on it."""
    place = (study().plate_in(0) * (1 if house is None else house)).astype(np.float32)
    frame = _grainy(np.where(body[..., None] > 0, colour, place * (1 if shade is None else shade)))
    looks = Looks.of(frame, place, study().noise)
    return front_of_frame(looks, verdict(looks, colours, dark))


def _grainy(light: Floats) -> Floats:
    """Linear light as the take's sensor has it, in codes."""
    grain = study().noise.at(encode(light)) * np.random.default_rng(8).normal(size=light.shape).astype(np.float32)
    return linear_of((np.clip(encode(light) + grain, 0, 1) * 255 + 0.5).astype(np.uint8))


class PutTogether(unittest.TestCase):
    """Constant layers over a real frame: each pixel by the formula of what is over what."""

    def setUp(self) -> None:
        self.frame, self.plate, self.front = told(14)
        self.codes = take()[0].frames[14]
        height, width = self.codes.shape[:2]
        self.light = np.array([0.2, 0.3, 0.4], np.float32)
        shadow = np.ones((height, width, 3), np.float32)
        shadow[:, 150:] = 0.6
        cover = np.zeros((height, width), np.float32)
        cover[60:, 90:150] = 1
        self.cover = cover
        nothing = np.zeros((height, width, 3), np.float32)
        model = cover[..., None] * self.light
        self.layer = Layer(shadow, nothing, model, cover, nothing[..., 0], nothing, cover * 5)

    def made(self, before: float, layers: list[tuple[float, Layer]] | None = None) -> np.ndarray:
        lies = np.array([[1.0, 0, 0], [0, 1, 0]])
        side = np.full(self.cover.shape, before, np.float32)
        plate, gain = self.plate.__getitem__, np.ones_like(self.plate).__getitem__
        taken = Taken(14, self.codes, plate, gain, lies, self.front, lambda _, part: side[part])
        deepest = np.full(3, 0.3, np.float32)
        return composed(taken, layers or [(1.0, self.layer)], Tones(), None, deepest).codes

    def test_where_nothing_is_changed_the_takes_codes_stay(self) -> None:
        made = self.made(before=1.0)
        untouched = (self.cover == 0) & (np.arange(SIZE[0]) < 150)[None]
        self.assertTrue((made[untouched] == self.codes[untouched]).all())

    def test_before_and_behind(self) -> None:
        solid, nobody = self.front.alpha >= 1, self.front.alpha <= 0
        behind, before = self.made(before=0.0), self.made(before=1.0)
        under = self.cover == 1
        wanted = np.round(encode(self.light) * 255)
        self.assertTrue((np.abs(behind[under].astype(int) - wanted) <= 1).all())
        self.assertTrue((before[under & solid] == self.codes[under & solid]).all())
        self.assertTrue((np.abs(before[under & nobody].astype(int) - wanted) <= 1).all())
        edge = under & (self.front.alpha > 0.3) & (self.front.alpha < 0.7)
        self.assertTrue(edge.any())
        share = self.front.alpha[edge][:, None]
        theirs = self.frame[edge] - (1 - share) * (self.plate * self.front.shade)[edge]
        over = encode(np.maximum(theirs, 0) + (1 - share) * self.light) * 255
        self.assertLess(np.abs(before[edge] - over).max(), 2)

    def test_no_edge_of_a_model_shows_on_who_is_before_it_though_the_frame_lies_off_by_half_a_pixel(self) -> None:
        everywhere = Front(np.ones_like(self.cover), np.ones_like(self.plate), np.ones(self.cover.shape, np.int32))
        lies = np.array([[1.0, 0, 0.5], [0, 1, 0.5]])
        plate, gain = self.plate.__getitem__, np.ones_like(self.plate).__getitem__

        def farther(depth: Floats, _: Part) -> Floats:
            return np.asarray(depth > 3, np.float32)

        layer = Layer(**{**vars(self.layer), "shadow": np.ones_like(self.plate)})
        taken = Taken(14, self.codes, plate, gain, lies, everywhere, farther)
        made = composed(taken, [(1.0, layer)], Tones(), None, np.full(3, 0.3, np.float32)).codes
        self.assertTrue((made == self.codes).all())

    def test_the_models_shadow_falls_on_the_place_and_not_on_who_is_there(self) -> None:
        made = self.made(before=1.0)
        place = (np.arange(SIZE[0]) >= 150)[None] & (self.front.alpha <= 0) & (self.front.shade > 0.995).all(-1)
        wanted = encode(self.frame * 0.6) * 255
        self.assertLess(np.abs(made[place] - wanted[place]).max(), 1.01)

    def test_two_shadows_take_the_sun_once(self) -> None:
        """All in the deepest shade already: a model's full shadow takes nothing more of the sun."""
        shade = np.full_like(self.plate, 0.3)
        self.front = Front(np.zeros_like(self.cover), shade, np.zeros(self.cover.shape, np.int32))
        self.layer = Layer(**{**vars(self.layer), "shadow": np.full_like(self.plate, 0.3)})
        made, place = self.made(before=0.0), self.cover == 0
        self.assertLessEqual(np.abs(made[place].astype(int) - self.codes[place]).max(), 1)

    def test_states_mix_in_linear_light(self) -> None:
        plain = Layer(**{**vars(self.layer), "shadow": np.ones_like(self.plate), "cover": np.zeros_like(self.cover)})
        plain = Layer(**{**vars(plain), "model": np.zeros_like(self.plate)})
        made = self.made(0.0, [(0.25, self.layer), (0.75, plain)])
        under = (self.cover == 1) & (self.front.alpha <= 0)
        wanted = encode(0.25 * self.light + 0.75 * self.frame[under]) * 255
        self.assertLess(np.abs(made[under] - wanted).max(), 1.01)

    def test_a_models_point_is_shaded_where_its_ray_from_the_sun_meets_the_ground(self) -> None:
        camera = pinhole(*SIZE)
        to_sun = np.array([-0.5, -0.5, np.sqrt(0.5)])
        point = np.array([0.3, 0.8, 0.9])
        x, y = np.floor(camera.project(point[None])[0]).astype(int)
        depth = np.zeros(SIZE[::-1], np.float32)
        normal = np.zeros((*depth.shape, 3), np.float32)
        ray = camera.rays(np.array([[x + 0.5, y + 0.5]]))[0]
        depth[y, x], normal[y, x] = np.linalg.norm(point - camera.position), to_sun
        found = shaded_where(depth, normal, camera, to_sun)
        assert found
        seen = camera.position + ray / np.linalg.norm(ray) * depth[y, x]
        ground = seen - to_sun * seen[2] / to_sun[2]
        np.testing.assert_allclose([found[0][y, x], found[1][y, x]], camera.project(ground[None])[0] - 0.5, atol=1e-3)
        self.assertEqual(float(found[2][y, x]), 1.0)
        # There it has to be known who throws a shadow, though nothing is changed: the models' own may be switched off.
        none = np.zeros_like(normal)
        layer = Layer(none + 1, none, none, none[..., 0], none[..., 0], none, depth, found)
        (where,) = np.argwhere(layer.asked)
        self.assertLess(np.abs(where[::-1] + 0.5 - camera.project(ground[None])[0]).max(), 0.51)


class OverTime(unittest.TestCase):
    def shot(self, **changes: Any) -> Shot:
        return load_shot(take_document("take.mkv", 101, SIZE, "box.glb", **changes))

    def key(self, frame: int, value: Any, path: str = "models/m1/turn_deg", easing: str = "even") -> dict[str, Any]:
        return {"id": f"k{frame}{path[-4:]}", "frame": frame, "path": path, "value": value, "easing": easing}

    def test_a_still_shot_is_rendered_once(self) -> None:
        shot = self.shot()
        keys = {state_key(one.shot) for number in range(101) for one in states_at(shot, number)}
        self.assertEqual(len(keys), 1)

    def test_between_keys(self) -> None:
        keys = [Key.model_validate(self.key(*one)) for one in ((10, 0.0), (20, 90.0))]
        self.assertEqual([value_at(keys, f) for f in (0, 10, 15, 20, 99)], [0.0, 0.0, 45.0, 90.0, 90.0])
        soft = [keys[0].model_copy(update={"easing": "soft"}), keys[1]]
        self.assertEqual([value_at(soft, f) for f in (12.5, 15, 17.5)], [14.0625, 45.0, 75.9375])
        held = [keys[0].model_copy(update={"easing": "hold"}), keys[1]]
        self.assertEqual([value_at(held, f) for f in (19, 20)], [0.0, 90.0])
        moved = self.shot(
            keys=[self.key(0, [0, 0, 0], "models/m1/position_m"), self.key(100, [2, 1, 0], "models/m1/position_m")]
        )
        (one,) = states_at(moved, 25)
        self.assertEqual(one.shot.models[0].position_m, (0.5, 0.25, 0.0))
        self.assertEqual((one.shot.take, one.shot.keys), (None, []))

    def test_fades_and_lamps_mix_of_two_still_shots_each(self) -> None:
        lamp = {"id": "l1", "photographed": False, "position_m": [0, 0, 3]}
        fade = [self.key(0, 0.0, "models/m1/fade"), self.key(100, 1.0, "models/m1/fade")]
        glow = [self.key(0, 0.5, "lamps/l1/strength"), self.key(100, 2.5, "lamps/l1/strength")]
        shot = self.shot(lamps=[lamp], keys=[*fade, *glow])
        keys = {state_key(one.shot) for number in range(101) for one in states_at(shot, number)}
        self.assertLessEqual(len(keys), 4)
        for number in (0, 30, 100):
            mixed = states_at(shot, number)
            self.assertAlmostEqual(sum(one.share for one in mixed), 1)
            there = sum(one.share for one in mixed if not one.shot.models[0].hidden)
            self.assertAlmostEqual(there, number / 100)
            strength = sum(one.share * one.shot.lamps[0].strength for one in mixed)
            self.assertAlmostEqual(strength, 0.5 + 2 * number / 100)

    def test_films_on_panes_play_in_time(self) -> None:
        corners = [[50, 30], [120, 30], [120, 70], [50, 70]]
        plays = {"offset_s": 0.1, "speed": 2.0, "loop": True}
        pane = {"id": "n1", "file": "film.mkv", "corners": corners, "width_m": 1.0, "plays": plays}
        films = {"film.mkv": [0.0, 0.1, 0.2, 0.3, 0.4]}
        shot = self.shot(panes=[pane])
        shown = [states_at(shot, number, films)[0].shot.panes[0].time_s for number in (0, 1, 3, 5)]
        # 0.1, 0.18, 0.34, 0.5 s into a film of 0.4 s
        self.assertEqual(shown, [0.1, 0.1, 0.3, 0.1])

    def test_what_can_not_be_keyed_is_refused_by_name(self) -> None:
        for path, value, words in (
            ("models/m1/file", "x", "nothing that can change"),
            ("models/m1/turn_deg", [1, 2], "is 1 number"),
            ("models/m1/fade", 1.5, "0 \\(not there\\) to 1"),
            ("sun/kind", 1, "nothing that can change"),
        ):
            with self.assertRaisesRegex(InputError, words):
                self.shot(keys=[self.key(0, value, path)])
        with self.assertRaisesRegex(InputError, "frame 500; the take has 101"):
            self.shot(keys=[self.key(500, 1.0)])
        with self.assertRaisesRegex(InputError, "two keys set"):
            self.shot(keys=[self.key(5, 1.0), {**self.key(5, 2.0), "id": "other"}])


class Written(unittest.TestCase):
    def test_a_lossless_film_read_back_is_the_frames_with_times_and_sound(self) -> None:
        made, path = take()
        notes, out = take_notes(path), folder() / "out.mkv"
        write_film(iter(made.frames[5:20]), out, Film("ffv1"), path, notes, 5, notes.rate)
        back = take_notes(out)
        self.assertEqual(
            (back.frames, back.rate, back.sound, back.primaries, back.transfer), (15, (RATE, 1), "opus", 1, 1)
        )
        for codes, wanted in zip(read_frames(out, 0, 14), made.frames[5:20], strict=True):
            self.assertTrue((codes == wanted).all())
        theirs, ours = heard(path), heard(out)
        begin = next(n for n, (at, _) in enumerate(theirs) if at >= 5 / RATE)
        for (at, packet), (at_ours, copied) in zip(theirs[begin:], ours, strict=False):
            self.assertEqual(packet, copied)
            self.assertAlmostEqual(at - 5 / RATE, at_ours, delta=0.002)
        self.assertGreater(len(ours), 20)

    def test_coded_films_keep_rate_times_and_tags(self) -> None:
        made, _ = take()
        uneven = write_take(made.frames[:6], folder() / "uneven2.mkv", times_ms=[0, 40, 80, 200, 240, 420])
        for codec, name in (("av1", "a.mp4"), ("vp9", "b.webm")):
            with self.subTest(codec):
                notes, out = take_notes(uneven), folder() / name
                write_film(iter(made.frames[:6]), out, Film(codec, 90), uneven, notes, 0, notes.rate)  # type: ignore[arg-type]
                with av.open(str(out)) as opened:
                    frames = list(opened.decode(opened.streams.video[0]))
                    base = float(opened.streams.video[0].time_base or 0)
                np.testing.assert_allclose(
                    np.array([f.pts or 0 for f in frames]) * base, np.array(notes.times_s), atol=0.0011
                )
                self.assertEqual((int(frames[0].colorspace), int(frames[0].color_range)), (1, 1))
                seen, wanted = (encoded_of(codes) for codes in (read_frame(out, 3), made.frames[3]))
                self.assertGreater(psnr(seen, wanted), 33)

    def test_what_does_not_fit_is_said_before(self) -> None:
        notes = take_notes(take()[1]).model_copy(update={"sound": "pcm_s16le"})
        for name, codec, words in (("x.avi", "av1", "is kept in .mp4"), ("x.webm", "vp9", "can’t hold sound")):
            with self.assertRaisesRegex(InputError, words):
                refuse_unfit(Path(name), Film(codec), notes)  # type: ignore[arg-type]


def heard(path: Path) -> list[tuple[float, str]]:
    """When each packet of sound is heard [s], and what is in it."""
    with av.open(str(path)) as opened:
        stream = opened.streams.audio[0]
        packets = [packet for packet in opened.demux(stream) if packet.size]
        return [
            (float(packet.pts * packet.time_base), hashlib.sha256(bytes(packet)).hexdigest())
            for packet in packets
            if packet.pts is not None and packet.time_base is not None
        ]
