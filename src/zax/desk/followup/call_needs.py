"""What somebody on the call sheet would be booked for, from the reason that weighs most."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date

from zax.core.followup.call_sheet import Reason, Why
from zax.desk.book.planned import type_for_work
from zax.desk.clinic.clinic import Clinic
from zax.store.book.waitlist import waits_of
from zax.store.engine import Connection
from zax.store.followup.candidates import SignedWork, signed_work
from zax.store.followup.recalls import recall_types, recalls_of
from zax.store.followup.returns import returns_of


@dataclass(frozen=True, slots=True)
class CallNeed:
    """A visit of this type; `about` is the reason it settles, `same` asks for whom they saw last, `planned`
    is the signed work it does.
    """

    type_id: int
    about: str
    same: bool = False
    planned: tuple[int, ...] = ()


def need_of(
    connection: Connection, clinic: Clinic, reasons: Sequence[Reason], today: date
) -> CallNeed | None:
    """None where no reason asks for a visit."""
    recalls = {f"recall-{row.id}": row for row in recalls_of(connection, _who(reasons), today)}
    kinds = recall_types(connection)
    types = {about: row.type_id for about, row in recalls.items()}
    types |= {f"return-{row.id}": row.type_id or 0 for row in returns_of(connection, _who(reasons))}
    types |= {f"wait-{row.id}": row.type_id for row in waits_of(connection, _who(reasons))}
    work = signed_work(connection, _who(reasons)).get(_who(reasons), []) if reasons else []
    for each in reasons:
        if each.why is Why.PLANNED:
            need = _for_work(clinic, each.about, work)
            if need is not None:
                return need
        kind = clinic.types.get(types.get(each.about, 0))
        if kind is not None and kind.active:
            recall = recalls.get(each.about)
            same = recall is not None and kinds[recall.recall_type_id].same_person
            return CallNeed(kind.id, each.about, same)
    return None


def _for_work(clinic: Clinic, about: str, work: Sequence[SignedWork]) -> CallNeed | None:
    """The visit that begins the signed work; None where no type does any of it."""
    mine = [row for row in work if about == f"proposal-{row.proposal_id}"]
    kind = type_for_work(clinic.types.values(), {row.service_id for row in mine})
    if kind is None:
        return None
    done = tuple(row.id for row in mine if row.service_id in kind.services)
    return CallNeed(kind.id, about, planned=done)


def _who(reasons: Sequence[Reason]) -> int:
    return reasons[0].patient_id if reasons else 0
