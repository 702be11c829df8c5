"""X12 files and claims that several tests use. All people and numbers are made up."""

from __future__ import annotations

from datetime import date, datetime

from zax.core.claims.claim import Claim, ClaimLine, Clinician, Form
from zax.core.x12.parties import Address, Envelope, Organization, Person

DAY = date(2026, 11, 24)
HOME = Address("12 Tide Street", "Marrow Harbor", "WA", "98201")
HELEN = Person(
    first="Helen", last="Vásquez", birth=date(1984, 5, 3), sex="F", address=HOME, member_id="HG-31806"
)
MATEO = Person(first="Mateo", last="Vásquez", birth=date(2013, 2, 9), sex="M", address=HOME)
BILLING = Organization(
    name="JUNIPER QUAY CLINIC",
    identifier="1234567893",
    address=Address("18 QUAY STREET", "MARROW HARBOR", "WA", "982015518"),
    tax_id="911234567",
    taxonomy="261QM1300X",
)
ENVELOPE = Envelope(
    sender=Organization(name="Juniper Quay Clinic", identifier="JUNIPERQ", phone="3605550100"),
    receiver=Organization(name="Ferryhub Clearing", identifier="FERRYHUB"),
    made_at=datetime(2026, 11, 24, 18, 42),
    control=17,
)


def claim(dental: bool = False, **changes: object) -> Claim:
    """A sound claim of one line (dental: a filling; medical: an office visit with two diagnoses)."""
    line = (
        ClaimLine(number="L7", code="D2392", cents=28600, units=1, day=DAY, tooth="14", surfaces="MO")
        if dental
        else ClaimLine(
            number="L7", code="99213", cents=12800, units=1, day=DAY, modifiers=("25",), pointers=(1, 2)
        )
    )
    values: dict[str, object] = {
        "number": "C000017",
        "form": Form.DENTAL if dental else Form.PROFESSIONAL,
        "billing": BILLING,
        "payer": (
            Organization(name="Harbor Guild Dental", identifier="HGD01")
            if dental
            else Organization(name="Copperline Health", identifier="CPL01")
        ),
        "filing_indicator": "CI",
        "group_number": "G104",
        "relationship": "18",
        "subscriber": HELEN,
        "patient": HELEN,
        "clinician": Clinician("Ines", "Calloway", "1467560003", "1223G0001X"),
        "place_of_service": "11",
        "lines": (line,),
        "diagnoses": () if dental else ("J02.9", "R05.1"),
    }
    return Claim(**(values | changes))  # type: ignore[arg-type]


def remittance(
    number: str = "C000017",
    service: str = "HC:99213:25",
    charge: str = "128",
    paid: str = "102.4",
    cas: str = "CAS*PR*2*25.6",
    line: str = "L7",
    trace: str = "T900",
    status: str = "1",
    payer: str = "COPPERLINE HEALTH",
    plb: str = "",
    total: str | None = None,
) -> str:
    """An 835 with one claim of one line, valid as long as the amounts given add up."""
    body = [
        f"BPR*I*{total or paid}*C*ACH*CCP*01*999999992*DA*123456*1512345678**01*999988880*DA*98765*20261202",
        f"TRN*1*{trace}*1512345678",
        "DTM*405*20261202",
        f"N1*PR*{payer}",
        "N3*1 LEDGER WAY",
        "N4*MARROW HARBOR*WA*98201",
        "PER*BL*HELP*TE*3605550199",
        "N1*PE*JUNIPER QUAY CLINIC*XX*1234567893",
        "REF*TJ*911234567",
        "LX*1",
        f"CLP*{number}*{status}*{charge}*{paid}**12*PAYER-1*11*1",
        "NM1*QC*1*VASQUEZ*HELEN****MI*HG-31806",
        f"SVC*{service}*{charge}*{paid}**1",
        "DTM*472*20261124",
        cas,
        f"REF*6R*{line}",
    ]
    return envelope("835", "HP", "005010X221A1", [part for part in [*body, plb] if part])


def envelope(kind: str, group: str, version: str, body: list[str]) -> str:
    """A whole interchange around the segments of one transaction set."""
    st = f"ST*{kind}*0001" + (f"*{version}" if kind == "999" else "")
    segments = [
        (
            "ISA*00*          *00*          *ZZ*FERRYHUB       *ZZ*JUNIPERQ      "
            " *261202*0800*^*00501*000000900*0*T*:"
        ),
        f"GS*{group}*FERRYHUB*JUNIPERQ*20261202*0800*900*X*{version}",
        st,
        *body,
        f"SE*{len(body) + 2}*0001",
        "GE*1*900",
        "IEA*1*000000900",
    ]
    return "~".join(segments) + "~"


def acknowledgement(group: str, verdict: str = "A") -> str:
    """A 999 for the file whose GS06 is `group`."""
    errors = [] if verdict == "A" else ["IK3*CLM*22**8", "IK4*2*782*6*12X"]
    counts = "1*1*1" if verdict == "A" else "1*1*0"
    body = [
        f"AK1*HC*{group}*005010X222A1",
        "AK2*837*0001*005010X222A1",
        *errors,
        f"IK5*{verdict}",
        f"AK9*{verdict}*{counts}",
    ]
    return envelope("999", "FA", "005010X231A1", body)
