"""Reading charges and the journal: a visit's lines, its entries and allocations, a household's account, open
sums of a day.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from datetime import date

from sqlalchemy import (
    BigInteger,
    Column,
    ColumnElement,
    Connection,
    Date,
    Executable,
    Integer,
    String,
    bindparam,
    func,
    select,
    text,
)

from zax.core.book.track import Stop
from zax.core.money.journal import Allocation, Entry
from zax.core.money.tender import OPEN_STATES
from zax.store.listing import Listed, Order, Wanted, listed
from zax.store.money.records import (
    ClaimedLine,
    LedgerEntry,
    LedgerVisit,
    LineWords,
    NamedEntry,
    NewestRest,
    OpenOfVisit,
    OpenRest,
    ServiceLine,
    VisitDiagnosis,
)
from zax.store.rows import many, one
from zax.store.schema import (
    allocation,
    charge_line,
    claim_line,
    diagnosis_code,
    household,
    journal,
    patient,
    payment,
    payment_part,
    user,
    visit,
    visit_diagnosis,
)

_LINES = (
    select(charge_line)
    .where(charge_line.c.visit_id == bindparam("visit_id"), charge_line.c.removed_at.is_(None))
    .order_by(charge_line.c.id)
)
_VISIT_ENTRIES = select(journal).where(journal.c.visit_id == bindparam("visit_id")).order_by(journal.c.id)
_VISIT_ALLOCATIONS = (
    select(allocation.c.credit_id, allocation.c.line_id, allocation.c.cents)
    .join(charge_line, charge_line.c.id == allocation.c.line_id)
    .where(charge_line.c.visit_id == bindparam("visit_id"))
    .order_by(allocation.c.id)
)
# What belongs to no visit stands on the patient's own ledger.
_OWN_ENTRIES = (
    select(journal)
    .where(journal.c.patient_id == bindparam("patient_id"), journal.c.visit_id.is_(None))
    .order_by(journal.c.id)
)
_OWN_ALLOCATIONS = (
    select(allocation.c.credit_id, allocation.c.line_id, allocation.c.cents)
    .join(charge_line, charge_line.c.id == allocation.c.line_id)
    .where(charge_line.c.patient_id == bindparam("patient_id"), charge_line.c.visit_id.is_(None))
    .order_by(allocation.c.id)
)
_DIAGNOSES = (
    select(visit_diagnosis.c.position, visit_diagnosis.c.code, diagnosis_code.c.words)
    .join(diagnosis_code, diagnosis_code.c.code == visit_diagnosis.c.code)
    .where(visit_diagnosis.c.visit_id == bindparam("visit_id"))
    .order_by(visit_diagnosis.c.position)
)
_OPEN_OF_VISITS = text(
    """
    SELECT j.visit_id, SUM(j.patient_cents) AS patient_cents, SUM(j.insurer_cents) AS insurer_cents,
        SUM(CASE WHEN COALESCE(r.kind, j.kind) = 'charge' THEN j.patient_cents + j.insurer_cents ELSE 0 END)
        AS fee_cents
    FROM journal j
    JOIN visit v ON v.id = j.visit_id
    LEFT JOIN journal r ON r.id = j.reverses_id
    WHERE v.day = :day AND v.site_id = :site_id
    GROUP BY j.visit_id
    """
)
# LEFT visits of earlier days whose insurer has answered and whose patient part is open (or overpaid).
_VISIT_REST = f"""
    SELECT v.id, v.patient_id, v.day, p.first, p.last, SUM(j.patient_cents) AS patient_cents
    FROM visit v
    JOIN patient p ON p.id = v.patient_id
    JOIN journal j ON j.visit_id = v.id
    WHERE v.state = '{Stop.LEFT}' AND v.site_id = :site_id
    GROUP BY v.id
    HAVING SUM(j.insurer_cents) = 0 AND patient_cents <> 0
    """
# What is open on patients' own ledgers: products, fees, balances brought over.
_OWN_REST = """
    SELECT NULL AS id, j.patient_id, MAX(j.day) AS day, p.first, p.last, SUM(j.patient_cents) AS
        patient_cents
    FROM journal j
    JOIN patient p ON p.id = j.patient_id
    WHERE j.visit_id IS NULL AND j.site_id = :site_id
    GROUP BY j.patient_id
    HAVING patient_cents > 0
    """
_RESTS = (
    text(f"{_VISIT_REST} UNION ALL {_OWN_REST}")
    .columns(
        Column("id", Integer),
        Column("patient_id", Integer),
        Column("day", Date),
        Column("first", String),
        Column("last", String),
        Column("patient_cents", BigInteger),
    )
    .subquery("rest")
)
_NEWEST_REST = text(
    f"""
    SELECT rest.*, COUNT(*) OVER () AS of_visits
    FROM ({_VISIT_REST}) rest
    ORDER BY day DESC, id DESC
    LIMIT 1
    """
)


def visit_lines(connection: Connection, visit_id: int) -> list[ServiceLine]:
    """The services of a visit, without those taken off it."""
    return many(connection, _LINES, ServiceLine, visit_id=visit_id)


def visit_diagnoses(connection: Connection, visit_id: int) -> list[VisitDiagnosis]:
    return many(connection, _DIAGNOSES, VisitDiagnosis, visit_id=visit_id)


def visit_entries(connection: Connection, visit_id: int) -> list[Entry]:
    return [each.entry for each in many(connection, _VISIT_ENTRIES, LedgerEntry, visit_id=visit_id)]


def visit_allocations(connection: Connection, visit_id: int) -> list[Allocation]:
    return many(connection, _VISIT_ALLOCATIONS, Allocation, visit_id=visit_id)


def entries_of_visits(connection: Connection, visit_ids: Iterable[int]) -> dict[int, list[Entry]]:
    """The ledgers of many visits."""
    query = select(journal).where(journal.c.visit_id.in_(list(visit_ids) or [0])).order_by(journal.c.id)
    found: dict[int, list[Entry]] = {}
    for each in many(connection, query, LedgerEntry):
        found.setdefault(each.visit_id or 0, []).append(each.entry)
    return found


def allocations_of_visits(connection: Connection, visit_ids: Iterable[int]) -> dict[int, list[Allocation]]:
    query = (
        select(charge_line.c.visit_id, allocation.c.credit_id, allocation.c.line_id, allocation.c.cents)
        .join(charge_line, charge_line.c.id == allocation.c.line_id)
        .where(charge_line.c.visit_id.in_(list(visit_ids) or [0]))
        .order_by(allocation.c.id)
    )
    found: dict[int, list[Allocation]] = {}
    for row in connection.execute(query):
        found.setdefault(row.visit_id, []).append(Allocation(row.credit_id, row.line_id, row.cents))
    return found


def lines_of_claims(connection: Connection, claim_ids: Sequence[int]) -> dict[int, list[ClaimedLine]]:
    """The charge lines of many claims, each in its order."""
    query = (
        select(charge_line, claim_line.c.cents, claim_line.c.claim_id)
        .join(claim_line, claim_line.c.line_id == charge_line.c.id)
        .where(claim_line.c.claim_id.in_(list(claim_ids) or [0]))
        .order_by(claim_line.c.claim_id, claim_line.c.position)
    )
    found: dict[int, list[ClaimedLine]] = {}
    for line in many(connection, query, ClaimedLine):
        found.setdefault(line.claim_id, []).append(line)
    return found


def ledger_entries(connection: Connection, patient_id: int, visit_id: int | None) -> list[Entry]:
    """The entries of a visit's ledger, or of the patient's own."""
    if visit_id is not None:
        return visit_entries(connection, visit_id)
    return [each.entry for each in many(connection, _OWN_ENTRIES, LedgerEntry, patient_id=patient_id)]


def ledger_allocations(connection: Connection, patient_id: int, visit_id: int | None) -> list[Allocation]:
    if visit_id is not None:
        return visit_allocations(connection, visit_id)
    return many(connection, _OWN_ALLOCATIONS, Allocation, patient_id=patient_id)


def household_entries(connection: Connection, household_id: int) -> list[NamedEntry]:
    """The whole journal of a household, oldest first, with who made each entry."""
    query = (
        select(journal, user.c.name.label("by_name"))
        .join(patient, patient.c.id == journal.c.patient_id)
        .join(user, user.c.id == journal.c.by_id, isouter=True)
        .where(patient.c.household_id == household_id)
        .order_by(journal.c.id)
    )
    return many(connection, query, NamedEntry)


def household_allocations(connection: Connection, household_id: int) -> list[Allocation]:
    query = (
        select(allocation.c.credit_id, allocation.c.line_id, allocation.c.cents)
        .join(patient, patient.c.id == allocation.c.patient_id)
        .where(patient.c.household_id == household_id)
        .order_by(allocation.c.id)
    )
    return many(connection, query, Allocation)


def lines_of(connection: Connection, line_ids: Sequence[int]) -> list[LineWords]:
    """What charge lines say of themselves, with whose they are (`person_id`) and their visit's day."""
    return many(connection, _LINE_ROWS.where(charge_line.c.id.in_(line_ids or [0])), LineWords)


