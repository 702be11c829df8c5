"""What people read is natural American English: words that a US clinic does not say must not come back, on
pages and papers or in messages.
"""

from __future__ import annotations

import ast
import re
from collections.abc import Iterator
from pathlib import Path

import pytest

SOURCE = Path(__file__).parents[2] / "src" / "zax"
# What it is called here instead stands beside each.
NOT_OURS = {
    r"cheques?": "check",
    r"instalments?": "installment",
    r"itemised": "itemized",
    r"cancelled": "canceled",
    r"any more": "anymore",
    r"nobody": "no one",
    r"anybody": "anyone",
    r"everybody": "everyone",
    r"somebody": "someone",
    r"put away": "dismiss, archive",
    r"(give|given|giving) back": "refund",
    r"take (it|this|that) back": "undo",
    r"taken? off": "cancel, remove",
    r"left out|leave (it|them) out": "skip",
    r"forgiven": "contract write-off",
    r"reckon": "use",
    r"yearly (most|maximum)": "annual maximum",
    r"rests? to pay": "balance due",
    r"to mend": "fix",
    r"tak(e|en|ing) in (a|the|it|files?)": "import",
    r"being taken in": "importing",
    r"(?<!of )the mouth": "tooth chart",
    r"being clarified": "not confirmed yet",
    r"did not come": "no-show",
    r"what is open": "what’s due",
    r"insurer’s part|patient’s part": "insurance, patient",
}
# The same holds for who reads the code: of its docstrings, comments and papers.
NOT_IN_CODE = (
    r"cheques?|instalments?|itemised|cancelled|reckon",
    r"any more",
    r"being clarified",
    r"did not come",
    r"yearly maximum",
    r"rests? to pay",
    r"mends?|mended",
)
_CODE = re.compile(r"\{\{.*?\}\}|\{%.*?%\}|\{#.*?#\}", re.DOTALL)
_STRING = re.compile(r'"([^"]*)"|\'([^\']*)\'')
_READ_OUT = re.compile(r'\b(?:placeholder|aria-label|title|alt)="([^"]*)"')
_TAG = re.compile(r"<[^>]*>")


def in_template(text: str) -> Iterator[str]:
    """What a template shows: its text, what is read out of its attributes, and sentences inside its code."""
    for code in _CODE.findall(text):
        if not code.startswith("{#"):
            yield from (one or two for one, two in _STRING.findall(code) if " " in (one or two))
    bare = _CODE.sub("…", text)
    yield from _READ_OUT.findall(bare)
    yield re.sub(r"\s+", " ", _TAG.sub("\n", bare))


def in_module(text: str) -> Iterator[str]:
    """The sentences of a module: strings with a space that are neither docstrings nor SQL."""
    tree = ast.parse(text)
    docs = {
        id(node.body[0].value)
        for node in ast.walk(tree)
        if isinstance(node, ast.Module | ast.ClassDef | ast.FunctionDef | ast.AsyncFunctionDef)
        and node.body
        and isinstance(node.body[0], ast.Expr)
    }
    for node in ast.walk(tree):
        if not isinstance(node, ast.Constant) or not isinstance(node.value, str) or id(node) in docs:
            continue
        if " " in node.value.strip() and not re.search(r"\b(SELECT|FROM|WHERE)\b", node.value):
            yield node.value


def in_script(text: str) -> Iterator[str]:
    """The sentences of a script."""
    yield from (
        words for pair in re.findall(r'"([^"\n]*)"|`([^`]*)`', text) for words in pair if " " in words
    )


def shown() -> list[tuple[str, str]]:
    found = []
    for path in sorted(SOURCE.rglob("*.js")):
        if "vendor" not in path.parts:
            found += [(path.name, words) for words in in_script(path.read_text())]
    for path in sorted(SOURCE.rglob("*.html")):
        found += [(path.name, words) for words in in_template(path.read_text())]
    for part in ("core", "desk", "web", "outside"):
        for path in sorted((SOURCE / part).rglob("*.py")):
            found += [(path.name, words) for words in in_module(path.read_text())]
    return found


@pytest.fixture(scope="module")
def words() -> list[tuple[str, str]]:
    found = shown()
    assert len(found) > 1500
    return found


@pytest.mark.parametrize("pattern", NOT_OURS)
def test_words_that_a_clinic_does_not_say_stay_away(words: list[tuple[str, str]], pattern: str) -> None:
    rule = re.compile(rf"\b(?:{pattern})", re.IGNORECASE)
    back = [
        (name, text[max(0, hit.start() - 40) : hit.end() + 40])
        for name, text in words
        for hit in rule.finditer(text)
    ]
    assert back == [], f"say {NOT_OURS[pattern]}"


def told_of_the_code() -> Iterator[tuple[str, str]]:
    """(file, text) of every docstring and comment of ours, and of the papers beside them."""
    for path in [*SOURCE.rglob("*.py"), *(SOURCE.parents[1] / "tests").rglob("*.py")]:
        text = path.read_text()
        for node in ast.walk(ast.parse(text)):
            if isinstance(node, ast.Module | ast.ClassDef | ast.FunctionDef):
                yield path.name, ast.get_docstring(node) or ""
        yield path.name, "\n".join(re.findall(r"^\s*#.*$", text, re.MULTILINE))
    for path in [*SOURCE.rglob("*.md"), *(SOURCE.parents[1] / "docs").glob("*.md")]:
        yield path.name, path.read_text()


@pytest.mark.parametrize("pattern", NOT_IN_CODE)
def test_the_code_is_told_in_the_same_words(pattern: str) -> None:
    wrong = [
        (name, found[0])
        for name, text in told_of_the_code()
        if (found := re.search(rf"\b(?:{pattern})\b", text, re.IGNORECASE))
    ]
    assert wrong == []
