"""A check or transfer worked on by hand: entered once, placed to the cent, taken out and placed again, left
half done, finished, opened again, reversed; and two people at it.
"""

from __future__ import annotations

import threading
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from datetime import timedelta

import pytest

from tests.conftest import JUNO, ODILE, SAM, TODAY, add_patient, scalar, state_of, visit_at_checkout
from tests.desk.paying import agrees
from tests.desk.remits.payment_files import Said, Waiting, payment_file, waiting_claims
from tests.desk.remits.test_taking_back import parts, state
from zax.core.errors import Conflict, NotAllowed, Problems, Refused
from zax.core.remits.grid import Boxes, Place
from zax.desk.acts.actor import Actor
from zax.desk.acts.transaction import Desk
from zax.desk.claims.thread import correct_claim
from zax.desk.day.checkout import finish_checkout
from zax.desk.money.day_close import CloseForm, close_day, closing_of
from zax.desk.remits.by_hand import (
    PaymentForm,
    add_scan,
    finish_payment,
    hand_over,
    open_again,
    reverse_payment,
    start_payment,
    work_on,
)
from zax.desk.remits.importing import import_file
from zax.desk.remits.placing_by_hand import (
    note_sent_on_paper,
    place_claim,
    set_aside_answer,
    take_out,
)
from zax.desk.remits.posting_desk import grid_of, posting_desk, split_boxes
from zax.store.files import FileStore
from zax.store.remits.remits import remit_of
from zax.store.remits.shortfalls import open_shortfalls


def payment(desk: Desk, cents: int, number: str = "40771", **changes: object) -> int:
    form = {
        "payer_id": 1,
        "amount": f"{cents / 100:.2f}",
        "day": TODAY - timedelta(days=1),
        "number": number,
        "key": f"key-{number}",
    }
    return start_payment(desk, ODILE, 1, PaymentForm(**(form | changes)))


def expected(desk: Desk, claim: Waiting) -> dict[int, Boxes]:
    with desk.engine.connect() as connection:
        grid = grid_of(connection, desk.clinic, claim.claim_id)
    assert grid is not None and grid.agrees
    return {each.line.line_id: each.expected for each in grid.lines}


def rest(desk: Desk, remit_id: int) -> int:
    with desk.engine.connect() as connection:
        found = remit_of(connection, remit_id)
    assert found is not None
    return found.rest_cents


def boxes(claim: Waiting, **values: object) -> dict[int, Boxes]:
    """The same boxes for its one line."""
    return {claim.lines[0][0]: Boxes(**values)}  # type: ignore[arg-type]


def test_it_is_entered_once_and_what_is_wrong_is_said_beside_each_box(desk: Desk) -> None:
    made = payment(desk, 50_000)
    assert payment(desk, 50_000) == made  # the same form again
    with pytest.raises(Problems) as wrong:
        payment(desk, 50_000, key="other")
    assert "entered before, by hand" in wrong.value.problems["number"]
    with pytest.raises(Problems) as wrong:
        payment(desk, 0, "", payer_id=0, day=TODAY + timedelta(days=1), kind="gold", key="k", amount="1.234")
    assert set(wrong.value.problems) == {"payer_id", "amount", "number", "day", "kind"}
    assert "at most two digits" in wrong.value.problems["amount"]
    # Another payer's name is kept as it stands on the paper.
    other = payment(desk, 100, "77", payer="Guild Holdings")
    assert scalar(desk, "SELECT payer FROM remit WHERE id = :id", id=other) == "Guild Holdings"
    with pytest.raises(NotAllowed):
        start_payment(desk, JUNO, 1, PaymentForm(payer="X", amount="1", day=TODAY, number="1", key="z"))


def test_what_agrees_is_placed_by_one_act_and_finished_at_nothing_left(desk: Desk) -> None:
    claims = waiting_claims(desk, 3)
    made = payment(desk, 3 * 18_880)
    for at, claim in enumerate(claims):
        assert rest(desk, made) == (3 - at) * 18_880
        with pytest.raises(Conflict, match="still to be placed"):
            finish_payment(desk, ODILE, made)
        place_claim(desk, ODILE, made, claim.claim_id, expected(desk, claim))
        assert (state(desk, claim), parts(desk, claim)) == ("closed", (9_720, 0))
    finish_payment(desk, ODILE, made)
    finish_payment(desk, ODILE, made)
    assert scalar(desk, "SELECT state FROM remit") == "finished" and agrees(desk)
    with pytest.raises(Conflict, match="Open it again"):
        place_claim(desk, ODILE, made, claims[0].claim_id, expected_none(claims[0]))


