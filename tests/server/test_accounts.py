"""Accounts: signing in is throttled and kept in a log, sessions are seen and ended, one joins by
invitation alone, and the demo's account is the demo's."""

import time
from datetime import timedelta

import pytest
from django.contrib.auth import get_user_model
from django.core.exceptions import ImproperlyConfigured
from django.core.management import CommandError, call_command
from django.utils import timezone
from rest_framework.test import APIClient

from accounts import guessing
from accounts.demo import PASSWORD
from accounts.models import Event, Invitation, Session
from accounts.names import good_name, looks
from accounts.sessions import HELD

User = get_user_model()
WORD = "a quiet-water morning"


@pytest.fixture
def keeper(db):
    User.objects.create_user("kay", password=WORD, is_staff=True)
    return _signed_in("kay")


@pytest.fixture
def eve(db):
    User.objects.create_user("eve", password=WORD)
    return _signed_in("eve")


def _sign_in(client, name, word=WORD, **more):
    return client.post("/api/session", {"username": name, "password": word}, format="json", **more)


def _signed_in(name, word=WORD, **more):
    client = APIClient()
    answer = _sign_in(client, name, word, **more)
    assert answer.status_code == 200, answer.data
    return client


def test_wrong_passwords_have_to_wait(eve):
    guesser = APIClient()
    codes = [_sign_in(guesser, "eve", f"guess {k}").status_code for k in range(12)]
    assert set(codes[:7]) == {400} and set(codes[8:]) == {429}
    # the right one does not help there, and elsewhere it does
    answer = _sign_in(guesser, "eve")
    assert answer.status_code == 429 and "Wait" in answer.data["message"]
    assert _sign_in(APIClient(), "eve", REMOTE_ADDR="10.0.0.9").status_code == 200
    kinds = list(Event.objects.order_by("id").values_list("kind", flat=True))
    assert kinds.count("refused") == codes.count(400)
    assert kinds.count("locked") == codes.count(429) + 1


def test_guessing_from_many_addresses_has_to_wait_and_locks_nobody_out(keeper, eve):
    """The right password helps only where its account was before, until an hour is over."""
    for k in range(guessing.MOST):
        answer = _sign_in(APIClient(), "eve", f"guess {k}", REMOTE_ADDR=f"10.0.{k}.7")
        assert answer.status_code == 400
    elsewhere = {"REMOTE_ADDR": "10.1.1.1"}
    for word in ("guess", WORD):
        answer = _sign_in(APIClient(), "eve", word, **elsewhere)
        assert answer.status_code == 429 and "keeper" in answer.data["message"]
    assert Event.objects.filter(who="eve", kind="locked", address="10.1.1.1").count() == 2
    assert _sign_in(APIClient(), "eve").status_code == 200
    assert _sign_in(APIClient(), "kay", **elsewhere).status_code == 200
    # a keeper's link is a way from anywhere, and makes the address known
    secret = _invited(keeper, account=User.objects.get(username="eve").id)
    new = {"password": "granite under the pier"}
    joined = APIClient().post(f"/api/join/{secret}", new, format="json", **elsewhere)
    assert joined.status_code == 200, joined.data
    assert _sign_in(APIClient(), "eve", new["password"], **elsewhere).status_code == 200
    # and an hour later any address is
    Event.objects.filter(kind="refused").update(at=timezone.now() - guessing.LATELY)
    assert _sign_in(APIClient(), "eve", new["password"], REMOTE_ADDR="10.2.2.2").status_code == 200


def test_who_has_no_account_is_told_the_same_and_waits_too(db):
    guesser = APIClient()
    answers = [_sign_in(guesser, "nobody", "guess") for _ in range(12)]
    assert answers[0].status_code == 400 and answers[-1].status_code == 429
    assert answers[0].data["message"] == "No account has this name and password."
    assert set(Event.objects.values_list("who", flat=True)) == {"nobody"}


