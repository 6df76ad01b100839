"""What is brought in: files that name other files, levels past the limits, and bodies of strangers."""

import csv
import io
import json
import os
import shutil
import socket
import tempfile
import threading
import time
import zipfile
from contextlib import suppress
from pathlib import Path
from unittest import mock

import numpy as np
from django.contrib.auth.models import User
from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import Client, SimpleTestCase, TransactionTestCase
from hypothesis import HealthCheck, given
from hypothesis import settings as limits
from hypothesis import strategies as st
from PIL import Image

from server import bodies
from server.catalogue import opening
from server.catalogue.whole import document_of, make_level
from server.levels.models import Level
from tests.fixtures import small_level
from tests.server.test_api import VIEW, ApiCase
from tests.server.test_ground import png
from tests.worker import work_off
from thicket.document.folder import zip_level
from thicket.planted.checking import open_checked
from thicket.refused import Refused

SECRET = "the server's own words"
FILES = "heights.tif", "layers/turf.png", "touch/birch.png", "stock/birch.png", "stock/birch.glb"
PLACE = {"name": "Rim", "x": 9, "y": 400, "z": 9, "heading": 0, "pitch": -6, "fov": 55}
GLADE = {"number": 2, "kind": "area", "name": "Glade", "points": [[80, 80], [99, 80], [90, 99]], "width": 4}
GLADE |= {"clear": None, "details": {"hatch": "dots"}}
LANE = {"number": 1, "kind": "path", "name": "Lane", "points": [[9, 9], [60, 9]], "width": 3, "clear": 0.5}


class Listener:
    """An address on loopback that notes whether anybody asks it for something."""

    def __init__(self) -> None:
        self.socket, self.asked = socket.create_server(("127.0.0.1", 0)), False
        threading.Thread(target=self._wait, daemon=True).start()

    def _wait(self) -> None:
        try:
            self.socket.accept()[0].close()
            self.asked = True
        except OSError:
            return

    @property
    def url(self) -> str:
        return f"http://127.0.0.1:{self.socket.getsockname()[1]}/x.tif"


def raw(path: str) -> bytes:
    """A raster of 4 × 4 that names another file for its pixels."""
    return f"""<VRTDataset rasterXSize="4" rasterYSize="4">
        <VRTRasterBand dataType="Byte" band="1" subClass="VRTRawRasterBand">
        <SourceFilename relativeToVRT="0">{path}</SourceFilename><ImageOffset>0</ImageOffset>
        <PixelOffset>1</PixelOffset><LineOffset>4</LineOffset></VRTRasterBand></VRTDataset>""".encode()


def simple(path: str) -> bytes:
    """A raster of 60 × 60 that takes its pixels from another raster."""
    size = 'xOff="0" yOff="0" xSize="60" ySize="60"'
    return f"""<VRTDataset rasterXSize="60" rasterYSize="60"><VRTRasterBand dataType="Float32" band="1">
        <SimpleSource><SourceFilename>{path}</SourceFilename><SourceBand>1</SourceBand>
        <SrcRect {size}/><DstRect {size}/></SimpleSource></VRTRasterBand></VRTDataset>""".encode()


def packed(parts: dict[str, bytes]) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as file:
        for name, data in parts.items():
            file.writestr(name, data)
    return out.getvalue()


