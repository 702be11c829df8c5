"""Invitations and new passwords by a link that works once, second factors, PINs, roles, and leaving."""

from __future__ import annotations

import re
from collections.abc import Callable
from datetime import UTC, timedelta
from pathlib import Path

import pyotp
import pytest
from sqlalchemy import text

from tests.conftest import JUNO, RAVI, SAM, add_patient, rows_of, scalar
from tests.fakes import FakeMail
from zax.clock import system_now
from zax.core.errors import NotAllowed, NotFound, Problems, Refused, Stale
from zax.core.people.roles import MANAGER
from zax.demo.world import PASSWORD
from zax.desk.acts.transaction import Desk
from zax.desk.followup.hand_overs import HandOverForm, give
from zax.desk.people import inviting, second_factor, switching
from zax.desk.people.inviting import (
    InviteForm,
    Letters,
    accept,
    carry_out_letter,
    change_password,
    change_person,
    forgot,
    invite,
    send_link,
    welcome,
)
from zax.desk.people.roles import add_role, retire_role, turn_right
from zax.desk.people.second_factor import begin, check_second, confirm, drop_second, fresh_codes, turn_off
from zax.desk.people.sessions import Browser, open_session, who_is
from zax.desk.people.sign_in import authenticate
from zax.desk.people.switching import people_here, set_pin, switch
from zax.desk.setup.leaving import come_back, leave, leaving
from zax.store.acts.outbox import Errand
from zax.store.people.people import active_user
from zax.store.vault import Vault

WILMA = InviteForm(name="Wilma Strand", email="Wilma.Strand@example.org", role="receptionist", must_second="")
GOOD = "seven gulls in fog"
HERE = Browser("1.2.3.4", "desk-one")


@pytest.fixture
def letters(tmp_path: Path) -> Letters:
    return Letters(Vault(tmp_path), "http://127.0.0.1/")


def token_of(href: str) -> str:
    return href.rpartition("/")[2]


def test_an_invitation_goes_by_mail_and_opens_once(desk: Desk, letters: Letters) -> None:
    sent = invite(desk, SAM, WILMA, letters)
    (row,) = rows_of(desk, "SELECT id, kind, payload, request_key FROM outbox WHERE kind = 'people_mail'")
    mail = FakeMail()
    errand = Errand(
        id=row["id"],
        kind=row["kind"],
        request_key=row["request_key"],
        payload={"sealed": re.search(r'"sealed": "([^"]+)"', row["payload"])[1]},  # type: ignore[index]
        attempts=0,
        failures=0,
    )
    carry_out_letter(desk, mail, letters.vault, errand)
    (letter,) = mail.sent
    assert letter["To"] == "wilma.strand@example.org" and sent.href in letter.get_content()
    with pytest.raises(Refused):  # nobody signs in before the link was used
        authenticate(desk, sent.user.sign_in, "", "1.2.3.4")
    user_id = accept(desk, token_of(sent.href), "Wilma", GOOD)
    assert authenticate(desk, "wilma", GOOD, "1.2.3.4").id == user_id
    with pytest.raises(NotFound):
        accept(desk, token_of(sent.href), "wilma2", GOOD)


def test_what_the_link_carries_lies_nowhere_in_the_database(desk: Desk, letters: Letters) -> None:
    token = token_of(invite(desk, SAM, WILMA, letters).href)
    with desk.engine.connect() as connection:
        names = connection.execute(text("SHOW TABLES")).scalars().all()
        for name in names:
            for row in connection.execute(text(f"SELECT * FROM `{name}`")):
                assert token not in str(tuple(row)), name


def test_a_second_link_ends_the_first_and_two_days_end_any(
    desk: Desk, letters: Letters, monkeypatch: pytest.MonkeyPatch
) -> None:
    first = invite(desk, SAM, WILMA, letters)
    second = send_link(desk, SAM, first.user.id, letters)
    with desk.engine.connect() as connection:
        with pytest.raises(NotFound):
            welcome(connection, token_of(first.href))
        assert welcome(connection, token_of(second.href)).purpose == "invite"
        late = system_now() + timedelta(hours=48, seconds=1)
        monkeypatch.setattr(inviting, "system_now", lambda: late)
        with pytest.raises(NotFound):
            welcome(connection, token_of(second.href))


