"""The seeded clinic as a whole: nothing that was done lies ahead of its clock, whatever day it opens on; and
who comes today has been before, with work on their teeth.
"""

import re
from collections import defaultdict
from collections.abc import Iterator
from datetime import date, datetime
from pathlib import Path
from typing import Any

import pytest
from sqlalchemy import Date, DateTime, Engine, func, select, text

from tests.conftest import free_port
from tests.core.x12.test_dental_grammar import keeps_the_guide
from tests.x12_samples import ENVELOPE
from zax.core.claims.claim import Claim, Form
from zax.core.money.journal import Kind, Parts
from zax.core.remits.line import ExpectedLine
from zax.core.remits.placing import place
from zax.core.x12.claim_file import claim_file
from zax.core.x12.remittance import Adjustment, RemitClaim, RemitLine
from zax.demo.seed import seed, seeded
from zax.desk.claims.content import made_claim
from zax.desk.clinic.clinic import load
from zax.standin.claims import is_valid
from zax.store import schema
from zax.store.claims.claims import claim_of
from zax.store.engine import connect
from zax.store.migrate import migrate
from zax.store.server import Server

pytestmark = pytest.mark.slow

# What speaks of the time to come.
AHEAD = {
    "approval.to_day",
    "patient_return.due_day",
    "visit.day",
    "visit.held_until",
    "staff_slot.day",
    "provider_day.day",
    "room_day.day",
    "feed.day",
    "closure.starts",
    "closure.ends",
    "recall.due_day",
    "recall.paused_until",
    "contact_try.again_on",
    "hand_over.due_day",
    "offer.day",
    "offer.next_at",
    "offer.until_at",
    "offer_person.leaves_day",
    "patient_note.until_day",
    "shortfall.act_by",
    "shortfall.answer_by",
}


@pytest.fixture(scope="module", params=[("demo", date(2026, 12, 2)), ("short", date(2027, 1, 4))], ids=str)
def clinic(request: pytest.FixtureRequest, tmp_path_factory: pytest.TempPathFactory) -> Iterator[Engine]:
    """The demo that opens early in a month, and a short one that opens early in a year."""
    size, day = request.param
    folder: Path = tmp_path_factory.mktemp("seeded")
    server = Server(folder / "db", free_port(), buffer_mb=256)
    engine = connect(server.start())
    migrate(engine)
    seed(engine, size, day, folder)
    yield engine
    engine.dispose()
    server.stop()


def test_nothing_that_was_done_lies_ahead_of_the_clock(clinic: Engine) -> None:
    opens = datetime.fromisoformat((seeded(clinic) or {})["opens"])
    late = {}
    with clinic.connect() as connection:
        for table in schema.metadata.tables.values():
            for column in table.c:
                name, kind = f"{table.name}.{column.name}", column.type
                if name in AHEAD or not isinstance(kind, Date | DateTime):
                    continue
                now = opens if isinstance(kind, DateTime) else opens.date()
                query = select(func.count()).select_from(table).where(column > now)
                if count := connection.execute(query).scalar_one():
                    late[name] = count
    assert late == {}


BEFORE = text(
    """
    SELECT p.id, COUNT(DISTINCT v.id) AS visits, COUNT(NULLIF(l.tooth, '')) AS teeth,
        SUM(v.state <> 'settled') AS unsettled
    FROM patient p
    JOIN visit today ON today.patient_id = p.id AND today.day = :day AND today.site_id = 1
    JOIN visit_type t ON t.id = today.type_id AND t.dental
    LEFT JOIN visit v ON v.patient_id = p.id AND v.day < :day AND v.state NOT IN ('missed', 'canceled')
    LEFT JOIN charge_line l ON l.visit_id = v.id AND l.removed_at IS NULL
    GROUP BY p.id
    """
)


def test_who_comes_today_has_been_before_and_owes_nothing_of_it(clinic: Engine) -> None:
    """But for a demo with a short past, which has nobody's last year."""
    found = seeded(clinic) or {}
    day = datetime.fromisoformat(found["opens"]).date()
    with clinic.connect() as connection:
        people = connection.execute(BEFORE, {"day": day}).all()
    assert len(people) > 25
    if found["size"] == "short":
        return
    assert sum(1 for each in people if each.visits) > len(people) * 3 // 4
    assert sum(1 for each in people if each.teeth) > len(people) // 2
    assert not any(each.unsettled for each in people)


