"""What runs on a cluster's workers: who they are, what they have been sent, and tracing."""

from __future__ import annotations

import hashlib
import importlib.metadata
import os
import platform
import threading
from functools import cache
from pathlib import Path
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray

import lithopos
from lithopos.cluster.parcel import Cache
from lithopos.core.arrays import Floats
from lithopos.core.render.engine import choose_variant, find_llvm
from lithopos.core.render.tracer import MitsubaTracer, Place

What = Literal["radiance", "first hits"]

__all__ = ["Identity", "What", "identity", "lacking", "taken", "trace"]

Identity = dict[str, str]


@cache
def identity() -> Identity:
    """All that a picture could depend on besides the scene: pictures must not tell who made them."""
    variant = choose_variant()
    return {
        "version": f"{lithopos.__version__} {_source()}",
        "renderer": f"{variant} {importlib.metadata.version('mitsuba')} {importlib.metadata.version('drjit')}",
        "compiler": Path(find_llvm() or "none").name if "llvm" in variant else "none",
        "processor": platform.machine(),
    }


def _source() -> str:
    """A digest of the program that traces."""
    digest = hashlib.sha256()
    for place in sorted((Path(lithopos.__file__).parent / "core").rglob("*.py")):
        digest.update(place.read_bytes())
    return digest.hexdigest()[:12]


@cache
def _cache() -> Cache:
    told = os.environ.get("LITHOPOS_CLUSTER_CACHE")
    return Cache(Path(told) if told else None)


def lacking(names: list[str]) -> list[str]:
    """Which parts of a scene this worker has not been sent yet."""
    return _cache().missing(names)


def taken(parts: dict[str, bytes]) -> None:
    """Keep parts of a scene."""
    _cache().take(parts)


_LOCK = threading.Lock()  # the renderer does one thing at a time, with all its threads
_HELD: dict[str, Any] = {}


def trace(
    scene: str, fine: bool, what: What, place: Place, pixels: NDArray[np.int32], first: int, count: int, seed: int
) -> tuple[Floats | dict[str, Floats], str]:
    """Trace some pixels of a scene that was sent; the sums, and which worker made them."""
    with _LOCK:
        tracer = _shown(scene, fine)
        if what == "radiance":
            sums = [tracer.radiance(place, batch, first, count, seed) for batch in tracer.batches(pixels, count)]
            return np.concatenate(sums), _name()
        hits = [tracer.first_hits(batch, first, count, seed) for batch in tracer.batches(pixels, count)]
        return {name: np.concatenate([one[name] for one in hits]) for name in hits[0]}, _name()


def _shown(scene: str, fine: bool) -> MitsubaTracer:
    if "tracer" not in _HELD:
        _HELD["tracer"] = MitsubaTracer()
        _bound_threads()
    if _HELD.get("scene") != (scene, fine):
        _HELD["tracer"].show(_cache().unpacked(scene), fine)
        _HELD["scene"] = (scene, fine)
    tracer: MitsubaTracer = _HELD["tracer"]
    return tracer


def _bound_threads() -> None:
    """As many threads as this worker was given; else all of the machine's."""
    told = os.environ.get("LITHOPOS_THREADS")
    if told and told.isdigit() and int(told) > 0:
        import drjit

        drjit.set_thread_count(int(told))


def _name() -> str:
    from distributed import get_worker

    return str(get_worker().name)
