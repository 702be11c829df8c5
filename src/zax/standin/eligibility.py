"""What payers answer to a 270: a 271 (005010X279A1) by made-up member. How a member is answered is data
(members.json), and so is what a payer promises (`told` in payers.json); a member that is not named is active.
"""

from __future__ import annotations

import json
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path

from zax.standin.answers import PAYERS, envelope

MODES = {"active", "inactive", "not_found", "wrong_birth", "slow", "down", "garbage", "other"}
MEMBERS: dict[str, str] = json.loads((Path(__file__).parent / "members.json").read_text())
SLOW_SECONDS = 3.0
GARBAGE = "<html><body>Gateway time-out. Reference 0x00F3</body></html>"


@dataclass(slots=True, kw_only=True)
class Question:
    """The parts of a 270 that an answer needs, as raw elements."""

    sender: str = ""
    trace: str = ""
    trace_by: str = ""
    payer: str = ""
    payer_name: str = ""
    provider_name: str = ""
    npi: str = ""
    last: str = ""
    first: str = ""
    member: str = ""
    birth: str = ""
    sex: str = ""
    dependent: tuple[str, str, str, str] | None = None


def read_question(text: str) -> Question:
    """Reads what our own clearinghouse guide asks for: `*` and `~`."""
    found, level = Question(), ""
    for segment in text.replace("\n", "").split("~"):
        e = [*segment.split("*"), *[""] * 10]
        if e[0] == "ISA":
            found.sender = e[6].strip()
        elif e[0] == "HL":
            level = e[3]
        elif e[0] == "TRN":
            found.trace, found.trace_by = e[2], e[3]
        elif e[0] == "NM1" and e[1] == "PR":
            found.payer_name, found.payer = e[3], e[9]
        elif e[0] == "NM1" and e[1] == "1P":
            found.provider_name, found.npi = e[3], e[9]
        elif e[0] == "NM1" and e[1] == "IL":
            found.last, found.first, found.member = e[3], e[4], e[9]
        elif e[0] == "NM1" and e[1] == "03":
            found.dependent = (e[3], e[4], "", "")
        elif e[0] == "DMG" and level == "23" and found.dependent:
            found.dependent = (*found.dependent[:2], e[2], e[3])
        elif e[0] == "DMG":
            found.birth, found.sex = e[2], e[3]
    return found


def mode_of(question: Question) -> str:
    return MEMBERS.get(question.member, "active")


def answer(question: Question, mode: str, control: int, now: datetime) -> str:
    """The 271 for a question; `mode` is one of MODES that has an answer."""
    if mode == "garbage":
        return GARBAGE
    body = [
        f"BHT*0022*11*{question.trace}*{now:%Y%m%d}*{now:%H%M}",
        "HL*1**20*1",
        f"NM1*PR*2*{question.payer_name}*****PI*{question.payer}",
        "HL*2*1*21*1",
        f"NM1*1P*2*{question.provider_name}*****XX*{question.npi}",
        f"HL*3*2*22*{1 if question.dependent else 0}",
    ]
    if not question.dependent:
        body.append(f"TRN*2*{question.trace}*{question.trace_by}")
    body += _subscriber(question, mode)
    if question.dependent:
        last, first, birth, sex = question.dependent
        body += [
            "HL*4*3*23*0",
            f"TRN*2*{question.trace}*{question.trace_by}",
            f"NM1*03*1*{last}*{first}",
            f"DMG*D8*{birth}*{sex}",
            "INS*N*19",
        ]
    if mode in {"active", "slow", "inactive", "other"}:
        body += _benefits(question, mode, now)
    return envelope("HB", "005010X279A1", "271", question.sender, control, now, body)


def _subscriber(question: Question, mode: str) -> list[str]:
    last, first, birth = question.last, question.first, question.birth or "19800101"
    if mode == "other":
        last, first, birth = "QUILLFEATHER", "BARNABY", "19511130"
    name = f"NM1*IL*1*{last}*{first}****MI*{question.member}"
    if mode == "not_found":
        return [name, "AAA*Y**75*C"]
    if mode == "wrong_birth":
        return [name, "AAA*Y**71*C"]
    sex = f"*{question.sex}" if question.sex else ""
    return [
        name,
        "REF*6P*G0904*JUNIPER FERRY WORKS",
        "N3*12 TIDE STREET",
        "N4*MARROW HARBOR*WA*98201",
        f"DMG*D8*{birth}{sex}",
    ]


def _benefits(question: Question, mode: str, now: datetime) -> list[str]:
    told = PAYERS.get(question.payer, {}).get("told", {})
    plan, whole, year = told.get("plan", "PLAN"), told.get("whole", "30"), now.year
    if mode == "inactive":
        return [f"EB*6**{whole}**{plan}", f"DTP*347*D8*{year}0831"]
    lines = [f"EB*1*IND*{whole}**{plan}", f"DTP*291*RD8*{year}0101-{year}1231"]
    for services, percent in told.get("patient", []):
        lines.append(f"EB*A*IND*{services}***23**{percent / 100:g}****Y")
    deductible, maximum = told.get("deductible", 0), told.get("maximum", 0)
    if deductible:
        left = 0 if int(question.birth[-1:] or 0) % 2 else deductible
        lines += [
            f"EB*C*IND*{whole}***23*{deductible}*****Y",
            f"EB*C*IND*{whole}***29*{left}*****Y",
            f"EB*C*FAM*{whole}***23*{3 * deductible}*****Y",
        ]
    if maximum:
        used = 40 * (int(question.birth[-2:] or 0) % 10)
        lines += [f"EB*F*IND*{whole}***23*{maximum}*****Y", f"EB*F*IND*{whole}***29*{maximum - used}*****Y"]
    for services, count, months, words in told.get("limits", []):
        lines += [f"EB*F*IND*{services}*********Y", f"HSD*P6*{count}***34*{months}", f"MSG*{words}"]
    lines += [f"EB*I*IND*{services}" for services in told.get("not_covered", [])]
    return lines
