"""The pages of money by requests: paying, receipts, the account's corrections, plans, statements, the close,
setup; and a database that dies.
"""

import re
from pathlib import Path
from typing import Any

import pytest
from sqlalchemy import Engine, text

from tests.conftest import (
    JUNO,
    TODAY,
    add_patient,
    known_patient,
    order,
    scalar,
    visit_at_checkout,
)
from tests.desk.acting import patient_open
from tests.desk.paying import agrees, items_of, line_of, picked, relative
from tests.web.conftest import Browser, hidden
from zax.desk.acts.transaction import Desk
from zax.desk.book.booking import book_visit
from zax.desk.day.checkout import finish_checkout
from zax.desk.worker.worker import run_once
from zax.outside.doors import Outside, Sale
from zax.store.files import FileStore
from zax.web.money.documents import receipt_pdf, statement_pdfs


@pytest.fixture
def owing(desk: Desk) -> tuple[int, int]:
    """Helen with a finished visit over 286.00: (patient, visit)."""
    patient = add_patient(desk)
    visit = visit_at_checkout(desk, patient, dental=True)
    finish_checkout(desk, JUNO, visit)
    return patient, visit


# --- paying
def test_the_payment_page_is_one_key_away_and_takes_what_is_ticked(
    juno: Browser, desk: Desk, owing: tuple[int, int]
) -> None:
    patient, visit = owing
    for page in (f"/accounts/{patient}", f"/day?visit={visit}"):
        assert re.search(rf'href="/pay/{patient}[^"]*" data-key="p"', juno.get(page).text), page
    page = juno.get(f"/pay/{patient}?visit={visit}").text
    assert "White filling" in page and 'value="286.00"' in page and hidden(page, "key")
    done = juno.post(
        f"/pay/{patient}", **picked(desk, patient, visit, amount="300", over="change", receipt="print")
    )
    assert done.status_code == 303 and done.headers["location"].startswith("/receipts/")
    receipt = juno.get(done.headers["location"]).text
    assert (
        "$286.00" in receipt
        and "Change due" in receipt
        and "14.00" in receipt
        and patient_open(desk, visit) == 0
    )
    again = juno.post(
        f"/pay/{patient}", **{"pick": "deposit", "tender": "cash", "amount": "300", "key": "k", "do": "pay"}
    )
    assert (
        again.headers["location"].split("?")[0] == done.headers["location"].split("?")[0]
    )  # the same key is the same payment


@pytest.mark.parametrize(
    ("changes", "field", "words"),
    [
        ({"amount": "x"}, "amount-1", "isn’t an amount"),
        ({"tender": "check"}, "number-1", "printed on the check"),
        ({"amount": "287"}, "over", "$1.00 more than the $286.00 due"),
        ({"pick": ""}, "items", "Check what’s being paid"),
        ({"receipt": "email"}, "receipt", "No email address"),
    ],
)
def test_what_is_wrong_is_said_beside_its_field_and_nothing_typed_is_lost(
    juno: Browser, desk: Desk, changes: dict[str, str], field: str, words: str
) -> None:
    patient = add_patient(desk, email="")
    visit = visit_at_checkout(desk, patient, dental=True)
    form = picked(desk, patient, visit, number="", **changes)
    if changes.get("pick") == "":
        form.pop("pick")
    answer = juno.post(f"/pay/{patient}", **form)
    assert answer.status_code == 422 and f'id="err-{field}"' in answer.text and words in answer.text
    assert f'value="{form["amount"]}"' in answer.text and scalar(desk, "SELECT COUNT(*) FROM payment") == 0


def test_too_much_on_one_line_is_said_beside_it(juno: Browser, desk: Desk, owing: tuple[int, int]) -> None:
    patient, visit = owing
    line = line_of(desk, patient)
    answer = juno.post(f"/pay/{patient}", **picked(desk, patient, visit, **{f"for-line-{line}": "300"}))
    assert (
        answer.status_code == 422
        and f'id="err-item-{line}"' in answer.text
        and "Only $286.00 is due here" in answer.text
    )
    answer = juno.post(f"/pay/{patient}", **picked(desk, patient, visit, **{f"for-line-{line}": "abc"}))
    assert answer.status_code == 422 and f'id="err-item-{line}"' in answer.text


