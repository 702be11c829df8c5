"""Patients as a FHIR R4 bundle: Patient, Coverage and Appointment, checked by fhir.resources on the way out
and on the way in.

What R4 has no element for (pronouns, where texts go, employer, alert) stands in extensions under urn:zax.
"""

from __future__ import annotations

import json
from collections.abc import Iterable, Iterator, Mapping
from datetime import date, datetime

from fhir.resources.R4B.bundle import Bundle, BundleEntry

from zax.core.json import Json
from zax.core.patients.own_fields import OWN
from zax.core.record.card import Card, CardCoverage, CardVisit

CHART = "urn:zax:chart"
_EXTENSION = "urn:zax:patient:"
_EXTENDED = ("pronouns", "texts_to", "employer", "alert", "status")
_GENDER = {"F": "female", "M": "male", "U": "unknown"}
_RELATION = {
    "18": "self",
    "01": "spouse",
    "19": "child",
    "53": "common",
    "G8": "other",
    "20": "other",
    "39": "other",
}
_STATUS = {
    "held": "pending",
    "booked": "booked",
    "confirmed": "booked",
    "here": "arrived",
    "room": "checked-in",
    "checkout": "fulfilled",
    "left": "fulfilled",
    "settled": "fulfilled",
    "missed": "noshow",
    "canceled": "cancelled",
    "shelf": "waitlist",
}


def write_bundle(cards: Iterable[Card]) -> str:
    """The whole bundle as JSON; raises ValueError when fhir.resources does not find it valid."""
    return "".join(bundle_lines(cards))


def bundle_lines(cards: Iterable[Card]) -> Iterator[str]:
    """The bundle piece by piece, so that any number of people go out in the same little memory. Raises
    ValueError at an entry that fhir.resources does not find valid.
    """
    yield '{"resourceType":"Bundle","type":"collection"'
    before = ',"entry":['
    for card in cards:
        for resource in _resources(card):
            address = f"urn:zax:{resource['resourceType']}:{resource['id']}"
            entry = BundleEntry.model_validate({"fullUrl": address, "resource": resource})
            yield f"{before}{entry.model_dump_json()}"
            before = ","
    yield "]}" if before == "," else "}"


def _resources(card: Card) -> list[Json]:
    number = card.values["chart"]
    return [
        _patient(card),
        *(_coverage(c, number) for c in card.coverages),
        *(_appointment(v, number) for v in card.visits),
    ]


def _patient(card: Card) -> Json:
    v = card.values
    made: Json = {
        "resourceType": "Patient",
        "id": v["chart"],
        "identifier": [{"system": CHART, "value": v["chart"]}],
        "active": v.get("status", "active") == "active",
        "name": [{"use": "official", "family": v["last"], "given": [v["first"]]}],
    }
    if v.get("used_name"):
        made["name"].append({"use": "usual", "text": v["used_name"]})
    if v.get("sex"):
        made["gender"] = _GENDER[v["sex"]]
    if v.get("birth"):
        made["birthDate"] = v["birth"]
    if v.get("status") == "deceased":
        made["deceasedBoolean"] = True
    telecom = [
        {"system": "phone", "use": use, "value": v[name]}
        for name, use in (("phone", "mobile"), ("home_phone", "home"), ("work_phone", "work"))
        if v.get(name)
    ]
    telecom += [{"system": "email", "value": v["email"]}] if v.get("email") else []
    addresses = [
        each
        for before, kind in (("", "physical"), ("mail_", "postal"))
        if (each := _address(v, before, kind))
    ]
    contact = _contact(v)
    names = (*_EXTENDED, *(name for name in v if name.startswith(OWN)))
    extensions = [{"url": _EXTENSION + name, "valueString": v[name]} for name in names if v.get(name)]
    more = {
        "telecom": telecom,
        "address": addresses,
        "contact": contact,
        "extension": extensions,
        "communication": [{"language": {"text": v["language"]}}] if v.get("language") else [],
    }
    return made | {name: value for name, value in more.items() if value}


def _address(v: Mapping[str, str], before: str, kind: str) -> Json:
    parts = {
        "line": [v[f"{before}street"]] if v.get(f"{before}street") else [],
        "city": v.get(f"{before}city"),
        "state": v.get(f"{before}state"),
        "postalCode": v.get(f"{before}zip"),
    }
    found = {name: value for name, value in parts.items() if value}
    return {"type": kind, **found} if found else {}


def _contact(v: Mapping[str, str]) -> list[Json]:
    made: Json = {}
    if v.get("emergency_name"):
        made["name"] = {"text": v["emergency_name"]}
    if v.get("emergency_relation"):
        made["relationship"] = [{"text": v["emergency_relation"]}]
    if v.get("emergency_phone"):
        made["telecom"] = [{"system": "phone", "value": v["emergency_phone"]}]
    return [made] if made else []


