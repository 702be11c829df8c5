"""What is said of claims before they are paid: a TA1 that turns a whole interchange away, a 999 with the
element at fault, a 277CA (005010X214) for every claim of a file, and a 277 (005010X212) in answer to a 276.

How a claim fares is data, by made-up member (claim_members.json); a member that is not named is taken and
paid.
"""

from __future__ import annotations

import json
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path

from zax.standin.answers import HOUSE, PAYERS, cents_text, envelope, interchange_of
from zax.standin.claims import Claim, ClaimFile
from zax.standin.keep import Json, Keep

MODES: dict[str, str] = json.loads((Path(__file__).parent / "claim_members.json").read_text())
# Category, status, entity as a 277CA says them; and as a 277 does, once it is asked.
_TAKEN, _REJECTED = "A2:20:PR", "A7:158:QC"
_ASKED = {
    "review": "P2:46",
    "asks": "R4:318",
    "lost": "D0:35",
    "denied": "F2:84",
    "rejected": _REJECTED,
}
_PAID, _IN_PROCESS = "F1:65", "P1:20"
# Of claims that it was never given it answers by their number, so that every kind of answer comes.
_UNKNOWN = ("P1:20", "P2:46", "P1:45", "R4:318", "D0:35")


def mode_of(member: str) -> str:
    return MODES.get(member, "paid")


def interchange_rejected(file: ClaimFile, control: int, now: datetime) -> str:
    """A TA1: the interchange is turned away as a repeated one."""
    verdict = f"TA1*{int(file.group):09d}*{now:%y%m%d}*{now:%H%M}*R*025"
    return interchange_of(file.sender, control, now, [verdict], groups=0)


def file_rejected(file: ClaimFile, text: str, control: int, now: datetime) -> str:
    """A 999 that names the member ID of the claim at fault."""
    body = [
        f"AK1*HC*{file.group}*{file.version}",
        f"AK2*837*{file.set_control}*{file.version}",
    ]
    for claim in file.claims:
        if mode_of(claim.member) == "file_rejected":
            body += [
                f"IK3*NM1*{_position(text, claim.member)}*2010*8",
                f"CTX*CLM01:{claim.number}",
                f"IK4*9*67*I12*{claim.member}",
            ]
    body += ["IK5*R*5", "AK9*R*1*1*0"]
    return envelope("FA", "005010X231A1", "999", file.sender, control, now, body)


def _position(text: str, member: str) -> int:
    """Where the member's name stands, counted from ST as 1."""
    segments = [each.strip() for each in text.split("~")]
    start = next(at for at, each in enumerate(segments) if each.startswith("ST*"))
    at = next(at for at, each in enumerate(segments) if each.startswith("NM1*IL") and member in each)
    return at - start + 1


def acknowledged(file: ClaimFile, control: int, now: datetime) -> str:
    """The 277CA: every claim taken or rejected, but those that were lost."""
    day, claims = f"{now:%Y%m%d}", [c for c in file.claims if mode_of(c.member) != "lost"]
    whole = sum(claim.cents for claim in claims)
    good = [claim for claim in claims if mode_of(claim.member) != "rejected"]
    body = [
        f"BHT*0085*08*{control}*{day}*{now:%H%M}*TH",
        "HL*1**20*1",
        f"NM1*AY*2*FERRYHUB CLEARING*****46*{HOUSE}",
        f"TRN*1*{control}",
        f"DTP*050*D8*{day}",
        f"DTP*009*D8*{day}",
        "HL*2*1*21*1",
        f"NM1*41*2*{file.sender_name}*****46*{file.sender}",
        f"TRN*2*{file.group}",
        f"STC*A1:19:PR*{day}*WQ*{cents_text(whole)}",
        "HL*3*2*19*1",
        f"NM1*85*2*{file.sender_name}*****XX*{file.npi}",
        "TRN*1*0",
        f"STC*A1:19:PR**WQ*{cents_text(whole)}",
        *([f"QTY*QA*{len(good)}"] if good else []),
        *([f"QTY*QC*{len(claims) - len(good)}"] if len(good) < len(claims) else []),
        *([f"AMT*YU*{cents_text(sum(c.cents for c in good))}"] if good else []),
        *([f"AMT*YY*{cents_text(whole - sum(c.cents for c in good))}"] if len(good) < len(claims) else []),
    ]
    for at, claim in enumerate(claims, 4):
        rejected = mode_of(claim.member) == "rejected"
        said = f"{_REJECTED}*{day}*U" if rejected else f"{_TAKEN}*{day}*WQ"
        body += [
            f"HL*{at}*3*PT",
            f"NM1*QC*1*{claim.patient_last}*{claim.patient_first}****MI*{claim.member}",
            f"TRN*2*{claim.number}",
            f"STC*{said}*{cents_text(claim.cents)}",
        ]
        if not rejected:
            body.append(f"REF*1K*{claim.payer}-{claim.number}")
        body.append(f"DTP*472*D8*{claim.day}")
    return envelope("HN", "005010X214", "277", file.sender, control, now, body)


