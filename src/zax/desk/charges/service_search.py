"""One box for what was done: planned work, sets and services by code or words, typing mistakes forgiven, what
fits the tooth and the surfaces first (zax.core.charges.service_words).
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from datetime import date

from zax.core.charges.service_words import LIKE, ServiceWords, likeness, rank
from zax.desk.clinic.clinic import Clinic
from zax.store.book.records import PlannedService

MOST = 8


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
        if fits and (not wanted or likeness(wanted, service.code, service.words) >= LIKE):
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
        if each.active and each.dental == dental and likeness(wanted, "", each.name) >= LIKE:
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
        (rank(typed, service.rule, alike), service)
        for service in clinic.services.values()
        if service.dental == dental
        and service.offered(day)
        and (alike := likeness(wanted, service.code, service.words)) >= LIKE
    ]
    scored.sort(key=lambda pair: (-pair[0], pair[1].code))
    made += [
        Hit(
            choice=f"service:{s.id}", group="Services", code=s.code, words=s.words, note="", cents=s.fee_cents
        )
        for _, s in scored[:MOST]
    ]
    return made
