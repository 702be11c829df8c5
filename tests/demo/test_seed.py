"""The seeded clinic as a whole: nothing that was done lies ahead of its clock, whatever day it opens on; and
who comes today has been before, with work on their teeth.
"""

from collections.abc import Iterator
from datetime import date, datetime
from pathlib import Path

import pytest
from sqlalchemy import Date, DateTime, Engine, func, select, text

from tests.conftest import free_port
from tests.core.x12.test_dental_grammar import keeps_the_guide
from tests.x12_samples import ENVELOPE
from zax.core.claims.claim import Claim, Form
from zax.core.x12.claim_file import claim_file
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
    "visit.day",
    "visit.held_until",
    "staff_slot.day",
    "provider_day.day",
    "room_day.day",
    "feed.day",
    "closure.starts",
    "closure.ends",
    "recall.due_day",
    "patient_note.until_day",
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
    here.
    """
    with clinic.connect() as connection:
        setup = load(connection)
        query = text("SELECT id, DATE(made_at) FROM claim WHERE form = :form AND visit_id IS NOT NULL")
        found = connection.execute(query, {"form": form}).all()
        made = [
            made_claim(connection, setup, row, day)
            for number, day in found
            if (row := claim_of(connection, number)) is not None
        ]
    going = [each.claim for each in made if not any(finding.stops for finding in each.findings)]
    assert len(going) > 0.8 * len(made) > 0
    for start in range(0, len(going), 50):
        yield going[start : start + 50]


def test_every_claim_of_the_year_that_may_leave_is_valid_by_an_independent_reader(clinic: Engine) -> None:
    """Professional ones by pyx12's full map of X222A1, dental ones by our own grammar of X224A2. Kills: a
    check that lets go what a payer's front end turns back, met by nobody until the bill is refused.
    """
    for claims in _of_the_year(clinic, Form.PROFESSIONAL):
        assert is_valid(claim_file(claims, ENVELOPE))
    for claims in _of_the_year(clinic, Form.DENTAL):
        assert keeps_the_guide(claim_file(claims, ENVELOPE))
