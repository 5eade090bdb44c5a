"""The last look: shots spoilt in one known way each are named for it first; good ones give nothing away."""

from __future__ import annotations

import json
import unittest
from typing import Any

import numpy as np

from lithopos.core.blend.blend import BlendAnswer
from lithopos.core.composite.scope import scope_of
from lithopos.core.critique.look import SHOWN, Seen, last_look
from lithopos.core.derive import derive
from lithopos.core.shot import Shot, load_shot
from tests.support import exact_shot

TOLD = BlendAnswer(
    grain=(1.1, 1.1, 1.2), grain_at=[0.0], grain_by=[1.0], hangs=0.3, across_px=0.8, softness_px=0.1, edges=14,
    red_px=0.6, blue_px=-0.4, halo=0.07, darkest=0.005,
)  # fmt: skip


def spoilt(name: str = "cloister-yard", **changes: Any) -> Shot:
    return load_shot({**json.loads(exact_shot(name).model_dump_json(by_alias=True)), **changes})


def look(shot: Shot, **known: Any) -> Any:
    """What differs, without what rests on a guess."""
    return [line for line in last_look(shot, derive(shot), Seen(TOLD, **known)) if "guessed" not in line.code]


class LastLook(unittest.TestCase):
    def test_good_ones_give_nothing_away(self) -> None:
        for name in ("cloister-yard", "sea-terrace"):
            self.assertEqual([line.code for line in look(spoilt(name)) if line.weight >= SHOWN], [])

    def test_what_was_spoilt_is_named_first(self) -> None:
        base = spoilt()
        sun = derive(base).sun
        assert sun
        turned = {"kind": "hand", "azimuth_deg": sun.azimuth_deg + 10, "elevation_deg": sun.elevation_deg}
        lower = {"kind": "hand", "azimuth_deg": sun.azimuth_deg, "elevation_deg": sun.elevation_deg - 4}
        model = json.loads(base.models[0].model_dump_json())
        x, y, z = model["position_m"]
        cases: list[tuple[str, dict[str, Any]]] = [
            ("shadow direction", {"sun": turned}),
            ("shadow length", {"sun": lower}),
            ("exposure", {"exposure": {"stops": -0.5}}),
            ("exposure", {"blend": {"model": {"exposure_stops": 0.5}}}),
            ("contact", {"models": [{**model, "position_m": [x, y, z + 0.005]}]}),
            ("contact", {"models": [{**model, "position_m": [x, y, z - 0.02]}]}),
            ("sharpness", {"blend": {"softness_px": 1.0}}),
            ("grain", {"blend": {"grain": 0}}),
            ("colour", {"blend": {"model": {"warmth": 0.3}}}),
            ("shadow tone", {"contact": {"shadow": 0.7}}),
            ("shadow tint", {"contact": {"warmth": 0.5}}),
            ("saturation", {"blend": {"model": {"saturation": 1.4}}}),
            ("contrast", {"blend": {"model": {"contrast": 0.4}}}),
            ("shadow tone", {"sky": {"strength": 0.55}}),
            ("halos", {"blend": {"halos": 0}}),
            ("stray light", {"blend": {"black": 0.05}}),
        ]
        for code, changes in cases:
            first = look(spoilt(**changes))[0]
            self.assertEqual(first.code, code, changes)
            self.assertGreaterEqual(first.weight, SHOWN, changes)

    def test_what_rests_on_a_guess_is_told_below_what_gives_a_picture_away(self) -> None:
        metal = json.loads(spoilt().models[0].model_dump_json()) | {"surfaces": {"m": {"kind": "metal"}}}
        codes = {True: ["guessed light", "guessed reflections"], False: ["guessed light"]}
        for mirrors, expected in codes.items():
            shot = spoilt(models=[metal]) if mirrors else spoilt()
            lines = last_look(shot, derive(shot), Seen(TOLD))
            self.assertEqual([line.code for line in lines], expected)
            self.assertLess(max(line.weight for line in lines), SHOWN)

    def test_what_the_picture_and_the_files_tell_is_named_too(self) -> None:
        model = json.loads(spoilt().models[0].model_dump_json())
        codes = np.full((200, 300, 3), 130, np.uint8)
        codes[80:120, 100:140] = 255
        cover = np.zeros((200, 300), np.float32)
        cover[80:120, 100:200] = 1
        (burnt,) = look(spoilt(), scope=scope_of(codes, cover))
        self.assertEqual((burnt.code, burnt.says[:3]), ("burnt out", "40%"))
        label = {"file": "label.png", "name": "Label", "width_mm": 900}
        printed = spoilt(models=[{**model, "prints": {"p": label}}])
        (coarse,) = look(printed, pixels={"label.png": (60, 60)})
        self.assertEqual(coarse.code, "coarse print")
        self.assertGreaterEqual(coarse.weight, SHOWN)
        self.assertEqual(look(printed, pixels={"label.png": (2000, 2000)}), [])
        x, y, z = model["position_m"]
        size = {model["file"]: (1.8, 0.45, 0.6)}
        way = np.radians(model["turn_deg"])
        for apart, found in ((0.35, True), (0.5, False)):  # side by side, 0.45 m deep
            aside = [x - apart * np.sin(way), y + apart * np.cos(way), z]
            lines = look(spoilt(models=[model, {**model, "id": "second", "position_m": aside}]), metres=size)
            self.assertEqual([line.code for line in lines], ["cut through"] if found else [])
        self.assertIn(
            "0.10 m",
            look(
                spoilt(
                    models=[
                        model,
                        {**model, "id": "s", "position_m": [x - 0.35 * np.sin(way), y + 0.35 * np.cos(way), z]},
                    ]
                ),
                metres=size,
            )[0].says,
        )

    def test_figures_are_the_true_ones(self) -> None:
        base = spoilt()
        model = json.loads(base.models[0].model_dump_json())
        x, y, z = model["position_m"]
        (line,) = look(spoilt(models=[{**model, "position_m": [x, y, z + 0.012]}]))
        self.assertIn("floats by 12 mm", line.says)
        sun = derive(base).sun
        assert sun
        aside = {"kind": "hand", "azimuth_deg": sun.azimuth_deg - 7, "elevation_deg": sun.elevation_deg}
        self.assertIn("turned by 7.0°", look(spoilt(sun=aside))[0].says)
        # A grade that model and place share is none between them.
        both = {"model": {"exposure_stops": 0.5}, "place": {"exposure_stops": 0.5}}
        self.assertEqual(look(spoilt(blend=both)), [])

    def test_what_was_set_aside_comes_last_with_its_word(self) -> None:
        aside = [{"id": "grain", "word": "the client wants it clean"}]
        lines = look(spoilt(blend={"grain": 0, "softness_px": 0.2}, set_aside=aside))
        self.assertEqual([line.code for line in lines][-1], "grain")
        self.assertEqual(lines[-1].aside, "the client wants it clean")
