"""The charges page and planned work, over HTTP: the one box, the tooth chart, wrong lines, options."""

import html
import re

import pytest

from tests.conftest import JUNO, add_patient, order, scalar, visit_at_checkout
from tests.desk.acting import STROKES
from tests.web.conftest import Browser, hidden
from zax.demo.world import SERVICE_ID
from zax.desk.acts.transaction import Desk
from zax.desk.book.booking import book_visit
from zax.desk.book.planned import plan_service


@pytest.fixture
def visit(desk: Desk) -> int:
    return book_visit(desk, JUNO, order(add_patient(desk, 4)))


# --- charges
def test_the_one_box_offers_planned_work_sets_and_services(juno: Browser, desk: Desk) -> None:
    patient = add_patient(desk, 1)
    plan_service(desk, JUNO, patient, SERVICE_ID["D2740"], "3", "")
    visit_id = book_visit(desk, JUNO, order(patient, 1, "13:00", "Filling"))
    hits = juno.get(f"/visits/{visit_id}/services?what=crown").text
    assert hits.index("Planned") < hits.index("Service sets") < hits.index("Services") and "tooth 3" in hits
    assert "Planned" in juno.get(f"/visits/{visit_id}/services?what=").text
    chosen = juno.get(f"/visits/{visit_id}/services?what=crown&tooth=14").text
    assert "Planned" not in chosen and "Service sets" in chosen
    assert "Planned" in juno.get(f"/visits/{visit_id}/services?what=crown&tooth=3").text
    assert "Service sets" in juno.get(f"/visits/{visit_id}/services?what=crown&tooth=None").text
    base = f"/visits/{visit_id}/charges"
    assert juno.post(f"{base}/add", choice="set:2", what="crown", patient_id=patient).status_code == 303
    assert (
        juno.post(
            f"{base}/add", choice=f"service:{SERVICE_ID['D2391']}", what="19 o filling", patient_id=patient
        ).status_code
        == 303
    )
    assert scalar(desk, "SELECT CONCAT(tooth, surfaces) FROM charge_line ORDER BY id DESC LIMIT 1") == "19O"
    stale = juno.post(f"{base}/add", choice="set:1", what="", patient_id=add_patient(desk, first="Iris"))
    assert stale.status_code == 409 and "Nothing was charged" in stale.text


def test_the_mouth_is_drawn_with_every_tooth_a_button(juno: Browser, desk: Desk) -> None:
    visit_id = visit_at_checkout(desk, add_patient(desk, 1), dental=True)
    page = juno.get(f"/visits/{visit_id}/charges").text
    assert page.count('class="tooth ') == 52 and page.count('class="area"') == 6
    assert (
        'class="tooth today" role="button" tabindex="-1" data-tooth="14"' in page
        and "today: White filling" in page
    )


def test_a_wrong_line_keeps_what_was_typed_and_opens_where_it_is_wrong(odile: Browser, desk: Desk) -> None:
    visit_id = visit_at_checkout(desk, add_patient(desk, 4))
    line = scalar(desk, "SELECT id FROM charge_line")
    wrong = odile.post(
        f"/visits/{visit_id}/charges/change",
        line_id=line,
        units="1",
        modifiers="25 25",
        pointers="C",
        fee="90",
        fee_why="",
        billed="yes",
    )
    assert wrong.status_code == 422 and 'value="25 25"' in wrong.text
    assert (
        "listed twice" in wrong.text
        and "no diagnosis C" in wrong.text
        and "why the fee differs" in wrong.text
    )
    right = odile.post(
        f"/visits/{visit_id}/charges/change",
        line_id=line,
        units="1",
        modifiers="25",
        pointers="A",
        fee="90",
        fee_why="promised",
        billed="yes",
    )
    assert right.status_code == 303 and "90.00*" in odile.get(f"/visits/{visit_id}/charges").text
    assert odile.post(f"/visits/{visit_id}/charges/main-diagnosis", code="J02.9").status_code == 303


