"""A claim that a payer paid in part stands on the list with its rest, apart from those it denied; against a
real MariaDB.
"""

from __future__ import annotations

from tests.conftest import ODILE, TODAY, scalar
from tests.desk.claims.test_working_claims import finished
from tests.desk.remits.test_insurers import answer
from zax.core.claims.worklist import Need
from zax.desk.acts.transaction import Desk
from zax.desk.claims.sending import send_ready
from zax.desk.claims.worklist import one_row, worklist
from zax.desk.remits.importing import import_file


def answered(desk: Desk, paid: str, cas: str, status: str = "1") -> int:
    claim = finished(desk)
    send_ready(desk, ODILE)
    line = scalar(desk, "SELECT line_id FROM claim_line WHERE claim_id = :id", id=claim)
    text = answer(f"C{claim:06d}", line, paid=paid, cas=cas, status=status)
    import_file(desk, ODILE, "a.835", text)
    return claim


def test_what_was_paid_in_part_needs_a_word_about_its_rest(desk: Desk) -> None:
    claim = answered(desk, "100", "CAS*CO*16*186")
    with desk.engine.connect() as connection:
        row = one_row(connection, claim, TODAY)
        groups = {each.need: (each.number, each.cents) for each in worklist(connection, TODAY).groups}
    assert row is not None and row.claim.need == Need.REST
    assert groups == {Need.REST: (1, 18_600)}


def test_what_was_denied_whole_is_denied(desk: Desk) -> None:
    claim = answered(desk, "0", "CAS*CO*197*286", status="4")
    with desk.engine.connect() as connection:
        row = one_row(connection, claim, TODAY)
        groups = {each.need: (each.number, each.cents) for each in worklist(connection, TODAY).groups}
    assert row is not None and row.claim.need == Need.DENIED
    assert groups == {Need.DENIED: (1, 28_600)}
