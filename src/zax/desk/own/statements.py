"""Statements that go without paper: a notice with a link that says nothing about health or amounts, what was
opened, and paper after all for what nobody opened.
"""

from __future__ import annotations

from datetime import timedelta
from functools import partial

from zax.core.errors import NotFound
from zax.core.messages.channel import Channel
from zax.core.messages.language import Language, language_of
from zax.core.messages.message import Sort
from zax.core.money.statement import PAPER, StatementState
from zax.core.wording import phone_words
from zax.desk.acts.act import act, in_transaction
from zax.desk.acts.actor import WORKER
from zax.desk.acts.each import each_for_itself
from zax.desk.acts.transaction import Desk, Transaction
from zax.desk.messages.writing import write_to
from zax.desk.notices.facts import called, way_to
from zax.desk.notices.rules import habits_of
from zax.desk.online.codes import Browser
from zax.desk.online.habits import online_habits
from zax.desk.own.signing_in import Own, begin_for
from zax.store.engine import Connection
from zax.store.money import statements as stored
from zax.store.money.records import StatementRow
from zax.store.patients.patients import guarantors_of, known_patient
from zax.store.patients.records import Patient

PAGE = "my/s"
AT_ONCE = 200
GONE = "This link doesn’t work anymore. Please call us."
_WORDS = {
    Language.ENGLISH: "Hi {first}, your statement is ready: {link} {clinic}, {phone}",
    Language.SPANISH: "Hola {first}, su estado de cuenta esta listo: {link} {clinic}, {phone}",
}
_SUBJECT = {Language.ENGLISH: "Your statement is ready", Language.SPANISH: "Su estado de cuenta"}


def tell_of_statements(desk: Desk) -> int:
    """A notice for each that goes by one; on paper where it doesn't reach them. How many. For the worker."""
    with desk.engine.connect() as connection:
        rows = stored.to_tell(connection, AT_ONCE)
    return each_for_itself(
        [row.id for row in rows], lambda number: in_transaction(desk, WORKER, partial(_tell, number=number))
    )


def _tell(tx: Transaction, *, number: int) -> None:
    row = stored.statement_of(tx.connection, number)
    if row is None or row.way == PAPER or row.told_at is not None:
        return
    reader, address = reader_of_statement(tx.connection, row), habits_of(tx.clinic).address
    channel = Channel.EMAIL if row.way == Channel.EMAIL else Channel.TEXT
    where = way_to(tx.connection, reader, channel, tx.clinic_day)
    if not where.to or not address or not online_habits(tx.clinic).runs:
        stored.set_way(tx.connection, number, way=PAPER, link=None)
        return
    language = language_of(reader.language)
    words = _WORDS[language].format(
        first=called(reader),
        link=f"{address}/{PAGE}/{row.link}",
        clinic=tx.clinic.about["clinic_name"],
        phone=phone_words(tx.clinic.first_site.phone),
    )
    write_to(
        tx,
        channel,
        where.to,
        words,
        key=f"statement-{number}",
        sort=Sort.REQUEST,
        patient_id=reader.id,
        subject=_SUBJECT[language] if channel is Channel.EMAIL else "",
        why=f"Statement {number}",
    )
    stored.set_way(tx.connection, number, told_at=tx.now)


def reader_of_statement(connection: Connection, row: StatementRow) -> Patient:
    """Who pays for the household, or whom it is about alone."""
    payer = guarantors_of(connection, [row.household_id]).get(row.household_id)
    if payer is not None:
        return payer
    anybody = row.patient_id or stored.anybody_of(connection, row.household_id)
    return known_patient(connection, anybody or 0)


def print_unopened(desk: Desk) -> int:
    """What nobody opened in time goes on paper; how many. For the worker."""
    before = desk.clock.now() - timedelta(days=online_habits(desk.clinic).unopened_days)
    with desk.engine.connect() as connection:
        late = stored.unopened(connection, before)
    return each_for_itself(
        late, lambda number: in_transaction(desk, WORKER, partial(_to_paper, number=number))
    )


def _to_paper(tx: Transaction, *, number: int) -> None:
    stored.set_way(tx.connection, number, way=PAPER)
    tx.audit("statement.unopened", statement=number)
    tx.tell("statements")


@act("statements")
def print_waiting(tx: Transaction) -> list[StatementRow]:
    """What is to be printed, noted as printed: it goes to the printer once."""
    rows = stored.to_print(tx.connection)
    stored.note_printed(tx.connection, [row.id for row in rows], tx.now)
    tx.audit("statements.printed", statements=[row.id for row in rows])
    return list(rows)


def begin_by_link(desk: Desk, at: Browser, link: str, language: str) -> int:
    """A code to the phone of who the statement went to. NotFound for a link that names nothing."""

    def work(tx: Transaction) -> int:
        row = _by_link(tx, link)
        return begin_for(tx, at, reader_of_statement(tx.connection, row), language)

    return in_transaction(desk, WORKER, work)


def link_names(desk: Desk, link: str) -> int:
    """The number of its statement. NotFound."""
    return in_transaction(desk, WORKER, lambda tx: _by_link(tx, link).id)


def _by_link(tx: Transaction, link: str) -> StatementRow:
    row = stored.statement_by_link(tx.connection, link) if 0 < len(link) <= 24 else None
    if row is None or row.state != StatementState.MADE:
        raise NotFound(GONE)
    return row


def own_statement(desk: Desk, own: Own, number: int) -> StatementRow:
    """One of theirs, noted as opened. NotFound for anybody else's."""

    def open_it(tx: Transaction) -> StatementRow:
        row = stored.statement_of(tx.connection, number)
        if row is None or row.state != StatementState.MADE or not _is_theirs(row, own.patient):
            raise NotFound("There is no such statement.")
        if row.opened_at is None:
            stored.set_way(tx.connection, number, opened_at=tx.now)
        return row

    return in_transaction(desk, WORKER, open_it)


def own_statements(connection: Connection, patient: Patient) -> list[StatementRow]:
    """The newest first."""
    return [row for row in stored.statements_of(connection, patient.household_id) if _is_theirs(row, patient)]


def _is_theirs(row: StatementRow, patient: Patient) -> bool:
    """A household's statement is for who pays for it, one person's for that person too."""
    mine = row.household_id == patient.household_id
    return mine and (patient.guarantor or row.patient_id == patient.id)