# --- planned work
def test_options_are_made_compared_signed_and_booked_from(sam: Browser, desk: Desk) -> None:
    patient = add_patient(desk, 1)
    assert sam.post(f"/patients/{patient}/options", name="", provider_id=1).status_code == 422
    made = sam.post(f"/patients/{patient}/options", name="Upper left", provider_id=1).headers["location"]
    wrong = sam.post(
        f"{made}/add", choice=f"service:{SERVICE_ID['D2740']}", what="crown", letter="A", phase=1
    )
    assert wrong.status_code == 422 and "D2740 needs a tooth" in wrong.text
    assert sam.post(f"{made}/add", choice="", what="crown", letter="A", phase=1).status_code == 422
    assert (
        sam.post(
            f"{made}/add", choice=f"service:{SERVICE_ID['D2740']}", what="14 crown", letter="A", phase=1
        ).status_code
        == 303
    )
    assert sam.post(f"{made}/option", like="A").status_code == 303
    page = sam.get(made).text
    assert page.count("Crown, ceramic") >= 2 and "1,180.00" in page and "565.00" in page and "Sign B" in page
    version = hidden(sam.get(f"{made}?sign=A").text, "version")
    empty = sam.post(f"{made}/sign", letter="A", version=version, strokes="", signer="Helen", relation="self")
    assert empty.status_code == 422 and "Not signed yet" in empty.text
    assert (
        sam.post(
            f"{made}/sign",
            letter="A",
            version=version,
            strokes=STROKES,
            signer="Helen",
            relation="self",
        ).status_code
        == 303
    )
    page = sam.get(made).text
    assert f"/book/new?patient={patient}&amp;provider=1&amp;planned=" in page and "Signed copy" in page
    assert sam.get(f"{made}.pdf").headers["content-type"] == "application/pdf"
    planned = scalar(desk, "SELECT MIN(id) FROM planned_service")
    finder = sam.get(f"/book/new?patient={patient}&provider=1&planned={planned}").headers["location"]
    slip = html.unescape(re.findall(r'class="pick" data-key="1" href="([^"]+)"', sam.get(finder).text)[0])
    assert re.search(r'name="planned" value="\d+" checked', sam.get(slip).text)
    assert "1 service to do" in sam.get(f"/patients/{patient}/planned").text
    assert sam.post(f"{made}/away").headers["location"] == f"/patients/{patient}/planned"


# --- earlier work
def test_earlier_work_is_read_while_it_is_typed_and_entered_from_its_page(juno: Browser, desk: Desk) -> None:
    patient = add_patient(desk, 1)
    base = f"/patients/{patient}/teeth"
    assert f'href="{base}"' in juno.get(f"/patients/{patient}").text
    assert "Nothing yet" in juno.get(base).text
    says = juno.get(f"{base}/read?line=30 crown 2019").text
    assert 'data-teeth="30"' in says and "crown" in says and "2019" in says
    assert "no tooth “99”" in juno.get(f"{base}/read?line=99 crown").text
    assert juno.get(f"{base}/read?line=").text.strip() == ""
    wrong = juno.post(f"{base}/add", line="30 crwn 2019")
    assert wrong.status_code == 422 and 'value="30 crwn 2019"' in wrong.text and "can’t be read" in wrong.text
    assert juno.post(f"{base}/add", line="30 crown 2019", here="yes").status_code == 303
    shown = juno.get(base).text
    assert "crown, done here" in shown and 'class="tooth earlier crown"' in shown and "Undo" in shown
    entry = scalar(desk, "SELECT id FROM tooth_work")
    assert 'value="30 crown 2019 here"' in juno.get(f"{base}?change={entry}").text
    assert juno.post(f"{base}/remove", ids=str(entry)).status_code == 303
    gone = juno.get(base).text
    assert "Nothing yet" in gone and f'name="ids" value="{entry}"' in gone
    assert juno.post(f"{base}/put-back", ids=str(entry)).status_code == 303
    assert "crown, done here" in juno.get(base).text
    assert juno.post(f"{base}/remove", ids="1,99").status_code == 409
    assert juno.get("/patients/999999/teeth").status_code == 404


def test_extra_and_kept_teeth_stand_on_the_chart(juno: Browser, desk: Desk) -> None:
    patient = add_patient(desk, 1)
    base = f"/patients/{patient}/teeth"
    assert 'data-shown="58"' not in juno.get(base).text
    for line in ("58 extra", "A kept", "28 implant 2022", "18-20 bridge", "8 root canal"):
        assert juno.post(f"{base}/add", line=line).status_code == 303
    shown = juno.get(base).text
    permanent = shown[shown.index('data-arch="permanent"') : shown.index('data-arch="primary"')]
    assert 'data-shown="58"' in permanent and 'data-shown="A"' in permanent
    for mark in ("w-head", "w-screw", "w-span", "w-root"):
        assert f'class="{mark}"' in permanent, mark
