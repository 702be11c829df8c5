"""A disk that is full: whatever meets it, a file of ours or one of the database's, is told apart from a
defect, since nothing is wrong with what was asked and it will go through once there is room.
"""

from __future__ import annotations

import errno
import fcntl
import os
import secrets
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from zax.logs import open_log

_FULL = {errno.ENOSPC, errno.EDQUOT}
# MariaDB's numbers: the disk is full, a table is, and an error of the engine or while writing a file, whose
# words then end with the system's own.
_DISK_FULL, _WITH_WORDS = {1021, 1114}, {3, 1026, 1030, 1180}


class NoRoom(Exception):
    """The disk is full."""


@contextmanager
def kept_whole(path: Path) -> Iterator[Path]:
    """Where to write what is to be at `path`: it is there whole when the block ends well, and nothing of it
    when not. Raises NoRoom on a full disk.
    """
    # A name of its own: two may keep the same at once.
    part = path.with_name(f"{path.name}.{secrets.token_hex(8)}.part")
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        yield part
        os.replace(part, path)
    except OSError as error:
        if error.errno in _FULL:
            raise NoRoom from error
        raise
    finally:
        part.unlink(missing_ok=True)


def append_line(path: Path, line: str) -> None:
    """Write a line at the end of a log, whole or not at all. Raises NoRoom on a full disk."""
    path.parent.mkdir(parents=True, exist_ok=True)
    sent = f"{line}\n".encode()
    with open_log(path) as out:
        fcntl.flock(out, fcntl.LOCK_EX)  # so that what is taken back is never another's line
        before = out.seek(0, os.SEEK_END)
        try:
            whole = out.write(sent) == len(sent)
        except OSError as error:
            if error.errno not in _FULL:
                raise
            whole = False
        if not whole:
            out.truncate(before)
            raise NoRoom


def says_full(number: int, words: str) -> bool:
    """Whether an error of the database, by its number and words, means a full disk."""
    return number in _DISK_FULL or (number in _WITH_WORDS and "No space left" in words)
