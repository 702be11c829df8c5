"""Sound claims of each form that no check says anything of, to be spoiled one field at a time."""

from __future__ import annotations

from dataclasses import replace
from datetime import date
from typing import Any

from tests.x12_samples import BILLING, DAY, HOME
from zax.core.claims.claim import Claim, ClaimLine, Clinician, Form
from zax.core.claims.parts import Stay
from zax.core.claims.situation import KnownDiagnosis, Situation
from zax.core.x12.parties import Organization, Person

TODAY = date(2026, 12, 1)
HELEN = Person(
    first="Helen", last="Vasquez", birth=date(1984, 5, 3), sex="F", address=HOME, member_id="HG31806"
)
MATEO = Person(first="Mateo", last="Vasquez", birth=date(2016, 2, 9), sex="M", address=HOME)
INES = Clinician("Ines", "Calloway", "1467560003", "1223G0001X")
NADIA = Clinician("Nadia", "Ferro", "1467560052", "363LF0000X")
KNOWN = {
    code: KnownDiagnosis(True)
    for code in [
        "J029",
        "R051",
        "I10",
        "Z23",
        "Z0000",
        "Z00129",
        "O0990",
        "N400",
        "S134XXA",
        "W010XXA",
        "J189",
        "R079",
        "M1711",
    ]
} | {"M545": KnownDiagnosis(False)}


def situation(**changes: Any) -> Situation:
    values: dict[str, Any] = {"today": TODAY, "filing_days": 365, "diagnoses": KNOWN}
    return Situation(**(values | changes))


def line(code: str, **changes: Any) -> ClaimLine:
    values: dict[str, Any] = {
        "number": "L1",
        "code": code,
        "cents": 12800,
        "units": 1,
        "day": DAY,
        "pointers": () if code.startswith("D") else (1,),
    }
    return ClaimLine(**(values | changes))


def _claim(form: Form, lines: tuple[ClaimLine, ...], **changes: Any) -> Claim:
    values: dict[str, Any] = {
        "number": "C000017",
        "form": form,
        "payer": Organization(name="Harbor Guild", identifier="HGD01"),
        "filing_indicator": "CI",
        "group_number": "G104",
        "relationship": "18",
        "subscriber": HELEN,
        "patient": HELEN,
        "billing": BILLING,
        "clinician": INES,
        "place_of_service": "11",
        "lines": lines,
    }
    return Claim(**(values | changes))


def medical(*lines: ClaimLine, **changes: Any) -> Claim:
    return _claim(
        Form.PROFESSIONAL, lines or (line("99213"),), **({"diagnoses": ("J02.9", "R05.1")} | changes)
    )


def child(*lines: ClaimLine, **changes: Any) -> Claim:
    return medical(*lines, **({"relationship": "19", "patient": MATEO} | changes))


def dental(*lines: ClaimLine, **changes: Any) -> Claim:
    return _claim(Form.DENTAL, lines or (line("D2392", tooth="14", surfaces="MO"),), **changes)


def small_patient(*lines: ClaimLine, **changes: Any) -> Claim:
    return dental(*lines, **({"relationship": "19", "patient": MATEO} | changes))


STAY = Stay(
    first=date(2026, 11, 20),
    last=date(2026, 11, 23),
    admitted=date(2026, 11, 20),
    admitted_hour="10",
    admission_type="1",
    admission_source="1",
    discharge_hour="14",
    discharge_status="01",
    admitting="J18.9",
)


def hospital(*lines: ClaimLine, stay: Stay | None = STAY, **changes: Any) -> Claim:
    """An inpatient stay of three nights."""
    room = line("", revenue="0120", units=3, day=STAY.first, last=STAY.last, pointers=())
    values: dict[str, Any] = {
        "bill_type": "11",
        "place_of_service": "",
        "clinician": None,
        "attending": NADIA,
        "stay": stay,
        "diagnoses": ("J18.9",),
        "present": ("Y",),
    }
    return _claim(Form.INSTITUTIONAL, lines or (room,), **(values | changes))


def outpatient(*lines: ClaimLine, **changes: Any) -> Claim:
    """An emergency visit without admission."""
    first = date(2026, 11, 24)
    stay = replace(STAY, first=first, last=first, admitted=first, admitting="", reasons=("R07.9",))
    values: dict[str, Any] = {"bill_type": "13", "diagnoses": ("R07.9",), "present": (), "stay": stay}
    return hospital(*(lines or (line("99283", revenue="0450", pointers=()),)), **(values | changes))
