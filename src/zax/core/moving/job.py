"""An import from its first look to its end."""

from __future__ import annotations

from enum import StrEnum


class JobState(StrEnum):
    """NEW: its columns are being chosen. DRY and RUNNING are at work; CHECKED: the dry run is through."""

    NEW = "new"
    DRY = "dry"
    RUNNING = "running"
    CHECKED = "checked"
    STOPPED = "stopped"
    DONE = "done"


AT_WORK = (JobState.DRY, JobState.RUNNING)
# A run can be started from here.
CAN_START = (JobState.NEW, JobState.CHECKED, JobState.STOPPED)


class Outcome(StrEnum):
    """What came of a row: MADE new, CHANGED what was there, KNOWN already and left alone, or REFUSED."""

    MADE = "made"
    CHANGED = "changed"
    KNOWN = "known"
    REFUSED = "refused"
