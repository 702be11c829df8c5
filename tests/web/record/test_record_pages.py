"""The record's pages without a browser: what is typed stays, problems stand beside their fields, and every
form does what it says.
"""

from __future__ import annotations

import html
import io
import re
from typing import Any

import pytest
from PIL import Image
from sqlalchemy import text

from tests.conftest import JUNO, TODAY, add_patient, order, scalar
from tests.web.conftest import Browser
from zax.core.coverage.benefits import AgeLimit, Benefits, Copay, Frequency
from zax.desk.acts.transaction import Desk
from zax.desk.book.booking import book_visit
from zax.desk.coverage.plans import read_benefits
from zax.standin.eligibility import answer, read_question
from zax.web.coverage.plans import form_of


def upload(web: Browser, path: str, name: str, content: bytes, filename: str, **fields: str) -> Any:
    return web.client.post(
        path,
        data={"csrf": web.token} | fields,
        files={name: (filename, content, "application/octet-stream")},
        follow_redirects=False,
    )


def jpeg() -> bytes:
    out = io.BytesIO()
    Image.new("RGB", (300, 300), "#3b5f55").save(out, "JPEG")
    return out.getvalue()


def test_parts_open_in_their_place_and_keep_what_was_typed(juno: Browser, desk: Desk) -> None:
    number = add_patient(desk, 1, street="")
    page = juno.get(f"/patients/{number}").text
    assert (
        "No address" in page
        and f"/patients/{number}?edit=address#street" in page
        and "Save" not in page.split("Preferred times")[0]
    )
    assert 'id="street"' in juno.get(f"/patients/{number}?edit=address").text
    wrong = juno.post(
        f"/patients/{number}/part/reach", phone="360 555 0148", texts_to="phone", email="nope", version=1
    )
    assert wrong.status_code == 422 and 'id="err-email"' in wrong.text and 'value="nope"' in wrong.text
    assert (
        juno.post(
            f"/patients/{number}/part/reach",
            phone="360 555 0148",
            texts_to="phone",
            email="a@example.org",
            version=1,
        ).status_code
        == 303
    )
    stale = juno.post(f"/patients/{number}/part/person", language="Danish", version=1)
    assert (
        stale.status_code == 409
        and "Juno Park has changed" in stale.text
        and 'value="Danish"' in stale.text
        and 'name="version" value="2"' in stale.text
    )
    assert "a@example.org" in juno.get(f"/patients/{number}/changes").text
    assert juno.post(f"/patients/{number}/part/nonsense", version=2).status_code == 404


def test_flags_notes_status_messages_number_and_household(juno: Browser, desk: Desk) -> None:
    number, other = add_patient(desk), add_patient(desk, first="Mateo")

    def act(name: str, **fields: Any) -> Any:
        version = scalar(desk, "SELECT version FROM patient WHERE id = :id", id=number)
        return juno.post(f"/patients/{number}/act/{name}", version=version, **fields)

    for name, fields in (
        ("flag", {"flag_id": 3}),
        ("note", {"note": "Likes mornings", "pinned": "yes"}),
        ("messages", {"news": "none"}),
        ("ssn", {"ssn": "123-45-6789"}),
        ("join", {"patient_id": other}),
    ):
        assert act(name, **fields).status_code == 303, name
    page = juno.get(f"/patients/{number}").text
    for words in ("Cash only", "Likes mornings", "opted out", "•••-••-6789", "Mateo"):
        assert words in page
    assert "123-45-6789" not in page and "123-45-6789" in juno.post(f"/patients/{number}/ssn/show").text
    for name, fields, says in (
        ("note", {"note": ""}, "Write the note first"),
        ("ssn", {"ssn": "1"}, "nine digits"),
        ("status", {"status": "gone"}, "Choose active"),
        ("join", {"patient_id": other}, "one household"),
    ):
        wrong = act(name, **fields)
        assert wrong.status_code == 422 and says in wrong.text, name
    note = scalar(desk, "SELECT id FROM patient_note")
    for name, fields in (
        ("unflag", {"flag_id": 3}),
        ("end-note", {"note_id": note}),
        ("pays", {}),
        ("leave", {}),
        ("status", {"status": "inactive", "words": "moved"}),
    ):
        assert act(name, **fields).status_code == 303, name
    page = juno.get(f"/patients/{number}").text
    assert "Hidden from lists" in page and "Likes mornings" not in page and act("dance").status_code == 404
    assert (
        "Vasquez, Helen" not in juno.get("/find?q=helen").text
        and "Vasquez, Helen" in juno.get("/patients?q=helen&all=true").text
    )