def expected_none(claim: Waiting) -> dict[int, Boxes]:
    return boxes(claim)


@pytest.mark.parametrize(
    ("where", "ends"),
    [
        (Place.WORK, (0, 9_720)),
        (Place.PATIENT, (9_720, 0)),
        (Place.WRITE_OFF, (0, 0)),
    ],
)
def test_a_rest_goes_where_a_person_says(desk: Desk, where: Place, ends: tuple[int, int]) -> None:
    (claim,) = waiting_claims(desk, 1, [(28_600, 0)])
    made = payment(desk, 18_880)
    place_claim(desk, ODILE, made, claim.claim_id, boxes(claim, paid=18_880, reason="CO 97", place=where))
    assert parts(desk, claim) == ends and agrees(desk)
    with desk.engine.connect() as connection:
        open_ones = open_shortfalls(connection)
    assert [(each.cents, each.reasons) for each in open_ones] == (
        [(9_720, ["CO 97"])] if where is Place.WORK else []
    )
    assert state(desk, claim) == ("denied" if where is Place.WORK else "closed")


def test_taken_out_and_placed_again_the_journal_comes_to_the_same(desk: Desk) -> None:
    (claim,) = waiting_claims(desk, 1)
    first, second = payment(desk, 18_880), payment(desk, 18_880, "40772")
    before = parts(desk, claim)
    placed = place_claim(desk, ODILE, first, claim.claim_id, expected(desk, claim))
    after = parts(desk, claim)
    take_out(desk, ODILE, placed)
    take_out(desk, ODILE, placed)
    assert (rest(desk, first), state(desk, claim), sum(parts(desk, claim))) == (
        18_880,
        "accepted",
        sum(before),
    )
    place_claim(desk, SAM, second, claim.claim_id, expected(desk, claim))
    assert parts(desk, claim) == after and (rest(desk, first), rest(desk, second)) == (18_880, 0)
    history = "SELECT GROUP_CONCAT(words ORDER BY id SEPARATOR '|') FROM claim_event"
    assert "Taken out of" in str(scalar(desk, history)) and agrees(desk)


def test_no_more_is_placed_than_came_and_nothing_twice(desk: Desk) -> None:
    first, second = waiting_claims(desk, 2)
    made = payment(desk, 20_000)
    place_claim(desk, ODILE, made, first.claim_id, expected(desk, first))
    with pytest.raises(Conflict, match="Only \\$11.20 of this payment is left"):
        place_claim(desk, ODILE, made, second.claim_id, expected(desk, second))
    with pytest.raises(Conflict, match="placed in this payment already"):
        place_claim(desk, ODILE, made, first.claim_id, expected_none(first))
    with pytest.raises(Problems) as wrong:
        place_claim(desk, ODILE, made, second.claim_id, boxes(second, paid=28_000, copay=900))
    assert wrong.value.problems == {
        f"paid-{second.lines[0][0]}": "D2392: $289.00 is more than the $286.00 charged."
    }


def test_finished_with_a_difference_only_by_a_manager_who_says_why(desk: Desk) -> None:
    (claim,) = waiting_claims(desk, 1)
    made = payment(desk, 19_000)
    place_claim(desk, ODILE, made, claim.claim_id, expected(desk, claim))
    with pytest.raises(Conflict, match="Only a manager"):
        finish_payment(desk, ODILE, made, "bank fee")
    with pytest.raises(Refused, match="Say why \\$1.20 stays unplaced"):
        finish_payment(desk, SAM, made)
    finish_payment(desk, SAM, made, "their rounding")
    assert scalar(desk, "SELECT CONCAT(state, ': ', why) FROM remit") == "finished: their rounding"


def _close(desk: Desk) -> int:
    with desk.engine.connect() as connection:
        found = closing_of(connection, desk.clinic, 1, TODAY, TODAY)
    pieces = {5_000: "3"}
    return close_day(desk, SAM, 1, TODAY, CloseForm(pieces=pieces, counted={}, mark=found.mark, anyway=True))


