"""The posting desk's pages: a payment entered, found by name, placed, decided about, left half done, finished
and opened again; what is wrong is said beside its box, with what was typed.
"""

from __future__ import annotations

import re
from datetime import timedelta
from urllib.parse import urlencode

from tests.conftest import SAM, TODAY, scalar
from tests.desk.patients.test_two_records import pdf
from tests.desk.paying import agrees
from tests.desk.remits.payment_files import Said, Waiting, waiting_claims
from tests.desk.remits.test_by_hand import payment, rest
from tests.desk.remits.test_taking_back import parts, state, take
from tests.web.conftest import Browser, hidden
from zax.desk.acts.transaction import Desk

SPLIT = "SELECT COUNT(*) FROM claim_event WHERE words LIKE '%one sum and was split%'"


def placing(claim: Waiting, paid: str = "188.80", **more: str) -> dict[str, str]:
    """What the grid of a claim of one line sends."""
    line = claim.lines[0][0]
    boxes = {"paid": paid, "deductible": "", "coinsurance": "97.20", "copay": "", "off": "", "reason": ""}
    typed = {f"{name}-{line}": value for name, value in boxes.items()}
    return {"claim_id": str(claim.claim_id), "answer_id": "", "seen": "0", "split": ""} | typed | more


def test_a_payment_is_entered_once_and_what_is_wrong_is_beside_its_box(odile: Browser, desk: Desk) -> None:
    assert "Nothing to place" in odile.get("/claims/payments").text
    page = odile.get("/claims/payments/new").text
    typed = {
        "key": hidden(page, "key"),
        "payer_id": "1",
        "amount": "twelve",
        "number": "40771",
        "day": str(TODAY - timedelta(days=1)),
        "kind": "check",
    }
    wrong = odile.post("/claims/payments/new", **typed)
    assert wrong.status_code == 422 and 'value="twelve"' in wrong.text and 'id="err-amount"' in wrong.text
    assert hidden(wrong.text, "key") == typed["key"] and scalar(desk, "SELECT COUNT(*) FROM remit") == 0
    first = odile.post("/claims/payments/new", **(typed | {"amount": "188.80"}))
    again = odile.post("/claims/payments/new", **(typed | {"amount": "188.80"}))
    assert first.status_code == 303 and again.headers["location"] == first.headers["location"]
    assert scalar(desk, "SELECT COUNT(*) FROM remit") == 1
    assert "40771" in odile.get("/claims/payments").text


def test_a_name_opens_its_only_claim_and_one_press_places_it(odile: Browser, desk: Desk) -> None:
    (claim,) = waiting_claims(desk, 1)
    at = f"/claims/payments/{payment(desk, 18_880)}"
    assert "188.80</b> rest" in odile.get(at).text
    opened = odile.get(f"{at}?find=vas").text
    assert f"Claim {claim.number}, open" in opened and 'value="188.80"' in opened
    assert "No one of that name" in odile.get(f"{at}?find=nobody").text
    assert odile.post(f"{at}/place", **placing(claim)).headers["location"] == at
    assert (state(desk, claim), parts(desk, claim)) == ("closed", (9_720, 0))
    placed = odile.get(at).text
    assert "1 placed" in placed and "0.00</b> rest" in placed
    assert odile.post(f"{at}/finish", why="").headers["location"] == "/claims/payments"
    assert "Open again" in odile.get(at).text
    assert odile.post(f"{at}/reopen").status_code == 303
    answer = scalar(desk, "SELECT id FROM remit_claim")
    odile.post(f"{at}/take-out", answer_id=answer)
    assert parts(desk, claim) == (0, 28_600) and "Taken out of" in odile.get(at).text and agrees(desk)


def test_what_is_left_asks_where_it_goes_before_anything_is_posted(odile: Browser, desk: Desk) -> None:
    (claim,) = waiting_claims(desk, 1)
    at = f"/claims/payments/{payment(desk, 18_000)}"
    asked = odile.post(f"{at}/place", **placing(claim, "180.00"))
    assert asked.status_code == 200 and "$8.80</b> of this claim wasn’t paid" in asked.text
    assert parts(desk, claim) == (9_720, 18_880)
    wrong = odile.post(f"{at}/place", **placing(claim, "180.00", place="heaven"))
    assert wrong.status_code == 422 and 'value="180.00"' in wrong.text
    odile.post(f"{at}/place", **placing(claim, "180.00", place="patient"))
    assert parts(desk, claim) == (10_600, 0) and agrees(desk)


