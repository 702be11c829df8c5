"""Every paper that can be sent to its patient from where one looks at it: what it is called, whose it is, and
how it is made.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass

from zax.core.errors import NotFound
from zax.core.money.statement import StatementState
from zax.core.patients.uploads import KINDS as FILE_KINDS
from zax.desk.arrivals.forms import signed_pdf
from zax.desk.charges.treatment_options import proposal_of
from zax.desk.money.receipts import receipt_of
from zax.desk.papers.sharing import Paper
from zax.desk.patients.files import one_file
from zax.store.book.queries import visits_by_id
from zax.store.engine import Connection
from zax.store.money.statements import statement_of
from zax.store.patients.patients import guarantors_of
from zax.web.charges.documents import plan_pdf
from zax.web.claims.claim_papers import as_pdf
from zax.web.day.documents import attendance_pdf, itemized_pdf, summary_pdf, visit_receipt_pdf
from zax.web.money.documents import receipt_pdf
from zax.web.shell.request_context import RequestContext


@dataclass(frozen=True, slots=True)
class PaperKind:
    """`right` is needed to look at it; `of` says whose it is; `pdf` makes it. Both raise NotFound."""

    right: str
    of: Callable[[RequestContext, Connection, int], Paper]
    pdf: Callable[[RequestContext, int], bytes]


def _of_visit(name: str) -> Callable[[RequestContext, Connection, int], Paper]:
    def find(ctx: RequestContext, connection: Connection, visit_id: int) -> Paper:
        visit = visits_by_id(connection, [visit_id]).get(visit_id)
        if visit is None:
            raise NotFound("There is no such visit.")
        return Paper(patient_id=visit.patient_id, name=name)

    return find


def _receipt(ctx: RequestContext, connection: Connection, receipt_id: int) -> Paper:
    return Paper(patient_id=receipt_of(connection, ctx.clinic, receipt_id).row.patient_id, name="Receipt")


def _statement(ctx: RequestContext, connection: Connection, number: int) -> Paper:
    row = statement_of(connection, number)
    if row is None or row.state != StatementState.MADE:
        raise NotFound("There is no such statement.")
    payer = row.patient_id
    if payer is None:
        guarantor = guarantors_of(connection, [row.household_id]).get(row.household_id)
        if guarantor is None:
            raise NotFound("No one of this household pays its bills.")
        payer = guarantor.id
    return Paper(patient_id=payer, name="Statement", by_link=True)


def _statement_pdf(ctx: RequestContext, number: int) -> bytes:
    with ctx.read() as connection:
        row = statement_of(connection, number)
    if row is None:
        raise NotFound("There is no such statement.")
    return ctx.shared.files.get(row.digest)


def _planned(ctx: RequestContext, connection: Connection, proposal_id: int) -> Paper:
    shown = proposal_of(connection, ctx.clinic, proposal_id, ctx.now)
    return Paper(patient_id=shown.patient.id, name="Planned work")


def _signed(ctx: RequestContext, connection: Connection, signed_id: int) -> Paper:
    row, _ = signed_pdf(connection, ctx.shared.files, signed_id)
    return Paper(patient_id=row.patient_id, name=row.name)


def _signed_pdf(ctx: RequestContext, signed_id: int) -> bytes:
    with ctx.read() as connection:
        _, content = signed_pdf(connection, ctx.shared.files, signed_id)
    return content


def _file(ctx: RequestContext, connection: Connection, file_id: int) -> Paper:
    row = one_file(connection, file_id)
    return Paper(patient_id=row.patient_id, name=FILE_KINDS[row.kind].capitalize())


def _file_pdf(ctx: RequestContext, file_id: int) -> bytes:
    with ctx.read() as connection:
        row = one_file(connection, file_id)
    return as_pdf(ctx.shared.files.get(row.digest), row)


PAPERS: Mapping[str, PaperKind] = {
    "receipt": PaperKind("payments", _receipt, lambda ctx, number: receipt_pdf(ctx.desk, number)),
    "visit-receipt": PaperKind(
        "payments", _of_visit("Receipt"), lambda ctx, number: visit_receipt_pdf(ctx.desk, number)
    ),
    "itemized": PaperKind(
        "payments", _of_visit("Itemized bill"), lambda ctx, number: itemized_pdf(ctx.desk, number)
    ),
    "summary": PaperKind(
        "payments", _of_visit("Summary for insurance"), lambda ctx, number: summary_pdf(ctx.desk, number)
    ),
    "attendance": PaperKind(
        "payments", _of_visit("Attendance letter"), lambda ctx, number: attendance_pdf(ctx.desk, number)
    ),
    "statement": PaperKind("payments", _statement, _statement_pdf),
    "planned": PaperKind("see", _planned, lambda ctx, number: plan_pdf(ctx.desk, number)),
    "signed": PaperKind("see", _signed, _signed_pdf),
    "file": PaperKind("see", _file, _file_pdf),
}


def kind_of(name: str) -> PaperKind:
    if name not in PAPERS:
        raise NotFound("There is no such paper.")
    return PAPERS[name]
