"""Single parts of takes by closed forms: changing light, people and their feet, strokes, frames as files, walkers."""

from __future__ import annotations

import tempfile
import unittest
from functools import partial
from itertools import pairwise
from pathlib import Path
from typing import Any

import cv2
import numpy as np
import OpenEXR

from lithopos.core.arrays import Floats
from lithopos.core.blend.blend import FrameGrain, Tones
from lithopos.core.colour import linear_of
from lithopos.core.errors import InputError
from lithopos.core.exchange.decode import read_picture
from lithopos.core.exchange.film import TakeNotes
from lithopos.core.exchange.picture import Codes, codes_of, write_atomically
from lithopos.core.footage.compose import Composed, Layer, Taken, composed, shaded_where
from lithopos.core.footage.frame_files import write_frame
from lithopos.core.footage.front import Front, Verdict
from lithopos.core.footage.front_files import keep_front, kept_front
from lithopos.core.footage.gain import fitted_gain, gain_field
from lithopos.core.footage.noise import take_noise
from lithopos.core.footage.over_time import Noted, agreed
from lithopos.core.footage.people import before_of, followed, people_in
from lithopos.core.footage.plate import clean_plate
from lithopos.core.footage.put_out import refuse_unfit_place
from lithopos.core.footage.strokes import Carried
from lithopos.core.footage.written import Film, fitting_suffix
from lithopos.core.shot import FrontStroke, Grade, Passing, Shot
from lithopos.samples.take import cloud, shake
from lithopos.samples.walkers import WALKERS
from tests.core.takes import court, encode, even_grain
from tests.core.test_footage import pinhole

STILL = np.array([[1.0, 0, 0], [0, 1, 0]])
SIZE = (120, 90)


class Light(unittest.TestCase):
    def test_a_cloud_is_told_past_who_walks_through(self) -> None:
        plate = court(180, 240)
        y, x = np.mgrid[-1:1:180j, -1:1:240j]
        true = np.exp(-0.1 + 0.08 * x - 0.05 * y + 0.04 * x * y)[..., None] * [1.0, 0.99, 0.97]
        frame = (plate * true).astype(np.float32)
        frame[60:170, 100:150] = [0.4, 0.05, 0.04]  # a tenth of the picture
        found = gain_field(fitted_gain(frame, plate), 180, 240)
        self.assertLess(np.abs(found / true - 1).max(), 0.01)

    def test_noise_of_neighbours_is_told_past_who_moves(self) -> None:
        rng = np.random.default_rng(3)
        place = encode(court(200, 300)) * 255
        frames = [place + rng.normal(scale=2.5, size=place.shape) for _ in range(4)]
        for number, frame in enumerate(frames):
            frame[50:150, 40 + 20 * number : 90 + 20 * number] = 30.0
        pairs = ((a.astype(np.float32), b.astype(np.float32)) for a, b in pairwise(frames))
        found = take_noise(pairs, 2.0)
        there = slice(9, 13)
        np.testing.assert_allclose(found.sigma[there], 2.5, rtol=0.08)
        self.assertLess(np.abs(found.hangs[:, 2, 3]).max(), 0.1)

    def test_the_place_is_what_is_there_most_of_the_time_and_not_what_lies_in_the_middle(self) -> None:
        """Seen in 40 % of the frames, else in all brightnesses, once lighter and once darker."""
        rng = np.random.default_rng(8)
        place = np.full((20, 30, 3), 0.5)
        frames = np.repeat(place[None], 40, 0)
        frames[:24] = rng.uniform(0.55, 1.0, (24, 20, 30, 1)) * [1, 0.9, 0.8]
        frames += rng.normal(scale=0.006, size=frames.shape)
        found = clean_plate(np.round(np.clip(frames, 0, 1) * 65535).astype(np.uint16), even_grain(0.006 * 255))
        self.assertLess(np.abs(found.encoded - 0.5).max(), 0.012)
        self.assertTrue(found.empty.all())
        np.testing.assert_allclose(np.median(found.seen), 0.4, atol=0.05)

    def test_how_far_leaves_are_off_is_told_of_them_alone(self) -> None:
        """Some pixels never lie still; over others somebody stays for a good third of the frames."""
        rng = np.random.default_rng(9)
        frames = np.full((48, 40, 60, 3), 0.5) + rng.normal(scale=0.006, size=(48, 40, 60, 3))
        frames[:, 5:15, 5:25] += rng.normal(scale=0.05, size=(48, 10, 20, 1))
        frames[10:28, 20:35, 30:50] = 0.85
        found = clean_plate(np.round(np.clip(frames, 0, 1) * 65535).astype(np.uint16), even_grain(0.006 * 255)).restless
        # The largest of nine neighbours', each told by 16 values.
        self.assertTrue(0.05 < np.median(found[6:14, 6:24]) < 0.08)
        leaves = np.zeros(found.shape, bool)
        leaves[4:16, 4:26] = True
        self.assertLess(np.quantile(found[~leaves], 0.99), 0.012)  # under somebody
        self.assertEqual(np.median(found[~leaves]), 0)


