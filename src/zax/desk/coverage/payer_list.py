"""The clearinghouse's list of payers: fetched page by page by the worker, kept, renewed every month once
there is one, searched, and a payer of it taken over with its ids by one key.

A run that breaks off goes on where it stopped: what it wrote says how far it was. Until it has ended the list
before it stays whole.
"""

from __future__ import annotations

from datetime import timedelta

from zax.core.coverage.payer_list import ListedPayer, PayerIndex, read_payers
from zax.core.coverage.plan import USUAL_APPEAL_DAYS, USUAL_FILING_DAYS
from zax.core.errors import NotFound
from zax.desk.acts.act import act, in_transaction
from zax.desk.acts.actor import WORKER
from zax.desk.acts.transaction import Desk, Transaction
from zax.outside.doors import Clearinghouse, OutsideTrouble
from zax.store.coverage import payer_list as stored
from zax.store.coverage.payer_list import PayerListRun
from zax.store.coverage.plans import PayerTerms, save_payer
from zax.store.engine import Connection

EVERY = timedelta(days=30)
# The list of the last run that has ended, ready to be searched: making that takes longer than a search.
_INDEX: dict[PayerListRun, PayerIndex] = {}


@act("plans")
def fetch_list(tx: Transaction) -> int:
    """Fetch it anew; the run. While one is under way it is that one."""
    return _start(tx)


def renew_list(desk: Desk) -> int:
    """The rule: a list older than a month is fetched again; whether it is now. None is fetched unasked."""

    def write(tx: Transaction) -> int:
        last = stored.last_run(tx.connection)
        if last is None or last.state == stored.RUNNING or tx.now - last.at < EVERY:
            return 0
        _start(tx)
        return 1

    return in_transaction(desk, WORKER, write)


def _start(tx: Transaction) -> int:
    running = stored.last_run(tx.connection, stored.RUNNING)
    if running is not None:
        return running.id
    run_id = stored.add_run(tx.connection, tx.now)
    tx.send("payer_list", f"payers-{run_id}", {"run_id": run_id})
    tx.audit("payers.fetched", run=run_id)
    return run_id


def fetch_page(desk: Desk, clearinghouse: Clearinghouse, run_id: int) -> bool:
    """The worker's part: one page; whether that was the last. Raises OutsideTrouble to be tried again, and
    for an answer that is no list.
    """
    with desk.engine.connect() as connection:
        after = stored.last_id(connection, run_id)
    page = clearinghouse.payers(after)
    read = read_payers(page.text)
    if read.problems and not read.payers:
        raise OutsideTrouble(f"The list of payers can’t be read. {read.problems[0]}")
    ids = [each.id for each in read.payers]
    if ids and (ids != sorted(set(ids)) or ids[0] <= after):
        raise OutsideTrouble("The list of payers isn’t in order.")

    def write(tx: Transaction) -> bool:
        run = stored.run_for_update(tx.connection, run_id)
        if run is None or run.state != stored.RUNNING:
            return True
        stored.keep_payers(tx.connection, run_id, read.payers)
        stored.note_total(tx.connection, run_id, page.total)
        if read.payers:
            return False
        gone = stored.drop_others(tx.connection, run_id)
        there = stored.count_of(tx.connection, run_id)
        words = f"{there:,} payers" + (f", {gone:,} aren’t listed anymore" if gone else "")
        stored.end_run(tx.connection, run_id, tx.now, words)
        tx.tell("claim")
        return True

    return in_transaction(desk, WORKER, write)


def find_listed(connection: Connection, typed: str) -> list[ListedPayer]:
    """The likeliest of the list; none before it was fetched."""
    done = stored.last_run(connection, stored.DONE)
    if done is None or not typed.strip():
        return []
    if _INDEX.get(done) is None:
        _INDEX.clear()
        _INDEX[done] = PayerIndex(tuple(stored.all_payers(connection)))
    return _INDEX[done].find(typed)


@act("plans")
def adopt(tx: Transaction, listed_id: str) -> int:
    """One of ours from now on, with the list's id; whoever has that id already is the answer. What the list
    does not say, its filing limit and what it needs, is the usual until somebody changes it.
    """
    listed = stored.listed_for_update(tx.connection, listed_id)
    if listed is None:
        raise NotFound("That payer isn’t on the list anymore.")
    ours = stored.our_payer(tx.connection, listed.id.upper())
    if ours is not None:
        return ours
    terms = PayerTerms(
        name=listed.name,
        electronic_id=listed.id.upper(),
        filing_days=USUAL_FILING_DAYS,
        appeal_days=USUAL_APPEAL_DAYS,
        kind="insurer",
        eligibility="auto" if "270" in listed.takes else "phone",
        filing_indicator="CI",
        required=[],
        phone="",
    )
    payer_id = save_payer(tx.connection, 0, terms, [])
    tx.change_setup("payer.adopted", payer_id=payer_id, name=listed.name)
    return payer_id
