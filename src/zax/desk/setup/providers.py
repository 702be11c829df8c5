"""Who sees patients, as the manager edits them: their names, the numbers payers know them by, their room; and
leaving, which lists the visits that lose their provider, as changed hours do.
"""

from __future__ import annotations

from datetime import date, timedelta
from typing import Annotated

from zax.core.clinic.identity import check_npi, check_taxonomy
from zax.core.clinic.providers import ROLE_NAMES, Provider
from zax.core.errors import NotFound, ProblemCollector, Refused
from zax.core.form import Form, Reference, Tick, a_number_or
from zax.core.json import Json
from zax.core.patients.fields import check_text
from zax.core.patients.person import check_name
from zax.desk.acts.act import act
from zax.desk.acts.transaction import Transaction
from zax.desk.setup.hours import visits_left_without_hours
from zax.store.clinic import setup
from zax.store.clinic.hours import HoursLine, replace_hours

MOST_AT_ONCE = 4
WORKDAYS = range(5)


class ProviderForm(Form):
    """As typed. `name` is how patients read it (empty: made of the two), `short` how the Book does; `usual`:
    a new one works while the site is open, Monday to Friday.
    """

    first: str = ""
    last: str = ""
    name: str = ""
    short: str = ""
    role: str = ""
    npi: str = ""
    taxonomy: str = ""
    room_id: Reference = 0
    at_once: Annotated[int, a_number_or(1, 1, MOST_AT_ONCE, "One to four visits at once.")] = 1
    usual: Tick = False


@act("setup")
def save_provider(tx: Transaction, provider_id: int, form: ProviderForm) -> int:
    """Change a provider, or make one (`provider_id` 0); the id. Problems beside the fields."""
    provider_id, values = put_provider(tx, provider_id, form)
    kept = {name: values[name] for name in ("name", "npi", "taxonomy", "room_id", "at_once")}
    tx.change_setup("provider.saved", provider=provider_id, **kept)
    return provider_id


def put_provider(tx: Transaction, provider_id: int, form: ProviderForm) -> tuple[int, Json]:
    """The same within an act, which then tells the setup's change: the id and what is kept."""
    before = tx.clinic.providers.get(provider_id)
    if provider_id and before is None:
        raise NotFound("There is no such provider.")
    values = _checked(tx, form, before)
    provider_id = setup.save_provider(tx.connection, provider_id, values)
    if before is None and form.usual:
        _usual_hours(tx, provider_id, form.room_id)
    return provider_id, values


def _checked(tx: Transaction, form: ProviderForm, before: Provider | None) -> Json:
    wrong = ProblemCollector()
    first = wrong.take(check_name, form.first, "first name", "first") or ""
    last = wrong.take(check_name, form.last, "last name", "last") or ""
    dental = form.role != "medical"
    values: Json = {
        "first": first,
        "last": last,
        "name": wrong.take(check_text, form.name, "name", 80) or f"{first} {last}",
        "short": wrong.take(check_text, form.short, "short", 40) or f"{first[:1]}. {last}",
        "role": form.role,
        "dental": dental,
        "npi": wrong.take(check_npi, form.npi),
        "taxonomy": wrong.take(check_taxonomy, form.taxonomy),
        "room_id": form.room_id,
        "at_once": form.at_once,
    }
    if form.role not in ROLE_NAMES:
        wrong.add("role", "Choose what they do.")
    elif before is not None and before.role != form.role:
        wrong.add("role", "Their visits need what they are now. Add a second provider instead.")
    room = tx.clinic.rooms.get(form.room_id)
    if room is None or room.dental != dental:
        wrong.add("room_id", "Choose a room of the same type.")
    others = [each for each in tx.clinic.providers.values() if before is None or each.id != before.id]
    if values["npi"] and any(each.npi == values["npi"] for each in others):
        wrong.add("npi", "Another provider has this NPI.")
    wrong.raise_if_any()
    return values


def _usual_hours(tx: Transaction, provider_id: int, room_id: int) -> None:
    site = tx.clinic.sites[tx.clinic.rooms[room_id].site_id]
    lines = [
        HoursLine(
            weekday=day,
            pattern="every",
            site_id=site.id,
            start_min=site.day.start,
            end_min=site.day.end,
            rest="",
            counted_from=None,
        )
        for day in WORKDAYS
    ]
    replace_hours(tx.connection, provider_id, tx.clinic_day, lines)


@act("setup")
def set_npi(tx: Transaction, provider_id: int, npi: str) -> None:
    """The NPI alone, where a list asks for it. Refused beside `npi`."""
    if provider_id not in tx.clinic.providers:
        raise NotFound("There is no such provider.")
    kept = check_npi(npi)
    if not kept:
        raise Refused("Type the ten digits.", "npi")
    if any(each.npi == kept and each.id != provider_id for each in tx.clinic.providers.values()):
        raise Refused("Another provider has this NPI.", "npi")
    setup.save_provider(tx.connection, provider_id, {"npi": kept})
    tx.change_setup("provider.npi", provider=provider_id, npi=kept)


@act("setup")
def let_leave(tx: Transaction, provider_id: int, last_day: date, decision: str = "") -> None:
    """They see nobody after that day, whatever their hours say, and no list offers them. Affected without a
    decision when visits are booked after it.
    """
    if provider_id not in tx.clinic.providers:
        raise NotFound("There is no such provider.")
    if last_day < tx.clinic_day:
        raise Refused("Their last day is today or later.", "last_day")
    first_off = last_day + timedelta(days=1)
    setup.save_provider(tx.connection, provider_id, {"left_on": first_off})
    tx.change_setup("provider.left", provider=provider_id, last_day=last_day.isoformat())
    visits_left_without_hours(tx, [provider_id], first_off, decision, "provider left")


@act("setup")
def bring_back(tx: Transaction, provider_id: int) -> None:
    """Here again, with the hours they had."""
    if provider_id not in tx.clinic.providers:
        raise NotFound("There is no such provider.")
    setup.save_provider(tx.connection, provider_id, {"left_on": None})
    tx.change_setup("provider.back", provider=provider_id)
