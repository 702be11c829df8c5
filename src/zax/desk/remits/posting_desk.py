"""What the posting desk shows: the payments that are open and who is on them, and one payment with its claims
placed and to be placed, the rest of it, and the claim whose grid is open.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

from zax.core.claims.claim import Rank
from zax.core.errors import NotFound, Refused
from zax.core.remits.grid import Boxes, Outlook, as_expected, billed, filled_in, split_total
from zax.core.remits.kept import answer_of
from zax.core.remits.line import ExpectedLine, reason_words
from zax.core.remits.placing import FOR_A_PERSON, Outcome, pair_lines
from zax.core.wording import dollars
from zax.core.x12.remittance import Adjustment, RemitClaim
from zax.desk.clinic.clinic import Clinic
from zax.desk.remits.at_hand import lines_now
from zax.desk.remits.placing_by_hand import standing_answers
from zax.store.claims import claims
from zax.store.claims.claims import ListedClaim
from zax.store.engine import Connection
from zax.store.money import queries as money
from zax.store.money.records import ClaimedLine
from zax.store.remits import remits, to_place
from zax.store.remits.remits import AnswerRow, Remit
from zax.store.remits.to_place import ClaimToPlace, VisitToPlace

MOST_SHOWN, MOST_FOUND = 400, 12


@dataclass(frozen=True, slots=True, kw_only=True)
class PlacedRow:
    """An answer as the desk lists it, with its sums in cents; `reasons` are the payer's numbers."""

    row: AnswerRow
    charged: int
    paid: int
    deductible: int
    coinsurance: int
    off: int
    other: int
    reasons: Sequence[str]

    @property
    def patient(self) -> int:
        return self.deductible + self.coinsurance


@dataclass(frozen=True, slots=True, kw_only=True)
class GridLine:
    """One service in the grid: what it is, what is billed, the boxes, and what we had counted on."""

    line: ExpectedLine
    words: str
    tooth: str
    whole: int
    boxes: Boxes
    outlook: Outlook
    expected: Boxes

    @property
    def rest(self) -> int:
        return self.whole - self.boxes.said

    @property
    def as_expected(self) -> bool:
        return (self.boxes.paid, self.boxes.off) == (self.expected.paid, self.expected.off)

    @property
    def less(self) -> int:
        """How much less was paid than expected; below zero, more."""
        return self.expected.paid - self.boxes.paid


@dataclass(frozen=True, slots=True, kw_only=True)
class Grid:
    """The claim that is open. `answer` is what a file said of it and waits for a person; `said` its reasons
    in words; `placed` is how many of its answers are placed already.
    """

    claim: ListedClaim
    lines: Sequence[GridLine]
    answer: AnswerRow | None
    said: Sequence[str]
    later: bool
    placed: int

    @property
    def whole(self) -> int:
        return sum(each.whole for each in self.lines)

    @property
    def paid(self) -> int:
        return sum(each.boxes.paid for each in self.lines)

    @property
    def deductible(self) -> int:
        return sum(each.boxes.deductible for each in self.lines)

    @property
    def share(self) -> int:
        return sum(each.boxes.coinsurance + each.boxes.copay for each in self.lines)

    @property
    def off(self) -> int:
        return sum(each.boxes.off for each in self.lines)

    @property
    def rest(self) -> int:
        return sum(each.rest for each in self.lines)

    @property
    def less(self) -> int:
        return sum(each.less for each in self.lines)

    @property
    def agrees(self) -> bool:
        return not any(each.rest for each in self.lines)


@dataclass(frozen=True, slots=True, kw_only=True)
class PostingDesk:
    """`placed` and `waiting` are the payment's answers. `claims` can be
    placed next, `found` are those somebody looks for by name.
    """

    remit: Remit
    others: Sequence[Remit]
    placed: Sequence[PlacedRow]
    waiting: Sequence[PlacedRow]
    out: Sequence[AnswerRow]
    levels: Sequence[tuple[str, str, int]]
    claims: Sequence[ClaimToPlace]
    unanswered: int
    found: Sequence[ClaimToPlace]
    visits: Sequence[VisitToPlace]
    grid: Grid | None

    @property
    def unlisted(self) -> int:
        """How many placed answers are not shown."""
        return max(0, self.remit.answers - len(self.placed) - len(self.waiting))

    @property
    def totals(self) -> PlacedRow | None:
        """The sums of what is placed."""
        return _total(self.placed) if self.placed else None


def posting_desk(
    connection: Connection,
    clinic: Clinic,
    remit_id: int,
    find: str = "",
    claim_id: int = 0,
    answer_id: int = 0,
) -> PostingDesk:
    """Raises NotFound. `find` looks for claims by name or number; `claim_id` opens its grid, `answer_id` an
    answer that waits.
    """
    remit = remits.remit_of(connection, remit_id)
    if remit is None:
        raise NotFound("There is no such insurer payment.")
    answers = [placed_row(each) for each in remits.answers_of(connection, remit_id, MOST_SHOWN)]
    open_one = next((each.row for each in answers if each.row.id == answer_id), None)
    payer_id = remit.payer_id or 0
    typing = bool(find.strip())
    by_hand = remit.by_hand and remit.state == remits.OPEN
    found = to_place.found_claims(connection, find, payer_id, MOST_FOUND) if typing else []
    if open_one and not open_one.claim_id and not typing:
        found = _alike(connection, open_one)
    claim_id = claim_id or _only_one(found, payer_id, typing) or (open_one.claim_id or 0 if open_one else 0)
    return PostingDesk(
        remit=remit,
        others=[each for each in remits.open_remits(connection) if each.id != remit_id],
        placed=[each for each in answers if each.row.outcome not in {*FOR_A_PERSON, Outcome.OUT}],
        waiting=[each for each in answers if each.row.outcome in FOR_A_PERSON],
        out=[each.row for each in answers if each.row.outcome == Outcome.OUT],
        levels=remits.level_entries(connection, remit_id),
        claims=to_place.waiting_claims(connection, payer_id, MOST_SHOWN) if by_hand else [],
        unanswered=to_place.count_waiting(connection, payer_id) if by_hand else 0,
        found=found,
        visits=to_place.unclaimed_visits(connection, find, MOST_FOUND) if typing else [],
        grid=grid_of(connection, clinic, claim_id, open_one),
    )


