"""The clinic's setup as read from the database: sites, rooms, providers, hours, visit types, services.

It changes seldom and every page needs it, so a process reads it once and again when the feed says that setup changed.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import date
from typing import Any

from sqlalchemy import Connection, select

from zax.core.arrivals.conditions import HeadsUp, compile_condition
from zax.core.arrivals.forms import Block, blocks_from
from zax.core.arrivals.stages import Stage
from zax.core.arrivals.steps import Step, StepKind, for_whom_from
from zax.core.book.booking import StaffNeed
from zax.core.book.calendar import Closure, DayException, DayHours, Pattern, WeeklyRule, closed_spans, hours_on
from zax.core.book.hours import Span, gaps
from zax.core.charges.lines import ServiceRule
from zax.core.charges.teeth import Numbering
from zax.core.coverage.benefits import Benefits, benefits_from
from zax.core.coverage.fees import FeeSchedule, allowed_fees
from zax.core.errors import Refused
from zax.desk.moneysetup import MoneySetup, load_money
from zax.store import schema

VERSION = "setup_version"


@dataclass(frozen=True, slots=True)
class Site:
    id: int
    name: str
    timezone: str
    address: tuple[str, str, str, str]
    phone: str
    day: Span
    grid: int
    place: str


@dataclass(frozen=True, slots=True)
class Room:
    id: int
    site_id: int
    name: str
    dental: bool
    equipment: frozenset[str]
    active: bool


@dataclass(frozen=True, slots=True)
class Provider:
    id: int
    first: str
    last: str
    name: str
    short: str
    role: str
    dental: bool
    npi: str
    taxonomy: str
    room_id: int
    at_once: int


@dataclass(frozen=True, slots=True)
class Service:
    id: int
    code: str
    words: str
    dental: bool
    category: str
    fee_cents: int
    rule: ServiceRule
    retired_on: date | None

    def offered(self, day: date) -> bool:
        """Whether the code may be used for a visit of that day."""
        return self.retired_on is None or day < self.retired_on


@dataclass(frozen=True, slots=True)
class VisitType:
    """`role` leads it; `needs` are the others. `services` are its own and those of its service set. `hours` limit when it may begin and end.

    `for_whom` is all, new or known; `web` is no, firm or held; `most` and `goal` are visits a day at one site, 0 for none.
    """

    id: int
    name: str
    dental: bool
    minutes: int
    role: str
    needs: tuple[StaffNeed, ...]
    lead_parts: tuple[tuple[int, int], ...]
    services: tuple[int, ...]
    own_services: tuple[int, ...]
    set_id: int
    buffer: int
    hours: tuple[tuple[frozenset[int], Span], ...]
    equipment: frozenset[str]
    room_ids: frozenset[int]
    most: int
    goal: int
    ask_after: int
    for_whom: str
    web: str
    doubles: bool
    active: bool
    recall_months: int
    version: int

    def allows(self, day: date, span: Span) -> bool:
        """Whether the type may be booked then."""
        return not self.hours or any(day.weekday() in days and span.within(window) for days, window in self.hours)

    def may_use(self, room: Room) -> bool:
        fitting = not self.room_ids or room.id in self.room_ids
        return room.active and room.dental == self.dental and fitting and self.equipment <= room.equipment


@dataclass(frozen=True, slots=True)
class ServiceSet:
    id: int
    name: str
    dental: bool
    services: tuple[int, ...]
    active: bool


@dataclass(frozen=True, slots=True)
class Plan:
    id: int
    payer_id: int
    payer_name: str
    name: str
    dental: bool
    benefits: Benefits
    active: bool
    version: int
    note: str


@dataclass(frozen=True, slots=True)
class ArrivalStep:
    """A step of the check-in list with what only the setup page needs."""

    step: Step
    position: int
    active: bool


@dataclass(frozen=True, slots=True)
class HeadsUpSetup:
    """A heads-up compiled, beside its condition as it is edited."""

    headsup: HeadsUp
    condition: Mapping[str, Any]
    active: bool
    version: int


@dataclass(frozen=True, slots=True)
class FormTemplate:
    """A form as it is signed now; `again_months` of 0: once is enough."""

    id: int
    name: str
    blocks: tuple[Block, ...]
    again_months: int
    active: bool
    version: int


@dataclass(frozen=True, slots=True)
class Clinic:
    """Everything by id. `about` holds the clinic's own names and numbers (see zax.demo.world for its keys)."""

    about: Mapping[str, Any]
    sites: Mapping[int, Site]
    rooms: Mapping[int, Room]
    providers: Mapping[int, Provider]
    rules: Mapping[int, tuple[WeeklyRule, ...]]
    exceptions: Mapping[int, tuple[DayException, ...]]
    closures: tuple[Closure, ...]
    services: Mapping[int, Service]
    sets: Mapping[int, ServiceSet]
    types: Mapping[int, VisitType]
    plans: Mapping[int, Plan]
    payers: Mapping[int, Any]
    schedules: tuple[FeeSchedule, ...]
    out_of_network: frozenset[tuple[int, int]]
    flags: Mapping[int, Any]
    money: MoneySetup
    fees: Mapping[str, int]
    stages: Mapping[int, Stage]
    steps: Mapping[int, ArrivalStep]
    headsups: Mapping[int, HeadsUpSetup]
    forms: Mapping[int, FormTemplate]
    _allowed: dict[tuple[int, int, int, bool, date], dict[str, int]]
    _hours: dict[tuple[int, int, date], DayHours]
    _columns: dict[tuple[int, date], list[Provider]]
    _closed: dict[tuple[int, date], str]

    @property
    def first_site(self) -> Site:
        """The one whose name, address and clock stand for the clinic where no site is chosen."""
        return next(iter(self.sites.values()))

    def day_hours(self, provider_id: int, site_id: int, day: date) -> DayHours:
        """When this provider works at this site on this day, and why not at other times; kept, since every screen asks again."""
        key = (provider_id, site_id, day)
        found = self._hours.get(key)
        if found is None:
            found = hours_on(
                self.rules.get(provider_id, ()), self.exceptions.get(provider_id, ()), self.closures, site_id, day, self.sites[site_id].timezone,
            )  # fmt: skip
            self._hours[key] = found
        return found

    def windows(self, provider_id: int, site_id: int, day: date) -> tuple[Span, ...]:
        """When this provider works at this site on this day; empty when not at all."""
        return self.day_hours(provider_id, site_id, day).windows

    def closure_words(self, site_id: int, day: date) -> str:
        """Why the site is shut for the whole of its day; empty when it is not."""
        if (site_id, day) not in self._closed:
            spans = closed_spans(self.closures, site_id, day)
            still_open = not spans or gaps([self.sites[site_id].day], [span for span, _ in spans])
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

    def allowed(
        self, payer_id: int, plan_id: int, provider_id: int, in_network: bool, day: date
    ) -> Mapping[str, int]:
        """Contract fees in cents by service code, as `allowed_fees` finds them; kept, since every estimate asks."""
        key = (payer_id, plan_id, provider_id, in_network, day)
        if key not in self._allowed:
            if len(self._allowed) > 5_000:
                self._allowed.clear()
            self._allowed[key] = allowed_fees(self.schedules, *key)
        return self._allowed[key]

    def columns(self, site_id: int, day: date) -> list[Provider]:
        """The providers who work at the site that day, in the clinic's order; on a closed day those who would."""
        if (site_id, day) not in self._columns:
            team = self.team(site_id)
            self._columns[site_id, day] = [p for p in team if self.windows(p.id, site_id, day)] or team
        return list(self._columns[site_id, day])

    def team(self, site_id: int) -> list[Provider]:
        """Everybody who ever works at the site, by weekly rule or for once."""
        regular = {number for number, rules in self.rules.items() if any(rule.site_id == site_id for rule in rules)}
        once = {
            number
            for number, given in self.exceptions.items()
            if any(e.extra and e.site_id == site_id for e in given)
        }
        return [p for p in self.providers.values() if p.id in regular or p.id in once]

    def leads(self, kind: VisitType, site_id: int) -> list[Provider]:
        return [p for p in self.team(site_id) if p.role == kind.role]

    def rooms_for(self, kind: VisitType, site_id: int, first: int = 0) -> list[Room]:
        """The rooms of the site that the type may use, `first` (a room id) before the others."""
        fitting = [room for room in self.rooms.values() if room.site_id == site_id and kind.may_use(room)]
        return sorted(fitting, key=lambda room: room.id != first)

    @property
    def version(self) -> int:
        """Raised with every change of the setup; a process that has an older one reads it again."""
        return int(self.about.get(VERSION, 0))

    @property
    def wait_limit(self) -> int:
        """Minutes a patient may wait before it shows as too long."""
        return int(self.about.get("wait_limit_minutes", 10))

    @property
    def late_limit(self) -> int:
        """Minutes after their time from which somebody expected counts as late and is to be called."""
        return int(self.about.get("late_limit_minutes", 10))

    @property
    def numbering(self) -> Numbering:
        """How teeth are written on the screen."""
        return Numbering(self.about.get("tooth_numbering", Numbering.UNIVERSAL))

    def find_service(self, service_id: int) -> Service:
        """Refused, beside `service`, for one that does not exist."""
        service = self.services.get(service_id)
        if service is None:
            raise Refused("Choose a service from the list.", "service")
        return service


