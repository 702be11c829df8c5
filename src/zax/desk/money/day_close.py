"""Closing the day: the count against the journal, what is unfinished, and the day's books made final for a
site.

Whoever writes the journal holds the site's row of the books shared until their act is through; closing takes
it alone. So nothing slips into a closed day, and two people who close at once get one close and one answer
that says who was first.
"""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass
from datetime import date, timedelta

from pydantic import Field

from zax.clock import local
from zax.core.book.track import Stop
from zax.core.errors import Conflict, NotFound, Refused, Stale
from zax.core.form import Form, References, Tick
from zax.core.money.drawer import (
    CountedTender,
    check_difference,
    count_pieces,
    counted_amount,
    to_bank,
    worth,
)
from zax.core.money.tender import Tender
from zax.core.subject import About, Subject
from zax.core.wording import clock_words, day_words, dollars, time_words
from zax.desk.acts.act import act
from zax.desk.acts.transaction import Transaction
from zax.desk.clinic.clinic import Clinic
from zax.desk.money.payment_plans import running_plans
from zax.desk.money.posting import tender_words
from zax.store.engine import Connection
from zax.store.money import closing, journal
from zax.store.money.closing import AskingSum, CountedPayment, DayClose, NewClose, NotOut, OpenSum, Stretch
from zax.store.remits.remits import Remit, finished_within

LOOK_BACK = timedelta(days=14)


@dataclass(frozen=True, slots=True)
class Unfinished:
    """One thing that is left, and where it is finished."""

    kind: str
    who: str
    words: str
    subject: Subject


@dataclass(frozen=True, slots=True, kw_only=True)
class Closing:
    """What the journal expects for a site's day (everything since the last close); cents. `expected` by
    tender, `counts` how many of each.
    """

    site_id: int
    day: date
    closed: DayClose | None
    last: DayClose | None
    payments: Sequence[CountedPayment]
    expected: Mapping[str, int]
    counts: Mapping[str, int]
    plans: int
    entries: int
    unfinished: Sequence[Unfinished]
    returned: int
    from_insurers: Sequence[Remit]

    @property
    def checks(self) -> list[CountedPayment]:
        """The checks that should lie in the bag: those taken and not voided."""
        gone = {each.of_id for each in self.payments if each.kind == "void"}
        return [
            each
            for each in self.payments
            if each.tender == Tender.CHECK and each.kind == "payment" and each.id not in gone
        ]

    @property
    def expected_visits(self) -> str:
        """How many visits of the day are neither here nor known not to come, in words; empty for none."""
        number = sum(each.kind == "expected" for each in self.unfinished)
        return f"{number} {'visit is' if number == 1 else 'visits are'}" if number else ""

    @property
    def from_patients(self) -> int:
        return sum(self.expected.values())

    @property
    def mark(self) -> str:
        """What the form was filled in from; another payment since then changes it."""
        return f"{self.entries}-{len(self.payments)}-{self.from_patients}-{len(self.from_insurers)}"

    @property
    def insurer_checks(self) -> list[Remit]:
        """Checks of insurers that were placed whole: each goes to the bank once, as one."""
        return [each for each in self.from_insurers if each.kind == "check"]


def closing_of(connection: Connection, clinic: Clinic, site_id: int, day: date, today: date) -> Closing:
    """Read what a site's day expects."""
    closed, last = closing.close_on(connection, site_id, day), closing.close_before(connection, site_id, day)
    after = last.day if last else day - timedelta(days=1)
    stretch = Stretch(site_id, day, after, day - LOOK_BACK)
    payments = closing.counted_payments(connection, stretch)
    expected: dict[str, int] = {Tender.CASH: 0, Tender.CHECK: 0, Tender.CARD: 0}
    counts: dict[str, int] = dict.fromkeys(expected, 0)
    for each in payments:
        tender = str(Tender.CARD) if each.tender == Tender.FILE else each.tender
        expected[tender] = expected.get(tender, 0) + each.cents
        counts[tender] = counts.get(tender, 0) + 1
    entries = closing.entry_sums(connection, stretch)
    return Closing(
        site_id=site_id,
        day=day,
        closed=closed,
        last=last,
        payments=payments,
        expected=expected,
        counts=counts,
        plans=entries.plans,
        entries=entries.number,
        unfinished=_unfinished(connection, stretch, today),
        returned=closing.returned_cents(connection, stretch),
        from_insurers=finished_within(connection, site_id, after, day),
    )