def test_a_coverage_form_says_what_is_wrong_and_offers_the_way_out(juno: Browser, desk: Desk) -> None:
    number = add_patient(desk, 1)
    old = scalar(desk, "SELECT id FROM coverage")
    fields = {"plan_id": "2", "rank": "1", "member_id": "BW-7", "holder": "self", "from_day": "2026-11-01"}
    clash = juno.post(f"/patients/{number}/coverage/0", **fields)
    assert clash.status_code == 409 and 'name="end_other"' in clash.text and 'value="BW-7"' in clash.text
    assert juno.post(f"/patients/{number}/coverage/0", **fields, end_other="yes").status_code == 303
    page = juno.get(f"/patients/{number}").text
    assert "Brightwater Family" in page and "1 not current" in page and "Annual maximum" in page
    edit = juno.get(f"/patients/{number}?edit=coverage-{old}").text
    assert 'id="member_id"' in edit and f'action="/patients/{number}/coverage/{old}"' in edit
    new = scalar(desk, "SELECT MAX(id) FROM coverage")
    assert juno.post(f"/patients/{number}/coverage/{new}/end", last_day="").status_code == 422
    assert juno.post(f"/patients/{number}/coverage/{new}/end", last_day="2026-11-23").status_code == 303
    assert "pays in full" not in juno.get(f"/patients/{number}").text


def test_the_answer_page_tells_takes_over_and_keeps_the_raw_text(
    web: Browser, desk: Desk, outside: Any
) -> None:
    number = add_patient(desk, 2)
    cover = scalar(desk, "SELECT id FROM coverage")
    web.sign_in("juno")
    assert "hasn’t been asked about this coverage yet" in web.get(f"/coverage/{cover}/answer").text
    visit = book_visit(desk, JUNO, order(number, 1, kind="Filling"))
    assert "not checked" in web.get(f"/visits/{visit}/sheet").text

    class Says(list[Any]):
        def pop(self, _: int = -1) -> str:
            from datetime import UTC, datetime

            return answer(
                read_question(outside.clearinghouse.asked[-1]),
                "active",
                1,
                datetime(2026, 11, 24, tzinfo=UTC),
            )

    outside.clearinghouse.answers = Says([1])
    asked = web.post(f"/coverage/{cover}/ask", back=f"/book?visit={visit}", visit_id=visit)
    assert asked.headers["location"] == f"/coverage/{cover}/answer"
    page = web.get(f"/coverage/{cover}/answer").text
    assert (
        "Active, Brightwater Family." in page
        and "patient pays 50 percent" in page
        and "Billing or a manager can do this" in page
    )
    check = scalar(desk, "SELECT id FROM eligibility_check")
    assert web.get(f"/eligibility/{check}/raw.txt").status_code == 403
    assert "✓ checked" in web.get(f"/visits/{visit}/sheet").text
    refused = web.post(f"/eligibility/{check}/take", row="percents.basic", back="/eligibility")
    assert (
        refused.status_code == 303
        and scalar(desk, "SELECT JSON_VALUE(terms, '$.percents.basic') FROM plan WHERE id = 2") == "70"
    )
    web.sign_in("odile")
    assert web.get(f"/eligibility/{check}/raw.txt").text.startswith("ISA")
    assert web.post(f"/eligibility/{check}/take", row="used", back="/eligibility").status_code == 303
    assert scalar(desk, "SELECT elsewhere_paid_cents FROM coverage") == 12000
    assert "All clear: every response for upcoming visits is fine" in web.get("/eligibility").text
    assert (
        web.post("/eligibility", days="3").status_code == 303
        and web.post(f"/eligibility/{check}/handled").status_code == 303
    )
    for path in ("/coverage/999999/answer", "/eligibility/999999/raw.txt"):
        assert web.get(path).status_code == 404


