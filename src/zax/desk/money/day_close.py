"""Closing the day: the count against the journal, what is unfinished, and the day's books made final for a site.

Whoever writes the journal holds the site's row of the books shared until their act is through; closing takes it alone. So nothing slips into a
closed day, and two people who close at once get one close and one answer that says who was first.
"""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass
from datetime import date, timedelta
from typing import Any

from sqlalchemy import Connection, insert, select, text, update

from zax.clock import local
from zax.core.errors import Conflict, NotFound, Refused, Stale
from zax.core.money.cents import plain
from zax.core.money.drawer import CountedTender, check_difference, count_pieces, counted_amount, to_bank, worth
from zax.core.money.tender import Tender
from zax.desk.acts.act import act
from zax.desk.acts.transaction import Transaction
from zax.desk.clinic.clinic import Clinic
from zax.desk.money.payment_plans import running_plans
from zax.desk.money.posting import tender_words
from zax.store import schema

_PAYMENTS = text(
    "SELECT y.id, y.of_id, y.tender, y.kind, y.cents, y.cheque_number, y.card_ending, y.receipt_id, y.day, p.first, p.last, y.patient_id FROM payment y "
    "JOIN patient p ON p.id = y.patient_id WHERE y.site_id = :site_id AND y.day > :after AND y.day <= :day AND y.state = 'taken' AND y.kind <> 'returned' ORDER BY y.id"
)
_ENTRIES = text(
    "SELECT COUNT(*) AS number, COALESCE(SUM(CASE WHEN kind = 'insurer' THEN -insurer_cents ELSE 0 END), 0) AS plans FROM journal WHERE site_id = :site_id AND day > :after AND day <= :day"
)
_NOT_OUT = text(
    "SELECT v.id, v.patient_id, v.start_min, v.day, v.state, p.first, p.last FROM visit v JOIN patient p ON p.id = v.patient_id WHERE v.site_id = :site_id "
    "AND v.day <= :day AND v.day > :since AND v.state IN ('here', 'room', 'checkout') ORDER BY v.day, v.start_min"
)
_NO_CLAIM = text(
    "SELECT v.id, v.patient_id, p.first, p.last, SUM(j.insurer_cents) AS cents FROM visit v JOIN patient p ON p.id = v.patient_id JOIN journal j ON j.visit_id = v.id "
    "WHERE v.site_id = :site_id AND v.day <= :day AND v.day > :since AND v.state = 'left' AND NOT EXISTS (SELECT 1 FROM claim c WHERE c.visit_id = v.id AND c.state <> 'held_back') "
    "GROUP BY v.id HAVING cents > 0 ORDER BY v.id"
)
_ASKING = text(
    "SELECT y.id, y.cents, y.receipt_id, y.patient_id, p.first, p.last FROM payment y JOIN patient p ON p.id = y.patient_id WHERE y.site_id = :site_id AND y.state IN ('asking', 'unknown') ORDER BY y.id"
)
# Credits that came this day and pay nothing, those of visits still to come left out.
_CREDITS = text(
    "SELECT j.id, j.patient_id, p.first, p.last, -j.patient_cents - COALESCE((SELECT SUM(a.cents) FROM allocation a WHERE a.credit_id = j.id), 0) "
    "- COALESCE((SELECT SUM(d.patient_cents) FROM journal d WHERE d.of_id = j.id AND d.patient_cents > 0), 0) AS cents FROM journal j JOIN patient p ON p.id = j.patient_id "
    "LEFT JOIN visit v ON v.id = j.visit_id WHERE j.site_id = :site_id AND j.day > :after AND j.day <= :day AND j.kind = 'payment' "
    "AND (v.id IS NULL OR v.state NOT IN ('booked', 'confirmed', 'here', 'room')) AND NOT EXISTS (SELECT 1 FROM journal r WHERE r.reverses_id = j.id) HAVING cents > 0 ORDER BY j.id"
)
LOOK_BACK = timedelta(days=14)


@dataclass(frozen=True, slots=True)
class Unfinished:
    """One thing that is left, and where it is finished."""

    kind: str
    who: str
    words: str
    href: str


