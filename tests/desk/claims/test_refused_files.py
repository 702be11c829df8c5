"""A batch that the clearinghouse's door does not take: nothing is lost, nothing goes twice, and what it minds
is found by itself; against a real MariaDB and through the worker.
"""

from __future__ import annotations

import re

import pytest

from tests.conftest import ODILE, scalar
from tests.desk.claims.test_working_claims import finished, spoil, state
from tests.fakes import FakeClearinghouse
from zax.desk.acts.transaction import Desk
from zax.desk.claims.claims import recheck
from zax.desk.claims.sending import send_ready
from zax.desk.worker.worker import run_once
from zax.outside.doors import Outside
from zax.web.money.documents import receipt_pdf

STARTS = ("11:00", "13:00", "14:00", "15:00", "16:00")


def batch(desk: Desk, outside: Outside, number: int) -> tuple[list[int], FakeClearinghouse]:
    """Claims on their way, and the house."""
    claims = [finished(desk, start=STARTS[n], first=f"Pat {chr(65 + n)}") for n in range(number)]
    send_ready(desk, ODILE)
    house = outside.clearinghouse
    assert isinstance(house, FakeClearinghouse)
    return claims, house


def work(desk: Desk, outside: Outside) -> None:
    spoil(desk, "UPDATE outbox SET due_at = made_at WHERE state = 'waiting'")
    run_once(desk, outside, receipt_pdf, limit=40)


def numbers(house: FakeClearinghouse) -> list[str]:
    return [each for text in house.delivered.values() for each in re.findall(r"CLM\*(C\d+)", text)]


@pytest.mark.parametrize("most", [1, 2, 3])
def test_a_file_that_is_too_large_goes_in_parts_each_claim_once(
    desk: Desk, outside: Outside, most: int
) -> None:
    claims, house = batch(desk, outside, 5)
    house.most_claims = most
    work(desk, outside)
    assert sorted(numbers(house)) == [f"C{each:06d}" for each in claims]
    assert {state(desk, each) for each in claims} == {"sent"}
    refused = scalar(desk, "SELECT COUNT(*) FROM x12_file WHERE outcome LIKE 'Refused:%too large%'")
    assert refused >= 1


def test_a_claim_that_is_refused_alone_waits_for_a_person_with_the_reason(
    desk: Desk, outside: Outside
) -> None:
    claims, house = batch(desk, outside, 2)
    house.most_claims = 0
    work(desk, outside)
    assert house.delivered == {} and {state(desk, each) for each in claims} == {"rejected"}
    assert "too large" in str(scalar(desk, "SELECT findings FROM claim WHERE id = :id", id=claims[0]))
    house.most_claims = 10
    assert all(recheck(desk, ODILE, each) for each in claims)
    send_ready(desk, ODILE)
    work(desk, outside)
    assert {state(desk, each) for each in claims} == {"sent"} and len(numbers(house)) == 2


def test_a_door_that_is_shut_is_tried_again_and_the_claims_stay_on_their_way(
    desk: Desk, outside: Outside
) -> None:
    claims, house = batch(desk, outside, 2)
    house.closed = "The clearinghouse didn’t accept our sign-in (401)."
    work(desk, outside)
    assert {state(desk, each) for each in claims} == {"going"}
    assert "sign-in (401)" in scalar(desk, "SELECT last_error FROM outbox WHERE kind = 'claim_file'")
    assert send_ready(desk, ODILE).claims == 0
    house.closed = ""
    work(desk, outside)
    assert {state(desk, each) for each in claims} == {"sent"} and len(numbers(house)) == 2
