"""The clinic's setup written into an empty database: sites with their people and hours, services, visit
types, payers and plans, what is sold, and who signs in.
"""

from __future__ import annotations

from datetime import date, datetime, timedelta
from typing import Any

from argon2 import PasswordHasher
from sqlalchemy import Connection, insert

from zax.core.json import Json
from zax.demo.ready_notes import READY_ANSWERS, READY_NOTES
from zax.demo.returns import REASONS
from zax.demo.world import (
    ABOUT,
    ASSISTANCE_ALLOWS,
    AT_ONCE,
    EVENING,
    FLAGS,
    HOURS,
    PASSWORD,
    PAYERS,
    PLANS,
    PROVIDERS,
    ROOMS,
    SERVICE_ID,
    SERVICE_MORE,
    SERVICE_USUAL,
    SERVICES,
    SETS,
    SITES,
    TYPE_ID,
    TYPE_MORE,
    TYPES,
    USERS,
    ZONE,
    closures,
)
from zax.store import schema
from zax.store.clinic.settings import VERSION


def write_world(connection: Connection, today: date, copies: int = 1) -> None:
    """The setup tables. `copies` repeats the sites with their people, for the big data sets."""
    put = _putter(connection)
    put(schema.setting, [{"name": name, "value": value} for name, value in (ABOUT | {VERSION: 1}).items()])
    for copy in range(copies):
        _write_sites(put, copy)
    put(
        schema.closure,
        [
            {
                "starts": datetime(d.year, d.month, d.day),
                "ends": datetime(d.year, d.month, d.day) + timedelta(days=1),
                "words": w,
            }
            for d, w in closures(today - timedelta(days=800), today + timedelta(days=500)).items()
        ],
    )
    _write_services(put)
    _write_payers(put)
    _write_money(put)
    _write_return_reasons(put)
    notes = [(*each, False) for each in READY_NOTES] + [(*each, True) for each in READY_ANSWERS]
    put(
        schema.ready_note,
        [{"letters": letters, "words": words, "answers": answers} for letters, words, answers in notes],
    )
    hashed = PasswordHasher().hash(PASSWORD)
    put(
        schema.user,
        [
            {"sign_in": s, "name": n, "role": r, "provider_id": p, "password_hash": hashed, "active": True}
            for s, n, r, p in USERS
        ],
    )


def _write_return_reasons(put: Any) -> None:
    put(
        schema.return_reason,
        [
            {
                "words": words,
                "by_when": by,
                "for_whom": whom,
                "urgent": urgent,
                "type_id": TYPE_ID[kind] if kind else None,
                "position": at,
                "active": True,
            }
            for at, (words, by, whom, urgent, kind) in enumerate(REASONS, 1)
        ],
    )


def _write_money(put: Any) -> None:
    """Reasons to write off, the clinic's own tender, discounts and a few products."""
    rows = (
        (
            schema.reason,
            ("words",),
            (("Hardship",), ("Our mistake",), ("Small balance",), ("Cannot be collected",), ("Courtesy",)),
        ),
        (schema.tender_kind, ("words", "needs_number"), (("Bank transfer", True), ("Ferry voucher", False))),
        (schema.discount, ("words", "percent"), (("Paid in full today", 5), ("Family of staff", 20))),
        (
            schema.product,
            ("words", "code", "price_cents", "tax", "stock", "low"),
            (
                ("Soft toothbrush", "TB-S", 450, 850, 60, 12),
                ("Whitening tray, upper and lower", "WT-2", 18_500, 850, 6, 2),
                ("Fluoride toothpaste", "FT-75", 1_290, 850, 34, 10),
                ("Night guard case", "NG-C", 990, 850, 9, 4),
                ("Travel vaccine record", "VR", 600, 0, 25, 5),
            ),
        ),
    )
    for table, names, values in rows:
        put(table, [dict(zip(names, row, strict=True)) | {"position": n} for n, row in enumerate(values, 1)])


def _putter(connection: Connection) -> Any:
    def put(table: Any, values: list[Json]) -> None:
        connection.execute(insert(table), values)

    return put


