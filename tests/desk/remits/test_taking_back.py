"""What payers take back, in any order and with what beside the claims, through the real import."""

from __future__ import annotations

import itertools
from collections.abc import Sequence

import pytest

from tests.conftest import JUNO, ODILE, SAM, scalar
from tests.desk.paying import agrees, items_of, pay
from tests.desk.remits.payment_files import Said, Waiting, payment_file, waiting_claims
from zax.desk.acts.transaction import Desk
from zax.desk.money.corrections import OffForm, write_off
from zax.desk.money.credits import use_credit
from zax.desk.money.payments import Item
from zax.desk.remits.importing import import_file
from zax.store.remits import payer_account
from zax.store.remits.remits import remits_in_file


def parts(desk: Desk, claim: Waiting) -> tuple[int, int]:
    found = "SELECT CONCAT(SUM(patient_cents), ' ', SUM(insurer_cents)) FROM journal WHERE visit_id = :id"
    patient, insurer = str(scalar(desk, found, id=claim.visit_id)).split()
    return int(patient), int(insurer)


def take(desk: Desk, trace: str, *claims: Said, plb: Sequence[tuple[str, int]] = ()) -> int:
    return import_file(desk, ODILE, f"{trace}.835", payment_file(trace, claims, plb)).for_a_person


def state(desk: Desk, claim: Waiting) -> str:
    return str(scalar(desk, "SELECT state FROM claim WHERE id = :id", id=claim.claim_id))


def test_taken_back_whole_it_waits_again_and_the_patient_is_asked_for_nothing(desk: Desk) -> None:
    (claim,) = waiting_claims(desk, 1)
    assert take(desk, "1", claim.as_expected()) == 0 and parts(desk, claim) == (9_720, 0)
    assert take(desk, "2", claim.taken_back()) == 1
    assert parts(desk, claim) == (0, 28_600) and state(desk, claim) == "accepted" and agrees(desk)
    why = str(scalar(desk, "SELECT why FROM remit_claim WHERE outcome = 'person'"))
    assert why == "Copperline Health took back $188.80, and no new decision came with it. Ask why."
    # Answered once more it is as at first, and nobody has to ask anymore.
    assert take(desk, "3", claim.as_expected()) == 0 and parts(desk, claim) == (9_720, 0) and agrees(desk)
    assert scalar(desk, "SELECT COUNT(*) FROM remit_claim WHERE outcome = 'person'") == 0
    assert scalar(desk, "SELECT COUNT(*) FROM remit WHERE state <> 'finished'") == 0


def test_what_the_patient_paid_stays_theirs_until_the_payer_decides_anew(desk: Desk) -> None:
    (claim,) = waiting_claims(desk, 1)
    pay(desk, claim.patient_id, [Item(claim.visit_id)], ("cash", "50.00"))
    take(desk, "1", claim.as_expected())
    take(desk, "2", claim.taken_back())
    # 50.00 of their 97.20 are paid: the rest of it waits with the insurer.
    assert parts(desk, claim) == (0, 23_600) and agrees(desk)


ORDERS = [*itertools.permutations(range(3))]


@pytest.mark.parametrize("order", ORDERS)
def test_in_whatever_order_its_pieces_come_it_ends_the_same(desk: Desk, order: Sequence[int]) -> None:
    """The first decision, what takes it back, and the new one, each in a file of its own."""
    (claim,) = waiting_claims(desk, 1)
    ((line, cents, _),) = claim.lines
    anew = Said(claim.number, [(line, cents, 15_000, [("CO", "45", 4_000), ("PR", "2", 9_600)])])
    pieces = [claim.as_expected(), claim.taken_back(), anew]
    for number in order:
        take(desk, f"T{number}", pieces[number])
    assert parts(desk, claim) == (9_600, 0), order
    # Never is the same money on the claim twice.
    paid = "SELECT -SUM(insurer_cents) FROM journal WHERE claim_id = :id AND kind IN ('insurer', 'reversal')"
    assert int(scalar(desk, paid, id=claim.claim_id) or 0) <= cents


