"""Claims, acknowledgements, payments from insurers, and the workers that carry files, against a real
MariaDB.
"""

import os
import signal
import subprocess
import sys
import textwrap
import threading
from concurrent.futures import ThreadPoolExecutor
from datetime import timedelta
from pathlib import Path

import pytest

from tests.conftest import (
    JUNO,
    ODILE,
    SAM,
    add_patient,
    at,
    pay_visit,
    scalar,
    state_of,
    visit_at_checkout,
)
from tests.fakes import FakeCalls, FakeClearinghouse, FakeMail, FakeTerminal, FakeTexts
from tests.x12_samples import acknowledgement, remittance
from zax.clock import ShiftedClock
from zax.core.errors import Conflict, NotAllowed, NotFound, Refused
from zax.core.x12.syntax import read
from zax.desk.acts.transaction import Desk
from zax.desk.claims.claims import recheck
from zax.desk.claims.sending import send_ready
from zax.desk.day.checkout import finish_checkout, take_checkout_back
from zax.desk.patients.details import change_section
from zax.desk.remits.importing import import_file
from zax.desk.worker.beats import beat, prune_feed
from zax.desk.worker.errands import LEASE
from zax.desk.worker.worker import run_once
from zax.outside.doors import Incoming, Outside, OutsideTrouble, Sale
from zax.store.files import FileStore
from zax.store.server import Server
from zax.store.worker.beats import last_beat
from zax.web.money.documents import receipt_pdf


def left_visit(
    desk: Desk, plan_id: int = 1, dental: bool = True, paid: str = "", **patient: object
) -> tuple[int, str, int]:
    """(visit id, claim number, line id) of a finished checkout."""
    visit_id = visit_at_checkout(desk, add_patient(desk, plan_id=plan_id, **patient), dental=dental)
    if paid:
        pay_visit(desk, visit_id, "cash", paid, f"pay-{visit_id}")
    finish_checkout(desk, JUNO, visit_id)
    send_ready(desk, ODILE)
    number = scalar(desk, "SELECT number FROM claim WHERE visit_id = :id", id=visit_id)
    return visit_id, number, scalar(desk, "SELECT id FROM charge_line WHERE visit_id = :id", id=visit_id)


def answer(number: str, line: int, **changes: str) -> str:
    values = {
        "number": number,
        "line": f"L{line}",
        "service": "AD:D2392",
        "charge": "286",
        "paid": "188.8",
        "cas": "CAS*PR*1*50**2*47.2",
    }
    return remittance(**(values | changes))


def test_a_claim_goes_out_is_taken_paid_and_settles_the_visit(desk: Desk, outside: Outside) -> None:
    visit_id, number, line = left_visit(desk, paid="97.20")
    house = outside.clearinghouse
    assert isinstance(house, FakeClearinghouse)
    run_once(desk, outside, receipt_pdf)
    sent = next(iter(house.delivered.values()))
    assert read(sent).transactions[0].version == "005010X224A2"
    assert scalar(desk, "SELECT state FROM claim") == "sent"
    control = scalar(desk, "SELECT control FROM x12_file WHERE direction = 'out'")
    house.mailbox = [
        Incoming("1", "a.999", acknowledgement(control)),
        Incoming("2", "b.835", answer(number, line)),
    ]
    run_once(desk, outside, receipt_pdf)
    assert house.mailbox == []
    assert scalar(desk, "SELECT state FROM claim") == "closed"
    assert state_of(desk, visit_id) == "settled"
    assert (
        scalar(
            desk, "SELECT SUM(patient_cents + insurer_cents) FROM journal WHERE visit_id = :id", id=visit_id
        )
        == 0
    )


