"""The chance of not coming at work: learned each night from the clinic's own past, and said of a visit to
come
where it helps.
"""

from __future__ import annotations

from bisect import bisect_left
from collections import defaultdict
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import asdict, dataclass, field
from datetime import date, datetime, timedelta
from itertools import accumulate

from zax.clock import local
from zax.core.followup.missing import FEATURES, Bin, Case, Model, Risk, risk_of
from zax.core.followup.missing_fit import fit
from zax.desk.acts.act import in_transaction
from zax.desk.acts.actor import WORKER
from zax.desk.acts.transaction import Desk, Transaction
from zax.desk.clinic.clinic import Clinic
from zax.store.engine import Connection
from zax.store.followup import missing as stored
from zax.store.followup.missing import PastVisit

SETTING = "missed_visits"
LOOKS_BACK = timedelta(days=730)
MOST_VISITS = 40_000
AT_ONCE = 2_000
# As how many days ahead the visits of the past are looked at, by turns: a chance is asked for at any of them.
AHEAD = (1, 2, 3, 7, 14)


def model_of(clinic: Clinic) -> Model | None:
    """The model of last night; None before the first, or where the features have changed since."""
    kept = clinic.about.get(SETTING)
    if not isinstance(kept, dict) or len(kept["weights"]) != len(FEATURES):
        return None
    return Model(
        **kept
        | {
            "fitted_on": date.fromisoformat(kept["fitted_on"]),
            "weights": tuple(kept["weights"]),
            "bins": tuple(Bin(**each) for each in kept["bins"]),
        }
    )


def learn_missing(desk: Desk) -> int:
    """Fit it once a night; how many visits it learned from. With too few it is asked again the next night."""
    today = local(desk.clock.now(), desk.clinic.first_site.timezone).date()
    known = desk.clinic.about.get(SETTING)
    if isinstance(known, dict) and known.get("fitted_on") == today.isoformat():
        return 0
    with desk.engine.connect() as connection:
        cases, missed = past_cases(connection, today, desk.clinic.first_site.timezone)
    model = fit(cases, missed, today)
    kept = {"fitted_on": today.isoformat(), "weights": []} if model is None else _kept(model)

    def write(tx: Transaction) -> None:
        tx.keep_setting(SETTING, kept)
        tx.change_setup("missed.learned", visits=len(cases), helps=model is not None and model.helps)

    in_transaction(desk, WORKER, write)
    return len(cases)


def _kept(model: Model) -> dict[str, object]:
    return asdict(model) | {"fitted_on": model.fitted_on.isoformat()}


@dataclass(slots=True)
class _Past:
    """Of one patient: the days of visits with how many were missed up to each, and of what they owed."""

    days: list[date] = field(default_factory=list)
    missed: list[int] = field(default_factory=list)
    owed_days: list[date] = field(default_factory=list)
    owed: list[int] = field(default_factory=list)

    def visits_before(self, day: date) -> tuple[int, int]:
        count = bisect_left(self.days, day)
        return count, self.missed[count - 1] if count else 0

    def owed_before(self, day: date) -> int:
        count = bisect_left(self.owed_days, day)
        return self.owed[count - 1] if count else 0


def past_cases(connection: Connection, today: date, zone: str) -> tuple[list[Case], list[bool]]:
    """The newest visits as they were known some days before each, and which were missed, in order of time."""
    rows = stored.past_visits(connection, today - LOOKS_BACK, today - timedelta(days=1), MOST_VISITS)
    past = _pasts(connection, sorted({row.patient_id for row in rows}), today)
    cases = [_past_case(row, past[row.patient_id], zone) for row in rows]
    return cases, [bool(row.missed) for row in rows]


def _pasts(connection: Connection, patient_ids: Sequence[int], today: date) -> dict[int, _Past]:
    found: dict[int, _Past] = defaultdict(_Past)
    for at in range(0, len(patient_ids), AT_ONCE):
        some = patient_ids[at : at + AT_ONCE]
        for kept in stored.kept_before(connection, some, today):
            found[kept.patient_id].days.append(kept.day)
            found[kept.patient_id].missed.append(int(kept.missed))
        for owed in stored.owed_by_day(connection, some):
            found[owed.patient_id].owed_days.append(owed.day)
            found[owed.patient_id].owed.append(int(owed.cents))
    for each in found.values():
        each.missed = list(accumulate(each.missed))
        each.owed = list(accumulate(each.owed))
    return found


def _past_case(row: PastVisit, past: _Past, zone: str) -> Case:
    lead = max(0, (row.day - local(row.made_at, zone).date()).days)
    ahead = min(lead, AHEAD[row.id % len(AHEAD)])
    looked = row.day - timedelta(days=ahead)
    confirmed = row.confirmed_at is not None and local(row.confirmed_at, zone).date() <= looked
    visits, missed = past.visits_before(looked)
    return Case(
        visits=visits,
        missed=missed,
        lead_days=lead,
        days_ahead=ahead,
        confirmed=confirmed,
        start=row.start_min,
        owed=past.owed_before(looked),
    )


def risks_of(
    connection: Connection, clinic: Clinic, visit_ids: Iterable[int], now: datetime
) -> Mapping[int, Risk]:
    """By visit, those of which it is worth a word. `now` is UTC; nothing is read where no model helps."""
    model = model_of(clinic)
    ids = sorted(set(visit_ids))
    if model is None or not model.helps or not ids:
        return {}
    zone = clinic.first_site.timezone
    today = local(now, zone).date()
    found = {}
    for row in stored.visits_ahead_by_id(connection, ids):
        case = Case(
            visits=int(row.visits),
            missed=int(row.missed),
            lead_days=max(0, (row.day - local(row.made_at, zone).date()).days),
            days_ahead=max(0, (row.day - today).days),
            confirmed=bool(row.confirmed),
            start=row.start_min,
            owed=int(row.owed),
        )
        risk = risk_of(model, case)
        if risk is not None:
            found[row.id] = risk
    return found
