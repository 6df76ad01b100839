"""Plants stay the same, byte for byte, from version to version: of levels drawn by chance, and of the demo's
handover."""

import hashlib
import io
import json
import random
from uuid import UUID

from django.contrib.auth.models import User
from django.core.management import call_command
from django.test import TestCase

from demo import level as demo_level
from server.document.planted import planted_of
from server.levels.models import Level
from server.stands.models import Stand
from tests.core import levels
from tests.fixtures import small_level
from thicket.document.settings import StandSettings
from thicket.planted.export import plants_csv
from thicket.planting.stands import STRATA

DEMO = "a8ad6eef62c347539c5395b99dad5bb5"
DRAWN = (
    "8e986594da60322fd91b927287193e6b",
    "fb7628b0ac831ab01cc73f33f68eb7cb",
    "f58522783530b28c8c78d52071ebefbe",
    "23ac7c42d3e42d6d07515fc5c4a02c15",
    "a6dbac7a49599857ba353ff1f918c09b",
    "7532a40324168b3fa93b132613099b56",
    "2c2a4749451cfae81f9147cf36fd2b2a",
    "288e7e83b1ec01ec76a069dc1e1d8083",
)
"""The hash of all plants of each level. When one must change, ENGINE is raised and the changelog says why."""

KINDS = {kind: band for kind, band in levels.KINDS.items() if kind != "mask"}


def condition(rng, others):
    """A site condition drawn by chance, of which stands of some numbers may be asked."""
    kind = rng.choice([*KINDS, "stand"] if others else [*KINDS])
    said = {
        "kind": kind,
        "join": rng.choice(["and", "and", "or", "except"]),
        "radius": rng.choice([6, 20]),
        "centre": rng.randrange(360),
        "layers": ["turf"],
        "depth": kind == "area" and rng.random() < 0.5,
        "noise": {
            "form": rng.choice(["gradient", "ridged", "cellular"]),
            "wavelength": rng.choice([18, 70]),
            "seed": rng.randrange(99),
        },
    }
    if kind == "stand":
        return said | {"lo": 1, "hi": rng.choice([8, 14]), "soft_hi": 5, "stand": rng.choice(others)}
    lo, hi, soft = KINDS[kind]
    return (
        said
        | {"lo": lo, "hi": hi, "soft_lo": soft, "soft_hi": soft}
        | ({"size": 0.6} if rng.random() < 0.3 else {})
    )


def layout(rng, stratum):
    kind = rng.choice(["free", "free", "free", "path", "rows", "anchors"])
    if kind == "anchors" and stratum not in ("Shrub", "Field", "Moss"):
        kind = "free"
    return {
        "kind": kind,
        "every": rng.choice([3, 5]),
        "apart": 6,
        "side": rng.choice(["on", "both"]),
        "offset": 2,
        "stagger": rng.random() < 0.5,
        "jitter": rng.choice([0, 0.8]),
        "face": rng.choice(["along", "free"]),
        "host": 2 if kind == "anchors" else 0,
        "around": rng.choice([0, 5]),
    }


def stand(rng, level, number):
    """A stand drawn by chance."""
    stratum = rng.choice(STRATA)
    others = [
        s.number
        for s in level.stands.all()
        if not s.sward and STRATA.index(s.stratum) < STRATA.index(stratum)
    ]
    mix = [
        {"item": item, "weight": rng.choice([1, 2]), "footprint": rng.choice([0.5, 1])}
        for item in rng.sample(["birch", "slate-block"], rng.choice([1, 2]))
    ]
    if rng.random() < 0.4:
        mix[0]["drive"] = condition(rng, [])
    settings = {
        "mix": mix,
        "spacing": rng.choice([2.4, 3.7, 6]),
        "fullness": rng.choice([0.35, 0.8, 1]),
        "layout": layout(rng, stratum),
        "variation": {
            "size": [0.5, 1.4],
            "lean": rng.choice([0, 8]),
            "follow": rng.choice([0, 1]),
            "sink": 0.1,
            "patch": 30,
        },
        "conditions": [condition(rng, others) for _ in range(rng.randrange(4))],
        "gap": rng.choice([0, 0, 1.2]),
        "under": rng.choice([[], ["Canopy"], ["Canopy", "Understorey"]]),
        "distances": {"steps": [30], "billboard": 60, "gone": 300, "fade": 8, "shadow": 40},
    }
    settings = StandSettings.model_validate(settings).model_dump(mode="json")
    Stand.objects.create(
        level=level,
        number=number,
        slug=f"drawn-{number}",
        name=f"Drawn {number}",
        stratum=stratum,
        place=number,
        seed=rng.randrange(2**31),
        settings=settings,
    )