def test_a_lower_payment_leaves_the_rest_with_the_patient(desk: Desk) -> None:
    visit_id, number, line = left_visit(desk, paid="97.20")
    import_file(
        desk,
        ODILE,
        "x.835",
        answer(number, line, paid="150", cas="CAS*CO*45*10~CAS*PR*2*126").replace("SE*18", "SE*19"),
    )
    assert state_of(desk, visit_id) == "left"
    assert (
        scalar(desk, "SELECT SUM(patient_cents) FROM journal WHERE visit_id = :id", id=visit_id)
        == 12600 - 9720
    )
    assert scalar(desk, "SELECT SUM(insurer_cents) FROM journal WHERE visit_id = :id", id=visit_id) == 0
    pay_visit(desk, visit_id, "cash", "28.80", "rest")
    assert state_of(desk, visit_id) == "settled"


def test_a_higher_payment_gives_the_patient_credit(desk: Desk) -> None:
    visit_id, number, line = left_visit(desk, paid="97.20")
    import_file(desk, ODILE, "x.835", answer(number, line, paid="200", cas="CAS*PR*2*86"))
    assert (
        scalar(desk, "SELECT SUM(patient_cents) FROM journal WHERE visit_id = :id", id=visit_id)
        == 8600 - 9720
    )
    assert state_of(desk, visit_id) == "left"
    assert scalar(desk, "SELECT SUM(cents) FROM allocation") == 8600


def test_a_checkout_that_the_insurer_has_answered_is_not_taken_back(desk: Desk) -> None:
    visit_id, number, line = left_visit(desk, paid="97.20")
    import_file(desk, ODILE, "x.835", answer(number, line))
    assert scalar(desk, "SELECT state FROM claim") == "closed"
    with pytest.raises(Conflict, match="The payer has responded to this"):
        take_checkout_back(desk, SAM, visit_id, "one more")
    assert state_of(desk, visit_id) == "settled"


def test_the_same_file_twice_at_once_is_posted_once(desk: Desk) -> None:
    visit_id, number, line = left_visit(desk)
    file, together = answer(number, line), threading.Barrier(4)

    def one(name: int) -> str:
        together.wait()
        try:
            return import_file(desk, ODILE, f"{name}.835", file).words
        except Conflict as error:
            return error.message

    with ThreadPoolExecutor(4) as pool:
        said = list(pool.map(one, range(4)))
    assert any("all posted" in each for each in said), said
    assert scalar(desk, "SELECT COUNT(*) FROM x12_file WHERE direction = 'in'") == 1
    assert scalar(desk, "SELECT COUNT(*) FROM remit_claim") == 1


def test_the_same_file_twice_changes_nothing(desk: Desk) -> None:
    _, number, line = left_visit(desk)
    file = answer(number, line)
    import_file(desk, ODILE, "x.835", file)
    before = scalar(desk, "SELECT COUNT(*) FROM journal")
    with pytest.raises(Conflict, match="imported before"):
        import_file(desk, ODILE, "again.835", file)
    again = import_file(desk, ODILE, "reissued.835", file.replace("~", "~\n"))
    assert "already came in x.835" in again.words
    assert scalar(desk, "SELECT COUNT(*) FROM journal") == before


def test_ten_imports_at_once_post_once(desk: Desk) -> None:
    _, number, line = left_visit(desk)

    def try_it(copy: int) -> str:
        try:
            return import_file(desk, ODILE, f"{copy}.835", answer(number, line) + "\n" * copy).words
        except Exception as error:  # noqa: BLE001 (any loser's error is a right answer; what was posted is checked below)
            return str(error)

    with ThreadPoolExecutor(8) as pool:
        list(pool.map(try_it, range(10)))
    assert scalar(desk, "SELECT COUNT(*) FROM journal WHERE kind = 'insurer'") == 1
    assert scalar(desk, "SELECT COUNT(*) FROM remit") == 1


