"""Reading what a site's day expects, what is unfinished on it, and the days that were closed."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass
from datetime import date, datetime

from sqlalchemy import Connection, Select, func, select, text, update

from zax.core.book.track import AHEAD, EXPECTED, INSIDE, Stop
from zax.core.claims.states import ClaimState
from zax.core.money.tender import OPEN_STATES, PaymentState
from zax.store.money.tables import day_close, payment, site_books
from zax.store.people.tables import user
from zax.store.rows import add, change, many, one, sql_list

_PAYMENTS = text(
    f"""
    SELECT y.id, y.of_id, y.tender, y.kind, y.cents, y.check_number, y.card_ending, y.receipt_id, y.day,
        p.first, p.last, y.patient_id
    FROM payment y
    JOIN patient p ON p.id = y.patient_id
    WHERE y.site_id = :site_id AND y.day > :after AND y.day <= :day AND y.state = '{PaymentState.TAKEN}'
        AND y.kind <> 'returned'
    ORDER BY y.id
    """
)
_ENTRIES = text(
    """
    SELECT COUNT(*) AS number, COALESCE(SUM(CASE WHEN kind = 'insurer' THEN -insurer_cents ELSE 0 END), 0)
        AS plans
    FROM journal
    WHERE site_id = :site_id AND day > :after AND day <= :day
    """
)
_NOT_OUT = text(
    f"""
    SELECT v.id, v.patient_id, v.start_min, v.day, v.state, p.first, p.last
    FROM visit v
    JOIN patient p ON p.id = v.patient_id
    WHERE v.site_id = :site_id AND v.day <= :day AND v.day > :since AND v.state IN {sql_list(INSIDE)}
    ORDER BY v.day, v.start_min
    """
)
_EXPECTED = text(
    f"""
    SELECT v.id, v.patient_id, v.start_min, v.day, v.state, p.first, p.last
    FROM visit v
    JOIN patient p ON p.id = v.patient_id
    WHERE v.site_id = :site_id AND v.day = :day AND v.state IN {sql_list(EXPECTED)}
    ORDER BY v.start_min, v.id
    """
)
_NO_CLAIM = text(
    f"""
    SELECT v.id, v.patient_id, p.first, p.last, SUM(j.insurer_cents) AS cents
    FROM visit v
    JOIN patient p ON p.id = v.patient_id
    JOIN journal j ON j.visit_id = v.id
    WHERE v.site_id = :site_id AND v.day <= :day AND v.day > :since AND v.state = '{Stop.LEFT}' AND NOT EXISTS
        (SELECT 1 FROM claim c WHERE c.visit_id = v.id AND c.state <> '{ClaimState.HELD_BACK}')
    GROUP BY v.id
    HAVING cents > 0
    ORDER BY v.id
    """
)
_ASKING = text(
    f"""
    SELECT y.id, y.cents, y.receipt_id, y.patient_id, p.first, p.last
    FROM payment y
    JOIN patient p ON p.id = y.patient_id
    WHERE y.site_id = :site_id AND y.state IN {sql_list(OPEN_STATES)}
    ORDER BY y.id
    """
)
# Credits that came this day and pay nothing, those of visits still to come left out.
_CREDITS = text(
    f"""
    SELECT j.id, j.patient_id, p.first, p.last, -j.patient_cents - COALESCE((SELECT SUM(a.cents) FROM
        allocation a WHERE a.credit_id = j.id), 0) - COALESCE((SELECT SUM(d.patient_cents) FROM journal d
        WHERE d.of_id = j.id AND d.patient_cents > 0), 0) AS cents
    FROM journal j
    JOIN patient p ON p.id = j.patient_id
    LEFT JOIN visit v ON v.id = j.visit_id
    WHERE j.site_id = :site_id AND j.day > :after AND j.day <= :day AND j.kind = 'payment' AND (v.id IS NULL
        OR v.state NOT IN {sql_list(AHEAD)}) AND NOT EXISTS (SELECT 1 FROM journal r WHERE r.reverses_id =
        j.id)
    HAVING cents > 0
    ORDER BY j.id
    """
)


@dataclass(frozen=True, slots=True, kw_only=True)
class CountedPayment:
    """A payment that the evening's count is about."""

    id: int
    of_id: int | None
    tender: str
    kind: str
    cents: int
    check_number: str
    card_ending: str
    receipt_id: int
    day: date
    first: str
    last: str
    patient_id: int


@dataclass(frozen=True, slots=True)
class EntrySums:
    """How many entries, and what came from plans (cents)."""

    number: int
    plans: int


@dataclass(frozen=True, slots=True, kw_only=True)
class NotOut:
    """A visit whose patient has not left."""

    id: int
    patient_id: int
    start_min: int
    day: date
    state: str
    first: str
    last: str


@dataclass(frozen=True, slots=True, kw_only=True)
class OpenSum:
    """Something open of a patient: a visit without a claim, or a credit (`id`); cents."""

    id: int
    patient_id: int
    first: str
    last: str
    cents: int


