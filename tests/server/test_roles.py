"""Every operation of the API × every role, asked with bodies that are right, so that a refusal is the
role's."""

import io
import json
import shutil
import uuid
from contextlib import contextmanager

import numpy as np
from django.contrib.auth.models import User
from django.core.files.uploadedfile import SimpleUploadedFile
from django.db import transaction
from django.test import Client
from django.utils import timezone
from PIL import Image

from server.api import api
from server.document.planted import planted_of
from server.ground import drafts
from server.ground.models import Draft, Mask
from server.handover.models import BuildToken, Handover
from server.jobs.models import Job
from server.journal.models import Entry
from server.levels.models import Level, Membership
from server.pins.models import UprootedPlace
from server.snapshots.models import Snapshot
from server.stands.models import BrushTip, ConditionSet, SavedMix, Stand, StandSet
from server.stock.models import BroughtItem, ShelfItem, ShelfVersion, StockItem
from tests.core.levels import drawn_level
from tests.fixtures import MARKS, PASSWORD, glb
from tests.server.test_api import VIEW
from tests.server.test_devices import captures
from tests.server.test_ground import GroundCase
from thicket.document.drawing import tiers_for
from thicket.document.folder import zip_level
from thicket.planted.arranging import saved_stands

BENCH = {"x": 1, "z": 1, "heading": 0, "bench": "planting"}
WALK = {"points": [[60, 60], [120, 150]], "speed": 5}
AREA = {"kind": "area", "form": "polygon", "name": "Glade", "points": [[20, 20], [60, 20], [40, 60]]}
BALL = {"name": "Ball", "made": {"form": "sphere", "size": [4, 4, 4]}, "at": [60, 380, 60]}
LINE = {
    "type": "FeatureCollection",
    "features": [
        {
            "type": "Feature",
            "properties": {"kind": "path", "name": "Drift", "width": 2},
            "geometry": {"type": "LineString", "coordinates": [[5, 5], [30, 9]]},
        }
    ],
}
SLOPE = {"kind": "slope", "lo": 0, "hi": 30}
KEEP = {"x": 1, "y": 400, "z": 1, "heading": 0, "pitch": 0, "fov": 55}

OPEN = {
    ("get", "/api/session"),
    ("post", "/api/session"),
    ("post", "/api/session/first"),
    ("get", "/api/links/{token}"),
    ("post", "/api/links/{token}/account"),
    ("post", "/api/links/{token}/password"),
}
"""Open to who is not signed in."""


def operations():
    for path, methods in api.get_openapi_schema()["paths"].items():
        for method, said in methods.items():
            yield method, path, said


def png() -> SimpleUploadedFile:
    out = io.BytesIO()
    Image.fromarray((np.mgrid[0:30, 0:30][0] * 8).astype(np.uint8)).save(out, "PNG")
    return SimpleUploadedFile("steps.png", out.getvalue())


class Undone(Exception):
    """Ends a try, so that nothing of it stays."""


