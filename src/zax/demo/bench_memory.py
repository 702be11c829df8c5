"""What must not fill the memory: a portrait out of a very large picture, and everybody written into one file.

Each runs in a process of its own that has done nothing else, so that its greatest size is what the work took.
"""

from __future__ import annotations

import io
import itertools
import random
import time
from collections.abc import Callable, Iterator
from concurrent.futures import ProcessPoolExecutor
from multiprocessing import get_context
from pathlib import Path
from typing import ParamSpec, TypeVar

from PIL import Image
from sqlalchemy import URL

from zax.core.json import Json
from zax.core.patients.uploads import Cut, portrait
from zax.core.record.card import write_csv
from zax.desk.clinic.clinic import load
from zax.desk.record.exporting import cards_of
from zax.store.engine import connect

P = ParamSpec("P")
T = TypeVar("T")
WIDE, HIGH = 9_000, 6_600  # 59.4 million points
FIRST = 2_000  # lines after which the rest must take no more


def in_a_fresh_process(work: Callable[P, T], *args: P.args, **more: P.kwargs) -> T:
    with ProcessPoolExecutor(1, mp_context=get_context("spawn")) as pool:
        return pool.submit(work, *args, **more).result()


def large_picture(progressive: bool = False) -> bytes:
    """A photo as a camera makes it: fine structure everywhere. A progressive one cannot be read row by
    row.
    """
    rng = random.Random(9)
    grain = Image.frombytes("RGB", (900, 660), rng.randbytes(900 * 660 * 3))
    out = io.BytesIO()
    picture = grain.resize((WIDE, HIGH), Image.Resampling.BICUBIC)
    picture.save(out, "JPEG", quality=85, progressive=progressive)
    return out.getvalue()


def portrait_cost(content: bytes) -> Json:
    """Seconds, and megabytes over what the process had before."""
    before, began = now_mb(), time.monotonic()
    portrait(content, Cut(turns=1, left=200, top=100, side=600))
    return {"seconds": round(time.monotonic() - began, 2), "mb": round(largest_mb() - before, 1)}


def export_cost(url: URL) -> Json:
    """Lines, bytes and seconds of everybody as CSV, and megabytes more than the first lines had taken."""
    engine = connect(url)
    began = time.monotonic()
    with engine.connect() as connection:
        lines = write_csv(cards_of(connection, load(connection), None))
        size = sum(len(line.encode()) for line in itertools.islice(lines, FIRST))
        first = now_mb()
        count, more = _drained(lines)
    engine.dispose()
    return {
        "lines": FIRST + count,
        "mb_written": round((size + more) / 1e6, 1),
        "seconds": round(time.monotonic() - began, 1),
        "mb": round(largest_mb() - first, 1),
    }


def _drained(lines: Iterator[str]) -> tuple[int, int]:
    count = size = 0
    for line in lines:
        count += 1
        size += len(line.encode())
    return count, size


def now_mb() -> float:
    """What the process holds, from where its greatest size is counted anew (proc(5), clear_refs)."""
    Path("/proc/self/clear_refs").write_text("5")
    return _status_mb("VmRSS")


def largest_mb() -> float:
    """The most it held since."""
    return _status_mb("VmHWM")


def _status_mb(name: str) -> float:
    lines = Path("/proc/self/status").read_text().splitlines()
    return next(int(line.split()[1]) / 1024 for line in lines if line.startswith(f"{name}:"))
