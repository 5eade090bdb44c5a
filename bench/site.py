"""How well and how fast sites are solved: against their bound, and from nothing at every change."""

from __future__ import annotations

import statistics
import time

import numpy as np
from tests.core.sites import FREE, made_site

from lithopos.core.errors import NoAnswer
from lithopos.core.site.solve import solve_site
from lithopos.core.site.views import alone

NOISE_PX, SITES = 0.7, 40

__all__ = ["bench_site"]


def bench_site() -> None:
    """Errors beside the least that any method could have, what is stated, and milliseconds for 4 shots of 30 edges."""
    ratios: list[float] = []
    held: list[bool] = []
    lost = aside = 0
    for seed in range(SITES):
        views = 3 + seed % 4
        made = made_site(1000 + seed, views)
        found = solve_site(*made.noted(NOISE_PX, seed, runs=True))
        if isinstance(found, NoAnswer) or len(found.members) < views:
            lost += 1
            continue
        aside += len(found.aside)
        now = found.solved.figures
        off = np.column_stack([np.log(now.focal / [c.focal for c in made.cameras]), now.place])
        off[:, 1:] -= [camera.centre for camera in made.cameras]
        told = found.solved.spread(lambda now: np.column_stack([np.log(now.focal), now.place]).ravel())
        stated = np.sqrt(np.diag(told)).reshape(views, 4)
        bound = np.sqrt(np.diag(made.bound()[0])) * NOISE_PX
        least = bound[: FREE * views].reshape(views, FREE)[:, [0, 4, 5, 6]]
        free = np.ones_like(off, bool)
        free[0, 1:3] = False  # where the frame hangs
        ratios += list(np.abs(off / np.where(free, least, 1))[free] / 0.6745)
        held += list(np.abs(off / np.where(free, stated, 1))[free] < 1.96)
    print(
        f"{SITES} sites of 3 to 6 cameras: {np.median(ratios):.2f} of the bound (median), 95 % held {np.mean(held):.3f}"
    )
    print(f"not solved {lost}, good ties set aside {aside}")
    site, shots = made_site(1, 4).noted(NOISE_PX, 0)
    solve_site(site, shots)
    cold: list[float] = []
    warm: list[float] = []
    for _ in range(9):
        alone.cache_clear()
        for times in (cold, warm):
            begun = time.perf_counter()
            solve_site(site, shots)
            times.append((time.perf_counter() - begun) * 1e3)
    print(f"4 shots of 30 edges, 8 ties: {statistics.median(cold):.0f} ms", end="; ")
    print(f"with each photograph's own match known {statistics.median(warm):.0f} ms")
