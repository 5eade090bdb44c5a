"""`python -m bench.kills SAMPLES [WIDTH] [KILLS]`: a master killed at random, again and again, against one left alone.

The first run is left alone. The second is killed as often as told within about the time that the first one took, each
time by a signal that no process can catch, and begun again in its folder. Prints how many of its values differ.
"""

from __future__ import annotations

import subprocess
import sys
import tempfile
import time
from pathlib import Path

import numpy as np

from bench.large import large_master
from lithopos.core.exchange.decode import read_picture
from lithopos.core.exchange.picture import write_png

WIDTH, KILLS = 2400, 10
ONCE = "--once"


def main() -> None:
    """Render undisturbed, then with kills, and compare."""
    samples = int(sys.argv[1])
    width = int(sys.argv[2]) if len(sys.argv) > 2 else WIDTH
    kills = int(sys.argv[3]) if len(sys.argv) > 3 else KILLS
    with tempfile.TemporaryDirectory() as folder:
        alone, disturbed = Path(folder) / "alone", Path(folder) / "disturbed"
        started = time.monotonic()
        _begun(alone, samples, width).wait()
        taken = time.monotonic() - started
        print(f"{width} x {width * 2 // 3}, {samples} samples: undisturbed after {taken:.0f} s", flush=True)
        rng = np.random.default_rng()
        lived: list[float] = []
        started = time.monotonic()
        while True:
            process = _begun(disturbed, samples, width)
            if len(lived) == kills:
                process.wait()
                break
            # Long enough at the median that some tiles get done, and now and then hardly begun.
            lives = float(rng.uniform(0, 2 * taken / kills))
            try:
                process.wait(lives)
                break
            except subprocess.TimeoutExpired:
                process.kill()
                process.wait()
                lived.append(lives)
        print(f"killed {len(lived)} times, after {', '.join(f'{one:.0f}' for one in lived)} s each", flush=True)
        ours, theirs = (read_picture(one / "picture.png").codes for one in (disturbed, alone))
        print(f"done after {time.monotonic() - started:.0f} s; {np.count_nonzero(ours != theirs)} values differ")


def _begun(folder: Path, samples: int, width: int) -> subprocess.Popen[bytes]:
    arguments = [sys.executable, "-m", "bench.kills", ONCE, str(folder), str(samples), str(width)]
    return subprocess.Popen(arguments)


def _once(folder: Path, samples: int, width: int) -> None:
    """Render, going on from what the folder holds."""
    last = None
    for step in large_master(width, samples, keep=folder / "kept", passes=folder / "passes"):
        last = step.picture or last
    assert last
    write_png(last, folder / "picture.png")


if __name__ == "__main__":
    if sys.argv[1] == ONCE:
        _once(Path(sys.argv[2]), int(sys.argv[3]), int(sys.argv[4]))
    else:
        main()