def test_names_and_addresses_are_somebodys_alone(desk: Desk, letters: Letters) -> None:
    sent = invite(desk, SAM, WILMA, letters)
    with pytest.raises(Refused, match="already"):
        accept(desk, token_of(sent.href), "juno", GOOD)
    with pytest.raises(Problems) as wrong:
        invite(desk, SAM, WILMA.but(email="wilma.strand@EXAMPLE.org", role="captain"), letters)
    assert set(wrong.value.problems) == {"email", "role"}
    with pytest.raises(Problems) as wrong:
        accept(desk, token_of(sent.href), "w", "wilma strand")
    assert set(wrong.value.problems) == {"sign_in", "password"}


def test_only_who_may_invites(desk: Desk, letters: Letters) -> None:
    with pytest.raises(NotAllowed):
        invite(desk, JUNO, WILMA, letters)


def test_a_new_password_ends_every_session(desk: Desk, letters: Letters) -> None:
    session = open_session(desk, 2)
    sent = send_link(desk, SAM, 2, letters)
    assert accept(desk, token_of(sent.href), "somebody-else", GOOD) == 2
    with desk.engine.connect() as connection:
        assert who_is(connection, session, desk.clinic.roles) is None
    assert authenticate(desk, "ravi", GOOD, "1.2.3.4").id == 2  # the name stays
    session = open_session(desk, 2)
    with pytest.raises(Refused):
        change_password(desk, RAVI, "wrong", "other gulls in fog")
    change_password(desk, RAVI, GOOD, "other gulls in fog")
    with desk.engine.connect() as connection:
        assert who_is(connection, session, desk.clinic.roles) is None


def test_forgetting_says_nothing_of_who_is_here(desk: Desk, letters: Letters) -> None:
    change_person(desk, SAM, 2, InviteForm(name="Ravi Teller", email="ravi@example.org", role="receptionist"))
    forgot(desk, "nobody-here", letters, "9.9.9.9")
    assert scalar(desk, "SELECT COUNT(*) FROM user_link") == 0
    forgot(desk, "RAVI@example.org", letters, "9.9.9.9")
    assert scalar(desk, "SELECT COUNT(*) FROM user_link WHERE user_id = 2 AND purpose = 'reset'") == 1
    with pytest.raises(Refused, match="Too many"):
        for _ in range(4):
            forgot(desk, "nobody-here", letters, "9.9.9.9")


# --- the second factor
def codes(secret: str) -> Callable[[int], str]:
    at = int(system_now().replace(tzinfo=UTC).timestamp()) // 30
    return lambda off: pyotp.TOTP(secret).generate_otp(at + off)


def test_a_second_factor_counts_once_its_code_was_typed_and_each_code_once(
    desk: Desk, letters: Letters, monkeypatch: pytest.MonkeyPatch
) -> None:
    vault = letters.vault
    secret = begin(desk, vault, JUNO)
    assert begin(desk, vault, JUNO) == secret and secret not in str(rows_of(desk, "SELECT * FROM user"))
    stands = system_now()
    monkeypatch.setattr(second_factor, "system_now", lambda: stands)
    code = codes(secret)
    with pytest.raises(Refused):
        confirm(desk, vault, JUNO, PASSWORD, "000000" if code(0) != "000000" else "111111")
    spare = confirm(desk, vault, JUNO, PASSWORD, code(-1))
    with pytest.raises(Refused):  # it was used for the setup
        check_second(desk, vault, 1, code(-1), "1.2.3.4")
    check_second(desk, vault, 1, code(0), "1.2.3.4")
    with pytest.raises(Refused):  # somebody looked over the shoulder
        check_second(desk, vault, 1, code(0), "1.2.3.4")
    check_second(desk, vault, 1, spare[0].upper(), "1.2.3.4")
    with pytest.raises(Refused):
        check_second(desk, vault, 1, spare[0], "1.2.3.4")
    fresh_codes(desk, JUNO, PASSWORD)
    with pytest.raises(Refused):
        check_second(desk, vault, 1, spare[1], "1.2.3.4")
    turn_off(desk, JUNO, PASSWORD)
    assert scalar(desk, "SELECT second_at FROM user WHERE id = 1") is None


