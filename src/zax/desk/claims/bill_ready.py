"""What can be known of a visit's claim before it is made is said where it can still be fixed easily: at
booking what is missing about the patient and the plan, with the charges everything else.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

from zax.clock import local
from zax.core.book.track import NOT_CHARGED, Stop
from zax.core.claims.finding import Finding
from zax.desk.claims.content import coming_claim
from zax.desk.clinic.clinic import Clinic
from zax.desk.money.ledger import bill_of
from zax.store.book.records import Visit
from zax.store.engine import Connection

# What is there before anything is done; the rest is not expected yet.
_BEFOREHAND = frozenset({"patient", "coverage", "setup"})
_ASKED_BEFORE = ("authorization", "referral")


@dataclass(frozen=True, slots=True)
class BillReady:
    """What its claim lacks, in the order of weight; `cents` go to insurers. `whole` tells that all checks
    were asked, not only what can be known before the visit.
    """

    cents: int
    findings: tuple[Finding, ...]
    whole: bool


def bill_ready(connection: Connection, clinic: Clinic, visit: Visit, now: datetime) -> BillReady | None:
    """None where nothing goes to an insurer, and once the visit is over."""
    if visit.state not in NOT_CHARGED | {Stop.CHECKOUT}:
        return None
    whole = visit.state in {Stop.ROOM, Stop.CHECKOUT}
    today = local(now, clinic.sites[visit.site_id].timezone).date()
    coming = coming_claim(connection, clinic, visit, bill_of(connection, clinic, visit), today)
    if coming is None:
        return None
    found = [
        each
        for each in coming.findings
        if whole or each.where in _BEFOREHAND or each.about.startswith(_ASKED_BEFORE)
    ]
    ordered = sorted(dict.fromkeys(found), key=lambda each: not each.stops)
    return BillReady(coming.cents, tuple(ordered), whole)
