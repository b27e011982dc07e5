"""Signing in with a passkey that a real browser keeps, and the ways back to a lost password."""

import pytest

from quarry.apps.accounts.models import HistoryEntry
from tests.browser.conftest import until
from tests.factories import PASSWORD

pytestmark = pytest.mark.browser
# A device that makes passkeys and verifies its owner, as the browser itself simulates one.
DEVICE = {
    "protocol": "ctap2",
    "transport": "internal",
    "hasResidentKey": True,
    "hasUserVerification": True,
    "isUserVerified": True,
    "automaticPresenceSimulation": True,
}


@pytest.fixture
def device(site):
    """The browser with such a device; passkeys want a name and not a number as address."""
    site.address = site.address.replace("127.0.0.1", "localhost")
    session = site.page.context.new_cdp_session(site.page)
    session.send("WebAuthn.enable")
    session.send("WebAuthn.addVirtualAuthenticator", {"options": DEVICE})
    return session


def test_a_passkey_is_made_and_signs_in_alone_and_as_second_step(site, crew, device):
    page = site.page
    site.sign_in_at_the_door("lena", PASSWORD)
    site.go("/account")
    page.get_by_role("button", name="Add a passkey").click()
    page.get_by_label("Name, to tell it apart").fill("Tablet of the van")
    page.get_by_label("Your password").fill(PASSWORD)
    page.get_by_role("button", name="Go on").click()
    page.get_by_text("Write these down").wait_for()
    codes = page.get_by_role("dialog").get_by_role("listitem").all_inner_texts()
    assert len(codes) == 10
    page.get_by_role("button", name="I have them").click()
    page.locator("main").get_by_text("Tablet of the van").wait_for()

    def leave():
        page.get_by_role("button", name="lena").click()
        page.get_by_role("menuitem", name="Sign out").click()
        page.wait_for_url("**/sign-in")

    leave()
    page.get_by_role("button", name="Sign in with a passkey").click()
    page.get_by_role("link", name="Today").first.wait_for()
    leave()
    page.get_by_label("Name or e-mail").fill("lena")
    page.get_by_label("Password").fill(PASSWORD)
    page.get_by_role("button", name="Sign in", exact=True).click()
    page.get_by_role("heading", name="Second step").wait_for()
    site.axe()
    page.get_by_label("Spare code").fill(codes[0])
    page.get_by_role("button", name="Sign in", exact=True).click()
    page.get_by_role("link", name="Today").first.wait_for()
    until(page, lambda: HistoryEntry.objects.filter(action="session.opened").count() == 3, "sign-ins are not written down")


def test_a_letter_is_asked_for_only_where_the_server_sends_mail(site, crew):
    page = site.page
    site.go("/sign-in")
    page.get_by_text("The operations lead of your crew gives you one").wait_for()
    assert page.get_by_text("Forgotten your password?").count() == 0
    site.go("/sign-in/forgotten")
    page.get_by_label("E-mail").fill("lena@crew.example")
    page.get_by_role("button", name="Send the link").click()
    page.get_by_text("This server sends no mail").wait_for()
    site.axe()
    site.go("/sign-in/new-password?key=1-nonsense")
    page.get_by_label("New password").fill("a-fresh-phrase-9")
    page.get_by_role("button", name="Save password").click()
    page.get_by_text("This link was used already, or is too old").wait_for()
    site.refused()