@dataclass(frozen=True, slots=True, kw_only=True)
class AskingSum:
    """A payment that is not confirmed yet."""

    id: int
    cents: int
    receipt_id: int
    patient_id: int
    first: str
    last: str


@dataclass(frozen=True, slots=True, kw_only=True)
class NewClose:
    """A closed day: counted and expected by tender (cents), pieces in the drawer, checks in the bag, what
    was unfinished.
    """

    site_id: int
    day: date
    at: datetime
    by_id: int | None
    expected: Mapping[str, int]
    counted: Mapping[str, int]
    pieces: Mapping[str, int]
    checks: Sequence[Mapping[str, str | int]]
    unfinished: Sequence[Sequence[str]]
    float_cents: int
    bank_cents: int
    over_cents: int
    why: str
    entries: int


@dataclass(frozen=True, slots=True, kw_only=True)
class DayClose(NewClose):
    """`slip_at`: its deposit slip was printed (UTC)."""

    id: int
    by_name: str
    slip_at: datetime | None


@dataclass(frozen=True, slots=True)
class Stretch:
    """A site's days after `after` up to `day`; what is unfinished is looked for from `since` on."""

    site_id: int
    day: date
    after: date
    since: date


def counted_payments(connection: Connection, stretch: Stretch) -> list[CountedPayment]:
    return many(connection, _PAYMENTS, CountedPayment, **asdict(stretch))


def entry_sums(connection: Connection, stretch: Stretch) -> EntrySums:
    found = one(connection, _ENTRIES, EntrySums, **asdict(stretch))
    assert found is not None
    return EntrySums(int(found.number), int(found.plans))


def returned_cents(connection: Connection, stretch: Stretch) -> int:
    """What the bank sent back in checks."""
    y = payment
    query = select(func.coalesce(func.sum(y.c.cents), 0)).where(
        y.c.site_id == stretch.site_id,
        y.c.kind == "returned",
        y.c.day > stretch.after,
        y.c.day <= stretch.day,
    )
    return -int(connection.execute(query).scalar_one())


def not_out(connection: Connection, stretch: Stretch) -> list[NotOut]:
    return many(connection, _NOT_OUT, NotOut, **asdict(stretch))


def still_expected(connection: Connection, stretch: Stretch) -> list[NotOut]:
    """Visits of the day itself that are neither here nor known not to come."""
    return many(connection, _EXPECTED, NotOut, **asdict(stretch))


def without_claim(connection: Connection, stretch: Stretch) -> list[OpenSum]:
    """Visits that left with an insurer's part and no claim on its way."""
    return many(connection, _NO_CLAIM, OpenSum, **asdict(stretch))


def asking_sums(connection: Connection, stretch: Stretch) -> list[AskingSum]:
    return many(connection, _ASKING, AskingSum, **asdict(stretch))


def idle_credits(connection: Connection, stretch: Stretch) -> list[OpenSum]:
    return many(connection, _CREDITS, OpenSum, **asdict(stretch))


def _closes() -> Select[tuple[object, ...]]:
    return select(day_close, user.c.name.label("by_name")).join(user, user.c.id == day_close.c.by_id)


def _holding(site_id: int) -> Select[tuple[object, ...]]:
    return _closes().where(day_close.c.site_id == site_id)


def close_of(connection: Connection, close_id: int) -> DayClose | None:
    return one(connection, _closes().where(day_close.c.id == close_id), DayClose)


def close_on(connection: Connection, site_id: int, day: date) -> DayClose | None:
    """The close that holds; not one that was opened again."""
    return one(connection, _holding(site_id).where(day_close.c.held_day == day), DayClose)


def close_before(connection: Connection, site_id: int, day: date) -> DayClose | None:
    """The last one before that day."""
    query = _holding(site_id).where(day_close.c.held_day < day)
    return one(connection, query.order_by(day_close.c.day.desc()).limit(1), DayClose)


def closes_of(connection: Connection, site_id: int, first: date, last: date) -> dict[date, DayClose]:
    """The closed days of a site in a range."""
    query = _holding(site_id).where(day_close.c.held_day >= first, day_close.c.held_day <= last)
    return {each.day: each for each in many(connection, query, DayClose)}


def note_slip(connection: Connection, close_id: int, at: datetime) -> None:
    change(connection, day_close, close_id, slip_at=at)


def open_again(
    connection: Connection,
    closed: DayClose,
    before: date | None,
    *,
    at: datetime,
    by_id: int | None,
    why: str,
) -> None:
    """The day is open again, and `before` is the last closed one; the caller holds the site's books alone."""
    change(connection, day_close, closed.id, reopened_at=at, reopened_by_id=by_id, reopened_why=why[:200])
    books = update(site_books).where(site_books.c.site_id == closed.site_id)
    connection.execute(books.values(closed_day=before))


def add_close(connection: Connection, made: NewClose) -> int:
    """The day is final from then on; the caller holds the site's books alone."""
    close_id = add(connection, day_close, **asdict(made))
    connection.execute(
        update(site_books).where(site_books.c.site_id == made.site_id).values(closed_day=made.day)
    )
    return close_id