def load(connection: Connection) -> Clinic:
    """Read the whole setup; raises LookupError for a database without a clinic."""

    def read(table: Any, *order: Any) -> list[Any]:
        return list(connection.execute(select(table).order_by(*order or (table.c.id,))).all())

    about = {row.name: row.value for row in read(schema.setting, schema.setting.c.name)}
    payers = {row.id: row for row in read(schema.payer)}
    sets = _sets(
        read(schema.service_set, schema.service_set.c.position),
        read(schema.service_set_line, schema.service_set_line.c.position),
    )
    return Clinic(
        about=about,
        sites={
            s.id: Site(s.id, s.name, s.timezone, (s.street, s.city, s.state, s.zip), s.phone, Span(s.opens_min, s.closes_min), s.grid_minutes, s.place)
            for s in read(schema.site)
        },
        rooms={r.id: Room(r.id, r.site_id, r.name, r.dental, frozenset(r.equipment), r.active) for r in read(schema.room, schema.room.c.position)},
        providers={
            p.id: Provider(p.id, p.first, p.last, p.name, p.short, p.role, p.dental, p.npi, p.taxonomy, p.room_id, p.at_once)
            for p in read(schema.provider, schema.provider.c.position)
        },
        rules=_rules(read(schema.provider_hours, schema.provider_hours.c.start_min)),
        exceptions=_exceptions(read(schema.provider_exception)),
        closures=tuple(
            Closure(c.starts, c.ends, c.words, c.site_id) for c in read(schema.closure, schema.closure.c.starts) if c.ended_at is None
        ),
        services={
            s.id: Service(
                s.id, s.code, s.words, s.dental, s.category, s.fee_cents, ServiceRule(s.code, s.dental, s.needs_tooth, s.surfaces, teeth=s.teeth, area=s.area), s.retired_on,
            )
            for s in read(schema.service, schema.service.c.code)
        },
        sets=sets,
        types=_types(read(schema.visit_type, schema.visit_type.c.position), read(schema.visit_type_service, schema.visit_type_service.c.position), sets),
        plans={
            p.id: Plan(
                p.id, p.payer_id, payers[p.payer_id].name, p.name, p.dental,
                benefits_from(p.name, p.terms), p.active, p.version, p.note,
            )
            for p in read(schema.plan)
        },
        payers=payers,
        schedules=_schedules(read(schema.fee_schedule), read(schema.fee, schema.fee.c.schedule_id), {s.id: s.code for s in read(schema.service)}),
        out_of_network=frozenset((r.payer_id, r.provider_id) for r in read(schema.out_of_network, schema.out_of_network.c.payer_id)),
        flags={f.id: f for f in read(schema.flag, schema.flag.c.position)},
        money=load_money(connection, about),
        fees={s.code: s.fee_cents for s in read(schema.service)},
        stages={s.id: Stage(s.id, s.name, s.whose, s.dental, s.active) for s in read(schema.stage, schema.stage.c.position)},
        steps={
            s.id: ArrivalStep(Step(s.id, StepKind(s.kind), s.words, s.note, s.required, for_whom_from(s.for_whom), s.template_id), s.position, s.active)
            for s in read(schema.arrival_step, schema.arrival_step.c.position, schema.arrival_step.c.id)
        },
        headsups={
            h.id: HeadsUpSetup(
                HeadsUp(h.id, h.words, h.todo, frozenset(h.places), compile_condition(h.condition), h.warns), h.condition, h.active, h.version
            )
            for h in read(schema.headsup, schema.headsup.c.position, schema.headsup.c.id)
        },
        forms={
            f.id: FormTemplate(f.id, f.name, blocks_from(f.blocks), f.again_months, f.active, f.version)
            for f in read(schema.form_template)
        },
        _allowed={},
        _hours={},
        _columns={},
        _closed={},
    )  # fmt: skip