def _of_the_year(clinic: Engine, form: Form) -> Iterator[list[Claim]]:
    """What the year's claims of that form say, as they would leave, fifty at a time; what a check stops stays
    here. Of every eighth claim, those that are written with the same segments and elements three times, and
    of all every twelfth: each made anew from the books takes as long as reading it.
    """
    with clinic.connect() as connection:
        setup = load(connection)
        query = text(
            "SELECT id, DATE(made_at) FROM claim"
            " WHERE form = :form AND visit_id IS NOT NULL AND MOD(id, 8) = 0"
        )
        found = connection.execute(query, {"form": form}).all()
        made = [
            made_claim(connection, setup, row, day)
            for number, day in found
            if (row := claim_of(connection, number)) is not None
        ]
    going = [each.claim for each in made if not any(finding.stops for finding in each.findings)]
    assert len(going) > 0.8 * len(made) > 0
    alike: dict[str, int] = defaultdict(int)
    chosen = []
    for at, each in enumerate(going):
        shape = re.sub(r"(?<=[*:])[^*:~]+", "x", claim_file([each], ENVELOPE))
        alike[shape] += 1
        if alike[shape] <= 3 or at % 12 == 0:
            chosen.append(each)
    for start in range(0, len(chosen), 50):
        yield chosen[start : start + 50]


def test_what_may_leave_of_the_year_is_valid_by_an_independent_reader(clinic: Engine) -> None:
    """Professional ones by pyx12's full map of X222A1, dental ones by our own grammar of X224A2. Kills: a
    check that lets go what a payer's front end turns back, met by nobody until the bill is refused.
    """
    for claims in _of_the_year(clinic, Form.PROFESSIONAL):
        assert is_valid(claim_file(claims, ENVELOPE))
    for claims in _of_the_year(clinic, Form.DENTAL):
        assert keeps_the_guide(claim_file(claims, ENVELOPE))


# --- the year's answers once more, through the rules as they are now
_ANSWERED = text(
    """
    SELECT c.id, c.number, k.line_id, s.code, k.cents, l.contract_cents,
      SUM(IF(j.kind = 'charge', j.patient_cents, 0)) AS own,
      SUM(IF(j.kind = 'charge', j.insurer_cents, 0)) AS insured,
      -SUM(IF(j.kind = 'insurer', j.insurer_cents, 0)) AS paid,
      -SUM(IF(j.kind = 'writeoff' AND j.claim_id = c.id, j.insurer_cents, 0)) AS off,
      SUM(IF(j.kind = 'transfer' AND j.claim_id = c.id, j.patient_cents, 0)) AS moved
    FROM claim c
    JOIN claim_line k ON k.claim_id = c.id
    JOIN charge_line l ON l.id = k.line_id
    JOIN service s ON s.id = l.service_id
    JOIN journal j ON j.line_id = l.id
    WHERE c.state = 'closed' AND c.`rank` = 'P' AND c.visit_id IS NOT NULL AND c.id NOT IN
      (SELECT q.claim_id FROM remit_claim q WHERE q.claim_id IS NOT NULL)
    GROUP BY c.id, k.line_id, s.code, k.cents, l.contract_cents
    ORDER BY c.id, k.line_id
    """
)


def _said(lines: list[Any]) -> RemitClaim:
    """What the payer must have said, from what was posted."""
    made = []
    for row in lines:
        rest = int(row.cents - row.paid - row.off)
        adjusted = [Adjustment("CO", "45", int(row.off)), Adjustment("PR", "2", rest)]
        made.append(
            RemitLine(
                code=row.code,
                qualifier="",
                modifiers=(),
                charge_cents=row.cents,
                paid_cents=int(row.paid),
                number=f"L{row.line_id}",
                adjustments=[each for each in adjusted if each.cents],
            )
        )
    return RemitClaim(
        number=lines[0].number,
        status="1",
        charge_cents=sum(row.cents for row in lines),
        paid_cents=sum(int(row.paid) for row in lines),
        patient_cents=0,
        payer_claim="",
        lines=made,
    )


def test_the_years_answers_come_to_the_same_through_the_rules_of_today(clinic: Engine) -> None:
    """Every answer of the made-up year is placed once more: paid, written off and moved as it was. What
    differs, and may: a payer that stayed below the contract on file keeps the difference.
    """
    with clinic.connect() as connection:
        rows = connection.execute(_ANSWERED).all()
    by_claim: dict[int, list[Any]] = {}
    for row in rows:
        by_claim.setdefault(row.id, []).append(row)
    assert len(by_claim) > 20
    differ: list[str] = []
    for lines in by_claim.values():
        expected = [
            ExpectedLine(
                row.line_id,
                f"L{row.line_id}",
                row.code,
                row.cents,
                Parts(int(row.own), int(row.insured)),
                int(row.own),
                0,
                row.cents,
                row.contract_cents,
            )
            for row in lines
        ]
        placed = place(_said(lines), expected)
        assert placed.why_not == "", (lines[0].number, placed.why_not)
        for row in lines:
            mine = [each for each in placed.postings if each.line_id == row.line_id]
            now = (
                -sum(p.insurer_cents for p in mine if p.kind == Kind.INSURER_PAYMENT),
                -sum(p.insurer_cents for p in mine if p.kind == Kind.WRITE_OFF),
                sum(p.patient_cents for p in mine),
            )
            if now != (int(row.paid), int(row.off), int(row.moved)):
                differ.append(f"{row.number} {row.code}: {now}, posted {row.paid}, {row.off}, {row.moved}")
    assert differ == []
