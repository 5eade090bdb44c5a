"""Prints the project's figures: solving, proof, truth."""

from __future__ import annotations

import itertools
import json
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

import click
import numpy as np
from proving.screen import begin, screen
from proving.server import running
from proving.truth import NAMES, SAMPLES, marked_shot, score

from bench.balls import bench_balls
from bench.blend import bench_blend
from bench.contact import bench_contact
from bench.equal import bench_equal
from bench.lamps import bench_lamps
from bench.light import bench_light
from bench.picks import bench_picks
from bench.queues import bench_queues
from bench.sharp import bench_sharp
from lithopos.core.camera.find import find_edges
from lithopos.core.camera.problem import CameraAnswer, CameraProblem, LineIn
from lithopos.core.camera.solve import pinhole_of, solve_camera
from lithopos.core.derive import daylight_of, derive
from lithopos.core.exchange.decode import read_picture
from lithopos.core.light.sun import SunAnswer, SunProblem, solve_sun
from lithopos.core.place.balance import proposed_patches, read_patches
from lithopos.core.reading.ask import read_model
from lithopos.core.readings import Sources, with_readings
from lithopos.core.render.engine import choose_variant
from lithopos.core.render.influence import influence_of
from lithopos.core.render.render import PROOF_SAMPLES, render_shot
from lithopos.core.render.session import Session
from lithopos.core.render.tracer import MitsubaTracer
from lithopos.core.shot import load_shot
from lithopos.core.shot.change import changed
from lithopos.samples.demo import drawn_proxies, marks_of
from lithopos.web.app import create_app


def median_ms(work: Callable[[], Any], times: int = 60) -> tuple[float, float, float]:
    """Least, median and most milliseconds of some work."""
    work()
    taken = []
    for _ in range(times):
        started = time.perf_counter()
        work()
        taken.append((time.perf_counter() - started) * 1e3)
    return min(taken), statistics.median(taken), max(taken)


def bench_solving() -> None:
    """The server's answer to a drag, and the solver alone, for 12 edges."""
    truth = json.loads((SAMPLES / "cloister-yard.json").read_text())
    marks = marks_of(truth)
    edges = [{"id": f"e{i}", "run": e["family"], "points": e["points"]} for i, e in enumerate(truth["edges"][:12])]
    patch = {**{name: marks[name] for name in ("origin", "lengths", "gnomons")}, "edges": edges}
    with tempfile.TemporaryDirectory() as folder:
        app = create_app(Path(folder))
        library = app.extensions["library"]
        project = library.add_project("bench")
        file = library.import_file(project.id, SAMPLES / truth["photograph"])
        shot = library.add_shot(project.id, "bench", file.sha256)
        library.change(shot.id, 1, patch, "marks")
        client = app.test_client()
        state = library.shot(shot.id).shot
        dragged = itertools.count(1)

        def moved() -> list[dict[str, Any]]:
            """The first edge a little farther each time: edges that stay are not solved again."""
            (x, y), *others = edges[0]["points"]
            return [{**edges[0], "points": [(x + 0.01 * next(dragged), y), *others]}, *edges[1:]]

        solve = median_ms(lambda: derive(load_shot({**state.model_dump(mode="json", by_alias=True), "edges": moved()})))
        whole = median_ms(lambda: client.post(f"/api/v1/shots/{shot.id}/try", json={"patch": {"edges": moved()}}))
        problem = CameraProblem.model_validate(
            {
                "image": truth["image"],
                "lines": truth["edges"][:12],
                "lengths": [{k: v for k, v in patch["lengths"][0].items() if k != "id"}],
            }
        )
        alone = median_ms(lambda: solve_camera(problem))
        twenty = problem.model_copy(update={"lines": _twenty(truth["edges"])})
        more = median_ms(lambda: solve_camera(twenty))
        library.engine.dispose()
    lens = {
        **problem.model_dump(by_alias=True, exclude={"lengths"}),
        "lines": _bent_edges(),
        "principal_point": "free",
        "distortion": "solve",
    }
    bent = median_ms(lambda: solve_camera(CameraProblem.model_validate(lens)), 20)
    print("solving, 12 edges [ms: least, median, most]")
    print("  camera alone             {:6.1f} {:6.1f} {:6.1f}".format(*alone))
    print("  camera and sun           {:6.1f} {:6.1f} {:6.1f}".format(*solve))
    print("  the server's whole answer{:6.1f} {:6.1f} {:6.1f}".format(*whole))
    print("  camera alone, 20 edges   {:6.1f} {:6.1f} {:6.1f}".format(*more))
    print("  20 edges of 4 points, with principal point and distortion {:6.1f} {:6.1f} {:6.1f}".format(*bent))
    print("  20 patches and 5 proxies, a patch dragged: strengths {:6.1f} {:6.1f} {:6.1f}".format(*_strengths()))