class Door(TransactionTestCase):
    def setUp(self):
        self._fixture_teardown()
        self.level = small_level()
        self.lead = ApiCase.client_of(self, "lead")
        self.base = f"/api/levels/{self.level.slug}"
        self.good = {}
        with zipfile.ZipFile(io.BytesIO(zip_level(document_of(self.level)))) as file:
            self.good = {name: file.read(name) for name in file.namelist()}
        said = json.loads(self.good["level.json"])
        said["view"] |= {"bookmarks": [PLACE], "walks": {"Along": {"points": [[9, 9], [90, 40]]}}}
        said["uprooted"] = [{"stand": said["stands"][0]["number"], "path": [[30, 30]], "radius": 3}]
        self.good = self.with_file(**said | {"shapes": [LANE, GLADE]})

    def opened(self, parts: dict[str, bytes], name="Brought") -> dict:
        """What comes of opening a zip of these files."""
        file = SimpleUploadedFile("level.zip", packed(parts))
        told = self.lead.post("/api/saved-levels", {"file": file, "name": name}).json()
        work_off()
        return self.lead.get(f"/api/saved-levels/{told['id']}").json()

    def refusal(self, parts: dict[str, bytes]) -> str:
        """Why a zip of these files is not opened, read in this very process; empty when it is."""
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "level.zip"
            path.write_bytes(packed(parts))
            (Path(folder) / "in").mkdir()
            try:
                self.found = open_checked(path, "level.zip", Path(folder) / "in")
            except Refused as error:
                return str(error)
        return ""

    def with_file(self, **changes) -> dict[str, bytes]:
        """The saved level with parts of its level.json changed."""
        return self.good | {"level.json": json.dumps(json.loads(self.good["level.json"]) | changes).encode()}

    def test_a_file_that_names_another_file_is_refused_in_every_way_in(self):
        with tempfile.NamedTemporaryFile("w", suffix=".bin") as other:
            other.write(SECRET * 200)
            other.flush()
            listener = Listener()
            self.addCleanup(listener.socket.close)
            evil = [raw(other.name), raw("/etc/passwd"), simple(f"/vsicurl/{listener.url}")]
            evil += [simple("/vsizip//etc/passwd"), f"/vsicurl/{listener.url}".encode()]
            for data in evil:
                for name in FILES:
                    self.assertIn(name, self.refusal(self.good | {name: data}))
            for data in (evil[0], evil[2]):
                file = lambda name, data=data: SimpleUploadedFile(name, data)
                tries = [
                    ("/api/drafts", {"kind": "heights", "files": [file("a.tif")]}),
                    ("/api/drafts", {"kind": "layers", "level": self.level.slug, "files": [file("a.tif")]}),
                    (f"{self.base}/masks", {"name": "M", "file": file("a.png")}),
                    (f"{self.base}/colour-masks", {"name": "M", "colours": "#112233", "file": file("a.png")}),
                    (f"{self.base}/layers/texture", {"name": "turf", "file": file("a.png")}),
                    ("/api/tips", {"file": file("a.png")}),
                    (f"{self.base}/devices/calibrate", {"name": "D", "file": file("a.csv")}),
                    ("/api/shelf/bring", {"files": [file("a.glb")]}),
                ]
                for path, body in tries:
                    key = {"key": "6f9619ff-8b86-4011-b42d-00c04fc964ff"}
                    answer = self.lead.post(path, body | (key if "levels" in path else {}))
                    if answer.status_code == 200:
                        work_off()
                        answer = self.lead.get(f"{path}/{answer.json().get('id') or answer.json()['batch']}")
                        self.assertIn(b"a.", answer.content)
                        self.assertRegex(answer.content, rb'"(failed|trouble|refused)": "?[^"n]')
                    else:
                        self.assertEqual(answer.status_code, 422, (path, answer.content[:200]))
                    self.assertNotIn(SECRET.encode(), answer.content)
                    self.assertNotIn(b"root:", answer.content)
                geojson = self.lead.post(
                    f"{self.base}/shapes.geojson?key=6f9619ff-8b86-4011-b42d-00c04fc964fe",
                    data,
                    content_type="application/geo+json",
                )
                self.assertEqual(geojson.status_code, 422)
            beside = {"heights.tif.msk": raw(other.name), "heights.tif.ovr": raw(other.name)}
            beside |= {"heights.tif.aux.xml": raw(other.name), "heights.vrt": raw(other.name)}
            told = self.opened(self.good | beside)
            self.assertEqual(told["state"], "done", told)
            again = document_of(Level.objects.get(slug=told["slug"])).heights.key
            self.assertEqual(
                again, document_of(self.level).heights.key, "what lies beside it is not looked at"
            )
            self.assertFalse(listener.asked)

    def test_what_was_unpacked_goes_whatever_ends_the_reading(self):
        def left():
            return [p.name for p in opening._folder().glob("*")]

        for name in left():
            Path(opening._folder(), name).unlink(missing_ok=True)
        self.opened(self.good | {"more.bin": bytes(5 << 20)})
        self.assertEqual(left(), [])
        with mock.patch.object(opening, "bounded", side_effect=Refused("file: no")):
            self.assertEqual(self.opened(self.good, "Again")["state"], "failed")
        self.assertEqual(left(), [])
        unpacked = opening._folder() / f"{opening.UNPACKED}x"
        (unpacked / "deep").mkdir(parents=True)
        opening.clear_out()
        self.assertTrue(unpacked.exists(), "it may still be read")
        long_ago = time.time() - 3600
        os.utime(unpacked, (long_ago, long_ago))
        opening.clear_out()
        self.assertEqual(left(), [], "a worker that was killed")

    def test_a_level_past_a_limit_is_refused_by_a_sentence_that_names_the_file_and_the_field(self):
        said = json.loads(self.good["level.json"])
        view, stand, shape, item = said["view"], said["stands"][0], LANE, said["stock"][0]
        place = view["bookmarks"][0]
        pins = list(csv.reader(io.StringIO(self.good["pins.csv"].decode())))
        pin = ["birch", "7", "birch", "9", "9", "0", "0", "0", "0", "1", "1", "1", "0.5", "0", "", "", "0"]
        changed = lambda at, **more: [at | more]
        layout = {"kind": "anchors", "host": stand["number"]}
        asks = {"kind": "stand", "stand": stand["number"], "lo": 0, "hi": 5}
        set_to = lambda **more: {"stands": changed(stand, settings=stand["settings"] | more)}
        bad = [
            ({"touch_cell": 0.001}, "touch_cell"),
            ({"cell": 1e-9}, "cell"),
            ({"cell": 65}, "cell"),
            ({"name": "x" * 200}, "name"),
            ({"seed": -1}, "seed"),
            ({"layers": ["turf", "turf"]}, "turf"),
            ({"layers": [f"l{k}" for k in range(9)]}, "layers"),
            ({"masks": ["~kept~a"]}, "masks"),
            ({"stands": changed(stand, number=70_000)}, "stands.0.number"),
            (set_to(spacing=0.0001), "spacing"),
            (set_to(mix=[{"item": "no", "weight": 1}]), "not in stock"),
            (set_to(layout=layout), "does not stand above"),
            (set_to(conditions=[asks]), "does not stand above"),
            ({"stands": [stand | {"number": k + 1, "slug": f"s{k}"} for k in range(61)]}, "stands"),
            ({"shapes": changed(shape, points=[])}, "points"),
            ({"shapes": changed(shape, points=[[0, 0], [9, 9], [9, 0], [0, 9]], kind="area")}, "crosses"),
            ({"shapes": [shape | {"number": k + 1} for k in range(2001)]}, "shapes"),
            ({"stock": changed(item, height=0)}, "stock.0.height"),
            ({"stock": changed(item, points=[{"at": [0, 0, 0], "up": [0, 1, 0]}])}, "points.0.name"),
            ({"uprooted": [{"stand": stand["number"], "path": [], "radius": 2}]}, "path"),
            ({"uprooted": [{"stand": stand["number"], "path": [[1, 1]], "radius": 0}]}, "radius"),
            ({"uprooted": [{"stand": 99, "path": [[1, 1]], "radius": 2}]}, "uprooted"),
            ({"view": view | {"bookmarks": [place | {"name": str(k)} for k in range(41)]}}, "view.bookmarks"),
            ({"view": view | {"bookmarks": changed(place, x="NaN")}}, "view.bookmarks.0.x"),
            ({"view": view | {"walks": {"w": {"points": [[0, 0]]}}}}, "walks"),
            ({"view": view | {"wind": {"speed": 1e9}}}, "wind.speed"),
            ({"view": view | {"layers": [{"name": "turf", "texture": "../../x"}]}}, "texture"),
        ]  # fmt: skip
        tries = [(self.with_file(**change), "level.json", word) for change, word in bad]
        nan = self.good["level.json"].replace(b'"cell": 1.0', b'"cell": NaN')
        tries.append((self.good | {"level.json": nan}, "level.json", "cell"))
        rows = lambda *more: "\n".join(",".join(row) for row in [pins[0], *more]).encode()
        put = lambda column, value: [value if name == column else old for name, old in zip(pins[0], pin)]
        for column, value in (
            ("item", "no"),
            ("x", "inf"),
            ("width", "0"),
            ("lift", "9e9"),
            ("plant", "-1"),
            ("qw", "nan"),
            ("surface", "-1"),
        ):
            tries.append((self.good | {"pins.csv": rows(put(column, value))}, "pins.csv", "line 2"))
        tries.append((self.good | {"pins.csv": rows(pin, pin)}, "pins.csv", "twice"))
        tries.append((self.good | {"pins.csv": rows(*([pin] * 20_001))}, "pins.csv", "20,000"))
        tries.append((self.good | {"touch/birch.npy": b"none"}, "touch/birch.npy", "damaged"))
        small = png(np.zeros((4, 4), np.uint8))
        tries.append((self.good | {"layers/turf.png": small}, "layers/turf.png", "the level has"))
        wide = self.good | self.with_file(masks=["m"]) | {"masks/m.png": png(np.zeros((2, 5000), np.uint8))}
        tries.append((wide, "masks/m.png", "4,097"))
        tall = io.BytesIO()
        Image.fromarray(np.zeros((4, 4), np.float32)).save(tall, "TIFF")
        tries.append((self.good | {"heights.tif": tall.getvalue()}, "heights.tif", "9 × 9"))
        for parts, file, word in tries:
            why = self.refusal(parts)
            self.assertIn(file, why, word)
            self.assertIn(word, why, file)
        told = self.opened(tries[0][0])
        self.assertEqual((told["state"], told["trouble"]), ("failed", f"{self.refusal(tries[0][0])}."))
        self.assertFalse(Level.objects.filter(name="Brought").exists())
        self.assertEqual(self.opened(self.good)["state"], "done")

    def test_a_level_with_one_thing_changed_works_or_is_refused_by_a_sentence(self):
        said = json.loads(self.good["level.json"])

        @limits(
            max_examples=int(os.environ.get("KT_FUZZ", 60)),
            deadline=None,
            suppress_health_check=list(HealthCheck),
            derandomize=True,
        )
        @given(st.data())
        def one(data):
            why = self.refusal(self.good | {"level.json": json.dumps(changed(data, said)).encode()})
            if why:
                self.assertRegex(why, r"^(level\.json|layers/|masks/|touch/|stock/|textures/|heights)")
                return
            made = make_level(User.objects.get(username="lead"), self.found, "Changed")
            base = f"/api/levels/{made.slug}"
            reads = ("", "/stands", "/shapes", "/masks", "/journal", "/pulse", "/snapshots", "/members")
            for path in reads:
                answer = self.lead.get(base + path)
                self.assertLess(answer.status_code, 500, (path, answer.content[:300]))
            for path in ("/cost", "/seen"):
                answer = self.lead.post(base + path, json.dumps(VIEW), content_type="application/json")
                self.assertLess(answer.status_code, 500, (path, answer.content[:300]))
            made.delete()

        one()