def _only_one(found: Sequence[ClaimToPlace], payer_id: int, typing: bool) -> int:
    """The claim that a name can only mean: this payer's only one that waits; 0 where it could be several."""
    waiting = [
        each.id for each in found if each.payer_id == payer_id and each.state in to_place.WAITING and typing
    ]
    return waiting[0] if len(waiting) == 1 else 0


def _alike(connection: Connection, answer: AnswerRow) -> list[ClaimToPlace]:
    """Claims that an answer we can't match may be about: a suggestion, with what is alike in sight."""
    said = answer_of(answer.answer) if answer.answer else None
    if said is None or not said.patient_name:
        return []
    day = next((line.day for line in said.lines if line.day), None)
    last = said.patient_name.split()[-1]
    return to_place.alike_claims(connection, last, day, abs(said.charge_cents), MOST_FOUND)


def placed_row(row: AnswerRow) -> PlacedRow:
    """The sums of one answer; those of before answers were kept have none."""
    said = answer_of(row.answer) if row.answer else None
    if said is None:
        return PlacedRow(
            row=row, charged=0, paid=row.paid_cents, deductible=0, coinsurance=0, off=0, other=0, reasons=()
        )
    adjusted = [*said.adjustments, *(a for line in said.lines for a in line.adjustments)]

    def sum_of(group: str, *reasons: str) -> int:
        return sum(a.cents for a in adjusted if a.group == group and a.reason in reasons)

    deductible, share, off = sum_of("PR", "1"), sum_of("PR", "2", "3"), sum_of("CO", "45")
    return PlacedRow(
        row=row,
        charged=said.charge_cents,
        paid=said.paid_cents,
        deductible=deductible,
        coinsurance=share,
        off=off,
        other=said.charge_cents - said.paid_cents - deductible - share - off,
        reasons=tuple(dict.fromkeys(a.reason for a in adjusted if a.reason)),
    )


def _total(rows: Sequence[PlacedRow]) -> PlacedRow:
    return replace(
        rows[0],
        charged=sum(each.charged for each in rows),
        paid=sum(each.paid for each in rows),
        deductible=sum(each.deductible for each in rows),
        coinsurance=sum(each.coinsurance for each in rows),
        off=sum(each.off for each in rows),
        other=sum(each.other for each in rows),
        reasons=(),
    )


def grid_of(
    connection: Connection, clinic: Clinic, claim_id: int, answer: AnswerRow | None = None
) -> Grid | None:
    """The claim's lines, filled in with what a file said, or as expected; None without a claim."""
    claim = claims.listed_claim(connection, claim_id) if claim_id else None
    if claim is None or claim.visit_id is None:
        return None
    later = claim.rank != Rank.PRIMARY
    lines = lines_now(connection, clinic, claim)
    said = answer_of(answer.answer) if answer and answer.answer else None
    filled = _filled(said, lines) if said else {}
    rows = money.claim_lines(connection, claim.id)
    return Grid(
        claim=claim,
        answer=answer,
        said=_reasons(said),
        later=later,
        placed=standing_answers(remits.answers_of_claim(connection, claim.id)),
        lines=[
            _grid_line(clinic, each, row, later, filled.get(each.line_id))
            for each, row in zip(lines, rows, strict=True)
        ],
    )


def _grid_line(
    clinic: Clinic, line: ExpectedLine, row: ClaimedLine, later: bool, filled: Boxes | None
) -> GridLine:
    outlook = (
        Outlook(paid=row.second_cents)
        if later
        else Outlook(paid=row.first_cents, deductible=row.deductible_cents, off=row.contract_cents or 0)
    )
    expected = as_expected(line, outlook, later)
    return GridLine(
        line=line,
        words=clinic.services[row.service_id].words,
        tooth=row.tooth,
        whole=billed(line, later),
        boxes=filled or expected,
        outlook=outlook,
        expected=expected,
    )


def _filled(said: RemitClaim, lines: Sequence[ExpectedLine]) -> dict[int, Boxes]:
    """By line, what a file says, where its lines are ours."""
    pairs = pair_lines(said.lines, lines)
    return {} if isinstance(pairs, str) else {ours.line_id: filled_in(line) for line, ours in pairs}


def _reasons(said: RemitClaim | None) -> list[str]:
    if said is None:
        return []
    adjusted: list[Adjustment] = [*said.adjustments, *(a for line in said.lines for a in line.adjustments)]
    return list(dict.fromkeys(reason_words(each) for each in adjusted if each.cents))


def split_boxes(grid: Grid, total: int) -> Mapping[int, Boxes]:
    """One sum for the claim, shared out over its lines by rule. Refused beside `total` where the claim is for
    less.
    """
    if total > grid.whole:
        raise Refused(f"That’s more than the {dollars(grid.whole)} of this claim.", "total")
    outlooks = {each.line.line_id: each.outlook for each in grid.lines}
    return split_total(total, [each.line for each in grid.lines], outlooks, grid.later)