def test_the_estimate_gives_its_reasons(juno: Browser, desk: Desk) -> None:
    visit = book_visit(desk, JUNO, order(add_patient(desk, 1), 1, kind="Filling"))
    page = juno.get(f"/visits/{visit}/estimate").text
    assert (
        "80 percent of $236.00 after $50.00 deductible" in page
        and "$0.00 of $50.00 met" in page
        and "$2,500.00" in page
    )
    bare = book_visit(desk, JUNO, order(add_patient(desk, first="Bo", phone="3605550177"), 5, start="15:00"))
    assert "No coverage of this type" in juno.get(f"/visits/{bare}/estimate").text


def test_files_and_photos_over_the_wire(juno: Browser, desk: Desk) -> None:
    number = add_patient(desk)
    assert "No files yet" in juno.get(f"/patients/{number}/files").text
    wrong = upload(juno, f"/patients/{number}/files", "file", b"GIF89a", "x.pdf", kind="scan")
    assert wrong.status_code == 422 and "Only PDF" in wrong.text
    assert upload(juno, f"/patients/{number}/files", "file", jpeg(), "x.pdf", kind="scan").status_code == 303
    file_id = scalar(desk, "SELECT id FROM patient_file")
    shown = juno.get(f"/papers/{file_id}")
    assert (
        shown.headers["content-type"] == "image/jpeg"
        and "default-src 'none'" in shown.headers["content-security-policy"]
        and shown.content == jpeg()
    )
    assert shown.headers["x-content-type-options"] == "nosniff"
    assert (
        upload(
            juno,
            f"/patients/{number}/photo",
            "photo",
            jpeg(),
            "me.jpg",
            turns="1",
            left="0",
            top="0",
            side="900",
        ).status_code
        == 303
    )
    digest = scalar(desk, "SELECT photo FROM patient")
    assert juno.get(f"/patients/{number}/photo/{digest[:12]}").headers["content-type"] == "image/jpeg"
    assert juno.get(f"/patients/{number}/photo/0000").status_code == 404
    assert upload(juno, f"/patients/{number}/photo", "photo", b"%PDF-", "me.jpg").status_code == 422
    assert (
        juno.post(f"/patients/{number}/files/{file_id}/end").status_code == 303
        and juno.get(f"/papers/{file_id}").status_code == 404
    )
    assert (
        juno.post(f"/patients/{number}/files/{file_id}/back").status_code == 303
        and juno.get(f"/papers/{file_id}").status_code == 200
    )
    out = io.BytesIO()
    Image.new("RGB", (20, 20)).save(out, "TIFF")
    upload(juno, f"/patients/{number}/files", "file", out.getvalue(), "x.tif", kind="xray")
    assert juno.get(f"/papers/{file_id + 1}").headers["content-type"] == "image/png"


def test_pairs_typing_and_merging_over_the_wire(web: Browser, desk: Desk) -> None:
    keep, drop = add_patient(desk), add_patient(desk, first="Helena")
    web.sign_in("juno")
    assert (
        "same birth date" in web.get("/duplicates").text
        and web.get(f"/duplicates?with={keep}").text.count("Helena") >= 1
    )
    assert (
        "Already on file?"
        in web.get("/duplicates/typing?first=Helen&last=Vasques&birth=5/3/84&phone=36").text
    )
    assert (
        web.get("/duplicates/typing?first=H").text.strip() == ""
        and web.get("/duplicates?with=999999").status_code == 404
    )
    assert web.get(f"/merge?keep={keep}&drop={drop}").status_code == 403
    web.sign_in("odile")
    assert "goes into it" in web.get(f"/merge?keep={keep}&drop={drop}").text
    fields = {"keep": keep, "drop": drop, "keep_version": 1, "drop_version": 1, "first": "drop"}
    assert "Check the box to confirm you compared" in web.post("/merge", **fields).text
    assert web.post("/merge", **fields, sure="yes").status_code == 303
    assert (
        web.get(f"/patients/{drop}").headers["location"] == f"/patients/{keep}"
        and scalar(desk, "SELECT first FROM patient WHERE id = :id", id=keep) == "Helena"
    )
    third = add_patient(desk, first="Helen")
    assert (
        web.post("/duplicates/two", a=keep, b=third).status_code == 303
        and "No likely duplicates" in web.get("/duplicates").text
    )


