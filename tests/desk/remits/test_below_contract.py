"""One letter about everything a payer left below its contract: all of its services or none are asked for,
each is answered on its own, and its money stays with the payer.
"""

from __future__ import annotations

from datetime import timedelta
from pathlib import Path

import pytest
from sqlalchemy import text

from tests.conftest import JUNO, ODILE, SAM, TODAY, scalar
from tests.desk.paying import agrees
from tests.desk.remits.payment_files import Waiting, waiting_claims
from tests.desk.remits.test_taking_back import parts, take
from zax.core.errors import Conflict, NotAllowed, NotFound, Refused
from zax.core.remits.below_contract import BelowContract
from zax.desk.acts.transaction import Desk
from zax.desk.remits.below_contract import below_contract, send_contract_letter
from zax.desk.remits.denials import appeal_answered, leave_be
from zax.store.files import FileStore


def underpaid(desk: Desk, trace: str, short: int = 3_000) -> tuple[Waiting, BelowContract]:
    """A line of $200 whose contract forgives $50, of which the payer took `short` more off."""
    (claim,) = waiting_claims(desk, 1, [(20_000, 0)])
    with desk.engine.begin() as connection:
        connection.execute(
            text("UPDATE charge_line SET contract_cents = 5000 WHERE id = :id"), {"id": claim.lines[0][0]}
        )
    take(desk, trace, claim.said((15_000 - short, [("CO", "45", 5_000 + short)])))
    return claim, next(each for each in listed(desk, payer_of(desk)) if each.claim_id == claim.claim_id)


def payer_of(desk: Desk) -> int:
    """Whose the waiting claims are; of none, any payer."""
    asked = "SELECT p.payer_id FROM plan p JOIN coverage c ON c.plan_id = p.id LIMIT 1"
    return int(scalar(desk, asked) or min(desk.clinic.payers))


def listed(desk: Desk, payer_id: int) -> list[BelowContract]:
    with desk.engine.connect() as connection:
        return below_contract(connection, payer_id)


def test_it_says_fee_allowed_and_missing(desk: Desk) -> None:
    claim, short = underpaid(desk, "1")
    assert (short.fee, short.allowed, short.cents) == (15_000, 12_000, 3_000)
    assert short.claim == claim.number and short.member and short.patient
    assert parts(desk, claim) == (0, 3_000)


def test_sent_all_are_asked_for_and_each_is_answered_on_its_own(desk: Desk, tmp_path: Path) -> None:
    (first, one), (second, two), (third, left) = (underpaid(desk, each) for each in "123")
    store, payer = FileStore(tmp_path), payer_of(desk)
    by = send_contract_letter(desk, ODILE, store, payer, {one.id, two.id}, b"%PDF the list")
    assert by == TODAY + timedelta(days=30) and [each.id for each in listed(desk, payer)] == [left.id]
    letter = scalar(desk, f"SELECT letter FROM shortfall WHERE id = {two.id}")
    assert store.get(letter) == b"%PDF the list"
    assert (
        scalar(desk, "SELECT COUNT(*) FROM claim_event WHERE words LIKE 'Letter about the contract sent%'")
        == 2
    )
    appeal_answered(desk, ODILE, one.id, False, "our new schedule")
    assert {each.id for each in listed(desk, payer)} == {one.id, left.id}
    appeal_answered(desk, ODILE, two.id, True, "priced again")
    assert [parts(desk, each) for each in (first, second, third)] == [(0, 3_000)] * 3 and agrees(desk)


def test_if_one_was_decided_since_none_is_asked_for(desk: Desk, tmp_path: Path) -> None:
    (_, one), (_, two) = underpaid(desk, "1"), underpaid(desk, "2")
    store, payer = FileStore(tmp_path), payer_of(desk)
    leave_be(desk, ODILE, two.id, "settled by phone")
    with pytest.raises(Conflict):
        send_contract_letter(desk, ODILE, store, payer, {one.id, two.id}, b"x")
    with pytest.raises(Conflict, match="isn’t to be asked"):
        send_contract_letter(desk, ODILE, store, payer + 1, {one.id}, b"x")
    with pytest.raises(Refused, match="Tick the services"):
        send_contract_letter(desk, ODILE, store, payer, set(), b"x")
    with pytest.raises(NotFound):
        send_contract_letter(desk, ODILE, store, payer, {999_999}, b"x")
    with pytest.raises(NotAllowed):
        send_contract_letter(desk, JUNO, store, payer, {one.id}, b"x")
    assert [each.id for each in listed(desk, payer)] == [one.id]
    send_contract_letter(desk, SAM, store, payer, {one.id}, b"x")
    with pytest.raises(Conflict, match="isn’t to be asked"):
        send_contract_letter(desk, SAM, store, payer, {one.id}, b"x")
