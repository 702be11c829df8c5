"""A payment file is taken in lot by lot: cut short anywhere, even by a kill, it goes on where it stopped and
nothing is posted twice; and a thousand random payments leave a journal that adds up.
"""

from __future__ import annotations

import os
import random
import signal
import subprocess
import sys
import textwrap
from pathlib import Path

import pytest
from sqlalchemy import text

from tests.conftest import ODILE, scalar
from tests.desk.paying import agrees
from tests.desk.remits.payment_files import Said, Waiting, payment_file, waiting_claims
from tests.desk.remits.test_taking_back import parts
from zax.clock import ShiftedClock
from zax.core.errors import Conflict
from zax.desk.acts.actor import WORKER
from zax.desk.acts.transaction import Desk
from zax.desk.remits.importing import LOT, import_file, read_rest
from zax.desk.worker.worker import run_once
from zax.outside.doors import Outside
from zax.store.server import Server
from zax.web.money.documents import receipt_pdf


class Stopped(Exception):
    pass


def test_cut_short_it_goes_on_where_it_stopped(desk: Desk) -> None:
    claims = waiting_claims(desk, 2 * LOT + 3)
    file = payment_file("BIG", [each.as_expected() for each in claims])
    beats = iter(range(LOT + 5))

    def alive() -> None:
        if next(beats, None) is None:
            raise Stopped

    with pytest.raises(Stopped):
        import_file(desk, ODILE, "big.835", file, alive)
    assert scalar(desk, "SELECT COUNT(*) FROM remit_claim") == 2 * LOT
    assert scalar(desk, "SELECT state FROM remit") == "reading"
    assert scalar(desk, "SELECT outcome FROM x12_file") == f"Reading: {2 * LOT} of {2 * LOT + 3} claims."
    # The worker has an errand for it; whoever uploads it again goes on as well.
    read_rest(desk, WORKER, int(scalar(desk, "SELECT id FROM x12_file")), lambda: None)
    assert scalar(desk, "SELECT COUNT(*) FROM remit_claim") == len(claims)
    assert scalar(desk, "SELECT state FROM remit") == "finished"
    assert all(parts(desk, each) == (9_720, 0) for each in claims) and agrees(desk)
    with pytest.raises(Conflict, match="imported before"):
        import_file(desk, ODILE, "again.835", file)
    read_rest(desk, WORKER, int(scalar(desk, "SELECT id FROM x12_file")), lambda: None)
    assert scalar(desk, "SELECT COUNT(*) FROM remit_claim") == len(claims)


def test_a_large_file_is_left_to_the_worker(desk: Desk, outside: Outside) -> None:
    claims = waiting_claims(desk, 4)
    file = payment_file("BIG", [each.as_expected() for each in claims])
    done = import_file(desk, ODILE, "big.835", file, at_once=3)
    assert done.words == "4 claims are being read. You can keep working."
    assert scalar(desk, "SELECT COUNT(*) FROM remit_claim") == 0
    run_once(desk, outside, receipt_pdf)
    assert scalar(desk, "SELECT state FROM remit") == "finished"
    assert all(parts(desk, each) == (9_720, 0) for each in claims)


KILLED = textwrap.dedent("""
    import signal, sys
    from datetime import timedelta
    from pathlib import Path
    from tests.conftest import ODILE
    from zax.clock import ShiftedClock
    from zax.desk.acts.transaction import Desk
    from zax.desk.clinic.clinic import load
    from zax.desk.remits.importing import import_file
    from zax.store.engine import connect
    from zax.store.server import url_of
    engine = connect(url_of(Path(sys.argv[1]), int(sys.argv[2])))
    with engine.connect() as connection:
        desk = Desk(engine, ShiftedClock(timedelta(seconds=float(sys.argv[3]))), load(connection))
    beats = iter(range(30))
    def alive():
        if next(beats, None) is None:
            print("in the middle", flush=True)
            signal.pause()
    import_file(desk, ODILE, "big.835", Path(sys.argv[4]).read_text(), alive)
""")


@pytest.mark.slow
def test_killed_in_the_middle_and_run_again_it_is_posted_once(
    desk: Desk, clock: ShiftedClock, server: Server, tmp_path: Path
) -> None:
    claims = waiting_claims(desk, 3 * LOT)
    path = tmp_path / "big.835"
    path.write_text(payment_file("BIG", [each.as_expected() for each in claims]), encoding="utf-8")
    arguments = [str(server.folder), str(server.port), str(clock.shift.total_seconds()), str(path)]
    reader = subprocess.Popen(
        [sys.executable, "-c", KILLED, *arguments],
        stdout=subprocess.PIPE,
        env=os.environ | {"PYTHONPATH": os.pathsep.join(sys.path)},
    )
    assert reader.stdout is not None and reader.stdout.readline() == b"in the middle\n"
    reader.send_signal(signal.SIGKILL)
    reader.wait()
    assert 0 < int(scalar(desk, "SELECT COUNT(*) FROM remit_claim")) < len(claims)
    import_file(desk, ODILE, "big.835", path.read_text(encoding="utf-8"))
    assert scalar(desk, "SELECT COUNT(*) FROM journal WHERE kind = 'insurer'") == len(claims)
    assert scalar(desk, "SELECT state FROM remit") == "finished" and agrees(desk)