def test_a_new_password_signs_the_other_browsers_out(eve):
    other = _signed_in("eve")
    wrong = eve.post("/api/account/password", {"old": "no", "new": WORD + "s"}, format="json")
    assert wrong.status_code == 400
    for weak in ("short", "1234567890123", "password123"):
        answer = eve.post("/api/account/password", {"old": WORD, "new": weak}, format="json")
        assert answer.status_code == 400, weak
    asked = {"old": WORD, "new": "granite under the pier"}
    assert eve.post("/api/account/password", asked, format="json").status_code == 200
    assert eve.get("/api/studies").status_code == 200
    assert other.get("/api/studies").status_code == 403
    assert _sign_in(APIClient(), "eve").status_code == 400
    assert _sign_in(APIClient(), "eve", asked["new"]).status_code == 200


def test_sessions_are_listed_and_ended(eve):
    other = _signed_in("eve", HTTP_USER_AGENT="A browser elsewhere", REMOTE_ADDR="10.1.2.3")
    _signed_in("eve")
    rows = eve.get("/api/account/browsers").json()
    assert len(rows) == 3 and [r["own"] for r in rows].count(True) == 1
    far = next(r for r in rows if r["address"] == "10.1.2.3")
    assert far["browser"] == "A browser elsewhere"
    # what names a session opens none
    keys = set(Session.objects.values_list("session_key", flat=True))
    assert not keys & {str(value) for row in rows for value in row.values()}
    left = eve.delete(f"/api/account/browsers/{far['number']}").json()
    assert len(left) == 2 and other.get("/api/studies").status_code == 403
    assert len(eve.delete("/api/account/browsers").json()) == 1
    assert eve.get("/api/studies").status_code == 200


def test_nobody_ends_anothers_session(eve, keeper):
    own = keeper.get("/api/account/browsers").json()[0]["number"]
    assert eve.delete(f"/api/account/browsers/{own}").status_code == 404
    assert keeper.get("/api/studies").status_code == 200


def _aged(client, **held):
    """The client's session with what it holds of itself changed."""
    store = client.session
    store[HELD] = {**store[HELD], **held}
    store.save()


def test_who_does_nothing_for_long_is_signed_out(eve, settings):
    row = Session.objects.get(account__username="eve")
    left = (row.expire_date - timezone.now()).total_seconds()
    assert abs(left - settings.SESSION_COOKIE_AGE) < 60
    # a request moves the end, and an end that has come is one
    Session.objects.update(expire_date=timezone.now() + timedelta(seconds=100))
    _aged(eve, seen=time.time() - 100)
    assert eve.get("/api/studies").status_code == 200
    row.refresh_from_db()
    assert (row.expire_date - timezone.now()).total_seconds() > settings.SESSION_COOKIE_AGE - 60
    Session.objects.update(expire_date=timezone.now() - timedelta(seconds=1))
    assert eve.get("/api/studies").status_code == 403


def test_nobody_is_signed_in_for_ever(eve, settings):
    _aged(eve, begun=time.time() - settings.SESSION_LONGEST + 60)
    assert eve.get("/api/studies").status_code == 200
    _aged(eve, begun=time.time() - settings.SESSION_LONGEST - 1)
    assert eve.get("/api/studies").status_code == 403
    assert not Session.objects.filter(account__username="eve").exists()


def _invited(keeper, **asked):
    answer = keeper.post("/api/invitations", asked, format="json")
    assert answer.status_code == 201
    return answer.json()["secret"]


def test_one_joins_by_an_invitation_and_only_once(keeper):
    secret = _invited(keeper, note="for Nell")
    assert secret not in str(Invitation.objects.values())
    assert keeper.get("/api/invitations").json()[0]["secret"] is None
    guest = APIClient()
    assert guest.get(f"/api/join/{secret}").json() == {"account": None, "by": "kay"}
    for name, word in (
        ("nell", "short"),
        ("kay", WORD),
        ("KAY", WORD),
        ("demo", WORD),
        ("a b", WORD),
    ):
        asked = {"username": name, "password": word}
        assert guest.post(f"/api/join/{secret}", asked, format="json").status_code == 400, name
    asked = {"username": "nell", "password": WORD}
    assert guest.post(f"/api/join/{secret}", asked, format="json").json()["username"] == "nell"
    assert guest.get("/api/studies").status_code == 200
    assert guest.get("/api/accounts").status_code == 403
    assert APIClient().post(f"/api/join/{secret}", asked, format="json").status_code == 404
    assert [e["kind"] for e in guest.get("/api/account/log").json()] == ["joined"]