def shapes(rng):
    """Paths, an area and obstacles drawn by chance."""
    at = lambda: [rng.randrange(20, 236), rng.randrange(20, 236)]
    x, z = at()
    return [
        {
            "kind": "path",
            "form": "line",
            "name": "Track",
            "points": [at(), at(), at()],
            "width": 4,
            "clear": 1,
            "trail": {"reach": 6, "lean": 30, "strata": ["Field", "Shrub"]},
        },
        {
            "kind": "area",
            "form": "polygon",
            "name": "Glade",
            "clear": None,
            "points": [[x - 15, z - 15], [x + 18, z - 12], [x + 12, z + 17], [x - 12, z + 11]],
        },
        {
            "kind": "obstacle",
            "form": "circle",
            "name": "Tank",
            "clear": 2,
            "round": {"x": x, "z": z + 30, "radius": 9},
        },
    ]


def hash_of_plants(level):
    """A hash of all plants of a level, stand by stand and sheet by sheet."""
    total, planted = hashlib.blake2b(digest_size=16), planted_of(level)
    for number in sorted(planted.stands):
        planting = planted.planting(number)
        for sheet in planting.sheets_in(planting.everywhere):
            plants = planting.plants(sheet)
            for column in (plants.id, plants.form, plants.item):
                total.update(column.tobytes())
    return total.hexdigest()


class Drawn(TestCase):
    def draw(self, seed):
        """A level drawn by chance, worked on through the API by its lead; what has no room, or nothing to act
        on, is refused."""
        rng, level = random.Random(seed), small_level(f"drawn-{seed}")
        base = f"/api/levels/{level.slug}"
        self.client.force_login(User.objects.get(username="lead"))

        def post(path, body):
            sent = json.dumps({"key": str(UUID(int=rng.getrandbits(128), version=4)), **body})
            answer = self.client.post(f"{base}{path}", sent, content_type="application/json")
            self.assertIn(answer.status_code, (200, 422), (path, body, answer.content))

        post("/shapes", {"put": shapes(rng)})
        for number in range(4, 8):
            stand(rng, level, number)
        stands = list(Stand.objects.filter(level=level).order_by("number"))
        for _ in range(6):
            x, z = rng.randrange(20, 236), rng.randrange(20, 236)
            post(
                "/strokes",
                {
                    "stand": rng.choice(stands).pk,
                    "verb": rng.choice(["thicken", "thin", "ease"]),
                    "soft": 0.5,
                    "path": [[x, z], [x + 14, z - 9]],
                    "radius": rng.choice([8, 30]),
                    "strength": 0.8,
                },
            )
        free = [s for s in stands if s.settings["layout"]["kind"] == "free" and not s.sward]
        for one in rng.sample(free, 2):
            post(
                "/uproot",
                {
                    "stands": [one.pk],
                    "path": [[rng.randrange(30, 220), rng.randrange(30, 220)]],
                    "radius": 12,
                },
            )
        for _ in range(5):
            post(
                f"/stands/{rng.choice(free).pk}/pins",
                {"add": [{"x": rng.uniform(5, 250), "z": rng.uniform(5, 250)}]},
            )
        return Level.objects.get(pk=level.pk)

    def test_levels_drawn_by_chance(self):
        self.assertEqual(tuple(hash_of_plants(self.draw(seed)) for seed in range(8)), DRAWN)


class Demo(TestCase):
    def test_the_demos_handover(self):
        call_command("build_demo", stdout=io.StringIO())
        level = Level.objects.get(slug=demo_level.SLUG)
        # of the terrain: what is placed on it keeps its plants away, and has its own
        self.assertEqual(level.surfaces.count(), 3)
        level.stands.exclude(settings__on=[]).delete()
        level.surfaces.all().delete()
        level.new_version()
        rows = [line.rsplit(b",", 1) for line in plants_csv(planted_of(level)).splitlines()]
        self.assertEqual({surface for _, surface in rows}, {b"surface", b""})
        table = b"".join(row + b"\n" for row, _ in rows)
        self.assertEqual(hashlib.blake2b(table, digest_size=16).hexdigest(), DEMO)
