"""The last sign of life of each process."""

from __future__ import annotations

from sqlalchemy import Column, String, Table

from zax.store.columns import metadata, moment

beat = Table("beat", metadata, Column("name", String(40), primary_key=True), moment("at"), moment("clock_at"))
