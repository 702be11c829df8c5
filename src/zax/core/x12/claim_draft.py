"""One claim while its segments are read: loops 2300 to 2330 fill a draft, which becomes a `Claim` when they
end; its services are drafts of their own.
"""

from __future__ import annotations

from dataclasses import replace
from datetime import date
from typing import Any

from zax.core.claims.claim import Form, Frequency
from zax.core.claims.parts import (
    Accident,
    Amount,
    Attachment,
    Dates,
    Happened,
    OrthodonticPlan,
    OtherCoverage,
    Stay,
)
from zax.core.x12.claim_codes import CLAIM_PEOPLE, DATES
from zax.core.x12.draft import Draft
from zax.core.x12.line_draft import LineDraft
from zax.core.x12.syntax import Segment, to_cents


def pointed_code(code: str) -> str:
    """A diagnosis with its point, as people write it: J0110 is J01.10."""
    return f"{code[:3]}.{code[3:]}" if len(code) > 3 else code


class ClaimDraft(Draft):
    """Fields of the claim, of its open line and of the open other plan, as keyword arguments."""

    def __init__(self, form: Form, segment: Segment, problems: list[str]) -> None:
        super().__init__(segment.get(1), segment, problems)
        self.form = form
        self.stated_cents = self.cents(2)
        self.fields |= _claim(form, segment)
        self.dates: dict[str, date | None] = {}
        self.service_day: date | None = None
        self.stay: dict[str, Any] = {}
        self.diagnoses: list[tuple[str, str]] = []
        self.lines: list[LineDraft] = []
        self.others: list[dict[str, Any]] = []

    def take(self, segment: Segment) -> None:
        self.segment = segment
        if segment.id == "LX":
            self.lines.append(LineDraft(self.number, self.form, segment, self.problems))
        elif segment.id == "SBR":
            self.others.append(_other(segment))
        elif self.lines:
            self.lines[-1].take(segment)
        elif self.others:
            self.of_other(self.others[-1])
        else:
            self.of_claim()

    # Loop 2300 and 2310

    def of_claim(self) -> None:
        segment, claim = self.segment, self.fields
        match segment.id:
            case "DTP":
                self.claim_date(segment.get(1), segment.get(3))
            case "CL1":
                self.stay |= {
                    "admission_type": segment.get(1),
                    "admission_source": segment.get(2),
                    "discharge_status": segment.get(3),
                }
            case "DN1" if segment.get(1).isdecimal():
                left = segment.get(2)
                claim["braces"] = OrthodonticPlan(int(segment.get(1)), int(left) if left.isdecimal() else 0)
            case "DN2":
                field = {"M": "missing_teeth", "E": "teeth_to_extract"}.get(segment.get(2))
                if field:
                    claim[field] = (*claim.get(field, ()), segment.get(1))
            case "PWK":
                paper = Attachment(segment.get(1), segment.get(2), segment.get(6))
                claim["attachments"] = (*claim.get("attachments", ()), paper)
            case "AMT" if segment.get(1) in {"F5", "F3"}:
                claim["paid_cents"] = self.cents(2)
            case "REF":
                self.claim_reference(segment.get(1), segment.get(2))
            case "NTE" if not claim.get("note"):
                claim["note"] = segment.get(2)
            case "HI":
                self.codes()
            case "NM1" | "PRV" | "N3" | "N4":
                self.person(CLAIM_PEOPLE[self.form])

    def claim_date(self, qualifier: str, text: str) -> None:
        fields = dict(DATES[self.form])
        match qualifier:
            case "434":
                first, _, last = text.partition("-")
                self.stay |= {"first": self.day(first), "last": self.day(last or first)}
            case "435" if self.form is Form.INSTITUTIONAL:
                self.stay |= {"admitted": self.day(text), "admitted_hour": text[8:10]}
            case "096" if self.form is Form.INSTITUTIONAL:
                self.stay["discharge_hour"] = text[:2]
            case "439":
                self.accident(day=self.day(text))
            case "314":
                first, _, last = text.partition("-")
                self.dates |= {"disabled_from": self.day(first), "disabled_to": self.day(last)}
            case "360":
                self.dates["disabled_from"] = self.day(text)
            case "361":
                self.dates["disabled_to"] = self.day(text)
            case "472":
                self.service_day = self.day(text.partition("-")[0])
            case _ if qualifier in fields:
                self.dates[fields[qualifier]] = self.day(text)

    def accident(self, **known: Any) -> None:
        self.fields["accident"] = replace(self.fields.get("accident") or Accident(()), **known)

    def claim_reference(self, qualifier: str, value: str) -> None:
        fields = {"F8": "payer_claim", "9F": "referral", "G1": "authorization", "X4": "clia"}
        if qualifier in fields:
            self.fields[fields[qualifier]] = value
        elif qualifier == "LU":
            self.accident(state=value)

    def codes(self) -> None:
        """HI: diagnoses and, for a stay, what happened."""
        for position in range(1, len(self.segment.elements)):
            qualifier, code, *more = [*self.segment.parts(position), *[""] * 9]
            match qualifier:
                case "ABK" | "ABF" | "BK" | "BF":
                    self.diagnoses.append((pointed_code(code), more[6]))
                case "ABJ" | "BJ":
                    self.stay["admitting"] = pointed_code(code)
                case "APR" | "PR":
                    self.grow("reasons", pointed_code(code))
                case "ABN" | "BN":
                    self.grow("causes", pointed_code(code))
                case "BBR" | "BBQ":
                    self.grow("procedures", self.happened(code, more[1]))
                case "BH" | "BI":
                    self.grow("occurrences", self.happened(code, more[1]))
                case "BE":
                    self.grow("values", Amount(code, to_cents(more[2], "HI BE", self.problems)))
                case "BG":
                    self.grow("conditions", code)

    def happened(self, code: str, text: str) -> Happened:
        first, _, last = text.partition("-")
        return Happened(code, self.day(first) or date.min, self.day(last) if last else None)

    def grow(self, field: str, value: object) -> None:
        self.stay[field] = (*self.stay.get(field, ()), value)

    # Loop 2320 and 2330

    def of_other(self, other: dict[str, Any]) -> None:
        segment = self.segment
        match segment.id:
            case "CAS":
                other["adjusted"] = (*other.get("adjusted", ()), *self.adjustments())
            case "AMT" if segment.get(1) == "D":
                other |= {"decided": True, "paid_cents": self.cents(2)}
            case "AMT" if segment.get(1) == "EAF":
                other["left_cents"] = self.cents(2)
            case "OI":
                other["pays_us"] = segment.get(3) == "Y"
            case "NM1" if segment.get(1) == "IL":
                other |= {"last": segment.get(3), "first": segment.get(4), "member_id": segment.get(9)}
                self.role = "member"
            case "NM1":
                self.role = "payer" if segment.get(1) == "PR" else ""
                if self.role:
                    other |= {"payer_name": segment.get(3), "payer_id": segment.get(9)}
            case "DTP" if segment.get(1) == "573":
                other["decided_on"] = self.day(segment.get(3))
            case "REF" if segment.get(1) == "F8" and self.role == "payer":
                other["payer_claim"] = segment.get(2)

    def done(self) -> dict[str, Any]:
        """The claim's fields; a dental line without a date of its own has the claim's."""
        if self.form is Form.INSTITUTIONAL and {"first", "last"} <= {k for k, v in self.stay.items() if v}:
            self.fields["stay"] = Stay(**self.stay)
        fallback = self.service_day or self.stay.get("first")
        present = tuple(poa for _, poa in self.diagnoses)
        return {
            **self.fields,
            "dates": Dates(**self.dates),
            "lines": tuple(each.done(fallback) for each in self.lines),
            "diagnoses": tuple(code for code, _ in self.diagnoses),
            "present": present if any(present) else (),
            "others": tuple(OtherCoverage(**each) for each in self.others),
        }


