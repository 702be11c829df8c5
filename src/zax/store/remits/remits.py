"""Reading and writing what insurers answered: payments by payer and trace, and their claims with what became
of each.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date

from sqlalchemy import Connection, func, select

from zax.core.remits.placing import FOR_A_PERSON
from zax.store.claims.tables import x12_file
from zax.store.listing import Listed, Order, Wanted, listed
from zax.store.remits.tables import remit, remit_claim
from zax.store.rows import add, change
from zax.store.schema import charge_line


@dataclass(frozen=True, slots=True, kw_only=True)
class OpenAnswer:
    """An answer that needs a person: unknown, repeated, or not to be posted by itself."""

    id: int
    remit_id: int
    claim_id: int | None
    number: str
    paid_cents: int
    outcome: str
    why: str
    payer: str
    trace: str
    day: date | None


def remit_known(connection: Connection, payer: str, trace: str) -> str | None:
    """The name of the file in which this payment came before."""
    query = select(x12_file.c.name).join(remit, remit.c.file_id == x12_file.c.id)
    return connection.execute(query.where(remit.c.payer == payer[:80], remit.c.trace == trace[:50])).scalar()


def add_remit(
    connection: Connection, *, file_id: int, trace: str, payer: str, day: date | None, paid_cents: int
) -> int:
    return add(
        connection,
        remit,
        file_id=file_id,
        trace=trace[:50],
        payer=payer[:80],
        day=day,
        paid_cents=paid_cents,
    )


def add_answer(
    connection: Connection,
    *,
    remit_id: int,
    claim_id: int | None,
    number: str,
    paid_cents: int,
    outcome: str,
    why: str = "",
) -> None:
    add(
        connection,
        remit_claim,
        remit_id=remit_id,
        claim_id=claim_id,
        number=number[:40],
        paid_cents=paid_cents,
        outcome=outcome,
        why=why[:500],
    )


def open_answers(connection: Connection, wanted: Wanted) -> Listed[OpenAnswer]:
    """Answers that need a person; `cents` is what was paid with them."""
    query = (
        select(remit_claim, remit.c.payer, remit.c.trace, remit.c.day)
        .join(remit, remit.c.id == remit_claim.c.remit_id)
        .where(remit_claim.c.outcome.in_(FOR_A_PERSON))
    )
    orders = {
        Order.OLDEST: (remit_claim.c.id,),
        Order.LARGEST: (func.abs(remit_claim.c.paid_cents).desc(), remit_claim.c.id),
        Order.NEWEST: (remit_claim.c.id.desc(),),
    }
    named_by = (remit_claim.c.number, remit.c.payer, remit.c.trace, remit_claim.c.why)
    return listed(connection, query, OpenAnswer, wanted, named_by, orders, "paid_cents")


def count_open_answers(connection: Connection) -> int:
    query = select(func.count()).where(remit_claim.c.outcome.in_(FOR_A_PERSON))
    return int(connection.execute(query).scalar_one())


def note_share(connection: Connection, line_id: int, deductible: int, own: int) -> None:
    """What the payer counted for a line toward the deductible, and toward the most a patient pays in a year
    (cents).
    """
    change(connection, charge_line, line_id, deductible_cents=deductible, own_cents=own)
