"""Options: differences that come back exactly, follow their shot, and are told in words."""

from __future__ import annotations

import copy
import random
import unittest
from typing import Any

from hypothesis import given, settings
from hypothesis import strategies as st

from lithopos.core.errors import InputError
from lithopos.core.shot import load_shot
from lithopos.core.shot.differs import told_differences
from lithopos.core.shot.option import Difference, difference, optioned, united, with_option
from tests.core.test_shot import example

OAK = {"kind": "wood", "colour": [0.4, 0.2, 0.1]}
RED: Any = {"kind": "paint", "colour": [0.6, 0.05, 0.05], "parameters": {"gloss": 0.5}}


def whole(**changes: Any) -> dict[str, Any]:
    """A shot's document with every field."""
    return load_shot({**example(), "options": [], **changes}).model_dump(mode="json", by_alias=True)


def model(name: str, **more: Any) -> dict[str, Any]:
    return {"id": name, "file": "bench.glb", "name": name.title(), **more}


BASE = whole(
    models=[model("bench", surfaces={"Seat": OAK, "a/b~c": OAK}), model("cup", position_m=[1, 0, 0])],
    panes=[],
    lamps=[],
    windows=[],
)


def edited(document: dict[str, Any], seed: int) -> dict[str, Any]:
    """The document after some changes as a hand makes them."""
    chance, own = random.Random(seed), copy.deepcopy(document)
    bench = own["models"][0]
    steps = [
        lambda: bench.update(position_m=[chance.random(), 2.0, 0.0]),
        lambda: bench["surfaces"].update({"a/b~c": RED}),
        lambda: bench["surfaces"].pop("Seat", None),
        lambda: own["models"].append({**bench, "id": f"m{chance.randrange(9)}"}),
        lambda: own["models"].pop(1),
        lambda: own["blend"]["model"].update(warmth=chance.random()),
        lambda: own.update(panorama=None, lit_by="day"),
        lambda: own["sun"].update(kind="hand", elevation_deg=chance.uniform(5, 60)),
        lambda: own["contact"].update(shadow=chance.random()),
        lambda: bench.update(lean_deg=chance.random(), level=None),
    ]
    for step in chance.sample(steps, chance.randrange(1, 6)):
        step()
    return own


class Options(unittest.TestCase):
    @settings(max_examples=60, deadline=None)
    @given(st.integers(0, 10**6))
    def test_an_option_comes_back_as_it_was(self, seed: int) -> None:
        own = edited(BASE, seed)
        differs = difference(BASE, own)
        self.assertEqual(load_shot(optioned(BASE, differs)), load_shot(own))
        self.assertEqual(difference(BASE, optioned(BASE, differs)), differs)
        self.assertEqual(difference(BASE, BASE), {})

    def test_what_it_does_not_set_follows_the_shot(self) -> None:
        own = copy.deepcopy(BASE)
        own["models"][0]["surfaces"]["Seat"] = RED
        own["models"][1]["position_m"] = [3, 0, 0]
        differs = difference(BASE, own)
        self.assertEqual(set(differs), {"models/bench/surfaces/Seat", "models/cup/position_m"})
        moved = copy.deepcopy(BASE)
        moved["models"][0].update(position_m=[7, 7, 0])
        moved["models"][0]["surfaces"]["Seat"] = {**OAK, "parameters": {"age": 0.1}}  # wood's, which paint has not
        moved["models"].pop(1)
        moved["sky"]["turbidity"] = 5
        now = optioned(moved, differs)
        self.assertEqual([one["id"] for one in now["models"]], ["bench"], "nothing of the cup that is gone")
        self.assertEqual((now["models"][0]["position_m"], now["sky"]["turbidity"]), ([7, 7, 0], 5))
        self.assertEqual(now["models"][0]["surfaces"]["Seat"], RED)

    def test_a_change_in_an_option_keeps_its_own_apart_from_what_the_photograph_shows(self) -> None:
        document = {**BASE, "options": [{"id": "o1", "name": "Red", "difference": {}}]}
        own = copy.deepcopy(document)
        own["models"][0]["surfaces"]["Seat"] = RED
        own["origin"] = [5, 900]
        after = with_option(document, "o1", own)
        self.assertEqual((after["origin"], after["models"]), ([5, 900], BASE["models"]))
        self.assertEqual(after["options"][0]["difference"], {"models/bench/surfaces/Seat": RED})
        for path, words in (
            ("edges/e1", "belongs to the photograph"),
            ("camera", "belongs to the photograph"),
            ("models", "leads to nothing"),
            ("models/bench/position_m/x", "leads to nothing"),
            ("sun/kind/x", "leads to nothing"),
            ("", "belongs to the photograph"),
        ):
            with self.assertRaisesRegex(InputError, words):
                load_shot({**BASE, "options": [{"id": "o1", "difference": {path: None}}]})
        # Values that no hand would make are refused where the whole is read, by the field.
        for path, value in (
            ("models/bench/surfaces/Seat", 7),
            ("models/cup/position_m", "x"),
            ("sun", "up"),
            ("lit_by", {}),
        ):
            with self.assertRaises(InputError):
                load_shot(optioned(BASE, {path: value, "models/bench/turn_deg": 4}))

    def test_a_matrix_is_the_rows_differences_with_the_columns(self) -> None:
        red: Difference = {"models/bench/surfaces/Seat": RED, "models/cup/hidden": True}
        left: Difference = {"models/bench/position_m": [-1, 0, 0], "models/cup/hidden": False}
        both = optioned(BASE, united([red, left]))["models"]
        self.assertEqual((both[0]["surfaces"]["Seat"], both[0]["position_m"]), (RED, [-1, 0, 0]))
        self.assertFalse(both[1]["hidden"], "the later one counts")

    def test_differences_are_told_in_words(self) -> None:
        own = copy.deepcopy(BASE)
        own["models"][0].update(position_m=[0.6, 0.8, 0], turn_deg=-30 % 360)
        start = BASE["models"][0]
        own["models"][0].update(turn_deg=start["turn_deg"] - 30)
        own["models"][0]["position_m"] = [start["position_m"][0] + 0.6, start["position_m"][1] + 0.8, 0]
        own["models"][0]["surfaces"]["Seat"] = RED
        own["models"][1:] = [model("lamp")]
        own["sun"].update(kind="hand", azimuth_deg=200, elevation_deg=30)
        own["blend"]["black"] = 0.01
        told = {one.says: one for one in told_differences(BASE, difference(BASE, own))}
        expected = ["Bench moved 1.00 m", "Bench turned by -30°", "Bench · Seat: paint", "without Cup", "with Lamp"]
        self.assertEqual(set(told), {*expected, "sun at 30° from 200°", "blend · black"})
        self.assertEqual(told["Bench · Seat: paint"].colour, (0.6, 0.05, 0.05))
