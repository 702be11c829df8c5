"""What insurer payments cost: the posting desk with 400 claims to place, the list of denials, and one payment
over 10,000 claims taken in, beside writing the same rows and nothing else.
"""

from __future__ import annotations

import json
import time
from collections.abc import Iterator, Sequence
from datetime import date, datetime, timedelta
from typing import Any

from sqlalchemy import URL, Connection, Engine, insert, select, text

from zax.core.json import Json
from zax.core.people.roles import BILLER
from zax.core.x12.syntax import amount
from zax.demo.bench_data import desk_at_opening
from zax.demo.bench_memory import largest_mb, now_mb
from zax.demo.claims import interchange
from zax.desk.acts.actor import Actor
from zax.desk.remits.importing import LOT, import_file
from zax.store import schema
from zax.store.engine import connect

ODILE = Actor(3, "Odile Marsh", BILLER, "OM")
MANY, FIRST, DENIED = 10_000, 500, 300
CHARGE, PAID = 18_200, 12_740
MARK = "BENCH"


def prepare(engine: Engine) -> None:
    """A check that is open, and lines that payers left unpaid; again changes nothing."""
    _, _, opens = desk_at_opening(engine)
    remit = schema.remit
    with engine.begin() as connection:
        if connection.execute(select(remit.c.id).where(remit.c.trace == MARK)).first():
            return
        number = _add(
            connection,
            "remit",
            kind="check",
            trace=MARK,
            payer="Harbor Guild Dental",
            payer_id=1,
            site_id=1,
            day=opens.date(),
            paid_cents=1_000_000,
            state="open",
            made_at=opens,
        )
        closed = text(
            "SELECT k.claim_id, k.line_id, k.cents FROM claim c JOIN claim_line k ON k.claim_id = c.id"
            " WHERE c.state = 'closed' AND c.visit_id IS NOT NULL ORDER BY c.id DESC LIMIT :many"
        )
        for row in connection.execute(closed, {"many": DENIED}).all():
            answer = _add(
                connection, "remit_claim", remit_id=number, claim_id=row.claim_id, outcome="out", at=opens
            )
            _add(
                connection,
                "shortfall",
                answer_id=answer,
                claim_id=row.claim_id,
                line_id=row.line_id,
                cents=row.cents,
                work=("appeal", "fix", "patient")[answer % 3],
                reasons=["CO 50"],
                remarks=[],
                words="wasn’t paid: CO 50",
                act_by=opens.date() + timedelta(days=90),
                made_at=opens,
            )


def open_payment(engine: Engine) -> int:
    with engine.connect() as connection:
        return int(
            connection.execute(select(schema.remit.c.id).where(schema.remit.c.trace == MARK)).scalar_one()
        )


def _add(connection: Connection, table: str, **values: Any) -> int:
    made = connection.execute(insert(schema.metadata.tables[table]).values(**values))
    assert made.inserted_primary_key is not None
    return int(made.inserted_primary_key[0])


def import_cost(url: URL, many: int) -> Json:
    """Seconds for one payment over so many claims, megabytes more than a first small one had taken, and the
    seconds of the floor.
    """
    engine = connect(url)
    desk, _, opens = desk_at_opening(engine)
    import_file(desk, ODILE, "first.835", payment_file(outstanding(engine, opens, FIRST), opens.date(), 1))
    file = payment_file(outstanding(engine, opens, many), opens.date(), 2)
    first, began, beats = now_mb(), time.monotonic(), list[float]()
    done = import_file(desk, ODILE, "many.835", file, lambda: beats.append(time.monotonic() - began))
    seconds = time.monotonic() - began
    assert done.for_a_person == 0, done.words
    floor = _floor(engine, many)
    engine.dispose()
    return {
        "claims": many,
        "seconds": round(seconds, 1),
        "first_progress_s": round(beats[0], 2),
        "mb_read": round(len(file) / 1e6, 1),
        "mb": round(largest_mb() - first, 1),
        "floor_s": round(floor, 1),
        "ratio": round(seconds / floor, 2),
    }


def outstanding(engine: Engine, opens: datetime, many: int) -> list[tuple[str, int]]:
    """(number, line) of so many claims that are out, each of a visit of one service a week ago."""
    day = opens.date() - timedelta(days=7)
    with engine.begin() as connection:
        ids = {
            table: int(connection.execute(text(f"SELECT COALESCE(MAX(id), 0) FROM `{table}`")).scalar_one())
            for table in ("visit", "claim", "charge_line")
        }
        who = connection.execute(
            text("SELECT patient_id, id FROM coverage WHERE plan_id = 1 ORDER BY id LIMIT 1")
        ).one()
        made = []
        for at in range(1, many + 1):
            keys = {table: last + at for table, last in ids.items()}
            made.append((f"B{keys['claim']}", keys["charge_line"], keys))
        for table, rows in _rows(made, who, opens, day).items():
            for start in range(0, many, 1_000):
                connection.execute(insert(schema.metadata.tables[table]), rows[start : start + 1_000])
    return [(number, line) for number, line, _ in made]


