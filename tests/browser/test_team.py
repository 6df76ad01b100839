"""A level's team on the screen: somebody invited who joins, roles, a new password, and one's own account."""

from django.contrib.auth.models import User
from playwright.sync_api import expect

from tests.browser.base import BrowserCase

FRESH = "heather-and-slate"


class Team(BrowserCase):
    def tearDown(self):
        User.objects.filter(username__in=("west", "westerly")).delete()
        self.signed_in.pop("west", None)
        super().tearDown()

    def stranger(self):
        context = self.browser.new_context(viewport={"width": 820, "height": 620})
        self.addCleanup(context.close)
        page = context.new_page()
        self.addCleanup(self.report, page)
        page.on("pageerror", lambda error: self.fail(f"the page failed: {error}"))
        return page

    def test_somebody_is_invited_joins_forgets_the_password_and_is_removed(self):
        lead = self.page_of("lead", 1280, 800)
        self.open_level(lead)
        lead.click("[data-test=person]")
        lead.click("[data-test=team]")
        self.choose(lead, "invite-role", "viewer")
        lead.click("[data-test=invite]")
        link = self.field(lead, "made-link").input_value()
        self.whole(lead, "main")

        west = self.stranger()
        west.goto(link)
        expect(west.locator("main")).to_contain_text("lead invites you to the level Hobbin Delph as a viewer")
        self.fill(west, "link-name", "west")
        self.fill(west, "link-password", FRESH)
        west.click("[data-test=link-go]")
        west.wait_for_selector("[data-test=plants]")
        expect(west.locator("header")).to_contain_text("signed in as west")

        lead.reload()
        self.choose(lead, "role-west", "artist")
        expect(lead.locator("[data-test=role-west]")).to_contain_text("artist")
        lead.click("[data-test=remove-lead]")
        lead.click("[data-test=remove-go]")
        expect(lead.locator("[data-test=remove-trouble]")).to_contain_text("only lead of Hobbin Delph")
        lead.get_by_role("button", name="Cancel").click()
        expect(lead.get_by_role("dialog")).to_have_count(0)
        lead.click("[data-test=reset-west]")
        expect(lead.locator(".made")).to_contain_text("For west, for a new password")
        reset = self.field(lead, "made-link").input_value()

        west.goto(f"{self.server.address}/account")
        self.fill(west, "own-name", "westerly")
        west.click("[data-test=own-name-keep]")
        west.click("[data-test=mark-star]")
        self.whole(west, "main")
        elsewhere = self.stranger()
        elsewhere.goto(reset)
        expect(elsewhere.locator("main")).to_contain_text("for westerly to choose a new password")
        self.fill(elsewhere, "link-password", FRESH + "-more")
        elsewhere.click("[data-test=link-go]")
        elsewhere.wait_for_selector("[data-test=plants]")
        west.reload()
        expect(west).to_have_url(f"{self.server.address}/sign-in?to=/account")
        self.assertEqual(User.objects.get(username="westerly").profile.mark, "star")

        elsewhere.goto(f"{self.server.address}/account")
        expect(elsewhere.locator("[data-test=sessions] tbody tr")).to_have_count(1)
        lead.reload()
        lead.click("[data-test=remove-westerly]")
        lead.click("[data-test=remove-go]")
        expect(lead.locator("[data-test=member-westerly]")).to_have_count(0)
        elsewhere.goto(link)
        expect(elsewhere.locator("[data-test=link-trouble]")).to_contain_text("has been used or has ended")

    def test_who_looks_after_the_installation_names_it(self):
        lead = self.page_of("lead", 1024, 768)
        lead.goto(f"{self.server.address}/levels")
        lead.click("[data-test=open-installation]")
        self.fill(lead, "installation-address", "nowhere")
        lead.click("[data-test=installation-keep]")
        expect(lead.locator("[data-test=installation-trouble]")).to_contain_text("begins with http")
        self.fill(lead, "installation-address", "")
        self.fill(lead, "installation-name", "Fell Works")
        self.choose(lead, "makers", "leads")
        lead.click("[data-test=installation-keep]")
        expect(lead.locator("[data-test=installation-keep]")).to_be_disabled()
        self.whole(lead, "main")
        north = self.page_of("north", 1024, 768)
        north.goto(f"{self.server.address}/levels")
        expect(north.locator("header")).to_contain_text("Fell Works, signed in as north")
        expect(north.locator("[data-test=new-level]")).to_have_count(0)
        self.choose(lead, "makers", "leads and artists")
        self.fill(lead, "installation-name", "")
        lead.click("[data-test=installation-keep]")
        expect(lead.locator("[data-test=installation-keep]")).to_be_disabled()