def test_opened_again_before_the_books_close_and_afterwards_only_reversed(desk: Desk) -> None:
    (claim,) = waiting_claims(desk, 1)
    made = payment(desk, 18_880)
    place_claim(desk, ODILE, made, claim.claim_id, expected(desk, claim))
    finish_payment(desk, ODILE, made)
    open_again(desk, ODILE, made)
    assert scalar(desk, "SELECT state FROM remit") == "open"
    finish_payment(desk, ODILE, made)
    closed = _close(desk)
    # On the slip it is one check.
    slip = str(scalar(desk, "SELECT checks FROM day_close WHERE id = :id", id=closed))
    assert slip.count("40771") == 2 and "18880" in slip  # its number, and in words
    assert scalar(desk, "SELECT bank_cents FROM day_close WHERE id = :id", id=closed) == 18_880
    with pytest.raises(Conflict, match="Reverse it instead"):
        open_again(desk, ODILE, made)
    with pytest.raises(Refused, match="Say why"):
        reverse_payment(desk, ODILE, made, " ")
    reverse_payment(desk, ODILE, made, "the check bounced")
    reverse_payment(desk, ODILE, made, "the check bounced")
    assert (state(desk, claim), parts(desk, claim)) == ("accepted", (0, 28_600)) and agrees(desk)
    days = "SELECT COUNT(DISTINCT day) FROM journal WHERE kind = 'reversal' AND day > :day"
    assert scalar(desk, days, day=TODAY) == 1  # on the next books, never in the closed ones


def test_one_sum_for_a_claim_is_split_by_what_was_expected_and_marked(desk: Desk) -> None:
    (claim,) = waiting_claims(desk, 1, [(20_000, 5_000), (10_000, 10_000), (6_001, 1_000)])
    with desk.engine.connect() as connection:
        grid = grid_of(connection, desk.clinic, claim.claim_id)
    assert grid is not None
    split = split_boxes(grid, 10_001)
    assert sum(each.paid for each in split.values()) == 10_001
    assert [each.paid for each in split.values()] == [7_501, 0, 2_500]
    made = payment(desk, 10_001)
    place_claim(desk, ODILE, made, claim.claim_id, split, split=True)
    assert rest(desk, made) == 0 and agrees(desk)
    words = "SELECT COUNT(*) FROM claim_event WHERE words LIKE '%one sum and was split%'"
    assert scalar(desk, words) == 1
    with pytest.raises(Refused, match=r"more than the \$360\.01 of this claim"):
        split_boxes(grid, 36_002)


def test_a_visit_that_nobody_billed_is_noted_as_sent_on_paper(desk: Desk) -> None:
    visit = visit_at_checkout(desk, add_patient(desk, 1), dental=True)
    finish_checkout(desk, JUNO, visit)
    with desk.engine.begin() as connection:
        from sqlalchemy import text

        connection.execute(text("UPDATE claim SET state = 'closed', closed_why = 'the checkout was undone'"))
    made = payment(desk, 18_880)
    with desk.engine.connect() as connection:
        shown = posting_desk(connection, desk.clinic, made, find="vas")
    (found,) = shown.visits
    claim = note_sent_on_paper(desk, ODILE, found.id)
    with desk.engine.connect() as connection:
        grid = grid_of(connection, desk.clinic, claim)
    assert grid is not None
    place_claim(desk, ODILE, made, claim, {each.line.line_id: each.expected for each in grid.lines})
    assert scalar(desk, "SELECT state FROM claim WHERE id = :id", id=claim) == "closed"
    assert state_of(desk, visit) == "left" and agrees(desk)


def test_a_line_of_a_file_that_needs_a_person_opens_filled_in_and_is_placed_there(desk: Desk) -> None:
    (claim,) = waiting_claims(desk, 1)
    ((line, cents, _),) = claim.lines
    odd = Said("0", [(line + 999, cents, 15_000, [("PR", "2", 13_600)])], last="VASQUEZ")
    import_file(desk, ODILE, "x.835", payment_file("E1", [odd]))
    answer = int(scalar(desk, "SELECT id FROM remit_claim"))
    remit = int(scalar(desk, "SELECT id FROM remit"))
    with desk.engine.connect() as connection:
        shown = posting_desk(connection, desk.clinic, remit, answer_id=answer)
        assert [each.id for each in shown.found] == [claim.claim_id]  # alike: name, charge; never by itself
        again = posting_desk(connection, desk.clinic, remit, claim_id=claim.claim_id, answer_id=answer)
    assert again.grid is not None and again.grid.paid == 15_000
    typed = {each.line.line_id: each.boxes for each in again.grid.lines}
    place_claim(desk, ODILE, remit, claim.claim_id, typed, answer)
    assert parts(desk, claim) == (13_600, 0) and rest(desk, remit) == 0
    with pytest.raises(Conflict, match="Open it again first"):
        place_claim(desk, SAM, remit, claim.claim_id, typed, answer)


