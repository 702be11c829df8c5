"""A charge that was wrong although its claim has left: the checkout is undone on purpose, and finishing again
makes the corrected claim; against a real MariaDB.
"""

from __future__ import annotations

from collections.abc import Callable

import pytest
from sqlalchemy import text

from tests.conftest import JUNO, ODILE, TODAY, scalar, visit_at_checkout
from tests.desk.claims.test_working_claims import finished, spoil, state
from tests.desk.money.test_money import nothing_is_wrong
from tests.desk.remits.test_insurers import answer
from tests.desk.remits.test_two_plans_and_denials import with_second_plan
from zax.core.claims.difference import Difference
from zax.core.errors import Conflict, NotAllowed
from zax.demo.world import SERVICE_ID
from zax.desk.acts.actor import Actor
from zax.desk.acts.transaction import Desk
from zax.desk.charges.charges import add_line, remove_line
from zax.desk.claims.claim_page import claim_page
from zax.desk.claims.fixing import carry_subject
from zax.desk.claims.sending import send_ready
from zax.desk.claims.thread import bill_next_plan_from_paper, correct_claim, void_claim
from zax.desk.day.checkout import change_what_was_billed, finish_checkout, take_checkout_back
from zax.desk.remits.importing import import_file


def with_payer(desk: Desk) -> tuple[int, int]:
    """(claim, visit) that the payer has, with the payer's own number."""
    claim = finished(desk)
    send_ready(desk, ODILE)
    spoil(desk, "UPDATE claim SET state = 'accepted', payer_claim = 'HG-778', sent_at = NOW()")
    return claim, int(scalar(desk, "SELECT visit_id FROM claim"))


def followers(desk: Desk) -> list[tuple[str, str, int, str]]:
    """(frequency, state, the claim it follows, the payer's number it names) of what came after."""
    query = text(
        "SELECT frequency, state, follows_id, JSON_VALUE(carried, '$.payer_claim') FROM claim"
        " WHERE follows_id IS NOT NULL ORDER BY id"
    )
    with desk.engine.connect() as connection:
        return [(row[0], row[1], row[2], row[3]) for row in connection.execute(query)]


def originals_that_stand(desk: Desk) -> int:
    """Claims that bill the visit anew: not withdrawn, not closed, no correction."""
    return int(scalar(desk, "SELECT COUNT(*) FROM claim WHERE frequency = '1' AND state <> 'closed'"))


def changed(desk: Desk, claim: int) -> list[Difference]:
    with desk.engine.connect() as connection:
        return list(claim_page(connection, desk.clinic, claim, TODAY).changed)


def first_line(desk: Desk) -> int:
    return int(scalar(desk, "SELECT MIN(id) FROM charge_line"))


def test_finishing_again_makes_the_corrected_claim(desk: Desk) -> None:
    claim, visit = with_payer(desk)
    change_what_was_billed(desk, ODILE, visit)
    assert state(desk, claim) == "closed"
    add_line(desk, ODILE, visit, SERVICE_ID["D9230"])
    finish_checkout(desk, JUNO, visit)
    assert followers(desk) == [("7", "ready", claim, "HG-778")]
    send_ready(desk, ODILE)
    sent = str(scalar(desk, "SELECT text FROM x12_file ORDER BY id DESC LIMIT 1"))
    assert ":B:7*" in sent and "REF*F8*HG-778~" in sent and "AD:D9230" in sent and "AD:D2392" in sent
    assert nothing_is_wrong(desk, visit)


def test_nothing_left_to_bill_takes_the_claim_back(desk: Desk) -> None:
    claim, visit = with_payer(desk)
    change_what_was_billed(desk, ODILE, visit)
    remove_line(desk, ODILE, visit, first_line(desk))
    finish_checkout(desk, JUNO, visit)
    assert followers(desk) == [("8", "ready", claim, "HG-778")]
    assert scalar(desk, "SELECT COALESCE(SUM(insurer_cents), 0) FROM journal") == 0


def test_changing_it_twice_follows_the_last_one_that_left(desk: Desk) -> None:
    claim, visit = with_payer(desk)
    change_what_was_billed(desk, ODILE, visit)
    finish_checkout(desk, JUNO, visit)
    take_checkout_back(desk, JUNO, visit, "one more")
    finish_checkout(desk, JUNO, visit)
    assert followers(desk) == [("7", "closed", claim, "HG-778"), ("7", "ready", claim, "HG-778")]
    send_ready(desk, ODILE)
    with pytest.raises(Conflict, match="on its way"):
        change_what_was_billed(desk, ODILE, visit)
    spoil(desk, "UPDATE claim SET state = 'sent', sent_at = NOW() WHERE state = 'going'")
    last = scalar(desk, "SELECT MAX(id) FROM claim")
    change_what_was_billed(desk, ODILE, visit)
    finish_checkout(desk, JUNO, visit)
    assert followers(desk)[-1] == ("7", "ready", last, "HG-778")