# --- a thousand random payments against a model
MANY, CLAIMS = 1_000, 120
KINDS = [("PR", "1"), ("PR", "2"), ("CO", "45"), ("CO", "16"), ("PR", "96"), ("PI", "45")]
LATEST = "SELECT outcome FROM remit_claim WHERE number = :n ORDER BY id DESC LIMIT 1"


def _random_answer(rng: random.Random, claim: Waiting, posted: dict[str, Said]) -> Said:
    """A decision of any kind; a takeback is of what was posted, or of something that never was."""
    if claim.number in posted and rng.random() < 0.5:
        said = posted[claim.number]
        lines = [
            (line, -cents, -paid, [(g, r, -part) for g, r, part in cas])
            for line, cents, paid, cas in said.lines
        ]
        return Said(claim.number, lines, "22")
    status = rng.choice(["1", "1", "1", "2", "4", "19"])
    lines = []
    for line, cents, _ in claim.lines:
        left, cas = cents, []
        for group, reason in rng.sample(KINDS, rng.randint(0, 3)):
            part = rng.randint(0, left)
            left -= part
            cas += [(group, reason, part)] if part else []
        paid = 0 if status == "4" else left
        if status == "4" and left:
            cas.append(("CO", "50", left))
        lines.append((line, cents, paid, cas))
    return Said(claim.number, lines, status)


@pytest.mark.slow
def test_after_a_thousand_random_payments_journal_and_audit_agree(desk: Desk) -> None:
    """Every cent of each transfer is placed once, beside the claims, or open in sight; no line is below
    nothing; charges are what is paid, written off and open.
    """
    rng = random.Random(835)
    claims = [
        each
        for _ in range(6)
        for each in waiting_claims(desk, CLAIMS // 6, [(rng.randint(1, 40_000), 0), (20_000, 5_000)])
    ]
    posted: dict[str, Said] = {}
    paid_in = 0
    for number in range(MANY):
        said = _random_answer(rng, rng.choice(claims), posted)
        level = [("L6:X", -rng.randint(1, 500))] if rng.random() < 0.05 else []
        level += [("WO:Y", rng.randint(1, 500))] if rng.random() < 0.05 else []
        import_file(desk, ODILE, f"{number}.835", payment_file(f"R{number}", [said], level))
        paid_in += said.paid - sum(cents for _, cents in level)
        outcome = str(scalar(desk, LATEST, n=said.number))
        if outcome in {"posted", "denied", "passed", "second"} and said.status != "22":
            posted[said.number] = said
        elif said.status == "22":
            posted.pop(said.number, None)
    assert agrees(desk)
    with desk.engine.connect() as connection:
        below = text(
            "SELECT COUNT(*) FROM (SELECT line_id FROM journal WHERE line_id IS NOT NULL GROUP BY line_id"
            " HAVING SUM(patient_cents) < 0 OR SUM(insurer_cents) < 0) t"
        )
        assert connection.execute(below).scalar_one() == 0
        # Of each transfer: placed on claims, beside them, or told by answers that wait.
        astray = text(
            """
            SELECT r.id, r.paid_cents,
              (SELECT COALESCE(-SUM(j.insurer_cents), 0) FROM journal j
               LEFT JOIN journal o ON o.id = j.reverses_id
               WHERE j.answer_id IN (SELECT q.id FROM remit_claim q WHERE q.remit_id = r.id)
                 AND COALESCE(o.kind, j.kind) = 'insurer') AS placed,
              (SELECT COALESCE(SUM(e.cents), 0) FROM payer_entry e WHERE e.remit_id = r.id) AS beside,
              (SELECT COALESCE(SUM(q.paid_cents), 0) FROM remit_claim q WHERE q.remit_id = r.id
                AND q.outcome IN ('person', 'unknown', 'repeated')
                AND NOT EXISTS (SELECT 1 FROM journal j WHERE j.answer_id = q.id)) AS waiting
            FROM remit r HAVING r.paid_cents <> placed - beside + waiting
            """
        )
        assert connection.execute(astray).all() == []
        total = "SELECT SUM(paid_cents) FROM remit"
    assert int(scalar(desk, total)) == paid_in