@dataclass(frozen=True, slots=True)
class Closing:
    """What the journal expects for a site's day (everything since the last close); cents. `expected` by tender, `counts` how many of each."""

    site_id: int
    day: date
    closed: Any
    last: Any
    payments: Sequence[Any]
    expected: Mapping[str, int]
    counts: Mapping[str, int]
    plans: int
    entries: int
    unfinished: Sequence[Unfinished]
    returned: int

    @property
    def cheques(self) -> list[Any]:
        """The cheques that should lie in the bag: those taken and not voided."""
        gone = {each.of_id for each in self.payments if each.kind == "void"}
        return [
            each
            for each in self.payments
            if each.tender == Tender.CHEQUE and each.kind == "payment" and each.id not in gone
        ]

    @property
    def from_patients(self) -> int:
        return sum(self.expected.values())

    @property
    def mark(self) -> str:
        """What the form was filled in from; another payment since then changes it."""
        return f"{self.entries}-{len(self.payments)}-{self.from_patients}"


def closing_of(connection: Connection, clinic: Clinic, site_id: int, day: date, today: date) -> Closing:
    """Read what a site's day expects."""
    c, u = schema.day_close, schema.user
    closes = select(c, u.c.name.label("by_name")).join(u, u.c.id == c.c.by_id).where(c.c.site_id == site_id)
    closed = connection.execute(closes.where(c.c.day == day)).first()
    last = connection.execute(closes.where(c.c.day < day).order_by(c.c.day.desc()).limit(1)).first()
    values = {
        "site_id": site_id,
        "day": day,
        "after": last.day if last else day - timedelta(days=1),
        "since": day - LOOK_BACK,
    }
    payments = connection.execute(_PAYMENTS, values).all()
    expected: dict[str, int] = {Tender.CASH: 0, Tender.CHEQUE: 0, Tender.CARD: 0}
    counts: dict[str, int] = dict.fromkeys(expected, 0)
    for each in payments:
        tender = str(Tender.CARD) if each.tender == Tender.FILE else each.tender
        expected[tender] = expected.get(tender, 0) + each.cents
        counts[tender] = counts.get(tender, 0) + 1
    entries = connection.execute(_ENTRIES, values).one()
    y = schema.payment
    returned = connection.execute(
        select(y.c.cents).where(
            y.c.site_id == site_id, y.c.kind == "returned", y.c.day > values["after"], y.c.day <= day
        )
    ).scalars()
    return Closing(
        site_id, day, closed, last, payments, expected, counts, int(entries.plans), int(entries.number), _unfinished(connection, clinic, values, today),
        -int(sum(returned)),
    )  # fmt: skip


def _unfinished(connection: Connection, clinic: Clinic, values: Mapping[str, Any], today: date) -> list[Unfinished]:
    name = lambda row: f"{row.first} {row.last}"  # noqa: E731
    found = []
    for row in connection.execute(_NOT_OUT, values):
        clock = f"{row.start_min // 60}:{row.start_min % 60:02d}"
        page = f"/visits/{row.id}/checkout" if row.state == "checkout" else f"/visits/{row.id}"
        found.append(
            Unfinished("visit", name(row), clock if row.day == values["day"] else f"{row.day:%-d %b} {clock}", page)
        )
    for row in connection.execute(_NO_CLAIM, values):
        found.append(Unfinished("claim", name(row), plain(int(row.cents)), f"/visits/{row.id}"))
    for row in connection.execute(_ASKING, values):
        found.append(
            Unfinished(
                "asking", name(row), f"{plain(abs(int(row.cents)))}, in neither sum", f"/receipts/{row.receipt_id}"
            )
        )
    for row in connection.execute(_CREDITS, values):
        found.append(
            Unfinished("credit", name(row), plain(int(row.cents)), f"/accounts/{row.patient_id}?why=e{row.id}")
        )
    for plan in running_plans(connection, today):
        if plan.needs_a_person:
            found.append(
                Unfinished(
                    "plan",
                    f"{plan.row.first} {plan.row.last}",
                    f"{plain(plan.standing.due)} due",
                    f"/accounts/{plan.row.patient_id}",
                )
            )
    return found


@dataclass(frozen=True, slots=True)
class CloseForm:
    """The count as typed: pieces of cash by value, an amount for every other tender, the cheques in the bag, why it differs."""

    pieces: Mapping[int, str]
    counted: Mapping[str, str]
    cheques: Sequence[int]
    why: str
    mark: str


