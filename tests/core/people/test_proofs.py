"""Passwords, PINs, second factors and names to sign in with: what is taken, and what is tried against
them.
"""

from __future__ import annotations

from datetime import UTC, datetime, timedelta

import pyotp
import pytest
from hypothesis import given
from hypothesis import strategies as st

from zax.core.errors import NotAllowed, Problems, Refused
from zax.core.people.passwords import common_passwords, password_problem
from zax.core.people.pins import check_pin
from zax.core.people.roles import (
    BILLER,
    MANAGER,
    RIGHT_WORDS,
    SHIPPED,
    SHORT_WORDS,
    Role,
    checked_role,
    require,
)
from zax.core.people.second_factor import (
    STEP_SECONDS,
    new_recovery_codes,
    new_secret,
    plain_recovery_code,
    step_of,
)
from zax.core.people.sign_in import check_sign_in

NOW = datetime(2026, 11, 24, 18, 42)
SECRET = "JBSWY3DPEHPK3PXPJBSWY3DPEHPK3PXP"


@pytest.mark.parametrize(
    "text",
    ["password123", "Password2026!", "qwertyuiop", "1234567890", "iloveyou99", "short", "kestrel rules"],
)
def test_what_people_try_first_is_no_password(text: str) -> None:
    assert password_problem(text, ["Sam", "Quill", "Kestrel"])


@pytest.mark.parametrize("text", ["seven gulls in fog", "ferry-bell-7", "pelican boots walk"])
def test_a_few_words_are_a_password(text: str) -> None:
    assert password_problem(text, ["Sam", "Quill", "Kestrel"]) == ""


def test_the_list_of_common_ones_is_long() -> None:
    assert len(common_passwords()) > 3_000  # ASVS 5.0 6.2.4


@given(
    st.sampled_from(sorted(each for each in common_passwords() if len(each) >= 10)),
    st.sampled_from(["", "1", "!", "2026"]),
)
def test_no_common_one_passes_with_a_little_behind_it(word: str, more: str) -> None:
    assert password_problem(word + more, [])


@pytest.mark.parametrize("pin", ["1111", "1234", "4321", "12", "123456789", "12a4", "٣٤٥٦", ""])
def test_what_is_no_pin(pin: str) -> None:
    with pytest.raises(Refused):
        check_pin(pin)


def test_a_pin() -> None:
    assert check_pin(" 4071 ") == "4071"


@pytest.mark.parametrize("text", ["s", "sam quill", "1sam", "sam@home", "ſam", "x" * 41, ""])
def test_what_is_no_name_to_sign_in_with(text: str) -> None:
    with pytest.raises(Refused):
        check_sign_in(text)


def test_a_name_is_kept_in_lower_case() -> None:
    assert check_sign_in(" Sam.Quill-2 ") == "sam.quill-2"


@given(st.integers(-5, 5))
def test_a_code_counts_for_its_half_minute_and_one_either_way(off: int) -> None:
    here = int(NOW.replace(tzinfo=UTC).timestamp()) // STEP_SECONDS
    code = pyotp.TOTP(SECRET).generate_otp(here + off)
    assert step_of(SECRET, code, NOW) == (here + off if abs(off) <= 1 else None)


def test_the_code_of_the_standard() -> None:
    """RFC 6238, appendix B: at 59 s the SHA-1 code of this secret ends in 287082."""
    secret = "GEZDGNBVGY3TQOJQGEZDGNBVGY3TQOJQ"
    assert step_of(secret, "287 082", datetime(1970, 1, 1) + timedelta(seconds=59)) == 1


@given(st.text(max_size=12))
def test_whatever_is_typed_is_a_code_or_not(typed: str) -> None:
    found = step_of(SECRET, typed, NOW)
    assert found is None or len("".join(typed.split())) == 6


def test_recovery_codes_are_many_and_read_however_they_are_typed() -> None:
    codes = new_recovery_codes()
    assert len(set(codes)) == 10 and new_secret() != new_secret()
    for code in codes:
        assert plain_recovery_code(code.upper().replace("-", " ")) == plain_recovery_code(code)
        assert len(plain_recovery_code(code)) == 12


def test_every_right_has_its_words_twice() -> None:
    assert RIGHT_WORDS.keys() == SHORT_WORDS.keys()
    assert MANAGER.rights == RIGHT_WORDS.keys()


def test_a_refusal_names_the_clinics_own_roles() -> None:
    own = Role(key="own-1", words="Assistant", rights=frozenset({"see", "claims"}))
    desk = Role(key="own-2", words="Runner", rights=frozenset({"see"}))
    gone = Role(key="own-3", words="Ghost", rights=frozenset({"see", "claims"}), active=False)
    with pytest.raises(NotAllowed, match="Runner can’t work on claims.*Ask assistant, or sign in"):
        require(desk, "claims", [own, desk, gone])
    with pytest.raises(NotAllowed, match="Sign in as someone who can"):
        require(desk, "claims", [desk])


@given(st.sets(st.sampled_from(sorted(RIGHT_WORDS))))
def test_the_managers_role_never_locks_everybody_out(rights: set[str]) -> None:
    role = Role(key="manager", words="Manager", rights=frozenset(rights))
    try:
        kept = checked_role(role, SHIPPED.values())
    except Problems:
        return
    assert {"see", "setup", "people"} <= kept.rights


@pytest.mark.parametrize(("words", "rights"), [("", {"see"}), ("billing", {"see"}), ("Runner", {"book"})])
def test_what_is_no_role(words: str, rights: set[str]) -> None:
    with pytest.raises(Problems):
        checked_role(Role(key="own-1", words=words, rights=frozenset(rights)), SHIPPED.values())
    assert checked_role(BILLER, SHIPPED.values()) == BILLER
