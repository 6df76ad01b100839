"""Wetness on 2,048²: depression filling against scikit-image's reconstruction by erosion, all of it against
one argsort."""

import importlib.util
import subprocess
import sys
import time
from pathlib import Path

import numpy as np

from bench._short import SHORT, short
from thicket.ground.noise import fractal_noise
from thicket.ground.wetness import fill_depressions, topographic_wetness_index

SIDE = short(2048, 200)


def rough_ground() -> np.ndarray:
    """Hills with hollows of every size."""
    z, x = np.mgrid[0:SIDE, 0:SIDE].astype(float)
    noise = fractal_noise(5, x.ravel(), z.ravel(), 400.0, 7).reshape(SIDE, SIDE)
    return (noise * 90 + 0.02 * x).astype(np.float32)


def timed(work, rounds: int = 3):
    spent = []
    for _ in range(rounds):
        began = time.perf_counter()
        result = work()
        spent.append(time.perf_counter() - began)
    return sorted(spent)[rounds // 2], result


def reference():
    """scikit-image's reconstruction; the bench-only packages are installed beside the application's at first
    need."""
    folder = Path(sys.prefix).parent / "bench-packages"
    if SHORT and not folder.exists():  # nothing is fetched for the short form
        return lambda seed, h, **_: fill_depressions(h)
    if importlib.util.find_spec("skimage") is None:
        if not folder.exists():
            wanted = Path(__file__).with_name("requirements.txt")
            subprocess.run(
                [
                    sys.executable,
                    "-m",
                    "pip",
                    "install",
                    "--quiet",
                    "--no-deps",
                    "--target",
                    folder,
                    "-r",
                    wanted,
                ],
                check=True,
            )
        sys.path.append(str(folder))
    from skimage.morphology import reconstruction

    return reconstruction


def main() -> int:
    reconstruction = reference()
    h = rough_ground()
    topographic_wetness_index(h[:64, :64], 1.0)
    seed = np.full_like(h, h.max())
    seed[0], seed[-1], seed[:, 0], seed[:, -1] = h[0], h[-1], h[:, 0], h[:, -1]
    theirs, want = timed(lambda: reconstruction(seed, h, method="erosion", footprint=np.ones((3, 3))))
    ours, filled = timed(lambda: fill_depressions(h))
    whole, _ = timed(lambda: topographic_wetness_index(h, 1.0))
    sort, _ = timed(lambda: np.argsort(h, axis=None))
    same = np.array_equal(filled, want.astype(np.float32))
    print(
        f"wetness: filling {ours * 1e3:.0f} ms, scikit-image's reconstruction {theirs * 1e3:.0f} ms; "
        f"same surface: {'yes' if same else 'NO'}; {np.mean(filled > h):.0%} of the ground is filled"
    )
    print(f"  ratio {theirs / ours:.1f} (at least 3)")
    print(
        f"  filling, flow and index {whole * 1e3:.0f} ms, one argsort {sort * 1e3:.0f} ms: "
        f"{whole / sort:.2f} (at most 6)"
    )
    return 0 if same and theirs / ours >= 3 and whole / sort <= 6 else 1


if __name__ == "__main__":
    raise SystemExit(main())