def test_whoever_changes_how_they_sign_in_proves_again_that_it_is_them(desk: Desk, letters: Letters) -> None:
    """A desk left open for a minute gives nobody a second factor, new codes or a password of their own."""
    vault = letters.vault
    code = codes(begin(desk, vault, JUNO))
    ways: list[Callable[[str], object]] = [
        lambda typed: confirm(desk, vault, JUNO, typed, code(0)),
        lambda typed: set_pin(desk, JUNO, "4071", typed),
        lambda typed: change_password(desk, JUNO, typed, "a harbor in the fog"),
    ]
    before = rows_of(desk, "SELECT password_hash, pin_hash, second_at FROM user WHERE id = 1")
    for way in ways:
        with pytest.raises(Refused, match="isn’t your password"):
            way("guess")
    confirm(desk, vault, JUNO, PASSWORD, code(0))
    for change in (fresh_codes, turn_off):
        with pytest.raises(Refused, match="isn’t your password"):
            change(desk, JUNO, "guess")
    assert scalar(desk, "SELECT COUNT(*) FROM audit WHERE act = 'signed_in.refused'") == 5
    after = rows_of(desk, "SELECT password_hash, pin_hash, second_at FROM user WHERE id = 1")
    assert [*after[0]][:2] == [*before[0]][:2] and scalar(desk, "SELECT COUNT(*) FROM recovery_code") == 10


def test_guessing_a_password_from_inside_is_stopped(desk: Desk) -> None:
    """Whichever of one's own forms it is tried in, and wherever from."""
    for number in range(6):
        with pytest.raises(Refused, match="isn’t your password"):
            set_pin(desk, JUNO, "4071", f"guess {number}")
    with pytest.raises(Refused, match="Too many tries"):
        change_password(desk, JUNO, PASSWORD, "a harbor in the fog")
    set_pin(desk, RAVI, "4071", PASSWORD)


def test_guessing_codes_is_stopped(desk: Desk, letters: Letters) -> None:
    vault = letters.vault
    secret = begin(desk, vault, JUNO)
    confirm(desk, vault, JUNO, PASSWORD, codes(secret)(0))
    for number in range(6):
        with pytest.raises(Refused):
            check_second(desk, vault, 1, f"{number:06}", "1.2.3.4")
    with pytest.raises(Refused, match="Too many"):
        check_second(desk, vault, 1, codes(secret)(1), "1.2.3.4")


def test_whom_the_clinic_asks_cannot_turn_it_off_and_a_manager_helps_who_lost_it(
    desk: Desk, letters: Letters
) -> None:
    second_factor.ask_for_second(desk, SAM, 1)
    with desk.engine.connect() as connection:
        actor = who_is(connection, open_session(desk, 1), desk.clinic.roles)
    assert actor is not None and actor.owes_second
    confirm(desk, letters.vault, JUNO, PASSWORD, codes(begin(desk, letters.vault, JUNO))(0))
    with pytest.raises(Refused):
        turn_off(desk, JUNO, PASSWORD)
    with pytest.raises(NotAllowed):
        drop_second(desk, RAVI, 1)
    drop_second(desk, SAM, 1)
    assert scalar(desk, "SELECT COUNT(*) FROM recovery_code") == 0


def test_everyone_is_asked_at_once_and_who_has_one_is_left_in_peace(desk: Desk, letters: Letters) -> None:
    confirm(desk, letters.vault, JUNO, PASSWORD, codes(begin(desk, letters.vault, JUNO))(0))
    others = scalar(desk, "SELECT COUNT(*) FROM user WHERE active AND id <> 1")
    with pytest.raises(NotAllowed):
        second_factor.ask_everyone(desk, RAVI)
    assert second_factor.ask_everyone(desk, SAM) == others
    assert second_factor.ask_everyone(desk, SAM) == 0
    assert scalar(desk, "SELECT must_second FROM user WHERE id = 1") == 0


# --- PINs at a shared desk
def test_a_pin_works_where_its_person_signed_in_today(desk: Desk) -> None:
    set_pin(desk, JUNO, "4071", PASSWORD)
    with pytest.raises(Refused, match="password first"):
        switch(desk, 1, "4071", HERE)
    open_session(desk, 1, HERE)
    with desk.engine.connect() as connection:
        assert [each.id for each in people_here(desk, connection, HERE)] == [1]
        assert people_here(desk, connection, Browser("1.2.3.4", "desk-two")) == []
        assert people_here(desk, connection, Browser("1.2.3.4", "")) == []
    secret = switch(desk, 1, "4071", HERE)
    with desk.engine.connect() as connection:
        actor = who_is(connection, secret, desk.clinic.roles)
    assert actor is not None and actor.name == "Juno Park"
    with pytest.raises(Refused):
        set_pin(desk, JUNO, "4072", "not my password")


def test_a_session_by_pin_is_no_ground_for_another_and_tomorrow_asks_for_the_password(
    desk: Desk, monkeypatch: pytest.MonkeyPatch
) -> None:
    set_pin(desk, JUNO, "4071", PASSWORD)
    open_session(desk, 1, HERE)
    tomorrow = system_now() + timedelta(days=1)
    monkeypatch.setattr(switching, "system_now", lambda: tomorrow)
    with pytest.raises(Refused, match="password first"):
        switch(desk, 1, "4071", HERE)


