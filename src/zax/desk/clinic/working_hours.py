"""When people work: weekly rules, exceptions and closures combined for one day when asked, and who has a
column on the Book.

What was worked out is kept as long as the setup is, since every screen asks again.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import date

from zax.core.book.calendar import Closure, DayException, DayHours, WeeklyRule, closed_spans, hours_on
from zax.core.book.hours import Span, without
from zax.core.book.minutes import bits_within
from zax.core.clinic.places import Site
from zax.core.clinic.providers import Provider
from zax.core.clinic.visit_types import VisitType
from zax.store.clinic import queries
from zax.store.engine import Connection


@dataclass(frozen=True, slots=True, kw_only=True)
class WorkingHours:
    """`rules` and `exceptions` are by provider."""

    sites: Mapping[int, Site]
    providers: Mapping[int, Provider]
    rules: Mapping[int, tuple[WeeklyRule, ...]]
    exceptions: Mapping[int, tuple[DayException, ...]]
    closures: tuple[Closure, ...]
    _kept: dict[tuple[int, int, date], DayHours] = field(default_factory=dict)
    _columns: dict[tuple[int, date], list[Provider]] = field(default_factory=dict)
    _teams: dict[int, list[Provider]] = field(default_factory=dict)
    _closed: dict[tuple[int, date], str] = field(default_factory=dict)
    _bits: dict[tuple[int, int, date], int] = field(default_factory=dict)

    def day_hours(self, provider_id: int, site_id: int, day: date) -> DayHours:
        """When this provider works at this site on this day, and why not at other times; kept, since every
        screen asks again.
        """
        key = (provider_id, site_id, day)
        found = self._kept.get(key)
        if found is None:
            gone = provider_id in self.providers and not self.providers[provider_id].here(day)
            found = hours_on(
                () if gone else self.rules.get(provider_id, ()),
                () if gone else self.exceptions.get(provider_id, ()),
                self.closures,
                site_id,
                day,
                self.sites[site_id].timezone,
            )
            self._kept[key] = found
        return found

    def windows(self, provider_id: int, site_id: int, day: date) -> tuple[Span, ...]:
        """When this provider works at this site on this day; empty when not at all."""
        return self.day_hours(provider_id, site_id, day).windows

    def open_bits(self, provider_id: int, site_id: int, day: date) -> int:
        """The same as bits (core/book/minutes), kept: a search for openings asks for a year of everybody."""
        key = (provider_id, site_id, day)
        if key not in self._bits:
            self._bits[key] = bits_within(self.windows(provider_id, site_id, day))
        return self._bits[key]

    def closure_words(self, site_id: int, day: date) -> str:
        """Why the site is shut for the whole of its day; empty when it is not."""
        if (site_id, day) not in self._closed:
            spans = closed_spans(self.closures, site_id, day)
            still_open = not spans or without([self.sites[site_id].day], [span for span, _ in spans])
            self._closed[site_id, day] = "" if still_open else spans[0][1]
        return self._closed[site_id, day]

    def elsewhere(self, provider_id: int, site_id: int, day: date) -> list[tuple[Span, str]]:
        """When the provider works at another site that day, with its name."""
        sites = {rule.site_id for rule in self.rules.get(provider_id, ())} | {
            e.site_id for e in self.exceptions.get(provider_id, ()) if e.site_id
        }
        return [
            (span, self.sites[other].name)
            for other in sorted(sites - {site_id})
            for span in self.windows(provider_id, other, day)
        ]

    def columns(self, site_id: int, day: date) -> list[Provider]:
        """The providers who work at the site that day, in the clinic's order; on a closed day those who
        would.
        """
        if (site_id, day) not in self._columns:
            team = self.team(site_id)
            self._columns[site_id, day] = [p for p in team if self.windows(p.id, site_id, day)] or team
        return list(self._columns[site_id, day])

    def team(self, site_id: int) -> list[Provider]:
        """Everybody who ever works at the site, by weekly rule or for once."""
        if site_id not in self._teams:
            self._teams[site_id] = self._find_team(site_id)
        return list(self._teams[site_id])

    def _find_team(self, site_id: int) -> list[Provider]:
        regular = {
            number for number, rules in self.rules.items() if any(rule.site_id == site_id for rule in rules)
        }
        once = {
            number
            for number, given in self.exceptions.items()
            if any(e.extra and e.site_id == site_id for e in given)
        }
        return [p for p in self.providers.values() if p.id in regular or p.id in once]

    def leads(self, kind: VisitType, site_id: int) -> list[Provider]:
        return [p for p in self.team(site_id) if p.role == kind.role]


def load_hours(
    connection: Connection, sites: Mapping[int, Site], providers: Mapping[int, Provider]
) -> WorkingHours:
    rules, exceptions = queries.weekly_rules(connection), queries.day_exceptions(connection)
    return WorkingHours(
        sites=sites,
        providers=providers,
        rules=rules,
        exceptions=exceptions,
        closures=queries.closures(connection),
    )
