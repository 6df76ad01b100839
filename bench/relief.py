"""Relief: slope and facing of 4,096² heights against the plain NumPy formula, and the memory it takes beside
its input."""

import threading
import time

import numpy as np

from bench._short import short
from thicket.ground.relief import slope_and_aspect

SIDE, CELL = short(4096, 300), 1.0


def plain(h: np.ndarray, cell: float) -> tuple[np.ndarray, np.ndarray]:
    """Horn's formula in whole-array NumPy, inner vertices only."""
    a, b, c = h[:-2, :-2], h[:-2, 1:-1], h[:-2, 2:]
    d, f = h[1:-1, :-2], h[1:-1, 2:]
    g, i, k = h[2:, :-2], h[2:, 1:-1], h[2:, 2:]
    dx = ((c + 2 * f + k) - (a + 2 * d + g)) / (8 * cell)
    dz = ((g + 2 * i + k) - (a + 2 * b + c)) / (8 * cell)
    return np.degrees(np.arctan(np.hypot(dx, dz))), np.degrees(np.arctan2(-dx, dz)) % 360


def memory() -> int:
    """Resident bytes of this process."""
    with open("/proc/self/statm") as file:
        return int(file.read().split()[1]) * 4096


class Peak(threading.Thread):
    """Watches the process's memory while something runs."""

    def __init__(self) -> None:
        super().__init__(daemon=True)
        self.base, self.most, self.on = memory(), 0, True

    def run(self) -> None:
        while self.on:
            self.most = max(self.most, memory() - self.base)
            time.sleep(0.002)


def main() -> int:
    rng = np.random.default_rng(1)
    h = rng.standard_normal((SIDE, SIDE), np.float32) * 0.4 + np.linspace(0, 90, SIDE, dtype=np.float32)
    slope_and_aspect(h[:128, :128], CELL)
    ours, theirs = [], []
    for _ in range(3):
        watch = Peak()
        watch.start()
        began = time.perf_counter()
        slope, facing = slope_and_aspect(h, CELL, threads=2)
        ours.append(time.perf_counter() - began)
        watch.on = False
        watch.join()
        began = time.perf_counter()
        want = plain(h, CELL)
        theirs.append(time.perf_counter() - began)
    steep = want[0] > 1
    off = max(
        float(np.abs(slope[1:-1, 1:-1] - want[0]).max()),
        float(np.abs((facing[1:-1, 1:-1] - want[1] + 180) % 360 - 180)[steep].max()),
    )
    ratio, share = sorted(theirs)[1] / sorted(ours)[1], watch.most / h.nbytes
    print(
        f"relief: {sorted(ours)[1] * 1e3:.0f} ms on two threads, plain NumPy "
        f"{sorted(theirs)[1] * 1e3:.0f} ms; "
        f"largest difference {off:.4f}° (facing: where steeper than 1°)"
    )
    print(f"  ratio {ratio:.1f} (at least 4), extra memory {share:.2f} × the input (at most 2.5)")
    return 0 if ratio >= 4 and share <= 2.5 and off < 0.05 else 1


if __name__ == "__main__":
    raise SystemExit(main())
