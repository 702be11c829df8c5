"""Sites and rooms as the manager edits them. A room that is put out of use lists the visits booked into it,
like changed hours do.
"""

from __future__ import annotations

from zoneinfo import available_timezones

from zax.core.charges.lines import PLACES
from zax.core.clinic.zones import zone_of_state
from zax.core.errors import NotFound, ProblemCollector, Refused
from zax.core.form import Clock, Form, Reference
from zax.core.json import Json
from zax.core.patients.fields import check_state, check_text, check_zip
from zax.core.patients.person import check_phone
from zax.core.wording import clock_words
from zax.desk.acts.act import act
from zax.desk.acts.transaction import Transaction
from zax.desk.book.shelf import lift
from zax.desk.book.track import locked_visit
from zax.desk.book.undo import Memo
from zax.desk.setup.hours import Affected, Outside
from zax.store.book.booked import booked_in_room
from zax.store.clinic import setup

GRIDS = (5, 10, 15)


class SiteForm(Form):
    """A site as typed: its address goes on claims, its clock is that of its Book. `opens` and `closes`
    (minutes from midnight) are what its Book shows, `grid` its steps in minutes, `place` the place of service
    of its claims (CMS code set).
    """

    name: str = ""
    street: str = ""
    city: str = ""
    state: str = ""
    zip: str = ""
    phone: str = ""
    timezone: str = ""
    grid: Reference = 5
    place: str = "11"
    opens: Clock
    closes: Clock


def site_values(form: SiteForm, after: str = "") -> Json:
    """The site by column. Problems beside its fields, whose names end in `after`."""
    wrong = ProblemCollector()
    kept: Json = {
        "name": form.name.strip(),
        "timezone": form.timezone.strip() or zone_of_state(form.state),
        "street": wrong.take(check_text, form.street, f"street{after}", 80),
        "city": wrong.take(check_text, form.city, f"city{after}", 60),
        "state": wrong.take(check_state, form.state, f"state{after}"),
        "zip": (wrong.take(check_zip, form.zip, f"zip{after}") or "").replace("-", ""),
        "phone": wrong.take(check_phone, form.phone, f"phone{after}") if form.phone.strip() else "",
        "opens_min": form.opens,
        "closes_min": form.closes,
        "grid_minutes": form.grid,
        "place": form.place,
    }
    if not kept["name"] or len(kept["name"]) > 80:
        wrong.add(f"name{after}", "Give the site a name.")
    if not form.phone.strip():
        wrong.add(f"phone{after}", "Patients call this number.")
    for field in ("street", "city", "state", "zip"):
        if kept[field] == "" and f"{field}{after}" not in wrong.problems:
            wrong.add(f"{field}{after}", "Claims and letters carry it.")
    if kept["timezone"] not in available_timezones():
        wrong.add(f"timezone{after}", "Choose a zone, such as America/Los_Angeles.")
    if form.grid not in GRIDS:
        wrong.add(f"grid{after}", "The grid is 5, 10 or 15 minutes.")
    if form.place not in PLACES:
        wrong.add(f"place{after}", "Choose one from the list.")
    if form.closes - form.opens < 60:
        wrong.add(f"closes{after}", f"It has to close at least an hour after {clock_words(form.opens)}.")
    wrong.raise_if_any()
    return kept


@act("setup")
def save_site(tx: Transaction, site_id: int, form: SiteForm) -> int:
    """Change a site, or make one (`site_id` 0); its id."""
    if site_id and site_id not in tx.clinic.sites:
        raise NotFound("There is no such site.")
    kept = site_values(form)
    if any(
        each.name.lower() == kept["name"].lower() and each.id != site_id for each in tx.clinic.sites.values()
    ):
        raise Refused("There’s already a site with that name.", "name")
    site_id = setup.save_site(tx.connection, site_id, kept)
    tx.change_setup("site.saved", site=site_id, name=kept["name"])
    return site_id


@act("setup")
def save_room(
    tx: Transaction,
    room_id: int,
    site_id: int,
    name: str,
    dental: bool,
    equipment: str,
    active: bool,
    decision: str = "",
) -> int:
    """Change a room or chair, or make one (`room_id` 0); its id. Affected when it goes out of use under
    booked visits.
    """
    with ProblemCollector() as wrong:
        if site_id not in tx.clinic.sites:
            wrong.add("site_id", "Choose a site.")
        if not name.strip() or len(name.strip()) > 40:
            wrong.add("name", "Give the room a name of up to 40 letters.")
        if any(
            r.site_id == site_id and r.name.lower() == name.strip().lower() and r.id != room_id
            for r in tx.clinic.rooms.values()
        ):
            wrong.add("name", "This site already has a room with that name.")
    if room_id and room_id not in tx.clinic.rooms:
        raise NotFound("There is no such room.")
    words = sorted({" ".join(each.split()).lower() for each in equipment.split(",") if each.strip()})
    room_id = setup.save_room(
        tx.connection,
        room_id,
        site_id=site_id,
        name=name.strip(),
        dental=dental,
        equipment=words,
        active=active,
    )
    tx.change_setup("room.saved", room=room_id)
    if not active:
        _decide(tx, room_id, decision)
    return room_id


def _decide(tx: Transaction, room_id: int, decision: str) -> None:
    rows = booked_in_room(tx.connection, room_id, tx.business_day(tx.clinic.rooms[room_id].site_id))
    if not rows or decision == "leave":
        return
    if decision != "shelf":
        providers = tx.clinic.providers
        raise Affected(
            [
                Outside(r.id, r.day, r.start_min, f"{r.first} {r.last}", providers[r.provider_id].short)
                for r in rows
            ]
        )
    memo = Memo(tx=tx)
    for row in sorted(rows, key=lambda row: row.id):
        lift(tx, locked_visit(tx, row.id), f"{tx.clinic.rooms[room_id].name} out of use", True, memo)
    memo.write(f"shelved {len(rows)} visits of {tx.clinic.rooms[room_id].name}")


@act("setup")
def choose_mark(tx: Transaction, mark: str) -> None:
    """What the marks on everybody's Book show, unless somebody looks at another one."""
    if mark not in {"track", "type", "provider"}:
        raise Refused("Choose what the marks show.", "mark")
    tx.keep_setting("book_mark", mark)
    tx.change_setup("book.mark", mark=mark)
