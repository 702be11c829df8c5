"""A patient as they leave in an open format, and come back: the record's fields as text, coverages and visits
beside them.

CSV has the record and the first coverage, vCard the record, FHIR R4 everything here. Each writer has its
reader, and what one wrote the other reads back without loss.
"""

from __future__ import annotations

import csv
import io
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date, datetime

import vobject

from zax.core.patients.fields import FIELDS
from zax.core.patients.own_fields import OWN
from zax.core.table import plain_cell, table_lines

EXTRA = ("chart", "status")
CSV_COLUMNS = (*FIELDS, *EXTRA, "household", "plan", "member_id", "group_number")


@dataclass(frozen=True, slots=True, kw_only=True)
class CardCoverage:
    """`relationship` is the X12 code."""

    number: str
    payer: str
    plan: str
    member_id: str
    group: str = ""
    relationship: str = "18"
    rank: int = 1
    from_day: date | None = None
    to_day: date | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class CardVisit:
    """`starts` and `ends` carry their zone."""

    number: str
    starts: datetime
    ends: datetime
    words: str
    provider: str
    stop: str


@dataclass(frozen=True, slots=True)
class Card:
    """`values` by name of FIELDS, EXTRA and the clinic's own fields, every value as text (days as ISO), empty
    ones left out.
    """

    values: Mapping[str, str]
    household: str = ""
    coverages: tuple[CardCoverage, ...] = ()
    visits: tuple[CardVisit, ...] = field(default=())


def write_csv(cards: Iterable[Card], own: Sequence[str] = ()) -> Iterator[str]:
    """Line by line, heading first; `own` are the names of the clinic's own fields, which come last."""
    return table_lines(
        (*CSV_COLUMNS, *own), ([*_row(card), *(card.values.get(name, "") for name in own)] for card in cards)
    )


def _row(card: Card) -> list[str]:
    first = next((c for c in card.coverages if c.rank == 1), None)
    cover = [first.plan, first.member_id, first.group] if first else ["", "", ""]
    return [*(card.values.get(name, "") for name in (*FIELDS, *EXTRA)), card.household, *cover]


def read_csv(text: str) -> list[Card]:
    """What `write_csv` wrote."""
    found = []
    for sent in csv.DictReader(io.StringIO(text, newline="")):
        row = {name: plain_cell(cell) for name, cell in sent.items()}
        own = [name for name in row if name.startswith(OWN)]
        values = {name: row[name] for name in (*FIELDS, *EXTRA, *own) if row[name]}
        cover = (
            (
                CardCoverage(
                    number="",
                    payer="",
                    plan=row["plan"],
                    member_id=row["member_id"],
                    group=row["group_number"],
                ),
            )
            if row["plan"]
            else ()
        )
        found.append(Card(values, row["household"], cover))
    return found


_PHONES = {"phone": "CELL", "home_phone": "HOME", "work_phone": "WORK"}
_PLAIN = (
    "pronouns",
    "sex",
    "texts_to",
    "language",
    "emergency_name",
    "emergency_relation",
    "emergency_phone",
    *EXTRA,
)


def write_vcard(card: Card) -> str:
    """vCard 3.0 (RFC 2426); what it has no property for stands in X-ZAX- ones."""
    v, made = card.values, vobject.vCard()
    made.add("n").value = vobject.vcard.Name(family=v.get("last", ""), given=v.get("first", ""))
    made.add("fn").value = f"{v.get('first', '')} {v.get('last', '')}".strip()
    for name, prop in (("used_name", "nickname"), ("birth", "bday"), ("email", "email"), ("alert", "note")):
        if v.get(name):
            made.add(prop).value = v[name]
    if v.get("employer"):
        made.add("org").value = [v["employer"]]
    for name, kind in _PHONES.items():
        if v.get(name):
            phone = made.add("tel")
            phone.value, phone.type_param = v[name], kind
    for before, kind in (("", "HOME"), ("mail_", "POSTAL")):
        if any(v.get(f"{before}{part}") for part in ("street", "city", "state", "zip")):
            address = made.add("adr")
            address.value = vobject.vcard.Address(
                street=v.get(f"{before}street", ""),
                city=v.get(f"{before}city", ""),
                region=v.get(f"{before}state", ""),
                code=v.get(f"{before}zip", ""),
                country="",
            )
            address.type_param = kind
    for name in (*_PLAIN, *(each for each in v if each.startswith(OWN))):
        if v.get(name):
            made.add(f"x-zax-{name.replace('_', '-')}").value = v[name]
    return str(made.serialize())


def read_vcards(text: str) -> list[Card]:
    """Every card of a file, ours or anybody's. ValueError for what is none."""
    try:
        return [_card(each) for each in vobject.readComponents(text)]
    except vobject.base.VObjectError as error:
        raise ValueError(str(error)) from error


def _card(each: vobject.base.Component) -> Card:
    contents = each.contents
    values: dict[str, str] = {}
    if "n" in contents:
        values |= {"first": contents["n"][0].value.given, "last": contents["n"][0].value.family}
    for name, prop in (("used_name", "nickname"), ("birth", "bday"), ("email", "email"), ("alert", "note")):
        if prop in contents:
            values[name] = str(contents[prop][0].value)
    if "org" in contents:
        values["employer"] = str(contents["org"][0].value[0])
    for phone in contents.get("tel", []):
        kinds = {kind.upper() for kind in phone.params.get("TYPE", ["CELL"])}
        name = next((name for name, kind in _PHONES.items() if kind in kinds), "phone")
        values.setdefault(name, phone.value)
    for address in contents.get("adr", []):
        before = "mail_" if "POSTAL" in {kind.upper() for kind in address.params.get("TYPE", [])} else ""
        parts = {
            "street": address.value.street,
            "city": address.value.city,
            "state": address.value.region,
            "zip": address.value.code,
        }
        values |= {f"{before}{part}": str(value) for part, value in parts.items()}
    for name in _PLAIN:
        key = f"x-zax-{name.replace('_', '-')}"
        if key in contents:
            values[name] = contents[key][0].value
    values |= {
        key.removeprefix("x-zax-").replace("-", "_"): contents[key][0].value
        for key in contents
        if key.startswith(f"x-zax-{OWN[:-1]}-")
    }
    return Card({name: value for name, value in values.items() if value})