def household_lines(connection: Connection, household_id: int) -> list[LineWords]:
    """Every charge line of a household that is in its journal, those without a visit among them."""
    query = _LINE_ROWS.where(charge_line.c.id.in_(_LINES_OF_HOUSEHOLD))
    return many(connection, query, LineWords, household_id=household_id)


def household_people(connection: Connection, household_id: int) -> dict[int, str]:
    """{patient_id: first name}."""
    query = select(patient.c.id, patient.c.first).where(patient.c.household_id == household_id)
    return {row.id: row.first for row in connection.execute(query)}


def household_visits(connection: Connection, household_id: int) -> dict[int, LedgerVisit]:
    """The household's visits that have money, by id: day, state, type, provider, site."""
    query = text(
        """
    SELECT v.id, v.patient_id, v.day, v.start_min, v.state, v.type_id, v.provider_id, v.site_id
    FROM visit v
    WHERE v.id IN (SELECT j.visit_id FROM patient p JOIN journal j ON j.patient_id = p.id WHERE
        p.household_id = :household_id)
    """
    )
    return {each.id: each for each in many(connection, query, LedgerVisit, household_id=household_id)}


_LINE_ROWS = select(
    charge_line.c.id,
    charge_line.c.visit_id,
    charge_line.c.service_id,
    charge_line.c.units,
    charge_line.c.tooth,
    charge_line.c.kind,
    charge_line.c.words,
    charge_line.c.entered_at,
    func.coalesce(charge_line.c.patient_id, visit.c.patient_id).label("person_id"),
    visit.c.day.label("visit_day"),
).join(visit, visit.c.id == charge_line.c.visit_id, isouter=True)
_LINES_OF_HOUSEHOLD = (
    select(journal.c.line_id)
    .join(patient, patient.c.id == journal.c.patient_id)
    .where(patient.c.household_id == bindparam("household_id"), journal.c.line_id.is_not(None))
)


