"""Keys beside the database: the newest makes, the others still open; every process sees a change at once."""

from __future__ import annotations

import stat
from concurrent.futures import ThreadPoolExecutor
from datetime import datetime, timedelta
from itertools import count
from pathlib import Path

import pytest
from cryptography.fernet import InvalidToken
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from zax.store.keyring import Key, KeyRing
from zax.store.vault import Vault, vault_ring

NOW = datetime(2026, 11, 24, 18, 0)


def ring(folder: Path) -> KeyRing:
    numbers = count(1)
    return KeyRing(folder / "a-key", lambda: f"key{next(numbers)}")


def test_a_new_key_stands_before_the_others_and_only_its_owner_reads_it(tmp_path: Path) -> None:
    ours, theirs = ring(tmp_path), ring(tmp_path)
    assert ours.newest == theirs.newest == "key1"
    ours.add(NOW)
    assert theirs.keys[0] == Key("key2", NOW) and theirs.texts == ("key2", "key1")
    assert stat.S_IMODE(ours.path.stat().st_mode) == 0o600
    ours.keep(1)
    assert theirs.texts == ("key2",)
    ours.keep(0)
    assert ours.texts == ("key2",) and [each.name for each in tmp_path.iterdir()] == ["a-key"]


def test_a_file_from_before_keys_were_dated_is_read(tmp_path: Path) -> None:
    (tmp_path / "a-key").write_text("old")
    assert ring(tmp_path).keys == (Key("old", None),)


def test_two_processes_at_once_make_one_key(tmp_path: Path) -> None:
    with ThreadPoolExecutor(8) as pool:
        found = set(pool.map(lambda n: KeyRing(tmp_path / "x" / "a-key", lambda: f"key{n}").newest, range(8)))
    assert len(found) == 1


@settings(suppress_health_check=[HealthCheck.function_scoped_fixture], max_examples=30)
@given(text=st.text(max_size=40), times=st.integers(0, 3))
def test_what_was_sealed_opens_as_long_as_its_key_stays(
    tmp_path_factory: pytest.TempPathFactory, text: str, times: int
) -> None:
    folder = tmp_path_factory.mktemp("vault")
    vault, other = Vault(folder), Vault(folder)
    sealed = vault.seal(text)
    for n in range(times):
        vault_ring(folder).add(NOW + timedelta(days=n))
    assert other.open(sealed) == text and other.open(other.seal(text)) == text
    assert other.is_newest(sealed) == (times == 0 or not text) and other.is_newest(other.seal(text))
    vault_ring(folder).keep(1)
    if times and text:
        with pytest.raises(InvalidToken):
            vault.open(sealed)
