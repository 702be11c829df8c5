"""What somebody on the call sheet would be booked for, from the reason that weighs most."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date

from zax.core.followup.call_sheet import Reason
from zax.desk.clinic.clinic import Clinic
from zax.store.book.waitlist import waits_of
from zax.store.engine import Connection
from zax.store.followup.recalls import recall_types, recalls_of
from zax.store.followup.returns import returns_of


@dataclass(frozen=True, slots=True)
class CallNeed:
    """A visit of this type; `about` is the reason it settles, `same` asks for whom they saw last."""

    type_id: int
    about: str
    same: bool = False


def need_of(
    connection: Connection, clinic: Clinic, reasons: Sequence[Reason], today: date
) -> CallNeed | None:
    """None where no reason asks for a visit."""
    recalls = {f"recall-{row.id}": row for row in recalls_of(connection, _who(reasons), today)}
    kinds = recall_types(connection)
    types = {about: row.type_id for about, row in recalls.items()}
    types |= {f"return-{row.id}": row.type_id or 0 for row in returns_of(connection, _who(reasons))}
    types |= {f"wait-{row.id}": row.type_id for row in waits_of(connection, _who(reasons))}
    for each in reasons:
        kind = clinic.types.get(types.get(each.about, 0))
        if kind is not None and kind.active:
            recall = recalls.get(each.about)
            same = recall is not None and kinds[recall.recall_type_id].same_person
            return CallNeed(kind.id, each.about, same)
    return None


def _who(reasons: Sequence[Reason]) -> int:
    return reasons[0].patient_id if reasons else 0