def _claim(form: Form, segment: Segment) -> dict[str, Any]:
    place, _, frequency = [*segment.parts(5), "", "", ""][:3]
    found: dict[str, Any] = {
        "number": segment.get(1),
        "frequency": Frequency(frequency) if frequency in {"7", "8"} else Frequency.ORIGINAL,
        "assigned": segment.get(7) != "C",
        "pays_us": segment.get(8) == "Y",
        "released": segment.get(9) == "Y",
        "predetermination": segment.get(19) == "PB",
        "delay_reason": segment.get(20),
        "clinician": None,
        "place_of_service": "" if form is Form.INSTITUTIONAL else place,
        "bill_type": place if form is Form.INSTITUTIONAL else "",
    }
    *kinds, state = [*segment.parts(11), "", "", "", ""][:4]
    if any(kinds) and form is not Form.INSTITUTIONAL:
        found["accident"] = Accident(tuple(each for each in kinds if each), state=state)
    return found


def _other(segment: Segment) -> dict[str, Any]:
    return {
        "rank": segment.get(1),
        "relationship": segment.get(2),
        "group_number": segment.get(3),
        "secondary_reason": segment.get(5),
        "filing_indicator": segment.get(9),
        "payer_name": "",
        "payer_id": "",
        "member_id": "",
        "first": "",
        "last": "",
    }
