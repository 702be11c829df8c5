"""What a clinic can begin with: visit types, services, check-in steps, forms and the rest, so that its first
day is not spent typing. All of it can be changed in Setup afterwards.

A starter set names things by their words and codes; whoever writes it gives them their numbers. Services have
no fees: those are the clinic's own, and a guess would end up on somebody's bill.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, fields, replace
from enum import StrEnum
from typing import Any

from zax.core.followup.recall import RecallType
from zax.core.json import Json


class Kind(StrEnum):
    """What the clinic does."""

    DENTAL = "dental"
    MEDICAL = "medical"
    BOTH = "both"


KIND_WORDS = {Kind.DENTAL: "Dental", Kind.MEDICAL: "Medical", Kind.BOTH: "Dental and medical"}


@dataclass(frozen=True, slots=True)
class StarterService:
    """`done_on` and `surfaces` as in `charges.new_service`; `teeth` which teeth it is for."""

    code: str
    words: str
    category: str
    done_on: str = ""
    surfaces: int = 0
    teeth: str = ""


@dataclass(frozen=True, slots=True)
class StarterType:
    """`helper` is who is needed besides: role, minutes, where in the visit they may begin (the best first).
    `more` are further columns of the type.
    """

    name: str
    minutes: int
    role: str
    services: Sequence[str]
    helper: tuple[str, int, Sequence[int]] | None = None
    more: Json | None = None


@dataclass(frozen=True, slots=True)
class StarterStage:
    name: str
    whose: str
    dental: bool


@dataclass(frozen=True, slots=True)
class StarterForm:
    """`again_months` after which it is signed again, 0 for never."""

    name: str
    blocks: Sequence[Json]
    again_months: int


@dataclass(frozen=True, slots=True)
class StarterStep:
    """`types` are names of visit types, none for every visit; `form` names the form to sign."""

    kind: str
    words: str
    required: bool = False
    yearly: bool = False
    new: bool = False
    types: Sequence[str] = ()
    form: str = ""


@dataclass(frozen=True, slots=True)
class StarterHeadsUp:
    words: str
    todo: str
    places: Sequence[str]
    condition: Json
    warns: bool = False


@dataclass(frozen=True, slots=True)
class StarterRecall:
    """`kind` has no visit type yet: `type_name` says which."""

    kind: RecallType
    type_name: str


@dataclass(frozen=True, slots=True)
class StarterReturn:
    words: str
    by_when: str
    for_whom: str
    urgent: bool
    type_name: str


@dataclass(frozen=True, slots=True)
class StarterSet:
    """`bundles` are service sets: name and codes. `flags` are words and whether they warn."""

    services: Sequence[StarterService] = ()
    types: Sequence[StarterType] = ()
    bundles: Sequence[tuple[str, Sequence[str]]] = ()
    stages: Sequence[StarterStage] = ()
    forms: Sequence[StarterForm] = ()
    steps: Sequence[StarterStep] = ()
    heads_ups: Sequence[StarterHeadsUp] = ()
    recalls: Sequence[StarterRecall] = ()
    returns: Sequence[StarterReturn] = ()
    flags: Sequence[tuple[str, bool]] = ()
    write_offs: Sequence[str] = ()
    notes: Sequence[tuple[str, str]] = ()


def together(*sets: StarterSet) -> StarterSet:
    """One after the other; what two of them have under the same name comes once, its visit types from
    both.
    """
    kept: StarterSet = StarterSet()
    for each in sets:
        kept = replace(
            kept,
            **{one.name: _joined(getattr(kept, one.name), getattr(each, one.name)) for one in fields(kept)},
        )
    return kept


def _joined(first: Sequence[Any], second: Sequence[Any]) -> Sequence[Any]:
    known = {_name(each) for each in first}
    return (*first, *(each for each in second if _name(each) not in known))


def _name(each: Any) -> str:
    """What a row goes by among its kind."""
    if isinstance(each, str):
        return each
    if isinstance(each, tuple):
        return str(each[0])
    if isinstance(each, StarterRecall):
        return each.kind.name
    return str(getattr(each, "code", "") or getattr(each, "name", "") or each.words)
