"""Conditions of heads-ups, the arrival list, forms and signatures, stages, and whose turn it is."""

import json
from datetime import date, datetime, timedelta
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from zax.core.arrivals.conditions import (
    About,
    HeadsUp,
    compile_condition,
    fill,
    leaves,
    parse_value,
    showing,
    unknown_placeholders,
)
from zax.core.arrivals.forms import (
    BlockKind,
    blocks_from,
    blocks_to,
    check_answers,
    check_template,
    filled,
    is_due,
    parse_signature,
    stroke_paths,
)
from zax.core.arrivals.stages import Stage, Whereabouts, first_stage, stays
from zax.core.arrivals.steps import (
    Answer,
    Arriving,
    ForWhom,
    Step,
    StepKind,
    applies,
    blocking,
    next_open,
    standing,
)
from zax.core.arrivals.turn import Standing, desk_order
from zax.core.book.track import Stop
from zax.core.errors import Problems, Refused

DAY = date(2026, 11, 24)
FERN = About(
    first="Fern",
    last="Whitaker",
    flags=frozenset({1, 3}),
    age=67,
    balance=12_050,
    days_since=400,
    type_id=9,
    type_name="Sick visit",
    provider="Dr. Wren",
    diagnoses=("E11.9", "I10"),
    kinds=frozenset({"public", "medical"}),
    unsigned=frozenset({2}),
    overdue=20,
    gaps=frozenset({"bill"}),
    missing="no address",
)
NOBODY = About()


def leaf(fact: str, value: Any) -> dict[str, Any]:
    return {"fact": fact, "value": value}


@pytest.mark.parametrize(
    ("fact", "yes", "no"),
    [
        ("flag", 3, 2),
        ("type", 9, 8),
        ("kind", "public", "none"),
        ("unsigned", 2, 1),
        ("gap", "bill", "treat"),
        ("gap", "any", "reach"),
        ("older", 66, 67),
        ("younger", 68, 67),
        ("owes", 12_049, 12_050),
        ("away", 399, 400),
        ("recent", 400, 399),
        ("overdue", 19, 20),
        ("diagnosis", "E11", "E10"),
    ],
)
def test_each_fact_holds_on_one_side_of_its_border_and_not_on_the_other(fact: str, yes: Any, no: Any) -> None:
    assert compile_condition(leaf(fact, yes))(FERN)
    assert not compile_condition(leaf(fact, no))(FERN)


def test_what_is_not_known_never_holds_but_for_being_away() -> None:
    assert not any(compile_condition(leaf(f, 0))(NOBODY) for f in ("older", "younger", "recent", "overdue"))
    assert compile_condition(leaf("away", 10_000))(NOBODY)
    assert compile_condition({})(NOBODY)


_LEAVES = st.sampled_from(
    [leaf("flag", 1), leaf("flag", 2), leaf("older", 60), leaf("owes", 500), leaf("kind", "none")]
)
_TREES = st.recursive(
    _LEAVES,
    lambda inner: st.one_of(
        st.builds(lambda t: {"not": t}, inner),
        st.builds(lambda ts: {"all": ts}, st.lists(inner, min_size=1, max_size=3)),
        st.builds(lambda ts: {"any": ts}, st.lists(inner, min_size=1, max_size=3)),
    ),
    max_leaves=12,
)
_PEOPLE = st.builds(
    lambda flags, age, balance, kind: About(
        flags=frozenset(flags), age=age, balance=balance, kinds=frozenset({kind})
    ),
    st.sets(st.sampled_from([1, 2])),
    st.one_of(st.none(), st.integers(0, 99)),
    st.integers(-1000, 1000),
    st.sampled_from(["none", "public"]),
)


def _plainly(tree: dict[str, Any], about: About) -> bool:
    """The tree read slowly, as an oracle."""
    if "not" in tree:
        return not _plainly(tree["not"], about)
    if "all" in tree:
        return all(_plainly(each, about) for each in tree["all"])
    if "any" in tree:
        return any(_plainly(each, about) for each in tree["any"])
    value = tree["value"]
    return {
        "flag": value in about.flags,
        "older": about.age is not None and about.age > value if isinstance(value, int) else False,
        "owes": about.balance > value if isinstance(value, int) else False,
        "kind": value in about.kinds,
    }[tree["fact"]]


@given(_TREES, _PEOPLE)
def test_a_compiled_condition_says_what_reading_it_says(tree: dict[str, Any], about: About) -> None:
    assert compile_condition(tree)(about) == _plainly(tree, about)
    assert compile_condition({"not": tree})(about) != compile_condition(tree)(about)
    assert all("fact" in each for each in leaves(tree))