def _name(row: NotOut | OpenSum | AskingSum) -> str:
    return f"{row.first} {row.last}"


def _unfinished(connection: Connection, stretch: Stretch, today: date) -> list[Unfinished]:
    found = []
    for visit in closing.not_out(connection, stretch):
        clock = clock_words(visit.start_min)
        page = About.CHECKOUT if visit.state == Stop.CHECKOUT else About.VISIT
        when = clock if visit.day == stretch.day else f"{day_words(visit.day)} {clock}"
        found.append(Unfinished("visit", _name(visit), when, Subject(page, visit.id)))
    for visit in closing.still_expected(connection, stretch):
        words = clock_words(visit.start_min)
        found.append(Unfinished("expected", _name(visit), words, Subject(About.VISIT, visit.id)))
    for row in closing.without_claim(connection, stretch):
        found.append(Unfinished("claim", _name(row), dollars(row.cents), Subject(About.VISIT, row.id)))
    for asking in closing.asking_sums(connection, stretch):
        words = f"{dollars(abs(asking.cents))}, in neither sum"
        found.append(Unfinished("asking", _name(asking), words, Subject(About.RECEIPT, asking.receipt_id)))
    for row in closing.idle_credits(connection, stretch):
        entry = Subject(About.ACCOUNT, row.patient_id, entry_id=row.id)
        found.append(Unfinished("credit", _name(row), dollars(row.cents), entry))
    for plan in running_plans(connection, today):
        if plan.needs_a_person:
            found.append(
                Unfinished(
                    "plan",
                    f"{plan.row.first} {plan.row.last}",
                    f"{dollars(plan.standing.due)} due",
                    Subject(About.ACCOUNT, plan.row.patient_id),
                )
            )
    return found


class CloseForm(Form):
    """The count as typed: pieces of cash by value, an amount for every other tender, the checks in the bag,
    why it differs.
    """

    pieces: Mapping[int, str]
    counted: Mapping[str, str]
    checks: References = Field(default=(), validation_alias="check")
    why: str = ""
    mark: str
    anyway: Tick = False


@act("close")
def close_day(tx: Transaction, site_id: int, day: date, form: CloseForm) -> int:
    """Make the day final; the close's number. Conflict when it is closed, Stale when money came in while
    counting, Refused for a difference without a reason.
    """
    if site_id not in tx.clinic.sites:
        raise NotFound("There is no such site.")
    closed_day = journal.hold_books_alone(tx.connection, site_id)
    today = tx.business_day(site_id)
    found = closing_of(tx.connection, tx.clinic, site_id, day, today)
    _check_day(tx, found, closed_day, today)
    if form.mark != found.mark:
        raise Stale("Money came in while you counted. Check the new figures, then close.")
    if not any(text.strip() for text in form.pieces.values()):
        raise Refused("Count the drawer first: how many of each, or 0 if it’s empty.", "piece-10000")
    pieces = count_pieces(form.pieces)
    float_cents = tx.clinic.money.float_cents
    tenders = counted_tenders(found, worth(pieces) - float_cents, form.checks, form.counted)
    over = check_difference(tenders, form.why)
    if found.expected_visits and not form.anyway:
        raise Refused(
            f"{found.expected_visits} still expected. Wait for them, mark no-shows, or check the box to close"
            " anyway: what they pay then counts on the next day.",
            "anyway",
        )
    bank = to_bank(worth(pieces), float_cents)
    checks = [each for each in found.checks if each.id in form.checks]
    close_id = closing.add_close(
        tx.connection,
        NewClose(
            site_id=site_id,
            day=day,
            at=tx.now,
            by_id=tx.actor.id,
            expected=dict(found.expected),
            counted={each.tender: each.counted for each in tenders},
            pieces={str(value): number for value, number in pieces.items()},
            checks=[
                *(_check(tx, each) for each in checks),
                *(_insurer_check(each) for each in found.insurer_checks),
            ],
            unfinished=[[each.kind, each.who, each.words] for each in found.unfinished],
            float_cents=float_cents,
            bank_cents=bank
            + sum(each.cents for each in checks)
            + sum(each.paid_cents for each in found.insurer_checks),
            over_cents=over,
            why=form.why.strip()[:200],
            entries=found.entries,
        ),
    )
    tx.audit("day.closed", day=day.isoformat(), site=site_id, over=over)
    tx.tell("closed", site_id=site_id, day=day)
    return close_id