def test_a_product_is_put_on_the_form_and_sold(juno: Browser, desk: Desk, engine: Engine) -> None:
    patient = add_patient(desk)
    empty = juno.post(f"/pay/{patient}", do="add", key="k")
    assert empty.status_code == 422 and "Choose a product first" in empty.text
    page = juno.post(f"/pay/{patient}", do="add", product="1", pieces="2", key="k")
    assert (
        page.status_code == 200
        and 'name="sale" value="1:2"' in page.text
        and "2 × Soft toothbrush" in page.text
    )
    before = scalar(desk, "SELECT stock FROM product WHERE id = 1")
    done = juno.post(f"/pay/{patient}", do="pay", sale="1:2", tender="cash", amount="9.77", key="k")
    assert done.status_code == 303 and scalar(desk, "SELECT stock FROM product WHERE id = 1") == before - 2
    line = scalar(desk, "SELECT id FROM charge_line WHERE kind = 'product'")
    assert (
        "Return it to stock"
        in juno.get(f"/accounts/{patient}?why=e{scalar(desk, 'SELECT MIN(id) FROM journal')}").text
    )
    assert juno.post(f"/accounts/{patient}/correct", do="product-back", line_id=line).status_code == 303
    assert (
        scalar(desk, "SELECT stock FROM product WHERE id = 1") == before
        and items_of(desk, patient).credit == 977
    )
    with engine.begin() as connection:
        connection.exec_driver_sql("DELETE FROM allocation")
        connection.exec_driver_sql("UPDATE charge_line SET product_id = NULL")


def test_a_copay_is_taken_ahead_and_a_declined_card_leads_to_another_way(
    juno: Browser, desk: Desk, outside: Outside
) -> None:
    patient = add_patient(desk)
    visit = book_visit(desk, JUNO, order(patient))
    page = juno.get(f"/pay/{patient}?visit={visit}&only=ahead").text
    assert f'name="pick" value="visit-{visit}"' in page and re.search(
        rf'value="visit-{visit}" data-cents="0" checked', page
    )
    outside.terminal.answers.append(Sale(state="declined", words="the bank refuses this card"))
    form = {
        "pick": f"visit-{visit}",
        f"for-visit-{visit}": "20",
        "tender": "card",
        "amount": "20",
        "do": "pay",
        "visit": visit,
    }
    done = juno.post(f"/pay/{patient}", **form, key="one")
    receipt = juno.get(done.headers["location"]).text
    assert (
        "declined: the bank refuses this card" in receipt
        and "20.00 wasn’t approved" in receipt
        and f"/pay/{patient}?visit={visit}" in receipt
    )
    assert juno.post(f"/pay/{patient}", **form, key="two").status_code == 303
    assert items_of(desk, patient).credits[0].coming


def test_credit_is_offered_and_used_on_the_payment_page(juno: Browser, desk: Desk) -> None:
    patient = known_patient(desk)
    juno.post(
        f"/pay/{patient}",
        pick="deposit",
        tender="cash",
        amount="50",
        key="k",
        do="pay",
        **{"for-deposit": ""},
    )
    visit = visit_at_checkout(desk, patient)
    page = juno.get(f"/pay/{patient}").text
    assert "Use $50.00 of it" in page
    credit = hidden(page, "credit")
    assert (
        juno.post(f"/pay/{patient}/credit", credit=credit, back=f"/pay/{patient}").headers["location"]
        == f"/pay/{patient}"
    )
    assert patient_open(desk, visit) == 7_800
    assert juno.post(f"/pay/{patient}/credit", credit=credit).status_code == 409