def test_unknown_conditions_and_values_are_refused_in_words() -> None:
    for wrong in ({"fact": "mood", "value": 1}, {"fact": "flag"}):
        with pytest.raises(Refused, match="We don’t recognize this condition"):
            compile_condition(wrong)
    assert (parse_value("owes", "$42.5"), parse_value("older", "65"), parse_value("diagnosis", "e11")) == (
        4250,
        65,
        "E11",
    )
    assert (
        parse_value("owes", "0"),
        parse_value("owes", "0.05"),
        parse_value("kind", "none"),
        parse_value("flag", "3"),
    ) == (0, 5, "none", 3)
    for name, typed in (("older", "old"), ("owes", "1.234"), ("diagnosis", "diabetes"), ("away", "")):
        with pytest.raises(Refused):
            parse_value(name, typed)


def test_words_are_filled_and_what_is_unknown_is_said() -> None:
    assert (
        fill("{first} owes {balance}, {days} away; {missing}", FERN)
        == "Fern owes $120.50, 400 days away; no address"
    )
    assert fill("{age}, {days}", NOBODY) == "age not known, first visit"
    assert unknown_placeholders("{first} prefers {tea}") == ["tea"]


def test_heads_ups_show_where_asked_until_put_away_and_warnings_first() -> None:
    soft = HeadsUp(id=1, words="a", todo="", places=frozenset({"arrival"}), holds=compile_condition({}))
    hard = HeadsUp(
        id=2,
        words="b",
        todo="",
        places=frozenset({"arrival", "checkout"}),
        holds=compile_condition(leaf("flag", 3)),
        warns=True,
    )
    assert showing([soft, hard], FERN, "arrival", frozenset()) == [hard, soft]
    assert showing([soft, hard], FERN, "checkout", frozenset()) == [hard]
    assert showing([soft, hard], FERN, "arrival", frozenset({2})) == [soft]
    assert showing([soft, hard], NOBODY, "arrival", frozenset()) == [soft]


# --- the list
def step(number: int, **changes: Any) -> Step:
    values: dict[str, Any] = {"kind": StepKind.OWN, "words": f"step {number}"}
    return Step(id=number, **(values | changes))


@pytest.mark.parametrize(
    ("limits", "who", "listed"),
    [
        (ForWhom(), Arriving(), True),
        (ForWhom(new=True), Arriving(), False),
        (ForWhom(new=True), Arriving(new=True), True),
        (ForWhom(flags=frozenset({1, 2})), Arriving(flags=frozenset({2})), True),
        (ForWhom(flags=frozenset({1})), Arriving(flags=frozenset({2})), False),
        (ForWhom(types=frozenset({9})), Arriving(type_id=9), True),
        (ForWhom(types=frozenset({9})), Arriving(type_id=8), False),
        (ForWhom(new=True, types=frozenset({9})), Arriving(type_id=9), False),
        (ForWhom(yearly=True), Arriving(last_done={1: date(2025, 11, 24)}), True),
        (ForWhom(yearly=True), Arriving(last_done={1: date(2025, 11, 25)}), False),
    ],
)
def test_a_step_is_on_the_list_of_those_it_is_for(limits: ForWhom, who: Arriving, listed: bool) -> None:
    assert applies(step(1, for_whom=limits), who, DAY) == listed


def test_needed_steps_block_until_done_and_what_has_nothing_to_do_is_done_by_itself() -> None:
    steps = [step(1, required=True), step(2, required=True), step(3, required=True), step(4)]
    answers = {1: Answer(1, "done", "", "Juno", None), 2: Answer(2, "skipped", "in a hurry", "Juno", None)}
    found = standing(steps, Arriving(by_itself={3: "nothing due"}), answers, DAY)
    assert [each.state for each in found] == ["done", "skipped", "itself", "open"]
    assert [each.step.id for each in blocking(found)] == [2]
    now = next_open(found)
    assert now is not None and now.step.id == 4
    assert next_open(found[:3]) is None


def test_a_step_once_answered_stays_on_the_list() -> None:
    only_new = step(1, for_whom=ForWhom(new=True))
    assert standing([only_new], Arriving(), {}, DAY) == []
    assert len(standing([only_new], Arriving(), {1: Answer(1, "done", "", "Juno", None)}, DAY)) == 1


# --- forms
ROWS = [
    ("heading", "Our policy", "", False),
    ("text", "For {first} {last}", "", False),
    ("choice", "May we text?", "Yes, No, Yes", True),
    ("field", "Doctor", "", True),
    ("field", "Phone", "phone", False),
    ("text", "   ", "", False),
]


def test_a_template_keeps_its_parts_and_comes_back_the_same() -> None:
    name, blocks = check_template(" Policy ", ROWS)
    assert name == "Policy" and [b.kind for b in blocks] == ["heading", "text", "choice", "field", "field"]
    assert blocks[2].options == ("Yes", "No") and blocks[4].fills == "phone"
    assert blocks_from(json.loads(json.dumps(blocks_to(blocks)))) == blocks
    assert filled(blocks[1].words, {"first": "Fern"}) == "For Fern ________"