def _coverage(c: CardCoverage, number: str) -> Json:
    made: Json = {
        "resourceType": "Coverage",
        "id": c.number,
        "status": "active",
        "beneficiary": {"reference": f"Patient/{number}"},
        "subscriberId": c.member_id,
        "order": c.rank,
        "payor": [{"display": c.payer}],
        "relationship": {
            "coding": [{"code": _RELATION.get(c.relationship, "other")}],
            "text": c.relationship,
        },
        "class": [{"type": {"coding": [{"code": "plan"}]}, "value": c.plan}]
        + ([{"type": {"coding": [{"code": "group"}]}, "value": c.group}] if c.group else []),
    }
    period = {name: day.isoformat() for name, day in (("start", c.from_day), ("end", c.to_day)) if day}
    return made | ({"period": period} if period else {})


def _appointment(v: CardVisit, number: str) -> Json:
    return {
        "resourceType": "Appointment",
        "id": v.number,
        "status": _STATUS.get(v.stop, "booked"),
        "start": v.starts.isoformat(),
        "end": v.ends.isoformat(),
        "serviceType": [{"text": v.words}],
        "comment": v.stop,
        "participant": [
            {"actor": {"reference": f"Patient/{number}"}, "status": "accepted"},
            {"actor": {"display": v.provider}, "status": "accepted"},
        ],
    }


def read_bundle(text: str) -> list[Card]:
    """The patients of a bundle with their coverages and visits; ValueError when it is no valid bundle."""
    bundle = json.loads(Bundle.model_validate_json(text).model_dump_json())
    found = [entry["resource"] for entry in bundle.get("entry", [])]
    coverages: dict[str, list[CardCoverage]] = {}
    visits: dict[str, list[CardVisit]] = {}
    for r in found:
        if r["resourceType"] == "Coverage":
            coverages.setdefault(r["beneficiary"]["reference"], []).append(_read_coverage(r))
        elif r["resourceType"] == "Appointment":
            visits.setdefault(r["participant"][0]["actor"]["reference"], []).append(_read_visit(r))
    patients = [r for r in found if r["resourceType"] == "Patient"]
    return [
        Card(
            _read_patient(r),
            "",
            tuple(coverages.get(f"Patient/{r['id']}", ())),
            tuple(visits.get(f"Patient/{r['id']}", ())),
        )
        for r in patients
    ]


def _read_patient(r: Json) -> dict[str, str]:
    names = {each.get("use", "official"): each for each in r.get("name", [])}
    official = names.get("official", next(iter(names.values()), {}))
    values = {
        "chart": next(
            (i["value"] for i in r.get("identifier", []) if i.get("system") == CHART), r.get("id", "")
        ),
        "last": official.get("family", ""),
        "first": " ".join(official.get("given", [])),
        "used_name": names.get("usual", {}).get("text", ""),
        "birth": r.get("birthDate", ""),
        "sex": {words: code for code, words in _GENDER.items()}.get(r.get("gender", ""), ""),
        "language": next((c["language"].get("text", "") for c in r.get("communication", [])), ""),
        "status": "active" if r.get("active", True) else "inactive",
    }
    places = {"mobile": "phone", "home": "home_phone", "work": "work_phone"}
    for each in r.get("telecom", []):
        values[places.get(each.get("use", "mobile"), "phone") if each["system"] == "phone" else "email"] = (
            each["value"]
        )
    for each in r.get("address", []):
        before = "mail_" if each.get("type") == "postal" else ""
        values |= {
            f"{before}street": " ".join(each.get("line", [])),
            f"{before}city": each.get("city", ""),
            f"{before}state": each.get("state", ""),
            f"{before}zip": each.get("postalCode", ""),
        }
    for each in r.get("contact", [])[:1]:
        values["emergency_name"] = each.get("name", {}).get("text", "")
        values["emergency_relation"] = next((x["text"] for x in each.get("relationship", [])), "")
        values["emergency_phone"] = next((x["value"] for x in each.get("telecom", [])), "")
    for each in r.get("extension", []):
        if each["url"].startswith(_EXTENSION):
            values[each["url"].removeprefix(_EXTENSION)] = each["valueString"]
    return {name: value for name, value in values.items() if value}


def _read_coverage(r: Json) -> CardCoverage:
    classes = {each["type"]["coding"][0]["code"]: each["value"] for each in r.get("class", [])}
    period = r.get("period", {})
    first, last = (
        date.fromisoformat(period[name][:10]) if period.get(name) else None for name in ("start", "end")
    )
    return CardCoverage(
        number=r["id"],
        payer=r["payor"][0].get("display", ""),
        plan=classes.get("plan", ""),
        member_id=r.get("subscriberId", ""),
        group=classes.get("group", ""),
        relationship=r.get("relationship", {}).get("text", "18"),
        rank=r.get("order", 1),
        from_day=first,
        to_day=last,
    )


def _read_visit(r: Json) -> CardVisit:
    return CardVisit(
        number=r["id"],
        starts=datetime.fromisoformat(r["start"]),
        ends=datetime.fromisoformat(r["end"]),
        words=r["serviceType"][0].get("text", ""),
        provider=r["participant"][1]["actor"].get("display", ""),
        stop=r.get("comment", "booked"),
    )
