"""Loads many rows fast: tab-separated files through LOAD DATA LOCAL, in a second thread while the next rows
are made.
"""

from __future__ import annotations

import tempfile
from collections.abc import Sequence
from concurrent.futures import Future, ThreadPoolExecutor
from pathlib import Path
from types import TracebackType

from sqlalchemy import Engine, Table, text

BATCH = 100_000


def _cell(value: object) -> str:
    if value is None:
        return "\\N"
    if value is True or value is False:
        return "1" if value else "0"
    return str(value)


class Bulk:
    """`with Bulk(engine) as bulk: bulk.add(table, columns, rows)`. Keys must be given and right: checks are
    off while loading.
    """

    def __init__(self, engine: Engine) -> None:
        self.engine = engine
        self.lines: dict[tuple[str, str], list[str]] = {}
        self.loaded: set[str] = set()
        self.pool = ThreadPoolExecutor(1)
        self.running: list[Future[None]] = []
        self.folder = tempfile.TemporaryDirectory(prefix="zax-load-")
        self.batches = 0

    def __enter__(self) -> Bulk:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        if error is None:
            for key in list(self.lines):
                self._hand_over(key)
        self.pool.shutdown(wait=True, cancel_futures=error is not None)
        self.folder.cleanup()
        if error is None:
            for done in self.running:
                done.result()
            self._count()

    def _count(self) -> None:
        """Let the database look at what was loaded: until it does by itself, its plans are those for empty
        tables.
        """
        with self.engine.begin() as connection:
            for name in sorted(self.loaded):
                connection.execute(text(f"ANALYZE TABLE `{name}`"))

    def add(self, table: Table, columns: str, rows: Sequence[Sequence[object]]) -> None:
        key = (table.name, columns)
        self.loaded.add(table.name)
        kept = self.lines.setdefault(key, [])
        kept += ["\t".join(map(_cell, row)) for row in rows]
        if len(kept) >= BATCH:
            self._hand_over(key)

    def _hand_over(self, key: tuple[str, str]) -> None:
        lines = self.lines.pop(key)
        if not lines:
            return
        self.batches += 1
        path = Path(self.folder.name) / f"{self.batches}.tsv"
        path.write_text("\n".join(lines) + "\n", encoding="utf-8")
        while len(self.running) > 3:
            self.running.pop(0).result()
        self.running.append(self.pool.submit(self._load, path, len(lines), *key))

    def _load(self, path: Path, count: int, table: str, columns: str) -> None:
        with self.engine.begin() as connection:
            connection.execute(text("SET SESSION foreign_key_checks=0"))
            loaded = connection.execute(
                text(f"LOAD DATA LOCAL INFILE :path INTO TABLE `{table}` CHARACTER SET utf8mb4 ({columns})"),
                {"path": str(path)},
            )
            connection.execute(text("SET SESSION foreign_key_checks=1"))
            if loaded.rowcount != count:
                raise RuntimeError(f"{count} rows were made for {table}, {loaded.rowcount} were loaded")
        path.unlink()