def _write_sites(put: Any, copy: int) -> None:
    more = f" {copy + 1}" if copy else ""
    site, room, person = copy * len(SITES), copy * len(ROOMS), copy * len(PROVIDERS)
    put(
        schema.site,
        [
            {
                "id": site + n,
                "name": name + more,
                "timezone": ZONE,
                "street": street,
                "city": "Marrow Harbor",
                "state": "WA",
                "zip": zip_code,
                "phone": phone,
                "opens_min": opens,
                "closes_min": closes,
                "grid_minutes": 5,
            }
            for n, (name, street, zip_code, phone, opens, closes) in enumerate(SITES, 1)
        ],
    )
    put(
        schema.room,
        [
            {
                "id": room + n,
                "site_id": site + s,
                "name": name,
                "dental": dental,
                "position": n,
                "equipment": equipment,
            }
            for n, (s, name, dental, equipment) in enumerate(ROOMS, 1)
        ],
    )
    put(
        schema.provider,
        [
            {
                "id": person + n,
                "first": first,
                "last": last,
                "name": name,
                "short": short,
                "role": role,
                "dental": dental,
                "npi": npi,
                "taxonomy": taxonomy,
                "room_id": room + own,
                "position": n,
                "at_once": AT_ONCE.get(n, 1),
            }
            for n, (first, last, name, short, role, dental, npi, taxonomy, own) in enumerate(PROVIDERS, 1)
        ],
    )
    put(
        schema.provider_hours,
        [
            {
                "provider_id": person + p,
                "site_id": site + 1,
                "weekday": day,
                "start_min": a,
                "end_min": b,
                "rest": rest,
            }
            for day in range(5)
            for p, ((opens, noon), (one, closes)) in HOURS.items()
            for a, b, rest in ((opens, closes, ""), (noon, one, "Lunch"))
        ]
        + [
            {
                "provider_id": person + p,
                "site_id": site + 2,
                "weekday": day,
                "start_min": a,
                "end_min": b,
                "rest": "",
            }
            for day in range(5)
            for p, (a, b) in EVENING.items()
        ],
    )


_TYPE_USUAL: Json = {
    "goal_a_day": 0,
    "most_a_day": 0,
    "web": "no",
    "web_words": "",
    "web_note": "",
    "deposit_cents": 0,
    "ask_after_days": 60,
    "equipment": [],
    "buffer_min": 0,
    "doubles": False,
}


def _needs(role: str, minutes: int, offsets: str) -> list[Json]:
    if not role:
        return []
    return [
        {
            "role": role,
            "minutes": minutes,
            "offsets": [int(each) for each in offsets.split()],
            "words": "exam",
            "same_as": None,
        }
    ]


def _write_services(put: Any) -> None:
    put(
        schema.service,
        [
            {
                "id": n,
                "code": code,
                "words": words,
                "dental": dental,
                "category": category,
                "fee_cents": fee,
                "needs_tooth": tooth,
                "surfaces": surfaces,
            }
            | SERVICE_USUAL
            | SERVICE_MORE.get(code, {})
            for n, (code, words, dental, category, fee, tooth, surfaces) in enumerate(SERVICES, 1)
        ],
    )
    put(
        schema.visit_type,
        [
            {
                "id": n,
                "name": name,
                "dental": role != "medical",
                "minutes": minutes,
                "role": role,
                "position": n,
                "staff_needs": _needs(*helper),
            }
            | _TYPE_USUAL
            | TYPE_MORE.get(name, {})
            for n, (name, minutes, role, _, helper) in enumerate(TYPES, 1)
        ],
    )
    put(
        schema.service_set,
        [
            {"id": n, "name": name, "dental": dental, "position": n}
            for n, (name, dental, _) in enumerate(SETS, 1)
        ],
    )
    put(
        schema.service_set_line,
        [
            {"set_id": n, "service_id": SERVICE_ID[code], "position": at}
            for n, row in enumerate(SETS, 1)
            for at, code in enumerate(row[2], 1)
        ],
    )
    put(
        schema.visit_type_service,
        [
            {"type_id": n, "service_id": SERVICE_ID[code], "position": at}
            for n, row in enumerate(TYPES, 1)
            for at, code in enumerate(row[3], 1)
        ],
    )


def _write_payers(put: Any) -> None:
    put(
        schema.payer,
        [
            {
                "id": n,
                "name": name,
                "electronic_id": number,
                "filing_indicator": indicator,
                "filing_days": days,
                "kind": kind,
            }
            for n, (name, number, indicator, days, kind) in enumerate(PAYERS, 1)
        ],
    )
    put(
        schema.plan,
        [
            {"id": n, "payer_id": payer, "name": name, "dental": dental, "terms": terms}
            for n, (payer, name, dental, terms) in enumerate(PLANS, 1)
        ],
    )
    put(schema.fee_schedule, [{"id": 1, "name": "State Assistance fees", "payer_id": 5, "network": "in"}])
    put(
        schema.fee,
        [
            {"schedule_id": 1, "service_id": n, "cents": row[4] * ASSISTANCE_ALLOWS // 100}
            for n, row in enumerate(SERVICES, 1)
        ],
    )
    put(
        schema.flag,
        [
            {"id": n, "words": words, "warns": warns, "position": n}
            for n, (words, warns) in enumerate(FLAGS, 1)
        ],
    )
