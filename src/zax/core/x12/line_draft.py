"""One service while its segments are read: loops 2400 to 2430 fill a draft, which becomes a `ClaimLine`."""

from __future__ import annotations

from dataclasses import replace
from datetime import date
from decimal import Decimal, InvalidOperation
from typing import Any

from zax.core.claims.claim import ClaimLine, Form
from zax.core.claims.parts import Drug, LineDecision
from zax.core.x12.claim_codes import LINE_PEOPLE
from zax.core.x12.draft import Draft
from zax.core.x12.syntax import Segment

# X12 type R of eight digits is the most a unit count may have.
MOST_UNITS = 10**8


class LineDraft(Draft):
    def __init__(self, number: str, form: Form, segment: Segment, problems: list[str]) -> None:
        super().__init__(number, segment, problems)
        self.form = form
        self.fields |= {"number": "", "code": "", "cents": 0, "units": 1, "day": None}
        self.decided: list[LineDecision] = []

    def take(self, segment: Segment) -> None:
        self.segment = segment
        line = self.fields
        match segment.id:
            case "SV1" | "SV2" | "SV3":
                self.service()
            case "TOO":
                line["tooth"] = ",".join(filter(None, (line.get("tooth", ""), segment.get(2))))
                line["surfaces"] = line.get("surfaces", "") or "".join(segment.parts(3))
            case "DTP":
                self.dated(segment.get(1), segment.get(3))
            case "REF" if segment.get(1) == "6R":
                line["number"] = segment.get(2)
            case "NTE" if not line.get("note"):
                line["note"] = segment.get(2)
            case "PS1":
                line |= {"purchased_npi": segment.get(1), "purchased_cents": self.cents(2)}
            case "LIN":
                line["drug"] = Drug(segment.get(3), "", "")
            case "CTP" if line.get("drug"):
                line["drug"] = replace(line["drug"], quantity=segment.get(4), unit=segment.parts(5)[0])
            case "NM1" | "PRV" | "N3" | "N4":
                self.person(LINE_PEOPLE[self.form])
            case _:
                self.decision()

    def service(self) -> None:
        """SV1, SV2 and SV3 say the same in other places."""
        segment, line = self.segment, self.fields
        institutional = segment.id == "SV2"
        _, code, *more = [*segment.parts(2 if institutional else 1), ""]
        line |= {
            "code": code,
            "modifiers": tuple(each for each in more[:4] if each),
            "cents": self.cents(3 if institutional else 2),
        }
        if institutional:
            line |= {"revenue": segment.get(1), "basis": segment.get(4) or "UN"}
            line |= {"units": self.units(segment.get(5)), "not_covered_cents": self.cents(7)}
        elif segment.id == "SV1":
            line |= {"basis": segment.get(3) or "UN", "units": self.units(segment.get(4))}
            line |= {"place": segment.get(5), "pointers": _pointers(segment, 7)}
            line["emergency"] = segment.get(9) == "Y"
        else:
            line |= {"place": segment.get(3), "area": segment.parts(4)[0]}
            line |= {"first_placement": {"I": True, "R": False}.get(segment.get(5))}
            line |= {"units": self.units(segment.get(6)), "pointers": _pointers(segment, 11)}

    def units(self, text: str) -> int | Decimal:
        try:
            number = Decimal(text or "1")
        except InvalidOperation:
            number = Decimal("NaN")
        if not number.is_finite() or abs(number) > MOST_UNITS:
            self.problems.append(f"{self.segment.id}: {text[:20]!r} is not a number of units.")
            return 1
        return int(number) if number == number.to_integral_value() else number

    def dated(self, qualifier: str, text: str) -> None:
        first, _, last = text.partition("-")
        match qualifier:
            case "472":
                self.fields["day"] = self.day(first)
                self.fields["last"] = self.day(last) if last and last != first else None
            case "441":
                self.fields["placed_before"] = self.day(text)
            case "452":
                self.fields["appliance_on"] = self.day(text)
            case "573":
                self.decide(day=self.day(text))

    def decision(self) -> None:
        """Loop 2430: what an earlier plan decided; SVD opens it."""
        segment = self.segment
        match segment.id:
            case "SVD":
                _, code, *more = [*segment.parts(3), "", ""]
                self.decided.append(
                    LineDecision(
                        payer_id=segment.get(1),
                        paid_cents=self.cents(2),
                        code=code,
                        units=self.units(segment.get(5)),
                        day=date.min,
                        modifiers=tuple(each for each in more[:4] if each),
                    )
                )
            case "CAS" if self.decided:
                self.decide(adjusted=(*self.decided[-1].adjusted, *self.adjustments()))
            case "AMT" if segment.get(1) == "EAF":
                self.decide(left_cents=self.cents(2))

    def decide(self, **known: Any) -> None:
        if self.decided:
            known = {field: value for field, value in known.items() if value is not None}
            self.decided[-1] = replace(self.decided[-1], **known)

    def done(self, fallback: date | None) -> ClaimLine:
        """`fallback` is the claim's day, for a line without one of its own."""
        day = self.fields["day"] or fallback
        return ClaimLine(**(self.fields | {"day": day, "decided": tuple(self.decided)}))


def _pointers(segment: Segment, position: int) -> tuple[int, ...]:
    return tuple(int(each) for each in segment.parts(position) if each.isdecimal())