def _strengths() -> tuple[float, float, float]:
    """How long the court's lights take to follow a dragged patch."""
    truth = json.loads((SAMPLES / "mason-court.json").read_text())
    document = marked_shot("mason-court").model_dump(mode="json", by_alias=True)
    photograph = read_picture(SAMPLES / truth["photograph"])
    drawn = {"proxies": drawn_proxies(truth)[:5]}
    document = changed(document, with_readings(document, drawn, Sources(lambda _: photograph)))
    shot = load_shot(document)
    facts = derive(shot)
    assert facts.camera
    first = proposed_patches(photograph, pinhole_of(facts.camera), daylight_of(shot, facts))
    rng = np.random.default_rng(1)
    spots = [tuple(np.array(first[n % len(first)].at) + rng.normal(0, [30, 10])) for n in range(20)]
    patches = [first[n % len(first)].model_copy(update={"id": f"p{n}", "at": at}) for n, at in enumerate(spots)]
    read = [one.model_dump(mode="json") for one in read_patches(patches, photograph, photograph.codes.shape[1])]
    dragged = itertools.count(1)

    def moved() -> None:
        x, y = read[0]["at"]
        derive(load_shot({**document, "patches": [{**read[0], "at": (x + next(dragged), y)}, *read[1:]]}))

    return median_ms(moved, 30)


def _twenty(edges: list[dict[str, Any]]) -> list[LineIn]:
    """Twenty of the sample's edges, drawn with 0.5 px of error; again from the first where there are fewer."""
    rng = np.random.default_rng(1)
    chosen = [edges[i % len(edges)] for i in range(20)]
    marks = [np.array(edge["points"]) + rng.normal(scale=0.5, size=(2, 2)) for edge in chosen]
    return [
        LineIn.model_validate({"family": edge["family"], "points": points.tolist()})
        for edge, points in zip(chosen, marks, strict=True)
    ]


def bench_edges() -> None:
    """Finding edges in both sample photographs, and a whole call of the command line."""
    print("finding edges [ms: least, median, most]")
    for name in NAMES:
        codes = read_picture(SAMPLES / f"{name}.jpg").eight_bit
        taken = median_ms(lambda codes=codes: find_edges(codes), 7)  # type: ignore[misc]
        print(f"  {name:14} {codes.shape[1]} × {codes.shape[0]}" + " {:6.0f} {:6.0f} {:6.0f}".format(*taken))
    command = [sys.executable, "-m", "lithopos.cli", "edges", str(SAMPLES / "cloister-yard.jpg")]
    whole = median_ms(lambda: subprocess.run(command, capture_output=True, check=True), 5)
    print("  the whole command, started anew {:6.0f} {:6.0f} {:6.0f}".format(*whole))


def bench_screen() -> None:
    """From the mouse's move to the grid drawn again, while an edge's end is dragged in headless Chromium."""
    with running() as server, screen(server) as page:
        begin(page)
        shot = page.page.url.rsplit("/", 1)[1]
        marks = marks_of(json.loads((SAMPLES / "cloister-yard.json").read_text()), noise_px=0)
        server.ask(
            "PATCH", f"/shots/{shot}", {"revision": 1, "patch": {name: marks[name] for name in ("edges", "lengths")}}
        )
        page.page.reload()
        page.until("window.lithopos?.derived.camera")
        page.step("Perspective")
        box = page.page.get_by_label("Run A edge 2, end 1").bounding_box()
        assert box
        x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
        page.page.mouse.move(x, y)
        page.page.mouse.down()
        for step in range(60):
            page.page.mouse.move(x + step % 5 * 0.3, y + step % 7 * 0.3)
            page.page.wait_for_timeout(25)
        page.page.wait_for_timeout(500)
        page.page.mouse.up()
        taken = page.page.evaluate("performance.getEntriesByName('redrawn').map((e) => e.duration)")
    print(
        f"from the mouse's move to the redrawn grid, {len(taken)} redraws [ms: least, median, most]"
        f" {min(taken):6.0f} {statistics.median(taken):6.0f} {max(taken):6.0f}"
    )


