"""What payers left unpaid is worked off the list: corrected, appealed with its letter, billed, written off
within limits; and until then it stays with the insurer.
"""

from __future__ import annotations

from dataclasses import replace
from datetime import date, timedelta

import pytest
from sqlalchemy import text

from tests.conftest import JUNO, ODILE, SAM, TODAY, scalar
from tests.desk.paying import agrees
from tests.desk.remits.payment_files import Waiting, waiting_claims
from tests.desk.remits.test_taking_back import parts, state, take
from zax.core.errors import Conflict, NotAllowed, Refused
from zax.core.remits.grid import Place
from zax.core.remits.shortfalls import Work
from zax.desk.acts.transaction import Desk
from zax.desk.claims.following import close_claim
from zax.desk.claims.thread import correct_claim
from zax.desk.remits.denials import (
    appeal_answered,
    decide,
    draft,
    leave_be,
    send_appeal,
)
from zax.desk.remits.letters import keep_letter
from zax.store.files import FileStore
from zax.store.remits.shortfalls import OpenShortfall, ShortFilter, open_shortfalls, shortfall_of


def denied(desk: Desk, reason: str = "50", cents: int = 20_000) -> tuple[Waiting, OpenShortfall]:
    """A claim that was turned down, and its line on the list."""
    (claim,) = waiting_claims(desk, 1, [(cents, 0)])
    trace = f"D{claim.claim_id}"
    assert take(desk, trace, claim.said((0, [("CO", reason, cents)]), status="4")) == 1
    return claim, listed(desk)[-1]


def listed(desk: Desk, chosen: ShortFilter = ShortFilter()) -> list[OpenShortfall]:
    with desk.engine.connect() as connection:
        return sorted(open_shortfalls(connection, chosen), key=lambda each: each.id)


@pytest.mark.parametrize(
    ("reason", "work"),
    [
        ("16", Work.FIX),
        ("22", Work.ELSEWHERE),
        ("50", Work.APPEAL),
        ("27", Work.PATIENT),
        ("29", Work.APPEAL),
    ],
)
def test_each_is_listed_under_what_to_do_and_nothing_is_written_off(
    desk: Desk, reason: str, work: Work
) -> None:
    claim, short = denied(desk, reason)
    assert (short.work, short.cents, short.reasons) == (work, 20_000, [f"CO {reason}"])
    # From the payment’s day, as long as the payer takes appeals.
    assert short.act_by == date(2026, 12, 2) + timedelta(days=180)
    assert parts(desk, claim) == (0, 20_000) and state(desk, claim) == "denied" and agrees(desk)


def test_billed_to_the_patient_or_written_off_in_words_the_account_says(desk: Desk) -> None:
    claim, short = denied(desk, "27")
    decide(desk, ODILE, short.id, Place.PATIENT, "the plan ended in October")
    assert parts(desk, claim) == (20_000, 0) and state(desk, claim) == "closed"
    words = "SELECT words FROM journal WHERE kind = 'transfer' ORDER BY id DESC LIMIT 1"
    assert scalar(desk, words) == "Moved to patient, the plan ended in October"
    with pytest.raises(Conflict, match="This was decided: billed to the patient"):
        decide(desk, SAM, short.id, Place.WRITE_OFF, "no")
    other, second = denied(desk)
    with pytest.raises(Refused, match="Say why"):
        decide(desk, ODILE, second.id, Place.WRITE_OFF)
    decide(desk, ODILE, second.id, Place.WRITE_OFF, "filed late by us")
    assert parts(desk, other) == (0, 0) and listed(desk) == [] and agrees(desk)


def test_a_write_off_stays_within_the_roles_limit_and_the_front_desk_decides_nothing(desk: Desk) -> None:
    claim, short = denied(desk, "50", 40_000)
    with pytest.raises(NotAllowed, match="Ask manager"):
        decide(desk, ODILE, short.id, Place.WRITE_OFF, "too much")
    with pytest.raises(NotAllowed):
        decide(desk, JUNO, short.id, Place.PATIENT)
    assert parts(desk, claim) == (0, 40_000)
    decide(desk, SAM, short.id, Place.WRITE_OFF, "settled with them")
    assert parts(desk, claim) == (0, 0)