@pytest.mark.parametrize("listed", [(0, 1), (1, 0)])
def test_taken_back_and_decided_anew_in_one_payment_is_a_pair_however_it_is_listed(
    desk: Desk, listed: tuple[int, int]
) -> None:
    (claim,) = waiting_claims(desk, 1)
    take(desk, "1", claim.as_expected())
    ((line, cents, _),) = claim.lines
    anew = Said(claim.number, [(line, cents, 20_000, [("PR", "2", 8_600)])])
    pair = (claim.taken_back(), anew)
    assert take(desk, "2", *(pair[at] for at in listed)) == 0
    assert parts(desk, claim) == (8_600, 0) and state(desk, claim) == "closed" and agrees(desk)


def test_money_is_carried_from_one_payment_to_another_on_the_payers_account(desk: Desk) -> None:
    first, second = waiting_claims(desk, 2)
    take(desk, "1", first.as_expected())
    # Taken back, but not yet in money: the payer carries it forward, and takes it from the next payment.
    assert take(desk, "2", first.taken_back(), plb=[(f"FB:{first.number}", -18_880)]) == 1
    assert take(desk, "3", second.as_expected(), plb=[(f"WO:{first.number}", 18_880)]) == 0
    with desk.engine.connect() as connection:
        (account,) = payer_account.balances(connection, ["FB", "WO"])
        assert (account.open_cents, account.kept_cents, account.number) == (0, 0, 2)
        about = {each.claim_id for each in payer_account.entries_of(connection, "COPPERLINE HEALTH")}
    assert about == {first.claim_id} and agrees(desk)


def test_interest_is_income_and_what_nothing_explains_is_asked_about(desk: Desk) -> None:
    (claim,) = waiting_claims(desk, 1)
    assert take(desk, "1", claim.as_expected(), plb=[(f"L6:{claim.number}", -125), ("WO:OLD-77", 2_000)]) == 1
    why = str(scalar(desk, "SELECT why FROM remit_claim WHERE outcome = 'person'"))
    assert "took $20.00 for claim OLD-77" in why and "WO: overpayment taken back" in why
    with desk.engine.connect() as connection:
        (account,) = payer_account.balances(connection, ["WO"])
        file = int(scalar(desk, "SELECT MAX(id) FROM x12_file"))
        (paid,) = remits_in_file(connection, file)
    assert (account.open_cents, account.kept_cents) == (2_000, -125)
    # Line by line and beside the claims it is the transfer.
    assert paid.paid_cents == 18_880 + 125 - 2_000 and paid.rest_cents == 0 and paid.state == "open"


def test_what_was_never_posted_or_is_another_amount_waits_for_a_person(desk: Desk) -> None:
    first, second = waiting_claims(desk, 2)
    assert take(desk, "1", first.taken_back()) == 1
    assert "never posted here" in str(scalar(desk, "SELECT why FROM remit_claim"))
    assert parts(desk, first) == (9_720, 18_880)
    take(desk, "2", second.as_expected())
    ((line, cents, own),) = second.lines
    other = Said(second.number, [(line, -cents, -10_000, [("PR", "2", -(cents - 10_000))])], "22")
    assert take(desk, "3", other) == 1
    said = str(scalar(desk, "SELECT why FROM remit_claim ORDER BY id DESC LIMIT 1"))
    assert said == "The payer takes back $100.00 for D2392, but $188.80 of it was posted here."
    assert parts(desk, second) == (own, 0) and agrees(desk)


def test_the_second_of_two_payments_takes_the_place_of_the_first_that_was_taken_back(desk: Desk) -> None:
    (claim,) = waiting_claims(desk, 1, [(10_000, 0)])
    ((line, cents, _),) = claim.lines
    whole = Said(claim.number, [(line, cents, 10_000, [])])
    assert (take(desk, "1", whole), take(desk, "2", whole)) == (0, 1)  # paid twice: the second waits
    assert parts(desk, claim) == (0, 0)
    assert take(desk, "3", Said(claim.number, [(line, -cents, -10_000, [])], "22")) == 0
    assert parts(desk, claim) == (0, 0) and state(desk, claim) == "closed" and agrees(desk)


