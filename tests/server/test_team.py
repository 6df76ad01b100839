"""A level's team: invited by links that work once, given roles, removed, never without a lead; accounts, new
passwords and sessions."""

import json
import threading
from datetime import timedelta

from django.contrib.auth.models import User
from django.core.cache import cache
from django.db import connections
from django.test import Client, TransactionTestCase
from django.utils import timezone

from server.audit.models import Record
from server.levels.models import Level, Membership
from server.team.models import Installation, OneTimeLink
from tests.fixtures import MARKS, PASSWORD, small_level
from tests.server.test_api import ApiCase
from thicket.document.drawing import tiers_for

FRESH = "heather-and-slate"


class Team(ApiCase):
    def setUp(self):
        cache.clear()
        super().setUp()
        self.lead, self.north, self.guest = (self.client_of(n) for n in ("lead", "north", "guest"))
        self.base = f"/api/levels/{self.level.slug}"

    def send(self, client, method, path, body=None):
        return getattr(client, method)(path, json.dumps(body or {}), content_type="application/json")

    def invited(self, role="artist"):
        told = self.send(self.lead, "post", f"{self.base}/invitations", {"role": role})
        self.assertEqual(told.status_code, 200, told.content)
        return f"/api/links/{told.json()['token']}"

    def roles(self):
        members = self.lead.get(f"{self.base}/members").json()["members"]
        return {m["name"]: m["role"] for m in members}

    def elsewhere(self, **roles):
        level = Level.objects.create(
            slug="else", name="Else", seed=1, cell=1, rows=9, columns=9, low=0, high=1, tiers=tiers_for(MARKS)
        )
        for name, role in roles.items():
            Membership.objects.create(user=User.objects.get(username=name), level=level, role=role)
        return level

    def test_an_invitation_makes_an_account_once(self):
        link, newcomer = self.invited(), Client()
        told = newcomer.get(link).json()
        self.assertEqual(
            (told["kind"], told["level"], told["role"], told["by"]),
            ("invitation", self.level.name, "artist", "lead"),
        )
        for name, words in (("NORTH", "account of that name"), ("", "name"), (" west", "name")):
            refused = self.send(newcomer, "post", f"{link}/account", {"name": name, "password": FRESH})
            self.assertEqual(refused.status_code, 422)
            self.assertIn(words, refused.json()["detail"])
        made = self.send(newcomer, "post", f"{link}/account", {"name": "west", "password": FRESH})
        self.assertEqual((made.status_code, made.json()["name"]), (200, "west"), made.content)
        self.assertEqual(newcomer.get(self.base).status_code, 200, "signed in, and a member")
        self.assertEqual(self.roles()["west"], "artist")
        again = self.send(Client(), "post", f"{link}/account", {"name": "east", "password": FRESH})
        self.assertEqual(again.status_code, 404)
        self.assertFalse(User.objects.filter(username="east").exists())
        self.assertTrue(Record.objects.filter(person="west", what__contains="invited by lead").exists())

    def test_a_link_is_worth_what_its_maker_may_do_when_it_is_used(self):
        second = User.objects.create_user("second", password=PASSWORD)
        role = Membership.objects.create(user=second, level=self.level, role="lead")
        theirs = self.client_of("second")
        tokens = {
            path: self.send(theirs, "post", f"{self.base}/{path}", body).json()["token"]
            for path, body in (("invitations", {"role": "lead"}), ("members/north/password", {}))
        }
        invited, word = (f"/api/links/{token}" for token in tokens.values())
        for fallen in ("artist", None, "elsewhere"):
            if fallen == "elsewhere":
                role = Membership.objects.create(user=second, level=self.level, role="lead")
                self.elsewhere(north="artist", lead="lead")
            elif fallen is None:
                role.delete()
            else:
                Membership.objects.filter(pk=role.pk).update(role=fallen)
            if fallen != "elsewhere":
                self.assertEqual(Client().get(invited).status_code, 404, fallen)
                refused = self.send(Client(), "post", f"{invited}/account", {"name": "x", "password": FRESH})
                self.assertEqual(refused.status_code, 404, fallen)
            self.assertEqual(
                self.send(Client(), "post", f"{word}/password", {"password": FRESH}).status_code, 404
            )
        self.assertTrue(User.objects.get(username="north").check_password(PASSWORD))
        made = self.send(Client(), "post", f"{invited}/account", {"name": "east", "password": FRESH})
        self.assertEqual(made.status_code, 200, "a lead again")

    def test_an_invitation_is_taken_by_who_has_an_account_and_ends(self):
        other = User.objects.create_user("other", password=PASSWORD)
        client, link = self.client_of("other"), self.invited("viewer")
        mine = self.send(self.north, "post", f"{link}/join")
        self.assertEqual(mine.status_code, 422, "a member already; the link is not used up")
        self.assertEqual(self.send(client, "post", f"{link}/join").json(), {"slug": self.level.slug})
        self.assertEqual(self.roles()["other"], "viewer")
        old = self.invited()
        OneTimeLink.objects.update(until=timezone.now() - timedelta(seconds=1))
        withdrawn = self.invited()
        pk = self.lead.get(f"{self.base}/members").json()["invitations"][0]["id"]
        self.send(self.lead, "delete", f"{self.base}/invitations/{pk}")
        other.memberships.all().delete()
        for dead in (old, withdrawn, "/api/links/guessed"):
            self.assertEqual(client.get(dead).status_code, 404)
            self.assertEqual(self.send(client, "post", f"{dead}/join").status_code, 404)
        Installation.objects.create(pk=1, sign_up="closed")
        closed = self.send(Client(), "post", f"{self.invited()}/account", {"name": "west", "password": FRESH})
        self.assertEqual(closed.status_code, 403)

    def test_tokens_cannot_be_guessed_without_end(self):
        statuses = [Client().get(f"/api/links/no-{k}").status_code for k in range(40)]
        self.assertEqual(statuses.count(404), 30)
        self.assertEqual(statuses[-1], 429)

    def test_roles_are_given_and_taken_and_the_only_lead_stays(self):
        at = f"{self.base}/members"
        for told in (
            self.send(self.lead, "put", f"{at}/lead", {"role": "artist"}),
            self.send(self.lead, "delete", f"{at}/lead"),
        ):
            self.assertEqual((told.status_code, "only lead" in told.json()["detail"]), (422, True))
        self.send(self.lead, "put", f"{at}/north", {"role": "lead"})
        self.assertEqual(self.send(self.lead, "delete", f"{at}/lead").status_code, 204)
        self.assertEqual(self.lead.get(self.base).status_code, 404)
        self.assertEqual(self.send(self.north, "put", f"{at}/nobody", {"role": "lead"}).status_code, 404)
        self.assertEqual(self.send(self.guest, "delete", f"{at}/guest").status_code, 204, "one may leave")
        self.assertEqual(self.send(self.north, "delete", f"{at}/south").status_code, 204)
        left = set(self.level.memberships.values_list("user__username", "role"))
        self.assertEqual(left, {("north", "lead")})

    def test_a_lead_gives_a_link_to_a_new_password_only_to_who_has_no_more_rights_elsewhere(self):
        at = f"{self.base}/members/north/password"
        old = self.client_of("north")
        link = f"/api/links/{self.send(self.lead, 'post', at).json()['token']}"
        newest = f"/api/links/{self.send(self.lead, 'post', at).json()['token']}"
        self.assertEqual(Client().get(link).status_code, 404, "a later link ends the one before")
        self.assertEqual(Client().get(newest).json()["person"], "north")
        self.assertEqual(self.send(self.guest, "post", f"{newest}/join").status_code, 422)
        told = self.send(Client(), "post", f"{newest}/password", {"password": "short"})
        self.assertEqual(told.status_code, 422)
        fresh = Client()
        told = self.send(fresh, "post", f"{newest}/password", {"password": FRESH})
        self.assertEqual((told.status_code, fresh.get(self.base).status_code), (200, 200))
        self.assertEqual(old.get(self.base).status_code, 401, "signed in elsewhere no more")
        self.assertTrue(User.objects.get(username="north").check_password(FRESH))
        invitation = self.send(Client(), "post", f"{self.invited()}/password", {"password": FRESH})
        self.assertEqual(invitation.status_code, 422)
        self.elsewhere(north="viewer")
        self.assertEqual(self.send(self.lead, "post", at).status_code, 403)
        User.objects.filter(username="lead").update(is_superuser=True)
        self.assertEqual(self.send(self.lead, "post", at).status_code, 200)

    def test_sessions_are_listed_and_ended(self):
        tablet = Client(HTTP_USER_AGENT="Tablet", REMOTE_ADDR="10.0.0.7")
        self.send(tablet, "post", "/api/session", {"name": "north", "password": PASSWORD})
        self.client_of("north")
        listed = self.north.get("/api/sessions").json()
        self.assertEqual([one["here"] for one in listed], [True, False, False, False])
        mine = next(one for one in listed if one["program"] == "Tablet")
        self.assertEqual(mine["address"], "10.0.0.7")
        self.assertNotIn(mine["id"], tablet.cookies["sessionid"].value)
        self.assertEqual(self.send(self.guest, "delete", f"/api/sessions/{mine['id']}").status_code, 404)
        left = self.send(self.north, "delete", f"/api/sessions/{mine['id']}").json()
        self.assertEqual((len(left), tablet.get("/api/levels").status_code), (3, 401))
        self.assertEqual(len(self.send(self.north, "delete", "/api/sessions").json()), 1)
        self.assertEqual(self.north.get("/api/levels").status_code, 200)
        self.assertEqual(self.guest.get("/api/levels").status_code, 200)

    def test_ones_own_name_and_mark_are_told_to_others(self):
        self.assertEqual(self.send(self.north, "put", "/api/session/mark", {"mark": "ring"}).status_code, 200)
        taken = self.send(self.north, "put", "/api/session/name", {"name": "South"})
        self.assertEqual((taken.status_code, taken.json()["detail"][:6]), (422, "name: "))
        told = self.send(self.north, "put", "/api/session/name", {"name": "Northerly"}).json()
        self.assertEqual((told["name"], told["mark"]), ("Northerly", "ring"))
        here = {"x": 1, "z": 2, "heading": 3}
        self.send(self.north, "post", f"{self.base}/beat", here)
        others = self.send(self.guest, "post", f"{self.base}/beat", here).json()["others"]
        self.assertEqual([(o["name"], o["mark"]) for o in others], [("Northerly", "ring")])
        members = self.guest.get(f"{self.base}/members").json()
        mine = next(m for m in members["members"] if m["name"] == "Northerly")
        self.assertEqual((mine["mark"], mine["here"], members["invitations"]), ("ring", True, []))
        again = Client()
        self.send(again, "post", "/api/session", {"name": "Northerly", "password": PASSWORD})
        self.assertEqual(again.get(self.base).status_code, 200)

    def test_the_installation_says_who_begins_levels(self):
        User.objects.create_user("nobody", password=PASSWORD)
        User.objects.create_superuser("keeper", password=PASSWORD)
        keeper, new = self.client_of("keeper"), self.client_of("nobody")
        said = {"name": "Fell Works", "address": "https://thicket.example/", "sign_up": "invited"}
        may = {"leads": "lead", "artists": "lead north", "anyone": "lead north guest nobody"}
        people = {"lead": self.lead, "north": self.north, "guest": self.guest, "nobody": new}
        for makers, who in may.items():
            kept = self.send(keeper, "put", "/api/installation", said | {"makers": makers})
            self.assertEqual(kept.status_code, 200, kept.content)
            for name, client in people.items():
                copied = self.send(client, "post", f"{self.base}/copy", {"name": f"{name} {makers}"})
                told = client.get("/api/session").json()
                right = name in who.split()
                expected = 404 if name == "nobody" else 200 if right else 403
                self.assertEqual((copied.status_code, told["may_make"]), (expected, right), (name, makers))
            self.assertEqual(told["installation"], "Fell Works")
        told = keeper.get("/api/installation").json()
        self.assertEqual(told["address"], "https://thicket.example")
        self.assertGreater(told["database_bytes"], 10_000)
        wrong = self.send(keeper, "put", "/api/installation", said | {"makers": "leads", "address": "ftp:x"})
        self.assertEqual(wrong.status_code, 422)
        self.assertIn("address: it begins with http", wrong.json()["detail"])