@pytest.mark.parametrize(
    ("damage", "says"),
    [
        (lambda t: t[:400], "damaged"),
        (lambda t: "Dear clinic", "not an X12 file"),
        (lambda t: t.replace("188.8", "1"), "does not add up"),
        (lambda t: "", "empty"),
        (lambda t: t.replace("835", "271"), "Zax imports payments"),
    ],
    ids=["truncated", "not x12", "wrong sum", "empty", "another kind"],
)
def test_a_damaged_file_is_refused_whole(desk: Desk, damage, says: str) -> None:  # type: ignore[no-untyped-def]
    _, number, line = left_visit(desk)
    with pytest.raises(Refused) as refused:
        import_file(desk, ODILE, "x.835", damage(answer(number, line)))
    assert says in refused.value.problems["file"]
    assert scalar(desk, "SELECT COUNT(*) FROM x12_file WHERE direction = 'in'") == 0
    assert scalar(desk, "SELECT COUNT(*) FROM journal WHERE kind = 'insurer'") == 0


def test_unknown_repeated_denied_and_withheld_wait_for_a_person(desk: Desk) -> None:
    visit_id, number, line = left_visit(desk)
    unknown = import_file(desk, ODILE, "1.835", answer("NOBODY", 999_999, trace="1"))
    assert unknown.for_a_person == 1
    denied = import_file(
        desk, ODILE, "2.835", answer(number, line, trace="2", status="4", paid="0", cas="CAS*CO*27*286")
    )
    assert denied.for_a_person == 1
    assert scalar(desk, "SELECT state FROM claim") == "denied"
    import_file(
        desk,
        ODILE,
        "3.835",
        answer(number, line, trace="3", plb="PLB*1234567893*20261231*WO:X*10", total="178.8").replace(
            "SE*18", "SE*19"
        ),
    )
    outcomes = {row for (row,) in _all(desk, "SELECT outcome FROM remit_claim")}
    assert outcomes == {"unknown", "person", "denied", "posted"}  # a denied claim is answered anew: paid
    assert scalar(desk, "SELECT COUNT(*) FROM journal WHERE kind = 'insurer'") == 1
    assert scalar(desk, "SELECT CONCAT(state, ' ', ended_how) FROM shortfall") == (
        "ended the payer answered again"
    )
    assert "took $10.00 for claim X" in str(scalar(desk, "SELECT why FROM remit_claim WHERE number = 'X'"))
    assert scalar(desk, "SELECT SUM(cents) FROM payer_entry") == 1_000
    assert "We have no claim NOBODY for HELEN VASQUEZ." in {
        row for (row,) in _all(desk, "SELECT why FROM remit_claim")
    }


def _all(desk: Desk, statement: str):  # type: ignore[no-untyped-def]
    from sqlalchemy import text

    with desk.engine.connect() as connection:
        return connection.execute(text(statement)).all()


def test_only_billing_takes_files_in(desk: Desk) -> None:
    with pytest.raises(NotAllowed):
        import_file(desk, JUNO, "x", "y")


def test_a_held_back_claim_goes_out_once_it_is_mended(desk: Desk, outside: Outside) -> None:
    left_visit(desk, street="", first="Gwen", last="Tully")
    claim_id = scalar(desk, "SELECT id FROM claim")
    assert scalar(desk, "SELECT state FROM claim") == "held_back"
    assert recheck(desk, ODILE, claim_id) is False
    patient_id = scalar(desk, "SELECT id FROM patient")
    address = {"street": "4 Gull Close", "city": "Marrow Harbor", "state": "wa", "zip": "98201"}
    change_section(desk, JUNO, patient_id, "address", address, 1, 1)
    assert recheck(desk, ODILE, claim_id) is True
    send_ready(desk, ODILE)
    with pytest.raises(Conflict, match="on its way"):
        recheck(desk, ODILE, claim_id)
    with pytest.raises(NotFound):
        recheck(desk, ODILE, 10**8)
    run_once(desk, outside, receipt_pdf)
    assert scalar(desk, "SELECT state FROM claim") == "sent"