def test_no_amount_and_more_than_the_charge_are_said_beside_the_line(odile: Browser, desk: Desk) -> None:
    (claim,) = waiting_claims(desk, 1)
    line = claim.lines[0][0]
    at = f"/claims/payments/{payment(desk, 90_000)}"
    wrong = odile.post(f"{at}/place", **placing(claim, "a lot"))
    assert (
        wrong.status_code == 422 and f'id="err-paid-{line}"' in wrong.text and 'value="a lot"' in wrong.text
    )
    more = odile.post(f"{at}/place", **placing(claim, "900.00", place="work"))
    assert more.status_code == 422 and "is more than the $286.00 charged" in more.text
    assert parts(desk, claim) == (9_720, 18_880)
    assert odile.post(f"{at}/place", **placing(claim, claim_id="999999")).status_code == 404


def test_the_sums_follow_what_is_typed_and_nothing_is_written(odile: Browser, desk: Desk) -> None:
    (claim,) = waiting_claims(desk, 1)
    at = f"/claims/payments/{payment(desk, 90_000)}"

    def sums(paid: str = "188.80", **more: str) -> tuple[int, str]:
        answer = odile.get(f"{at}/sums?{urlencode(placing(claim, paid, **more))}")
        return answer.status_code, " ".join(re.sub(r"<[^>]+>", " ", answer.text).split())

    status, said = sums("180.00")
    assert status == 200 and "Place 180.00" in said
    assert f"Claim {claim.number} 286.00 180.00 0.00 97.20 0.00 8.80 8.80 less" in said
    assert "Place 188.80" in sums()[1] and "less" not in sums()[1]
    assert "Place 100.00" in sums("", total="100.00")[1]
    assert sums("a lot") == sums(total="900.00") == sums(total="a lot") == (204, "")
    assert sums(claim_id="999999")[0] == 404
    assert parts(desk, claim) == (9_720, 18_880) and rest(desk, int(at.rpartition("/")[2])) == 90_000


def test_one_sum_is_split_and_marked_whether_or_not_something_is_left(odile: Browser, desk: Desk) -> None:
    first, second = waiting_claims(desk, 2)
    at = f"/claims/payments/{payment(desk, 40_000)}"
    # It agrees at once.
    odile.post(f"{at}/place", **placing(first, "", total="188.80"))
    assert parts(desk, first) == (9_720, 0) and scalar(desk, SPLIT) == 1
    asked = odile.post(f"{at}/place", **placing(second, "", total="100.00"))
    assert "Where does it" in asked.text and hidden(asked.text, "split") == "yes" and scalar(desk, SPLIT) == 1
    odile.post(f"{at}/place", **placing(second, "100.00", split="yes", place="work"))
    assert scalar(desk, SPLIT) == 2 and rest(desk, int(at.rpartition("/")[2])) == 11_120 and agrees(desk)


def test_one_sum_above_the_claim_is_refused_with_what_was_typed(odile: Browser, desk: Desk) -> None:
    (claim,) = waiting_claims(desk, 1)
    at = f"/claims/payments/{payment(desk, 90_000)}"
    for total, said in (("900.00", "more than the $286.00 of this claim"), ("a lot", "")):
        wrong = odile.post(f"{at}/place", **placing(claim, total=total))
        assert wrong.status_code == 422 and 'id="err-total"' in wrong.text and said in wrong.text
        assert f'value="{total}"' in wrong.text and hidden(wrong.text, "split") == ""
    assert parts(desk, claim) == (9_720, 18_880)


def test_a_line_of_a_file_opens_filled_in_or_is_closed_with_a_reason(odile: Browser, desk: Desk) -> None:
    (claim,) = waiting_claims(desk, 1)
    assert take(desk, "F1", Said("NOBODY-1", [(999_999, 28_600, 18_880, [("PR", "2", 9_720)])])) == 1
    remit, answer = scalar(desk, "SELECT id FROM remit"), scalar(desk, "SELECT id FROM remit_claim")
    at = f"/claims/payments/{remit}"
    page = odile.get(at).text
    assert "Find its claim" in page and "We have no claim NOBODY-1" in page
    found = odile.get(f"{at}?answer={answer}").text
    assert "It may be one of these" in found and claim.number in found
    opened = odile.get(f"{at}?answer={answer}&claim={claim.claim_id}").text
    assert f"Claim {claim.number}, open" in opened and hidden(opened, "answer_id") == str(answer)
    wrong = odile.post(f"{at}/aside", answer_id=answer, why=" ")
    assert wrong.status_code == 422 and "Say what came of it" in wrong.text
    odile.post(f"{at}/aside", answer_id=answer, why="another clinic’s")
    assert "another clinic’s" in odile.get(at).text and parts(desk, claim) == (9_720, 18_880)