def test_an_answer_that_nothing_is_placed_for_is_closed_with_what_came_of_it(desk: Desk) -> None:
    import_file(
        desk, ODILE, "x.835", payment_file("E1", [Said("NOBODY", [(999, 5_000, 0, [("CO", "16", 5_000)])])])
    )
    answer = int(scalar(desk, "SELECT id FROM remit_claim"))
    with pytest.raises(Problems):
        set_aside_answer(desk, ODILE, answer, " ")
    set_aside_answer(desk, ODILE, answer, "another clinic’s, sent on to them")
    assert scalar(desk, "SELECT outcome FROM remit_claim") == "out"
    with pytest.raises(Conflict, match="decided already"):
        set_aside_answer(desk, SAM, answer, "again")


def _at_once(*works: Callable[[], object]) -> list[object]:
    together = threading.Barrier(len(works))

    def one(work: Callable[[], object]) -> object:
        together.wait()
        try:
            return work()
        except Conflict as error:
            return error

    with ThreadPoolExecutor(len(works)) as pool:
        return list(pool.map(one, works))


def test_two_who_finish_one_payment_finish_it_once(desk: Desk) -> None:
    (claim,) = waiting_claims(desk, 1)
    made = payment(desk, 18_880)
    place_claim(desk, ODILE, made, claim.claim_id, expected(desk, claim))
    _at_once(*(lambda who=who: finish_payment(desk, who, made) for who in (ODILE, SAM)))  # type: ignore[misc]
    done = "SELECT COUNT(*) FROM audit WHERE act = 'payment.insurer_finished'"
    assert scalar(desk, done) == 1


def test_of_two_who_place_one_claim_from_two_payments_one_does(desk: Desk) -> None:
    (claim,) = waiting_claims(desk, 1)
    typed = expected(desk, claim)
    payments = [payment(desk, 18_880, number) for number in ("1", "2")]

    def place(who: Actor, made: int) -> Callable[[], object]:
        return lambda: place_claim(desk, who, made, claim.claim_id, typed)

    said = _at_once(place(ODILE, payments[0]), place(SAM, payments[1]))
    assert sum(isinstance(each, Conflict) for each in said) == 1, said
    assert parts(desk, claim) == (9_720, 0) and agrees(desk)


def test_a_payment_placed_while_its_claim_is_corrected_says_where_to_place_it(desk: Desk) -> None:
    (claim,) = waiting_claims(desk, 1)
    made, typed = payment(desk, 18_880), expected(desk, claim)
    corrected = correct_claim(desk, ODILE, claim.claim_id)
    with pytest.raises(Conflict, match="was replaced. Place it on claim C"):
        place_claim(desk, ODILE, made, claim.claim_id, typed)
    place_claim(desk, ODILE, made, corrected, typed)
    assert rest(desk, made) == 0 and parts(desk, claim) == (9_720, 0) and agrees(desk)


def test_the_paper_is_kept_and_what_is_no_picture_is_refused(desk: Desk, tmp_path) -> None:  # type: ignore[no-untyped-def]
    made, store = payment(desk, 100), FileStore(tmp_path)
    with pytest.raises(Refused, match="Only PDF, JPEG, PNG and TIFF"):
        add_scan(desk, ODILE, store, made, b"dear clinic")
    work_on(desk, SAM, made)
    assert scalar(desk, "SELECT worked_by_id FROM remit") == SAM.id


def test_a_payment_left_half_done_is_handed_to_whoever_works_on_payments(desk: Desk) -> None:
    made = payment(desk, 100)
    with pytest.raises(Refused, match="someone from the list"):
        hand_over(desk, ODILE, made, JUNO.id)
    with pytest.raises(NotAllowed):
        hand_over(desk, JUNO, made, SAM.id)
    assert hand_over(desk, ODILE, made, SAM.id) == SAM.name
    assert scalar(desk, "SELECT worked_by_id FROM remit") == SAM.id
    finish_payment(desk, SAM, made, "the rest comes with the next check")
    with pytest.raises(Conflict, match="Open it again first"):
        hand_over(desk, SAM, made, ODILE.id)
