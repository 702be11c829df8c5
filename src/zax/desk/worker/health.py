"""What is missing right now, in words for Day: the helper is silent, a duty fails, the outside takes
nothing.
"""

from __future__ import annotations

from collections.abc import Mapping
from datetime import datetime, timedelta
from pathlib import Path

from zax.clock import local
from zax.core.wording import clock_words
from zax.desk.worker.backing_up import too_old
from zax.desk.worker.beats import LONG_RUNS
from zax.store.acts.outbox import Delayed, delayed_errands
from zax.store.engine import Connection
from zax.store.worker import beats

SILENT = timedelta(seconds=30)
# So many tries in vain before it is worth a line: the fourth is half a minute after the first.
TRIES = 4
_DUTIES: Mapping[str, str] = {
    "nightly eligibility": "start the nightly coverage checks",
    "plans": "charge the payment plans",
    "held requests": "release online requests no one answered",
    "payer norms": "learn how fast payers answer",
    "evening claims": "make and send the day’s claims",
    "claim status": "ask payers about overdue claims",
    "payer list": "renew the list of payers",
    "text replies": "fetch patients’ texts",
    "mail": "read the clinic’s mailbox",
    "online tries": "forget who asked online",
    "backup": "plan the backup",
    "planned fees": "let planned fees hold",
    "clock": "look after the clock",
    "old archives": "throw away old archives",
    "binary logs": "copy what was written since the last backup",
    "seals": "seal who did what",
    "banks": "reverse what banks took back",
    "forgetting": "forget who was turned down online",
    "statement notices": "tell patients of their statements",
    "statements unopened": "print statements no one opened",
    "digests": "mail the providers their day",
    "messages": "plan reminders and other messages",
    "offers": "text the next people of an offer",
    "offers by themselves": "offer the time of canceled visits",
    "missed visits": "learn who may not come",
    "returns": "pass on overdue returns",
    "mailbox": "fetch files from insurers",
}
_ERRANDS: Mapping[str, tuple[str, str]] = {
    "archive": ("archive is to be made", "archives are to be made"),
    "backup": ("backup waits", "backups wait"),
    "claim_file": ("claim file waits", "claim files wait"),
    "people_mail": ("sign-in link waits", "sign-in links wait"),
    "payer_list": ("list of payers is to be fetched", "lists of payers are to be fetched"),
    "claim_status": ("question about a claim waits", "questions about claims wait"),
    "eligibility": ("coverage check waits", "coverage checks wait"),
    "receipt_mail": ("emailed receipt waits", "emailed receipts wait"),
    "message": ("message to a patient waits", "messages to patients wait"),
    "online_payment": ("online payment is to be confirmed", "online payments are to be confirmed"),
    "terminal": ("card payment waits for the terminal", "card payments wait for the terminal"),
}


def missing(
    connection: Connection, system_now: datetime, zone: str, backups: Path | None = None
) -> list[str]:
    """A sentence for each; empty when all is well. `system_now` is UTC, not the product's clock."""
    found: list[str] = []
    beat = beats.last_beat(connection)
    if beat is None or system_now - beat.at > SILENT:
        found.append(
            "Zax’s background helper is down. Claims, emails and statements wait; it is being restarted."
        )
    if words := too_old(connection, backups):
        found.append(words)
    long_runs = beats.last_beat(connection, LONG_RUNS)
    if long_runs is not None and system_now - long_runs.at > SILENT:
        found.append("The helper for long runs is down. Statements and imports wait; it is being restarted.")
    for each in beats.failing(connection, TRIES):
        since = local(each.failed_at, zone)
        found.append(
            f"Zax hasn’t been able to {_DUTIES.get(each.name, each.name)} since"
            f" {clock_words(since.hour * 60 + since.minute)} and keeps trying. {each.why}"
        )
    return found + [_delayed(each) for each in delayed_errands(connection, TRIES)]


def _delayed(each: Delayed) -> str:
    one, more = _ERRANDS.get(each.kind, ("job waits", "jobs wait"))
    return f"{each.n} {one if each.n == 1 else more}. {each.why}"
