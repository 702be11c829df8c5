"""Sites and rooms as the manager edits them. A room that is put out of use lists the visits booked into it,
like changed hours do.
"""

from __future__ import annotations

from zoneinfo import available_timezones

from zax.core.errors import NotFound, ProblemCollector, Refused
from zax.core.form import Clock, Form, Reference
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
    """Name, time zone, grid (minutes) and the hours (minutes from midnight) that its Book shows."""

    name: str = ""
    timezone: str = ""
    grid: Reference = 0
    opens: Clock
    closes: Clock


@act("setup")
def save_site(tx: Transaction, site_id: int, form: SiteForm) -> None:
    if site_id not in tx.clinic.sites:
        raise NotFound("There is no such site.")
    name = form.name.strip()
    with ProblemCollector() as wrong:
        if not name or len(name) > 80:
            wrong.add("name", "Give the site a name.")
        if form.timezone not in available_timezones():
            wrong.add("timezone", "Choose a zone such as America/Los_Angeles.")
        if form.grid not in GRIDS:
            wrong.add("grid", "The grid is 5, 10 or 15 minutes.")
        if form.closes - form.opens < 60:
            wrong.add("closes", f"It has to close at least an hour after {clock_words(form.opens)}.")
    setup.save_site(
        tx.connection,
        site_id,
        name=name,
        timezone=form.timezone,
        grid_minutes=form.grid,
        opens_min=form.opens,
        closes_min=form.closes,
    )
    tx.change_setup("site.saved", site=site_id)


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


@act("setup")
def save_provider(tx: Transaction, provider_id: int, at_once: int, room_id: int) -> None:
    """How many visits a person may have at the same minute, where the types allow it, and which room is
    theirs.
    """
    provider = tx.clinic.providers.get(provider_id)
    if provider is None:
        raise NotFound("There is no such provider.")
    with ProblemCollector() as wrong:
        if not 1 <= at_once <= 4:
            wrong.add("at_once", "One to four visits at once.")
        room = tx.clinic.rooms.get(room_id)
        if room is None or room.dental != provider.dental:
            wrong.add("room_id", "Choose a room of the same type.")
    setup.save_provider(tx.connection, provider_id, at_once=at_once, room_id=room_id)
    tx.change_setup("provider.saved", provider=provider_id, at_once=at_once, room=room_id)


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