def front_with(*boxes: tuple[int, int, int, int]) -> Front:
    """People as boxes: left, upper, right, lower."""
    labels = np.zeros(SIZE[::-1], np.int32)
    for number, (x0, y0, x1, y1) in enumerate(boxes, 1):
        labels[y0:y1, x0:x1] = number
    return Front((labels > 0).astype(np.float32), np.ones((*labels.shape, 3), np.float32), labels)


class OverTime(unittest.TestCase):
    """A body with a texture of its own goes over a place by 8 pixels a frame; its lower half is doubtful in between."""

    def setUp(self) -> None:
        rng = np.random.default_rng(12)
        rough = [cv2.GaussianBlur(rng.random((192, 320, 3), np.float32), (0, 0), 4.0) for _ in range(2)]
        place, body = (codes_of((one - one.mean()) / (5 * one.std()) + 0.5, np.dtype(np.uint8)) for one in rough)
        self.frames, self.odds = list[Codes](), list[Floats]()
        for left in (112, 120, 128):
            frame, odds = place.copy(), np.full(place.shape[:2], -2.0, np.float32)
            frame[40:160, left : left + 80] = body[40:160, :80]
            odds[40:160, left : left + 80] = 3.0
            self.frames.append(frame)
            self.odds.append(odds)
        self.odds[1][100:160, 120:200] = -0.5

    def agreed(self, *beside: Noted) -> Floats:
        return agreed(Noted(self.frames[1], self.odds[1]), beside, 0.004)

    def test_what_is_sure_before_and_after_decides(self) -> None:
        found = self.agreed(*(Noted(self.frames[one], self.odds[one]) for one in (0, 2))) > 0
        self.assertGreater(found[108:152, 132:188].mean(), 0.95)
        self.assertLess(found[40:160, 212:].mean(), 0.01)
        self.assertLess(found[40:160, :108].mean(), 0.01)

    def test_what_looks_otherwise_does_not_count(self) -> None:
        np.testing.assert_array_equal(self.agreed(), self.odds[1])
        brighter = Noted(np.minimum(self.frames[0], 175) + np.uint8(80), self.odds[0])
        doubtful = slice(108, 152), slice(132, 188)
        self.assertLess(np.abs(self.agreed(brighter) - self.odds[1])[doubtful].max(), 0.05)
        self.assertGreater(np.median(self.agreed(Noted(self.frames[0], self.odds[0]))[doubtful]), 1)


class Kept(unittest.TestCase):
    def test_a_front_comes_back_to_within_half_a_code_and_so_does_one_in_which_nobody_is(self) -> None:
        rng = np.random.default_rng(3)
        somebody = front_with((50, 30, 60, 70), (80, 20, 95, 66))
        somebody.alpha[30:70, 50:60] = rng.random((40, 10))
        somebody.shade[60:75, 60:90] = rng.uniform(0.2, 1.05, (15, 30, 3))
        with tempfile.TemporaryDirectory() as folder:
            for front in (somebody, front_with()):
                path = Path(folder) / "front.npz"
                write_atomically(path, partial(keep_front, front))
                found = kept_front(path)
                np.testing.assert_allclose(found.alpha, front.alpha, atol=0.51 / 255)
                np.testing.assert_allclose(found.shade, front.shade, atol=0.51 / 200)
                np.testing.assert_array_equal(found.labels, front.labels)


