"""What the biller's list shows: open claims under what each needs next, and the money that is out."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date

from zax.core.claims.fields import ClaimField, field_of
from zax.core.claims.finding import Finding
from zax.core.claims.worklist import Need
from zax.desk.claims.claims import finding_of, is_kept
from zax.store.claims import worklist as stored
from zax.store.claims.worklist import AgeSum, ClaimFilter, NeedSum, WorkedClaim
from zax.store.engine import Connection

# Rows a group shows before it asks to be opened on its own.
GLANCE = 5
PAGE = 40


@dataclass(frozen=True, slots=True)
class Shown:
    """A finding as a page shows it: with the field that fixes it in place, if one does."""

    finding: Finding
    field: ClaimField | None


@dataclass(frozen=True, slots=True)
class Row:
    claim: WorkedClaim
    stops: Sequence[Shown]
    odd: Sequence[Shown]


@dataclass(frozen=True, slots=True)
class Group:
    """Claims that need the same next: how many in all, their unpaid cents, the first rows, sums by payer."""

    need: Need
    number: int
    cents: int
    rows: Sequence[Row]
    payers: Sequence[NeedSum]


@dataclass(frozen=True, slots=True)
class Worklist:
    """`out_*` is what payers have, `late_*` the part of it that is over their norm."""

    groups: Sequence[Group]
    out_number: int
    out_cents: int
    late_number: int
    late_cents: int
    ages: Sequence[AgeSum]

    @property
    def to_work(self) -> int:
        return sum(group.number for group in self.groups)


def worklist(connection: Connection, today: date) -> Worklist:
    """The list at a glance."""
    sums, ages = stored.need_sums(connection, today), stored.age_sums(connection, today)
    groups = [
        group(connection, need, today, sums, GLANCE)
        for need in Need
        if need is not Need.WAIT and any(each.need == need for each in sums)
    ]
    late = [each for each in ages if each.late]
    return Worklist(
        groups,
        sum(each.number for each in ages),
        sum(each.cents for each in ages),
        sum(each.number for each in late),
        sum(each.cents for each in late),
        ages,
    )


def group(
    connection: Connection,
    need: Need,
    today: date,
    sums: Sequence[NeedSum],
    most: int,
) -> Group:
    """One group of the list with its first rows."""
    own = [each for each in sums if each.need == need]
    rows = stored.worked(connection, need, today, most=most)
    return Group(
        need,
        sum(each.number for each in own),
        sum(each.cents for each in own),
        [row_of(each) for each in rows],
        own,
    )


def filtered_group(
    connection: Connection, need: Need, today: date, filters: ClaimFilter, start: int
) -> Group:
    """What the filters leave of one group, a page of it from `start` on; `payers` are those of the whole
    group.
    """
    number, cents = stored.counted(connection, need, today, filters)
    rows = stored.worked(connection, need, today, most=PAGE, start=start, filters=filters)
    sums = stored.need_sums(connection, today)
    return Group(need, number, cents, [row_of(each) for each in rows], [s for s in sums if s.need == need])


def row_of(claim: WorkedClaim) -> Row:
    """With what is found on it and not accepted yet, apart by strength."""
    found = [finding_of(each) for each in claim.findings]
    open_ones = [Shown(each, field_of(each.about)) for each in found if not is_kept(claim.kept, each)]
    return Row(
        claim,
        [each for each in open_ones if each.finding.stops],
        [each for each in open_ones if not each.finding.stops],
    )


def one_row(connection: Connection, claim_id: int, today: date) -> Row | None:
    """A claim as the list has it; None when it is not on it."""
    need = stored.need_of(connection, claim_id, today)
    found = stored.worked(connection, need, today, most=1, claim_id=claim_id) if need else []
    return row_of(found[0]) if found else None