def remember(keep: Keep, claim: Claim, pays_at: float) -> None:
    """So that it can be asked about."""
    keep.put(
        "claims",
        claim.number,
        {"payer": claim.payer, "member": claim.member, "cents": claim.cents, "pays_at": pays_at},
    )


@dataclass(slots=True, kw_only=True)
class Question:
    """The parts of a 276 that an answer needs, as raw elements."""

    sender: str = ""
    payer: str = ""
    payer_name: str = ""
    submitter: str = ""
    provider: str = ""
    npi: str = ""
    last: str = ""
    first: str = ""
    member: str = ""
    dependent: tuple[str, str] | None = None
    trace: str = ""
    number: str = ""
    amount: str = "0"
    dates: str = ""


def read_question(text: str) -> Question:
    """Reads what our own clearinghouse guide asks for: `*` and `~`."""
    found = Question()
    for segment in text.replace("\n", "").split("~"):
        e = [*segment.split("*"), *[""] * 10]
        match e[0]:
            case "ISA":
                found.sender = e[6].strip()
            case "TRN":
                found.trace = e[2]
            case "NM1":
                _name(found, e)
            case "REF" if e[1] == "EJ":
                found.number = e[2]
            case "AMT":
                found.amount = e[2]
            case "DTP" if e[1] == "472":
                found.dates = f"{e[2]}*{e[3]}"
    return found


def _name(found: Question, e: list[str]) -> None:
    match e[1]:
        case "PR":
            found.payer_name, found.payer = e[3], e[9]
        case "41":
            found.submitter = e[3]
        case "1P":
            found.provider, found.npi = e[3], e[9]
        case "IL":
            found.last, found.first, found.member = e[3], e[4], e[9]
        case "QC":
            found.dependent = (e[3], e[4])


def answer(question: Question, keep: Keep, control: int, now: datetime) -> str:
    """The 277 for a 276."""
    known = keep.get("claims", question.number)
    said = _said(question, known, now)
    day = f"{now:%Y%m%d}"
    paid = question.amount if said == _PAID else "0"
    body = [
        f"BHT*0010*08*{control}*{day}*{now:%H%M}*DG",
        "HL*1**20*1",
        f"NM1*PR*2*{question.payer_name}*****PI*{question.payer}",
        "HL*2*1*21*1",
        f"NM1*41*2*{question.submitter}*****46*{question.sender}",
        "HL*3*2*19*1",
        f"NM1*1P*2*{question.provider}*****XX*{question.npi}",
        f"HL*4*3*22*{1 if question.dependent else 0}",
        f"NM1*IL*1*{question.last}*{question.first}****MI*{question.member}",
    ]
    if question.dependent:
        body += ["HL*5*4*23", f"NM1*QC*1*{question.dependent[0]}*{question.dependent[1]}"]
    body += [f"TRN*2*{question.trace}", f"STC*{said}*{day}**{question.amount}*{paid}"]
    if not said.startswith("D0"):
        body.append(f"REF*1K*{question.payer}-{question.number}")
    body.append(f"REF*EJ*{question.number}")
    if question.dates:
        body.append(f"DTP*472*{question.dates}")
    return envelope("HN", "005010X212", "277", question.sender, control, now, body)


def _said(question: Question, known: Json | None, now: datetime) -> str:
    mode = mode_of(question.member)
    if mode in _ASKED:
        return _ASKED[mode]
    if known is None:
        digits = "".join(ch for ch in question.number if ch.isdecimal()) or "0"
        return _UNKNOWN[int(digits) % len(_UNKNOWN)]
    return _PAID if known["pays_at"] <= now.timestamp() and question.payer in PAYERS else _IN_PROCESS
