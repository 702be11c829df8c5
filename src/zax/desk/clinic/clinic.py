"""The clinic's setup as everybody reads it, each kind by its own loader.

It changes seldom and every page needs it, so a process reads it once, and again when its version has been
raised.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import date

from zax.core.arrivals.conditions import HeadsUpSetup
from zax.core.arrivals.forms import FormTemplate
from zax.core.arrivals.stages import Stage
from zax.core.arrivals.steps import ArrivalStep
from zax.core.charges.teeth import Numbering
from zax.core.clinic.places import Room, Site
from zax.core.clinic.providers import Provider
from zax.core.clinic.services import Service, ServiceSet
from zax.core.clinic.visit_types import VisitType
from zax.core.coverage.plan import Payer, Plan
from zax.core.errors import Refused
from zax.core.json import KeptJson
from zax.core.money.rules import MoneyRules
from zax.core.patients.fields import Field, Section
from zax.core.patients.flags import Flag
from zax.core.patients.own_fields import OwnField, sections_with
from zax.core.people.roles import Role
from zax.core.wording import Style
from zax.desk.clinic.contracts import Contracts, load_contracts
from zax.desk.clinic.money_rules import load_money
from zax.desk.clinic.working_hours import WorkingHours, load_hours
from zax.store.arrivals import setup as arrivals
from zax.store.book.stages import stages
from zax.store.clinic import queries
from zax.store.clinic.settings import VERSION, settings
from zax.store.engine import Connection
from zax.store.patients.flags import flags
from zax.store.patients.own_fields import own_fields
from zax.store.people.roles import roles


@dataclass(frozen=True, slots=True, kw_only=True)
class Clinic:
    """Everything by id. `about` holds the clinic's own names and numbers (see zax.demo.world for its keys),
    `fees` the clinic's own in cents by service code, `categories` theirs.
    """

    about: KeptJson
    sites: Mapping[int, Site]
    rooms: Mapping[int, Room]
    providers: Mapping[int, Provider]
    hours: WorkingHours
    services: Mapping[int, Service]
    fees: Mapping[str, int]
    categories: Mapping[str, str]
    sets: Mapping[int, ServiceSet]
    types: Mapping[int, VisitType]
    contracts: Contracts
    flags: Mapping[int, Flag]
    own_fields: Mapping[int, OwnField]
    sections: Mapping[str, Section]
    money: MoneyRules
    stages: Mapping[int, Stage]
    steps: Mapping[int, ArrivalStep]
    headsups: Mapping[int, HeadsUpSetup]
    forms: Mapping[int, FormTemplate]
    roles: Mapping[str, Role]

    @property
    def payers(self) -> Mapping[int, Payer]:
        return self.contracts.payers

    @property
    def plans(self) -> Mapping[int, Plan]:
        return self.contracts.plans

    @property
    def has_clearinghouse(self) -> bool:
        """Whether we know who takes claims and questions to payers, and who we are there."""
        names = ("submitter_id", "clearinghouse_name", "clearinghouse_id")
        return all(self.about.get(name) for name in names)

    def working(self, day: date) -> list[Provider]:
        """The providers to choose from that day: those who have not left."""
        return [each for each in self.providers.values() if each.here(day)]

    @property
    def record_fields(self) -> dict[str, Field]:
        """Every field of the record by name, the clinic's own included."""
        return {each.name: each for section in self.sections.values() for each in section.fields}

    @property
    def at_visits(self) -> list[OwnField]:
        """The clinic's own fields that stand on visits too."""
        return [each for each in self.own_fields.values() if each.active and each.at_visits]

    def field_name(self, name: str) -> str:
        """What people call a field of the record, also one of the clinic's own that is retired."""
        own = {each.name: each.words for each in self.own_fields.values()}
        known = self.record_fields.get(name)
        return known.words if known else own.get(name, name.replace("_", " "))

    def field_words(self, name: str, value: str) -> str:
        """A kept value of one of the clinic's own fields as people read it."""
        return next((each.shown(value) for each in self.own_fields.values() if each.name == name), value)

    @property
    def role_words(self) -> dict[str, str]:
        """The roles in use, by key."""
        return {each.key: each.words for each in self.roles.values() if each.active}

    def role_name(self, key: str) -> str:
        """What people call a role, also one that is out of use."""
        return self.roles[key].words if key in self.roles else key

    @property
    def first_site(self) -> Site:
        """The one whose name, address and clock stand for the clinic where no site is chosen."""
        return next(iter(self.sites.values()))

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

    @property
    def style(self) -> Style:
        """How days and times are written."""
        return Style(hours_24=self.about.get("clock") == "24", day_first=self.about.get("day_order") == "day")

    def find_service(self, service_id: int) -> Service:
        """Refused, beside `service`, for one that does not exist."""
        service = self.services.get(service_id)
        if service is None:
            raise Refused("Choose a service from the list.", "service")
        return service


def load(connection: Connection) -> Clinic:
    """Read the whole setup; a database without a clinic gives an empty one."""
    about, sites, providers = settings(connection), queries.sites(connection), queries.providers(connection)
    services, sets = queries.services(connection), queries.service_sets(connection)
    own = own_fields(connection)
    return Clinic(
        about=about,
        sites=sites,
        rooms=queries.rooms(connection),
        providers=providers,
        hours=load_hours(connection, sites, providers),
        services=services,
        fees={each.code: each.fee_cents for each in services.values()},
        categories={each.code: each.category for each in services.values()},
        sets=sets,
        types=queries.visit_types(connection, sets),
        contracts=load_contracts(connection, services),
        flags=flags(connection),
        own_fields=own,
        sections=sections_with(own.values()),
        money=load_money(connection, about),
        stages=stages(connection),
        steps=arrivals.arrival_steps(connection),
        headsups=arrivals.heads_ups(connection),
        forms=arrivals.form_templates(connection),
        roles=roles(connection),
    )