def test_a_rejected_file_brings_the_claim_back_with_the_reason(desk: Desk, outside: Outside) -> None:
    left_visit(desk)
    run_once(desk, outside, receipt_pdf)
    control = scalar(desk, "SELECT control FROM x12_file WHERE direction = 'out'")
    result = import_file(desk, ODILE, "a.999", acknowledgement(control, "R"))
    assert "rejected" in result.words
    assert scalar(desk, "SELECT state FROM claim") == "rejected"
    assert "CLM02 has a character" in scalar(desk, "SELECT JSON_VALUE(findings, '$[0].message') FROM claim")
    assert recheck(desk, ODILE, scalar(desk, "SELECT id FROM claim")) is True
    assert import_file(desk, ODILE, "b.999", acknowledgement("4711")).for_a_person == 1


class Broken(FakeClearinghouse):
    def deliver(self, key: str, name: str, text: str) -> None:
        self.calls += 1
        if self.calls < 3:
            raise OutsideTrouble("no line")
        super().deliver(key, name, text)


def test_what_cannot_be_sent_waits_and_goes_out_later(desk: Desk, clock: ShiftedClock) -> None:
    left_visit(desk)
    outside = Outside(FakeTerminal(), Broken(), FakeMail(), FakeTexts(), FakeCalls())
    run_once(desk, outside, receipt_pdf)
    assert scalar(desk, "SELECT last_error FROM outbox") == "no line"
    assert run_once(desk, outside, receipt_pdf) == 0
    for _ in range(2):
        clock.set_to(clock.now() + timedelta(minutes=5))
        run_once(desk, outside, receipt_pdf)
    assert scalar(desk, "SELECT state FROM outbox") == "done"
    assert scalar(desk, "SELECT state FROM claim") == "sent"


def test_many_workers_share_the_outbox_without_sending_twice(desk: Desk, outside: Outside) -> None:
    for number, start in enumerate(("13:00", "13:45", "14:30", "15:15")):
        visit_id = visit_at_checkout(
            desk, add_patient(desk, plan_id=1, first=f"P{number}"), dental=True, start=start
        )
        finish_checkout(desk, JUNO, visit_id)
        send_ready(desk, ODILE)
    with ThreadPoolExecutor(6) as pool:
        list(pool.map(lambda _: run_once(desk, outside, receipt_pdf), range(6)))
    assert isinstance(outside.clearinghouse, FakeClearinghouse)
    assert (outside.clearinghouse.calls, len(outside.clearinghouse.delivered)) == (4, 4)


KILLED = textwrap.dedent("""
    import signal, sys
    from pathlib import Path
    from tests.fakes import FakeCalls, FakeMail, FakeTerminal, FakeTexts
    from zax.clock import ShiftedClock
    from zax.desk.clinic.clinic import load
    from zax.desk.acts.transaction import Desk
    from zax.desk.worker.worker import run_once
    from zax.outside.doors import Outside
    from zax.store.engine import connect
    from zax.store.server import url_of
    from datetime import timedelta
    engine = connect(url_of(Path(sys.argv[1]), int(sys.argv[2])))
    class House:
        def deliver(self, key, name, text):
            Path(sys.argv[4]).write_text(key)
            print("delivered", flush=True)
            signal.pause()
        def collect(self):
            return []
    with engine.connect() as connection:
        desk = Desk(engine, ShiftedClock(timedelta(seconds=float(sys.argv[3]))), load(connection))
    run_once(desk, Outside(FakeTerminal(), House(), FakeMail(), FakeTexts(), FakeCalls()), None)
""")


