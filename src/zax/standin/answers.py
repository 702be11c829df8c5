"""What the clearinghouse and the payers send back: a 999 for every file, an 835 for every claim they pay.

Payers' rules are data (payers.json): how much of a fee they allow, what percentage they pay by the beginning
of a code, and which codes the deductible counts for.
"""

from __future__ import annotations

import json
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path

from zax.standin.claims import Claim, ClaimFile, Line
from zax.standin.keep import Json, Keep

PAYERS: Json = json.loads((Path(__file__).parent / "payers.json").read_text())
HOUSE = "FERRYHUB"


def cents_text(cents: int) -> str:
    """Cents as X12 writes an amount."""
    text = f"{abs(cents) // 100}.{abs(cents) % 100:02d}".rstrip("0").rstrip(".")
    return f"-{text}" if cents < 0 else text


def interchange_of(receiver: str, control: int, now: datetime, inner: list[str], groups: int = 1) -> str:
    """ISA and IEA around whatever stands between."""
    head = (
        "ISA*00*          *00*         "
        f" *ZZ*{HOUSE:<15}*ZZ*{receiver:<15}*{now:%y%m%d}*{now:%H%M}*^*00501*{control:09d}*0*P*:"
    )
    return "~".join([head, *inner, f"IEA*{groups}*{control:09d}"]) + "~"


def envelope(
    kind: str, version: str, st: str, receiver: str, control: int, now: datetime, body: list[str]
) -> str:
    """The control segments around one transaction set."""
    set_lines = [f"ST*{st}*0001*{version}" if st != "835" else f"ST*{st}*0001", *body]
    group = [
        f"GS*{kind}*{HOUSE}*{receiver}*{now:%Y%m%d}*{now:%H%M}*{control}*X*{version}",
        *set_lines,
        f"SE*{len(set_lines) + 1}*0001",
        f"GE*1*{control}",
    ]
    return interchange_of(receiver, control, now, group)


def acknowledgement(file: ClaimFile, control: int, now: datetime) -> str:
    """The 999 (005010X231A1) that takes or rejects the file as a whole."""
    verdict = "R" if file.errors else "A"
    body = [f"AK1*HC*{file.group}*{file.version}", f"AK2*837*{file.set_control}*{file.version}"]
    body += ["IK5*R*I5"] if file.errors else ["IK5*A"]
    body.append(f"AK9*{verdict}*1*1*{0 if file.errors else 1}")
    return envelope("FA", "005010X231A1", "999", file.sender, control, now, body)


@dataclass(slots=True)
class Decision:
    line: Line
    paid: int
    write_off: int
    deductible: int
    share: int


def decide(claim: Claim, used: int) -> list[Decision]:
    """What the payer pays of each line; `used` is the member's deductible used so far, in cents."""
    rules = PAYERS[claim.payer]
    left = max(0, rules["deductible"] - used)
    made: list[Decision] = []
    for line in claim.lines:
        prefix = max((p for p in rules["pays"] if line.code.startswith(p)), key=len, default="")
        percent, deductible_counts = rules["pays"].get(prefix, (0, False))
        allowed = (line.cents * rules["allowed_percent"] + 50) // 100
        deductible = min(left, allowed) if deductible_counts and percent else 0
        left -= deductible
        paid = ((allowed - deductible) * percent + 50) // 100
        made.append(Decision(line, paid, line.cents - allowed, deductible, allowed - deductible - paid))
    return made


def remittance(
    file: ClaimFile, claim: Claim, keep: Keep, control: int, now: datetime, denied: bool = False
) -> str:
    """The 835 (005010X221A1) that pays one claim by transfer, or denies it for want of an authorization. Of
    planned work it only says what would be paid.
    """
    used = (keep.get("deductibles", f"{claim.member}-{now:%Y}") or {}).get("cents", 0)
    decisions = [] if denied else decide(claim, used)
    if not claim.planned:
        counted = used + sum(d.deductible for d in decisions)
        keep.put("deductibles", f"{claim.member}-{now:%Y}", {"cents": counted})
    payer = PAYERS[claim.payer]
    paid = 0 if claim.planned else sum(d.paid for d in decisions)
    patient = sum(d.deductible + d.share for d in decisions)
    method = "ACH*CCP*01*999999992*DA*123456*1512345678**01*999988880*DA*98765" if paid else "NON***********"
    today = f"{now:%Y%m%d}"
    body = [
        f"BPR*I*{cents_text(paid)}*C*{method}*{today}",
        f"TRN*1*{claim.payer}{control:07d}*1512345678",
        f"DTM*405*{today}",
        f"N1*PR*{payer['name']}",
        "N3*1 LEDGER WAY",
        "N4*MARROW HARBOR*WA*98201",
        "PER*BL*PROVIDER HELP*TE*3605550199",
        f"N1*PE*{file.sender_name}*XX*{file.npi}",
        f"REF*TJ*{file.tax_id}",
        "LX*1",
        "*".join(
            (
                "CLP",
                claim.number,
                "25" if claim.planned else "4" if denied else "1",
                cents_text(claim.cents),
                cents_text(paid),
                cents_text(patient) if patient else "",
                "12",
                f"{claim.payer}-{claim.number}",
                "11",
                "1",
            )
        ),
        f"NM1*QC*1*{claim.patient_last}*{claim.patient_first}****MI*{claim.member}",
    ]
    for decision in decisions:
        body += _service(decision, claim)
    for line in claim.lines if denied else ():
        body += _denied(line, claim.day)
    return envelope("HP", "005010X221A1", "835", file.sender, control, now, body)


def _service(decision: Decision, claim: Claim) -> list[str]:
    line, paid = decision.line, 0 if claim.planned else decision.paid
    code = ":".join((line.qualifier, line.code, *line.modifiers))
    lines = [f"SVC*{code}*{cents_text(line.cents)}*{cents_text(paid)}**{line.units}"]
    lines += [f"DTM*472*{claim.day}"] if claim.day else []
    if claim.planned and decision.paid:
        lines.append(f"CAS*OA*101*{cents_text(decision.paid)}")
    if decision.write_off:
        lines.append(f"CAS*CO*45*{cents_text(decision.write_off)}")
    reasons = [
        (reason, cents) for reason, cents in (("1", decision.deductible), ("2", decision.share)) if cents
    ]
    if reasons:
        lines.append("CAS*PR*" + "**".join(f"{reason}*{cents_text(cents)}" for reason, cents in reasons))
    if line.number:
        lines.append(f"REF*6R*{line.number}")
    lines.append(f"AMT*B6*{cents_text(line.cents - decision.write_off)}")
    return lines


def _denied(line: Line, day: str) -> list[str]:
    code = ":".join((line.qualifier, line.code, *line.modifiers))
    lines = [
        f"SVC*{code}*{cents_text(line.cents)}*0**{line.units}",
        f"DTM*472*{day}",
        f"CAS*CO*197*{cents_text(line.cents)}",
    ]
    return lines + ([f"REF*6R*{line.number}"] if line.number else [])