class Feet(unittest.TestCase):
    def test_before_what_is_farther_than_their_feet(self) -> None:
        camera = pinhole(*SIZE)
        front = front_with((50, 30, 60, 70))
        (person,) = people_in(front, 0, camera, STILL)
        ground = camera.ground_points(np.array([[55.0, 70.0]]))[0]
        away = float(np.linalg.norm(ground[:2] - camera.position[:2]))
        self.assertAlmostEqual(person.distance_m or 0, away, places=6)
        level = np.ones(SIZE[::-1], np.float32)
        for farther, wanted in ((1.01, 1.0), (0.99, 0.0)):
            told = before_of([person], front, np.full(level.shape, away * farther, np.float32), level)
            self.assertEqual(float(told[50, 55]), wanted)
            self.assertEqual(float(told[50, 5]), 0.0)

    def test_who_is_cut_off_below_is_before_everything(self) -> None:
        front = front_with((50, 30, 60, SIZE[1]))
        (person,) = people_in(front, 0, pinhole(*SIZE), STILL)
        self.assertEqual((person.foot, person.distance_m), (None, None))
        near = np.full(SIZE[::-1], 0.1, np.float32)
        self.assertEqual(float(before_of([person], front, near, np.ones_like(near))[80, 55]), 1.0)

    def test_people_keep_their_numbers_and_a_foot_that_is_lifted_does_not_make_them_jump(self) -> None:
        camera = pinhole(*SIZE)
        frames = []
        for number in range(9):
            lower = 70 - (6 if number == 4 else 0)
            boxes = [(10 + 4 * number, 30, 20 + 4 * number, lower), (100 - 3 * number, 35, 108 - 3 * number, 60)]
            frames.append(people_in(front_with(*boxes), number, camera, STILL))
        walked = followed(frames, [])
        self.assertEqual({one.track for people in walked for one in people}, {0, 1})
        track = walked[0][0].track
        away = [one.distance_m or 0 for people in walked for one in people if one.track == track]
        self.assertLess(float(np.abs(np.diff(away)).max()), 0.02 * away[0])

    def test_while_two_cross_each_is_before_or_behind_by_their_own_feet(self) -> None:
        """Both are one in the picture then, and a speck with them: the nearer one's feet are the lowest."""
        camera, frames, fronts, boxes = pinhole(*SIZE), [], [], []
        for number in range(16):
            near, speck = (20 + 3 * number, 20, 36 + 3 * number, 85), (30 + 3 * number, 2, 34 + 3 * number, 26)
            far = (66 - 2 * number, 30, 72 - 2 * number, 60)
            lifted = 6 if number in (4, 5) else 0  # a foot, when they were last seen alone
            front = front_with(far, (*near[:3], near[3] - lifted), speck)
            if far[0] <= near[2] and near[0] <= far[2]:
                front.labels[front.labels == 1] = 2
            frames.append(people_in(front, number, camera, STILL))
            fronts.append(front)
            boxes.append((far, near, speck))
        walked = followed(frames, [])
        nearest = [max(people, key=lambda one: one.box[3]) for people in walked]
        self.assertEqual(len({one.track for one in nearest}), 1)
        away = [one.distance_m or 0 for one in nearest]
        self.assertLess(max(away) / min(away), 1.05)
        between = sum(sorted(one.distance_m or 0 for one in walked[0])[:2]) / 2
        level = np.ones(SIZE[::-1], np.float32)
        for people, front, (far, near, speck) in zip(walked, fronts, boxes, strict=True):
            told = before_of(people, front, np.float32(between) * level, level)
            self.assertEqual(float(told[speck[3] : near[3] - 6, near[0] : near[2]].min()), 1.0)
            beside = np.zeros(SIZE[::-1], bool)
            beside[far[1] : far[3], far[0] : far[2]] = True
            beside[:, near[0] : near[2]] = False
            self.assertFalse(told[beside].any())
        self.assertEqual([len(people) for people in walked], [3] * 16)
        # And so it is if it is told by hand in a frame in which they cross.
        crossing = next(number for number, people in enumerate(walked) if any(one.core for one in people))
        (far, near, _), first = boxes[crossing], boxes[0]
        for x, whom in ((near[0] + 3.0, first[1]), (far[2] - 0.5, first[0])):
            said = Passing(id="p1", frame=crossing, at=(x, 45.0), side="behind", first=0, last=15)
            self.assertEqual([one.box for one in followed(frames, [said])[0] if one.side == "behind"], [whom])