@pytest.mark.parametrize(
    ("rows", "field"),
    [
        ([], "blocks"),
        ([("choice", "One?", "Yes", False)], "block-1"),
        ([("text", "", "", False), ("text", "{shoe}", "", False)], "block-1"),
        ([("field", "Size", "shoe", False)], "block-1"),
        ([("text", "x", "", False)] * 61, "blocks"),
    ],
)
def test_a_wrong_template_is_told_at_its_part(rows: list[tuple[str, str, str, bool]], field: str) -> None:
    with pytest.raises(Problems) as wrong:
        check_template("Policy", rows)
    assert field in wrong.value.problems
    with pytest.raises(Problems) as wrong:
        check_template(" ", ROWS)
    assert set(wrong.value.problems) == {"name"}


def test_needed_answers_must_be_given_and_choices_be_on_offer() -> None:
    _, blocks = check_template("Policy", ROWS)
    assert check_answers(blocks, {"answer-2": "No", "answer-3": " Dr.  Wren "}) == {
        "2": "No",
        "3": "Dr. Wren",
        "4": "",
    }
    with pytest.raises(Problems) as wrong:
        check_answers(blocks, {"answer-2": "Perhaps"})
    assert set(wrong.value.problems) == {"block-2", "block-3"}
    assert blocks[0].kind == BlockKind.HEADING


def test_a_signature_has_strokes_that_are_more_than_a_dot() -> None:
    line = [[10 + n * 9, 100 + n % 3 * 20] for n in range(20)]
    strokes = parse_signature(json.dumps([line, [[5, 5]]]))
    assert stroke_paths(strokes)[0].startswith("M10 100 L19 120")
    for empty in ("", "[]", "[[]]"):
        with pytest.raises(Refused, match="Not signed"):
            parse_signature(empty)
    for dot in ("[[[5, 5]]]", json.dumps([[[5, 5]] * 30])):
        with pytest.raises(Refused, match="only a dot"):
            parse_signature(dot)
    for broken in (
        "{",
        "[1]",
        '[[["a", 1]]]',
        "[[[5]]]",
        json.dumps([[[700, 5]] * 20]),
        json.dumps([[[5, 5], [9, 9]] * 10_001]),
    ):
        with pytest.raises(Refused, match="couldn’t be read"):
            parse_signature(broken)


def test_a_form_is_due_once_or_again_after_its_months() -> None:
    assert is_due(None, 0, DAY) and not is_due(date(2010, 1, 1), 0, DAY)
    assert is_due(date(2025, 11, 24), 12, DAY) and not is_due(date(2025, 11, 25), 12, DAY)


# --- stages and turns
NINE = datetime(2026, 11, 24, 17)


@given(st.lists(st.integers(0, 4000), min_size=1, max_size=8), st.integers(0, 4000))
def test_the_time_in_each_place_adds_up_to_the_whole(seconds: list[int], more: int) -> None:
    moments = sorted(seconds)
    rows = [Whereabouts(NINE + timedelta(seconds=each), 1, None) for each in moments]
    until = rows[-1].at + timedelta(seconds=more)
    found = stays(rows, until)
    assert sum(each.minutes for each in found) == int((until - rows[0].at).total_seconds() // 60)
    assert all(each.minutes >= 0 for each in found)


def test_the_first_stage_in_use_of_a_kind_begins_by_itself() -> None:
    listed = [
        Stage(1, "Old", "desk", True, False),
        Stage(2, "Nurse", "assistant", False),
        Stage(3, "Treat", "provider", True),
    ]
    assert (first_stage(listed, True), first_stage(listed, False)) == (listed[2], listed[1])
    assert first_stage(listed[:1], True) is None
    assert stays([], NINE) == []


def test_whoever_waits_too_long_comes_first_then_leaving_waiting_late_and_next() -> None:
    rows = [
        Standing(1, Stop.CONFIRMED, 0, 660, 650),
        Standing(2, Stop.CONFIRMED, 0, 630, 650),
        Standing(3, Stop.HERE, 5, 640, 650),
        Standing(4, Stop.CHECKOUT, 3, 600, 650),
        Standing(5, Stop.HERE, 14, 640, 650),
        Standing(6, Stop.ROOM, 9, 600, 650),
        Standing(7, Stop.CHECKOUT, 8, 600, 650),
        Standing(8, Stop.BOOKED, 0, 645, 650),
    ]
    assert desk_order(rows, wait_limit=10, late_limit=10) == [5, 7, 4, 3, 2, 8, 1]
