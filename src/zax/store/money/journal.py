"""Writing the journal and its allocations, and finding single entries. Both only grow: nothing here updates
or deletes a row of theirs.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import asdict
from datetime import date, datetime

from sqlalchemy import Connection, Select, func, insert, select

from zax.core.money.journal import Allocation, Entry, Kind
from zax.store.money.records import LedgerEntry, NewEntry
from zax.store.money.tables import allocation, journal, site_books
from zax.store.patients.tables import household, patient
from zax.store.people.tables import user
from zax.store.rows import add, many, one

_j = journal
_UNDONE = select(_j.c.reverses_id).where(_j.c.reverses_id.is_not(None))


def add_entry(connection: Connection, made: NewEntry) -> int:
    return add(connection, _j, **asdict(made))


def add_entries(connection: Connection, made: Sequence[NewEntry]) -> None:
    """Many at once, where nobody asks for their numbers."""
    if made:
        connection.execute(insert(_j), [asdict(each) for each in made])


def add_allocations(
    connection: Connection,
    patient_id: int,
    allocations: Sequence[Allocation],
    at: datetime,
    by_id: int | None,
) -> None:
    rows = [
        {
            "credit_id": each.credit_id,
            "line_id": each.line_id,
            "cents": each.cents,
            "patient_id": patient_id,
            "at": at,
            "by_id": by_id,
        }
        for each in allocations
    ]
    if rows:
        connection.execute(insert(allocation), rows)


def entry_of(connection: Connection, entry_id: int) -> LedgerEntry | None:
    return one(connection, select(_j).where(_j.c.id == entry_id), LedgerEntry)


def first_entry_of_line(connection: Connection, line_id: int) -> LedgerEntry | None:
    return one(connection, select(_j).where(_j.c.line_id == line_id).order_by(_j.c.id).limit(1), LedgerEntry)


def taken_off(connection: Connection, line_id: int, day: date, role: str) -> int:
    """Cents that people of a role wrote off or discounted on a line on a day, less what was taken back."""
    query = (
        select(func.coalesce(-func.sum(_j.c.patient_cents), 0))
        .join(user, user.c.id == _j.c.by_id)
        .where(
            _j.c.line_id == line_id,
            _j.c.day == day,
            _j.c.kind.in_((Kind.WRITE_OFF, Kind.DISCOUNT)),
            _j.c.discount_id.is_(None),
            user.c.role == role,
            _j.c.id.not_in(_UNDONE),
        )
    )
    return int(connection.execute(query).scalar_one())


def entries_of_claim(connection: Connection, claim_id: int) -> list[LedgerEntry]:
    """Everything that a payer's answers to a claim did, with what undid it, oldest first."""
    mine = select(_j.c.id).where(_j.c.claim_id == claim_id)
    query = select(_j).where((_j.c.claim_id == claim_id) | _j.c.reverses_id.in_(mine))
    return many(connection, query.order_by(_j.c.id), LedgerEntry)


def entries_of_answer(connection: Connection, answer_id: int) -> list[LedgerEntry]:
    """Everything that one answer did, with what undid it, oldest first."""
    mine = select(_j.c.id).where(_j.c.answer_id == answer_id)
    query = select(_j).where((_j.c.answer_id == answer_id) | _j.c.reverses_id.in_(mine))
    return many(connection, query.order_by(_j.c.id), LedgerEntry)


def is_reversed(connection: Connection, entry_id: int) -> bool:
    return connection.execute(select(_j.c.id).where(_j.c.reverses_id == entry_id)).first() is not None


def credits_of_payment(connection: Connection, payment_id: int) -> list[LedgerEntry]:
    """The entries that a payment was posted with, newest last, those not reversed."""
    query = select(_j).where(
        _j.c.payment_id == payment_id, _j.c.kind == Kind.PAYMENT, _j.c.id.not_in(_UNDONE)
    )
    return many(connection, query.order_by(_j.c.id), LedgerEntry)


def refunded_of(connection: Connection, credit_id: int) -> int:
    """Cents of a credit that were refunded."""
    query = select(func.coalesce(func.sum(_j.c.patient_cents), 0))
    query = query.where(_j.c.of_id == credit_id, _j.c.kind == Kind.REFUND)
    return int(connection.execute(query).scalar_one())


def transfers_from(connection: Connection, credit_id: int) -> list[LedgerEntry]:
    """Transfers that drew on a credit and were not reversed, newest first."""
    query = select(_j).where(
        _j.c.of_id == credit_id, _j.c.kind == Kind.TRANSFER, _j.c.patient_cents > 0, _j.c.id.not_in(_UNDONE)
    )
    return many(connection, query.order_by(_j.c.id.desc()), LedgerEntry)


def transfer_to(connection: Connection, entry_id: int) -> LedgerEntry | None:
    """The other half of a transfer: the entry that came out of this one."""
    return one(connection, select(_j).where(_j.c.of_id == entry_id, _j.c.kind == Kind.TRANSFER), LedgerEntry)


def entry_from(connection: Connection, entry_id: int) -> LedgerEntry | None:
    """Whatever entry names this one as what it is of."""
    return one(connection, select(_j).where(_j.c.of_id == entry_id), LedgerEntry)


def entries_of_lines(connection: Connection, line_ids: Iterable[int]) -> list[Entry]:
    query = select(_j).where(_j.c.line_id.in_(list(line_ids) or [0])).order_by(_j.c.id)
    return [each.entry for each in many(connection, query, LedgerEntry)]


def allocations_of_lines(connection: Connection, line_ids: Iterable[int]) -> list[Allocation]:
    query = select(allocation.c.credit_id, allocation.c.line_id, allocation.c.cents)
    return many(connection, query.where(allocation.c.line_id.in_(list(line_ids) or [0])), Allocation)


def hold_household(connection: Connection, patient_id: int) -> int | None:
    """Hold the household that a patient belongs to until the transaction ends; its number, None for an
    unknown patient.
    """
    found = connection.execute(select(patient.c.household_id).where(patient.c.id == patient_id)).scalar()
    if found is not None:
        connection.execute(select(household.c.id).where(household.c.id == found).with_for_update()).first()
    return found


def hold_books(connection: Connection, site_id: int) -> date | None:
    """Hold a site's books shared, as everybody does who writes the journal; the last closed day."""
    query = _closed_day(site_id).with_for_update(read=True)
    row = connection.execute(query).first()
    if row is None:
        _open_books(connection, site_id)
        row = connection.execute(query).one()
    return row[0]


def hold_books_alone(connection: Connection, site_id: int) -> date | None:
    """Hold a site's books alone, as who closes the day does; the last closed day."""
    _open_books(connection, site_id)
    return connection.execute(_closed_day(site_id).with_for_update()).scalar_one()


def _closed_day(site_id: int) -> Select[date | None]:
    return select(site_books.c.closed_day).where(site_books.c.site_id == site_id)


def _open_books(connection: Connection, site_id: int) -> None:
    connection.execute(insert(site_books).prefix_with("IGNORE").values(site_id=site_id))
