"""The unit of speed: one stereo biquad in C, measured in the same run, so that figures travel between machines."""

from __future__ import annotations

import ctypes
import subprocess
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

import numpy as np

FRAMES = 1 << 16
BIQUAD = """
void biquad(double *left, double *right, long frames, const double *c, double *z) {
  for (long i = 0; i < frames; i++) {
    double x = left[i], y = c[0] * x + z[0];
    z[0] = c[1] * x - c[3] * y + z[1]; z[1] = c[2] * x - c[4] * y; left[i] = y;
    x = right[i]; y = c[0] * x + z[2];
    z[2] = c[1] * x - c[3] * y + z[3]; z[3] = c[2] * x - c[4] * y; right[i] = y;
  }
}
"""


def best_s(work: Callable[[], object], rounds: int = 7) -> float:
    """Shortest time of several: what the machine can do when nothing else wants it."""
    times = []
    for _ in range(rounds):
        began = time.perf_counter()
        work()
        times.append(time.perf_counter() - began)
    return min(times)


def turns_s(*works: Callable[[], object], rounds: int = 41) -> np.ndarray:
    """(works, rounds) times of several by turns: a slow moment of the machine takes little from their ratios."""
    return np.array([[best_s(work, 1) for work in works] for _ in range(rounds)]).T


def base_clock() -> Callable[[], float]:
    """Measures the seconds that a stereo frame of one biquad takes in C, gcc -O2, at the moment it is called."""
    with tempfile.TemporaryDirectory() as folder:
        source, library = Path(folder) / "biquad.c", Path(folder) / "biquad.so"
        source.write_text(BIQUAD)
        subprocess.run(["cc", "-O2", "-shared", "-fPIC", str(source), "-o", str(library)], check=True)
        biquad = ctypes.CDLL(str(library)).biquad
    left, right = np.random.default_rng(0).standard_normal((2, FRAMES)) * 0.1
    coefficients = np.array([0.2, 0.3, 0.2, -0.5, 0.2])
    state = np.zeros(4)

    def pointer(array: np.ndarray) -> ctypes.c_void_p:
        return ctypes.c_void_p(array.ctypes.data)

    def work() -> None:
        biquad(pointer(left), pointer(right), ctypes.c_long(FRAMES), pointer(coefficients), pointer(state))

    return lambda: best_s(work, 30) / FRAMES
