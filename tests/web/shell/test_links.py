"""Whatever a list names can be led to."""

import pytest

from zax.core.subject import About, Subject
from zax.web.shell.links import address_of


@pytest.mark.parametrize("about", list(About))
def test_everything_that_can_be_named_has_its_page(about: About) -> None:
    assert address_of(Subject(about, 7)).startswith("/")


def test_a_place_on_an_account_is_part_of_its_address() -> None:
    assert address_of(Subject(About.ACCOUNT, 7, visit_id=9)) == "/accounts/7#v9"
    assert address_of(Subject(About.ACCOUNT, 7, entry_id=3)) == "/accounts/7?why=e3"
    assert address_of(Subject(About.ACCOUNT, 7)) == "/accounts/7"
