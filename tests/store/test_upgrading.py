"""From one Zax to the next: the data is there and newer; or, when a migration fails halfway, exactly as it
was.
"""

from __future__ import annotations

from pathlib import Path

import pytest
from alembic import command
from sqlalchemy import Engine, text

from tests.conftest import free_port
from tests.store.test_backup import sums
from zax import upgrading
from zax.settings import Settings
from zax.store.backup import backups
from zax.store.engine import connect
from zax.store.migrate import config, migrate, newest, version_of
from zax.store.server import Server
from zax.upgrading import NotUpgraded, Upgraded, upgrade

pytestmark = pytest.mark.slow
BEFORE = "0027"


@pytest.fixture
def old(tmp_path: Path) -> Settings:
    """The stopped clinic of an older Zax, with a patient in it."""
    settings = Settings(var=tmp_path / "var", db_port=free_port(), backups=tmp_path / "backups")
    with running(settings) as engine:
        alembic = config()
        with engine.begin() as connection:
            alembic.attributes["connection"] = connection
            command.upgrade(alembic, BEFORE)
        with engine.begin() as connection:
            connection.execute(text("INSERT INTO household (name) VALUES ('Ruiz')"))
    return settings


class running:
    """The clinic's database while a test looks at it."""

    def __init__(self, settings: Settings) -> None:
        self.server = Server(settings.var / "db", settings.db_port, buffer_mb=64, binary_log=True)

    def __enter__(self) -> Engine:
        self.engine = connect(self.server.start())
        return self.engine

    def __exit__(self, *_: object) -> None:
        self.engine.dispose()
        self.server.stop()


def test_a_clinic_of_an_older_zax_is_brought_to_this_one(old: Settings) -> None:
    said: list[str] = []
    assert upgrade(old, said.append) == Upgraded(BEFORE, newest())
    assert [each.split()[0] for each in said] == ["Making", "Bringing"]
    assert old.backups and len(backups(old.backups)) == 1
    with running(old) as engine:
        assert version_of(engine) == newest()
        with engine.connect() as connection:
            assert connection.execute(text("SELECT name FROM household")).scalar() == "Ruiz"
    assert upgrade(old) == Upgraded(newest(), newest())


def test_a_migration_that_fails_halfway_leaves_everything_as_it_was(
    old: Settings, monkeypatch: pytest.MonkeyPatch
) -> None:
    with running(old) as engine:
        before = sums(engine)

    def halfway(engine: Engine) -> None:
        with engine.begin() as connection:
            connection.execute(text("ALTER TABLE household ADD COLUMN half INTEGER"))
            connection.execute(text("DELETE FROM household"))
        raise RuntimeError("the machine went away")

    monkeypatch.setattr(upgrading, "migrate", halfway)
    with pytest.raises(NotUpgraded, match="is as it was"):
        upgrade(old)
    with running(old) as engine:
        assert version_of(engine) == BEFORE and sums(engine) == before
    assert sorted(each.name.split("-")[0] for each in old.var.glob("db*")) == ["db", "db"]
    monkeypatch.setattr(upgrading, "migrate", migrate)
    assert upgrade(old).now == newest()


def test_what_cannot_be_upgraded_is_left_alone(
    old: Settings, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    with pytest.raises(NotUpgraded, match="no clinic"):
        upgrade(Settings(var=tmp_path / "none", db_port=old.db_port))
    with running(old), pytest.raises(NotUpgraded, match="Stop it"):
        upgrade(old)
    monkeypatch.setattr(upgrading, "ROOM", 10**9)
    with pytest.raises(NotUpgraded, match="too little room"):
        upgrade(old)
    monkeypatch.setattr(upgrading, "ROOM", 0)
    with running(old) as engine, engine.begin() as connection:
        connection.execute(text("UPDATE alembic_version SET version_num = '9999'"))
    with pytest.raises(NotUpgraded, match="newer Zax"):
        upgrade(old)
    assert old.backups and not old.backups.exists()