def _rows(
    made: Sequence[tuple[str, int, dict[str, int]]], who: Any, opens: datetime, day: date
) -> dict[str, list[dict[str, Any]]]:
    visits: list[dict[str, Any]] = []
    claims: list[dict[str, Any]] = []
    lines: list[dict[str, Any]] = []
    links: list[dict[str, Any]] = []
    journal: list[dict[str, Any]] = []
    for number, line, keys in made:
        visits.append(
            {
                "id": keys["visit"],
                "site_id": 1,
                "patient_id": who.patient_id,
                "provider_id": 1,
                "room_id": 1,
                "type_id": 1,
                "day": day,
                "start_min": 600,
                "minutes": 0,
                "state": "left",
                "request_key": f"bench-{keys['visit']}",
                "made_at": opens,
                "made_by": 1,
            }
        )
        claims.append(
            {
                "id": keys["claim"],
                "number": number,
                "visit_id": keys["visit"],
                "patient_id": who.patient_id,
                "coverage_id": who.id,
                "form": "D",
                "state": "accepted",
                "cents": CHARGE,
                "findings": [],
                "carried": {},
                "kept": [],
                "made_at": opens,
                "sent_at": opens,
            }
        )
        lines.append(
            {
                "id": line,
                "visit_id": keys["visit"],
                "service_id": 1,
                "provider_id": 1,
                "fee_cents": CHARGE,
                "points_to": [],
                "first_coverage_id": who.id,
                "first_cents": PAID,
                "entered_at": opens,
            }
        )
        links.append({"claim_id": keys["claim"], "line_id": line, "position": 1, "cents": CHARGE})
        journal.append(
            {
                "kind": "charge",
                "day": day,
                "at": opens,
                "site_id": 1,
                "patient_id": who.patient_id,
                "visit_id": keys["visit"],
                "line_id": line,
                "patient_cents": CHARGE - PAID,
                "insurer_cents": PAID,
                "words": "",
            }
        )
    return {
        "visit": visits,
        "claim": claims,
        "charge_line": lines,
        "claim_line": links,
        "journal": journal,
    }


def payment_file(claims: Sequence[tuple[str, int]], day: date, number: int) -> str:
    """One 835 over all of them."""
    code = "D0120"
    total, own = PAID * len(claims), CHARGE - PAID

    def said() -> Iterator[str]:
        for claim, line in claims:
            yield f"CLP*{claim}*1*{amount(CHARGE)}*{amount(PAID)}*{amount(own)}*12*P{claim}*11*1"
            yield "NM1*QC*1*SOMEBODY*HELEN"
            yield f"SVC*AD:{code}*{amount(CHARGE)}*{amount(PAID)}**1"
            yield f"DTM*472*{day:%Y%m%d}"
            yield f"CAS*PR*2*{amount(own)}"
            yield f"REF*6R*L{line}"

    method = "ACH*CCP*01*999999992*DA*123456*1512345678**01*999988880*DA*98765"
    head = [
        f"BPR*I*{amount(total)}*C*{method}*{day:%Y%m%d}",
        f"TRN*1*BENCH{number}-{claims[0][0]}*1512345678",
        f"DTM*405*{day:%Y%m%d}",
        "N1*PR*HARBOR GUILD DENTAL",
        "N3*1 LEDGER WAY",
        "N4*MARROW HARBOR*WA*98201",
        "N1*PE*JUNIPER QUAY CLINIC*XX*1467560003",
        "LX*1",
    ]
    return interchange(day, "HP", "835", "005010X221A1", [*head, *said()], 900 + number)


def _floor(engine: Engine, many: int) -> float:
    """Seconds to write what such a payment leaves, lot by lot, and nothing else: answers, journal, claims,
    their lives, the feed.
    """
    began = time.monotonic()
    for start in range(0, many, LOT):
        size = min(LOT, many - start)
        with engine.begin() as connection:
            for table, row in _left_behind(connection).items():
                connection.execute(insert(schema.metadata.tables[table]), [row] * size)
            connection.execute(
                text("UPDATE claim SET paid_cents = :paid WHERE id = :id"),
                [{"id": at + 1, "paid": 1} for at in range(start, start + size)],
            )
            connection.execute(
                text("UPDATE charge_line SET own_cents = :own WHERE id = :id"),
                [{"id": at + 1, "own": 1} for at in range(start, start + size)],
            )
    return time.monotonic() - began


def _left_behind(connection: Connection) -> dict[str, dict[str, Any]]:
    remit = int(connection.execute(text("SELECT MAX(id) FROM remit")).scalar_one())
    entry = connection.execute(text("SELECT * FROM journal ORDER BY id DESC LIMIT 1")).mappings().one()
    answer = connection.execute(text("SELECT * FROM remit_claim ORDER BY id DESC LIMIT 1")).mappings().one()
    event = connection.execute(text("SELECT * FROM claim_event ORDER BY id DESC LIMIT 1")).mappings().one()
    feed = connection.execute(text("SELECT * FROM feed ORDER BY id DESC LIMIT 1")).mappings().one()
    without = {"id", "reverses_id"}
    return {
        "remit_claim": {k: v for k, v in answer.items() if k not in without}
        | {"remit_id": remit}
        | {name: json.loads(answer[name]) for name in ("answer", "expected")},
        "journal": {k: v for k, v in entry.items() if k not in without},
        "claim_event": {k: v for k, v in event.items() if k not in without},
        "feed": {k: v for k, v in feed.items() if k not in without},
    }
