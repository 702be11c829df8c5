"""What a claim is about: the services of a visit, or work that is only planned and that a plan is asked about
beforehand (a predetermination).
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date

from zax.desk.clinic.clinic import Clinic
from zax.store.book.queries import one_visit
from zax.store.book.records import Visit
from zax.store.charges.treatment_options import proposal_of
from zax.store.claims.claims import ClaimRow
from zax.store.engine import Connection
from zax.store.patients.patients import known_patient


@dataclass(frozen=True, slots=True, kw_only=True)
class About:
    """Who, with whom, where and when. Of planned work `visit` is None, `day` the one it is asked on and the
    site the clinic's first.
    """

    patient_id: int
    birth: date | None
    provider_id: int
    site_id: int
    day: date
    visit: Visit | None

    @property
    def visit_id(self) -> int:
        """0 where there is no visit."""
        return self.visit.id if self.visit else 0


def about_visit(visit: Visit) -> About:
    return About(
        patient_id=visit.patient_id,
        birth=visit.birth,
        provider_id=visit.provider_id,
        site_id=visit.site_id,
        day=visit.day,
        visit=visit,
    )


def about_planned(
    connection: Connection, clinic: Clinic, patient_id: int, provider_id: int, today: date
) -> About:
    return About(
        patient_id=patient_id,
        birth=known_patient(connection, patient_id).birth,
        provider_id=provider_id,
        site_id=clinic.first_site.id,
        day=today,
        visit=None,
    )


def about_of(connection: Connection, clinic: Clinic, row: ClaimRow, today: date) -> About:
    """What a claim on file is about."""
    if row.visit_id is not None:
        visit = one_visit(connection, row.visit_id)
        assert visit is not None, "a claim names its visit"
        return about_visit(visit)
    proposal = proposal_of(connection, row.proposal_id or 0)
    assert proposal is not None, "a claim without a visit names the planned work"
    return about_planned(connection, clinic, row.patient_id, proposal.provider_id, today)
