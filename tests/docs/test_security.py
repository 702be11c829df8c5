"""docs/security.md has one line a requirement, in order, and each leads to something that is there, or says
why not.
"""

from __future__ import annotations

import re

import pytest

from zax.settings import ROOT

PAGE = (ROOT / "docs" / "security.md").read_text()
LINES = re.findall(r"^\| (\d+\.\d+\.\d+) \| ([^|]+) \| ([^|]+) \|$", PAGE, re.M)
# The chapters of ASVS 5.0 of which none applies: OAuth and OpenID Connect, WebRTC.
WITHOUT = {10, 17}


def test_every_chapter_has_its_requirements_in_order_and_once() -> None:
    numbers = [tuple(map(int, number.split("."))) for number, _, _ in LINES]
    assert len(numbers) > 180 and numbers == sorted(set(numbers))
    assert {chapter for chapter, _, _ in numbers} == set(range(1, 18)) - WITHOUT


@pytest.mark.parametrize("said", [said for _, _, said in LINES], ids=[number for number, _, _ in LINES])
def test_what_a_line_leads_to_is_there(said: str) -> None:
    for path in re.findall(r"`((?:tests|core|desk|store|web|outside)/[^`]*)`", said):
        assert (ROOT / path).exists() or (ROOT / "src" / "zax" / path).exists(), path
    for page in re.findall(r"\]\(([a-z]+\.md)\)", said):
        assert (ROOT / "docs" / page).exists(), page


def test_what_is_missing_is_named_again_at_the_end() -> None:
    missing = [number for number, _, said in LINES if said.startswith("**not**")]
    assert missing == ["5.4.3"] and "virus scan" in PAGE.partition("## Not there yet")[2]
