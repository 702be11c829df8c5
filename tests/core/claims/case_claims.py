"""The worked cases of the trade as our own claims: their terms are neutral and are mapped to ours here."""

from __future__ import annotations

import json
from datetime import date
from pathlib import Path
from typing import Any

import simple_icd_10_cm as icd

from zax.core.claims.claim import Claim, ClaimLine, Clinician, Form, Frequency, Rank
from zax.core.claims.parts import (
    Accident,
    Adjusted,
    Attachment,
    Dates,
    Drug,
    LineDecision,
    OrthodonticPlan,
    OtherCoverage,
    Stay,
)
from zax.core.claims.situation import (
    Approval,
    EarlierService,
    KnownDiagnosis,
    PayerKind,
    PlanHolder,
    Situation,
)
from zax.core.x12.parties import Address, Organization, Person

CASES: list[dict[str, Any]] = json.loads(
    (Path(__file__).parents[2] / "cases" / "claims.json").read_text(encoding="utf-8")
)["claims"]
_RELATIONS = {"self": "18", "spouse": "01", "child": "19", "other": "G8"}
_ACCIDENTS = {"auto": "AA", "employment": "EM", "work": "EM", "other": "OA"}
_INDICATORS = {"medicare": "MB", "medicaid": "MC", "dental": "CI"}


def claim_and_situation(case: dict[str, Any]) -> tuple[Claim, Situation]:
    given, form = case["claim"], Form(case["form"])
    payer = given["payer"]
    own = given["patient"]["relation"] == "self"
    subscriber = _person(given["subscriber"], given["subscriber"]["member_id"] or "")
    claim = Claim(
        number=case["id"],
        form=form,
        payer=Organization(name=payer["name"], identifier=payer["id"] or ""),
        filing_indicator=_INDICATORS.get(payer["kind"], "CI"),
        group_number=given["subscriber"]["group"] or "",
        relationship=_RELATIONS[given["patient"]["relation"]],
        subscriber=subscriber,
        patient=subscriber if own else _person(given["patient"], ""),
        billing=_billing(given["billing"]),
        clinician=_clinician(given["rendering"]),
        place_of_service=given["place"] or "",
        lines=tuple(_line(each, given) for each in given["lines"]),
        diagnoses=tuple(each["code"] for each in given["diagnoses"]),
        present=tuple(each["poa"] or "" for each in given["diagnoses"]) if form is Form.INSTITUTIONAL else (),
        rank=Rank(given["payer_rank"]),
        frequency=Frequency(given["frequency"]),
        payer_claim=given["payer_control_number"] or "",
        secondary_reason=next((other.get("msp_type") or "" for other in given["other_payers"]), ""),
        died=_day(given["patient"]["died"]),
        assigned=given["benefits_assigned"],
        authorization=(given["authorization"] or {}).get("number", ""),
        clia=given["clia"] or "",
        accident=_accident(given["accident"]),
        dates=_dates(given),
        attachments=tuple(Attachment(a["type"], a["how"], a["number"] or "") for a in given["attachments"]),
        referring=_clinician(given["referring"]),
        attending=_clinician(given["attending"]),
        operating=_clinician(given["operating"]),
        facility=_facility(given["service_facility"]),
        braces=_braces(given["ortho"]),
        missing_teeth=tuple(given["missing_teeth"]),
        bill_type=(given["bill_type"] or "")[1:3],
        stay=_stay(given) if given["statement"] else None,
        others=tuple(_other(each) for each in given["other_payers"]),
    )
    return claim, _situation(given)


def _situation(given: dict[str, Any]) -> Situation:
    payer = given["payer"]
    approval = given["authorization"]
    return Situation(
        today=date.fromisoformat(given["today"]),
        payer_kind=PayerKind("commercial" if payer["kind"] == "dental" else payer["kind"]),
        coverage_from=_day(given["coverage"]["from"]),
        coverage_to=_day(given["coverage"]["to"]),
        filing_days=payer["filing_limit_days"],
        needs=frozenset({"ndc"}) if payer["needs_ndc"] else frozenset(),
        authorized_codes=frozenset(payer["authorization_codes"]),
        approvals=(Approval(approval["number"], _day(approval.get("from")), _day(approval.get("to"))),)
        if approval
        else (),
        history=tuple(_earlier(each, given) for each in given["history"]),
        plans=tuple(
            PlanHolder(
                each["rank"],
                each["name"],
                _day(each["subscriber_birth"]),
                _RELATIONS[each["relation"]],
                each["id"],
            )
            for each in given["other_coverages"]
        ),
        diagnoses={
            each["code"].replace(".", ""): KnownDiagnosis(icd.is_leaf(each["code"]))
            for each in given["diagnoses"]
            if icd.is_valid_item(each["code"])
        },
    )


def _earlier(each: dict[str, Any], given: dict[str, Any]) -> EarlierService:
    return EarlierService(
        day=date.fromisoformat(each["date"]),
        code=each["code"],
        tooth=each["tooth"] or "",
        area=each["area"] or "",
        same_clinician=each["same_provider"],
        same_specialty=each.get("same_specialty", each["same_provider"]),
        open_claim="replaces" not in each["status"],
    )


