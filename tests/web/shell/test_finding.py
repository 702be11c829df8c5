"""Finding people and screens by their words, and the one map of keys."""

import re
from html import unescape

import pytest

from tests.conftest import add_patient
from tests.web.conftest import Browser
from zax.core.people.roles import MANAGER, RECEPTIONIST
from zax.desk.acts.transaction import Desk
from zax.web.shell import keys
from zax.web.shell.screens import SCREENS, find_screens


def test_finding_people_and_screens(juno: Browser, desk: Desk) -> None:
    add_patient(desk)
    assert "Vasquez, Helen" in juno.get("/find?q=vas").text
    assert 'href="/money"' in juno.get("/find?q=mon").text
    assert 'href="/claims"' not in juno.get("/find?q=cla").text
    assert "No one found" in juno.get("/find?q=zzzz").text
    assert "Vasquez, Helen" in juno.get("/book/people?who=0148").text
    assert "found for “vas”" in juno.get("/patients?q=vas").text


def test_the_map_of_keys_is_shown_and_no_group_says_a_key_twice(juno: Browser) -> None:
    """What may stand on one page together is tried in the browser, page by page."""
    for keys_of_group in keys.groups().values():
        presses = [key.press for key in keys_of_group]
        assert sorted(presses) == sorted(set(presses))
    assert len(keys.BY_NAME) == len(keys.KEYS)
    everywhere = {key.press for key in keys.groups()["Everywhere"]}
    assert not everywhere & {key.press for key in keys.KEYS if key.group not in {"Everywhere", keys.SCREENS}}
    page = unescape(juno.get("/keys").text)
    assert all(key.words in page for key in keys.KEYS)
    with pytest.raises(KeyError):
        keys.key_attributes("no such key")


@pytest.mark.parametrize(
    ("typed", "first"),
    [
        ("clos", "Close the day"),
        ("holi", "Closed days"),
        ("calendar", "Book"),
        ("setup form", "Forms"),
        ("dupl", "Likely duplicates"),
        ("free time", "Openings"),
    ],
)
def test_screens_are_found_by_what_people_call_them(typed: str, first: str) -> None:
    assert find_screens(typed, MANAGER)[0].words == first


def test_screens_of_others_are_not_offered() -> None:
    assert not find_screens("setup", RECEPTIONIST) and not find_screens("  ", MANAGER)
    assert all(each.right != "setup" for each in find_screens("s", RECEPTIONIST))


def test_every_page_of_the_rail_and_the_setup_is_among_the_screens(web: Browser) -> None:
    """Kills: a new screen that nobody finds by its words."""
    sam = web.sign_in("sam")
    known = {each.href for each in SCREENS}
    rail = re.findall(r'<a href="(/[^"]*)"[^>]* data-go=', sam.get("/day").text)
    assert len(rail) >= 8 and set(rail) <= known
    for each in SCREENS:
        assert sam.get(each.href).status_code in {200, 303}, each


def test_every_key_named_in_a_template_is_on_the_map() -> None:
    from zax.web.shell.rendering import WEB

    used = {
        name
        for path in WEB.rglob("*.html")
        for name in re.findall(r'(?:key|cap)\("(\w+)"\)', path.read_text())
    }
    assert used <= set(keys.BY_NAME)
    assert {"new", "step", "done", "find"} <= used


def test_people_looked_at_last_come_first(juno: Browser, desk: Desk) -> None:
    first, second = add_patient(desk, first="Ada"), add_patient(desk, first="Ben")
    assert "No one yet" in juno.get("/patients").text
    for patient_id in (first, second):
        juno.get(f"/patients/{patient_id}")
    page = juno.get("/patients").text
    assert page.index("Vasquez, Ben") < page.index("Vasquez, Ada")