def test_a_difference_stays_only_with_a_managers_word_and_it_is_reversed_with_a_reason(
    sam: Browser, desk: Desk
) -> None:
    (claim,) = waiting_claims(desk, 1)
    at = f"/claims/payments/{payment(desk, 18_900)}"
    sam.post(f"{at}/place", **placing(claim))
    wrong = sam.post(f"{at}/finish", why="")
    assert wrong.status_code in {409, 422} and "$0.20" in wrong.text
    sam.post(f"{at}/finish", why="the bank rounded")
    assert scalar(desk, "SELECT state FROM remit") == "finished"
    assert sam.post(f"{at}/reverse", why="").status_code == 422
    sam.post(f"{at}/reverse", why="the check bounced")
    assert (state(desk, claim), parts(desk, claim)) == ("accepted", (0, 28_600)) and agrees(desk)
    assert "the check bounced" in sam.get("/claims/payments?show=reversed").text


def test_the_paper_is_shown_as_it_came_and_another_person_takes_over(odile: Browser, desk: Desk) -> None:
    at = f"/claims/payments/{payment(desk, 100)}"
    assert odile.get(f"{at}/scan").status_code == 404
    kept = odile.client.post(
        f"{at}/scan",
        data={"csrf": odile.token},
        files={"file": ("paper.pdf", pdf(), "application/pdf")},
        follow_redirects=False,
    )
    assert kept.status_code == 303
    paper = odile.get(f"{at}/scan")
    assert paper.content.startswith(b"%PDF") and paper.headers["Content-Security-Policy"] == "sandbox"
    sam = odile.sign_in("sam")
    sam.post(f"{at}/take")
    assert scalar(desk, "SELECT worked_by_id FROM remit") == SAM.id


def test_the_front_desk_and_numbers_that_are_none_get_no_payment(juno: Browser, desk: Desk) -> None:
    at = f"/claims/payments/{payment(desk, 100)}"
    assert juno.get(at).status_code == juno.get(f"{at}/sums").status_code == 403
    assert juno.post(f"{at}/finish", why="x").status_code == 403
    assert scalar(desk, "SELECT state FROM remit") == "open"


def test_what_is_not_there_is_said(odile: Browser) -> None:
    for path in ("/claims/payments/999999", "/claims/payments?show=nonsense", "/claims/payments/1/scan"):
        assert odile.get(path).status_code == 404


def test_a_half_done_payment_is_handed_on_and_the_list_says_to_whom(odile: Browser, desk: Desk) -> None:
    made = payment(desk, 18_880)
    at = f"/claims/payments/{made}"
    assert f'<option value="{SAM.id}">Sam Quill' in odile.get(at).text
    wrong = odile.post(f"{at}/hand", user_id="")
    assert wrong.status_code == 422 and "someone from the list" in wrong.text
    assert odile.post(f"{at}/hand", user_id=SAM.id).headers["location"] == "/claims/payments"
    listed = odile.get("/claims/payments").text
    assert "Handed to Sam Quill." in listed and "Sam Quill is on it" in listed


def test_from_the_account_to_the_payment_and_back(odile: Browser, desk: Desk) -> None:
    (claim,) = waiting_claims(desk, 1)
    take(desk, "1", claim.as_expected())
    remit, answer = scalar(desk, "SELECT id FROM remit"), scalar(desk, "SELECT id FROM remit_claim")
    entry = scalar(desk, "SELECT id FROM journal WHERE kind = 'insurer'")
    why = odile.get(f"/accounts/{claim.patient_id}/why/e{entry}").text
    assert f'href="/claims/{claim.claim_id}"' in why and f'href="/claims/payments/of/{answer}"' in why
    to = odile.get(f"/claims/payments/of/{answer}").headers["location"]
    assert to == f"/claims/payments/{remit}#a{answer}"
    page = odile.get(to).text
    assert f'id="a{answer}"' in page and f'href="/accounts/{claim.patient_id}#v{claim.visit_id}"' in page
    assert page.count(f'data-links="c{claim.claim_id} v{claim.visit_id}"') == 2
    assert odile.get("/claims/payments/of/999999").status_code == 404
