"""One door that hangs holds up only what is for it."""

from __future__ import annotations

from datetime import timedelta
from pathlib import Path

from tests.conftest import JUNO, add_patient, order, scalar
from tests.desk.worker.test_set_aside import receipt_and_claim
from tests.fakes import FakeCalls, FakeClearinghouse, FakeMail, FakeTerminal
from tests.outside.test_resting import HANG, Slow
from zax.clock import ShiftedClock
from zax.core.messages.channel import Channel
from zax.core.messages.message import Sort
from zax.desk.acts.act import in_transaction
from zax.desk.acts.transaction import Desk, Transaction
from zax.desk.book.booking import book_visit
from zax.desk.coverage.eligibility import ask_for_booked
from zax.desk.messages.writing import write_to
from zax.desk.worker import errands
from zax.desk.worker.errands import LAST, MOST_FAILURES
from zax.desk.worker.health import missing
from zax.desk.worker.tools import Lane
from zax.desk.worker.worker import run_once
from zax.outside.doors import NoAnswer, Outside
from zax.outside.resting import resting
from zax.store.files import FileStore
from zax.web.money.documents import receipt_pdf

TEXTS = 30


def many_texts(desk: Desk) -> None:
    patient = add_patient(desk)

    def write(tx: Transaction) -> None:
        for number in range(TEXTS):
            key = f"text-{number}"
            to = f"36055502{number:02}"
            write_to(tx, Channel.TEXT, to, "Hi", key=key, sort=Sort.BY_HAND, patient_id=patient)

    in_transaction(desk, JUNO, write)


def sent(desk: Desk) -> int:
    return int(scalar(desk, "SELECT COUNT(*) FROM message WHERE sent_at IS NOT NULL AND channel = 'text'"))


def test_thirty_texts_to_a_gateway_that_hangs_keep_no_claim_and_no_receipt_waiting(
    desk: Desk, clock: ShiftedClock, tmp_path: Path
) -> None:
    many_texts(desk)
    clock.set_to(clock.now() + timedelta(seconds=1))
    receipt_and_claim(desk)
    gateway, mail, house = Slow(), FakeMail(), FakeClearinghouse()
    ours = resting(Outside(FakeTerminal(), house, mail, gateway, FakeCalls()), lambda: gateway.now)
    for _ in range(5):
        run_once(desk, ours, receipt_pdf, FileStore(tmp_path))
    assert gateway.now == HANG, "one knock, and no other waited for"
    assert len(house.delivered) == 1 and len(mail.sent) == 1
    assert sent(desk) == 0

    for _ in range(12):
        clock.set_to(clock.now() + timedelta(minutes=1))
        gateway.now += 60
        run_once(desk, ours, receipt_pdf, FileStore(tmp_path), limit=100)
    with desk.engine.connect() as connection:
        said = missing(connection, clock.now(), "America/Los_Angeles")
    trouble = "The text gateway can’t be reached (ReadTimeout)."
    assert f"{TEXTS} messages to patients wait. {trouble}" in said
    assert any("been able to fetch patients’ texts since" in each and trouble in each for each in said)
    assert scalar(desk, "SELECT COUNT(*) FROM outbox WHERE state = 'aside'") == 0

    gateway.away = False
    gateway.reply("3605550150", "is the elevator working?")
    clock.set_to(clock.now() + timedelta(minutes=1))
    gateway.now += 60
    for _ in range(2):
        run_once(desk, ours, receipt_pdf, FileStore(tmp_path), limit=100)
    assert sent(desk) == len(gateway.sent) == TEXTS
    assert scalar(desk, "SELECT COUNT(*) FROM text_reply") == 1
    assert len(house.delivered) == 1 and len(mail.sent) == 1


def test_a_question_is_not_given_up_while_the_clearinghouse_rests(
    desk: Desk, clock: ShiftedClock, tmp_path: Path
) -> None:
    class Away(FakeClearinghouse):
        def ask(self, text: str) -> str:
            self.asked.append(text)
            raise NoAnswer("The clearinghouse didn’t answer in time.")

    book_visit(desk, JUNO, order(add_patient(desk, 4)))
    ask_for_booked(desk, JUNO, 3, "now")
    house, now = Away(), 0.0
    ours = resting(Outside(FakeTerminal(), house, FakeMail(), Slow(), FakeCalls()), lambda: now)
    for _ in range(MOST_FAILURES * 4):
        run_once(desk, ours, receipt_pdf, FileStore(tmp_path))
        clock.set_to(clock.now() + timedelta(minutes=11))
    assert len(house.asked) == 1
    assert scalar(desk, "SELECT state FROM eligibility_check") == "asking"


def test_a_receipt_goes_before_installments_that_may_hang(desk: Desk, clock: ShiftedClock) -> None:
    order_of: list[str] = []
    now = clock.now()

    def write(tx: Transaction) -> None:
        for kind in LAST | {"message"}:
            due = now - timedelta(hours=kind != "message")
            tx.send(kind, kind, {}, due)

    in_transaction(desk, JUNO, write)
    while (errand := errands._lease(desk, Lane.EVERYTHING)) is not None:
        order_of.append(errand.kind)
    assert order_of[0] == "message" and set(order_of[1:]) == LAST
