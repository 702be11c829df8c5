"""What insurers paid this week: files that mostly post themselves, with lines denied for the usual reasons,
one paid below its contract and one that nobody can match; interest; and a check that is half placed by hand.
Everything goes through the acts of the desk.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, datetime, timedelta

from sqlalchemy import text

from zax.clock import ShiftedClock
from zax.core.money.cents import percent_of
from zax.core.people.roles import BILLER
from zax.core.x12.syntax import amount
from zax.demo.claims import interchange
from zax.desk.acts.actor import Actor
from zax.desk.acts.transaction import Desk
from zax.desk.remits.by_hand import PaymentForm, start_payment
from zax.desk.remits.importing import import_file
from zax.desk.remits.placing_by_hand import place_claim
from zax.desk.remits.posting_desk import grid_of

ODILE = Actor(3, "Odile Marsh", BILLER, "OM")
# By payer, the reasons for which it leaves a line unpaid this week, and what it adds beside its claims.
DENIES: Sequence[tuple[str, tuple[str, ...], str]] = (
    ("Harbor Guild Dental", ("CO*119", "CO*50"), "PLB*1467560003*20261231*L6*-1.85"),
    ("Brightwater Dental Trust", ("CO*16", "CO*97"), ""),
    ("Copperline Health", ("CO*22", "CO*29"), ""),
    ("Harbor State Assistance", ("CO*197", "CO*16"), ""),
)
# A payer whose plan pays less of one service than is on file: whole percent.
PAYS_OTHERWISE = {("Copperline Health", "99213"): 70}
CLAIMS_IN_FILE, PLACED_BY_HAND = 7, 2
CHECK_FROM, CHECK_NUMBER = "Northmoor Mutual", "40771"
OLDEST = timedelta(days=35)


@dataclass(frozen=True, slots=True)
class Line:
    """A line of a claim that is out: what the plan should pay of it and what its contract forgives."""

    claim_id: int
    number: str
    last: str
    first: str
    day: date
    ours: str
    code: str
    dental: bool
    cents: int
    expected: int
    deductible: int
    contract: int


_LINES = text(
    """
    SELECT c.id, c.number, a.last, a.first, b.day, CONCAT('L', l.id), s.code, s.dental, k.cents,
      l.first_cents, l.deductible_cents, COALESCE(l.contract_cents, 0)
    FROM claim c
    JOIN visit b ON b.id = c.visit_id
    JOIN patient a ON a.id = c.patient_id
    JOIN claim_line k ON k.claim_id = c.id
    JOIN charge_line l ON l.id = k.line_id
    JOIN service s ON s.id = l.service_id
    JOIN coverage v ON v.id = c.coverage_id
    JOIN plan p ON p.id = v.plan_id
    JOIN payer y ON y.id = p.payer_id
    WHERE y.name = :payer AND c.state = 'accepted' AND c.`rank` = 'P' AND b.day BETWEEN :since AND :until
    ORDER BY b.day, c.id, k.position
    """
)


def payments_come_in(desk: Desk, clock: ShiftedClock, opens: datetime, day: date) -> None:
    """Files of the last days, and the check on Odile's desk."""
    for at, (payer, reasons, level) in enumerate(DENIES):
        clock.set_to(opens - timedelta(days=3 - at, hours=2))
        came = day - timedelta(days=3 - at)
        import_file(desk, ODILE, f"{came:%Y%m%d}-{at}.835", _file(desk, payer, reasons, level, came, at))
    clock.set_to(opens - timedelta(minutes=20))
    _check(desk, day)
    clock.set_to(opens)


def _claims(desk: Desk, payer: str, day: date) -> list[list[Line]]:
    """Claims that have been out for a while, by claim."""
    values = {"payer": payer, "since": day - OLDEST, "until": day - timedelta(days=6)}
    with desk.engine.connect() as connection:
        lines = [Line(*row) for row in connection.execute(_LINES, values)]
    found: dict[int, list[Line]] = {}
    for each in lines:
        found.setdefault(each.claim_id, []).append(each)
    return list(found.values())


