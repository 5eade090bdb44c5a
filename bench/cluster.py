"""`python -m bench.cluster`: a master by 1, 2, 3 workers of one thread each, and a simulation of many more.

With `whole`: a master of 2 million pixels at 64 samples by 3 workers, for some half an hour.

The measure is the machine's own: as many independent processes of one thread, each with its share of the work.
"""

from __future__ import annotations

import os
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from typing import Any

import numpy as np
from proving.truth import SAMPLES, marked_shot

from lithopos.cluster.address import Cluster
from lithopos.cluster.local import start_scheduler, start_worker
from lithopos.cluster.parcel import packed
from lithopos.cluster.tracer import PARTS_EACH, ClusterTracer
from lithopos.core.exchange.decode import read_picture
from lithopos.core.reading.ask import read_model
from lithopos.core.render.scene import Scene, build_scene
from lithopos.core.render.session import sized
from lithopos.core.render.tracer import MitsubaTracer, Pixels

LINK_BYTES_S = 110e6  # of an ordinary network


@dataclass(frozen=True)
class Work:
    """Of the sample photograph the scale, whether its lower half alone; samples of each half; by how many workers."""

    scale: float
    lower: bool
    count: int
    workers: tuple[int, ...]


WORKS = {"small": Work(0.5, True, 16, (1, 2, 3)), "whole": Work(0.9, False, 32, (3,))}


@dataclass(frozen=True)
class Costs:
    """What was measured on this machine, for one worker of one thread.

    Attributes
    ----------
    trace_s : of a pixel's sample; `sum_bytes` of a pixel's sums; `add_s` of a pixel's adding at the one who asks.
    part_s : what the scheduler needs for a part, whatever is in it.
    scene_bytes : what each worker is sent once.
    """

    trace_s: float
    sum_bytes: float
    add_s: float
    part_s: float
    scene_bytes: float


def _scene(work: Work) -> tuple[Scene, Pixels]:
    shot = marked_shot("cloister-yard")
    photograph = sized(read_picture(SAMPLES / "cloister-yard.jpg"), work.scale)
    scene = build_scene(shot, photograph, lambda name: read_model(SAMPLES / name))
    height, width = photograph.codes.shape[:2]
    rows, columns = np.mgrid[height // 2 if work.lower else 0 : height, :width]
    return scene, np.column_stack([columns.ravel(), rows.ravel()]).astype(np.int32)


def _alone(name: str, share: int, of: int) -> None:
    """One process with its share, as a child of `_independent`; prints when it begins and how long it takes."""
    import drjit

    work = WORKS[name]
    scene, pixels = _scene(work)
    tracer = MitsubaTracer()
    drjit.set_thread_count(1)
    tracer.show(scene, fine=True)
    mine = np.array_split(pixels, of)[share]
    _traced(tracer, mine[:2000], 2)  # compiled once
    print("ready", flush=True)
    sys.stdin.readline()
    begun = time.monotonic()
    _traced(tracer, mine, work.count)
    print(time.monotonic() - begun, flush=True)


def _traced(tracer: Any, pixels: Pixels, count: int) -> Any:
    parts = [tracer.radiance("with", batch, 0, count, 1) for batch in tracer.batches(pixels, count)]
    return np.concatenate(parts)


def _independent(name: str, count: int) -> float:
    """Seconds until the last of so many independent processes is done."""
    told = [sys.executable, "-m", "bench.cluster", name]
    children = [
        subprocess.Popen([*told, str(number), str(count)], stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True)
        for number in range(count)
    ]
    for child in children:
        assert child.stdout
        child.stdout.readline()
    for child in children:
        assert child.stdin
        child.stdin.write("go\n")
        child.stdin.flush()
    return max(float(child.communicate()[0]) for child in children)


@contextmanager
def _cluster(workers: int) -> Iterator[ClusterTracer]:
    scheduler, address = start_scheduler()
    with tempfile.TemporaryDirectory() as cache:
        told = {"LITHOPOS_CLUSTER_CACHE": cache}
        children = [start_worker(address, f"w{number}", threads=1, **told) for number in range(workers)]
        tracer = ClusterTracer(Cluster(address))
        try:
            while len(tracer.seen()) < workers:
                time.sleep(0.2)
            yield tracer
        finally:
            tracer.close()
            for child in [*children, scheduler]:
                child.kill()
                child.wait()


def main(name: str) -> None:
    """Print efficiencies, and what a simulation makes of them."""
    work = WORKS[name]
    scene, pixels = _scene(work)
    took: dict[int, float] = {}
    print(f"{len(pixels)} pixels, {2 * work.count} samples; {os.cpu_count()} processors")
    for workers in work.workers:
        own = _independent(name, workers)
        with _cluster(workers) as tracer:
            tracer.show(scene, fine=True)
            _traced(tracer, pixels[:: len(pixels) // 4000], 2)  # sent, and compiled once
            begun = time.monotonic()
            _traced(tracer, pixels, work.count)
            took[workers] = time.monotonic() - begun
            parts = sum(tracer.made.values())
        told = f"{took[workers]:.1f} s in {parts} parts; so many independent processes {own:.1f} s"
        print(f"{workers} workers: {told}: efficiency {own / took[workers]:.2f}", flush=True)
    if 1 in took:
        _tell_simulated(scene, len(pixels), took[1] / (len(pixels) * 2 * work.count))


def _tell_simulated(scene: Scene, count: int, trace_s: float) -> None:
    costs = Costs(
        trace_s=trace_s,
        sum_bytes=24.0,
        add_s=_adding(count),
        part_s=0.004,
        scene_bytes=float(sum(map(len, packed(scene).parts.values()))),
    )
    print(f"costs: {costs}")
    for workers in (1, 2, 3, 10, 30, 100, 300, 1000):
        seconds = simulated(costs, workers, pixels=2_000_000, samples=64)
        one = simulated(costs, 1, pixels=2_000_000, samples=64)
        print(f"{workers:5d} workers: {seconds:8.1f} s, efficiency {one / workers / seconds:.2f}")


def _adding(count: int) -> float:
    sums = np.zeros((count, 2, 3), np.float32)
    begun = time.monotonic()
    np.concatenate([sums[: count // 2], sums[count // 2 :]])
    return (time.monotonic() - begun) / count


def simulated(costs: Costs, workers: int, pixels: int, samples: int) -> float:
    """Seconds of a master: both places in portions of growing samples, each in parts as the tracer makes them.

    Scenes are sent one after the other, the scheduler deals with one part after the other, answers share one link.
    """
    half = samples // 2
    plan = [min(8, half)]
    while sum(plan) < half:
        plan.append(min(3 * sum(plan), half - sum(plan)))
    seconds = workers * costs.scene_bytes / LINK_BYTES_S
    for count in plan * 2:
        parts = PARTS_EACH * workers
        each = pixels / parts * 2 * count * costs.trace_s
        given = np.arange(parts) * costs.part_s
        free = np.zeros(workers)
        ends = np.empty(parts)
        for number in range(parts):
            worker = int(free.argmin())
            free[worker] = ends[number] = max(free[worker], given[number]) + each
        link, answer_s = 0.0, pixels / parts * costs.sum_bytes / LINK_BYTES_S
        for end in np.sort(ends):
            link = max(link, float(end)) + answer_s
        seconds += link + pixels * costs.add_s
    return float(seconds)


if __name__ == "__main__":
    if len(sys.argv) > 2:
        _alone(sys.argv[1], int(sys.argv[2]), int(sys.argv[3]))
    else:
        main(sys.argv[1] if len(sys.argv) > 1 else "small")