@act("reopen")
def reopen_day(tx: Transaction, close_id: int, why: str) -> date:
    """Open a closed day again, on that day and before its slip was printed; the day. What came in after the
    close stays on the next day. Refused without a reason, Conflict when it is too late.
    """
    if not why.strip():
        raise Refused("Say why it’s reopened.", "reopen")
    closed = close_of(tx.connection, close_id)
    closed_day = journal.hold_books_alone(tx.connection, closed.site_id)
    held = closing.close_on(tx.connection, closed.site_id, closed.day)
    if held is None or held.id != close_id or closed_day != closed.day:
        raise Conflict("This day is already open, or a later one was closed.", "reopen")
    if closed.day != tx.business_day(closed.site_id):
        raise Conflict("A day can be reopened only on that same day.", "reopen")
    if held.slip_at is not None:
        raise Conflict("Its deposit slip was printed, so the day stays closed.", "reopen")
    before = closing.close_before(tx.connection, closed.site_id, closed.day)
    closing.open_again(
        tx.connection,
        held,
        before.day if before else None,
        at=tx.now,
        by_id=tx.actor.id,
        why=why.strip(),
    )
    tx.audit("day.reopened", day=closed.day.isoformat(), site=closed.site_id, why=why.strip()[:200])
    tx.tell("reopened", site_id=closed.site_id, day=closed.day)
    return closed.day


@act("close")
def note_slip(tx: Transaction, close_id: int) -> None:
    """The deposit slip is printed: from the first time on the day stays closed. Conflict for a close that was
    opened again, whose money may be on a later slip.
    """
    closed = close_of(tx.connection, close_id)
    journal.hold_books_alone(tx.connection, closed.site_id)
    held = closing.close_on(tx.connection, closed.site_id, closed.day)
    if held is None or held.id != close_id:
        raise Conflict(
            "This day was reopened, so this slip is no longer good. Close the day, then print the new one."
        )
    if held.slip_at is None:
        closing.note_slip(tx.connection, close_id, tx.now)


def _check_day(tx: Transaction, found: Closing, closed_day: date | None, today: date) -> None:
    if found.closed is not None:
        at = local(found.closed.at, tx.clinic.sites[found.site_id].timezone)
        raise Conflict(
            f"{found.closed.by_name} closed this day at {time_words(at)}."
            " Anything taken now counts on the next day."
        )
    if closed_day is not None and found.day <= closed_day:
        raise Conflict("This day is before the last closed day and is final.")
    if found.day > today:
        raise Refused("This day hasn’t come yet.")


def counted_tenders(
    found: Closing, cash: int, checks: Collection[int], typed: Mapping[str, str]
) -> list[CountedTender]:
    """Cash less the float, checks as ticked, every other tender as typed; what was not typed counts as
    expected. Raises Problems.
    """
    made = []
    for tender, expected in found.expected.items():
        if tender == Tender.CASH:
            counted = cash
        elif tender == Tender.CHECK:
            counted = sum(each.cents for each in found.checks if each.id in checks)
        else:
            said = typed.get(tender, "")
            counted = counted_amount(said, f"counted-{tender}") if said.strip() else expected
        made.append(CountedTender(tender, expected, counted))
    return made


def _check(tx: Transaction, each: CountedPayment) -> dict[str, str | int]:
    return {
        "number": each.check_number,
        "who": f"{each.first} {each.last}",
        "cents": each.cents,
        "words": tender_words(tx.clinic, each),
    }


def _insurer_check(each: Remit) -> dict[str, str | int]:
    words = f"check {each.trace}"
    return {"number": each.trace, "who": each.who, "cents": each.paid_cents, "words": words}


def close_of(connection: Connection, close_id: int) -> DayClose:
    """A closed day with who closed it; NotFound for an unknown one."""
    row = closing.close_of(connection, close_id)
    if row is None:
        raise NotFound("There is no such closed day.")
    return row
