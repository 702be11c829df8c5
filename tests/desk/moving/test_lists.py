"""Lists of the setup brought along: services with fees, payers, plans, providers, doctors; what is new, what
changes, what was there, what is refused, and that a dry run keeps nothing.
"""

from __future__ import annotations

from pathlib import Path

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from tests.conftest import JUNO, ODILE, SAM, scalar
from tests.desk.moving.bringing import bring, came, counts
from zax.core.errors import NotAllowed, NotFound, Refused
from zax.core.table import table_lines
from zax.desk.acts.transaction import Desk
from zax.desk.moving.lists import LISTS
from zax.desk.setup.changes import undo_change
from zax.store.acts.setup_log import RECORDED

SERVICES = (
    "Procedure code,Description,Category,UCR Fee,Treatment area,Guild 2026\n"
    "D0120,,,$70.00,,52.50\n"
    "D2790,Crown for a tooth,major care,1250,a tooth,\n"
    "99213,Office visit,office,abc,,\n"
    "D1110,,,,,\n"
    "d0120,,,71,,\n"
    "X9,What,major,1,,\n"
    "D2792,Crown of noble metal,major,0.00,a tooth,\n"
    "D2799,Crown for now,major,-5,a tooth,\n"
)


def guild(desk: Desk) -> str:
    return next(each.name for each in desk.clinic.contracts.schedules)


def test_services_are_new_changed_known_or_refused(desk: Desk, tmp_path: Path) -> None:
    listed = SERVICES.replace("Guild 2026", guild(desk))
    before = scalar(desk, "SELECT GROUP_CONCAT(code, fee_cents ORDER BY id) FROM service")
    fees = scalar(desk, "SELECT SUM(cents) FROM fee")
    dry = bring(desk, tmp_path, "services", listed, dry=True)
    assert (dry.state, *counts(dry)) == ("checked", 2, 1, 1, 4)
    assert scalar(desk, "SELECT GROUP_CONCAT(code, fee_cents ORDER BY id) FROM service") == before
    assert scalar(desk, "SELECT SUM(cents) FROM fee") == fees
    assert scalar(desk, "SELECT COUNT(*) FROM setup_change") == 0

    job = bring(desk, tmp_path, "services", listed)
    assert (job.state, *counts(job)) == ("done", 2, 1, 1, 4)
    told = came(desk, job, "changed")[2]
    assert "D0120" in told and "$64.00 → $70.00" in told and "→ $52.50" in told and guild(desk) in told
    refused = came(desk, job, "refused")
    assert refused[4].startswith("Clinic’s fee:") and "Code: Write the code as claims do" in refused[7]
    assert refused[9] == "Clinic’s fee: A fee can’t be negative." and desk.clinic.fees["D2792"] == 0
    assert refused[6] == "The same as line 2 of this file."
    new = next(each for each in desk.clinic.services.values() if each.code == "D2790")
    assert (new.fee_cents, new.category, new.rule.needs_tooth, new.rule.dental) == (
        125_000,
        "major",
        True,
        True,
    )
    assert desk.clinic.contracts.schedules[0].fees["D0120"] == 5250


def test_what_a_list_changed_of_the_setup_is_one_change_and_can_be_turned_back(
    desk: Desk, tmp_path: Path
) -> None:
    bring(desk, tmp_path, "services", "code,fee\nD0120,70\nD1110,120\n")
    assert (desk.clinic.fees["D0120"], desk.clinic.fees["D1110"]) == (7000, 12000)
    assert scalar(desk, "SELECT COUNT(*) FROM setup_change") == 1
    undo_change(desk, SAM, scalar(desk, "SELECT id FROM setup_change"))
    assert (desk.clinic.fees["D0120"], desk.clinic.fees["D1110"]) == (6400, 11800)


def test_payers_and_plans_are_made_and_those_on_the_list_left_alone(desk: Desk, tmp_path: Path) -> None:
    job = bring(
        desk,
        tmp_path,
        "payers",
        "Carrier,EDI ID,Type,Timely filing\nTidewater Dental,twd01,insurer,180\nHarbor"
        " Guild,HGD01,,\n,ABC,,\n",
    )
    assert counts(job) == (1, 0, 1, 1)
    made = next(each for each in desk.clinic.payers.values() if each.electronic_id == "TWD01")
    assert (made.name, made.filing_days, made.filing_indicator) == ("Tidewater Dental", 180, "CI")
    plans = (
        "Insurance,Plan name,Type,Preventive,Basic,Major,Deductible,Annual max\n"
        "Tidewater Dental,Family,dental,100,80%,50,$50,1500\n"
        "TWD01,Family,dental,100,80,50,50,1500\n"
        "HGD01,Harbor Guild Dental,dental,,,,,\n"
        "Nowhere Mutual,Gold,dental,100,80,50,50,1500\n"
        "TWD01,Silver,vision,100,80,50,50,1500\n"
        "TWD01,Bronze,dental,180,,,,\n"
    )
    job = bring(desk, tmp_path, "plans", plans)
    assert counts(job) == (1, 0, 2, 3)
    plan = next(each for each in desk.clinic.plans.values() if each.payer_name == "Tidewater Dental")
    assert dict(plan.benefits.percents) == {"preventive": 100, "basic": 80, "major": 50}
    assert (plan.benefits.deductible_cents, plan.benefits.maximum_cents) == (5000, 150_000)
    refused = came(desk, job, "refused")
    assert "no payer “Nowhere Mutual”" in refused[5] and "dental or medical" in refused[6]
    assert refused[7] == "Preventive care, percent: 0 to 100."