class Strokes(unittest.TestCase):
    def setUp(self) -> None:
        self.somebody = np.zeros(SIZE[::-1], bool)
        self.somebody[30:70, 50:60] = True
        self.shade = np.ones((*self.somebody.shape, 3), np.float32)
        self.shade[60:75, 60:90] = 0.4
        self.frame = np.full((*self.somebody.shape, 3), 0.2, np.float32)

    def corrected(self, says: Any, at: tuple[float, float], reach: int = 0, number: int = 5) -> Verdict:
        stroke = FrontStroke(id="s", frame=5, says=says, points=[at], radius_px=6, reach=reach)
        carried = Carried([stroke], 1.0)
        for other in (4, 5, 6):
            carried.note(other, np.roll(self.somebody, 10 * (other - 5), axis=1))
        return carried.corrected(number, Verdict(self.somebody, self.shade), self.frame, 2 * self.frame)

    def test_what_each_says(self) -> None:
        self.assertTrue(self.corrected("in", (20, 20)).somebody[20, 20])
        out = self.corrected("out", (55, 50))
        self.assertFalse(out.somebody[50, 55])
        self.assertTrue(out.somebody[32, 55])
        np.testing.assert_allclose(out.shade[50, 55], 0.5, atol=1e-3)  # what darkens the place there stays
        plain = self.corrected("shadow", (75, 67))
        np.testing.assert_allclose(plain.shade[67, 75], 1.0)
        np.testing.assert_allclose(plain.shade[62, 88], 0.4)

    def test_only_as_far_as_it_reaches_and_along_with_who_is_under_it(self) -> None:
        alone = self.corrected("out", (55, 50), reach=0, number=6)
        self.assertTrue(alone.somebody[50, 55])
        moved = self.corrected("in", (55, 26), reach=1, number=6)
        self.assertTrue(moved.somebody[22, 65])
        self.assertFalse(moved.somebody[22, 55])


class Coded(unittest.TestCase):
    def test_a_place_whose_codes_wander_slowly_is_seen_all_the_same(self) -> None:
        """A codec hands on what it once had wrong: neighbours differ by less than frames far apart."""
        rng = np.random.default_rng(6)
        slowly = cv2.GaussianBlur(rng.normal(size=(48, 90 * 120 * 3)), (0, 0), sigmaX=0.1, sigmaY=4)
        wander = (1.5 / 255 * slowly / slowly.std()).reshape(48, 90, 120, 3)
        frames = encode(court(90, 120)) + wander
        between = float(255 * np.diff(wander, axis=0).std() / np.sqrt(2))
        found = clean_plate(np.round(np.clip(frames, 0, 1) * 65535).astype(np.uint16), even_grain(between))
        self.assertTrue(found.empty.all())
        self.assertGreater(float(np.median(found.seen)), 0.8)


class MostOfTheTime(unittest.TestCase):
    """What lies on the place in most frames."""

    def plate(self, lying: Floats, where: tuple[slice, slice], bare: int = 5, place: Floats | None = None) -> Floats:
        """The clean plate of a place on which something lies in all frames but each so many-th."""
        rng = np.random.default_rng(5)
        light = np.repeat((court(90, 120) if place is None else place)[None], 40, axis=0)
        for number in range(40):
            if number % bare:
                light[number][where] = lying
        noisy = encode(light) + rng.normal(0, 0.006, light.shape)
        return clean_plate(np.round(np.clip(noisy, 0, 1) * 65535).astype(np.uint16), even_grain(1.53)).encoded

    def test_somebodys_shadow_is_not_the_place(self) -> None:
        where = slice(20, 60), slice(30, 80)
        shadow = court(90, 120)[where] * np.array([0.24, 0.27, 0.31], np.float32)
        off = np.abs(self.plate(shadow, where) - encode(court(90, 120)))
        self.assertLess(off[22:58, 32:78].mean(), 0.004)

    def test_nor_is_one_that_is_hardly_ever_gone_and_whose_texture_a_codec_smoothed(self) -> None:
        where = slice(20, 60), slice(30, 80)
        smoothed = cv2.GaussianBlur(court(90, 120), (0, 0), 1.5)[where]
        shadow = smoothed * np.array([0.24, 0.27, 0.31], np.float32)
        off = np.abs(self.plate(shadow, where, bare=13) - encode(court(90, 120)))
        self.assertLess(off[22:58, 32:78].mean(), 0.008)

    def test_dark_ground_is_not_as_pale_as_somebody_who_stood_on_it_for_long(self) -> None:
        """Both without a pattern, of the colours of a shadow and of light: the ground about it is dark, too."""
        where = slice(20, 60), slice(30, 80)
        asphalt = np.full((90, 120, 3), 0.06, np.float32)
        somebody = asphalt.copy()
        somebody[where] = 0.25
        off = np.abs(self.plate(asphalt[where], where, place=somebody) - encode(asphalt))
        self.assertLess(off.max(), 0.01)

    def test_something_dark_stays_though_something_pale_stood_before_it(self) -> None:
        """Of another colour than light and shadow, or with another pattern."""
        where = slice(20, 60), slice(30, 80)
        for dark in (np.full((40, 50, 3), [0.02, 0.06, 0.03]), court(90, 120)[40:80, 60:110] * 0.27):
            off = np.abs(self.plate(dark.astype(np.float32), where)[where] - encode(dark))
            self.assertLess(np.median(off), 0.006)


