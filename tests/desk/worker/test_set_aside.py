"""One bad thing never stops the clinic: every errand, file and duty is carried out for itself, and what fails
again and again is set aside for a person.
"""

from __future__ import annotations

from datetime import datetime, timedelta
from itertools import pairwise
from pathlib import Path

import pytest

from tests.conftest import (
    JUNO,
    ODILE,
    add_patient,
    at,
    order,
    scalar,
    state_of,
    visit_at_checkout,
)
from tests.desk.remits.test_insurers import answer, left_visit
from tests.fakes import FakeCalls, FakeClearinghouse, FakeMail, FakeTerminal, FakeTexts
from zax.clock import ShiftedClock
from zax.core.errors import Conflict, NotAllowed, Refused
from zax.core.people.roles import BILLER, RECEPTIONIST, Role
from zax.desk.acts.each import SomeFailed, each_for_itself
from zax.desk.acts.set_aside import KINDS, dismiss, set_aside, try_again
from zax.desk.acts.transaction import Desk
from zax.desk.book import web_requests
from zax.desk.book.booking import book_visit
from zax.desk.claims.sending import send_ready
from zax.desk.day.checkout import finish_checkout
from zax.desk.moving.jobs import open_import, start_import
from zax.desk.worker import duties, errands
from zax.desk.worker.duties import DUTIES, Duty
from zax.desk.worker.errands import HANDLERS, LEASE, MOST_FAILURES, carry_out_next
from zax.desk.worker.health import missing
from zax.desk.worker.tools import Lane, Tools
from zax.desk.worker.worker import run_once
from zax.outside.doors import Incoming, Outside, OutsideTrouble
from zax.store.acts.outbox import renew_lease
from zax.store.files import FileStore
from zax.web.money.documents import receipt_pdf


def rounds(
    desk: Desk, outside: Outside, clock: ShiftedClock, times: int, files: FileStore | None = None
) -> None:
    """So many rounds of the worker, ten minutes apart."""
    for _ in range(times):
        run_once(desk, outside, receipt_pdf, files)
        clock.set_to(clock.now() + timedelta(minutes=10))


def aside(desk: Desk, role: Role = BILLER) -> list[tuple[str, str]]:
    with desk.engine.connect() as connection:
        return [(each.words, each.why) for each in set_aside(connection, role)]


class Bomb(FakeMail):
    """A defect that nobody thought of."""

    armed = True

    def send(self, message: object) -> None:
        if self.armed:
            raise ZeroDivisionError("Helen Vasquez, 05/03/1984")
        super().send(message)  # type: ignore[arg-type]


def receipt_and_claim(desk: Desk) -> None:
    from tests.conftest import pay_visit

    visit = visit_at_checkout(desk, add_patient(desk, 1), dental=True)
    pay_visit(desk, visit, "cash", "97.20", "k")
    finish_checkout(desk, JUNO, visit, "email")
    send_ready(desk, ODILE)


def test_what_fails_again_and_again_is_set_aside_and_the_rest_goes_on(
    desk: Desk, clock: ShiftedClock, tmp_path: Path
) -> None:
    receipt_and_claim(desk)
    outside = Outside(FakeTerminal(), FakeClearinghouse(), Bomb(), FakeTexts(), FakeCalls())
    run_once(desk, outside, receipt_pdf, FileStore(tmp_path))
    assert scalar(desk, "SELECT state FROM claim") == "sent"  # not held up by the receipt
    assert aside(desk) == []
    rounds(desk, outside, clock, MOST_FAILURES, FileStore(tmp_path))
    assert aside(desk) == [("Message to a patient", "An unexpected error: ZeroDivisionError.")]
    with desk.engine.connect() as connection:
        from zax.store.day.screens import job_counts

        assert job_counts(connection, 1)["aside"].n == 1


