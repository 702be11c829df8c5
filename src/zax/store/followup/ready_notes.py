"""Ready-made notes as they are kept."""

from __future__ import annotations

from dataclasses import asdict

from sqlalchemy import Connection, select

from zax.core.followup.ready_notes import ReadyNote
from zax.store.followup.tables import ready_note
from zax.store.rows import keep, many


def ready_notes(connection: Connection) -> list[ReadyNote]:
    """All of them, by their letters."""
    return many(connection, select(ready_note).order_by(ready_note.c.letters, ready_note.c.id), ReadyNote)


def keep_note(connection: Connection, note: ReadyNote) -> int:
    """Raises NotFound and Stale."""
    values = {name: value for name, value in asdict(note).items() if name not in {"id", "version"}}
    return keep(connection, ready_note, note.id, note.version, values, "ready-made note")
