"""Rules of adjustments are tried on the last answers before they count; what plans pay is taken over by one
act; and a payer that overpaid gets its money back.
"""

from __future__ import annotations

import pytest

from tests.conftest import JUNO, ODILE, SAM, scalar
from tests.desk.paying import agrees, items_of
from tests.desk.remits.payment_files import Said, waiting_claims
from tests.desk.remits.test_taking_back import parts, take
from zax.core.errors import Conflict, NotAllowed, NotFound, Problems, Refused, Stale
from zax.core.remits.rules import AdjustmentRule, Does
from zax.desk.acts.transaction import Desk
from zax.desk.money.corrections import OffForm, write_off
from zax.desk.remits.lessons import lessons_now, take_over
from zax.desk.remits.payer_refunds import RefundForm, overpaid_credits, refund_payer
from zax.desk.remits.rules import end_rule, keep_rule, rule_typed, try_rule
from zax.store.remits import payer_account

OFF_97 = AdjustmentRule(group="CO", reason="97", does=Does.WRITE_OFF)


def test_a_rule_is_tried_on_the_past_and_counts_from_the_next_answer_on(setup: Desk) -> None:
    first, second, third = waiting_claims(setup, 3, [(10_000, 0)])
    part = (8_000, [("CO", "97", 2_000)])
    take(setup, "1", first.said(part))
    take(setup, "2", second.said((10_000, [])))
    with setup.engine.connect() as connection:
        trial = try_rule(connection, OFF_97)
        entries = scalar(setup, "SELECT COUNT(*) FROM journal")
    assert trial.tried == 2
    (differs,) = trial.differs
    assert (differs.row.claim_number, differs.before, differs.after) == (
        first.number,
        "$20.00 waits",
        "$20.00 written off",
    )
    assert scalar(setup, "SELECT COUNT(*) FROM journal") == entries and parts(setup, first) == (0, 2_000)
    rule = keep_rule(setup, SAM, 0, 0, OFF_97)
    take(setup, "3", third.said(part))
    assert parts(setup, third) == (0, 0) and agrees(setup)
    # Back to what ships.
    end_rule(setup, SAM, rule, 1)
    (fourth,) = waiting_claims(setup, 1, [(10_000, 0)])
    take(setup, "4", fourth.said(part))
    assert parts(setup, fourth) == (0, 2_000)


def test_a_rule_of_one_payer_is_its_alone_and_what_is_typed_is_checked(setup: Desk) -> None:
    rule = rule_typed(
        0,
        group="CO",
        reason="97",
        remark="n19",
        payer_id=4,
        modifier="",
        later=False,
        does="writeoff",
        asks=False,
    )
    kept = keep_rule(setup, SAM, 0, 0, rule)
    (claim,) = waiting_claims(setup, 1, [(10_000, 0)])
    take(setup, "1", claim.said((8_000, [("CO", "97", 2_000)])))
    assert parts(setup, claim) == (0, 2_000)
    with pytest.raises(Stale):
        keep_rule(setup, SAM, kept, 7, rule)
    with pytest.raises(NotFound):
        end_rule(setup, SAM, 999, 1)
    with pytest.raises(NotAllowed):
        keep_rule(setup, ODILE, 0, 0, rule)
    with pytest.raises(Problems) as wrong:
        rule_typed(
            0,
            group="XX",
            reason="much too long",
            remark="N 19 !",
            payer_id=0,
            modifier="G",
            later=False,
            does="sing",
            asks=False,
        )
    assert set(wrong.value.problems) == {"group", "reason", "remark", "modifier", "does"}


def test_what_a_plan_really_pays_is_shown_and_taken_over_once(setup: Desk) -> None:
    claims = waiting_claims(setup, 6, [(10_000, 2_000)])
    for at, claim in enumerate(claims):
        take(setup, f"L{at}", claim.said((5_000, [("PR", "2", 5_000)])))
    with setup.engine.connect() as connection:
        (taught,) = lessons_now(connection, setup.clinic)
    lesson = taught.lesson
    assert (lesson.code, lesson.on_file, lesson.paid, lesson.of) == ("D2392", 80, 50, 6)
    with pytest.raises(NotAllowed):
        take_over(setup, JUNO, lesson.plan_id, lesson.code, taught.version)
    assert take_over(setup, ODILE, lesson.plan_id, lesson.code, taught.version) == 50
    assert setup.clinic.plans[lesson.plan_id].benefits.code_percents == {"D2392": 50}
    with pytest.raises(Conflict, match="agrees with its answers"):
        take_over(setup, SAM, lesson.plan_id, lesson.code, taught.version + 1)


def test_a_payer_that_overpaid_gets_it_back_and_its_account_comes_to_nothing(desk: Desk) -> None:
    (claim,) = waiting_claims(desk, 1, [(10_000, 2_000)])
    ((line, _, _),) = claim.lines
    write_off(desk, SAM, OffForm(line_id=line, amount="20.00", reason_id=1, why="courtesy"))
    take(desk, "1", Said(claim.number, [(line, 10_000, 10_000, [])]))
    with desk.engine.connect() as connection:
        (credit,) = overpaid_credits(connection)
    assert (credit.left_cents, credit.patient_id) == (2_000, claim.patient_id)
    with pytest.raises(Refused, match="number of the check"):
        refund_payer(desk, ODILE, RefundForm(entry_id=credit.id))
    with pytest.raises(NotFound):
        refund_payer(desk, ODILE, RefundForm(entry_id=1, number="88"))
    refund_payer(desk, ODILE, RefundForm(entry_id=credit.id, number="88"))
    assert items_of(desk, claim.patient_id).credits == [] and agrees(desk)
    with desk.engine.connect() as connection:
        assert overpaid_credits(connection) == []
        payer = payer_account.payer_of_claim(connection, claim.claim_id).name
        (account,) = payer_account.balances(connection, ["refund", "72"])
    assert account.open_cents == 2_000
    with pytest.raises(Conflict, match="Nothing of this credit is left"):
        refund_payer(desk, ODILE, RefundForm(entry_id=credit.id, number="88"))
    # The payer says that it has it: taken back in the file, and balanced beside the claims.
    (other,) = waiting_claims(desk, 1)
    from tests.conftest import ODILE as biller
    from tests.desk.remits.payment_files import payment_file
    from zax.desk.remits.importing import import_file

    file = payment_file("2", [other.as_expected()], [(f"72:{claim.number}", -2_000)], payer.upper())
    import_file(desk, biller, "2.835", file)
    with desk.engine.connect() as connection:
        found = {
            each.payer.casefold(): each.open_cents
            for each in payer_account.balances(connection, ["refund", "72"])
        }
    assert found == {payer.casefold(): 0}