class Frames(unittest.TestCase):
    def setUp(self) -> None:
        rng = np.random.default_rng(1)
        self.codes = rng.integers(0, 255, (24, 32, 3)).astype(np.uint8)
        cover = np.zeros((24, 32), np.float32)
        cover[5:15, 8:20] = 0.5
        model = cover[..., None] * np.array([0.3, 0.2, 0.1], np.float32)
        shadow = np.full((24, 32, 3), 0.7, np.float32)
        at_pixels = model.reshape(-1, 3), cover.ravel(), shadow.reshape(-1, 3)
        self.made = Composed(self.codes, np.eye(24, 32, dtype=np.float32), np.arange(24 * 32), at_pixels)

    def written(self, wanted: Any, suffix: str) -> Path:
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        path = Path(holder.name) / f"frame{suffix}"
        write_frame(wanted, self.made, Shot(), path)
        return path

    def test_a_picture_is_its_codes(self) -> None:
        self.assertTrue((read_picture(self.written("picture", ".png")).codes == self.codes).all())

    def test_models_alone_have_their_own_colour_and_alpha(self) -> None:
        read = cv2.imread(str(self.written("model", ".png")), cv2.IMREAD_UNCHANGED)
        assert read is not None
        self.assertEqual((read.dtype, read.shape), (np.dtype(np.uint16), (24, 32, 4)))
        wanted = encode(np.array([0.3, 0.2, 0.1], np.float32)) * 65535
        np.testing.assert_allclose(read[10, 10, 2::-1].astype(float), wanted, atol=1)
        self.assertAlmostEqual(int(read[10, 10, 3]) / 65535, 0.5, places=4)
        self.assertEqual(int(read[0, 0, 3]), 0)

    def test_openexr_holds_light_and_what_it_is_put_together_from(self) -> None:
        with OpenEXR.File(str(self.written("exr", ".exr")), separate_channels=True) as opened:
            parts = {
                part.name(): {name: channel.pixels for name, channel in part.channels.items()} for part in opened.parts
            }
        self.assertEqual(list(parts), ["picture", "model", "shadow", "people"])
        np.testing.assert_allclose(parts["picture"]["G"], linear_of(self.codes)[..., 1], atol=1e-6)
        np.testing.assert_allclose(parts["model"]["A"], self.made.cover)
        np.testing.assert_allclose(parts["people"]["R"], np.eye(24, 32))

    def test_tones_of_the_place_are_given_to_every_pixel_and_grain_only_to_what_is_rendered(self) -> None:
        height, width = self.codes.shape[:2]
        nothing = np.zeros((height, width, 3), np.float32)
        front = Front(nothing[..., 0], np.ones_like(nothing), np.zeros((height, width), np.int32))
        cover = np.zeros((height, width), np.float32)
        cover[8:16, 8:24] = 1
        grey = cover[..., None] * np.full(3, 0.2, np.float32)
        layer = Layer(np.ones_like(nothing), nothing, grey, cover, nothing[..., 0], nothing, cover)
        plate = linear_of(self.codes)
        shown, gain = plate.__getitem__, np.ones_like(plate).__getitem__
        taken = Taken(3, self.codes, shown, gain, STILL, front, lambda depth, _: 0 * depth)
        deepest = np.full(3, 0.3, np.float32)
        noisy = composed(
            taken, [(1.0, layer)], Tones(), FrameGrain.of(even_grain(4.0), 1.0, width, height), deepest
        ).codes
        bare = cover == 0
        self.assertTrue((noisy[bare] == self.codes[bare]).all())
        spread = noisy[cover == 1].astype(float).std()
        self.assertTrue(3 < spread < 5, spread)
        darker = composed(taken, [(1.0, layer)], Tones(Grade(exposure_stops=-1)), None, deepest).codes
        wanted = encode((plate / 2).astype(np.float32)) * 255
        self.assertLessEqual(np.abs(darker[bare] - wanted[bare]).max(), 0.51)
        self.assertLessEqual(np.abs(darker[cover == 1] - encode(np.full(3, 0.2, np.float32)) * 255).max(), 0.51)

    def test_without_a_sun_a_foot_is_darkened_as_the_ground_below_it(self) -> None:
        camera = pinhole(*SIZE)
        depth = np.zeros(SIZE[::-1], np.float32)
        normal = np.zeros((*depth.shape, 3), np.float32)
        counted = []
        for high in (0.05, 0.6):
            x, y = np.floor(camera.project(np.array([[0.2, 0.5, high]]))[0]).astype(int)
            depth[y, x] = np.linalg.norm([0.2, 0.5, high] - camera.position)
            found = shaded_where(depth, normal, camera, None)
            assert found
            counted.append(float(found[2][y, x]))
        self.assertGreater(counted[0], 0.9)
        self.assertAlmostEqual(counted[1], np.exp(-1), delta=0.05)

    def test_where_nothing_can_be_put_that_is_said_before_anything_is_made(self) -> None:
        told = {"width": 4, "height": 4, "frames": 2, "seconds": 1, "rate": (2, 1), "even": True, "times_s": [0, 0.5]}
        coded = {"codec": "ffv1", "container": "matroska", "bits": 8, "sound": "pcm_s16le"}
        notes = TakeNotes.model_validate(told | coded)
        with tempfile.TemporaryDirectory() as name:
            folder = Path(name)
            (folder / "full").mkdir()
            (folder / "full" / "here.png").touch()
            (folder / "file").touch()
            for out, film, words in (
                (folder / "none" / "x.mkv", Film("ffv1"), "is not a folder"),
                (folder / "full", None, "is not empty"),
                (folder / "file", None, "is a file"),
            ):
                with self.assertRaisesRegex(InputError, words):
                    refuse_unfit_place(out, film, notes)
        self.assertEqual(fitting_suffix(Film("av1"), ".mp4", notes), ".mkv")
        self.assertEqual(fitting_suffix(Film("av1", sound=False), ".mp4", notes), ".mp4")


