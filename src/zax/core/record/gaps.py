"""Record gaps: what is missing before this patient can be reached, treated or billed, in words, with the
field that fixes it.

Each purpose has its own list; what stops money or a call comes before what is merely good to have. Screens
that show many patients give only the facts they have read; what is None is not asked.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date
from enum import StrEnum

from zax.core.patients.own_fields import OwnField


class Purpose(StrEnum):
    REACH = "reach"
    TREAT = "treat"
    BILL = "bill"
    OWN = "own"


PURPOSE_WORDS = {
    Purpose.REACH: "to reach them",
    Purpose.TREAT: "to treat them",
    Purpose.BILL: "to bill",
    Purpose.OWN: "for the clinic",
}


@dataclass(frozen=True, slots=True)
class Gap:
    """`section` is the part of the record that holds the field; `coverage_id` the coverage, where it is one
    of those.
    """

    field: str
    words: str
    purpose: Purpose = Purpose.BILL
    section: str = "name"
    coverage_id: int = 0


@dataclass(frozen=True, slots=True, kw_only=True)
class CoverFacts:
    """One coverage as the gaps need it; `own` when the patient is the subscriber."""

    id: int
    words: str
    member_id: str
    own: bool = True
    holder_birth: date | None = None
    holder_address: str = ""
    group: str = ""
    needs_group: bool = False


@dataclass(frozen=True, slots=True, kw_only=True)
class Facts:
    """What is on file. `None` means: not looked up, do not ask for it. `unreachable` is, by field, why
    nothing arrives there; `own` are the clinic's own fields that should be filled in and are not.
    """

    birth: date | None
    sex: str
    phone: str
    street: str
    zip: str | None = None
    other_phones: str = ""
    texts_go: str | None = None
    emergency: str | None = None
    coverages: Sequence[CoverFacts] | None = None
    unreachable: Mapping[str, str] = field(default_factory=dict)
    own: Sequence[OwnField] = ()


def record_gaps(facts: Facts, purpose: Purpose | None = None) -> list[Gap]:
    """The most pressing first; empty when nothing is missing. `purpose` limits it to one."""
    return [gap for gap in _all(facts) if purpose is None or gap.purpose == purpose]


def _all(facts: Facts) -> Iterator[Gap]:
    if facts.birth is None:
        yield Gap("birth", "no birth date")
    if not facts.street:
        yield Gap("street", "no address", section="address")
    elif facts.zip == "":
        yield Gap("zip", "address without ZIP code", section="address")
    if not facts.sex:
        yield Gap("sex", "no sex on file")
    if not facts.phone:
        words = "no mobile number" if facts.other_phones else "no phone"
        yield Gap("phone", words, Purpose.REACH, "reach")
    if facts.texts_go == "":
        yield Gap("texts_to", "texts go to a missing number", Purpose.REACH, "reach")
    for name, why in facts.unreachable.items():
        yield Gap(name, why, Purpose.REACH, "reach")
    for cover in facts.coverages or ():
        yield from _of_coverage(cover)
    if facts.emergency == "":
        yield Gap("emergency_name", "no emergency contact", Purpose.TREAT, "person")
    for each in facts.own:
        yield Gap(each.name, f"{each.words}: not entered", Purpose.OWN, each.section)


def _of_coverage(cover: CoverFacts) -> Iterator[Gap]:
    def gap(name: str, words: str) -> Gap:
        return Gap(name, f"{cover.words}: {words}", Purpose.BILL, "coverage", cover.id)

    if not cover.member_id:
        yield gap("member_id", "no member ID")
    if cover.needs_group and not cover.group:
        yield gap("group_number", "no group number")
    if not cover.own and cover.holder_birth is None:
        yield gap("holder_birth", "holder’s birth date")
    if not cover.own and not cover.holder_address:
        yield gap("holder_street", "holder’s address")
