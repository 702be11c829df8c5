"""What tests of coverage share: a coverage entered in a line, a visit's bill, a plan's terms changed."""

from __future__ import annotations

from typing import Any

from tests.conftest import JUNO, ODILE
from zax.desk.acts.transaction import Desk
from zax.desk.coverage.coverages import save_coverage
from zax.desk.coverage.plans import correct_plan
from zax.desk.money.ledger import Bill, bill_of
from zax.store.book.queries import one_visit
from zax.web.shell.request_context import PostedForm

OWN = PostedForm(
    plan_id="1",
    rank="1",
    member_id="hg-1 22",
    group_number="G1",
    holder="self",
    relationship="",
    from_day="2026-01-01",
    to_day="",
)


def save(desk: Desk, patient_id: int, coverage_id: int = 0, **changes: str) -> int:
    return save_coverage(desk, JUNO, patient_id, coverage_id, PostedForm(OWN | changes), None)


def bill(desk: Desk, visit_id: int) -> Bill:
    with desk.engine.connect() as connection:
        return bill_of(connection, desk.clinic, one_visit(connection, visit_id))


def write_plan_as_biller(desk: Desk, plan_id: int, benefits: Any) -> None:
    from zax.desk.acts.act import in_transaction

    in_transaction(
        desk, ODILE, lambda tx: correct_plan(tx, plan_id, benefits, tx.clinic.plans[plan_id].version)
    )