def _file(desk: Desk, payer: str, reasons: Sequence[str], level: str, day: date, at: int) -> str:
    """One payment over some claims, the last lines of two of them unpaid, and one claim that isn't ours."""
    claims = _claims(desk, payer, day)[:CLAIMS_IN_FILE]
    body, paid = ["LX*1"], 0
    for number, lines in enumerate(claims):
        denied = dict(zip((3, 5), reasons, strict=True)).get(number, "")
        short = 1_500 if number == 1 and lines[0].contract else 0
        segments, cents = _claim(lines, denied, short, payer)
        body += segments
        paid += cents
    if at == 1:
        stray, cents = _claim([_someone_else(claims[0][0])], "", 0, payer)
        body += stray
        paid += cents
    if level:
        body.append(level)
        paid += 185
    today = f"{day:%Y%m%d}"
    account = "ACH*CCP*01*999999992*DA*123456*1512345678**01*999988880*DA*98765"
    head = [
        f"BPR*I*{amount(paid)}*C*{account}*{today}",
        f"TRN*1*EFT{88_120_417 + at}*1512345678",
        f"DTM*405*{today}",
        f"N1*PR*{payer.upper()}",
        "N3*1 LEDGER WAY",
        "N4*MARROW HARBOR*WA*98201",
        "N1*PE*JUNIPER QUAY CLINIC*XX*1467560003",
    ]
    return interchange(day, "HP", "835", "005010X221A1", [*head, *body], 700 + at)


def _someone_else(like: Line) -> Line:
    return Line(0, "C999901", "Halloran", "Odette", like.day, "9", like.code, like.dental, 9_000, 6_000, 0, 0)


def _claim(lines: Sequence[Line], denied: str, short: int, payer: str) -> tuple[list[str], int]:
    """Loop 2100 of a claim and what is paid of it; `denied` is the reason of its last line, `short` what its
    first is paid below the contract.
    """
    services: list[str] = []
    paid = share = 0
    for at, line in enumerate(lines):
        segments, cents, own = _service(
            line,
            denied if at == len(lines) - 1 else "",
            short if at == 0 else 0,
            PAYS_OTHERWISE.get((payer, line.code)),
        )
        services += segments
        paid += cents
        share += own
    charge = sum(each.cents for each in lines)
    first = lines[0]
    head = [
        f"CLP*{first.number}*1*{amount(charge)}*{amount(paid)}*{amount(share)}*12*PC-{first.number}*11*1",
        f"NM1*QC*1*{first.last.upper()}*{first.first.upper()}",
    ]
    return [*head, *services], paid


def _service(line: Line, denied: str, short: int, percent: int | None) -> tuple[list[str], int, int]:
    off = min(line.cents, line.contract + short)
    expected = line.expected
    if percent is not None:
        expected = percent_of(line.cents - off - line.deductible, percent)
    paid = 0 if denied else max(0, expected - short)
    own = 0 if denied else line.cents - off - paid
    deductible = min(own, line.deductible)
    parts = [("PR", "1", deductible), ("PR", "2", own - deductible), ("CO", "45", 0 if denied else off)]
    adjusted = [f"CAS*{group}*{reason}*{amount(cents)}" for group, reason, cents in parts if cents]
    if denied:
        adjusted = [f"CAS*{denied}*{amount(line.cents)}"]
    return (
        [
            f"SVC*{'AD' if line.dental else 'HC'}:{line.code}*{amount(line.cents)}*{amount(paid)}**1",
            f"DTM*472*{line.day:%Y%m%d}",
            *adjusted,
            f"REF*6R*{line.ours}",
        ],
        paid,
        own,
    )


def _check(desk: Desk, day: date) -> None:
    """A check over several patients, of which two are placed."""
    claims = _claims(desk, CHECK_FROM, day)[: PLACED_BY_HAND + 3]
    total = sum(line.expected for lines in claims for line in lines)
    payer_id = next(each.id for each in desk.clinic.payers.values() if each.name == CHECK_FROM)
    form = PaymentForm(
        payer_id=payer_id,
        amount=f"{total / 100:.2f}",
        day=day - timedelta(days=2),
        number=CHECK_NUMBER,
        key="demo-check",
    )
    remit_id = start_payment(desk, ODILE, desk.clinic.first_site.id, form)
    for lines in claims[:PLACED_BY_HAND]:
        with desk.engine.connect() as connection:
            grid = grid_of(connection, desk.clinic, lines[0].claim_id)
        assert grid is not None, "a claim that is out has lines"
        place_claim(
            desk,
            ODILE,
            remit_id,
            lines[0].claim_id,
            {each.line.line_id: each.expected for each in grid.lines},
        )
