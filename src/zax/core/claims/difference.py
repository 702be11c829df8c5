"""What the record says otherwise than the claim that went out: every point a payer decides by, and nothing
besides, so that a biller sees whether a corrected claim is due.

Both sides are compared as a file spells them, since that is how the payer has them.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from zax.core.claims.claim import Claim, ClaimLine
from zax.core.wording import dollars, typed_day
from zax.core.x12.parties import Person
from zax.core.x12.syntax import clean


@dataclass(frozen=True, slots=True)
class Difference:
    """`what` in words; `was` as it was sent, `now` as the record says it. Empty: not there."""

    what: str
    was: str
    now: str


def differences(sent: Claim, now: Claim) -> list[Difference]:
    """In the order of the claim, its services last."""
    before, after = dict(_points(sent)), dict(_points(now))
    names = {key: key for key in (*before, *after)}
    names |= {line.number: line.code for claim in (now, sent) for line in claim.lines}
    return [
        Difference(name, before.get(key, ""), after.get(key, ""))
        for key, name in names.items()
        if before.get(key, "") != after.get(key, "")
    ]


def _points(claim: Claim) -> Iterator[tuple[str, str]]:
    """(key, text) of each point; a service has its line number for a key."""
    yield "patient", _person(claim.patient)
    if claim.subscriber != claim.patient:
        yield "plan’s holder", _person(claim.subscriber)
    yield "member ID", clean(claim.subscriber.member_id)
    yield "group number", clean(claim.group_number)
    yield "payer", clean(claim.payer.identifier)
    yield "provider", claim.clinician.npi if claim.clinician else ""
    yield "place of service", claim.place_of_service
    yield "diagnoses", ", ".join(claim.diagnoses)
    for line in claim.lines:
        yield line.number, _service(line)


def _person(person: Person) -> str:
    born = typed_day(person.birth) if person.birth else ""
    return ", ".join(filter(None, (clean(person.last), clean(person.first), born, person.sex)))


def _service(line: ClaimLine) -> str:
    what = " ".join(filter(None, (line.code, *line.modifiers)))
    where = " ".join(filter(None, (line.tooth, line.surfaces, line.area, line.place)))
    points = "for " + ", ".join(str(each) for each in line.pointers) if line.pointers else ""
    who = line.rendering.npi if line.rendering else ""
    day = typed_day(line.day) if line.day else ""
    units = f"× {line.units}" if line.units != 1 else ""
    return ", ".join(filter(None, (what, where, points, day, who, f"{dollars(line.cents)} {units}".strip())))
