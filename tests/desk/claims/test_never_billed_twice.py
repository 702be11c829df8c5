"""Whatever is done to a finished visit, and in whatever order: the payer never holds two bills for it."""

from __future__ import annotations

import random
from collections.abc import Callable

import pytest
from sqlalchemy import text

from tests.conftest import JUNO, ODILE, scalar
from tests.desk.claims.test_working_claims import finished, spoil
from zax.core.errors import Conflict, Refused
from zax.desk.acts.transaction import Desk
from zax.desk.claims.following import close_claim
from zax.desk.claims.sending import send_ready
from zax.desk.claims.thread import correct_claim, void_claim
from zax.desk.day.checkout import change_what_was_billed, finish_checkout, take_checkout_back

STEPS = 10


def last_that_left(desk: Desk) -> int:
    return int(scalar(desk, "SELECT COALESCE(MAX(id), 0) FROM claim WHERE sent_at IS NOT NULL"))


def sent(desk: Desk) -> None:
    """What is ready leaves, and the payer has it."""
    send_ready(desk, ODILE)
    spoil(
        desk,
        "UPDATE claim SET state = 'accepted', sent_at = NOW(), payer_claim = CONCAT('P', id)"
        " WHERE state = 'going'",
    )


def taken_apart(desk: Desk, visit: int) -> dict[str, Callable[[], object]]:
    return {
        "undo": lambda: take_checkout_back(desk, JUNO, visit, "one more"),
        "change": lambda: change_what_was_billed(desk, ODILE, visit),
        "finish": lambda: finish_checkout(desk, JUNO, visit),
        "send": lambda: sent(desk),
        "correct": lambda: correct_claim(desk, ODILE, last_that_left(desk)),
        "close": lambda: close_claim(desk, ODILE, last_that_left(desk), "the patient pays"),
        "void": lambda: void_claim(desk, ODILE, last_that_left(desk)),
    }


def held_by_the_payer(desk: Desk) -> set[int]:
    """The bills that stand there: an original adds one, a corrected one takes the place of the one it
    follows, a void takes that one away.
    """
    query = text("SELECT id, frequency, follows_id FROM claim WHERE sent_at IS NOT NULL ORDER BY id")
    held: set[int] = set()
    with desk.engine.connect() as connection:
        for claim_id, frequency, follows in connection.execute(query):
            if frequency != "1":
                assert follows in held, "only what stands is corrected or taken back"
                held.discard(follows)
            if frequency != "8":
                held.add(claim_id)
    return held


@pytest.mark.parametrize("seed", range(30))
def test_the_payer_holds_one_bill_at_most(desk: Desk, seed: int) -> None:
    finished(desk)
    acts = taken_apart(desk, int(scalar(desk, "SELECT visit_id FROM claim")))
    chance, done = random.Random(seed), ["send"]
    sent(desk)
    for _ in range(STEPS):
        name = chance.choice(list(acts))
        try:
            acts[name]()
        except (Conflict, Refused):
            continue
        done.append(name)
        assert len(held_by_the_payer(desk)) <= 1, done
    assert len(done) > 1
