"""How old open money is: agings.csv, a table of worked examples, and what must hold for any line."""

from __future__ import annotations

import csv
from datetime import date, timedelta
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from zax.core.money.aging import Piece, open_pieces
from zax.core.money.journal import Allocation, Entry, Kind, line_parts, reversal_of

CASES = list(csv.DictReader((Path(__file__).parent / "agings.csv").open(encoding="utf-8")))


def day(text: str) -> date:
    return date.fromisoformat(f"2026-{text}")


def read(text: str) -> tuple[list[Entry], list[Allocation]]:
    """'charge 01-05 100/5; transfer 06-20 5/-5; paid 60; undo 08-01 2' (undo: the entry of that number)."""
    entries: list[Entry] = []
    given_out: list[Allocation] = []
    for number, (what, *rest) in enumerate((each.split() for each in text.split(";")), 1):
        if what == "paid":
            given_out.append(Allocation(900, 1, int(rest[0])))
        elif what == "undo":
            entries.append(reversal_of(entries[int(rest[1]) - 1], number, day(rest[0])))
        else:
            patient, insurer = (int(each) for each in rest[1].split("/"))
            entries.append(
                Entry(
                    id=number,
                    kind=Kind(what),
                    day=day(rest[0]),
                    patient_cents=patient,
                    insurer_cents=insurer,
                    line_id=1,
                )
            )
    return entries, given_out


def pieces(text: str) -> tuple[Piece, ...]:
    """'100@01-05 5@06-20'."""
    return tuple(Piece(int(each.split("@")[0]), day(each.split("@")[1])) for each in text.split())


@pytest.mark.parametrize("case", CASES, ids=[f"{c['rule']}: {c['case']}" for c in CASES])
def test_worked_examples(case: dict[str, str]) -> None:
    entries, given_out = read(case["moves"])
    found = open_pieces(entries, line_parts(entries, given_out))[1]
    assert (found.patient, found.insurer) == (pieces(case["patient"]), pieces(case["insurer"]))


moves = st.lists(
    st.tuples(st.integers(0, 300), st.integers(-90, 90), st.integers(-90, 90)), min_size=1, max_size=8
)


@given(moves, st.integers(0, 90))
def test_the_pieces_add_up_and_a_later_move_never_renews_an_older_piece(
    drawn: list[tuple[int, int, int]], more: int
) -> None:
    """Kills: dating a part by its last move."""
    start = date(2026, 1, 1)
    entries = [
        Entry(
            id=n,
            kind=Kind.TRANSFER,
            day=start + timedelta(days=ahead),
            patient_cents=patient,
            insurer_cents=insurer,
            line_id=1,
        )
        for n, (ahead, patient, insurer) in enumerate(sorted(drawn), 1)
    ]
    parts = line_parts(entries, ())
    found = open_pieces(entries, parts)[1]
    assert sum(piece.cents for piece in found.patient) == parts[1].patient
    assert sum(piece.cents for piece in found.insurer) == parts[1].insurer
    assert [piece.since for piece in found.patient] == sorted(piece.since for piece in found.patient)
    late = Entry(
        id=99,
        kind=Kind.TRANSFER,
        day=start + timedelta(days=400),
        patient_cents=more,
        insurer_cents=0,
        line_id=1,
    )
    after = open_pieces([*entries, late], line_parts([*entries, late], ()))[1]
    if parts[1].patient >= 0:
        assert after.patient[: len(found.patient)] == found.patient