def test_a_person_has_it_tried_again_or_dismisses_it_with_a_reason(
    desk: Desk, clock: ShiftedClock, tmp_path: Path
) -> None:
    receipt_and_claim(desk)
    mail, files = Bomb(), FileStore(tmp_path)
    outside = Outside(FakeTerminal(), FakeClearinghouse(), mail, FakeTexts(), FakeCalls())
    rounds(desk, outside, clock, MOST_FAILURES, files)
    with desk.engine.connect() as connection:
        (row,) = set_aside(connection, RECEPTIONIST)
    mail.armed = False
    try_again(desk, JUNO, row.id)
    rounds(desk, outside, clock, 1, files)
    assert len(mail.sent) == 1 and aside(desk) == []
    with pytest.raises(Conflict, match="already taken care of"):
        try_again(desk, JUNO, row.id)
    mail.armed = True
    desk_state = "UPDATE outbox SET state = 'aside' WHERE id = :id"
    from sqlalchemy import text

    with desk.engine.begin() as connection:
        connection.execute(text(desk_state), {"id": row.id})
    with pytest.raises(Refused, match="Say why"):
        dismiss(desk, JUNO, row.id, "  ")
    dismiss(desk, JUNO, row.id, "They took a paper copy.")
    assert scalar(desk, "SELECT state FROM outbox WHERE id = :id", id=row.id) == "dismissed"
    detail = scalar(desk, "SELECT detail FROM audit WHERE act = 'errand.dismissed'")
    assert "paper copy" in detail


def test_only_billing_decides_about_claims(
    desk: Desk, clock: ShiftedClock, monkeypatch: pytest.MonkeyPatch
) -> None:
    left_visit(desk)

    def broken(*_: object) -> None:
        raise RuntimeError("boom")

    monkeypatch.setattr(errands, "deliver_claim_file", broken)
    rounds(
        desk,
        Outside(FakeTerminal(), FakeClearinghouse(), FakeMail(), FakeTexts(), FakeCalls()),
        clock,
        MOST_FAILURES,
    )
    with desk.engine.connect() as connection:
        (row,) = set_aside(connection, RECEPTIONIST)
    assert not row.may_act
    with pytest.raises(NotAllowed):
        dismiss(desk, JUNO, row.id, "no")
    try_again(desk, ODILE, row.id)


def test_an_errand_that_ends_its_worker_each_time_is_set_aside_too(
    desk: Desk, clock: ShiftedClock, outside: Outside
) -> None:
    """A worker that dies says nothing: the lease that it leaves behind counts."""
    receipt_and_claim(desk)
    for _ in range(MOST_FAILURES):
        while errands._lease(desk, Lane.EVERYTHING):
            pass
        clock.set_to(clock.now() + LEASE + timedelta(seconds=1))
    run_once(desk, outside, receipt_pdf)
    assert {why for _, why in aside(desk)} == {"The helper ended each time it tried this."}
    assert len(aside(desk)) == 2


def test_what_the_outside_cannot_take_is_never_set_aside(desk: Desk, clock: ShiftedClock) -> None:
    class Down(FakeClearinghouse):
        def deliver(self, key: str, name: str, text: str) -> None:
            raise OutsideTrouble("The clearinghouse can’t be reached.")

    left_visit(desk)
    house = Down()
    outside = Outside(FakeTerminal(), house, FakeMail(), FakeTexts(), FakeCalls())
    rounds(desk, outside, clock, MOST_FAILURES * 3)
    assert aside(desk) == []
    with desk.engine.connect() as connection:
        said = missing(connection, clock.now(), "America/Los_Angeles")
    assert said[-1] == "1 claim file waits. The clearinghouse can’t be reached."
    rounds(desk, Outside(FakeTerminal(), FakeClearinghouse(), FakeMail(), FakeTexts(), FakeCalls()), clock, 1)
    assert scalar(desk, "SELECT state FROM claim") == "sent"


