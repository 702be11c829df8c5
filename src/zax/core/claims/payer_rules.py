"""What one payer wants of its claims, as data that a biller edits: a field, a condition, how grave it is, and
the sentence that is said.

A rule reads "for these codes, FIELD must be CONDITION". The fields and conditions are few and fixed, so that
whatever is saved can be tried on a claim and never fails later.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass
from enum import StrEnum

from zax.core.claims.claim import Claim, ClaimLine
from zax.core.claims.finding import Strength
from zax.core.coverage.code_patterns import check_codes, names
from zax.core.errors import Refused


class Condition(StrEnum):
    GIVEN = "given"
    ABSENT = "absent"
    SHAPED = "shaped"
    ONE_OF = "one_of"
    AT_MOST = "at_most"


CONDITION_WORDS = {
    Condition.GIVEN: "must be there",
    Condition.ABSENT: "must be empty",
    Condition.SHAPED: "must look like",
    Condition.ONE_OF: "must be one of",
    Condition.AT_MOST: "must be at most",
}
# Fields of the whole claim: path, words, and how the claim says it.
CLAIM_FIELDS: Mapping[str, tuple[str, Callable[[Claim], str]]] = {
    "subscriber.member_id": ("Member ID", lambda c: c.subscriber.member_id),
    "subscriber.group": ("Group number", lambda c: c.group_number),
    "subscriber.birth": (
        "Birth date of the plan’s holder",
        lambda c: str(c.subscriber.birth or ""),
    ),
    "authorization": ("Authorization", lambda c: c.authorization),
    "referral": ("Referral number", lambda c: c.referral),
    "referring": ("Referring provider", lambda c: c.referring.npi if c.referring else ""),
    "note": ("Note to the payer", lambda c: c.note),
    "attachments": ("Attachments", lambda c: " ".join(paper.kind for paper in c.attachments)),
    "place": ("Place of service", lambda c: c.place_of_service),
    "rendering.taxonomy": ("Provider’s taxonomy", lambda c: c.clinician.taxonomy if c.clinician else ""),
    "dates.onset": ("Date it began", lambda c: str(c.dates.onset or "")),
}
# Fields of each service.
LINE_FIELDS: Mapping[str, tuple[str, Callable[[ClaimLine], str]]] = {
    "modifiers": ("Modifiers", lambda line: " ".join(line.modifiers)),
    "units": ("Units", lambda line: str(line.units)),
    "tooth": ("Tooth", lambda line: line.tooth),
    "surfaces": ("Surfaces", lambda line: line.surfaces),
    "area": ("Area of the mouth", lambda line: line.area),
    "ndc": ("Drug code (NDC)", lambda line: line.drug.ndc if line.drug else ""),
    "note": ("Note on the service", lambda line: line.note),
}
FIELD_WORDS = {path: words for path, (words, _) in CLAIM_FIELDS.items()} | {
    f"lines.{path}": words for path, (words, _) in LINE_FIELDS.items()
}


@dataclass(frozen=True, slots=True, kw_only=True)
class PayerRule:
    """`codes` are services it is about, exact (D2740) or by their beginning (D27*); none: all of them.
    `value` is the pattern, the list or the number of its condition.
    """

    field: str
    condition: Condition
    strength: Strength
    sentence: str
    value: str = ""
    codes: tuple[str, ...] = ()


def checked_rule(rule: PayerRule) -> PayerRule:
    """The rule as it may be saved. Refused beside its field."""
    if rule.field not in FIELD_WORDS:
        raise Refused("Choose what the rule looks at.", "field")
    if not rule.sentence.strip():
        raise Refused("Write what should be said when it doesn’t hold.", "sentence")
    if rule.condition in {Condition.SHAPED, Condition.ONE_OF, Condition.AT_MOST} and not rule.value.strip():
        raise Refused(f"What {CONDITION_WORDS[rule.condition]} needs a value.", "value")
    if rule.condition is Condition.AT_MOST and not rule.value.strip().isdecimal():
        raise Refused("At most needs a whole number.", "value")
    check_codes(rule.codes, "codes")
    return rule


def broken(rule: PayerRule, claim: Claim) -> Iterator[str]:
    """The path of everything on the claim that does not keep the rule."""
    about = [(at, line) for at, line in enumerate(claim.lines, 1)]
    lines = [(at, line) for at, line in about if not rule.codes or names(rule.codes, line.code)]
    if not lines:
        return
    if rule.field.startswith("lines."):
        field = rule.field.removeprefix("lines.")
        read = LINE_FIELDS[field][1]
        yield from (f"lines.{at}.{field}" for at, line in lines if not _holds(rule, read(line)))
    elif not _holds(rule, CLAIM_FIELDS[rule.field][1](claim)):
        yield rule.field


def _holds(rule: PayerRule, said: str) -> bool:
    """A shape says letters as A, digits as 9, anything else as itself, and any number of anything as *."""
    wanted = rule.value.strip().upper()
    match rule.condition:
        case Condition.GIVEN:
            return bool(said)
        case Condition.ABSENT:
            return not said
        case Condition.SHAPED:
            return re.fullmatch(_pattern(wanted), said.upper()) is not None
        case Condition.ONE_OF:
            return said.upper() in re.split(r"[\s,;]+", wanted)
        case Condition.AT_MOST:
            return not said.isdecimal() or int(said) <= int(wanted)


def _pattern(shape: str) -> str:
    parts = {"A": "[A-Z]", "9": "[0-9]", "*": ".*"}
    return "".join(parts.get(letter, re.escape(letter)) for letter in shape)
