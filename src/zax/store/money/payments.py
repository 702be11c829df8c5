"""Reading and writing payments: receipts, their tenders, what each is for, and cards on file."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import asdict
from datetime import date, datetime

from sqlalchemy import Connection, delete, func, insert, select, text, update

from zax.core.book.track import AHEAD
from zax.core.money.tender import OPEN_STATES, PaymentState
from zax.store.money.records import (
    CardOnFile,
    ComingVisit,
    LedgerKey,
    NamedPart,
    NamedReceipt,
    NewPart,
    NewPayment,
    PaidHow,
    Payment,
    PaymentPart,
    ReceiptRow,
    VisitPayment,
)
from zax.store.money.tables import card_on_file, payment, payment_part, payment_plan, receipt, site_books
from zax.store.patients.tables import patient
from zax.store.people.tables import user
from zax.store.rows import add, change, many, one, save, sql_list
from zax.store.schema import visit

_y, _part, _r, _c = payment, payment_part, receipt, card_on_file
# Visits from today on for which nothing is charged yet: a copay or a deposit may be taken for them.
_COMING = text(
    f"""
    SELECT v.id, v.patient_id, v.day, v.start_min, v.type_id, v.state, p.first, COALESCE((SELECT
        -SUM(j.patient_cents) FROM journal j WHERE j.visit_id = v.id), 0) AS paid
    FROM patient p
    JOIN visit v ON v.patient_id = p.id
    WHERE p.household_id = :household_id AND v.day >= :today AND v.state IN {sql_list(AHEAD)}
    ORDER BY v.day, v.start_min
    LIMIT 6
    """
)


def add_receipt(
    connection: Connection,
    *,
    request_key: str,
    patient_id: int,
    site_id: int,
    day: date,
    at: datetime,
    by_id: int | None,
    how: str = "none",
    email: str = "",
    change_cents: int = 0,
) -> int:
    return add(
        connection,
        _r,
        request_key=request_key,
        patient_id=patient_id,
        site_id=site_id,
        day=day,
        at=at,
        by_id=by_id,
        how=how,
        email=email,
        change_cents=change_cents,
    )


def receipt_of(connection: Connection, receipt_id: int) -> ReceiptRow | None:
    return one(connection, select(_r).where(_r.c.id == receipt_id), ReceiptRow)


def receipt_by_key_for_update(connection: Connection, request_key: str) -> ReceiptRow | None:
    """The receipt of this key; the key is held either way."""
    return one(connection, select(_r).where(_r.c.request_key == request_key).with_for_update(), ReceiptRow)


def receipt_by_key(connection: Connection, request_key: str) -> int | None:
    """The number of the receipt of this key."""
    return connection.execute(select(_r.c.id).where(_r.c.request_key == request_key)).scalar()


def named_receipt(connection: Connection, receipt_id: int) -> NamedReceipt | None:
    p, u, b = patient, user, site_books
    query = (
        select(
            _r, p.c.first, p.c.last, p.c.email.label("email_now"), u.c.name.label("by_name"), b.c.closed_day
        )
        .join(p, p.c.id == _r.c.patient_id)
        .join(u, u.c.id == _r.c.by_id, isouter=True)
        .join(b, b.c.site_id == _r.c.site_id, isouter=True)
        .where(_r.c.id == receipt_id)
    )
    return one(connection, query, NamedReceipt)


def add_payment(connection: Connection, made: NewPayment) -> int:
    """A tender of a receipt; what it asks for is what it is."""
    return add(connection, _y, **asdict(made), asked_cents=made.cents)


def payment_of(connection: Connection, payment_id: int) -> Payment | None:
    return one(connection, select(_y).where(_y.c.id == payment_id), Payment)


def payment_for_update(connection: Connection, payment_id: int) -> Payment | None:
    return one(connection, select(_y).where(_y.c.id == payment_id).with_for_update(), Payment)


def payment_by_key(connection: Connection, request_key: str) -> Payment | None:
    return one(connection, select(_y).where(_y.c.request_key == request_key), Payment)


def payment_by_key_for_update(connection: Connection, request_key: str) -> Payment | None:
    return one(connection, select(_y).where(_y.c.request_key == request_key).with_for_update(), Payment)


def save_payment(connection: Connection, before: Payment, after: Payment) -> None:
    save(connection, _y, before, after)


def mail_later(connection: Connection, receipt_id: int, email: str) -> None:
    """The receipt goes to this address once nothing of it is not confirmed yet."""
    change(connection, _r, receipt_id, how="email", email=email)


def payments_of_receipt(connection: Connection, receipt_id: int) -> list[Payment]:
    return many(connection, select(_y).where(_y.c.receipt_id == receipt_id).order_by(_y.c.id), Payment)


def payments_by_keys(connection: Connection, request_keys: Iterable[str]) -> dict[str, Payment]:
    query = select(_y).where(_y.c.request_key.in_(list(request_keys) or [""]))
    return {each.request_key: each for each in many(connection, query, Payment)}


def payments_by_ids(connection: Connection, ids: Iterable[int]) -> dict[int, Payment]:
    return {each.id: each for each in many(connection, select(_y).where(_y.c.id.in_(list(ids))), Payment)}


def given_back_of(connection: Connection, payment_ids: Iterable[int]) -> list[Payment]:
    """The later payments that gave something of these back."""
    return many(connection, select(_y).where(_y.c.of_id.in_(list(payment_ids))).order_by(_y.c.id), Payment)


def refunded_by(connection: Connection, payment_id: int, day: date, role: str) -> int:
    """Cents of a payment that people of a role gave back on a day, or the terminal is being asked to."""
    query = (
        select(func.coalesce(-func.sum(_y.c.cents), 0))
        .join(receipt, receipt.c.id == _y.c.receipt_id)
        .join(user, user.c.id == receipt.c.by_id)
        .where(
            _y.c.of_id == payment_id,
            _y.c.kind == "refund",
            _y.c.state != PaymentState.DECLINED,
            receipt.c.day == day,
            user.c.role == role,
        )
    )
    return int(connection.execute(query).scalar_one())


def asking_of(connection: Connection, household_id: int) -> list[Payment]:
    """Payments of the household that the terminal has not answered."""
    query = select(_y).join(patient, patient.c.id == _y.c.patient_id)
    query = query.where(patient.c.household_id == household_id, _y.c.state.in_(OPEN_STATES))
    return many(connection, query.order_by(_y.c.id), Payment)


def paid_last(connection: Connection, household_id: int) -> PaidHow | None:
    """The tender used last, and the wish for its receipt."""
    query = (
        select(_y.c.tender, _r.c.how)
        .join(_r, _r.c.id == _y.c.receipt_id)
        .join(patient, patient.c.id == _y.c.patient_id)
        .where(
            patient.c.household_id == household_id, _y.c.state == PaymentState.TAKEN, _y.c.kind == "payment"
        )
        .order_by(_y.c.id.desc())
        .limit(1)
    )
    return one(connection, query, PaidHow)


def payments_for_visit(connection: Connection, visit_id: int) -> list[VisitPayment]:
    """The payments that have a part for the visit, whatever became of them, each with what of it
    was for it.
    """
    query = (
        select(_y, func.sum(_part.c.cents).label("here"))
        .join(_part, _part.c.payment_id == _y.c.id)
        .where(_part.c.visit_id == visit_id)
        .group_by(_y.c.id)
        .order_by(_y.c.id)
    )
    return many(connection, query, VisitPayment)


def coming_visits(connection: Connection, household_id: int, today: date) -> list[ComingVisit]:
    return many(connection, _COMING, ComingVisit, household_id=household_id, today=today)


def add_parts(connection: Connection, payment_id: int, parts: Sequence[NewPart]) -> None:
    if parts:
        connection.execute(insert(_part), [asdict(each) | {"payment_id": payment_id} for each in parts])


def parts_of(connection: Connection, payment_id: int) -> list[PaymentPart]:
    """In the order they were named."""
    return many(
        connection, select(_part).where(_part.c.payment_id == payment_id).order_by(_part.c.id), PaymentPart
    )


def named_parts_of(connection: Connection, payment_ids: Iterable[int]) -> list[NamedPart]:
    query = (
        select(_part, patient.c.first, visit.c.day, visit.c.type_id)
        .join(patient, patient.c.id == _part.c.patient_id)
        .join(visit, visit.c.id == _part.c.visit_id, isouter=True)
        .where(_part.c.payment_id.in_(list(payment_ids)))
        .order_by(_part.c.id)
    )
    return many(connection, query, NamedPart)


def ledgers_of_payment(connection: Connection, payment_id: int) -> list[LedgerKey]:
    """The ledgers a payment is for, visits first, in the order in which every act on money holds them."""
    query = select(_part.c.patient_id, _part.c.visit_id).where(_part.c.payment_id == payment_id).distinct()
    found = many(connection, query, LedgerKey)
    return sorted(found, key=lambda key: (key.visit_id is None, key.visit_id or 0))


def shrink_part(connection: Connection, part: PaymentPart, less: int) -> None:
    """A part is for so much less; one that is for nothing goes."""
    if less < part.cents:
        change(connection, _part, part.id, cents=part.cents - less)
    else:
        connection.execute(delete(_part).where(_part.c.id == part.id))


def cards_of(connection: Connection, household_id: int) -> list[CardOnFile]:
    """The household's cards that may be charged, the newest first."""
    query = select(_c, patient.c.first).join(patient, patient.c.id == _c.c.patient_id)
    query = query.where(patient.c.household_id == household_id, _c.c.removed_at.is_(None)).order_by(
        _c.c.id.desc()
    )
    return many(connection, query, CardOnFile)


