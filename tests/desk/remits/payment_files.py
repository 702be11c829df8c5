"""Payment files (835) of any size and shape for tests, and claims that wait for them, written as rows."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from datetime import timedelta
from typing import Any

from sqlalchemy import insert, text

from tests.conftest import TODAY, add_patient, at
from zax.core.x12.syntax import amount
from zax.desk.acts.transaction import Desk
from zax.store import schema

Cas = tuple[str, str, int]


@dataclass(frozen=True)
class Said:
    """What a payment says of one claim: (line, charge, paid, adjustments) by line; cents."""

    number: str
    lines: Sequence[tuple[int, int, int, Sequence[Cas]]]
    status: str = "1"
    last: str = "VASQUEZ"

    @property
    def paid(self) -> int:
        return sum(line[2] for line in self.lines)

    @property
    def segments(self) -> list[str]:
        charge = sum(line[1] for line in self.lines)
        head = [
            f"CLP*{self.number}*{self.status}*{amount(charge)}*{amount(self.paid)}**12*P-{self.number}*11*1",
            f"NM1*QC*1*{self.last}*HELEN",
        ]
        for line, cents, paid, adjustments in self.lines:
            head += [f"SVC*AD:D2392*{amount(cents)}*{amount(paid)}**1", "DTM*472*20261124"]
            head += [f"CAS*{group}*{reason}*{amount(part)}" for group, reason, part in adjustments]
            head.append(f"REF*6R*L{line}")
        return head


def payment_file(
    trace: str, claims: Sequence[Said], plb: Sequence[tuple[str, int]] = (), payer: str = "COPPERLINE HEALTH"
) -> str:
    """One payment over these claims; `plb` as ('WO:C000001', cents), above zero where the payer takes."""
    total = sum(each.paid for each in claims) - sum(cents for _, cents in plb)
    method = "ACH*CCP*01*999999992*DA*123456*1512345678**01*999988880*DA*98765"
    body = [
        f"BPR*I*{amount(total)}*C*{method}*20261202",
        f"TRN*1*{trace}*1512345678",
        "DTM*405*20261202",
        f"N1*PR*{payer}",
        "N3*1 LEDGER WAY",
        "N4*MARROW HARBOR*WA*98201",
        "N1*PE*JUNIPER QUAY CLINIC*XX*1234567893",
        "REF*TJ*911234567",
        "LX*1",
        *(segment for each in claims for segment in each.segments),
        *(f"PLB*1234567893*20261231*{reason}*{amount(cents)}" for reason, cents in plb),
    ]
    rows = [
        "ISA*00*          *00*          *ZZ*FERRYHUB       *ZZ*JUNIPERQ       *261202*0800"
        "*^*00501*000000900*0*T*:",
        "GS*HP*FERRYHUB*JUNIPERQ*20261202*0800*900*X*005010X221A1",
        "ST*835*0001",
        *body,
        f"SE*{len(body) + 2}*0001",
        "GE*1*900",
        "IEA*1*000000900",
    ]
    return "~".join(rows) + "~"


@dataclass(frozen=True)
class Waiting:
    """A claim that is out: its lines as (line, charge, the patient's part as estimated)."""

    claim_id: int
    number: str
    visit_id: int
    patient_id: int
    lines: list[tuple[int, int, int]] = field(default_factory=list)

    def said(self, *shares: tuple[int, Sequence[Cas]], status: str = "1") -> Said:
        """What a payer says line by line: (paid, adjustments)."""
        lines = [
            (line, cents, paid, cas) for (line, cents, _), (paid, cas) in zip(self.lines, shares, strict=True)
        ]
        return Said(self.number, lines, status)

    def as_expected(self, status: str = "1") -> Said:
        return self.said(
            *((cents - own, [("PR", "2", own)] if own else []) for _, cents, own in self.lines), status=status
        )

    def taken_back(self) -> Said:
        """Everything that `as_expected` said, taken back."""
        lines = [
            (line, -cents, -(cents - own), [("PR", "2", -own)] if own else [])
            for line, cents, own in self.lines
        ]
        return Said(self.number, lines, "22")


def _add(connection: Any, table: str, **values: Any) -> int:
    made = connection.execute(insert(schema.metadata.tables[table]).values(**values))
    return int(made.inserted_primary_key[0])


def waiting_claims(
    desk: Desk, number: int, lines: Sequence[tuple[int, int]] = ((28_600, 9_720),), of: int = 0
) -> list[Waiting]:
    """Claims of fillings with the payer of plan 1, of a new patient or `of` one; `lines` as (charge,
    patient's part).
    """
    patient = of or add_patient(desk, 1)
    day = TODAY - timedelta(days=8)
    with desk.engine.begin() as connection:
        service = connection.execute(text("SELECT id FROM service WHERE code = 'D2392'")).scalar_one()
        coverage = connection.execute(
            text("SELECT id FROM coverage WHERE patient_id = :id"), {"id": patient}
        ).scalar_one()
        known = connection.execute(text("SELECT COUNT(*) FROM claim")).scalar_one()
        return [
            _claim(connection, patient, coverage, service, day, lines, known + each) for each in range(number)
        ]


def _claim(
    connection: Any, patient: int, coverage: int, service: int, day: Any, lines: Any, number: int
) -> Waiting:
    visit = _add(
        connection,
        "visit",
        site_id=1,
        patient_id=patient,
        provider_id=1,
        room_id=1,
        type_id=1,
        day=day,
        start_min=480 + number % 480,
        minutes=10,
        state="left",
        request_key=f"w-{patient}-{number}",
        made_at=at(8, day=day),
        made_by=1,
    )
    claim = _add(
        connection,
        "claim",
        number=f"W{patient}-{number}",
        visit_id=visit,
        patient_id=patient,
        coverage_id=coverage,
        form="D",
        rank="P",
        state="accepted",
        cents=sum(cents for cents, _ in lines),
        findings=[],
        carried={},
        kept=[],
        made_at=at(9, day=day),
        sent_at=at(18, day=day),
    )
    made = Waiting(claim, f"W{patient}-{number}", visit, patient)
    for position, (cents, own) in enumerate(lines, 1):
        line = _add(
            connection,
            "charge_line",
            visit_id=visit,
            service_id=service,
            provider_id=1,
            units=1,
            fee_cents=cents,
            tooth=str(position + 2),
            surfaces="MO",
            points_to=[],
            first_coverage_id=coverage,
            first_cents=cents - own,
            entered_at=at(9, day=day),
        )
        _add(connection, "claim_line", claim_id=claim, line_id=line, position=position, cents=cents)
        _add(
            connection,
            "journal",
            kind="charge",
            day=day,
            at=at(9, day=day),
            site_id=1,
            patient_id=patient,
            visit_id=visit,
            line_id=line,
            patient_cents=own,
            insurer_cents=cents - own,
            words="a filling",
        )
        made.lines.append((line, cents, own))
    return made