# --- receipts
def test_money_is_given_back_voided_and_mailed_from_the_receipt(
    juno: Browser, desk: Desk, owing: tuple[int, int]
) -> None:
    patient, visit = owing
    location = juno.post(f"/pay/{patient}", **picked(desk, patient, visit)).headers["location"].split("?")[0]
    payment = scalar(desk, "SELECT id FROM payment")
    assert juno.get(f"/payments/{payment}").headers["location"] == f"{location}?back={payment}"
    wrong = juno.post(f"{location}/back", payment=payment, amount="300", why="", key="b", do="refund")
    assert (
        wrong.status_code == 422
        and "Only $286.00 of this payment is left" in wrong.text
        and "Say why" in wrong.text
    )
    assert (
        juno.post(
            f"{location}/back", payment=payment, amount="20", why="overpaid", key="b1", do="refund"
        ).status_code
        == 303
    )
    assert (
        patient_open(desk, visit) == 2_000
        and "Refunded" in juno.get(location).text
        and "overpaid" in juno.get(location).text
    )
    assert juno.post(f"{location}/mail").status_code == 303
    assert scalar(desk, "SELECT COUNT(*) FROM outbox WHERE kind = 'receipt_mail'") == 1
    assert juno.get(f"{location}.pdf").content[:5] == b"%PDF-"
    for missing in ("/receipts/999999", "/payments/999999", "/receipts/999999.pdf"):
        assert juno.get(missing).status_code == 404


def test_a_returned_check_is_undone_with_its_fee(juno: Browser, desk: Desk, owing: tuple[int, int]) -> None:
    patient, visit = owing
    location = (
        juno.post(f"/pay/{patient}", **picked(desk, patient, visit, tender="check", number="1042"))
        .headers["location"]
        .split("?")[0]
    )
    payment = scalar(desk, "SELECT id FROM payment")
    assert "Bank returned it" in juno.get(location).text
    juno.post(f"{location}/back", payment=payment, why="no funds", fee="yes", do="returned")
    assert patient_open(desk, visit) == 28_600 and items_of(desk, patient).due == 31_100
    assert "Returned by the bank" in juno.get(location).text and agrees(desk)


# --- the account
def test_the_account_by_visit_by_date_and_for_one_person(
    juno: Browser, desk: Desk, owing: tuple[int, int]
) -> None:
    patient, visit = owing
    rafael = relative(desk, patient)
    visit_at_checkout(desk, rafael, start="16:00")
    whole = juno.get(f"/accounts/{patient}").text
    assert "$454.00" in whole and "How $454.00 came about" in whole and f'id="v{visit}"' in whole
    assert "How $286.00 came about" in juno.get(f"/accounts/{patient}?who=one").text
    dates = juno.get(f"/accounts/{patient}?by=date").text
    assert "By date" in dates and dates.count('class="jl charge') == 2
    part = juno.get(f"/accounts/{patient}/why/v{visit}").text
    assert "How $286.00 came about" in part and "<html" not in part
    assert (
        juno.get(f"/accounts/{patient}/why/v999999").status_code == 404
        and juno.get(f"/accounts/{patient}?why=zzz").status_code == 404
    )


