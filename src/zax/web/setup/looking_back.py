"""Looking back: who did what, who looked at whom, and what is unusual about that; as CSV too."""

from __future__ import annotations

import json
from collections.abc import Iterator
from dataclasses import dataclass
from datetime import date, datetime, timedelta

from fastapi import APIRouter, Request
from fastapi.responses import Response, StreamingResponse

from zax.clock import local, to_utc
from zax.core.people.unusual import Unusual, unusual
from zax.core.reading import day_or_none, reference
from zax.core.table import Cell, table_lines
from zax.store.engine import Connection
from zax.store.patients.patients import known_patient
from zax.store.people.people import all_users
from zax.store.setup import looking_back as stored
from zax.store.setup.looking_back import Did, Saw, Wanted
from zax.web.setup.frame import setup_page
from zax.web.shell.request_context import RequestContext, enter

router = APIRouter()
PAGE = "/setup/looking-back"
ROWS = 100
USUAL_DAYS = 7
# Each look is held against visits and acts, so a month at a time.
UNUSUAL_FOR = timedelta(days=31)
LONGEST_DETAIL = 140
# What a list may be narrowed to: the beginning of the acts' names, and its words.
ABOUT = {
    "": "anything",
    "visit": "visits",
    "patient": "patients’ details",
    "payment": "payments",
    "claim": "claims",
    "message": "messages",
    "people": "people and roles",
    "signed_in": "signing in",
    "record": "sealed records",
    "export": "lists that went out",
}


@dataclass(frozen=True, slots=True)
class Asked:
    """The address of the page as it was asked for."""

    what: str
    since: date
    until: date
    user_id: int
    patient_id: int
    about: str

    def wanted(self, zone: str) -> Wanted:
        return Wanted(
            since=_midnight(self.since, zone),
            until=_midnight(self.until + timedelta(days=1), zone),
            user_id=self.user_id,
            patient_id=self.patient_id,
            about=self.about,
        )


def _odd(connection: Connection, asked: Asked, zone: str) -> list[Unusual]:
    """What stands out, day by day of the clinic."""
    days = (asked.until - timedelta(days=back) for back in range(UNUSUAL_FOR.days))
    return unusual(
        look
        for day in days
        if day >= asked.since
        for look in stored.look_facts(
            connection, day, _midnight(day, zone), _midnight(day + timedelta(days=1), zone)
        )
    )


def _midnight(day: date, zone: str) -> datetime:
    return to_utc(datetime(day.year, day.month, day.day), zone)


def _asked(request: Request, ctx: RequestContext) -> Asked:
    query = request.query_params
    until = day_or_none(query.get("until", "")) or ctx.today
    since = day_or_none(query.get("since", "")) or until - timedelta(days=USUAL_DAYS - 1)
    about, what = query.get("about", ""), query.get("what", "did")
    return Asked(
        what if what in {"did", "looked", "unusual"} else "did",
        min(since, until),
        min(until, ctx.today + timedelta(days=1)),
        reference(query.get("who", "")),
        reference(query.get("patient", "")),
        about if about in ABOUT else "",
    )


@router.get(PAGE)
def show(request: Request, before: int = 0) -> Response:
    ctx = enter(request, "audit")
    asked, zone = _asked(request, ctx), ctx.clinic.first_site.timezone
    wanted = asked.wanted(zone)
    with ctx.read() as connection:
        people = all_users(connection)
        patient = known_patient(connection, asked.patient_id) if asked.patient_id else None
        did = stored.acts(connection, wanted, ROWS + 1, before) if asked.what == "did" else []
        saw = stored.looks(connection, wanted, ROWS + 1, before) if asked.what == "looked" else []
        odd = _odd(connection, asked, zone) if asked.what == "unusual" else []
    rows: list[Did] | list[Saw] = did or saw
    return setup_page(
        ctx,
        "looking_back",
        asked=asked,
        people=people,
        patient=patient,
        about=ABOUT,
        did=[(row, said(row)) for row in did[:ROWS]],
        saw=saw[:ROWS],
        odd=odd,
        more=rows[ROWS - 1].id if len(rows) > ROWS else 0,
        query=request.url.query,
    )


def said(row: Did) -> str:
    """What is kept of an act besides, in short."""
    told = ", ".join(
        f"{name.replace('_', ' ')} {_plain(value)}"
        for name, value in row.detail.items()
        if value not in (None, "")
    )
    return told if len(told) <= LONGEST_DETAIL else told[: LONGEST_DETAIL - 1] + "…"


def _plain(value: object) -> str:
    return value if isinstance(value, str) else json.dumps(value, ensure_ascii=False)


@router.get(f"{PAGE}.csv")
def as_csv(request: Request) -> Response:
    """All that the page would show, however many rows; written while it is read."""
    ctx = enter(request, "audit")
    asked, zone = _asked(request, ctx), ctx.clinic.first_site.timezone
    wanted = asked.wanted(zone)

    def lines() -> Iterator[str]:
        with ctx.read() as connection:
            if asked.what == "looked":
                heading = ["when", "who", "patient", "name", "screen"]
                yield from table_lines(
                    heading, (_seen(row, zone) for row in stored.every_look(connection, wanted))
                )
            else:
                heading = ["when", "who", "what", "patient", "name", "visit", "more"]
                yield from table_lines(
                    heading, (_done(row, zone) for row in stored.every_act(connection, wanted))
                )

    name = f"looking-back-{asked.what}-{asked.since}-{asked.until}.csv"
    return StreamingResponse(
        lines(),
        media_type="text/csv; charset=utf-8",
        headers={"Content-Disposition": f'attachment; filename="{name}"'},
    )


def _name(row: Did | Saw) -> str:
    return f"{row.first or ''} {row.last or ''}".strip()


def _seen(row: Saw, zone: str) -> list[Cell]:
    at = local(row.at, zone).isoformat(" ", "seconds")
    return [at, row.by_name, str(row.patient_id), _name(row), row.screen]


def _done(row: Did, zone: str) -> list[Cell]:
    at = local(row.at, zone).isoformat(" ", "seconds")
    more = json.dumps(row.detail, ensure_ascii=False, sort_keys=True)
    patient, visit = str(row.patient_id or ""), str(row.visit_id or "")
    return [at, row.by_name or "Zax", row.act, patient, _name(row), visit, more]
