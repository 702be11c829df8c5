"""Tables that go out: no cell is run by a spreadsheet, every cell comes back as it was."""

from __future__ import annotations

import csv
import io
from collections.abc import Iterator

import pytest
from hypothesis import given
from hypothesis import strategies as st

from zax.core.table import plain_cell, safe_cell, table_lines

texts = st.text(st.characters(blacklist_categories=("Cs",), blacklist_characters="\0\r"), max_size=20)


@given(st.one_of(texts, texts.map(lambda text: f"={text}"), texts.map(lambda text: f"'{text}")))
def test_a_guarded_cell_is_never_run_and_comes_back(text: str) -> None:
    """Kills: guarding '=' alone, guarding twice, taking off an apostrophe that somebody typed."""
    guarded = safe_cell(text)
    assert guarded[:1] not in {"=", "+", "-", "@", "\t"}
    assert plain_cell(guarded) == text


@pytest.mark.parametrize("text", ["=1+1", "+1", "-2", "@SUM(A1)", "\t=1", "'=1", "'"])
def test_what_a_spreadsheet_would_run(text: str) -> None:
    assert safe_cell(text) == f"'{text}"


@given(st.lists(st.tuples(texts, st.integers(-10_000, 10_000)), max_size=5))
def test_headings_and_texts_are_guarded_and_numbers_stay_numbers(rows: list[tuple[str, int]]) -> None:
    """Kills: guarding negative amounts, leaving out the heading."""
    read = list(csv.reader(io.StringIO("".join(table_lines(["=a", "b"], rows)), newline="")))
    assert read[0] == ["'=a", "b"]
    assert [(plain_cell(a), int(b)) for a, b in read[1:]] == rows


def test_lines_are_written_while_they_are_read() -> None:
    taken = []

    def rows() -> Iterator[tuple[str]]:
        for n in range(3):
            taken.append(n)
            yield (str(n),)

    lines = table_lines(["n"], rows())
    assert next(lines) == "n\r\n" and taken == []
    assert next(lines) == "0\r\n" and taken == [0]
