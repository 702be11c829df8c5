"""The database is reached by TLS alone, and only the one whose certificate lies in its folder is believed."""

from __future__ import annotations

import stat
from collections.abc import Callable
from datetime import datetime, timedelta
from pathlib import Path

import pytest
from sqlalchemy import Engine, create_engine, text
from sqlalchemy.exc import OperationalError

from zax.store.certificate import CERTIFICATE, GOOD_FOR, KEY, LEAST_LEFT, keep_certificate
from zax.store.server import Server, url_of

NOW = datetime(2026, 11, 24, 18, 0)


def kept(folder: Path, now: datetime = NOW) -> tuple[bytes, bytes]:
    keep_certificate(folder, now)
    return (folder / CERTIFICATE).read_bytes(), (folder / KEY).read_bytes()


def test_web_and_worker_reach_the_database_by_tls(daily: Engine) -> None:
    with daily.connect() as connection:
        shown = connection.execute(text("SHOW STATUS LIKE 'Ssl_version'")).one()
    assert shown == ("Ssl_version", "TLSv1.3")


def test_what_is_not_by_tls_is_refused(server: Server) -> None:
    plain = create_engine(url_of(server.folder, server.port).set(query={}))
    with pytest.raises(OperationalError):
        plain.connect()


def test_another_that_took_the_port_is_not_believed(server: Server, tmp_path: Path) -> None:
    """Its certificate is not the one in our folder, so it is told nothing."""
    kept(tmp_path)
    url = url_of(server.folder, server.port).update_query_dict({"ssl_ca": str(tmp_path / CERTIFICATE)})
    with pytest.raises(OperationalError, match="certificate"):
        create_engine(url).connect()


def test_it_is_its_owners_alone_and_stays_while_it_lasts(tmp_path: Path) -> None:
    first = kept(tmp_path)
    assert kept(tmp_path, NOW + GOOD_FOR - LEAST_LEFT - timedelta(days=2)) == first
    assert [stat.S_IMODE((tmp_path / name).stat().st_mode) for name in (CERTIFICATE, KEY)] == [0o600, 0o600]
    assert sorted(each.name for each in tmp_path.iterdir()) == sorted((CERTIFICATE, KEY))


def _lose_key(folder: Path) -> None:
    (folder / KEY).unlink()


def _damage(folder: Path) -> None:
    (folder / CERTIFICATE).write_bytes(b"-----BEGIN CERTIFICATE-----\nnothing\n-----END CERTIFICATE-----\n")


def _take_key_of_another(folder: Path) -> None:
    """As a start leaves it that was killed between the two files."""
    other = folder / "other"
    other.mkdir()
    kept(other)
    (other / KEY).rename(folder / KEY)


@pytest.mark.parametrize("harm", [_lose_key, _damage, _take_key_of_another])
def test_what_no_longer_fits_is_made_anew(tmp_path: Path, harm: Callable[[Path], None]) -> None:
    first = kept(tmp_path)
    harm(tmp_path)
    second = kept(tmp_path)
    assert second[0] != first[0] and second[1] != first[1]
    assert kept(tmp_path) == second


@pytest.mark.parametrize("then", [NOW + GOOD_FOR - LEAST_LEFT + timedelta(days=1), NOW - timedelta(days=2)])
def test_one_about_to_end_or_not_begun_is_made_anew(tmp_path: Path, then: datetime) -> None:
    """Not begun: the machine's clock was far ahead when it was made, and was set right."""
    first = kept(tmp_path)
    assert kept(tmp_path, then) != first