def pending_payments(connection: Connection, visit_id: int) -> int:
    """Cents the terminal was asked for and has not answered yet."""
    part = payment_part
    query = (
        select(func.coalesce(func.sum(part.c.cents), 0))
        .join(payment, payment.c.id == part.c.payment_id)
        .where(part.c.visit_id == visit_id, payment.c.state.in_(OPEN_STATES))
    )
    return int(connection.execute(query).scalar_one())


def _pending(by: Column[int], *where: ColumnElement[bool]) -> Executable:
    """What terminals are being asked for in a household, summed by a column of the payments' parts."""
    return (
        select(by, func.sum(payment_part.c.cents).label("cents"))
        .join(payment, payment.c.id == payment_part.c.payment_id)
        .join(patient, patient.c.id == payment_part.c.patient_id)
        .where(
            patient.c.household_id == bindparam("household_id"),
            payment.c.state.in_(OPEN_STATES),
            by.is_not(None),
            *where,
        )
        .group_by(by)
    )


_PENDING_LINES = _pending(payment_part.c.line_id)
_PENDING_VISITS = _pending(payment_part.c.visit_id, payment_part.c.line_id.is_(None))


def pending_lines(connection: Connection, household_id: int) -> dict[int, int]:
    """Cents that a terminal is being asked for, by the line they are for."""
    return {
        row.line_id: row.cents for row in connection.execute(_PENDING_LINES, {"household_id": household_id})
    }


_CLAIM_LINES = (
    select(charge_line, claim_line.c.cents, claim_line.c.claim_id)
    .join(claim_line, claim_line.c.line_id == charge_line.c.id)
    .where(claim_line.c.claim_id == bindparam("claim_id"))
    .order_by(claim_line.c.position)
)


def claim_lines(connection: Connection, claim_id: int) -> list[ClaimedLine]:
    """The charge lines on a claim in their order, each with the `cents` that were claimed."""
    return many(connection, _CLAIM_LINES, ClaimedLine, claim_id=claim_id)


def pending_visits(connection: Connection, household_id: int) -> dict[int, int]:
    """Cents that a terminal is being asked for, by the visit they are for as a whole."""
    rows = connection.execute(_PENDING_VISITS, {"household_id": household_id})
    return {row.visit_id: row.cents for row in rows}


def open_of_visits(connection: Connection, site_id: int, day: date) -> dict[int, OpenOfVisit]:
    """What the entries of each visit of a site's day come to."""
    found = many(connection, _OPEN_OF_VISITS, OpenOfVisit, site_id=site_id, day=day)
    return {each.visit_id: each for each in found}


def newest_rest(connection: Connection, site_id: int) -> NewestRest | None:
    """The last visit that left, whose insurer has answered and whose patient part is open or overpaid."""
    return one(connection, _NEWEST_REST, NewestRest, site_id=site_id)


def listed_rests(connection: Connection, site_id: int, wanted: Wanted) -> Listed[OpenRest]:
    """All of these, and what is open on patients' own ledgers; `cents` is what is owed, without credits."""
    rest = _RESTS.c
    query = select(_RESTS, func.greatest(rest.patient_cents, 0).label("owed"))
    orders = {
        Order.OLDEST: (rest.day, rest.id),
        Order.LARGEST: (func.abs(rest.patient_cents).desc(), rest.day, rest.id),
        Order.NEWEST: (rest.day.desc(), rest.id.desc()),
    }
    query = query.params(site_id=site_id)
    return listed(connection, query, OpenRest, wanted, (rest.first, rest.last), orders, "owed")


def household_name(connection: Connection, household_id: int) -> str:
    return str(
        connection.execute(select(household.c.name).where(household.c.id == household_id)).scalar_one()
    )


def line_for_update(connection: Connection, visit_id: int, line_id: int) -> ServiceLine | None:
    """A service of the visit that was not taken off, held."""
    mine = (
        charge_line.c.id == line_id,
        charge_line.c.visit_id == visit_id,
        charge_line.c.removed_at.is_(None),
    )
    return one(connection, select(charge_line).where(*mine).with_for_update(), ServiceLine)