@pytest.mark.slow
def test_a_worker_killed_in_the_middle_of_sending_loses_nothing_and_sends_nothing_twice(
    desk: Desk, clock: ShiftedClock, outside: Outside, server: Server, tmp_path
) -> None:  # type: ignore[no-untyped-def]
    left_visit(desk)
    heard = tmp_path / "key"
    arguments = [str(server.folder), str(server.port), str(clock.shift.total_seconds()), str(heard)]
    worker = subprocess.Popen(
        [sys.executable, "-c", KILLED, *arguments],
        stdout=subprocess.PIPE,
        env=os.environ | {"PYTHONPATH": os.pathsep.join(sys.path)},
    )
    assert worker.stdout is not None and worker.stdout.readline() == b"delivered\n"
    worker.send_signal(signal.SIGKILL)
    worker.wait()
    assert scalar(desk, "SELECT state FROM outbox") == "waiting"
    assert run_once(desk, outside, receipt_pdf) == 0  # still leased to the dead worker
    clock.set_to(clock.now() + LEASE + timedelta(minutes=5))
    run_once(desk, outside, receipt_pdf)
    assert scalar(desk, "SELECT state FROM outbox") == "done"
    assert isinstance(outside.clearinghouse, FakeClearinghouse)
    # The other side knows the key of the first delivery, so the second one is the same delivery to it.
    assert list(outside.clearinghouse.delivered) == [heard.read_text()]


def test_an_unanswered_card_is_asked_again_by_its_key(desk: Desk, clock: ShiftedClock) -> None:
    visit_id = visit_at_checkout(desk, add_patient(desk), dental=True)
    terminal = FakeTerminal(
        [Sale(state="unknown", words="no response"), Sale(state="unknown", words="no response")]
    )
    pay_visit(desk, visit_id, "card", "100", "first", terminal=terminal)
    pay_visit(desk, visit_id, "card", "50", "second", terminal=terminal)
    terminal.later["first-1"] = Sale(state="approved", words="", card_ending="4417", reference="T9")
    outside = Outside(terminal, FakeClearinghouse(), FakeMail(), FakeTexts(), FakeCalls())
    assert run_once(desk, outside, receipt_pdf) == 0
    clock.set_to(at(10, 43))
    run_once(desk, outside, receipt_pdf)
    assert dict(_all(desk, "SELECT request_key, state FROM payment")) == {
        "first-1": "taken",
        "second-1": "declined",
    }
    assert scalar(desk, "SELECT SUM(patient_cents) FROM journal WHERE kind = 'payment'") == -10000
    assert len(terminal.asked) == 2


def test_a_receipt_goes_out_as_one_mail_with_the_pdf(desk: Desk, outside: Outside, tmp_path: Path) -> None:
    visit_id = visit_at_checkout(desk, add_patient(desk), dental=True)
    pay_visit(desk, visit_id, "cash", "286", "k")
    finish_checkout(desk, JUNO, visit_id, "email")
    run_once(desk, outside, receipt_pdf, FileStore(tmp_path))
    run_once(desk, outside, receipt_pdf, FileStore(tmp_path))
    assert isinstance(outside.mail, FakeMail)
    (mail,) = outside.mail.sent
    assert mail["To"] == "helen@example.org"
    assert next(mail.iter_attachments()).get_content()[:5] == b"%PDF-"


def test_an_unreadable_file_is_kept_and_becomes_a_job(desk: Desk, outside: Outside) -> None:
    assert isinstance(outside.clearinghouse, FakeClearinghouse)
    outside.clearinghouse.mailbox = [Incoming("1", "odd.835", "garbage")]
    run_once(desk, outside, receipt_pdf)
    assert scalar(desk, "SELECT kind FROM x12_file") == "bad"
    outside.clearinghouse.mailbox = [Incoming("2", "odd.835", "garbage")]
    run_once(desk, outside, receipt_pdf)
    assert scalar(desk, "SELECT COUNT(*) FROM x12_file") == 1


def test_the_worker_says_that_it_lives(desk: Desk, clock: ShiftedClock) -> None:
    beat(desk)
    beat(desk)
    with desk.engine.connect() as connection:
        assert abs((last_beat(connection).clock_at - clock.now()).total_seconds()) < 5
    prune_feed(desk)
    clock.set_to(clock.now() + timedelta(days=3))
    left = scalar(desk, "SELECT COUNT(*) FROM feed")
    prune_feed(desk)
    assert scalar(desk, "SELECT COUNT(*) FROM feed") == 0 or left == 0


def test_sam_may_do_it_all(desk: Desk) -> None:
    with pytest.raises(Refused):
        import_file(desk, SAM, "x", "")