def test_plans_payers_fees_and_flags_over_the_wire(web: Browser, desk: Desk) -> None:
    with desk.engine.connect() as connection:
        before = connection.execute(text("SELECT terms, version FROM plan WHERE id = 1")).one()
    web.sign_in("juno")
    assert (
        "Harbor Guild Dental" in web.get("/plans").text
        and "Save for" not in web.get("/plans/1").text
        and web.post("/plans/1", version=1).status_code == 403
    )
    web.sign_in("odile")
    add_patient(desk, 1)
    assert (
        "Save for 1 patient" in web.get("/plans/1").text
        and "New medical plan" in web.get("/plans/0?payer=3&dental=0").text
    )
    fields = {
        "name": "Harbor Guild Dental",
        "payer_id": 1,
        "dental": 1,
        "version": before.version,
        "percent-basic": "80",
        "f_codes": "D1110",
        "f_count": "2",
        "f_months": "6",
        "f_per": "person",
        "f_counts": "paid",
        "s_code": "D4910",
        "s_percent": "60",
        "s_copay": "",
        "a_codes": "D1206",
        "a_from": "",
        "a_to": "18",
        "a_until": "month",
        "unmaxed": "preventive",
        "out_of_pocket": "1,500",
        "deductible_out": "100",
        "maximum_out": "500",
        "coordination": "standard",
        "year_starts": "1",
    }
    wrong = web.post("/plans/1", **(fields | {"percent-basic": "180"}))
    assert wrong.status_code == 422 and "0 to 100." in wrong.text and 'value="180"' in wrong.text
    try:
        assert web.post("/plans/1", **fields).status_code == 303
        kept = desk.clinic.plans[1].benefits
        assert (kept.frequencies[0].months, kept.frequencies[0].counts) == (6, "paid")
        assert (kept.ages[0].until, kept.code_percents, kept.no_maximum) == (
            "month",
            {"D4910": 60},
            frozenset({"preventive"}),
        )
        amounts = (kept.out_of_pocket_cents, kept.deductible_out_cents, kept.maximum_out_cents)
        assert amounts == (150_000, 10_000, 50_000)
        assert (
            "so it stays" in web.post("/plans/1/delete").text
            and web.post("/plans/1/retire").status_code == 303
            and web.post("/plans/1/revive").status_code == 303
        )
        assert (
            web.post("/plans/1/sell").status_code == 404
            and web.get("/plans/999").status_code == 404
            and web.get("/payers/999").status_code == 404
            and web.get("/fees/999").status_code == 404
        )
        assert (
            "Days after the service"
            in web.post(
                "/payers/1",
                name="Harbor Guild Dental",
                electronic_id="HGD01",
                filing_days="",
                kind="insurer",
                eligibility="auto",
            ).text
        )
        assert (
            "Contract" in web.get("/plans").text
            and "D2392" in web.get("/fees/1").text
            and web.get("/fees/0?payer=1").status_code == 200
        )
        assert "Name the schedule" in web.post("/fees/0", name="", payer_id="1", network="in").text
        web.sign_in("sam")
        assert (
            "Cash only" in web.get("/setup/flags").text
            and "2 to 40 letters" in web.post("/setup/flags/0", words="x").text
        )
        assert "A whole number" in web.post("/setup/eligibility", hour="99", days="3", fresh_days="7").text
    finally:
        with desk.engine.begin() as connection:
            connection.execute(
                text("UPDATE plan SET terms = :terms, version = :version, active = 1 WHERE id = 1"),
                before._asdict(),
            )


