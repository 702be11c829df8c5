"""What the clearinghouse and the payers send back: a 999 for every file, an 835 for every claim they pay.

Payers' rules are data (payers.json): how much of a fee they allow, what percentage they pay by the beginning
of a code, and which codes the deductible counts for. A member whose number ends in one of `TEMPERS` is
answered in a way of its own: denied in part, below the contract, with interest, passed on, taken back.
"""

from __future__ import annotations

import json
from dataclasses import dataclass, replace
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
    """Cents of a line; `reason` is why it was denied ('CO*50'), `before` what earlier plans did."""

    line: Line
    paid: int
    write_off: int
    deductible: int
    share: int
    before: int = 0
    reason: str = ""


def decide(claim: Claim, used: int) -> list[Decision]:
    """What the payer pays of each line; `used` is the member's deductible used so far, in cents. A plan that
    pays after another pays what that left.
    """
    if claim.rank in {"S", "T"}:
        return [Decision(each, each.cents - each.before, 0, 0, 0, each.before) for each in claim.lines]
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


@dataclass(frozen=True, slots=True)
class Temper:
    """How a payer answers for one made-up member: `status` of the claim, `denies` the last line or (`whole`)
    all for a reason, `short` whole percent taken off below the contract, `beside` what is added (below zero)
    or taken beside the claim, `passes` it on to the next plan, `takes_back` what it paid in a second payment.
    """

    status: str = "1"
    denies: str = ""
    whole: bool = False
    short: int = 0
    beside: tuple[tuple[str, int], ...] = ()
    passes: bool = False
    takes_back: bool = False


USUAL = Temper()
# By the last two signs of the member number.
TEMPERS = {
    "D1": Temper(denies="CO*16"),
    "D2": Temper(denies="CO*50"),
    "D3": Temper(status="4", denies="CO*29", whole=True),
    "U1": Temper(short=10),
    "L6": Temper(beside=(("L6", -125),)),
    "E3": Temper(beside=(("E3", 250),)),
    "X1": Temper(status="19", passes=True),
    "B1": Temper(takes_back=True),
}


def temper_of(claim: Claim, denied: bool) -> Temper:
    if denied:
        return Temper(status="4", denies="CO*197", whole=True)
    return TEMPERS.get(claim.member[-2:], USUAL) if not claim.planned else USUAL


def remittance(
    file: ClaimFile, claim: Claim, keep: Keep, control: int, now: datetime, denied: bool = False
) -> str:
    """The 835 (005010X221A1) that answers one claim by transfer, as the payer does for this member; `denied`
    for want of an authorization. Of planned work it only says what would be paid.
    """
    return remittances(file, claim, keep, control, now, denied)[0]


def remittances(
    file: ClaimFile, claim: Claim, keep: Keep, control: int, now: datetime, denied: bool = False
) -> list[str]:
    """The same, and for some members a second payment that takes the first back and carries it forward."""
    used = (keep.get("deductibles", f"{claim.member}-{now:%Y}") or {}).get("cents", 0)
    temper = temper_of(claim, denied)
    decisions = tempered(decide(claim, used), temper)
    if not claim.planned:
        counted = used + sum(d.deductible for d in decisions)
        keep.put("deductibles", f"{claim.member}-{now:%Y}", {"cents": counted})
    made = [_payment(file, claim, decisions, temper, control, now)]
    if temper.takes_back:
        back = [_turned(each) for each in decisions]
        forward = Temper(status="22", beside=((f"FB:{claim.number}", sum(d.paid for d in back)),))
        made.append(_payment(file, claim, back, forward, control + 1, now))
    return made


def _turned(each: Decision) -> Decision:
    """A decision with its signs turned."""
    line = replace(each.line, cents=-each.line.cents)
    return Decision(line, -each.paid, -each.write_off, -each.deductible, -each.share)


def tempered(decisions: list[Decision], temper: Temper) -> list[Decision]:
    """What the payer makes of it for this member."""
    if temper.short:
        for each in decisions:
            less = each.paid * temper.short // 100
            each.paid, each.write_off = each.paid - less, each.write_off + less
    if temper.denies:
        for each in decisions if temper.whole else decisions[-1:]:
            each.paid = each.write_off = each.deductible = each.share = 0
            each.reason = temper.denies
    return decisions


def _payment(
    file: ClaimFile, claim: Claim, decisions: list[Decision], temper: Temper, control: int, now: datetime
) -> str:
    payer = PAYERS[claim.payer]
    paid = 0 if claim.planned else sum(d.paid for d in decisions)
    patient = sum(d.deductible + d.share for d in decisions)
    total = paid - sum(cents for _, cents in temper.beside)
    method = "ACH*CCP*01*999999992*DA*123456*1512345678**01*999988880*DA*98765" if total else "NON***********"
    today = f"{now:%Y%m%d}"
    status = "25" if claim.planned else "2" if claim.rank in {"S", "T"} else temper.status
    charge = sum(each.line.cents for each in decisions)
    body = [
        f"BPR*I*{cents_text(total)}*C*{method}*{today}",
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
                status,
                cents_text(charge),
                cents_text(paid),
                cents_text(patient) if patient > 0 else "",
                "12",
                f"{claim.payer}-{claim.number}",
                "11",
                "1",
            )
        ),
        f"NM1*QC*1*{claim.patient_last}*{claim.patient_first}****MI*{claim.member}",
    ]
    body += ["NM1*TT*2*NEXT PLAN*****PI*NEXT1"] if temper.passes else []
    for decision in decisions:
        body += _service(decision, claim)
    body += [f"PLB*{file.npi}*{now:%Y}1231*{why}*{cents_text(cents)}" for why, cents in temper.beside]
    return envelope("HP", "005010X221A1", "835", file.sender, control, now, body)


def _service(decision: Decision, claim: Claim) -> list[str]:
    line, paid = decision.line, 0 if claim.planned else decision.paid
    code = ":".join((line.qualifier, line.code, *line.modifiers))
    lines = [f"SVC*{code}*{cents_text(line.cents)}*{cents_text(paid)}**{line.units}"]
    lines += [f"DTM*472*{claim.day}"] if claim.day else []
    if decision.reason:
        lines.append(f"CAS*{decision.reason}*{cents_text(line.cents)}")
        return lines + ([f"REF*6R*{line.number}"] if line.number else [])
    if claim.planned and decision.paid:
        lines.append(f"CAS*OA*101*{cents_text(decision.paid)}")
    if decision.before:
        lines.append(f"CAS*OA*23*{cents_text(decision.before)}")
    if decision.write_off:
        lines.append(f"CAS*CO*45*{cents_text(decision.write_off)}")
    reasons = [
        (reason, cents) for reason, cents in (("1", decision.deductible), ("2", decision.share)) if cents
    ]
    if reasons:
        lines.append("CAS*PR*" + "**".join(f"{reason}*{cents_text(cents)}" for reason, cents in reasons))
    if line.number:
        lines.append(f"REF*6R*{line.number}")
    if line.cents > 0:
        lines.append(f"AMT*B6*{cents_text(line.cents - decision.write_off)}")
    return lines