def _schedules(found: list[Any], fees: list[Any], codes: Mapping[int, str]) -> tuple[FeeSchedule, ...]:
    by_schedule: dict[int, dict[str, int]] = {}
    for row in fees:
        by_schedule.setdefault(row.schedule_id, {})[codes[row.service_id]] = row.cents
    return tuple(
        FeeSchedule(
            s.id,
            s.name,
            by_schedule.get(s.id, {}),
            s.payer_id,
            s.plan_id,
            s.provider_id,
            s.network,
            s.from_day,
            s.to_day,
        )
        for s in found
        if s.ended_at is None
    )


def _rules(found: list[Any]) -> dict[int, tuple[WeeklyRule, ...]]:
    rules: dict[int, tuple[WeeklyRule, ...]] = {}
    for row in found:
        rule = WeeklyRule(
            row.site_id,
            row.weekday,
            Span(row.start_min, row.end_min),
            Pattern(row.pattern),
            row.from_day,
            row.to_day,
            row.rest,
        )
        rules[row.provider_id] = (*rules.get(row.provider_id, ()), rule)
    return rules


def _exceptions(found: list[Any]) -> dict[int, tuple[DayException, ...]]:
    made: dict[int, tuple[DayException, ...]] = {}
    for row in found:
        if row.ended_at is None:
            each = DayException(
                row.from_day, row.to_day, Span(row.start_min, row.end_min), row.words, row.extra, row.site_id
            )
            made[row.provider_id] = (*made.get(row.provider_id, ()), each)
    return made


