"""A full disk: files are there whole or not at all, and who asked is told what it is."""

from __future__ import annotations

import os
import shutil
import threading
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import pytest
from sqlalchemy.exc import InternalError, OperationalError

from zax.store.engine import TROUBLE, NoRoom, out_of_room
from zax.store.files import FileStore
from zax.store.room import append_line, kept_whole

MEGABYTE = 1024 * 1024


def test_a_file_that_does_not_fit_leaves_nothing_and_a_smaller_one_goes(small_disk: Path) -> None:
    store = FileStore(small_disk)
    with pytest.raises(NoRoom):
        store.put(bytes(2 * MEGABYTE))
    assert store.digests() == [] and not [each for each in small_disk.rglob("*") if each.is_file()]
    assert store.get(store.put(b"small")) == b"small"


def test_what_was_there_stays_when_its_new_content_does_not_fit(small_disk: Path) -> None:
    path = small_disk / "kept"
    path.write_text("before")
    with pytest.raises(NoRoom), kept_whole(path) as part:
        part.write_bytes(bytes(2 * MEGABYTE))
    assert path.read_text() == "before"
    with pytest.raises(PermissionError), kept_whole(path):
        raise PermissionError


def test_a_line_of_a_log_is_written_whole_or_not_at_all(small_disk: Path) -> None:
    path = small_disk / "seals.log"
    append_line(path, "first")
    free = shutil.disk_usage(small_disk).free
    (small_disk / "ballast").write_bytes(bytes(free))
    page = os.sysconf("SC_PAGE_SIZE")
    for _ in range(3):
        with pytest.raises(NoRoom):
            append_line(path, "x" * page)
    assert path.read_text() == "first\n"
    append_line(path, "second")
    assert path.read_text() == "first\nsecond\n"


@pytest.mark.parametrize(
    ("number", "words", "full"),
    [
        (1114, "The table 'visit' is full", True),
        (1021, "Disk full (/x); waiting for someone to free some space...", True),
        (1030, 'Got error 28 "No space left on device" from storage engine InnoDB', True),
        (1030, 'Got error 122 "Internal error" from storage engine', False),
        (1213, "Deadlock found", False),
    ],
)
def test_the_database_tells_a_full_disk_in_several_ways(number: int, words: str, full: bool) -> None:
    class Said(Exception):
        errno = number

    for kind in (InternalError, OperationalError):
        error = kind("INSERT", {}, Said(words))
        assert isinstance(error, TROUBLE) and out_of_room(error) is full


def test_two_who_keep_the_same_content_at_once_both_succeed(tmp_path: Path) -> None:
    store, content = FileStore(tmp_path), bytes(2 * MEGABYTE)
    gate = threading.Barrier(8)

    def put(_: int) -> str:
        gate.wait()
        return store.put(content)

    for n in range(10):
        content = bytes([n]) * MEGABYTE
        with ThreadPoolExecutor(8) as pool:
            assert len(set(pool.map(put, range(8)))) == 1
    assert not list(tmp_path.rglob("*.part"))
