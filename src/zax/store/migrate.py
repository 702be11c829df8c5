"""Brings a database to the newest schema, by Alembic; and empties one for a fresh start."""

from __future__ import annotations

from pathlib import Path

from alembic import command
from alembic.config import Config
from alembic.script import ScriptDirectory
from sqlalchemy import Engine, inspect, text

from zax.store.rights import grant_daily_rights

FOLDER = Path(__file__).parent / "migrations"


def config() -> Config:
    made = Config()
    made.set_main_option("script_location", str(FOLDER))
    return made


def migrate(engine: Engine) -> None:
    """Apply every migration that is missing; the daily user may use what they made."""
    alembic = config()
    with engine.begin() as connection:
        alembic.attributes["connection"] = connection
        command.upgrade(alembic, "head")
    with engine.begin() as connection:
        grant_daily_rights(connection)


def newest() -> str:
    """The revision that this Zax was written for."""
    return ScriptDirectory.from_config(config()).get_current_head() or ""


def revisions() -> set[str]:
    """Every revision that this Zax knows."""
    return {each.revision for each in ScriptDirectory.from_config(config()).walk_revisions()}


def version_of(engine: Engine) -> str:
    """The revision of a database; empty for one without a schema."""
    with engine.connect() as connection:
        if not inspect(connection).has_table("alembic_version"):
            return ""
        return str(connection.execute(text("SELECT version_num FROM alembic_version")).scalar() or "")


def is_demo(engine: Engine) -> bool:
    """Whether the made-up clinic lives here."""
    with engine.connect() as connection:
        if not inspect(connection).has_table("setting"):
            return False
        return connection.execute(text("SELECT 1 FROM setting WHERE name = 'seeded'")).scalar() is not None


def drop_everything(engine: Engine) -> None:
    """Drop all tables, for a first run that broke off or a fresh start."""
    with engine.begin() as connection:
        connection.execute(text("SET foreign_key_checks=0"))
        for name in inspect(connection).get_table_names():
            connection.execute(text(f"DROP TABLE `{name}`"))
        connection.execute(text("SET foreign_key_checks=1"))