def test_an_invitation_ends(keeper):
    old, withdrawn = _invited(keeper), _invited(keeper)
    first, second = Invitation.objects.order_by("id")
    Invitation.objects.filter(id=first.id).update(until=timezone.now() - timedelta(seconds=1))
    assert keeper.delete(f"/api/invitations/{second.id}").status_code == 204
    for secret in (old, withdrawn, "made up"):
        assert APIClient().get(f"/api/join/{secret}").status_code == 404
        asked = {"username": "nell", "password": WORD}
        assert APIClient().post(f"/api/join/{secret}", asked, format="json").status_code == 404
    assert not User.objects.filter(username="nell").exists()


def test_a_forgotten_password_is_set_anew_by_a_keepers_link(keeper, eve):
    account = User.objects.get(username="eve")
    secret = _invited(keeper, account=account.id)
    assert APIClient().get(f"/api/join/{secret}").json()["account"] == "eve"
    guest = APIClient()
    answer = guest.post(f"/api/join/{secret}", {"password": "granite under pier"}, format="json")
    assert answer.json()["username"] == "eve" and not answer.json()["keeper"]
    assert eve.get("/api/studies").status_code == 403
    assert _sign_in(APIClient(), "eve", "granite under pier").status_code == 200


def test_a_closed_account_takes_no_new_password(keeper, eve):
    account = User.objects.get(username="eve")
    secret, before = _invited(keeper, account=account.id), account.password
    keeper.patch(f"/api/accounts/{account.id}", {"open": False}, format="json")
    asked = {"password": "granite under the pier"}
    answer = APIClient().post(f"/api/join/{secret}", asked, format="json")
    assert answer.status_code == 404 and "opens nothing" in answer.data["message"]
    # nor does one that was made since
    late = _invited(keeper, account=account.id)
    answer = APIClient().post(f"/api/join/{late}", asked, format="json")
    assert answer.status_code == 400 and "closed" in answer.data["message"]
    account.refresh_from_db()
    assert account.password == before
    # opened again, the new link works, and the old one is gone for good
    keeper.patch(f"/api/accounts/{account.id}", {"open": True}, format="json")
    assert APIClient().post(f"/api/join/{secret}", asked, format="json").status_code == 404
    assert APIClient().post(f"/api/join/{late}", asked, format="json").status_code == 200


def test_a_closed_account_s_invitations_open_nothing(keeper):
    other = User.objects.create_user("walt", password=WORD, is_staff=True)
    theirs = APIClient()
    assert _sign_in(theirs, "walt", WORD).status_code == 200
    secret = _invited(theirs)
    keeper.patch(f"/api/accounts/{other.id}", {"open": False}, format="json")
    asked = {"username": "nell", "password": WORD}
    assert APIClient().post(f"/api/join/{secret}", asked, format="json").status_code == 404
    assert not User.objects.filter(username="nell").exists()


@pytest.mark.parametrize("by", ["a newer link", "oneself"])
def test_links_for_a_new_password_end_with_the_next_new_password(keeper, eve, by):
    account = User.objects.get(username="eve")
    older, newer = (_invited(keeper, account=account.id) for _ in range(2))
    asked = {"password": "granite under pier"}
    if by == "oneself":
        told = {"old": WORD, "new": "granite under pier"}
        assert eve.post("/api/account/password", told, format="json").status_code == 200
    else:
        assert APIClient().post(f"/api/join/{newer}", asked, format="json").status_code == 200
    for secret in (older, newer):
        assert APIClient().post(f"/api/join/{secret}", asked, format="json").status_code == 404


@pytest.mark.parametrize(
    "name",
    ["EVE", "ｅｖｅ", "еvе", "ève", "e.v.e", "e_ve", "-", "kау", "nell\u0455", "a" * 61],
)
def test_names_that_look_like_others_are_refused(keeper, eve, name):
    secret = _invited(keeper)
    asked = {"username": name, "password": WORD}
    answer = APIClient().post(f"/api/join/{secret}", asked, format="json")
    assert answer.status_code == 400 and answer.data["message"]