def test_an_appeal_is_drafted_sent_and_answered_either_way(desk: Desk, tmp_path) -> None:  # type: ignore[no-untyped-def]
    claim, short = denied(desk, "197")
    with desk.engine.connect() as connection:
        letter = draft(connection, desk.clinic, short, TODAY)
    assert claim.number in letter and "$200.00" in letter and "no prior approval" in letter
    assert "{" not in letter
    by = send_appeal(desk, ODILE, FileStore(tmp_path), short.id, letter.encode())
    assert by == TODAY + timedelta(days=30) and parts(desk, claim) == (0, 20_000)
    (sent,) = listed(desk)
    assert (sent.state, sent.answer_by) == ("appealed", by)
    assert FileStore(tmp_path).get(sent.letter) == letter.encode()
    appeal_answered(desk, ODILE, short.id, False, "no new facts")
    (again,) = listed(desk)
    assert again.state == "open" and again.words.startswith("Appeal turned down: no new facts.")
    send_appeal(desk, ODILE, FileStore(tmp_path), short.id, b"second level")
    appeal_answered(desk, ODILE, short.id, True, "paid next week")
    assert listed(desk) == [] and state(desk, claim) == "accepted"
    # And its money posts by itself.
    assert take(desk, "won", claim.said((20_000, []))) == 0
    assert parts(desk, claim) == (0, 0) and agrees(desk)


def test_the_clinics_own_letter_has_only_places_that_are_filled(setup: Desk) -> None:
    with pytest.raises(Refused, match=r"\{doctor\} isn’t a place"):
        keep_letter(setup, SAM, "appeal_letter", "Dear {doctor}")
    with pytest.raises(NotAllowed):
        keep_letter(setup, ODILE, "appeal_letter", "Pay {amount}.")
    keep_letter(setup, SAM, "appeal_letter", "Pay {amount} for {patient}. {why}")
    _, short = denied(setup, "29")
    with setup.engine.connect() as connection:
        letter = draft(connection, setup.clinic, short, TODAY)
    assert letter.startswith("Pay $200.00 for Helen V") and "was sent on" in letter


def test_a_corrected_or_closed_claim_takes_its_lines_off_the_list(desk: Desk) -> None:
    claim, short = denied(desk, "16")
    correct_claim(desk, ODILE, claim.claim_id)
    other, _ = denied(desk, "16")
    close_claim(desk, ODILE, other.claim_id, "billed elsewhere")
    assert listed(desk) == []
    with desk.engine.connect() as connection:
        ended = shortfall_of(connection, short.id)
    assert ended is not None and ended.ended_how == "replaced by a corrected claim"


def test_paid_above_the_contract_is_only_noted(desk: Desk) -> None:
    (claim,) = waiting_claims(desk, 1, [(20_000, 0)])
    line = claim.lines[0][0]
    with desk.engine.begin() as connection:
        connection.execute(text("UPDATE charge_line SET contract_cents = 8000 WHERE id = :id"), {"id": line})
    assert take(desk, "1", claim.said((15_000, [("CO", "45", 5_000)]))) == 0
    (noted,) = listed(desk)
    assert (noted.work, noted.cents) == (Work.ABOVE, 3_000) and parts(desk, claim) == (0, 0)
    with pytest.raises(Conflict, match="Nothing of it is with the insurer"):
        decide(desk, SAM, noted.id, Place.WRITE_OFF, "x")
    leave_be(desk, ODILE, noted.id, "their new fee schedule")
    assert listed(desk) == [] and state(desk, claim) == "closed"


def test_the_list_is_narrowed_by_payer_class_amount_and_age(desk: Desk) -> None:
    _, large = denied(desk, "50", 30_000)
    _, small = denied(desk, "16", 5_000)
    assert [each.id for each in listed(desk, ShortFilter(work="fix"))] == [small.id]
    assert [each.id for each in listed(desk, ShortFilter(cents=10_000))] == [large.id]
    assert listed(desk, ShortFilter(payer_id=99)) == []
    assert len(listed(desk, ShortFilter(payer_id=large.payer_id))) == 2
    assert listed(desk, ShortFilter(before=large.made_at)) == []


def test_the_letter_about_what_the_patient_has_paid_asks_for_the_charge(desk: Desk) -> None:
    """Kills: an appeal for $0.00."""
    _, short = denied(desk, "97", 14_800)
    with desk.engine.connect() as connection:
        letter = draft(connection, desk.clinic, replace(short, cents=0), TODAY)
    assert "pay $148.00" in letter and "$0.00" not in letter