def _bent_edges() -> list[dict[str, Any]]:
    """Twenty edges of four points of a made-up bent lens."""
    rng, focal, k1 = np.random.default_rng(0), 1500.0, -0.1
    tilt, heading = np.radians([-14, 50])
    forward = np.array([np.cos(tilt) * np.cos(heading), np.cos(tilt) * np.sin(heading), np.sin(tilt)])
    right = np.array([np.sin(heading), -np.cos(heading), 0])
    rotation = np.stack([right, np.cross(forward, right), forward])
    lines = []
    for number in range(20):
        start = np.array([*rng.uniform(-0.5, 0.5, 2), 1.0]) @ rotation * 6
        ends = (start + np.linspace(0, 2, 4)[:, None] * np.eye(3)[number % 3]) @ rotation.T
        plane = ends[:, :2] / ends[:, 2:]
        pixels = plane * (1 + k1 * (plane**2).sum(1, keepdims=True)) * focal + [960, 640]
        pixels = pixels + rng.normal(scale=0.5, size=pixels.shape)
        lines.append({"family": ("a", "b", "plumb")[number % 3], "points": pixels.tolist()})
    return lines


def bench_accuracy(seeds: int = 100) -> None:
    """How often camera and sun come within the bounds from edges off by 0.7 px."""
    print(f"accuracy over {seeds} seeds, marks off by 0.7 px")
    for name in NAMES:
        truth = json.loads((SAMPLES / f"{name}.json").read_text())
        focal_true, height_true = truth["camera"]["focal_px"], truth["camera"]["camera_position"][2]
        errors = []
        for seed in range(seeds):
            rng = np.random.default_rng(seed)

            def off(points: Any, rng: np.random.Generator = rng) -> Any:
                return (np.asarray(points, float) + rng.normal(scale=0.7, size=np.shape(points))).tolist()

            stick = truth["yardstick"]
            case = {
                "image": truth["image"],
                "lines": [{"family": e["family"], "points": off(e["points"])} for e in truth["edges"]],
                "scale": {"from": off(stick["from"]), "to": off(stick["to"]), "metres": stick["metres"]},
            }
            camera = solve_camera(CameraProblem.model_validate(case))
            assert isinstance(camera, CameraAnswer) and camera.camera_position
            marks = [{mark: off(p) for mark, p in g.items()} for g in truth["gnomons"]]
            sun = solve_sun(
                SunProblem.model_validate({"image": truth["image"], "camera": camera.model_dump(), "gnomons": marks})
            )
            assert isinstance(sun, SunAnswer)
            apart = np.degrees(np.arccos(np.clip(np.dot(sun.direction, truth["sun"]["direction"]), -1, 1)))
            errors.append([camera.focal_px / focal_true - 1, camera.camera_position[2] / height_true - 1, apart])
        focal, height, apart = np.abs(np.array(errors)).T
        both = int(((focal < 0.02) & (height < 0.02)).sum())
        print(
            f"  {name}: focal and height within 2 %: {both}; median off {np.median(focal):.2%}, {np.median(height):.2%}"
        )
        print(f"  {name}: sun within 1°: {int((apart < 1).sum())}; median off {np.median(apart):.2f}°")


MEGAPIXEL = 0.645  # of the samples' size: about a million pixels


def _proof(session: Session, at: tuple[float, float], strength: float = 1.0, seed: int = 0) -> tuple[float, float]:
    """Seconds to the first picture and to the finished proof of the cloister at a megapixel."""
    shot, name = marked_shot("cloister-yard"), "cloister-yard"
    placed = shot.models[0].model_copy(update={"position_m": (*at, 0.0)})
    light = shot.sun.model_copy(update={"strength": strength})
    shot = shot.model_copy(update={"models": [placed], "sun": light})
    started, first = time.perf_counter(), 0.0
    photograph = lambda: read_picture(SAMPLES / f"{name}.jpg")  # noqa: E731
    model = lambda file: read_model(SAMPLES / file)  # noqa: E731
    for _ in render_shot(
        shot, photograph, model, scale=MEGAPIXEL, samples=PROOF_SAMPLES, seed=seed, session=session, photograph_key=name
    ):
        first = first or time.perf_counter() - started
    return first, time.perf_counter() - started


