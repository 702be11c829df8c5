"""What a page loads at once and what later: no page lacks a style, and no file is forgotten."""

import re

import pytest

from tests.web.conftest import Browser
from zax.web.shell.assets import SCRIPTS, SHOWS, STYLES
from zax.web.shell.rendering import WEB

# The corridor screen and the page behind a link stand outside the frame and bring their own.
ALONE = {
    "day/corridor",
    "inbox/link",
    "online/online",
    "online/register",
    "people/lock",
    "people/passkey",
    "people/switch",
    "tablet/tablet",
}


def files(kind: str) -> set[str]:
    found = {
        f"{path.parent.parent.name}/{path.stem}"
        for path in WEB.glob(f"*/static/*.{kind}")
        if path.parent.parent.name != "shell"
    }
    return found - ALONE


def test_every_style_sheet_and_script_of_an_area_is_loaded() -> None:
    imported = {
        f"{path.parent.parent.name}/{name}"
        for path in WEB.glob("*/static/*.js")
        for name in re.findall(r'from "\./([\w]+)\.js"', path.read_text())
    }
    assert set(STYLES) - {"shell/small"} == files("css")
    assert set(SCRIPTS) == files("js") - imported


@pytest.mark.parametrize(
    ("path", "own", "later"),
    [
        ("/day", "day/live_day", "setup/setup"),
        ("/book", "day/book", "record/record"),
        ("/setup/types", "setup/setup", "book/waitlist"),
        ("/money", "money/money", "book/waitlist"),
        ("/claims", "money/money", "charges/charges"),
        ("/waitlist", "book/waitlist", "money/account"),
        ("/keys", "day/live_day", "money/money"),
    ],
)
def test_a_page_is_dressed_by_its_own_area_at_once(sam: Browser, path: str, own: str, later: str) -> None:
    """What it shows holds it up, or it would stand there half dressed; what it does not show does not."""
    page = sam.get(path).text
    assert f'<link rel="stylesheet" href="/static/{own}.css">' in page
    assert f'<link rel="stylesheet" href="/static/{later}.css" media="not all" data-later>' in page


def test_an_area_loads_the_sheets_of_every_area_whose_classes_it_uses() -> None:
    """A class that one area alone styles makes that area needed wherever it stands."""
    sheets = {name: (WEB / name.replace("/", "/static/")).with_suffix(".css").read_text() for name in STYLES}
    shell = "".join(path.read_text() for path in (WEB / "shell" / "static").glob("*.css"))
    styled: dict[str, set[str]] = {}
    for name, text in sheets.items():
        for each in re.findall(r"\.([a-zA-Z][\w-]*)", text):
            styled.setdefault(each, set()).add(name.partition("/")[0])
    common = set(re.findall(r"\.([a-zA-Z][\w-]*)", shell))
    missing = set()
    for path in WEB.glob("*/templates/**/*.html"):
        area = path.relative_to(WEB).parts[0]
        if "papers" in path.parts or area == "people":
            continue
        for value in re.findall(r'class="([^"{]*)"', path.read_text()):
            for each in set(value.split()) & set(styled) - common:
                if len(styled[each]) == 1 and not styled[each] <= SHOWS.get(area, frozenset()) | {area}:
                    missing.add((area, *styled[each], each))
    assert missing == set()


def test_no_area_gives_a_rule_to_a_word_that_qualifies_another_areas() -> None:
    """`.news.two` is two columns; a rule of another area for `.two` alone would change it wherever both are
    loaded, and does so only on some screens. (A rule of the shell's for a word alone is meant for all.)
    """
    qualifies: dict[str, set[str]] = {}
    alone: dict[str, set[str]] = {}
    for sheet in WEB.glob("*/static/*.css"):
        area = sheet.relative_to(WEB).parts[0]
        text = re.sub(r"/\*.*?\*/", "", sheet.read_text(), flags=re.S)
        for each in re.split(r",|\{[^{}]*\}", text):
            for word in re.findall(r"(?<=[\w-])\.([\w-]+)", each):
                qualifies.setdefault(word, set()).add(area)
            framed = area != "shell" and f"{area}/{sheet.stem}" not in ALONE
            if framed and re.fullmatch(r"\.[\w-]+", each.strip()):
                alone.setdefault(each.strip()[1:], set()).add(area)
    assert "two" in qualifies and "daybar" in alone
    assert {word for word in alone if qualifies.get(word, set()) - alone[word]} == set()
