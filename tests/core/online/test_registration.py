"""The pages of a registration and what they take; what differs from the record and which side is proposed."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.conftest import TODAY
from zax.core.arrivals.forms import Block, BlockKind, FormTemplate
from zax.core.errors import Problems
from zax.core.online.comparing import (
    AS_TYPED,
    CardOnFile,
    CardTyped,
    Pick,
    compare_card,
    compare_fields,
    compare_name,
)
from zax.core.online.registration import (
    LONGEST_FIELD,
    LONGEST_SIGNATURE,
    Page,
    check_page,
    kept,
    pages,
    unfinished,
)

FORM = FormTemplate(
    id=3,
    name="Privacy policy",
    blocks=(
        Block(BlockKind.TEXT, "We keep it."),
        Block(BlockKind.CHOICE, "May we text you?", ("Yes", "No"), needed=True),
    ),
    again_months=12,
    active=True,
    version=4,
)
PAGES = {page.key: page for page in pages(dental=True, medical=True, forms=[FORM])}
SIGNED = {"answer-1": "Yes", "typed_name": "Tamsin Ellery", "signer": "Tamsin Ellery", "version": "4"}
NO_PHOTO: frozenset[str] = frozenset()


def problems(key: str, photos: frozenset[str] = NO_PHOTO, **typed: str) -> set[str]:
    try:
        check_page(PAGES[key], {name.replace("_-", "-"): text for name, text in typed.items()}, photos, TODAY)
    except Problems as wrong:
        return set(wrong.problems)
    return set()


def test_pages_come_in_order_and_insurance_only_where_it_is_called_for() -> None:
    assert list(PAGES) == ["you", "reach", "emergency", "dental", "medical", "doctors", "form-3"]
    assert [page.key for page in pages(dental=True, medical=False, forms=())] == [
        "you",
        "reach",
        "emergency",
        "dental",
        "doctors",
    ]


def test_what_is_empty_is_fine_and_what_is_wrong_is_said_beside_its_field() -> None:
    for key in ("you", "reach", "emergency", "dental", "medical", "doctors"):
        assert problems(key) == set()
    assert problems("reach", zip="9820", email="tam", phone="555-0137") == {"zip", "email", "phone"}
    assert problems("you", sex="X") == {"sex"}
    assert problems("emergency", bills="other") == {"bills_name"}
    assert problems("emergency", bills="other", bills_name="Jo", bills_birth="soon") == {"bills_birth"}
    assert problems("dental", member="*", whose="aunt") == {"member", "whose", "payer"}


def test_who_has_insurance_says_which_by_name_or_by_a_photo() -> None:
    assert problems("dental", has="yes") == {"payer"}
    assert problems("dental", member="HG-1") == {"payer"}
    assert problems("dental", photos=frozenset({"front"}), has="yes") == set()
    assert problems("dental", has="yes", payer="Harbour Gild") == set()
    assert problems("dental", has="no", member="HG-1") == set()


def test_a_form_is_signed_with_a_finger_or_a_typed_name_and_for_the_text_that_was_read() -> None:
    assert problems("form-3", **SIGNED) == set()  # type: ignore[arg-type]
    assert problems("form-3", **SIGNED | {"typed_name": ""}) == {"signature"}  # type: ignore[arg-type]
    drawn = "[[" + ",".join(f"[{x},{x}]" for x in range(10, 100, 5)) + "]]"
    strokes = SIGNED | {"typed_name": "", "strokes": drawn}
    assert problems("form-3", **strokes) == set()  # type: ignore[arg-type]
    assert problems("form-3", **SIGNED | {"version": "3"}) == {"version"}  # type: ignore[arg-type]
    assert problems("form-3", **SIGNED | {"answer-1": ""}) == {"block-1"}  # type: ignore[arg-type]
    assert problems("form-3", **SIGNED | {"signer": " "}) == {"signer"}  # type: ignore[arg-type]
    assert problems("form-3", **SIGNED | {"typed_name": "7"}) == {"signature"}  # type: ignore[arg-type]


@given(st.dictionaries(st.text(max_size=20), st.text(max_size=900), max_size=200))
def test_nothing_but_a_page_s_own_fields_is_kept_and_none_is_endless(typed: dict[str, str]) -> None:
    for page in PAGES.values():
        found = kept(typed | {"strokes": "1" * (LONGEST_SIGNATURE + 5), "used_name": "x" * 2000}, page)
        own = {ask.name for ask in page.asks}
        assert all(name in own or (page.form and not own) for name in found)
        assert all(
            len(text) <= (LONGEST_SIGNATURE if name == "strokes" else LONGEST_FIELD)
            for name, text in found.items()
        )


@given(
    st.dictionaries(
        st.sampled_from([ask.name for page in PAGES.values() for ask in page.asks]), st.text(max_size=60)
    )
)
def test_whatever_is_typed_is_taken_or_said_to_be_wrong(typed: dict[str, str]) -> None:
    for page in PAGES.values():
        try:
            found = check_page(page, typed, NO_PHOTO, TODAY)
        except Problems as wrong:
            assert wrong.problems
        else:
            assert set(found) == {ask.name for ask in page.asks}
            # What was taken once is taken again as it is kept.
            assert check_page(page, found, NO_PHOTO, TODAY) == found or page.form


def test_it_goes_on_at_the_first_page_that_isn_t_right() -> None:
    order: list[Page] = list(PAGES.values())
    done: dict[str, dict[str, str]] = {"you": {}, "reach": {"zip": "9820"}, "emergency": {}}
    assert unfinished(order, done, {}, TODAY) == PAGES["reach"]
    done["reach"] = {}
    assert unfinished(order, done, {}, TODAY) == PAGES["dental"]
    done |= {"dental": {"has": "yes"}, "medical": {}, "doctors": {}, "form-3": SIGNED}
    assert unfinished(order, done, {}, TODAY) == PAGES["dental"]
    assert unfinished(order, done, {"dental": frozenset({"front"})}, TODAY) is None


ON_FILE = {
    "used_name": "",
    "street": "3 Pier Lane",
    "zip": "98203",
    "city": "Marrow Harbor",
    "phone": "3605550119",
    "email": "t.ellery@example.org",
    "pharmacy": "Quay Street Pharmacy",
}
TYPED = {
    "used_name": "Tam",
    "street": "41 Lantern Row, Apt 2",
    "zip": "98201",
    "city": "marrow  harbor",
    "phone": "3605550137",
    "email": "tam.ellery@example.org",
    "pharmacy": "the pharmacy",
}


def test_what_differs_is_proposed_with_its_reason() -> None:
    rows, same = compare_fields(ON_FILE, ON_FILE, TYPED, "3605550137")
    assert [(row.key, row.take, row.why) for row in rows] == [
        ("used_name", True, "fills a blank"),
        ("street", True, "they changed it"),
        ("zip", True, "goes with the street"),
        ("phone", True, "the code reached it"),
        ("email", True, "they changed it"),
        ("pharmacy", False, "the same, only shorter"),
    ]
    assert same == ["City"]


def test_what_they_left_as_it_was_undoes_nothing_that_the_desk_changed_since() -> None:
    """Kills: an old address that comes back because it stood in the form when it was opened."""
    now = ON_FILE | {"street": "9 Ferry Row", "email": "new@example.org"}
    rows, same = compare_fields(now, ON_FILE, ON_FILE | {"email": "third@example.org"}, "")
    assert [(row.key, row.take, row.why) for row in rows] == [
        ("email", False, "changed here since they saw it")
    ]
    assert "Street" in same
    rows, _ = compare_fields(ON_FILE, ON_FILE, ON_FILE | {"email": ""}, "")
    assert [(row.key, row.take, row.why) for row in rows] == [("email", False, "they left it empty")]


@given(
    st.fixed_dictionaries(
        {name: st.sampled_from(["", text, TYPED[name], text.upper()]) for name, text in ON_FILE.items()}
    ),
    st.fixed_dictionaries({name: st.sampled_from(["", text]) for name, text in ON_FILE.items()}),
    st.fixed_dictionaries({name: st.sampled_from(["", text, TYPED[name]]) for name, text in ON_FILE.items()}),
)
def test_every_field_is_listed_once_and_nothing_is_emptied_by_itself(
    typed: dict[str, str], shown: dict[str, str], on_file: dict[str, str]
) -> None:
    rows, same = compare_fields(on_file, shown, typed, "")
    assert len({row.key for row in rows}) == len(rows)
    assert len(rows) + len(same) <= len(typed)
    assert all(row.typed for row in rows if row.take)
    assert all(row.typed != row.on_file for row in rows)


GUILD = CardOnFile(plan_key="plan-1", plan="Harbor Guild Dental", member="HG-1", group="7")
PICKS = (Pick("plan-1", "Harbor Guild Dental", 94, ""), Pick("plan-2", "Brightwater Family", 30, ""))


def rows_of_card(typed: CardTyped, chosen: str, on_file: CardOnFile = GUILD) -> list[tuple[str, bool, str]]:
    return [(row.key, row.take, row.chosen) for row in compare_card("dental", on_file, typed, PICKS, chosen)]


def test_a_card_of_the_same_plan_changes_numbers_alone() -> None:
    typed = CardTyped(payer="harbour gild", member="hg 2", group="7")
    assert rows_of_card(typed, "plan-1") == [("dental-member", True, "")]
    assert rows_of_card(CardTyped(payer="harbour gild", member="HG1"), "plan-1") == []


def test_another_plan_is_one_decision_and_its_numbers_go_with_it() -> None:
    typed = CardTyped(
        payer="brightwater", member="BW-3", group="9", whose="spouse", holder="their partner’s, Sol"
    )
    assert rows_of_card(typed, "plan-2") == [
        ("dental-payer", True, "plan-2"),
        ("dental-member", True, ""),
        ("dental-group", True, ""),
        ("dental-whose", True, ""),
    ]
    (payer, *_) = compare_card("dental", GUILD, typed, PICKS, "")
    assert payer.must_choose


def test_no_insurance_anymore_is_never_ended_by_itself() -> None:
    assert rows_of_card(CardTyped(has="no"), "") == [("dental-none", False, "")]
    assert rows_of_card(CardTyped(has="no"), "", CardOnFile()) == []
    assert rows_of_card(CardTyped(), "") == []


@pytest.mark.parametrize(
    ("on_file", "typed", "take", "why"),
    [
        ("", "the library", True, "fills a blank"),
        ("Marrow Harbor Library", "the library", False, "the same, only shorter"),
        ("Juniper Ferry Works", "the library", True, "newer"),
    ],
)
def test_a_name_is_taken_unless_it_only_says_less(on_file: str, typed: str, take: bool, why: str) -> None:
    (row,) = compare_name("employer", "Employer", on_file, typed, (), "")
    assert (row.take, row.why, row.chosen) == (take, why, AS_TYPED)
    assert compare_name("employer", "Employer", "The  Library", "the library", (), "") == []