@pytest.mark.parametrize("used", [False, True])
def test_a_credit_goes_back_with_the_overpayment_unless_it_was_used(desk: Desk, used: bool) -> None:
    (claim,) = waiting_claims(desk, 1, [(10_000, 2_000)])
    ((line, _, _),) = claim.lines
    write_off(desk, SAM, OffForm(line_id=line, amount="20.00", reason_id=1, why="courtesy"))
    take(desk, "1", Said(claim.number, [(line, 10_000, 10_000, [])]))
    (credit,) = items_of(desk, claim.patient_id).credits
    assert credit.cents == 2_000
    if used:
        (other,) = waiting_claims(desk, 1, [(5_000, 5_000)], claim.patient_id)
        use_credit(desk, JUNO, credit.entry_id, other.visit_id)
    waits = take(desk, "2", Said(claim.number, [(line, -10_000, -10_000, [])], "22"))
    assert waits == 1 and agrees(desk)
    credits = sum(each.cents for each in items_of(desk, claim.patient_id).credits)
    if used:
        why = str(scalar(desk, "SELECT why FROM remit_claim ORDER BY id DESC LIMIT 1"))
        assert why.startswith("$20.00 of the credit from this payment has been used.")
        assert state(desk, claim) == "closed"
    else:
        assert (state(desk, claim), parts(desk, claim), credits) == ("accepted", (0, 8_000), 0)


def test_another_part_of_a_payment_waits_for_a_person_and_is_never_dropped(desk: Desk) -> None:
    first, second = waiting_claims(desk, 2)
    take(desk, "T1", first.as_expected())
    part = payment_file("T1", [second.as_expected()])
    done = import_file(desk, ODILE, "part.835", part)
    assert done.words == "Copperline Health paid $188.80 for 1 claim (T1); 1 need review."
    latest = "SELECT CONCAT(outcome, ' ', claim_id) FROM remit_claim ORDER BY id DESC LIMIT 1"
    assert scalar(desk, latest) == f"person {second.claim_id}"
    assert parts(desk, second) == (9_720, 18_880)
    # The same part once more is known.
    again = import_file(desk, ODILE, "again.835", part + "\n")
    assert again.words == "Payment T1 already came in T1.835; it was not posted again."
    assert scalar(desk, "SELECT COUNT(*) FROM remit") == 2


def test_two_payments_of_one_number_in_one_file_are_both_read(desk: Desk) -> None:
    first, second = waiting_claims(desk, 2)
    one = payment_file("T1", [first.as_expected()])
    other = payment_file("T1", [second.as_expected()])
    body = one[one.index("ST*") : one.index("GE*")]
    both = one.replace(body, body + other[other.index("ST*") : other.index("GE*")].replace("*0001", "*0002"))
    both = both.replace("GE*1*", "GE*2*")
    import_file(desk, ODILE, "both.835", both)
    assert scalar(desk, "SELECT COUNT(*) FROM remit_claim") == 2
    assert scalar(desk, "SELECT COUNT(*) FROM remit WHERE state = 'reading'") == 0 and agrees(desk)


def test_what_was_never_posted_is_not_taken_back_from_the_new_decision_beside_it(desk: Desk) -> None:
    first, *others = waiting_claims(desk, 60)
    claims = [first.taken_back(), first.as_expected(), *(each.as_expected() for each in others)]
    assert import_file(desk, ODILE, "x.835", payment_file("ONE", claims)).for_a_person == 1
    assert scalar(desk, "SELECT COUNT(*) FROM remit_claim") == len(claims)
    assert all(parts(desk, each) == (9_720, 0) for each in (first, *others)) and agrees(desk)
    assert "never posted here" in str(scalar(desk, "SELECT why FROM remit_claim WHERE outcome = 'person'"))