def _by(rows: list[Any], owner: str) -> dict[int, tuple[int, ...]]:
    """Service ids by the set or type that brings them."""
    found: dict[int, tuple[int, ...]] = {}
    for row in rows:
        number = getattr(row, owner)
        found[number] = (*found.get(number, ()), row.service_id)
    return found


def _sets(found: list[Any], lines: list[Any]) -> dict[int, ServiceSet]:
    services = _by(lines, "set_id")
    return {row.id: ServiceSet(row.id, row.name, row.dental, services.get(row.id, ()), row.active) for row in found}


def _types(found: list[Any], services: list[Any], sets: Mapping[int, ServiceSet]) -> dict[int, VisitType]:
    by_type = _by(services, "type_id")

    def made(t: Any) -> VisitType:
        own = by_type.get(t.id, ())
        brought = sets[t.set_id].services if t.set_id in sets else ()
        return VisitType(
            t.id, t.name, t.dental, t.minutes, t.role, staff_needs(t.staff_needs), tuple((a, b) for a, b in t.lead_parts),
            tuple(dict.fromkeys((*own, *brought))), own, t.set_id or 0, t.buffer_min,
            tuple((frozenset(h["weekdays"]), Span(h["start"], h["end"])) for h in t.hours), frozenset(t.equipment), frozenset(t.room_ids),
            t.most_a_day, t.goal_a_day, t.ask_after_days, t.for_whom, t.web, t.doubles, t.active, t.recall_months, t.version,
        )  # fmt: skip

    return {t.id: made(t) for t in found}


def staff_needs(rows: list[dict[str, Any]]) -> tuple[StaffNeed, ...]:
    """Staff needs as the setup keeps them."""
    return tuple(
        StaffNeed(row["role"], row["minutes"], tuple(row["offsets"]), row["words"], row["same_as"]) for row in rows
    )