def test_the_desk_is_told_where_to_change_it_and_only_billing_does(desk: Desk) -> None:
    _, visit = with_payer(desk)
    with pytest.raises(Conflict, match="Change what was billed"):
        take_checkout_back(desk, JUNO, visit, "oh")
    with pytest.raises(NotAllowed):
        change_what_was_billed(desk, JUNO, visit)
    change_what_was_billed(desk, ODILE, visit)
    with pytest.raises(Conflict, match="isn’t finished"):
        change_what_was_billed(desk, ODILE, visit)


def test_what_the_payer_paid_is_not_billed_anew(desk: Desk) -> None:
    _, visit = with_payer(desk)
    number = str(scalar(desk, "SELECT number FROM claim"))
    import_file(desk, ODILE, "x.835", answer(number, first_line(desk)))
    with pytest.raises(Conflict, match="has responded"):
        change_what_was_billed(desk, ODILE, visit)


def test_an_answer_to_the_replaced_claim_waits_for_a_person(desk: Desk) -> None:
    _, visit = with_payer(desk)
    number = str(scalar(desk, "SELECT number FROM claim"))
    change_what_was_billed(desk, ODILE, visit)
    before = scalar(desk, "SELECT COUNT(*) FROM journal")
    import_file(desk, ODILE, "x.835", answer(number, first_line(desk)))
    assert scalar(desk, "SELECT COUNT(*) FROM journal") == before
    assert scalar(desk, "SELECT outcome FROM remit_claim") == "person"


def test_what_was_typed_for_a_withdrawn_claim_comes_along(desk: Desk) -> None:
    claim = finished(desk)
    visit = int(scalar(desk, "SELECT visit_id FROM claim"))
    carry_subject(desk, ODILE, claim, "note", {"note": "Fractured cusp"})
    take_checkout_back(desk, JUNO, visit, "one more")
    finish_checkout(desk, JUNO, visit)
    kept = scalar(desk, "SELECT JSON_VALUE(carried, '$.note') FROM claim ORDER BY id DESC LIMIT 1")
    assert kept == "Fractured cusp"


def test_what_changed_since_it_went_out_is_said(desk: Desk) -> None:
    claim, _ = with_payer(desk)
    assert changed(desk, claim) == []
    spoil(desk, "UPDATE charge_line SET tooth = '15'")
    spoil(desk, "UPDATE coverage SET member_id = 'NEW-1'")
    found = changed(desk, claim)
    assert [each.what for each in found] == ["member ID", "D2392"]
    assert "15" in found[1].now and "15" not in found[1].was
    medical = finished(desk, dental=False, plan_id=3, start="15:00", first="Otis")
    send_ready(desk, ODILE)
    spoil(desk, "UPDATE claim SET state = 'sent' WHERE id = :id", id=medical)
    assert changed(desk, medical) == []


@pytest.mark.parametrize("begun", [correct_claim, void_claim])
def test_a_correction_that_never_left_is_begun_again_not_billed_twice(
    desk: Desk, begun: Callable[[Desk, Actor, int], int]
) -> None:
    claim, visit = with_payer(desk)
    begun(desk, ODILE, claim)
    take_checkout_back(desk, JUNO, visit, "one more")
    finish_checkout(desk, JUNO, visit)
    assert followers(desk)[-1] == ("7", "ready", claim, "HG-778")
    assert originals_that_stand(desk) == 0


def test_a_void_that_left_ends_the_claim_and_the_visit_is_billed_anew(desk: Desk) -> None:
    claim, visit = with_payer(desk)
    void_claim(desk, ODILE, claim)
    spoil(desk, "UPDATE claim SET state = 'accepted', sent_at = NOW() WHERE frequency = '8'")
    change_what_was_billed(desk, ODILE, visit)
    finish_checkout(desk, JUNO, visit)
    assert originals_that_stand(desk) == 1


def test_with_a_second_plan_asked_the_first_ones_claim_is_still_replaced(desk: Desk) -> None:
    visit = visit_at_checkout(desk, with_second_plan(desk), dental=True)
    finish_checkout(desk, JUNO, visit)
    first = int(scalar(desk, "SELECT id FROM claim"))
    send_ready(desk, ODILE)
    spoil(desk, "UPDATE claim SET state = 'accepted', payer_claim = 'BD-1', sent_at = NOW()")
    typed = {"decided": "2026-11-20", "paid-1": "182.70", "deductible-1": "25", "coinsurance-1": "78.30"}
    second = bill_next_plan_from_paper(desk, ODILE, first, typed)
    spoil(
        desk,
        "UPDATE claim SET state = 'accepted', payer_claim = 'HG-2', sent_at = NOW() WHERE id = :id",
        id=second,
    )
    change_what_was_billed(desk, ODILE, visit)
    finish_checkout(desk, JUNO, visit)
    assert followers(desk)[1:] == [("7", "ready", first, "BD-1"), ("8", "ready", second, "HG-2")]
    assert originals_that_stand(desk) == 0


def test_what_never_left_is_neither_corrected_nor_taken_back(desk: Desk) -> None:
    claim = finished(desk)
    visit = int(scalar(desk, "SELECT visit_id FROM claim"))
    take_checkout_back(desk, JUNO, visit, "one more")
    for act in (correct_claim, void_claim):
        with pytest.raises(Conflict, match="doesn’t have this claim yet"):
            act(desk, ODILE, claim)
