"""Prints the project's figures: solving, proof, truth."""

from __future__ import annotations

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
from tests.browser.driver import screen
from tests.browser.test_journey import MARKS, begin
from tests.support import running

from bench.truth import NAMES, SAMPLES, marked_shot, score
from lithopos.core.camera.find import find_edges
from lithopos.core.camera.problem import CameraAnswer, CameraProblem, LineIn
from lithopos.core.camera.solve import solve_camera
from lithopos.core.derive import derive
from lithopos.core.exchange.decode import read_picture
from lithopos.core.reading.ask import read_model
from lithopos.core.light.sun import SunAnswer, SunProblem, solve_sun
from lithopos.core.render.engine import choose_variant
from lithopos.core.render.passes import PROOF_SAMPLES, PROOF_WIDTH, render_shot, sized
from lithopos.core.render.scene import build_scene
from lithopos.core.render.tracer import MitsubaTracer
from lithopos.samples.demo import marks_of
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
        moved = {"patch": {"edges": edges}}
        state = library.shot(shot.id).shot
        solve = median_ms(lambda: derive(state))
        whole = median_ms(lambda: client.post(f"/api/v1/shots/{shot.id}/try", json=moved))
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
        server.ask(
            "PATCH", f"/shots/{shot}", {"revision": 1, "patch": {name: MARKS[name] for name in ("edges", "lengths")}}
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


def bench_proof() -> None:
    """A first proof of the cloister, with the bare renderer's and denoiser's time for the same samples."""
    import pyoidn

    shot, photograph = marked_shot("cloister-yard"), read_picture(SAMPLES / "cloister-yard.jpg")
    model = lambda name: read_model(SAMPLES / name)  # noqa: E731
    print(f"proof of the cloister, {PROOF_WIDTH} px wide, {PROOF_SAMPLES} samples, {choose_variant()} [s]")
    for word in ("first (compiling)", "second"):
        started, marks = time.perf_counter(), []
        for step in render_shot(shot, photograph, model):
            marks.append((step.samples, time.perf_counter() - started))
        print(f"  {word:18}", "  ".join(f"{samples} samples {seconds:.1f}" for samples, seconds in marks))
    small = sized(photograph, PROOF_WIDTH / photograph.codes.shape[1])
    scene = build_scene(shot, small, model)
    tracer = MitsubaTracer(scene)
    tracer.trace(2, 0)
    started = time.perf_counter()
    np.array(tracer.mi.render(tracer._with, integrator=tracer._path, spp=PROOF_SAMPLES, seed=1))
    bare = time.perf_counter() - started
    started = time.perf_counter()
    layers = tracer.trace(PROOF_SAMPLES, 1)
    every = time.perf_counter() - started
    started = time.perf_counter()
    pyoidn.denoise(np.ascontiguousarray(layers.with_models / PROOF_SAMPLES), hdr=True, quality="high")
    x0, y0, x1, y1 = scene.region
    print(
        f"  the same region ({x1 - x0} × {y1 - y0}): one picture traced {bare:.2f}, all layers {every:.2f}, "
        f"denoised once {time.perf_counter() - started:.2f}"
    )


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
    "proof": bench_proof,
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