def card_of(connection: Connection, card_id: int) -> CardOnFile | None:
    """Also one that was taken off file."""
    query = (
        select(_c, patient.c.first).join(patient, patient.c.id == _c.c.patient_id).where(_c.c.id == card_id)
    )
    return one(connection, query, CardOnFile)


def hold_card(connection: Connection, card_id: int) -> bool:
    """Hold a card that is on file; whether there is such a one."""
    query = select(_c.c.id).where(_c.c.id == card_id, _c.c.removed_at.is_(None)).with_for_update()
    return connection.execute(query).first() is not None


def token_known(connection: Connection, token: str) -> bool:
    query = select(_c.c.id).where(_c.c.token == token, _c.c.removed_at.is_(None))
    return connection.execute(query).first() is not None


def add_card(
    connection: Connection,
    *,
    patient_id: int,
    token: str,
    ending: str,
    expires: str,
    made_at: datetime,
    by_id: int | None,
) -> None:
    add(
        connection,
        _c,
        patient_id=patient_id,
        token=token,
        ending=ending,
        expires=expires,
        made_at=made_at,
        by_id=by_id,
    )


def remove_card(connection: Connection, card_id: int, at: datetime) -> None:
    """Off file; plans that charged it have none from then on."""
    change(connection, _c, card_id, removed_at=at)
    connection.execute(update(payment_plan).where(payment_plan.c.card_id == card_id).values(card_id=None))