class AtOnce(TransactionTestCase):
    def setUp(self):
        self._fixture_teardown()
        self.level = small_level()
        self.base = f"/api/levels/{self.level.slug}"

    def at_once(self, *asks):
        told = []

        def ask(one):
            told.append(one().status_code)
            connections.close_all()

        threads = [threading.Thread(target=ask, args=(one,)) for one in asks]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
        return sorted(told)

    def test_a_link_lets_one_in_and_two_leads_cannot_both_leave(self):
        lead = ApiCase.client_of(self, "lead")
        link = lead.post(f"{self.base}/invitations", {"role": "artist"}, content_type="application/json")
        token = link.json()["token"]
        for name in ("first", "second"):
            User.objects.create_user(name, password=PASSWORD)
        joining = [ApiCase.client_of(self, name) for name in ("first", "second")]
        told = self.at_once(*(lambda c=c: c.post(f"/api/links/{token}/join") for c in joining))
        self.assertEqual(told, [200, 404])
        north = ApiCase.client_of(self, "north")
        self.level.memberships.filter(user__username="north").update(role="lead")
        told = self.at_once(
            lambda: lead.delete(f"{self.base}/members/lead"),
            lambda: north.delete(f"{self.base}/members/north"),
        )
        self.assertEqual(told, [204, 422])
        self.assertEqual(self.level.memberships.filter(role="lead").count(), 1)
