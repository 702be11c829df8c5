"""How tests are handed out: what is made once for many goes to one process, and every such place is named."""

from __future__ import annotations

from pathlib import Path

from tests.conftest import TOGETHER, Together

ROOT = Path(__file__).parents[2]
# Cheap to make twice.
CHEAP = {"tests/desk/charges/test_diagnosis_search.py", "tests/docs/test_words.py"}


def test_every_module_that_makes_something_once_is_kept_together() -> None:
    makes = {
        str(path.relative_to(ROOT))
        for path in (ROOT / "tests").rglob("test_*.py")
        if 'scope="module"' in path.read_text() and path != Path(__file__)
    }
    assert makes - CHEAP == {each for each in TOGETHER if each.endswith(".py")}


def test_walks_go_to_one_process_and_all_else_to_whoever_is_free() -> None:
    scope = Together._split_scope
    walk, other = "tests/browser/test_walks.py::test_a", "tests/core/test_table.py::test_a[1]"
    assert scope(None, walk) == "tests/browser/" and scope(None, other) == other  # type: ignore[arg-type]
