"""Which renderer variant this machine can run, tried once in a child process and remembered.

A wrong LLVM aborts the whole process while compiling, so the fast variant is tried where it can
do no harm.
"""

from __future__ import annotations

import ctypes.util
import hashlib
import importlib.metadata
import json
import os
import platform
import subprocess
import sys
from glob import glob
from pathlib import Path
from typing import Any

import platformdirs

FAST, SLOW = "llvm_ad_rgb", "scalar_rgb"

_TRIAL = """
import mitsuba as mi, numpy as np
mi.set_variant("llvm_ad_rgb")
scene = mi.load_dict({"type": "scene", "integrator": {"type": "path"}, "light": {"type": "constant"},
    "sensor": {"type": "perspective", "film": {"type": "hdrfilm", "width": 8, "height": 8},
               "to_world": mi.ScalarTransform4f().look_at([0, 0, 4], [0, 0, 0], [0, 1, 0])},
    "shape": {"type": "sphere"}})
assert np.isfinite(np.array(mi.render(scene, spp=1))).all()
print("fast variant works")
"""

__all__ = ["FAST", "SLOW", "choose_variant", "find_llvm", "load_renderer"]


def find_llvm() -> str | None:
    """Path of the newest LLVM library that may work, or None.

    The environment's own choice (`DRJIT_LIBLLVM_PATH`) goes first; versions below 16 are known to abort.
    """
    told = os.environ.get("DRJIT_LIBLLVM_PATH")
    if told:
        return told
    folders = [f"/usr/lib/{platform.machine()}-linux-gnu", "/usr/lib64", "/usr/lib", "/usr/lib/llvm-*/lib"]
    found = [path for folder in folders for path in glob(f"{folder}/libLLVM*.so*")]
    versions = {path: _llvm_version(path) for path in found}
    good = [path for path in found if versions[path] >= 16]
    return max(good, key=lambda path: (versions[path], path), default=ctypes.util.find_library("LLVM-19"))


def _llvm_version(path: str) -> int:
    digits = "".join(c if c.isdigit() else " " for c in Path(path).name).split()
    return int(digits[0]) if digits else 0


def choose_variant(cache_dir: Path | None = None) -> str:
    """The fast variant if it works on this machine, else the slow one; the answer is remembered."""
    told = os.environ.get("LITHOPOS_VARIANT")
    if told in (FAST, SLOW):
        return told
    llvm = find_llvm()
    if llvm is None:
        return SLOW
    stamp = f"{llvm} {os.path.getmtime(llvm) if os.path.exists(llvm) else 0} {importlib.metadata.version('mitsuba')}"
    key = hashlib.sha256(stamp.encode()).hexdigest()[:16]
    memo = (cache_dir or Path(platformdirs.user_cache_dir("lithopos"))) / f"renderer-{key}.json"
    if memo.exists():
        remembered = json.loads(memo.read_text())["variant"]
        return FAST if remembered == FAST else SLOW
    variant = FAST if _fast_variant_works(llvm) else SLOW
    memo.parent.mkdir(parents=True, exist_ok=True)
    memo.write_text(json.dumps({"variant": variant, "llvm": llvm}))
    return variant


def _fast_variant_works(llvm: str) -> bool:
    environment = {**os.environ, "DRJIT_LIBLLVM_PATH": llvm}
    try:
        trial = subprocess.run(
            [sys.executable, "-c", _TRIAL], env=environment, capture_output=True, timeout=120, check=False
        )
    except subprocess.TimeoutExpired:
        return False
    return trial.returncode == 0 and b"fast variant works" in trial.stdout


def load_renderer() -> Any:
    """Import the renderer package with this machine's best variant set."""
    variant = choose_variant()
    llvm = find_llvm()
    if variant == FAST and llvm:
        os.environ["DRJIT_LIBLLVM_PATH"] = llvm
    import mitsuba as mi

    if mi.variant() != variant:
        mi.set_variant(variant)
    mi.set_log_level(mi.LogLevel.Error)
    return mi
