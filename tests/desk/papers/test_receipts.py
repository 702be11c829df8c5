"""A receipt by email is a message of the log, names care only where the patient agreed, and goes once."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.conftest import JUNO, add_patient, rows_of, scalar
from tests.desk.money.test_payment_acts import pay
from tests.fakes import FakeMail
from zax.desk.acts.transaction import Desk
from zax.desk.money.payments import Item
from zax.desk.patients.details import set_reach
from zax.desk.worker.worker import run_once
from zax.outside.doors import Outside
from zax.store.files import FileStore


def names(desk: Desk, receipt_id: int, care: bool) -> bytes:
    return b"%PDF names care" if care else b"%PDF plain"


@pytest.mark.parametrize(("agrees", "content"), [("yes", b"%PDF names care"), ("no", b"%PDF plain")])
def test_it_is_in_the_log_and_says_what_it_may(
    desk: Desk, outside: Outside, tmp_path: Path, agrees: str, content: bytes
) -> None:
    patient = add_patient(desk)
    set_reach(desk, JUNO, patient, {"care": agrees}, 1)
    pay(desk, patient, [Item()], ("cash", "5"), receipt="email")
    for _ in range(3):
        run_once(desk, outside, names, FileStore(tmp_path))
    assert isinstance(outside.mail, FakeMail)
    (mail,) = outside.mail.sent
    assert [each.get_content() for each in mail.iter_attachments()] == [content]
    (row,) = rows_of(desk, "SELECT event, state, patient_id, why FROM message")
    assert row == {"event": "receipt", "state": "sent", "patient_id": patient, "why": "Receipt"}


def test_a_worker_that_dies_between_the_paper_and_the_mail_sends_one(
    desk: Desk, outside: Outside, tmp_path: Path
) -> None:
    patient = add_patient(desk)
    pay(desk, patient, [Item()], ("cash", "5"), receipt="email")
    made: list[int] = []

    def dies(desk: Desk, receipt_id: int, care: bool) -> bytes:
        made.append(receipt_id)
        if len(made) < 3:
            raise KeyboardInterrupt
        return b"%PDF"

    for _ in range(5):
        try:
            run_once(desk, outside, dies, FileStore(tmp_path))
        except KeyboardInterrupt:
            desk.clock.set_to(desk.clock.now().replace(minute=desk.clock.now().minute + 2))  # type: ignore[attr-defined]
    assert isinstance(outside.mail, FakeMail) and len(outside.mail.sent) == 1
    assert scalar(desk, "SELECT COUNT(*) FROM message") == 1