def test_providers_and_doctors_are_told_apart_by_npi_or_name(desk: Desk, tmp_path: Path) -> None:
    rows = (
        "First name,Last name,Role,NPI,Room\n"
        "Vera,Lindqvist,dentist,1467560060,\n"
        "Someone,Else,dentist,1467560003,\n"
        "maren,SOLLIS,hygienist,,\n"
        "Vera,Lindqvist,dentist,,\n"
        "Paul,Reed,surgeon,,\n"
        "Ann,Reed,hygienist,,Cellar\n"
        "Ann,Reed,hygienist,123,\n"
    )
    job = bring(desk, tmp_path, "providers", rows)
    assert counts(job) == (1, 0, 3, 3)
    vera = next(each for each in desk.clinic.providers.values() if each.last == "Lindqvist")
    assert (vera.name, vera.npi, vera.dental) == ("Vera Lindqvist", "1467560060", True)
    assert scalar(desk, "SELECT COUNT(*) FROM provider_hours WHERE provider_id = :n", n=vera.id) == 5
    refused = came(desk, job, "refused")
    assert "no dental room called “Cellar”" in refused[7] and "NPI" in refused[8]

    job = bring(
        desk,
        tmp_path,
        "doctors",
        "First name,Last name,Credentials,Office,Phone\nOla,Berg,DDS,Berg Endo,360 555"
        " 0101\nola,berg,,,\nA,,,,\n",
    )
    assert counts(job) == (1, 0, 0, 2)
    assert scalar(desk, "SELECT CONCAT_WS('|', last, degree, practice, phone) FROM outside_doctor") == (
        "Berg|DDS|Berg Endo|3605550101"
    )


def test_a_list_needs_its_own_right_and_a_known_name(desk: Desk, tmp_path: Path) -> None:
    with pytest.raises(NotAllowed):
        bring(desk, tmp_path, "services", "code,fee\nD0120,70\n", actor=JUNO)
    with pytest.raises(NotAllowed):
        bring(desk, tmp_path, "providers", "first,last,role\nA,B,dentist\n", actor=ODILE)
    with pytest.raises(NotFound):
        bring(desk, tmp_path, "recipes", "a,b\n1,2\n")
    with pytest.raises(Refused):
        bring(desk, tmp_path, "services", "price\n1\n")


def test_every_heading_that_is_given_out_is_understood_again(desk: Desk) -> None:
    for each in LISTS.values():
        columns = each.columns(desk.clinic)
        assert columns.guess(list(columns.words.values())) == {
            name: n for n, name in enumerate(columns.words)
        }
        assert set(columns.needed) <= set(columns.words) and set(columns.others) <= set(columns.words)


CELLS = st.text(st.characters(exclude_categories=("Cs", "Cc")), max_size=12) | st.sampled_from(
    [
        "D0120",
        "70",
        "-1",
        "1e9",
        "999999999999",
        "dentist",
        "HGD01",
        "dental",
        "100",
        "=1+1",
        "12/31/2026",
        "9",
    ]
)


@settings(max_examples=25, suppress_health_check=[HealthCheck.function_scoped_fixture, HealthCheck.too_slow])
@given(data=st.data())
@pytest.mark.parametrize("kind", [key for key, each in LISTS.items() if each.right != "merge"])
def test_no_row_breaks_an_import_and_a_dry_run_says_what_happens(
    desk: Desk, tmp_path: Path, kind: str, data: st.DataObject
) -> None:
    columns = LISTS[kind].columns(desk.clinic).words
    rows = data.draw(
        st.lists(st.lists(CELLS, min_size=len(columns), max_size=len(columns)), min_size=1, max_size=4)
    )
    content = "".join(table_lines(list(columns.values()), rows))
    if not any(cell.strip() for row in rows for cell in row):
        return
    before = [scalar(desk, f"SELECT COUNT(*) FROM `{name}`") for name in sorted(RECORDED)]
    dry = bring(desk, tmp_path, kind, content, dry=True)
    assert [scalar(desk, f"SELECT COUNT(*) FROM `{name}`") for name in sorted(RECORDED)] == before
    job = bring(desk, tmp_path, kind, content)
    assert sum(counts(job)) == job.total == job.done
    assert job.made + job.changed <= job.total and dry.total == job.total
