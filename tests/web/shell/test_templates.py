"""Formatting a template moves no space on the page: what is rendered before and after is the same but beside
block elements, where nobody sees white space.
"""

import re

from hypothesis import given
from hypothesis import strategies as st
from jinja2 import Environment
from scripts.format_templates import BLOCK, formatted

from zax.web.shell.rendering import WEB, OneSpace

ENVIRONMENT = Environment(autoescape=True, trim_blocks=True, lstrip_blocks=True, extensions=[OneSpace])
_BESIDE_BLOCKS = re.compile(rf"\s*(</?(?:{'|'.join(sorted(BLOCK))})\b[^>]*>)\s*")
white = st.sampled_from(["", "", " ", "\n", "\n    ", "  \n\n "])
leaves = st.sampled_from(
    [
        "word",
        "two words",
        "{{ name }}",
        "{{ 'a  b' | upper }}",
        '<i class="x  y">',
        "</i>",
        "<br>",
        "{# said #}",
    ]
)


def around(inner: st.SearchStrategy[str]) -> st.SearchStrategy[str]:
    several = st.lists(st.tuples(inner, white).map("".join), max_size=5).map("".join)
    wraps = [
        ("<div {{ 'id=1' }} class='a b'>", "</div>"),
        ("<p>", "</p>"),
        ("<span title='{{ name }} >  x'>", "</span>"),
        ("<form>", "</form>"),
        ("{% if yes %}", "{% endif %}"),
        ("{% if no %}", "{% else %}other{% endif %}"),
        ("{% for n in (1, 2) %}", "{% endfor %}"),
    ]
    return st.tuples(st.sampled_from(wraps), white, several).map(lambda t: t[0][0] + t[1] + t[2] + t[0][1])


templates = st.lists(
    st.tuples(st.recursive(leaves, around, max_leaves=12), white).map("".join), min_size=1, max_size=6
).map("".join)


def shown(template: str) -> str:
    page = ENVIRONMENT.from_string(template).render(name="N & N", yes=True, no=False)
    return re.sub(r"\s+", " ", _BESIDE_BLOCKS.sub(r"\1", page)).strip()


@given(templates)
def test_the_page_is_the_same_and_formatting_again_changes_nothing(template: str) -> None:
    once = formatted(template)
    assert shown(once) == shown(template)
    assert formatted(once) == once


def test_a_long_tag_is_broken_between_its_attributes_and_never_inside_one() -> None:
    title = " ".join(["word"] * 12)
    link = f'<a class="one two" href="/x?a={{{{ b }}}}" title="{title}" data-key="1">go</a>'
    lines = formatted(f"<p>{link}, {link}</p>").splitlines()
    assert max(map(len, lines)) <= 110 and shown("\n".join(lines)) == shown(f"<p>{link}, {link}</p>")


def test_spacing_comes_from_the_tokens() -> None:
    """A hairline is raw, and three places that keep clear of something else; the rest keeps the beat."""
    spacing = re.compile(r"^\s*(?:padding|margin|gap|row-gap|column-gap)(?:-\w+)?: (.*);", re.MULTILINE)
    kept = {"0px", "1px", "14px", "60px", "272px"}
    found = [
        f"{path.name}: {match[0].strip()}"
        for path in WEB.glob("*/static/*.css")
        for match in spacing.finditer(path.read_text())
        if set(re.findall(r"[\d.]+px", match[1])) - kept
    ]
    assert found == []
