"""Ways to sign in: company and name, mail, second steps, letters; sessions and what ends them."""

import base64
import hashlib
import hmac
import json
import re
import struct
import time

import pytest
from allauth.mfa.models import Authenticator
from allauth.usersessions.models import UserSession
from cryptography.hazmat.primitives import hashes
from cryptography.hazmat.primitives.asymmetric import ec
from django.core import mail
from django.core.cache import cache
from django.test import Client
from django_scopes import scope, scopes_disabled
from fido2 import cbor
from fido2.cose import ES256
from fido2.webauthn import Aaguid, AttestedCredentialData, AuthenticatorData

from quarry.apps.accounts import services
from quarry.apps.accounts.errors import DomainError
from quarry.apps.accounts.models import HistoryEntry, Organisation, User
from tests.factories import PASSWORD, Web, person


@pytest.fixture(autouse=True)
def nothing_tried(db):
    """Start with nothing tried."""
    cache.clear()


@pytest.fixture
def browser(client):
    """A browser in which nobody is signed in yet."""
    return Web(client)


def sign_in(web, name="lena", password=PASSWORD, company=""):
    return web.post("/session", {"username": name, "password": password, "company": company})


def hotp(secret, counter, digits=6):
    """Return a code by RFC 4226, section 5.3; RFC 6238 counts half minutes with it."""
    key = base64.b32decode(secret) if isinstance(secret, str) else secret
    mac = hmac.new(key, struct.pack(">Q", counter), hashlib.sha1).digest()
    at = mac[-1] & 15
    return f"{(struct.unpack('>I', mac[at : at + 4])[0] & 0x7FFFFFFF) % 10**digits:0{digits}}"