def test_names_are_compared_by_their_looks():
    for one, other in (("Ian", "lan"), ("morn", "mom"), ("b0b", "bob"), ("вова", "boba")):
        assert looks(one) == looks(other)
    for name in ("Jörg", "Ольга", "李雷", "山田はな", "ann.marie", "x-ray_2"):
        assert good_name(name, ["eve", "kay", "anna", "x-ray_3"]) == name


@pytest.mark.parametrize("word", [" " * 20, "a b c d e f g", "aaaaaaaaaaab", "  kelp  ", "1" * 12])
def test_poor_passwords_are_refused(keeper, eve, word):
    secret = _invited(keeper)
    asked = {"username": "nell", "password": word}
    assert APIClient().post(f"/api/join/{secret}", asked, format="json").status_code == 400
    told = {"old": WORD, "new": word}
    assert eve.post("/api/account/password", told, format="json").status_code == 400


def test_a_name_taken_at_the_same_moment_is_refused_in_words(keeper, monkeypatch):
    """Two join by one name: the second has looked before the first was there."""
    first, second = _invited(keeper), _invited(keeper)
    asked = {"username": "nell", "password": WORD}
    assert APIClient().post(f"/api/join/{first}", asked, format="json").status_code == 200
    monkeypatch.setattr("accounts.joining._free_name", lambda name: name)
    answer = APIClient().post(f"/api/join/{second}", asked, format="json")
    assert answer.status_code == 400 and "taken" in answer.data["message"]
    monkeypatch.undo()
    asked["username"] = "omar"
    assert APIClient().post(f"/api/join/{second}", asked, format="json").status_code == 200


def test_only_keepers_keep_accounts(keeper, eve):
    for path in ("accounts", "invitations"):
        assert eve.get(f"/api/{path}").status_code == 403
    assert eve.post("/api/invitations", {}, format="json").status_code == 403

    def opens(name, state):
        number = User.objects.get(username=name).id
        return keeper.patch(f"/api/accounts/{number}", {"open": state}, format="json").status_code

    assert opens("eve", False) == 200
    assert eve.get("/api/studies").status_code == 403
    assert _sign_in(APIClient(), "eve").status_code == 400
    assert opens("eve", True) == 200
    assert _sign_in(APIClient(), "eve").status_code == 200
    assert opens("kay", False) == 400


def test_the_log_is_ones_own_but_for_keepers(keeper, eve):
    _sign_in(APIClient(), "eve", "a wrong guess")
    lines = eve.get("/api/account/log?all=true").json()
    assert {e["who"] for e in lines} == {"eve"} and "refused" in {e["kind"] for e in lines}
    assert {e["who"] for e in keeper.get("/api/account/log?all=true").json()} >= {"eve", "kay"}
    assert not any(WORD in str(e) or "guess" in str(e) for e in Event.objects.values())


def test_the_demo_is_for_the_demo_alone(db, settings, monkeypatch):
    User.objects.create_user("demo", password=PASSWORD, is_staff=True)
    settings.DEMO = True
    client = _signed_in("demo", PASSWORD)
    assert client.get("/api/session").json()["demo"]
    asked = {"old": PASSWORD, "new": "granite under the pier"}
    assert client.post("/api/account/password", asked, format="json").status_code == 400
    settings.DEMO = False
    assert client.get("/api/studies").status_code == 403
    assert _sign_in(APIClient(), "demo", PASSWORD).status_code == 400
    with pytest.raises(CommandError, match="demo"):
        call_command("demo")


def test_the_demo_is_never_on_another_address(monkeypatch):
    import importlib

    from intaglio_server import settings as told

    monkeypatch.setenv("INTAGLIO_DEMO", "1")
    monkeypatch.setenv("INTAGLIO_HOSTS", "intaglio.northmere.example")
    with pytest.raises(ImproperlyConfigured, match="loopback"):
        importlib.reload(told)
    monkeypatch.undo()
    importlib.reload(told)