class Walkers(unittest.TestCase):
    """The sample take's people: what is filmed is what its truth says."""

    def test_they_have_their_feet_on_the_ground_and_the_same_triangles_at_any_time(self) -> None:
        for walker in WALKERS:
            faces: list[Any] = []
            for time_s in np.linspace(0, 2, 9):
                parts = walker.parts(float(time_s))
                lowest = min(float(mesh.vertices[:, 2].min()) for mesh, _ in parts)
                highest = max(float(mesh.vertices[:, 2].max()) for mesh, _ in parts)
                self.assertAlmostEqual(lowest, 0, places=6)
                self.assertAlmostEqual(highest, walker.height_m, delta=0.08)
                middle = np.concatenate([mesh.vertices for mesh, _ in parts])[:, :2].mean(0)
                self.assertLess(float(np.linalg.norm(middle - walker.at(float(time_s)))), 0.15)
                faces.append([mesh.faces for mesh, _ in parts])
            for other in faces[1:]:
                self.assertTrue(all((a == b).all() for a, b in zip(faces[0], other, strict=True)))

    def test_the_stand_trembles_by_parts_of_a_pixel_and_the_cloud_only_takes_light(self) -> None:
        moved = np.array([shake(number) for number in range(100)])
        np.testing.assert_allclose(moved[0], 0, atol=1e-6)
        self.assertTrue(0.5 < np.abs(moved).max() < 2)
        light: list[Floats] = [cloud(number, (4, 8)) for number in (0, 50, 99)]
        self.assertTrue((np.diff([one.mean() for one in light]) < 0).all())
        self.assertLess(float(light[2].max()), 0.93)
