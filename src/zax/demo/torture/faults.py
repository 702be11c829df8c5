"""The blows: each strikes one thing and takes what it did back by itself, so that the clinic can come back.

Random, by weight: mostly a part killed as by the kernel (SIGKILL), now and then an outside that is dead or
hangs, a clock that jumps an hour, a disk without room.
"""

from __future__ import annotations

import os
import random
import shutil
import signal
import time
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from zax.demo.torture.clinic import DATABASE, Clinic

HANG_SECONDS, FULL_SECONDS = 6.0, 4.0
HOUR = 3_600
ROOM_LEFT = 8 * 1024 * 1024  # bytes that are taken block by block, since the desks take some, too


@dataclass(frozen=True, slots=True)
class Blow:
    """`weight` is how often of all weights together; `after` the seconds for which it lasts."""

    name: str
    weight: int
    strike: Callable[[Clinic, random.Random], None]


def _kill(part: str) -> Callable[[Clinic, random.Random], None]:
    def strike(clinic: Clinic, _: random.Random) -> None:
        clinic.strike(part)

    return strike


def _hang(clinic: Clinic, _: random.Random) -> None:
    """The outside takes calls and does not answer for a while."""
    if clinic.strike("stand-in", signal.SIGSTOP):
        time.sleep(HANG_SECONDS)
        clinic.strike("stand-in", signal.SIGCONT)


def _jump(clinic: Clinic, rng: random.Random) -> None:
    """An hour on or back, never more than one away from where it should be."""
    clinic.jump(rng.choice((HOUR, -HOUR)) if clinic.shift == 0 else -clinic.shift)


def _fill(clinic: Clinic, _: random.Random) -> None:
    """The disk has not a byte left for a while."""
    ballast = clinic.var / "ballast"
    free = shutil.disk_usage(clinic.var).free
    try:
        with ballast.open("wb") as file:
            os.posix_fallocate(file.fileno(), 0, max(1, free - ROOM_LEFT))
            _pour(file.fileno())
            time.sleep(FULL_SECONDS)
    finally:
        ballast.unlink(missing_ok=True)


def _pour(number: int) -> None:
    """What the desks left free meanwhile, block by block."""
    end = os.fstat(number).st_size
    while True:
        try:
            end += os.pwrite(number, bytes(4096), end)
        except OSError:
            return


BLOWS = (
    Blow("database killed", 35, _kill(DATABASE)),
    Blow("web killed", 30, _kill("web")),
    Blow("worker killed", 15, _kill("worker")),
    Blow("worker for long runs killed", 6, _kill("worker for long runs")),
    Blow("outside dead", 5, _kill("stand-in")),
    Blow("outside hangs", 3, _hang),
    Blow("clock jumps an hour", 4, _jump),
)
# Only where the clinic's folder is a file system of its own, that a test may fill.
FULL_DISK = Blow("disk full", 4, _fill)


def blows_for(var: Path, many: int, rng: random.Random) -> list[Blow]:
    """So many at random, each as often as its weight says."""
    each = (*BLOWS, FULL_DISK) if var.is_mount() else BLOWS
    return rng.choices(each, [blow.weight for blow in each], k=many)