def test_corrections_are_made_where_the_amount_is_explained(
    juno: Browser, desk: Desk, owing: tuple[int, int]
) -> None:
    patient, visit = owing
    line, charge = line_of(desk, patient), scalar(desk, "SELECT MIN(id) FROM journal")

    def post(do: str, **form: str) -> Any:
        return juno.post(f"/accounts/{patient}/correct", do=do, line_id=line, at=f"e{charge}", **form)

    assert "Write off" in juno.get(f"/accounts/{patient}?why=e{charge}").text
    wrong = post("write-off", amount="30", reason_id="1")
    assert wrong.status_code == 403 and "at most $25.00" in wrong.text and 'value="30"' in wrong.text
    assert post("write-off", amount="5", reason_id="1", why="note").status_code == 303
    assert post("discount", amount="5", why="today").status_code == 303
    assert post("discount", discount_id="1").status_code == 303  # 5 percent of 276.00
    assert patient_open(desk, visit) == 26_220
    assert post("shift", to="insurer", amount="62.20", why="plan found").status_code == 303
    rafael = relative(desk, patient)
    assert post("hand-over", to_patient=rafael, amount="100", why="his").status_code == 303
    assert patient_open(desk, visit) == 10_000 and items_of(desk, patient).due == 20_000
    entry = scalar(desk, "SELECT id FROM journal WHERE kind = 'writeoff'")
    assert post("take-back", entry=entry, why="").status_code == 422
    assert post("take-back", entry=entry, why="paid after all").status_code == 303
    assert post("dance").status_code == 422 and patient_open(desk, visit) == 10_500
    juno.post(
        f"/pay/{patient}",
        pick=f"line-{line}",
        tender="cash",
        amount="105",
        key="k",
        do="pay",
        **{f"of-line-{line}": visit},
    )
    credit = scalar(desk, "SELECT id FROM journal WHERE kind = 'payment'")
    other = next(each.line_id for each in items_of(desk, patient).lines)
    assert post("move", credit=credit, to_line="", amount="20").status_code == 422
    assert post("move", credit=credit, to_line=other, amount="20").status_code == 303
    assert post("move", credit=credit, to_line="credit", amount="30").status_code == 303
    assert items_of(desk, patient).credit == 3_000
    waiting = items_of(desk, patient).credits[0].entry_id
    assert (
        post("use", credit=waiting).status_code == 303
        and items_of(desk, patient).credit == 0
        and agrees(desk)
    )


def test_a_plan_is_looked_at_kept_and_ended(juno: Browser, desk: Desk, owing: tuple[int, int]) -> None:
    patient, _ = owing
    line = line_of(desk, patient)
    assert "286.00 checked" in juno.get(f"/accounts/{patient}/plan").text
    form = {"line": line, "amount": "286", "count": "3", "first": TODAY, "every": "month"}
    seen = juno.post(f"/accounts/{patient}/plan", **form, do="look").text
    assert "95.34" in seen and "95.33" in seen and "Jan 24, 2027" in seen
    assert (
        "come to $286.00"
        in juno.post(f"/accounts/{patient}/plan", **form | {"amount": "300"}, do="keep").text
    )
    assert juno.post(f"/accounts/{patient}/plan", **form, do="keep").status_code == 303
    assert "Payment plan" in juno.get(f"/accounts/{patient}").text
    number = scalar(desk, "SELECT id FROM payment_plan")
    assert juno.post(f"/plans-of-payment/{number}/end", why="", patient_id=patient).status_code == 422
    assert (
        juno.post(f"/plans-of-payment/{number}/end", why="paid at once", patient_id=patient).status_code
        == 303
    )


# --- statements, the close, setup
def test_statements_are_previewed_made_and_printed(
    sam: Browser, desk: Desk, owing: tuple[int, int], outside: Outside, tmp_path: Path
) -> None:
    patient, _ = owing
    made = sam.post(f"/accounts/{patient}/statement", who="one")
    assert sam.get(made.headers["location"]).content[:5] == b"%PDF-"
    assert "No run yet" in sam.get("/statements").text
    assert sam.post("/statements", minimum="x", days="28", do="look").status_code == 422
    listed = sam.post("/statements", minimum="5", days="0", do="look").text
    assert "Vasquez, Helen" in listed and "Make 1 statement" in listed
    mark = hidden(listed, "mark")
    for changed in ({"minimum": "1"}, {"days": "1"}, {"answered": "yes"}, {"interest": "yes"}, {"mark": ""}):
        asked = {"minimum": "5", "days": "0", "do": "make", "mark": mark} | changed
        again = sam.post("/statements", **asked)
        assert again.status_code == 409 and "here is who it is now" in again.text, changed
    assert scalar(desk, "SELECT COUNT(*) FROM statement_run") == 0
    run = sam.post("/statements", minimum="5", days="0", do="make", mark=mark).headers["location"]
    assert "0 of 1" in sam.get(run).text and sam.get(f"{run}.pdf").status_code == 404
    run_once(desk, outside, receipt_pdf, FileStore(tmp_path), statement_pdfs=statement_pdfs)
    assert "1 of 1" in sam.get(run).text and sam.get(f"{run}.pdf").content[:5] == b"%PDF-"
    assert sam.post(f"{run}/stop").status_code == 409 and sam.get("/statements/999999.pdf").status_code == 404