@pytest.mark.parametrize(
    "amount", ["1e20", "1e999999", "9" * 5_000, "-" + "9" * 13, "NaN", "Infinity", "1_0", "٣"]
)
def test_a_file_with_an_impossible_amount_is_kept_as_unusable_and_the_next_one_is_posted(
    desk: Desk, outside: Outside, amount: str
) -> None:
    visit, number, line = left_visit(desk, paid="97.20")
    house = outside.clearinghouse
    assert isinstance(house, FakeClearinghouse)
    house.mailbox = [
        Incoming("1", "evil.835", answer(number, line, paid=amount, trace="EVIL")),
        Incoming("2", "good.835", answer(number, line)),
    ]
    run_once(desk, outside, receipt_pdf)
    assert house.mailbox == []
    assert scalar(desk, "SELECT outcome FROM x12_file WHERE kind = 'bad'").startswith("The payment file")
    assert state_of(desk, visit) == "settled" and aside(desk) == []


def test_a_file_that_nobody_can_carry_out_stops_neither_the_next_one_nor_the_worker(
    desk: Desk, outside: Outside, clock: ShiftedClock, monkeypatch: pytest.MonkeyPatch
) -> None:
    visit, number, line = left_visit(desk, paid="97.20")
    house = outside.clearinghouse
    assert isinstance(house, FakeClearinghouse)
    from zax.desk.remits import mailbox

    real = mailbox.import_file

    def poisoned(desk: Desk, actor: object, name: str, text: str, alive: object) -> object:
        if name == "evil.835":
            raise OverflowError("int too large to convert")
        return real(desk, actor, name, text, alive)  # type: ignore[arg-type]

    monkeypatch.setattr(mailbox, "import_file", poisoned)
    house.mailbox = [Incoming("1", "evil.835", "ISA"), Incoming("2", "good.835", answer(number, line))]
    run_once(desk, outside, receipt_pdf)
    assert state_of(desk, visit) == "settled"
    rounds(desk, outside, clock, MOST_FAILURES)
    assert aside(desk) == [("File from a payer", "An unexpected error: OverflowError.")]


def test_a_duty_that_fails_is_said_on_day_and_does_not_stop_the_others(
    desk: Desk, outside: Outside, clock: ShiftedClock
) -> None:
    class Locked(FakeClearinghouse):
        down = True

        def collect(self) -> list[Incoming]:
            if self.down:
                raise OutsideTrouble("The clearinghouse can’t be reached.")
            return super().collect()

    house = Locked()
    shut = Outside(FakeTerminal(), house, FakeMail(), FakeTexts(), FakeCalls())
    held = book_visit(desk, JUNO, order(add_patient(desk), held_until=at(10, 50)))
    rounds(desk, shut, clock, 4)
    assert state_of(desk, held) == "canceled"
    with desk.engine.connect() as connection:
        said = missing(connection, clock.now(), "America/Los_Angeles")
    assert said[1] == (
        "Zax hasn’t been able to fetch files from insurers since 10:42 am and keeps trying."
        " The clearinghouse can’t be reached."
    )
    house.down = False
    rounds(desk, shut, clock, 1)
    with desk.engine.connect() as connection:
        assert len(missing(connection, clock.now(), "America/Los_Angeles")) == 1  # no worker has beaten here


def test_a_duty_that_fails_all_day_is_tried_every_ten_minutes(
    desk: Desk, outside: Outside, clock: ShiftedClock, monkeypatch: pytest.MonkeyPatch
) -> None:
    tried: list[datetime] = []

    def broken(tools: Tools) -> int:
        if tools.desk is desk:  # the worker of the walks may run beside
            tried.append(clock.now())
        raise ZeroDivisionError

    monkeypatch.setattr(duties, "DUTIES", (Duty("held requests", broken),))
    for _ in range(120):
        run_once(desk, outside, receipt_pdf)
        clock.set_to(clock.now() + timedelta(minutes=1))
    pauses = [round((later - earlier).total_seconds() / 60) for earlier, later in pairwise(tried)]
    assert pauses[:5] == [1] * 5
    assert set(pauses[10:]) == {10} and len(pauses) > 15


