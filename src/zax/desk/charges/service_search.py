"""One box for what was done: planned work, sets and services by code or words, typing mistakes forgiven. A
tooth typed before counts.

'14 mo filling' is tooth 14, surfaces M and O, and whatever is like “filling”.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from datetime import date

from rapidfuzz import fuzz

from zax.core.charges.teeth import TEETH, Numbering, read_tooth
from zax.core.clinic.services import Service
from zax.desk.clinic.clinic import Clinic
from zax.store.book.records import PlannedService

MOST = 8
LIKE = 75
_TOOTH = re.compile(
    r"(?P<tooth>[0-9]{1,2}|[A-Ta-t])(?:\s+(?P<surfaces>[MODIBFLmodibfl]{1,5}))?(?:\s+(?P<rest>.*))?", re.S
)


@dataclass(frozen=True, slots=True)
class ServiceWords:
    """What was typed, taken apart: a universal tooth number, surfaces, and the words to look for."""

    tooth: str
    surfaces: str
    words: str


@dataclass(frozen=True, slots=True, kw_only=True)
class Hit:
    """One row of the list. `choice` is planned:ID, set:ID or service:ID; `note` what stands behind the words;
    cents of the fee.
    """

    choice: str
    group: str
    code: str
    words: str
    note: str
    cents: int


def take_apart(text: str, numbering: Numbering) -> ServiceWords:
    """A tooth and surfaces at the beginning, if there are any; a code such as 99213 is never taken for a
    tooth.
    """
    found = _TOOTH.fullmatch(text.strip())
    tooth = read_tooth(found["tooth"], numbering) if found else ""
    if found is None or tooth not in TEETH:
        return ServiceWords("", "", text.strip())
    return ServiceWords(tooth, (found["surfaces"] or "").upper(), (found["rest"] or "").strip())


def find_hits(
    clinic: Clinic,
    typed: ServiceWords,
    dental: bool,
    day: date,
    planned: Sequence[PlannedService],
    show_tooth: Callable[[str], str],
) -> list[Hit]:
    """Planned work first, then sets, then services; nothing typed lists what is planned."""
    wanted = typed.words.lower()
    made: list[Hit] = []
    for row in planned:
        service = clinic.services[row.service_id]
        fits = service.dental == dental and (not typed.tooth or row.tooth == typed.tooth)
        if fits and (not wanted or _likeness(wanted, service) >= LIKE):
            note = f"tooth {show_tooth(row.tooth)} {row.surfaces}".strip() if row.tooth else ""
            made.append(
                Hit(
                    choice=f"planned:{row.id}",
                    group="Planned",
                    code=service.code,
                    words=service.words,
                    note=note,
                    cents=service.fee_cents,
                )
            )
    if not wanted:
        return made[:MOST]
    for each in clinic.sets.values():
        if each.active and each.dental == dental and _words_likeness(wanted, each.name.lower()) >= LIKE:
            cents = sum(clinic.services[n].fee_cents for n in each.services)
            made.append(
                Hit(
                    choice=f"set:{each.id}",
                    group="Service sets",
                    code="set",
                    words=each.name,
                    note=f"{len(each.services)} services",
                    cents=cents,
                )
            )
    scored = [
        (score, service)
        for service in clinic.services.values()
        if service.dental == dental and service.offered(day) and (score := _likeness(wanted, service)) >= LIKE
    ]
    scored.sort(key=lambda pair: (-pair[0], pair[1].code))
    made += [
        Hit(
            choice=f"service:{s.id}", group="Services", code=s.code, words=s.words, note="", cents=s.fee_cents
        )
        for _, s in scored[:MOST]
    ]
    return made


def _likeness(wanted: str, service: Service) -> float:
    return 101 if service.code.lower().startswith(wanted) else _words_likeness(wanted, service.words.lower())


def _words_likeness(wanted: str, words: str) -> float:
    """How well the worst of the typed words is found, 0 to 100."""
    return min(fuzz.partial_ratio(word, words) for word in wanted.split())