def _day(text: str | None) -> date | None:
    return date.fromisoformat(text) if text else None


def _address(given: dict[str, Any]) -> Address:
    return Address(
        street=given["line1"] or "",
        city=given["city"] or "",
        state=given["state"] or "",
        zip=given["zip"] or "",
        country=given["country"] or "",
    )


def _person(given: dict[str, Any], member_id: str) -> Person:
    return Person(
        first=given["first"] or "",
        last=given["last"] or "",
        birth=_day(given["birth"]),
        sex=given["sex"] or "",
        address=_address(given["address"]),
        member_id=member_id,
    )


def _billing(given: dict[str, Any]) -> Organization:
    alone = given.get("first", "") if given["kind"] == "person" else ""
    return Organization(
        name=given.get("name") or given.get("last") or "",
        identifier=given["npi"] or "",
        address=_address(given["address"]),
        tax_id=given["tax_id"] or "",
        taxonomy=given["taxonomy"] or "",
        first=alone,
    )


def _facility(given: dict[str, Any] | None) -> Organization | None:
    if given is None:
        return None
    return Organization(
        name=given["name"], identifier=given.get("npi") or "", address=_address(given["address"])
    )


def _clinician(given: dict[str, Any] | None) -> Clinician | None:
    if given is None:
        return None
    return Clinician(given["first"], given["last"], given["npi"] or "", given.get("taxonomy") or "")


def _accident(given: dict[str, Any]) -> Accident | None:
    if not given["related"]:
        return None
    return Accident(
        tuple(_ACCIDENTS[each] for each in given["related"]), _day(given["date"]), given["state"] or ""
    )


def _braces(given: dict[str, Any] | None) -> OrthodonticPlan | None:
    if not given or given.get("months_total") is None:
        return None
    return OrthodonticPlan(given["months_total"], given.get("months_left") or 0)


def _dates(given: dict[str, Any]) -> Dates:
    stay = given["admission"] or {}
    return Dates(
        first_treated=_day(given["initial_treatment"]),
        admitted=_day(stay.get("date")),
        appliance=_day((given["ortho"] or {}).get("placed_on")),
    )


def _stay(given: dict[str, Any]) -> Stay:
    stay = given["admission"] or {}
    return Stay(
        first=date.fromisoformat(given["statement"]["from"]),
        last=date.fromisoformat(given["statement"]["to"]),
        admitted=_day(stay.get("date")),
        admitted_hour=stay.get("hour") or "",
        admission_type=stay.get("type") or "",
        admission_source=stay.get("source") or "",
        discharge_hour=stay.get("discharge_hour") or "",
        discharge_status=stay.get("discharge_status") or "",
        admitting=stay.get("diagnosis") or "",
        reasons=tuple(given.get("reason_for_visit") or ()),
    )


def _line(given: dict[str, Any], claim: dict[str, Any]) -> ClaimLine:
    placement = given["prosthesis"] or {}
    drug = given["ndc"]
    return ClaimLine(
        number=f"L{given['n']}",
        code=given["code"] or "",
        cents=given["amount"],
        units=given["minutes"] or given["units"],
        day=_day(given["from"]),
        last=_day(given["to"]) if given["to"] != given["from"] else None,
        modifiers=tuple(given["modifiers"]),
        pointers=tuple(given["pointers"]),
        tooth=given["tooth"] or "",
        surfaces="".join(given["surfaces"]),
        area=given["area"] or "",
        place=given["place"] if given["place"] and given["place"] != claim["place"] else "",
        basis="MJ" if given["minutes"] else "UN",
        revenue=given["revenue"] or "",
        first_placement=placement.get("initial"),
        placed_before=_day(placement.get("prior_date")),
        drug=Drug(drug["code"] or "", drug["quantity"] or "", drug["unit"] or "") if drug else None,
        ordering=_clinician(claim["ordering"]),
        decided=tuple(
            LineDecision(
                payer_id=other["id"],
                paid_cents=line["paid"],
                code=given["code"] or "",
                units=given["units"],
                day=date.fromisoformat(other["paid_on"]),
                adjusted=tuple(Adjusted(*each) for each in line["adjustments"]),
            )
            for other in claim["other_payers"]
            if other["paid_on"]
            for line in other["lines"]
            if line["n"] == given["n"]
        ),
    )


def _other(given: dict[str, Any]) -> OtherCoverage:
    member = given["subscriber"]
    return OtherCoverage(
        rank=given["rank"],
        relationship=_RELATIONS[member["relation"]],
        payer_name=given["name"],
        payer_id=given["id"] or "",
        member_id=member["member_id"] or "",
        first=member["first"],
        last=member["last"],
        filing_indicator="CI",
        decided=given["paid"] is not None,
        decided_on=_day(given["paid_on"]),
        paid_cents=given["paid"] or 0,
        left_cents=given["remaining"],
    )