def test_one_request_that_cannot_be_released_does_not_hold_up_the_next(
    desk: Desk, outside: Outside, clock: ShiftedClock, monkeypatch: pytest.MonkeyPatch
) -> None:
    first = book_visit(desk, JUNO, order(add_patient(desk), held_until=at(10, 50)))
    second = book_visit(desk, JUNO, order(add_patient(desk, first="Ana"), 5, "15:00", held_until=at(10, 50)))
    real = web_requests._release

    def release(tx: object, *, number: int) -> None:
        if number == first:
            raise KeyError(number)
        real(tx, number=number)  # type: ignore[arg-type]

    monkeypatch.setattr(web_requests, "_release", release)
    clock.set_to(at(11))
    run_once(desk, outside, receipt_pdf)
    assert (state_of(desk, first), state_of(desk, second)) == ("held", "canceled")
    assert scalar(desk, "SELECT failures FROM beat WHERE name = 'held requests'") == 1


def test_each_for_itself_does_the_rest_and_then_says_what_failed() -> None:
    done: list[int] = []

    def work(number: int) -> None:
        done.append(10 // number)

    with pytest.raises(SomeFailed, match="1 of 3"):
        each_for_itself([5, 0, 2], work)
    assert done == [2, 5]


def test_a_name_that_grows_when_it_is_written_plainly_is_kept_and_a_bad_row_is_refused_alone(
    desk: Desk, outside: Outside, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """'ﬃ' is three letters in the key by which it is found: sixty of them overflowed its column and ended the
    worker at every start.
    """
    files = FileStore(tmp_path)
    rows = "first,last,birth\nAna,Ruiz,1/1/1990\n" + "ﬃ" * 60 + ",Lang,2/2/1990\nBea,Soto,3/3/1990\n"
    job = open_import(desk, ODILE, files, "patients", "list.csv", rows.encode())
    start_import(desk, ODILE, job, {"first": 0, "last": 1, "birth": 2}, False)
    run_once(desk, outside, receipt_pdf, files)
    assert scalar(desk, "SELECT made FROM import_job") == 3
    from zax.desk.moving import patients as importing

    real = importing.name_keys
    monkeypatch.setattr(
        importing,
        "name_keys",
        lambda first, last: real(first, last) if last != "Bad" else _too_long(real(first, last)),
    )
    rows = "first,last,birth\nCleo,Wu,1/1/1991\nDan,Bad,2/2/1991\nEve,Oak,3/3/1991\n"
    job = open_import(desk, ODILE, files, "patients", "more.csv", rows.encode())
    start_import(desk, ODILE, job, {"first": 0, "last": 1, "birth": 2}, False)
    run_once(desk, outside, receipt_pdf, files)
    why = "SELECT GROUP_CONCAT(CONCAT(line, outcome) ORDER BY line) FROM import_row WHERE job_id = :id"
    assert scalar(desk, why, id=job) == "2made,3refused,4made"


def _too_long(keys: object) -> object:
    from dataclasses import replace

    return replace(keys, last_key="x" * 90)  # type: ignore[type-var]


def test_every_kind_of_errand_and_every_duty_has_words(desk: Desk) -> None:
    from zax.desk.worker import health

    assert set(KINDS) == set(HANDLERS)
    assert set(health._DUTIES) == {duty.name for duty in DUTIES}
    assert set(health._ERRANDS) <= set(HANDLERS)


def test_long_work_keeps_its_errand_and_its_worker_alive(
    desk: Desk, outside: Outside, clock: ShiftedClock, monkeypatch: pytest.MonkeyPatch
) -> None:
    receipt_and_claim(desk)
    beats: list[int] = []
    monkeypatch.setattr(errands, "RENEW_SECONDS", -1.0)
    taken: list[bool] = []

    def long_work(tools: Tools, errand: errands.Errand) -> None:
        if tools.desk is not desk:  # as above
            HANDLERS[errand.kind](tools, errand)
            return
        clock.set_to(clock.now() + LEASE * 3 / 4)
        tools.alive()
        clock.set_to(clock.now() + LEASE * 3 / 4)
        taken.append(
            any(each.id == errand.id for each in iter(lambda: errands._lease(desk, Lane.EVERYTHING), None))
        )

    monkeypatch.setattr(errands, "HANDLERS", dict.fromkeys(HANDLERS, long_work))
    carry_out_next(Tools(desk, outside, receipt_pdf, alive=lambda: beats.append(1)))
    assert beats == [1] and taken == [False] and renew_lease