def _bare(tracer: MitsubaTracer) -> tuple[float, int]:
    """Seconds of the bare renderer and denoiser for the same pixels and samples, as the package itself does it.

    One path-traced picture of the smallest rectangle about the pixels with its albedo and normals, denoised once;
    its time is scaled by how many of the rectangle's pixels are asked for.
    """
    import pyoidn

    from lithopos.core.render.film import FilmSampler

    influence = influence_of(tracer.scene)
    bounds = influence.bounds()
    assert bounds
    film = FilmSampler(tracer.mi)
    film.aim(tracer.scene.camera)
    path = {"type": "path", "max_depth": 16, "rr_depth": 4}
    whole = tracer.mi.load_dict({"type": "aov", "aovs": "albedo:albedo,normal:sh_normal", "image": path})
    sensor = tracer.mi.load_dict(film._sensor(bounds))
    scene = tracer._places["with"]
    np.array(tracer.mi.render(scene, sensor=sensor, integrator=whole, spp=PROOF_SAMPLES, seed=1))
    started = time.perf_counter()
    made = np.array(tracer.mi.render(scene, sensor=sensor, integrator=whole, spp=PROOF_SAMPLES, seed=2), np.float32)
    parts = [np.ascontiguousarray(made[..., i : i + 3]) for i in (0, 4, 7)]
    pyoidn.denoise(parts[0], np.clip(parts[1], 0, 1), np.clip(parts[2], -1, 1), hdr=True, quality="high")
    pixels = int(np.count_nonzero(influence.pixels(influence.changed, bounds)))
    return (time.perf_counter() - started) * pixels / (bounds.width * bounds.height), pixels


def bench_proof(times: int = 7) -> None:
    """Proofs at a megapixel on a warm session against the bare renderer, ratios within one run."""
    tracer = MitsubaTracer()
    session = Session(tracer=tracer)
    cold = _proof(session, (0.95, -1.75))
    _proof(session, (0.95, -1.75), 0.9)  # compiles for another strength
    _proof(session, (0.95, -1.75))
    rows: dict[str, list[tuple[float, float, float]]] = {"first proof": [], "moved model": []}
    for number in range(times):
        bare, pixels = _bare(tracer)
        rows["first proof"].append((*_proof(session, (0.95, -1.75), seed=10 + number), bare))
        rows["moved model"].append((*_proof(session, (1.05 + 0.1 * number, -1.7), seed=10 + number), bare))
    print(f"proof at a megapixel, {PROOF_SAMPLES} samples, {pixels} pixels traced, {choose_variant()}")
    print(f"  cold process: first picture {cold[0]:.1f} s, finished {cold[1]:.1f} s")
    for name, taken in rows.items():
        first, whole, bares = zip(*taken, strict=True)
        ratios = [w / b for w, b in zip(whole, bares, strict=True)]
        print(
            f"  {name}: first picture {min(first):.2f}/{statistics.median(first):.2f}/{max(first):.2f} s, finished "
            f"{min(whole):.1f}/{statistics.median(whole):.1f}/{max(whole):.1f} s, "
            f"bare {statistics.median(bares):.1f} s, "
            f"ratio {min(ratios):.2f}/{statistics.median(ratios):.2f}/{max(ratios):.2f}"
        )


def bench_master(samples: int = 2) -> None:
    """A master of 6000 × 4000 whose influence is nearly the whole frame, in a process of its own: time and memory."""
    command = [sys.executable, "-m", "bench.large", str(samples)]
    told = subprocess.run(command, capture_output=True, text=True, check=True)
    print("master of 6000 × 4000 over the whole frame")
    print("  " + told.stdout.strip().replace("\n", "\n  "))


def bench_truth(samples: int) -> None:
    """The truth test on both samples."""
    print(f"truth test, marks off by 0.7 px, full size, {samples} samples")
    for name in NAMES:
        told, _ = score(name, samples)
        print(
            f"  {name}: photograph {told.bare_db:.1f} dB, composite {told.composite_db:.1f} dB "
            f"(+{told.composite_db - told.bare_db:.1f}); model's mean colour ΔE2000 {told.model_delta_e:.1f}; "
            f"pixels without influence that differ: {told.untouched_differ}"
        )


PARTS = {
    "solving": bench_solving,
    "edges": bench_edges,
    "screen": bench_screen,
    "accuracy": bench_accuracy,
    "sharp": bench_sharp,
    "proof": bench_proof,
    "queues": bench_queues,
    "equal": bench_equal,
    "light": bench_light,
    "picks": bench_picks,
    "balls": bench_balls,
    "lamps": bench_lamps,
    "contact": bench_contact,
    "blend": bench_blend,
    "master": bench_master,
}


@click.command()
@click.argument("parts", nargs=-1, type=click.Choice([*PARTS, "truth"]))
@click.option("--samples", default=64, show_default=True, help="For the truth test.")
def main(parts: tuple[str, ...], samples: int) -> None:
    """Measure what is named, or everything."""
    for name, work in PARTS.items():
        if not parts or name in parts:
            work()
    if not parts or "truth" in parts:
        bench_truth(samples)


if __name__ == "__main__":
    main()