@act("close")
def close_day(tx: Transaction, site_id: int, day: date, form: CloseForm) -> int:
    """Make the day final; the close's number. Conflict when it is closed, Stale when money came in while counting, Refused for a difference without a reason."""
    if site_id not in tx.clinic.sites:
        raise NotFound("There is no such site.")
    b = schema.site_books
    tx.connection.execute(insert(b).prefix_with("IGNORE").values(site_id=site_id))
    books = tx.one(select(b).where(b.c.site_id == site_id).with_for_update())
    today = tx.business_day(site_id)
    found = closing_of(tx.connection, tx.clinic, site_id, day, today)
    _check_day(tx, found, books.closed_day, today)
    if form.mark != found.mark:
        raise Stale("Money came in while you counted. The figures are new; look at them again, then close.")
    if not any(text.strip() for text in form.pieces.values()):
        raise Refused("Count the drawer first: how many pieces of each, or 0 when it is empty.", "piece-10000")
    pieces = count_pieces(form.pieces)
    float_cents = tx.clinic.money.float_cents
    tenders = counted_tenders(found, worth(pieces) - float_cents, form.cheques, form.counted)
    over = check_difference(tenders, form.why)
    bank = to_bank(worth(pieces), float_cents)
    cheques = [_cheque(tx, each) for each in found.cheques if each.id in form.cheques]
    close_id = tx.add(
        schema.day_close, site_id=site_id, day=day, at=tx.now, by_id=tx.actor.id, expected=dict(found.expected), counted={each.tender: each.counted for each in tenders},
        pieces={str(value): number for value, number in pieces.items()}, cheques=cheques, unfinished=[[u.kind, u.who, u.words] for u in found.unfinished],
        float_cents=float_cents, bank_cents=bank + sum(each["cents"] for each in cheques), over_cents=over, why=form.why.strip()[:200], entries=found.entries,
    )  # fmt: skip
    tx.connection.execute(update(b).where(b.c.site_id == site_id).values(closed_day=day))
    tx.audit("day.closed", day=day.isoformat(), site=site_id, over=over)
    tx.tell("closed", site_id=site_id, day=day)
    return close_id


def _check_day(tx: Transaction, found: Closing, closed_day: date | None, today: date) -> None:
    if found.closed is not None:
        at = local(found.closed.at, tx.clinic.sites[found.site_id].timezone)
        raise Conflict(
            f"{found.closed.by_name} closed this day at {at:%-H:%M}. What comes now falls on the next day."
        )
    if closed_day is not None and found.day <= closed_day:
        raise Conflict("This day lies before the last closed one and is final.")
    if found.day > today:
        raise Refused("This day has not come yet.")


def counted_tenders(
    found: Closing, cash: int, cheques: Collection[int], typed: Mapping[str, str]
) -> list[CountedTender]:
    """Cash less the float, cheques as ticked, every other tender as typed; what was not typed counts as expected. Raises Problems."""
    made = []
    for tender, expected in found.expected.items():
        if tender == Tender.CASH:
            counted = cash
        elif tender == Tender.CHEQUE:
            counted = sum(each.cents for each in found.cheques if each.id in cheques)
        else:
            said = typed.get(tender, "")
            counted = counted_amount(said, f"counted-{tender}") if said.strip() else expected
        made.append(CountedTender(tender, expected, counted))
    return made


def _cheque(tx: Transaction, each: Any) -> dict[str, Any]:
    return {
        "number": each.cheque_number,
        "who": f"{each.first} {each.last}",
        "cents": each.cents,
        "words": tender_words(tx.clinic, each),
    }


def close_of(connection: Connection, close_id: int) -> Any:
    """A closed day with who closed it; NotFound for an unknown one."""
    c, u = schema.day_close, schema.user
    row = connection.execute(
        select(c, u.c.name.label("by_name")).join(u, u.c.id == c.c.by_id).where(c.c.id == close_id)
    ).first()
    if row is None:
        raise NotFound("There is no such closed day.")
    return row


def closes_of(connection: Connection, site_id: int, first: date, last: date) -> dict[date, Any]:
    """The closed days of a site in a range."""
    c, u = schema.day_close, schema.user
    query = (
        select(c, u.c.name.label("by_name"))
        .join(u, u.c.id == c.c.by_id)
        .where(c.c.site_id == site_id, c.c.day >= first, c.c.day <= last)
    )
    return {row.day: row for row in connection.execute(query)}
