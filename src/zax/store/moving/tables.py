"""Lists taken in from elsewhere, row by row."""

from __future__ import annotations

from sqlalchemy import BigInteger, Column, ForeignKey, Integer, Table

from zax.store.columns import flag_column, id_column, metadata, moment, ref, text_column, words_map

import_job = Table(
    "import_job",
    metadata,
    id_column(),
    text_column("kind", 12, "patients"),
    text_column("name", 120),
    text_column("digest", 64),
    words_map("columns"),
    text_column("state", 10, "new"),
    flag_column("dry", "1"),
    Column("total", Integer, nullable=False, server_default="0"),
    Column("done", Integer, nullable=False, server_default="0"),
    Column("made", Integer, nullable=False, server_default="0"),
    Column("changed", Integer, nullable=False, server_default="0"),
    Column("known", Integer, nullable=False, server_default="0"),
    Column("refused", Integer, nullable=False, server_default="0"),
    text_column("words", 255),
    moment("at"),
    ref("by_id", "user", nullable=True),
    moment("finished_at", nullable=True),
)
import_row = Table(
    "import_row",
    metadata,
    Column("job_id", Integer, ForeignKey("import_job.id"), primary_key=True, autoincrement=False),
    Column("line", Integer, primary_key=True, autoincrement=False),
    text_column("outcome", 8),
    text_column("why", 255),
    Column("patient_id", Integer),
)
# Archives of everything: the zip lies in a folder of its own under its id until it is thrown away. `done` of
# `about` files are written; `state` is waiting, made, failed or gone.
archive = Table(
    "archive",
    metadata,
    id_column(),
    text_column("state", 10, "waiting"),
    Column("done", Integer, nullable=False, server_default="0"),
    Column("about", Integer, nullable=False, server_default="0"),
    Column("bytes", BigInteger, nullable=False, server_default="0"),
    text_column("words", 255),
    moment("at"),
    ref("by_id", "user", nullable=True),
    moment("ended_at", nullable=True),
)