def test_five_wrong_pins_shut_it(desk: Desk) -> None:
    set_pin(desk, JUNO, "4071", PASSWORD)
    open_session(desk, 1, HERE)
    for wrong in range(5):
        with pytest.raises(Refused, match="isn’t the PIN"):
            switch(desk, 1, f"900{wrong}", Browser(f"1.2.3.{wrong}", HERE.device))
    with pytest.raises(Refused, match="Too many"):
        switch(desk, 1, "4071", HERE)


# --- roles
def test_a_right_is_given_and_taken_and_holds_at_once(desk: Desk) -> None:
    assert "claims" not in desk.clinic.roles["receptionist"].rights
    turn_right(desk, SAM, "receptionist", "claims", True, 1)
    assert "claims" in desk.clinic.roles["receptionist"].rights
    with pytest.raises(Stale):
        turn_right(desk, SAM, "receptionist", "claims", False, 1)
    with pytest.raises(Problems):
        turn_right(desk, SAM, "manager", "people", False, desk.clinic.roles["manager"].version)
    with pytest.raises(NotAllowed):
        turn_right(desk, JUNO, "receptionist", "setup", True, 2)


def test_a_role_of_the_clinics_own(desk: Desk) -> None:
    key = add_role(desk, SAM, "Assistant", "clinician")
    role = desk.clinic.roles[key]
    assert role.rights == desk.clinic.roles["clinician"].rights and desk.clinic.money.limits[key] == 0
    change_person(desk, SAM, 2, InviteForm(name="Ravi Teller", email="r@example.org", role=key))
    with pytest.raises(Refused, match="still has"):
        retire_role(desk, SAM, key, False, role.version)
    with desk.engine.connect() as connection:
        actor = who_is(connection, open_session(desk, 2), desk.clinic.roles)
    assert actor is not None and actor.role.words == "Assistant"
    change_person(desk, SAM, 2, InviteForm(name="Ravi Teller", email="r@example.org", role="receptionist"))
    retire_role(desk, SAM, key, False, role.version)
    assert key not in desk.clinic.role_words and desk.clinic.role_name(key) == "Assistant"
    with pytest.raises(Refused):
        retire_role(desk, SAM, MANAGER.key, False, desk.clinic.roles["manager"].version)


# --- leaving
def test_who_leaves_gives_on_what_they_have_and_is_out_at_once(desk: Desk, letters: Letters) -> None:
    patient = add_patient(desk)
    give(desk, JUNO, HandOverForm(about=f"patient-{patient}", to="user-2", words="call her back"))
    session, link = open_session(desk, 2, HERE), send_link(desk, SAM, 2, letters)
    with desk.engine.connect() as connection:
        going = leaving(connection, desk.clinic, 2)
    assert [(each.key, each.number) for each in going.in_hand] == [("hand_overs", 1)] and going.places == 1
    with pytest.raises(Problems):
        leave(desk, SAM, 2, {})
    assert scalar(desk, "SELECT active FROM user WHERE id = 2") == 1
    leave(desk, SAM, 2, {"hand_overs": 1})
    assert scalar(desk, "SELECT to_user_id FROM hand_over") == 1
    with desk.engine.connect() as connection:
        assert who_is(connection, session, desk.clinic.roles) is None and active_user(connection, 2) is None
        with pytest.raises(NotFound):
            welcome(connection, token_of(link.href))
    with pytest.raises(Refused):
        authenticate(desk, "ravi", PASSWORD, "1.2.3.4")
    come_back(desk, SAM, 2)
    with pytest.raises(Refused):  # the old password is gone
        authenticate(desk, "ravi", PASSWORD, "1.2.3.4")


def test_somebody_who_can_set_things_up_always_stays(desk: Desk) -> None:
    with pytest.raises(Refused, match="for you"):
        leave(desk, SAM, 4, {})
    with pytest.raises(Refused, match="another person a manager"):
        change_person(desk, SAM, 4, InviteForm(name="Sam Quill", email="s@example.org", role="biller"))
    change_person(desk, SAM, 1, InviteForm(name="Juno Park", email="j@example.org", role="manager"))
    change_person(desk, SAM, 4, InviteForm(name="Sam Quill", email="s@example.org", role="biller"))
    assert scalar(desk, "SELECT role FROM user WHERE id = 4") == "biller"
