"""Signing in with a second factor, switching at a shared desk, the locked desk, sealed records, and who may
see which pages: through the application, as browsers do it.
"""

from __future__ import annotations

from datetime import UTC

import pyotp
import pytest
from fastapi.testclient import TestClient

from tests.conftest import JUNO, SAM, add_patient, order, rows_of, scalar, state_of, visit_at_checkout
from tests.soft_key import SoftKey
from tests.web.conftest import Browser, hidden
from zax.clock import system_now
from zax.core.arrivals.steps import StepKind
from zax.core.errors import Refused
from zax.demo.world import PASSWORD
from zax.desk.acts.transaction import Desk
from zax.desk.arrivals.check_in import StepForm, save_step
from zax.desk.book.booking import book_visit
from zax.desk.day.checkout import finish_checkout
from zax.desk.people.inviting import Letters, send_link
from zax.desk.people.second_factor import ask_for_second, begin, confirm
from zax.desk.people.sessions import open_session, who_is
from zax.desk.people.sign_in import authenticate
from zax.desk.people.switching import set_pin
from zax.desk.setup.sealed import seal_record


def code(secret: str, off: int = 0) -> str:
    return pyotp.TOTP(secret).generate_otp(int(system_now().replace(tzinfo=UTC).timestamp()) // 30 + off)


@pytest.fixture
def secret(web: Browser, desk: Desk) -> str:
    """Juno has a second factor."""
    made = begin(desk, web.vault, JUNO)
    confirm(desk, web.vault, JUNO, PASSWORD, code(made, -1))
    return made


def test_a_password_alone_opens_nothing_where_there_is_a_second_factor(
    web: Browser, desk: Desk, secret: str
) -> None:
    answer = web.post("/sign-in", name="juno", password=PASSWORD, to="/book")
    assert answer.status_code == 200 and "Your code" in answer.text
    assert scalar(desk, "SELECT COUNT(*) FROM session") == 0
    assert web.get("/day").status_code == 303  # still not in
    assert web.post("/sign-in/code", code="000000", to="/book").status_code in {409, 422}
    assert web.post("/sign-in/code", code=code(secret), to="/book").headers["location"] == "/book"
    assert web.get("/day").status_code == 200


def test_a_code_without_a_password_before_it_opens_nothing(web: Browser, secret: str) -> None:
    answer = web.post("/sign-in/code", code=code(secret), to="/day")
    assert answer.status_code == 401 and "Sign in again" in answer.text


def test_a_manager_who_lets_somebody_in_needs_their_second_factor_too(web: Browser, desk: Desk) -> None:
    made = begin(desk, web.vault, SAM)
    confirm(desk, web.vault, SAM, PASSWORD, code(made, -1))
    save_step(desk, SAM, 0, StepForm(kind=StepKind.OWN, words="Read it back", required=True, active=True))
    visit = book_visit(desk, JUNO, order(add_patient(desk)))
    web.sign_in("juno")
    boss = {"boss": "sam", "boss_password": PASSWORD, "reason": "in pain"}
    for typed in ("", "000000"):
        wrong = web.post(f"/visits/{visit}/arrival/check-in", **boss, boss_password_code=typed)
        assert (
            wrong.status_code == 422 and 'id="err-code"' in wrong.text and state_of(desk, visit) == "booked"
        )
    right = web.post(f"/visits/{visit}/arrival/check-in", **boss, boss_password_code=code(made))
    assert right.status_code == 303 and state_of(desk, visit) == "here"


def test_what_was_typed_survives_the_second_factor(web: Browser, desk: Desk, secret: str) -> None:
    page = web.post("/sign-in", name="juno", password=PASSWORD, to="/patients", kept='{"first": "Nell"}')
    kept = hidden(page.text, "kept").replace("&#34;", '"')
    answer = web.post("/sign-in/code", code=code(secret), to="/patients", kept=kept)
    assert 'name="first" value="Nell"' in answer.text


def test_whoever_owes_a_second_factor_gets_to_its_page_and_nowhere_else(web: Browser, desk: Desk) -> None:
    ask_for_second(desk, SAM, 1)
    web.sign_in("juno")
    assert web.get("/day").headers["location"] == "/me"
    assert "asks for a second factor" in web.get("/me").text


def test_a_session_that_was_there_before_signing_in_is_gone(web: Browser, desk: Desk) -> None:
    web.sign_in("juno")
    before = web.client.cookies["zax_session"]
    web.sign_in("ravi")
    after = web.client.cookies["zax_session"]
    assert before != after and scalar(desk, "SELECT COUNT(*) FROM session WHERE ended_at IS NULL") == 1
    web.client.cookies.set("zax_session", before, domain="127.0.0.1")
    assert web.get("/day").status_code == 303


def test_a_link_to_a_new_password_goes_past_no_second_factor(web: Browser, desk: Desk, secret: str) -> None:
    link = send_link(desk, SAM, 1, Letters(web.vault, "http://127.0.0.1/")).href.partition("127.0.0.1")[2]
    answer = web.post(link, sign_in="juno", password="seven gulls in fog")
    assert "Your code" in answer.text and web.get("/day").status_code == 303
    assert web.post("/sign-in/code", code=code(secret)).status_code == 303
    assert web.get("/day").status_code == 200


def test_a_page_asks_everyone_for_a_second_factor(sam: Browser, desk: Desk) -> None:
    assert "sign in with a password alone" in sam.get("/setup/people").text
    assert sam.post("/setup/people/second").status_code == 303
    assert scalar(desk, "SELECT COUNT(*) FROM user WHERE active AND NOT must_second") == 0


def test_signed_out_everywhere_else_and_here_it_goes_on(juno: Browser, web: Browser, desk: Desk) -> None:
    assert "Sign out everywhere else" not in juno.get("/me").text
    other = open_session(desk, 1)
    ravis = open_session(desk, 2)
    assert "Sign out everywhere else" in juno.get("/me").text
    assert juno.post("/me/sessions").headers["location"] == "/me"
    with desk.engine.connect() as connection:
        assert who_is(connection, other, desk.clinic.roles) is None
        assert who_is(connection, ravis, desk.clinic.roles) is not None
    assert juno.get("/me").status_code == 200
    assert "signed in anywhere else" in juno.post("/me/sessions").text


def test_a_manager_signs_somebody_out_once_for_all_their_desks(sam: Browser, desk: Desk) -> None:
    opened = [open_session(desk, 1), open_session(desk, 1)]
    assert sam.get("/setup/signed-in").text.count("Sign out everywhere") == 1
    assert sam.post("/setup/signed-in/1").status_code == 303
    with desk.engine.connect() as connection:
        assert [who_is(connection, each, desk.clinic.roles) for each in opened] == [None, None]


def test_a_refused_try_is_on_record_for_the_manager(sam: Browser, desk: Desk) -> None:
    with pytest.raises(Refused):
        authenticate(desk, "juno", "guess at it", "203.0.113.7")
    told = sam.get("/setup/looking-back?about=signed_in").text
    assert "203.0.113.7" in told and "guess at it" not in told


def test_a_passkey_by_the_pages(web: Browser, desk: Desk) -> None:
    """The question lies in the cookie for five minutes, and is gone with its answer."""
    key = SoftKey()
    with TestClient(web.client.app, base_url="http://localhost") as client:
        here = Browser(client)
        here.sign_in("juno")
        asked = here.post("/me/passkeys/begin").json()
        added = {"passkey_password": PASSWORD, "words": "My phone", "answer": key.adds(asked)}
        assert here.post("/me/passkeys", **added).headers["location"] == "/me"
        again = here.post("/me/passkeys", **added)
        assert again.status_code == 422 and "took too long" in again.text and "My phone" in again.text
        here.post("/sign-out")
        assert "Use a passkey" in here.get("/sign-in").text and here.get("/day").status_code == 303
        asked = here.post("/sign-in/passkey/begin").json()
        answer = here.post("/sign-in/passkey", answer=key.signs(asked), to="/book")
        assert answer.headers["location"] == "/book" and here.get("/day").status_code == 200
        here.post("/sign-out")
        wrong = here.post("/sign-in/passkey", answer=key.signs(asked), to="/book")
        assert "took too long" in wrong.text and here.get("/day").status_code == 303
    assert "reached by a name" in web.sign_in("ravi").get("/me").text


def test_switching_by_pin(web: Browser, desk: Desk) -> None:
    set_pin(desk, JUNO, "4071", PASSWORD)
    web.sign_in("juno")
    web.sign_in("ravi")
    assert "Juno Park" in web.get("/switch").text
    assert "isn’t the PIN" in web.post("/switch", user_id=1, pin="9999").text
    assert web.post("/switch", user_id=1, pin="4071").headers["location"] == "/"
    assert "Juno Park" in web.get("/keys").text
    assert scalar(desk, "SELECT COUNT(*) FROM session WHERE ended_at IS NULL") == 1  # Ravi's is over


def test_another_browser_knows_nobody(web: Browser, desk: Desk) -> None:
    set_pin(desk, JUNO, "4071", PASSWORD)
    web.sign_in("juno")
    with TestClient(web.client.app, base_url="http://127.0.0.1") as other:
        stranger = Browser(other)
        assert "Juno Park" not in stranger.get("/switch").text
        assert stranger.post("/switch", user_id=1, pin="4071").status_code in {409, 422}


def test_a_locked_desk_shows_and_does_nothing_until_its_person_is_back(web: Browser, desk: Desk) -> None:
    web.sign_in("juno")
    assert web.client.post("/lock", data={"csrf": web.token}, headers={"x-lock": "1"}).status_code == 204
    assert web.get("/day").headers["location"] == "/locked?to=/day"
    assert web.get("/day", headers={"x-live": "1"}).status_code == 423
    kept = web.post("/hand-overs", about="patient-1", words="call her")
    assert kept.status_code == 423 and "call her" in kept.text and "is kept" in kept.text
    assert scalar(desk, "SELECT COUNT(*) FROM hand_over") == 0
    assert web.post("/unlock", pin="guess", to="/day").status_code in {409, 422}
    assert web.post("/unlock", pin=PASSWORD, to="/day").headers["location"] == "/day"
    assert web.get("/day").status_code == 200


def test_after_signing_out_nothing_is_kept(juno: Browser) -> None:
    answer = juno.get("/day")
    assert answer.headers["cache-control"] == "no-store"
    assert juno.post("/sign-out").headers["clear-site-data"] == '"cache"'
    assert juno.get("/day").status_code == 303


def test_somebody_works_at_their_sites_alone(web: Browser, desk: Desk) -> None:
    with desk.engine.begin() as connection:
        connection.exec_driver_sql("UPDATE user SET site_ids = '[2]' WHERE id = 1")
    web.sign_in("juno")
    page = web.get("/day").text
    assert "Hillcrest" in page and '<option value="1"' not in page
    web.post("/site", site_id=1, back="/day")
    assert '<option value="1"' not in web.get("/day").text


# --- sealed records
def test_a_sealed_record_opens_with_a_reason_for_an_hour_and_the_manager_is_told(
    web: Browser, desk: Desk
) -> None:
    patient = add_patient(desk, first="Sela", last="Quill")
    web.sign_in("sam").post(f"/patients/{patient}/seal", on=1, back="/day")
    web.sign_in("juno")
    answer = web.get(f"/patients/{patient}")
    assert answer.status_code == 403 and "This record is sealed" in answer.text
    assert "(360)" not in answer.text and scalar(desk, "SELECT COUNT(*) FROM look") == 0
    assert web.get(f"/accounts/{patient}").status_code == 403
    back = f"/patients/{patient}"
    assert "Say why" in web.post(f"/sealed/{patient}", reason="", back=back).text
    web.post(f"/sealed/{patient}", reason="on the phone about her visit", back=back)
    assert web.get(f"/patients/{patient}").status_code == 200
    (told,) = rows_of(desk, "SELECT to_role, words FROM hand_over")
    assert told["to_role"] == "manager" and "Juno Park" in told["words"]
    with desk.engine.begin() as connection:
        connection.exec_driver_sql("UPDATE seal_broken SET until = '2020-01-01'")
    assert web.get(f"/patients/{patient}").status_code == 403


def test_only_who_may_seals(juno: Browser, desk: Desk) -> None:
    patient = add_patient(desk)
    assert juno.post(f"/patients/{patient}/seal", on=1).status_code == 403
    assert scalar(desk, "SELECT sealed FROM patient WHERE id = :p", p=patient) == 0


# --- the page of people
def test_the_grid_gives_a_right_and_it_holds(sam: Browser, desk: Desk) -> None:
    assert "What each role may do" in sam.get("/setup/people").text
    sam.post("/setup/roles/receptionist/right", right="claims", on=1, version=1)
    sam.sign_in("juno")
    assert sam.get("/claims").status_code == 200
    assert sam.get("/setup/people").status_code == 403


def test_inviting_shows_the_link_once(sam: Browser, desk: Desk) -> None:
    page = sam.post(
        "/setup/people/invite", name="Wilma Strand", email="w@example.org", role="receptionist"
    ).text
    link = page.partition('value="http://127.0.0.1/join/')[2].partition('"')[0]
    assert link and f"join/{link}" not in sam.get("/setup/people").text
    sam.client.cookies.clear()
    sam.tokens.clear()
    assert "Welcome, Wilma Strand" in sam.get(f"/join/{link}").text
    answer = sam.post(f"/join/{link}", sign_in="wilma", password="seven gulls in fog")
    assert answer.status_code == 303 and sam.get("/day").status_code == 200
    assert sam.get(f"/join/{link}").status_code == 404


def test_leaving_by_the_page(sam: Browser, desk: Desk) -> None:
    assert "never deleted" in sam.get("/setup/people?who=2&leave=1").text
    assert sam.post("/setup/people/2/leave").status_code == 303
    assert "left" in sam.get("/setup/people?who=2").text
    assert scalar(desk, "SELECT active FROM user WHERE id = 2") == 0


def test_bad_input_on_every_form_of_people_keeps_what_was_typed(sam: Browser) -> None:
    answer = sam.post("/setup/people/invite", name="Wilma", email="nope", role="receptionist")
    assert answer.status_code == 422 and 'value="Wilma"' in answer.text and "looks like" in answer.text
    assert sam.post("/setup/lock", minutes=999).status_code in {409, 422}
    assert sam.post("/setup/roles", words="", like="biller").status_code in {409, 422}
    assert sam.post("/setup/people/99", name="x").status_code == 404
    assert sam.get("/setup/people?who=99").status_code == 404


def test_the_papers_of_a_sealed_record_are_sealed_too(odile: Browser, desk: Desk) -> None:
    patient = add_patient(desk, 1)
    finish_checkout(desk, JUNO, visit_at_checkout(desk, patient, dental=True))
    claim = scalar(desk, "SELECT id FROM claim WHERE patient_id = :p", p=patient)
    paths = [f"/claims/{claim}", f"/claims/{claim}/paper.pdf", f"/hand-overs/new?about=patient-{patient}"]
    before = [odile.get(path).status_code for path in paths]
    seal_record(desk, SAM, patient, True)
    assert before == [200, 200, 200]
    for path in paths:
        answer = odile.get(path)
        assert answer.status_code == 403, path