def now_code(secret, later=0):
    return hotp(secret, int(time.time()) // 30 + later)


def test_the_codes_of_these_tests_are_those_of_the_standard():
    """RFC 6238, appendix B, SHA-1."""
    seed = b"12345678901234567890"
    for at, code in ((59, "94287082"), (1111111109, "07081804"), (1234567890, "89005924"), (20000000000, "65353130")):
        assert hotp(seed, at // 30, 8) == code


class TestNames:
    def test_two_companies_may_have_a_person_of_one_name(self, browser, lead, stranger):
        with scope(organisation=stranger.organisation):
            services.add_person(actor=stranger, username="lena", full_name="", role="pilot")
        other = User.objects.get(username="lena", organisation=stranger.organisation)
        other.set_password("another-long-one")
        other.first_password = False
        other.save()
        assert sign_in(browser).json()["id"] == lead.pk, "the password tells them apart"
        assert sign_in(Web(Client()), password="another-long-one").json()["id"] == other.pk
        other.set_password(PASSWORD)
        other.save()
        asked = sign_in(Web(Client()))
        assert (asked.status_code, asked.json()["code"], asked.json()["field"]) == (422, "which_company", "company")
        assert sign_in(Web(Client()), company="south crew").json()["id"] == other.pk
        assert sign_in(Web(Client()), company="Elsewhere").status_code == 400

    def test_an_address_of_mail_stands_for_the_name(self, browser, lead):
        services.change_person(actor=lead, person_id=lead.pk, change=services.PersonChange(email=" Lena@Crew.example "))
        assert sign_in(browser, "lena@crew.EXAMPLE").json()["email"] == "lena@crew.example"

    @pytest.mark.parametrize("email", ["lena", "a@b", "two@at@signs.example"])
    def test_an_address_that_is_none_is_refused_at_its_field(self, lead, email):
        with pytest.raises(DomainError) as bad:
            services.change_person(actor=lead, person_id=lead.pk, change=services.PersonChange(email=email))
        assert bad.value.field == "email"

    def test_one_address_is_one_person_everywhere(self, lead, stranger):
        services.change_person(actor=lead, person_id=lead.pk, change=services.PersonChange(email="l@crew.example"))
        with scope(organisation=stranger.organisation), pytest.raises(DomainError, match="already") as bad:
            services.add_person(actor=stranger, username="nils", full_name="", role="pilot", email="L@crew.example")
        assert bad.value.field == "email"


def set_up_app(web):
    """Set up an app of codes for who is signed in; returns its secret and the spare codes."""
    begun = web.post("/me/second-steps/app", {"password": PASSWORD}).json()
    done = web.put("/me/second-steps/app", {"code": now_code(begun["secret"], -1)})
    assert done.status_code == 200, done.content
    return begun["secret"], done.json()["codes"]


class TestCodes:
    def test_the_password_alone_opens_nothing_once_an_app_is_set_up(self, browser, lead):
        sign_in(browser)
        secret, spare = set_up_app(browser)
        assert len(set(spare)) == 10
        fresh = Web(Client())
        asked = sign_in(fresh).json()
        assert (asked["signed_in"], asked["second_step"]) == (False, ["app", "codes"])
        assert fresh.get("/packs").status_code == 401
        wrong = fresh.post("/session/code", {"code": "000000"})
        assert (wrong.status_code, wrong.json()["field"]) == (400, "code")
        assert fresh.post("/session/code", {"code": now_code(secret)}).json()["signed_in"] is True
        assert fresh.get("/packs").status_code == 200

    def test_a_code_is_good_once(self, browser, lead):
        sign_in(browser)
        secret, _ = set_up_app(browser)
        code = now_code(secret)
        first, second = Web(Client()), Web(Client())
        sign_in(first), sign_in(second)
        assert first.post("/session/code", {"code": code}).status_code == 200
        assert second.post("/session/code", {"code": code}).status_code == 400

    def test_a_spare_code_is_good_once(self, browser, lead):
        sign_in(browser)
        _, spare = set_up_app(browser)
        for expected in (200, 400):
            other = Web(Client())
            sign_in(other)
            assert other.post("/session/code", {"code": spare[0]}).status_code == expected
        assert browser.get("/me/second-steps").json()["codes_left"] == 9

    def test_guessing_codes_is_slowed(self, browser, lead):
        sign_in(browser)
        secret, _ = set_up_app(browser)
        other = Web(Client())
        sign_in(other)
        answers = [other.post("/session/code", {"code": f"{k:06}"}).status_code for k in range(8)]
        assert answers[-1] == 429
        assert other.post("/session/code", {"code": now_code(secret)}).status_code == 429, "the right one has to wait too"

    def test_it_is_kept_so_that_a_copy_of_the_database_signs_nobody_in(self, browser, lead, settings):
        sign_in(browser)
        secret, _ = set_up_app(browser)
        assert secret not in json.dumps(list(Authenticator.objects.values_list("data", flat=True)))
        settings.SECRET_KEY = "quite-another-key-of-a-server-somewhere-else"
        from quarry.apps.accounts.adapters import SecondSteps

        kept = Authenticator.objects.get(type="totp").data["secret"]
        assert SecondSteps().decrypt(kept) not in ("", secret)

    def test_it_is_not_changed_without_the_password(self, browser, lead):
        sign_in(browser)
        refused = browser.post("/me/second-steps/app", {"password": "wrong"})
        assert (refused.status_code, refused.json()["field"]) == (400, "password")
        assert browser.put("/me/second-steps/app", {"code": "123456"}).json()["code"] == "expired"
        set_up_app(browser)
        step = browser.get("/me/second-steps").json()["steps"][0]["id"]
        assert browser.post(f"/me/second-steps/{step}/remove", {"password": "wrong"}).status_code == 400
        assert browser.post(f"/me/second-steps/{step}/remove", {"password": PASSWORD}).status_code == 204
        assert browser.get("/me/second-steps").json() == {"steps": [], "codes_left": 0}

    def test_a_lead_lets_in_who_lost_the_device(self, browser, org, lead):
        person(org, "otto", "pilot")
        sign_in(browser, "otto")
        set_up_app(browser)
        boss = Web(Client())
        sign_in(boss)
        otto = next(p for p in boss.get("/people").json() if p["username"] == "otto")
        assert otto["second_steps"] == 1
        assert boss.delete(f"/people/{otto['id']}/second-steps").json()["second_steps"] == 0
        assert browser.get("/packs").status_code == 401, "sessions that were open have ended"
        assert sign_in(Web(Client()), "otto").json()["signed_in"] is True


class SoftKey:
    """A passkey in software: what a browser and its device do, after the standard (WebAuthn level 2, sections 6 and 7)."""

    def __init__(self, origin):
        self.origin = origin
        self.key = ec.generate_private_key(ec.SECP256R1())
        self.id = b"a key of the tests"
        self.person = b""
        self.count = 0

    def _client(self, kind, challenge):
        return json.dumps({"type": kind, "challenge": challenge, "origin": self.origin, "crossOrigin": False}).encode()

    def _data(self, rp, flags, attested=b""):
        self.count += 1
        return hashlib.sha256(rp.encode()).digest() + bytes([flags]) + struct.pack(">I", self.count) + attested

    def make(self, options):
        asked = options["publicKey"]
        self.person = text(asked["user"]["id"])
        public = ES256.from_cryptography_key(self.key.public_key())
        attested = AttestedCredentialData.create(Aaguid(b"\0" * 16), self.id, public)
        data = AuthenticatorData(self._data(asked["rp"]["id"], 0b0100_0101, bytes(attested)))
        return {
            "id": flat(self.id),
            "rawId": flat(self.id),
            "type": "public-key",
            "response": {
                "clientDataJSON": flat(self._client("webauthn.create", asked["challenge"])),
                "attestationObject": flat(cbor.encode({"fmt": "none", "attStmt": {}, "authData": bytes(data)})),
            },
            "clientExtensionResults": {"credProps": {"rk": True}},
        }

    def sign(self, options, verified=True):
        asked = options["publicKey"]
        client = self._client("webauthn.get", asked["challenge"])
        data = self._data(asked["rpId"], 0b0101 if verified else 0b0001)
        signed = self.key.sign(data + hashlib.sha256(client).digest(), ec.ECDSA(hashes.SHA256()))
        return {
            "id": flat(self.id),
            "rawId": flat(self.id),
            "type": "public-key",
            "response": {
                "clientDataJSON": flat(client),
                "authenticatorData": flat(data),
                "signature": flat(signed),
                "userHandle": flat(self.person),
            },
            "clientExtensionResults": {},
        }


def flat(data):
    return base64.urlsafe_b64encode(data).decode().rstrip("=")


def text(word):
    return base64.urlsafe_b64decode(word + "=" * (-len(word) % 4))


class TestPasskeys:
    @pytest.fixture
    def key(self, browser, lead):
        sign_in(browser)
        key = SoftKey("http://testserver")
        options = browser.post("/me/second-steps/passkey", {"password": PASSWORD}).json()["options"]
        done = browser.put("/me/second-steps/passkey", {"name": "Tablet of the van", "credential": key.make(options)})
        assert done.status_code == 200, done.content
        assert len(done.json()["codes"]) == 10
        return key

    def ask(self, web):
        return web.post("/session/passkey/question", {}).json()["options"]

    def test_one_signs_in_without_a_password(self, key, lead):
        fresh = Web(Client())
        assert fresh.post("/session/passkey", {"credential": key.sign(self.ask(fresh))}).json()["id"] == lead.pk
        assert fresh.get("/packs").status_code == 200

    def test_a_signature_is_good_for_the_question_it_answers_alone(self, key):
        fresh, other = Web(Client()), Web(Client())
        signed = key.sign(self.ask(fresh))
        self.ask(other)
        assert other.post("/session/passkey", {"credential": signed}).status_code == 400
        assert fresh.post("/session/passkey", {"credential": signed}).status_code == 200
        fresh.delete("/session")
        assert fresh.post("/session/passkey", {"credential": signed}).status_code == 400

    def test_without_password_the_device_must_have_verified_the_person(self, key):
        fresh = Web(Client())
        assert fresh.post("/session/passkey", {"credential": key.sign(self.ask(fresh), verified=False)}).status_code == 400

    def test_another_key_with_the_same_name_opens_nothing(self, key):
        forged = SoftKey("http://testserver")
        forged.person = key.person
        fresh = Web(Client())
        assert fresh.post("/session/passkey", {"credential": forged.sign(self.ask(fresh))}).status_code == 400

    def test_it_finishes_a_sign_in_that_waits(self, key, lead):
        fresh = Web(Client())
        assert sign_in(fresh).json()["second_step"] == ["codes", "passkey"]
        assert fresh.post("/session/passkey", {"credential": key.sign(self.ask(fresh))}).json()["signed_in"] is True

    def test_who_has_no_access_is_not_let_in_by_it(self, key, org, lead):
        second = person(org, "second", "lead")
        services.change_person(actor=second, person_id=lead.pk, change=services.PersonChange(active=False))
        fresh = Web(Client())
        assert fresh.post("/session/passkey", {"credential": key.sign(self.ask(fresh))}).status_code == 400

    @pytest.mark.parametrize(
        "bad", [{}, {"id": 1}, {"response": "x"}, {"response": {"userHandle": "%%"}}, {"id": "a", "response": {}}]
    )
    def test_nonsense_is_refused(self, bad, lead):
        fresh = Web(Client())
        self.ask(fresh)
        assert fresh.post("/session/passkey", {"credential": bad}).status_code == 400


class TestLetters:
    @pytest.fixture(autouse=True)
    def with_mail(self, settings, lead):
        settings.MAIL = True
        settings.PUBLIC_URL = "https://van.example"
        settings.HEADLESS_FRONTEND_URLS = {
            "account_reset_password_from_key": "https://van.example/sign-in/new-password?key={key}"
        }
        services.change_person(actor=lead, person_id=lead.pk, change=services.PersonChange(email="lena@crew.example"))

    def letter(self, browser):
        assert browser.post("/password/forgotten", {"email": "LENA@crew.example"}).status_code == 204
        (sent,) = mail.outbox
        assert "lena of North Crew" in sent.body
        return re.search(r"https://van\.example/sign-in/new-password\?key=(\S+)", sent.body)[1]

    def test_a_forgotten_password_is_replaced_once(self, browser, lead):
        inside = Web(Client())
        sign_in(inside)
        key = self.letter(browser)
        weak = browser.post("/password/new", {"key": key, "password": "short"})
        assert (weak.status_code, weak.json()["field"]) == (422, "password")
        assert browser.post("/password/new", {"key": key, "password": "a-fresh-phrase-9"}).status_code == 204
        assert inside.get("/packs").status_code == 401, "sessions from before have ended"
        assert sign_in(browser, password="a-fresh-phrase-9").json()["signed_in"]
        again = browser.post("/password/new", {"key": key, "password": "a-fresh-phrase-10"})
        assert (again.status_code, again.json()["code"]) == (422, "old_letter")

    def test_who_is_nobody_learns_nothing(self, browser):
        assert browser.post("/password/forgotten", {"email": "nobody@crew.example"}).status_code == 204
        assert mail.outbox == []

    def test_a_letter_to_who_has_no_access_is_not_sent(self, browser, org, lead):
        second = person(org, "second", "lead")
        services.change_person(actor=second, person_id=lead.pk, change=services.PersonChange(active=False))
        browser.post("/password/forgotten", {"email": "lena@crew.example"})
        assert mail.outbox == []

    def test_letters_and_their_keys_are_throttled(self, browser, lead):
        asked = [browser.post("/password/forgotten", {"email": "lena@crew.example"}).status_code for _ in range(7)]
        assert (asked[0], asked[-1]) == (204, 429)
        tried = [browser.post("/password/new", {"key": f"1-x{k}", "password": "a-fresh-phrase-9"}).status_code for k in range(12)]
        assert (tried[0], tried[-1]) == (422, 429)

    def test_a_server_without_mail_says_so(self, browser, settings):
        settings.MAIL = False
        refused = browser.post("/password/forgotten", {"email": "lena@crew.example"})
        assert (refused.status_code, refused.json()["code"]) == (409, "no_mail")
        assert browser.get("/me").json()["mail"] is False


class TestSessions:
    def test_they_are_listed_and_ended_one_by_one(self, browser, lead):
        other = Web(Client())
        sign_in(browser), sign_in(other)
        listed = browser.get("/me/sessions").json()
        assert [s["here"] for s in listed].count(True) == 1
        gone = next(s["id"] for s in listed if not s["here"])
        assert browser.delete(f"/me/sessions/{gone}").status_code == 204
        assert other.get("/packs").status_code == 401
        assert browser.get("/packs").status_code == 200

    def test_all_others_end_at_once(self, browser, lead):
        others = [Web(Client()) for _ in range(3)]
        for web in (browser, *others):
            sign_in(web)
        assert browser.delete("/me/sessions").status_code == 204
        assert [web.get("/packs").status_code for web in (browser, *others)] == [200, 401, 401, 401]
        assert len(browser.get("/me/sessions").json()) == 1

    def test_access_given_back_revives_no_session(self, browser, org, lead):
        otto = person(org, "otto", "pilot")
        sign_in(browser, "otto")
        for active in (False, True):
            services.change_person(actor=lead, person_id=otto.pk, change=services.PersonChange(active=active))
            assert browser.get("/packs").status_code == 401
        assert sign_in(browser, "otto").json()["signed_in"]

    def test_a_session_of_nobody_else_can_be_ended(self, browser, lead, stranger):
        theirs = Web(Client())
        sign_in(theirs, "sven"), sign_in(browser)
        foreign = UserSession.objects.get(user=stranger)
        assert browser.delete(f"/me/sessions/{foreign.pk}").status_code == 404
        assert browser.delete(f"/people/{stranger.pk}/sessions").status_code == 404
        assert theirs.get("/packs").status_code == 200

    def test_ones_own_password_is_not_guessed_from_an_open_session(self, browser, lead, settings):
        sign_in(browser)
        tried = [
            browser.post("/me/password", {"old": f"guess-number-{k}", "new": "a-fresh-phrase-9"}).status_code
            for k in range(settings.SECRET_TRIES + 1)
        ]
        assert (tried[0], tried[-1]) == (400, 429)

    def test_what_is_personal_leaves_no_copy(self, browser, lead):
        sign_in(browser)
        for path in ("/me", "/people", "/me/sessions", "/history", "/tokens", "/company"):
            assert browser.get(path)["Cache-Control"] == "no-store", path
        assert browser.get("/packs")["Cache-Control"] == "private, no-cache"


@pytest.mark.parametrize(("site", "status"), [("cross-site", 403), ("same-origin", 200), ("none", 200)])
def test_no_page_of_another_site_signs_anybody_in(lead, site, status):
    body = json.dumps({"username": "lena", "password": PASSWORD})
    answer = Client().post("/api/session", body, content_type="text/plain", headers={"Sec-Fetch-Site": site})
    assert answer.status_code == status


class TestHistory:
    def test_sign_ins_wrong_passwords_and_refusals_are_the_leads_to_read(self, browser, org, lead):
        person(org, "otto", "pilot")
        sign_in(browser, "otto", "nonsense"), sign_in(browser, "otto")
        assert browser.post("/people", {"username": "x2", "full_name": "", "role": "pilot"}).status_code == 403
        seen = [h["action"] for h in browser.get("/history").json()["items"]]
        assert not {"session.opened", "session.refused", "right.refused"} & set(seen)
        boss = Web(Client())
        sign_in(boss)
        lines = boss.get("/history").json()
        assert [h["action"] for h in lines["items"]][:4] == [
            "session.opened",
            "right.refused",
            "session.opened",
            "session.refused",
        ]
        refused = lines["items"][3]
        assert (refused["who"], refused["label"], refused["after"]) == ("", "otto", {"address": "127.0.0.1"})

    def test_a_storm_of_refusals_is_one_line(self, browser, org, lead):
        person(org, "otto", "pilot")
        sign_in(browser, "otto")
        for _ in range(5):
            browser.post("/people", {"username": "x2", "full_name": "", "role": "pilot"})
        assert HistoryEntry.objects.filter(action="right.refused").count() == 1

    def test_pages_filters_and_export_agree(self, browser, lead):
        sign_in(browser)
        for k in range(25):
            browser.post("/people", {"username": f"crew{k}", "full_name": "=cmd()", "role": "viewer"})
        first = browser.get("/history", size=10, thing="person").json()
        second = browser.get("/history", size=10, thing="person", cursor=first["next"]).json()
        ids = [h["id"] for h in first["items"] + second["items"]]
        assert ids == sorted(set(ids), reverse=True)
        assert first["total"] == 25
        assert browser.get("/history", words="crew7 added").json()["total"] == 1
        assert browser.get("/history", who="nobody").json()["total"] == 0
        assert browser.get("/history", begins="2100-01-01").json()["total"] == 0
        table = b"".join(browser.client.get("/api/history.csv?thing=person").streaming_content).decode()
        assert table.count("\r\n") == 26
        assert table.startswith("at,who,action,thing,label,before,after")

    def test_an_export_is_the_leads(self, browser, org, lead):
        person(org, "otto", "pilot")
        sign_in(browser, "otto")
        answer = browser.client.get("/api/history.csv")
        assert answer.status_code == 403


def test_companies_do_not_read_each_others_history(browser, lead, stranger):
    sign_in(browser)
    with scopes_disabled():
        before = HistoryEntry.objects.filter(organisation=stranger.organisation).count()
    sign_in(Web(Client()), "sven")
    assert browser.get("/history").json()["total"] == 1
    with scopes_disabled():
        assert HistoryEntry.objects.filter(organisation=stranger.organisation).count() == before + 1
    assert Organisation.objects.count() == 2