def test_the_day_is_counted_and_closed(juno: Browser, desk: Desk, owing: tuple[int, int]) -> None:
    patient, visit = owing
    juno.post(f"/pay/{patient}", **picked(desk, patient, visit))
    page = juno.get("/close").text
    assert "Close Tuesday" in page and "286.00" in page
    mark = hidden(page, "mark")
    short = juno.post("/close", day=TODAY, mark=mark, **{"piece-10000": "4"})
    assert short.status_code == 422 and 'id="err-why"' in short.text and 'value="4"' in short.text
    assert juno.post("/close", day=TODAY, mark="old", **{"piece-10000": "4"}).status_code == 409
    done = juno.post(
        "/close",
        day=TODAY,
        mark=mark,
        why="miscounted",
        **{"piece-10000": "4", "piece-2000": "1", "piece-1000": "1"},
    )
    assert done.status_code == 303
    closed = juno.get(f"/close?day={TODAY}").text
    assert "closed by Juno Park" in closed and "Because: miscounted" in closed and "6.00 short" in closed
    number = scalar(desk, "SELECT id FROM day_close")
    for paper in (f"/close/{number}/slip.pdf", f"/close/sheet.pdf?day={TODAY}"):
        assert juno.get(paper).content[:5] == b"%PDF-"
    assert juno.get(f"/journal.csv?first={TODAY}&last={TODAY}").status_code == 403
    juno.sign_in("odile")
    table = juno.get(f"/journal.csv?first={TODAY}&last={TODAY}")
    assert table.text.splitlines()[0].startswith("entry,day,kind") and len(table.text.splitlines()) == 3
    assert (
        "closed" in juno.get("/month?month=2026-11").text
        and "2 entries" in juno.get(f"/journal?day={TODAY}").text
    )
    for wrong in (
        "/close?day=soon",
        "/journal.csv?first=2026-11-24&last=2026-11-01",
        "/month?month=x",
        "/close/99/slip.pdf",
    ):
        assert juno.get(wrong).status_code == 404, wrong


def test_money_is_set_up(sam: Browser, desk: Desk) -> None:
    assert "Soft toothbrush" in sam.get("/setup/money").text
    wrong = sam.post(
        "/setup/money/product/0", words="", price="x", tax="200", stock="-1", low="many", version="0"
    )
    assert wrong.status_code == 422 and all(
        words in wrong.text
        for words in ("Give it a name", "isn’t an amount", "At most 100 percent", "A whole number")
    )
    made = {
        "reason": {"words": "Test reason", "active": ""},
        "tender": {"words": "Shells", "needs_number": "yes", "active": ""},
        "discount": {"words": "Test", "percent": "7", "active": ""},
        "product": {"words": "Wax", "price": "2.50", "tax": "0", "stock": "3", "low": "1", "active": ""},
    }
    for kind, form in made.items():
        assert sam.post(f"/setup/money/{kind}/0", version="0", **form).status_code == 303, kind
    assert sam.post("/setup/money/discount/0", words="x", percent="0", version="0").status_code == 422
    assert (
        sam.post("/setup/money/discount/0", words="x", percent="5", flag_id="9999", version="0").status_code
        == 422
    )
    number = scalar(desk, "SELECT MAX(id) FROM product")
    assert sam.post(f"/setup/money/product/{number}", version="9", **made["product"]).status_code == 409
    assert (
        sam.post("/setup/money/habits/0", returned_fee="x").status_code == 422
        and sam.post("/setup/money/moon/0").status_code == 404
    )
    with desk.engine.begin() as connection:
        for table, words in (
            ("reason", "Test reason"),
            ("tender_kind", "Shells"),
            ("discount", "Test"),
            ("product", "Wax"),
        ):
            connection.execute(text(f"DELETE FROM {table} WHERE words = :words"), {"words": words})