@st.composite
def _spoiled(draw, value):
    """Something else in a value's place."""
    odd = [None, "", -1, 0, 1e308, -0.5, 2**63, True, [], {}, "x" * 300, "\x00", [value] * 3, {"a": value}]
    if isinstance(value, float | int) and not isinstance(value, bool):
        odd += [-value, value * 1000, value / 1000, value + 1]
    return draw(st.sampled_from(odd))


def changed(data, value):
    """The value with one thing in it changed, left out or put in twice, wherever chance leads."""
    if isinstance(value, dict) and value and data.draw(st.integers(0, 9)):
        key = data.draw(st.sampled_from(sorted(value)))
        if not data.draw(st.integers(0, 9)):
            return {k: v for k, v in value.items() if k != key}
        return value | {key: changed(data, value[key])}
    if isinstance(value, list) and value and data.draw(st.integers(0, 9)):
        k = data.draw(st.integers(0, len(value) - 1))
        if not data.draw(st.integers(0, 9)):
            return [*value, value[k]]
        return [*value[:k], changed(data, value[k]), *value[k + 1 :]]
    return data.draw(_spoiled(value))


class Bodies(TransactionTestCase):
    """`server.bodies` on the real server."""

    def setUp(self):
        from tests.serving import Server

        self._fixture_teardown()
        self.level = small_level()
        self.server = Server()
        self.addCleanup(self.server.kill)

    def sent(self, path: str, size: int, cookies: str = "", chunked: bool = False, whole: int = 0) -> bytes:
        """What is answered to a request with a body of a size, of which so many bytes are sent."""
        with socket.create_connection(("127.0.0.1", self.server.port), timeout=20) as line:
            length = "Transfer-Encoding: chunked" if chunked else f"Content-Length: {size}"
            heads = [
                f"POST {path} HTTP/1.1",
                "Host: 127.0.0.1",
                "Connection: close",
                f"Cookie: {cookies}",
                length,
            ]
            line.sendall("\r\n".join([*heads, "", ""]).encode())
            if chunked:
                for _ in range(whole >> 16):
                    line.sendall(b"10000\r\n" + bytes(1 << 16) + b"\r\n")
            elif whole:
                line.sendall(bytes(whole))
            told = b""
            with suppress(ConnectionResetError):
                while part := line.recv(65536):
                    told += part
            return told

    def cookies(self, name: str) -> str:
        client = ApiCase.client_of(self, name)
        return "; ".join(f"{c.key}={c.value}" for c in client.cookies.values())

    def test_bodies_are_taken_only_from_who_may_send_them(self):
        mask = f"/api/levels/{self.level.slug}/masks"
        north, guest = self.cookies("north"), self.cookies("guest")
        refused = [
            ("/api/saved-levels", 300 << 20, "", 401),
            ("/api/saved-levels", 300 << 20, "sessionid=0123456789abcdef0123456789abcdef", 401),
            ("/api/drafts", 100 << 20, guest, 403),
            (mask, 30 << 20, guest, 403),
            ("/api/levels/nowhere/masks", 30 << 20, north, 404),
            (mask, 50 << 20, north, 413),
            ("/api/session", 1 << 20, north, 413),
        ]
        for path, size, cookies, status in refused:
            answer = self.sent(path, size, cookies)
            self.assertIn(f" {status} ".encode(), answer.split(b"\r\n")[0], (path, answer[:300]))
            self.assertIn(b'{"detail": "', answer)
        self.assertIn(b" 413 ", self.sent("/api/drafts", 0, north, chunked=True, whole=2 << 20)[:40])
        held = []
        for _ in range(2):
            line = socket.create_connection(("127.0.0.1", self.server.port), timeout=20)
            self.addCleanup(line.close)
            head = f"POST /api/saved-levels HTTP/1.1\r\nHost: 127.0.0.1\r\nCookie: {north}\r\n"
            line.sendall(f"{head}Content-Length: {390 << 20}\r\n\r\n".encode() + bytes(4096))
            held.append(line)
        self.assertIn(b" 429 ", self.until(b"429", lambda: self.sent("/api/drafts", 100 << 20, north))[:40])
        for line in held:
            line.close()
        gone = self.until(
            b"HTTP/1.1 4", lambda: self.sent(mask, 600 << 10, north, whole=600 << 10), but=b" 429 "
        )
        self.assertNotIn(
            b" 429 ", gone[:40], "what was half sent holds no room when its connection has ended"
        )

    def until(self, wanted: bytes, ask, but: bytes = b"\xff") -> bytes:
        for _ in range(40):
            answer = ask()
            if wanted in answer[:40] and but not in answer[:40]:
                return answer
        return answer


