"""What is measured in a photograph for a shot; nothing is kept but what a photograph alone tells."""

from __future__ import annotations

import threading

from flask import Response

from lithopos.core.blend.blend import BLENDING, BlendAnswer, blend_answer, measured
from lithopos.core.blend.sharpness import measured_sharpness
from lithopos.core.camera.pinhole import Pinhole
from lithopos.core.camera.solve import pinhole_of
from lithopos.core.derive import daylight_of, derive
from lithopos.core.errors import InputError
from lithopos.core.exchange.picture import Picture, write_atomically
from lithopos.core.place.balance import covered_ground, proposed_patches
from lithopos.core.place.focus import FocusAnswer, FocusQuestion, focus_of
from lithopos.core.place.gleam import GleamAnswer, GleamQuestion, gleam_of
from lithopos.core.place.hazy import HazeAnswer, HazeQuestion, haze_of
from lithopos.core.place.matched import GroundTurn, turned_by_ground
from lithopos.core.place.reflectance import PickedReflectance, ReflectanceQuestion, picked_reflectance
from lithopos.library.database import NotFound
from lithopos.web import schemas as s
from lithopos.web.at_hand import answer, library_at_hand, panorama_of, photograph_of
from lithopos.web.part import part

measures = part("measures", __name__)
_MEASURING = threading.Lock()  # seconds of work that several ask for at once, when a photograph is new

__all__ = ["blending_of", "measures"]


@measures.get("/files/<string:sha256>/blending", operation_id="getBlending", responses={200: BlendAnswer})
def get_blending(path: s.FilePath) -> Response:
    """How a photograph was taken: its grain, its sharpness; measured once and kept beside it."""
    if library_at_hand().file(path.sha256).kind != "photograph":
        raise NotFound("Only photographs have grain to be measured.")
    return answer(blending_of(path.sha256))


def blending_of(sha256: str) -> BlendAnswer:
    """What was measured of a photograph, once."""
    place = library_at_hand().made_folder(sha256) / f"blending-{BLENDING}.json"
    with _MEASURING:
        if place.exists():
            return BlendAnswer.model_validate_json(place.read_bytes())
        codes = photograph_of(f"sha256:{sha256}").codes
        told = measured(codes, measured_sharpness(codes))
        found = blend_answer(told, codes.shape[1], codes.shape[0])
        data = found.model_dump_json().encode()
        write_atomically(place, lambda file: file.write(data))
        return found


@measures.post("/shots/<string:shot_id>/patches", operation_id="proposePatches", responses={200: s.PatchesOut})
def propose_patches(path: s.ShotPath) -> Response:
    """Patches of the ground, in light and in shade; nothing is kept."""
    shot = library_at_hand().shot(path.shot_id).shot
    facts = derive(shot)
    if shot.photograph is None or facts.camera is None:
        raise InputError("camera", "must be solved before the ground can be looked at")
    picture = photograph_of(shot.photograph.file)
    patches = proposed_patches(picture, pinhole_of(facts.camera), daylight_of(shot, facts), shot.patches)
    return answer(s.PatchesOut(patches=patches))


@measures.post(
    "/shots/<string:shot_id>/reflectance", operation_id="pickReflectance", responses={200: PickedReflectance}
)
def pick_reflectance(path: s.ShotPath, body: ReflectanceQuestion) -> Response:
    """What a patch of the photograph throws back of the light that falls there."""
    shot = library_at_hand().shot(path.shot_id).shot
    facts = derive(shot)
    if shot.photograph is None or facts.camera is None or not facts.metric:
        raise InputError("camera", "must be solved, with a yardstick, before light can be told")
    day = daylight_of(shot, facts)
    return answer(
        picked_reflectance(body, photograph_of(shot.photograph.file), pinhole_of(facts.camera), day, facts.balance)
    )


@measures.post("/shots/<string:shot_id>/around/turn", operation_id="turnByGround", responses={200: GroundTurn})
def turn_by_ground(path: s.ShotPath) -> Response:
    """How to turn a panorama that was taken where things stand: as the ground lies that it and the photograph show."""
    shot = library_at_hand().shot(path.shot_id).shot
    facts = derive(shot)
    if shot.photograph is None or shot.panorama is None or facts.camera is None or facts.around is None:
        raise InputError("panorama", "can be turned by the ground only where there is one, and a camera")
    day = daylight_of(shot, facts)
    radiance = panorama_of(shot.panorama.file).radiance
    photograph, camera = photograph_of(shot.photograph.file), pinhole_of(facts.camera)
    return answer(
        turned_by_ground(
            photograph, radiance, shot.panorama, facts.around, camera, lambda smaller: covered_ground(day, smaller)
        )
    )


@measures.post("/shots/<string:shot_id>/gleam", operation_id="measureGleam", responses={200: GleamAnswer})
def measure_gleam(path: s.ShotPath, body: GleamQuestion) -> Response:
    """How strongly the ground mirrors, by a mirror image that the photograph shows."""
    shot = library_at_hand().shot(path.shot_id).shot
    facts = derive(shot)
    if shot.photograph is None or facts.camera is None:
        raise InputError("camera", "must be solved before a mirror image can be judged")
    return answer(gleam_of(body, photograph_of(shot.photograph.file), pinhole_of(facts.camera)))


@measures.post("/shots/<string:shot_id>/focus", operation_id="measureFocus", responses={200: FocusAnswer})
def measure_focus(path: s.ShotPath, body: FocusQuestion) -> Response:
    """Where the photograph is sharp and how open its lens was, by a sharp and a soft spot of the ground."""
    photograph, camera = _metric_camera(path.shot_id)
    return answer(focus_of(body, photograph, camera))


@measures.post("/shots/<string:shot_id>/haze", operation_id="measureHaze", responses={200: HazeAnswer})
def measure_haze(path: s.ShotPath, body: HazeQuestion) -> Response:
    """How hazy the air is, by one material near and far, and the haze itself."""
    photograph, camera = _metric_camera(path.shot_id)
    return answer(haze_of(body, photograph, camera))


def _metric_camera(shot_id: str) -> tuple[Picture, Pinhole]:
    """A shot's photograph and camera, which must know metres."""
    shot = library_at_hand().shot(shot_id).shot
    facts = derive(shot)
    if shot.photograph is None or facts.camera is None or not facts.metric:
        raise InputError("camera", "must be solved, with a yardstick, before distances can be told")
    return photograph_of(shot.photograph.file), pinhole_of(facts.camera)