@pytest.mark.parametrize(
    "path", ["/patients/{0}", "/patients/{0}/files", "/patients/{0}/changes", "/patients/{0}/export.json"]
)
def test_looking_at_a_record_is_on_record(odile: Browser, desk: Desk, path: str) -> None:
    number = add_patient(desk)
    assert odile.get(path.format(number)).status_code == 200
    assert scalar(desk, "SELECT COUNT(*) FROM look WHERE patient_id = :id AND user_id = 3", id=number) == 1
    assert str(TODAY.year) in str(scalar(desk, "SELECT MAX(at) FROM look"))


def test_a_session_that_ends_while_somebody_types_leaves_the_form_alone(juno: Browser) -> None:
    juno.client.cookies.delete("zax_session")
    asked = juno.get("/duplicates/typing?first=Otis&last=Finch", headers={"hx-request": "true"})
    assert (
        asked.status_code == 401
        and "What you typed is kept" in asked.text
        and "hx-redirect" not in asked.headers
    )
    live = juno.get("/day", headers={"hx-request": "true", "x-live": "1"})
    assert live.headers["hx-redirect"] == "/sign-in"


def test_a_plans_form_shows_what_is_on_file() -> None:
    plan = Benefits(
        name="P",
        percents={"basic": 80},
        deductible_cents=0,
        maximum_cents=0,
        lifetime_maximums={"orthodontics": 150000},
        copays=(Copay("basic", 1000, "service"),),
        code_percents={"D4910": 60},
        code_copays={"D4910": 500},
        no_maximum=frozenset({"preventive"}),
        household_out_of_pocket_cents=300_000,
        frequencies=(Frequency(frozenset({"D4910"}), 2, 12, "tooth", "paid"),),
        ages=(AgeLimit(frozenset({"D4910"}), None, 18, "month"),),
    )
    form = form_of(plan)
    assert (
        form.fields["maximum"],
        form.fields["deductible"],
        form.fields["household_maximum"],
        form.fields["lifetime-orthodontics"],
    ) == ("0.00", "", "", "1,500.00")
    assert read_benefits(form, "P", True, frozenset({"D4910"})) == plan


def inputs_of(page: str) -> dict[str, str]:
    """The fields of the section that is open, as the browser would send them."""
    form = re.search(r'<form method="post" action="[^"]*/part/\w+">(.*?)</form>', page, re.S)
    assert form
    fields = {}
    for tag in re.findall(r"<input[^>]*>", form[1]):
        name, value = re.search(r'name="([^"]+)"', tag), re.search(r'value="([^"]*)"', tag)
        if name and name[1] not in {"csrf", "once"}:
            fields[name[1]] = html.unescape(value[1]) if value else ""
    for name, options in re.findall(r'<select[^>]*name="([^"]+)".*?>(.*?)</select>', form[1], re.S):
        chosen = re.search(r'value="([^"]*)" selected', options)
        fields[name] = chosen[1] if chosen else ""
    return fields


def test_a_conflict_saved_again_keeps_what_the_other_person_entered(web: Browser, desk: Desk) -> None:
    """Kills: sending back what stood in a field that I never touched."""
    number = add_patient(desk, 1, email="old@example.org")
    web.sign_in("juno")
    mine = inputs_of(web.get(f"/patients/{number}?edit=reach").text)
    theirs = mine | {"phone": "360 555 0199", "work_phone": "360 555 0111"}
    assert web.post(f"/patients/{number}/part/reach", **theirs).status_code == 303
    stale = web.post(f"/patients/{number}/part/reach", **mine | {"email": "new@example.org"})
    assert stale.status_code == 409
    again = inputs_of(stale.text)
    assert again["email"] == "new@example.org" and "0199" in again["phone"]
    assert web.post(f"/patients/{number}/part/reach", **again).status_code == 303
    kept = "SELECT CONCAT(phone, ' ', work_phone, ' ', email) FROM patient WHERE id = :id"
    assert scalar(desk, kept, id=number) == "3605550199 3605550111 new@example.org"
    # A second conflict in the same form, about a field of mine: mine is what I typed.
    third = web.post(f"/patients/{number}/part/reach", **again | {"email": "third@example.org"})
    assert inputs_of(third.text)["email"] == "third@example.org"