class Waiting(SimpleTestCase):
    def test_files_that_are_dropped_while_they_are_counted_are_passed_over(self):
        with tempfile.TemporaryDirectory() as var, self.settings(VAR_DIR=var):
            held = Path(var) / bodies.HELD_IN[0]
            (held / "kept").mkdir(parents=True)
            (held / "kept" / "file-0").write_bytes(bytes(900))
            ended = threading.Event()

            def come_and_go():
                while not ended.is_set():
                    for k in range(20):
                        (held / f"draft {k}").mkdir(exist_ok=True)
                        (held / f"draft {k}" / "file-0").write_bytes(b"x")
                    for k in range(20):
                        shutil.rmtree(held / f"draft {k}")

            mover = threading.Thread(target=come_and_go)
            mover.start()
            try:
                counts = [bodies.waiting_bytes() for _ in range(300)]
            finally:
                ended.set()
                mover.join()
        self.assertTrue(all(900 <= n <= 920 for n in counts))


class Rooms(SimpleTestCase):
    def test_each_person_and_all_together_have_so_much_room(self):
        rooms = bodies.Receiving(2)
        self.assertTrue(rooms.has_room(1, bodies.EACH // 2))
        rooms.take(1, bodies.EACH // 2)
        self.assertFalse(rooms.has_room(1, 1))
        self.assertTrue(rooms.has_room(2, 1))
        for person in range(2, 40):
            if rooms.has_room(person, bodies.EACH // 2):
                rooms.take(person, bodies.EACH // 2)
        self.assertFalse(rooms.has_room(99, bodies.EACH // 2), "all have the part of one of two processes")
        rooms.release(1, bodies.EACH // 2)
        self.assertTrue(rooms.has_room(1, bodies.EACH // 2))


class Description(TransactionTestCase):
    def test_the_api_is_described_to_who_is_signed_in(self):
        small_level()
        for path in ("/api/docs", "/api/openapi.json"):
            self.assertEqual(Client().get(path).status_code, 401)
            self.assertEqual(ApiCase.client_of(self, "guest").get(path).status_code, 200)
