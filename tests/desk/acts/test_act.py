"""What an act does with what the database does not take."""

import pytest
from sqlalchemy import text

from tests.conftest import JUNO, add_patient, scalar
from zax.core.errors import Refused
from zax.desk.acts.act import in_transaction
from zax.desk.acts.transaction import Desk


@pytest.mark.parametrize(
    ("statement", "says"),
    [
        ("UPDATE patient SET household_id = 987654321 WHERE id = :id", "Something on this form no longer"),
        ("UPDATE patient SET last = REPEAT('x', 5000) WHERE id = :id", "is too long"),
        ("UPDATE patient SET version = 99999999999 WHERE id = :id", "too large"),
    ],
)
def test_what_cannot_be_kept_is_refused_in_words_and_nothing_is(
    desk: Desk, statement: str, says: str
) -> None:
    patient = add_patient(desk)

    def work(tx) -> None:  # type: ignore[no-untyped-def]
        tx.connection.execute(text("UPDATE patient SET first = 'Changed' WHERE id = :id"), {"id": patient})
        tx.connection.execute(text(statement), {"id": patient})

    with pytest.raises(Refused, match=says):
        in_transaction(desk, JUNO, work)
    assert scalar(desk, "SELECT first FROM patient WHERE id = :id", id=patient) == "Helen"