class Roles(GroundCase):
    """`self.right` has, for each operation, who may do it (see: all members; plant: artists and leads; lead;
    make: whoever is artist or lead somewhere; own: a signed-in person, of what is theirs) and a right body,
    or a function that makes one."""

    def setUp(self):
        super().setUp()
        users = {u.username: u for u in User.objects.all()}
        users["stranger"] = User.objects.create_user("stranger", password=PASSWORD)
        self.people = {name: self.client_of(name) for name in ("guest", "north", "lead", "stranger")}
        self.other = Level.objects.create(
            slug="elsewhere",
            name="Elsewhere",
            seed=1,
            cell=1,
            rows=9,
            columns=9,
            low=0,
            high=1,
            tiers=tiers_for(MARKS),
        )
        Membership.objects.create(user=users["lead"], level=self.other, role="lead")
        self.people["lead"].post(
            f"{self.base}/surfaces",
            {"key": str(uuid.uuid4()), "put": [{**BALL, "name": "Rock"}]},
            content_type="application/json",
        )
        self.post(
            "/new-stand",
            {
                "key": str(uuid.uuid4()),
                "name": "Clinging",
                "stratum": "Moss",
                "item": "birch",
                "on": ["Rock"],
            },
        )
        self.rock = self.level.surfaces.get().number
        saved = saved_stands(planted_of(Level.objects.get(pk=self.level.pk)).level, self.rock)
        self.stand_set = StandSet.objects.create(
            name="Overgrown", stands=[stand.model_dump(mode="json") for stand in saved], by=users["lead"]
        )
        self.post("/snapshots", {"key": str(uuid.uuid4()), "name": "Before"})
        self.shot = self.level.snapshots.get().pk
        self.mask = self.north.post(
            f"{self.base}/masks", {"key": uuid.uuid4(), "name": "Steps", "file": png()}
        )
        for path in ([[30, 180]], [[60, 200]]):
            self.stroke(self.people["lead"], path=path)
        self.post("/undo", {}, self.people["lead"])
        self.entry = self.stroke().json()["entry"]["id"]
        self.taken_back = self.stroke(path=[[180, 180]]).json()["entry"]["id"]
        self.post("/undo", {})
        self.keep_set = ConditionSet.objects.create(name="Gentle", conditions=[], by=users["lead"])
        self.saved_mix = SavedMix.objects.create(
            name="Birches", mix=[{"item": "birch", "weight": 1}], by=users["lead"]
        )
        self.tip = BrushTip.objects.create(name="own", by=users["north"], data=bytes(64 * 64))
        self.drafts = {
            name: Draft.objects.create(
                user=users[name],
                level=None,
                kind="heights",
                state="ready",
                names=["a"],
                found={"kind": "PNG", "rows": 9, "columns": 9},
            )
            for name in ("north", "lead")
        }
        self.jobs = {
            name: Job.objects.create(
                kind="handover",
                key=f"h {name}",
                level=self.level,
                user=users[name],
                arguments={"name": "All", "recipe": {}, "since": None},
            )
            for name in ("north", "lead", "guest")
        }
        self.handover = Handover.objects.create(
            level=self.level, who="lead", name="All", recipe={}, plants=0, files=0, size=0, digest="0" * 64
        )
        self.tokens = {
            name: BuildToken.objects.create(user=users[name], name="builds", digest=name)
            for name in ("north", "lead", "guest")
        }
        self.openings = {
            name: Job.objects.create(kind="open level", key=f"o {name}", user=users[name])
            for name in ("north", "lead", "guest")
        }
        block = glb("slate-block")
        thing = {"name": "Block", "height": 1, "crown": 1, "trunk": 1, "glb": block, "silhouette": b"x"}
        drawn = thing | {"picture": b"x", "scale": 1}
        ShelfItem.objects.create(slug="birch", group="tree", **drawn | {"name": "Birch"})
        ShelfItem.objects.create(slug="lost", group="rock", gone=True, **drawn | {"name": "Lost"})
        spare = ShelfItem.objects.create(slug="spare", group="rock", **drawn | {"name": "Spare"})
        ShelfVersion.objects.create(item=spare, revision=1, what="made", **drawn)
        StockItem.objects.create(level=self.level, slug="spare", **thing)
        self.batches = {
            name: BroughtItem.objects.create(batch=uuid.uuid4(), user=users[name], paths=[], **drawn)
            for name in ("north", "lead")
        }
        for name, row in self.batches.items():
            Job.objects.create(kind="bring stock", key=f"stock {row.batch}", user=users[name])
        UprootedPlace.objects.create(level=self.level, stand=self.birch, path=[[20, 20]], radius=2)
        Level.objects.get(pk=self.level.pk).new_version()
        self.plant = str(sorted(self.ids()[0])[5])

    def right(self):
        key, birch = str(uuid.uuid4()), self.birch.pk
        stroke = {
            "key": key,
            "stand": birch,
            "verb": "thin",
            "path": [[80, 90]],
            "radius": 24,
            "soft": 0.4,
            "strength": 0.8,
        }
        level, stand = "/api/levels/{slug}", "/api/levels/{slug}/stands/{stand}"
        posts = {
            f"{level}/views": ("plant", {"key": key, "name": "Rim", **KEEP}),
            "/api/jobs/{job}/stop": ("own", {}),
            f"{level}/summary": ("plant", {}),
            "/api/files/check": ("make", {"path": "/api/tips", "size": 1}),
            f"{level}/resolution": ("lead", {"key": key, "cell": 2}),
            f"{level}/shapes": ("plant", {"key": key, "put": [AREA]}),
            f"{level}/surfaces": ("plant", {"key": key, "put": [BALL]}),
            f"{level}/shapes.geojson": ("plant", LINE),
            f"{level}/masks": ("plant", lambda: {"key": key, "name": "Map", "file": png()}),
            f"{level}/made-masks": (
                "plant",
                {"key": key, "name": "Brook", "source": {"made_from": "rivers", "catchment": 0.1}},
            ),
            f"{level}/group-stands": ("plant", {"key": key, "stands": [birch], "group": "Woodland"}),
            f"{level}/switch-stands": ("plant", {"key": key, "stands": [birch], "off": True}),
            f"{level}/mask-look": ("see", {"name": "Steps"}),
            f"{level}/masks/{{name}}/rename": ("plant", {"key": key, "to": "Stairs"}),
            f"{level}/colour-masks": (
                "plant",
                lambda: {"key": key, "name": "Grey", "colours": "#080808", "file": png()},
            ),
            f"{level}/colour-masks/look": ("plant", lambda: {"colours": "#080808", "file": png()}),
            f"{level}/devices/calibrate": ("lead", lambda: {"name": "Pocket", "file": captures()}),
            f"{level}/survey": ("plant", {"step": 64}),
            f"{level}/rebalance": ("plant", {"marks": MARKS, "may": {birch: ["distances"]}}),
            f"{stand}/aim": ("see", {"count": 50}),
            f"{stand}/sample": ("see", {"settings": {}}),
            f"{stand}/clear": ("plant", {"key": key}),
            f"{stand}/painting": ("plant", lambda: {"key": key, "file": png()}),
            f"{level}/clear": ("plant", {"key": key}),
            f"{level}/strokes": ("plant", stroke),
            f"{level}/ground/strokes": (
                "plant",
                {k: v for k, v in stroke.items() if k != "stand"} | {"verb": "raise"},
            ),
            f"{level}/layers/add": ("lead", {"key": key, "name": "mud"}),
            f"{level}/layers/rename": ("lead", {"key": key, "name": "turf", "to": "grass"}),
            f"{level}/layers/remove": ("lead", {"key": key, "name": "turf"}),
            f"{level}/strokes/try": ("plant", stroke),
            f"{level}/strokes/spent": ("plant", stroke | {"view": VIEW}),
            f"{level}/new-stand": (
                "plant",
                {"key": key, "name": "More", "stratum": "Shrub", "item": "birch"},
            ),
            f"{stand}/duplicate": ("plant", {"key": key}),
            f"{stand}/move": ("plant", {"key": key, "stratum": "Shrub"}),
            f"{stand}/change": ("plant", {"key": key, "name": "Silver"}),
            f"{stand}/remove": ("plant", {"key": key}),
            f"{level}/exchange": ("plant", {"key": key, "item": "birch", "by": "slate-block"}),
            f"{stand}/pins": ("plant", {"key": key, "remove": [self.plant]}),
            f"{stand}/pins/try": ("plant", {"key": key, "add": {"x": 100, "z": 100}}),
            f"{level}/uproot": ("plant", {"key": key, "stands": [birch], "path": [[120, 120]], "radius": 40}),
            f"{stand}/scatter": (
                "plant",
                {"key": key, "outline": [[90, 90], [140, 90], [140, 140]], "count": 2},
            ),
            f"{stand}/regrow": ("plant", {"key": key}),
            f"{level}/select": ("see", {}),
            f"{level}/plants": ("see", {"view": VIEW}),
            f"{level}/hand": ("plant", {"key": key, "plants": {birch: [self.plant]}, "do": "remove"}),
            f"{level}/snapshots": ("plant", {"key": key, "name": "Now"}),
            f"{level}/snapshots/compare": ("see", {"before": self.shot}),
            f"{level}/snapshots/difference": ("see", {"before": self.shot}),
            f"{level}/snapshots/{{snapshot}}/go-back": ("plant", {"key": key}),
            f"{level}/conditions/look": ("see", SLOPE),
            f"{level}/conditions/noise": ("see", {"noise": {}, "side": 100}),
            f"{stand}/why": ("see", {"x": 90, "z": 90}),
            f"{level}/cost": ("see", VIEW),
            f"{level}/beat": ("see", BENCH),
            f"{level}/undo": ("plant", {}),
            f"{level}/redo": ("plant", {}),
            f"{level}/journal/{{entry}}/undo": ("plant", {}),
            f"{level}/journal/{{entry}}/redo": ("plant", {}),
            f"{level}/handovers": ("see", {"name": "All", "recipe": {}}),
            f"{level}/handover-jobs/{{job}}/stop": ("own", {}),
            "/api/session/tokens": ("anybody", {"name": key}),
            f"{level}/bake": ("plant", {}),
            f"{level}/bake/stop": ("plant", {}),
            "/api/drafts": ("make", lambda: {"kind": "heights", "files": png(), "options": "{}"}),
            "/api/drafts/{draft}/stop": ("own", {}),
            "/api/drafts/{draft}/keep": ("own", {"key": key, "name": "Fell"}),
            "/api/drafts/made": ("make", {"form": "flat", "width": 64, "length": 64}),
            "/api/shelf/bring": ("make", lambda: {"files": png()}),
            f"{level}/stock/take": ("plant", {"key": key, "items": ["birch"]}),
            f"{level}/stock/leave": ("plant", {"key": key, "item": "spare"}),
            f"{level}/copy": ("lead-or-artist", {"name": "Another"}),
            f"{level}/remove": ("lead", {}),
            "/api/removed-levels/{slug}/bring-back": ("lead", {}),
            f"{level}/stock/hold": ("lead", {"key": key, "item": "spare", "held": True}),
            f"{level}/seen": ("see", VIEW),
            f"{level}/fog": ("see", VIEW),
            f"{level}/layers/texture": ("plant", lambda: {"key": key, "name": "turf", "file": png()}),
            "/api/shelf/bring/{batch}/{thing}/mend": ("own", {"mend": "both sides"}),
            "/api/shelf/new/stand-in": (
                "make",
                {
                    "name": "Cone",
                    "group": "tree",
                    "shape": "cone",
                    "height": 3,
                    "width": 1,
                    "colour": "#112233",
                },
            ),
            "/api/shelf/{item}/mend": ("make", {"revision": 1, "mend": "both sides"}),
            "/api/shelf/{item}/mended": ("make", {"revision": 1, "mend": "both sides"}),
            "/api/shelf/{item}/version": ("make", {"revision": 1, "use": 1}),
            "/api/shelf/{item}/put-back": ("make", {}),
            "/api/shelf/{item}/replace": ("own", {"revision": 1}),
            "/api/shelf/bring/{batch}/keep": (
                "own",
                {"things": [{"id": 0, "name": "Kept", "group": "tree"}]},
            ),
            "/api/tips": ("make", lambda: {"file": png()}),
            "/api/saved-levels": ("make", lambda: {"file": self.saved(), "name": key}),
            "/api/stand-sets": ("plant", {"name": "All", "level": self.level.slug, "surface": self.rock}),
            f"{level}/surfaces/{{number}}/plant-set": ("plant", {"key": key, "set": self.stand_set.pk}),
            "/api/kept-mixes": (
                "plant",
                {"name": "Two", "level": self.level.slug, "mix": [{"item": "birch", "weight": 1}]},
            ),
            "/api/condition-sets": (
                "plant",
                {"name": "Steep", "level": self.level.slug, "conditions": [SLOPE]},
            ),
        }
        others = {
            ("put", f"{level}/marks"): ("lead", {"key": key, "tier": "Console", "marks": MARKS}),
            ("put", f"{level}/tiers"): ("lead", {"key": key, "tiers": tiers_for(MARKS)}),
            ("put", f"{level}/plots"): ("lead", {"key": key, "plots": {"outside": "refused"}}),
            ("put", f"{level}/walks"): ("plant", {"key": key, "walks": {"There": WALK}}),
            ("post", f"{level}/walks/check"): ("plant", {"walk": WALK}),
            ("post", f"{level}/instances"): ("see", {"view": VIEW, "x": 60, "z": 60}),
            ("delete", f"{level}/walks/check"): ("plant", {}),
            ("delete", f"{level}/survey"): ("plant", {}),
            ("delete", f"{level}/rebalance"): ("plant", {}),
            ("put", f"{level}/drawing"): ("plant", {"key": key, "drawing": {"sward_share": 0.5}}),
            ("put", f"{level}/wind"): ("plant", {"key": key, "wind": {}}),
            ("post", f"{level}/crowd"): ("see", {"view": VIEW, "reach": 200}),
            ("put", f"{level}/atmosphere"): ("plant", {"key": key, "atmosphere": {}}),
            ("put", f"{level}/name"): ("lead", {"key": key, "name": "Moor End"}),
            ("get", "/api/removed-levels"): ("anybody", None),
            ("put", f"{level}/layers/look"): ("plant", {"key": key, "name": "turf", "colour": "#112233"}),
            ("get", f"{stand}/painting.png"): ("see", None),
            ("get", f"{stand}/cover/{{scale}}/{{column}}/{{row}}"): ("see", None),
            ("get", "/api/shelf/{item}"): ("anybody", None),
            ("delete", "/api/shelf/{item}"): ("make", {}),
            ("put", "/api/shelf/{item}"): (
                "make",
                {"revision": 1, "name": "Spare", "group": "rock", "traits": {"stiffness": 1}},
            ),
            ("get", "/api/shelf/{item}/against/{batch}/{thing}"): ("own", None),
            ("get", "/api/shelf/bring/{batch}/{thing}.glb"): ("own", None),
            ("delete", f"{level}/views/{{name}}"): ("plant", {"key": key}),
            ("put", "/api/drafts/{draft}"): ("own", {}),
            ("delete", "/api/drafts/{draft}"): ("own", {}),
            ("delete", f"{level}/masks/{{name}}"): ("plant", {"key": key}),
            ("patch", f"{level}/stands"): (
                "plant",
                {"key": key, "stands": {birch: {"settings": {"fullness": 0.3}}}},
            ),
            ("patch", stand): ("plant", {"key": key, "settings": {"fullness": 0.3}}),
            ("delete", "/api/tips/{tip}"): ("own", {}),
            ("delete", f"{level}/snapshots/{{snapshot}}"): ("plant", {"key": key}),
            ("delete", "/api/condition-sets/{pk}"): ("lead", {}),
            ("delete", "/api/stand-sets/{pk}"): ("lead", {}),
            ("delete", "/api/kept-mixes/{pk}"): ("lead", {}),
            ("get", "/api/kept-mixes"): ("anybody", None),
            ("get", "/api/stand-sets"): ("anybody", None),
            ("put", "/api/session/keys"): ("anybody", {"keys": {}}),
            ("put", "/api/session/mark"): ("anybody", {"mark": "star"}),
            ("put", "/api/session/name"): ("anybody", {"name": "Another"}),
            ("get", "/api/sessions"): ("anybody", None),
            ("delete", "/api/sessions"): ("anybody", {}),
            ("get", "/api/installation"): ("nobody", None),
            ("put", "/api/installation"): (
                "nobody",
                {"name": "", "address": "", "sign_up": "invited", "makers": "leads"},
            ),
            ("put", f"{level}/members/{{name}}"): ("lead", {"role": "viewer"}),
            ("delete", f"{level}/members/{{name}}"): ("lead-or-guest", {}),
            ("post", f"{level}/members/{{name}}/password"): ("lead", {}),
            ("post", f"{level}/invitations"): ("lead", {"role": "artist"}),
            ("delete", f"{level}/invitations/{{pk}}"): ("lead", {}),
            ("put", "/api/session/password"): ("anybody", {"old": PASSWORD, "new": PASSWORD}),
            ("delete", "/api/session"): ("anybody", {}),
            ("get", "/api/audit"): ("lead", None),
            ("get", "/api/tips"): ("anybody", None),
            ("get", "/api/levels"): ("anybody", None),
            ("get", "/api/jobs"): ("anybody", None),
            ("get", "/api/condition-sets"): ("anybody", None),
            ("get", "/api/drafts/{draft}"): ("own", None),
            ("get", f"{level}/handover-jobs/{{job}}"): ("own", None),
            ("patch", f"{level}/recipes"): ("plant", {"key": key, "put": {"All": {"formats": ["csv"]}}}),
            ("delete", f"{level}/handovers/{{handover}}"): ("plant", {}),
            ("get", "/api/session/tokens"): ("anybody", None),
            ("delete", "/api/session/tokens/{token}"): ("own", {}),
            ("get", "/api/drafts/{draft}/preview.png"): ("own", None),
            ("get", "/api/saved-levels/{job}"): ("own", None),
            ("post", "/api/saved-levels/{job}/stop"): ("own", {}),
            ("get", "/api/shelf"): ("anybody", None),
            ("get", "/api/shelf/{item}/{revision}.png"): ("anybody", None),
            ("get", "/api/shelf/{item}/{revision}.glb"): ("anybody", None),
            ("get", "/api/shelf/bring/{batch}"): ("own", None),
            ("get", "/api/shelf/bring/{batch}/{thing}.png"): ("own", None),
            ("put", "/api/shelf/bring/{batch}"): ("own", {}),
            ("delete", "/api/shelf/bring/{batch}"): ("own", {}),
        }
        return {("post", path): said for path, said in posts.items()} | others

    def saved(self) -> SimpleUploadedFile:
        return SimpleUploadedFile("level.zip", zip_level(drawn_level(0)))

    def path(self, path: str, name: str) -> str:
        """A path with what is there in place of its parameters."""
        entry = self.taken_back if path.endswith("redo") else self.entry
        known = {
            "tx": 0,
            "tz": 0,
            "revision": 1,
            "kind": "heights",
            "column": 0,
            "row": 0,
            "scale": 0,
            "key": "k",
            "item": "birch",
            "layer": "turf",
            "slug": self.level.slug,
            "stand": self.birch.pk,
            "entry": entry,
            "snapshot": self.shot,
            "pk": self.stand_set.pk
            if "stand-sets" in path
            else self.saved_mix.pk
            if "kept-mixes" in path
            else self.keep_set.pk,
            "number": self.rock,
            "tip": self.tip.pk,
            "handover": self.handover.pk,
            "token": self.tokens.get(name, self.tokens["lead"]).pk,
            "batch": self.batches.get(name, self.batches["lead"]).batch,
            "thing": self.batches.get(name, self.batches["lead"]).pk,
            "draft": self.drafts.get(name, self.drafts["lead"]).pk,
            "job": self.jobs.get(name, self.jobs["lead"]).pk,
        }
        if "saved-levels" in path:
            known["job"] = self.openings.get(name, self.openings["lead"]).pk
        known["name"] = "Steps" if "masks" in path else "guest" if "members" in path else "Rim"
        if path.startswith("/api/shelf/{item}"):
            known["item"] = "lost" if path.endswith("put-back") else "spare"
        for parameter, value in known.items():
            path = path.replace(f"{{{parameter}}}", str(value))
        return path

    @contextmanager
    def undone(self):
        try:
            with transaction.atomic():
                yield
                raise Undone
        except Undone:
            pass

    def ask(self, client: Client, method: str, path: str, body):
        if path.endswith("/keep") and "shelf" in path:
            thing = next(row.pk for row in self.batches.values() if str(row.batch) in path)
            body = {"things": [body["things"][0] | {"id": thing}]}
        if path.endswith("/replace"):
            mine = next(
                row for name, row in self.batches.items() if self.people[name] is client or name == "lead"
            )
            body = body | {"batch": str(mine.batch), "thing": mine.pk}
        if callable(body):
            return getattr(client, method)(path, body())
        if method == "get":
            return client.get(path)
        if path.endswith("shapes.geojson") or method == "delete":
            path += f"?key={uuid.uuid4()}"
        return getattr(client, method)(path, json.dumps(body), content_type="application/json")

    def answer(self, name: str, method: str, template: str, body, path: str = "") -> int:
        self.lay_files()
        with self.undone():
            if template.endswith("/bring-back"):
                Level.objects.filter(pk=self.level.pk).update(removed_at=timezone.now())
            if template.endswith("/views/{name}"):
                Level.objects.filter(pk=self.level.pk).update(bookmarks=[{"name": "Rim", **KEEP}])
            own = template in ("/api/session", "/api/session/password")
            client = self.client_of(name) if own else self.people[name]
            told = self.ask(client, method, path or self.path(template, name), body)
        self.answered = told.content if not told.streaming else b""
        return told.status_code

    def lay_files(self):
        """What drafts and jobs have made beforehand."""
        for path in [drafts.folder_of(d) / "preview.png" for d in self.drafts.values()]:
            path.parent.mkdir(parents=True, exist_ok=True)
            path.write_bytes(b"made before")
            self.addCleanup(shutil.rmtree, path.parent, ignore_errors=True)

    def test_every_operation_is_open_to_the_roles_that_may_and_to_no_others(self):
        self.assertEqual(self.mask.status_code, 200)
        right, opened = (
            self.right(),
            OPEN
            | {
                ("post", "/api/links/{token}/join"),
                ("delete", "/api/sessions/{id}"),
                ("post", "/api/levels/{slug}/plots/{how}"),
            },
        )
        may = {
            "see": {"guest", "north", "lead"},
            "plant": {"north", "lead"},
            "lead": {"lead"},
            "make": {"north", "lead"},
            "lead-or-artist": {"north", "lead"},
            "lead-or-guest": {"guest", "lead"},
            "anybody": {"guest", "north", "lead", "stranger"},
            "nobody": set(),
        }
        for method, template, *_ in operations():
            if (method, template) in opened:
                continue
            if method == "get" and "{slug}" in template and (method, template) not in right:
                self.assertIn(self.answer("stranger", method, template, None), (404, 422), template)
                continue
            self.assertIn((method, template), right, "an operation whose roles are not said")
            needed, body = right[method, template]
            unsigned = getattr(Client(), method)(self.path(template, "lead"))
            self.assertEqual(unsigned.status_code, 401, (method, template))
            for name in self.people:
                allowed = (
                    may[needed]
                    if needed in may
                    else {"north", "lead"}
                    if "tips" in template
                    else set(self.drafts if "drafts" in template or "shelf" in template else self.jobs)
                )
                status = self.answer(name, method, template, body)
                said = (name, method, template, status, self.answered[:300])
                if name in allowed:
                    self.assertLess(status, 300, said)
                elif (
                    name == "stranger"
                    and "{slug}" in template
                    or template in ("/api/condition-sets", "/api/stand-sets", "/api/kept-mixes")
                    and name == "stranger"
                ):
                    self.assertEqual(status, 404, said)
                else:
                    self.assertIn(status, (403, 404), said)

    def test_ids_of_one_level_mean_nothing_under_anothers_path(self):
        right, tried = self.right(), 0
        for (method, template), (_, body) in right.items():
            if template.count("{") < 2 or "{name}" in template or "{slug}" not in template:
                continue
            path = self.path(template, "lead").replace(f"/{self.level.slug}/", "/elsewhere/")
            status = self.answer("lead", method, template, body, path)
            if (
                method == "delete" and status == 200
            ):  # told what is left there, which is nothing of this level
                self.assertTrue(Snapshot.objects.filter(pk=self.shot).exists())
                continue
            self.assertIn(status, (404, 409, 422), (method, path, self.answered[:200]))
            tried += 1
        self.assertGreater(tried, 12)
        self.assertEqual(
            (Stand.objects.filter(level=self.other).count(), Entry.objects.filter(level=self.other).count()),
            (0, 0),
        )

    def test_leading_a_copy_gives_no_right_over_what_others_made_for_all(self):
        lead = User.objects.get(username="lead")
        copied = self.post("/copy", {"name": "Mine"}, self.people["north"])
        self.assertEqual(copied.status_code, 200, copied.content)
        ShelfItem.objects.filter(slug="spare").update(owner=lead)
        own = ShelfItem.objects.create(
            slug="own", name="Own", group="rock", owner=User.objects.get(username="north"),
            height=1, crown=1, trunk=1, glb=glb("slate-block"), silhouette=b"x",
        )  # fmt: skip
        tip = BrushTip.objects.create(name="lead's", by=lead, data=bytes(64 * 64))
        edit = {"revision": 1, "name": "Spare", "group": "rock", "traits": {}}
        tries = [
            ("delete", f"/api/condition-sets/{self.keep_set.pk}", {}),
            ("delete", f"/api/stand-sets/{self.stand_set.pk}", {}),
            ("delete", f"/api/kept-mixes/{self.saved_mix.pk}", {}),
            (
                "post",
                "/api/condition-sets",
                {"name": "Gentle", "level": copied.json()["slug"], "conditions": []},
            ),
            ("delete", f"/api/tips/{tip.pk}", {}),
            ("put", "/api/shelf/spare", edit),
            ("post", "/api/shelf/spare/mend", {"revision": 1, "mend": "both sides"}),
            ("post", "/api/shelf/spare/version", {"revision": 1, "use": 1}),
            ("delete", "/api/shelf/spare", {}),
        ]
        ask = lambda who, method, path, body: getattr(self.people[who], method)(
            path, json.dumps(body), content_type="application/json"
        )
        for given in tries:
            refused = ask("north", *given)
            self.assertEqual(refused.status_code, 403, given)
            self.assertIn("lead's", refused.json()["detail"])
        self.assertFalse(self.people["north"].get("/api/shelf/spare").json()["may_change"])
        self.assertTrue(
            self.people["lead"].get("/api/shelf/own").json()["may_change"], "north works under them"
        )
        self.assertEqual(
            ask("lead", "put", f"/api/shelf/{own.slug}", edit | {"name": "Own"}).status_code, 200
        )
        self.assertEqual(
            ask("north", "delete", f"/api/shelf/{own.slug}", {}).status_code, 204, "it stays theirs"
        )

    def test_a_saved_set_is_written_by_its_owner_or_a_lead_only(self):
        body = {"name": "Gentle", "level": self.level.slug, "conditions": [SLOPE]}
        ask = lambda who: self.people[who].post(
            "/api/condition-sets", json.dumps(body), content_type="application/json"
        )
        self.assertEqual(ask("north").status_code, 403)
        self.assertEqual(ConditionSet.objects.get().conditions, [])
        self.assertEqual(ask("lead").status_code, 200)
        body["name"] = "Northern"
        self.assertEqual(
            (ask("north").status_code, ask("north").status_code, ask("lead").status_code), (200, 200, 200)
        )
        self.assertEqual(ConditionSet.objects.get(name="Northern").by.username, "north")
        self.assertTrue(Mask.objects.exists())
