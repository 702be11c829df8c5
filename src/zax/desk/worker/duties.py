"""What comes round by the clock: a table of duties, each done by its area. A duty says itself whether it is
due; one that is looked at seldom has a beat of its own, which all workers share.

A duty that fails is noted, for Day to say it, and tried again after a pause that grows; the others go on.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from datetime import timedelta

import structlog

from zax.desk.acts.audit_log import seal_audit
from zax.desk.acts.transaction import Desk
from zax.desk.book.web_requests import release_held
from zax.desk.claims.habits import evening_run
from zax.desk.claims.norms import learn_norms
from zax.desk.claims.status import ask_about_overdue
from zax.desk.coverage.eligibility import nightly
from zax.desk.coverage.payer_list import renew_list
from zax.desk.followup.missing import learn_missing
from zax.desk.followup.offering import offer_canceled, watch_offers
from zax.desk.followup.rising import raise_overdue
from zax.desk.inbox.mailbox import take_mail
from zax.desk.inbox.replies import take_replies
from zax.desk.money.payment_plans import charge_due
from zax.desk.moving.archives import throw_away_old
from zax.desk.notices.digests import write_digests
from zax.desk.notices.planning import plan_messages
from zax.desk.online.asking import forget_old_tries
from zax.desk.online.forgetting import forget_turned_down
from zax.desk.own.paying import take_back
from zax.desk.own.statements import print_unopened, tell_of_statements
from zax.desk.remits.mailbox import fetch_mailbox
from zax.desk.setup.planned_fees import let_fees_hold
from zax.desk.worker.backing_up import copy_logs, plan_backup
from zax.desk.worker.beats import beat, failed, went_well
from zax.desk.worker.clock_back import heed_clock
from zax.desk.worker.errands import LEASE, LONGEST_PAUSE, why_it_failed
from zax.desk.worker.tools import Tools
from zax.outside.doors import NoAnswer, OutsideTrouble
from zax.store.acts.outbox import Pauses
from zax.store.engine import TROUBLE
from zax.store.worker import beats
from zax.store.worker.beats import Standing

# So many times without an answer are a pause of half a minute.
_OFTEN = 5
log = structlog.get_logger()


@dataclass(frozen=True, slots=True)
class Duty:
    """`work` returns how many things it did; `every` is the least time between two looks, zero for each
    round.
    """

    name: str
    work: Callable[[Tools], int]
    every: timedelta = timedelta(0)


DUTIES = (
    Duty("clock", lambda tools: heed_clock(tools.desk, Pauses(LONGEST_PAUSE, LEASE))),
    Duty("nightly eligibility", lambda tools: nightly(tools.desk)),
    Duty("plans", lambda tools: charge_due(tools.desk), timedelta(minutes=10)),
    Duty("held requests", lambda tools: release_held(tools.desk)),
    Duty("payer norms", lambda tools: learn_norms(tools.desk), timedelta(hours=6)),
    Duty("claim status", lambda tools: ask_about_overdue(tools.desk), timedelta(hours=1)),
    Duty("payer list", lambda tools: renew_list(tools.desk), timedelta(hours=6)),
    Duty("evening claims", lambda tools: evening_run(tools.desk), timedelta(minutes=10)),
    Duty("text replies", lambda tools: take_replies(tools.desk, tools.outside.texts)),
    Duty("mail", lambda tools: take_mail(tools.desk, tools.outside.mailbox), timedelta(seconds=20)),
    Duty("messages", lambda tools: plan_messages(tools.desk), timedelta(seconds=15)),
    Duty("digests", lambda tools: write_digests(tools.desk), timedelta(minutes=1)),
    Duty("offers", lambda tools: watch_offers(tools.desk), timedelta(seconds=5)),
    Duty("offers by themselves", lambda tools: offer_canceled(tools.desk), timedelta(seconds=20)),
    Duty("forgetting", lambda tools: forget_turned_down(tools.desk), timedelta(hours=6)),
    Duty("online tries", lambda tools: forget_old_tries(tools.desk), timedelta(hours=1)),
    Duty("statement notices", lambda tools: tell_of_statements(tools.desk), timedelta(seconds=30)),
    Duty("statements unopened", lambda tools: print_unopened(tools.desk), timedelta(hours=1)),
    Duty("banks", lambda tools: take_back(tools.desk, tools.outside.pay_page), timedelta(minutes=1)),
    Duty("missed visits", lambda tools: learn_missing(tools.desk), timedelta(hours=1)),
    Duty("returns", lambda tools: raise_overdue(tools.desk), timedelta(minutes=10)),
    Duty(
        "seals",
        lambda tools: seal_audit(tools.desk, tools.files.var if tools.files else None),
        timedelta(minutes=5),
    ),
    Duty("backup", lambda tools: plan_backup(tools.desk, tools.backups), timedelta(minutes=10)),
    Duty("planned fees", lambda tools: let_fees_hold(tools.desk), timedelta(minutes=1)),
    Duty("old archives", lambda tools: throw_away_old(tools.desk, tools.files), timedelta(hours=1)),
    Duty("binary logs", copy_logs, timedelta(minutes=1)),
    Duty("mailbox", lambda tools: fetch_mailbox(tools.desk, tools.outside.clearinghouse)),
)


def do_duties(tools: Tools) -> int:
    """Every duty that is due; how many things they did. Nearly all of them were looked at a short while ago,
    each time, so one question finds those that are worth one of their own.
    """
    with tools.desk.engine.connect() as connection:
        known = beats.standings(connection)
    done = 0
    for duty in DUTIES:
        if _is_due(tools.desk, duty, known.get(duty.name)):
            done += _do(tools, duty)
        tools.alive()
    return done


def _is_due(desk: Desk, duty: Duty, known: Standing | None) -> bool:
    """After its time, or after a pause since it failed; and whenever the clock was set back."""
    if known is None:
        return True
    since = desk.clock.now() - known.clock_at
    return not timedelta(0) <= since < max(duty.every, _pause(known.failures))


def _do(tools: Tools, duty: Duty) -> int:
    """How many things it did; 0 when another worker looked at it meanwhile, or it failed."""
    desk = tools.desk
    with desk.engine.connect() as connection:
        known = beats.standing(connection, duty.name)
    if not _is_due(desk, duty, known):
        return 0
    if duty.every:
        beat(desk, duty.name)
    try:
        done = duty.work(tools)
    except TROUBLE:
        raise
    except OutsideTrouble as error:
        # A door that gives no answer rests by itself: the duty is at hand as soon as it is back.
        if not (isinstance(error, NoAnswer) and known and known.failures >= _OFTEN):
            failed(desk, duty.name, str(error))
        return 0
    except Exception as error:
        log.error("duty.failed", duty=duty.name, exc_info=error)
        failed(desk, duty.name, why_it_failed(error))
        return 0
    if known and known.failures:
        went_well(desk, duty.name)
    return done


def _pause(failures: int) -> timedelta:
    """None, then 2, 4, 8 seconds and so on."""
    return min(LONGEST_PAUSE, timedelta(seconds=2 ** min(failures, 10))) if failures else timedelta(0)
