"""Import: a 4,097² 16-bit PNG to stored tiles, against Pillow's decode of it plus zlib of the bytes it
decodes to.

Makes a database of its own beside the application's and drops it again. zlib runs at the level tiles are
stored at.
"""

from __future__ import annotations

import tempfile
import time
import zlib
from pathlib import Path

import numpy as np

from bench._server import own_database
from bench._short import short

SIDE, ROUNDS = short(4097, 257), short(3, 1)


def picture(path: Path) -> None:
    """Hills in 16 bits."""
    from PIL import Image

    from thicket.ground.noise import Noise, noise_field

    hills = noise_field(Noise("gradient", 900.0, 7, 1.4, 0.0, 5), 1.0, (0, 0, SIDE, SIDE))
    Image.fromarray(np.rint(hills * 65535).astype(np.uint16)).save(path, compress_level=4)


def reference(path: Path) -> float:
    from PIL import Image

    began = time.perf_counter()
    with Image.open(path) as image:
        values = np.array(image)
    zlib.compress(values.astype(np.uint16).tobytes(), 1)
    return time.perf_counter() - began


def ours(path: Path, user, number: int) -> float:
    from server.ground import importing
    from thicket.formats.heights_in import Reading, read_heights

    began = time.perf_counter()
    file = read_heights(path, path.name, Reading())
    heights, cell = importing.chosen_heights(file, 1.0, 100.0, 400.0)
    level = importing.create(
        user, f"Bench {number}", f"bench-{number}", importing.NewGround(heights, cell), lambda *_: None
    )
    spent = time.perf_counter() - began
    if level.ground_tiles.filter(kind="heights").count() != (-(-SIDE // 256)) ** 2:
        raise SystemExit("the tiles were not stored")
    return spent


def main() -> int:
    with own_database():
        from django.contrib.auth.models import User

        user = User.objects.create_user("bench")
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "hills.png"
            picture(path)
            pairs = [(ours(path, user, k), reference(path)) for k in range(ROUNDS + 1)][1:]
    a, b = (sorted(times)[ROUNDS // 2] for times in zip(*pairs))
    print(
        f"import: {SIDE:,}² 16-bit PNG to a new level's tiles {a:.2f} s; Pillow's decode and zlib "
        f"of the same bytes {b:.2f} s"
    )
    print(f"  ratio {a / b:.2f} (at most 3)")
    return 0 if a / b <= 3 else 1


if __name__ == "__main__":
    raise SystemExit(main())
