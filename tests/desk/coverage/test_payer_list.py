"""The clearinghouse's list of payers: fetched by the worker, broken off and gone on with, renewed, and a
payer taken over; against a real MariaDB.
"""

from __future__ import annotations

import threading
from concurrent.futures import ThreadPoolExecutor
from datetime import timedelta

import pytest

from tests.conftest import JUNO, ODILE, scalar
from tests.desk.claims.test_working_claims import spoil
from tests.fakes import FakeClearinghouse
from zax.core.errors import NotAllowed, NotFound
from zax.desk.acts.transaction import Desk
from zax.desk.coverage.payer_list import adopt, fetch_list, find_listed, renew_list
from zax.desk.worker.worker import run_once
from zax.outside.doors import Outside
from zax.standin.payer_list import payer_list
from zax.store.coverage.payer_list import last_run
from zax.web.money.documents import receipt_pdf


def work(desk: Desk, outside: Outside, limit: int = 30) -> None:
    run_once(desk, outside, receipt_pdf, limit=limit)


def found(desk: Desk, typed: str) -> list[str]:
    with desk.engine.connect() as connection:
        return [each.id for each in find_listed(connection, typed)]


@pytest.fixture
def fetched(setup: Desk, outside: Outside) -> Desk:
    """With the list as it is."""
    fetch_list(setup, ODILE)
    work(setup, outside)
    return setup


def test_the_worker_fetches_every_page_and_says_how_many(fetched: Desk) -> None:
    with fetched.engine.connect() as connection:
        run = last_run(connection)
    assert run is not None and (run.state, run.total) == ("done", len(payer_list()))
    assert run.words == f"{len(payer_list()):,} payers"
    assert scalar(fetched, "SELECT COUNT(*) FROM listed_payer") == len(payer_list())
    assert found(fetched, "harbor guild") == ["HGD01"]


def test_before_it_was_fetched_nothing_is_found_and_none_is_fetched_by_itself(desk: Desk) -> None:
    assert found(desk, "harbor") == []
    assert renew_list(desk) == 0 and scalar(desk, "SELECT COUNT(*) FROM payer_list_run") == 0


def test_broken_off_it_goes_on_where_it_was(desk: Desk, outside: Outside) -> None:
    house = outside.clearinghouse
    assert isinstance(house, FakeClearinghouse)
    run = fetch_list(desk, ODILE)
    assert fetch_list(desk, ODILE) == run
    work(desk, outside, limit=2)
    before = scalar(desk, "SELECT COUNT(*) FROM listed_payer")
    house.payer_trouble = ["The clearinghouse returned an error (503)."]
    work(desk, outside, limit=1)
    assert 0 < before == scalar(desk, "SELECT COUNT(*) FROM listed_payer")
    spoil(desk, "UPDATE outbox SET due_at = made_at")
    work(desk, outside)
    assert scalar(desk, "SELECT COUNT(*) FROM listed_payer") == len(payer_list())


def test_it_is_renewed_after_a_month_and_who_left_is_gone(fetched: Desk, outside: Outside) -> None:
    spoil(
        fetched,
        "INSERT INTO listed_payer (id, run_id, name) SELECT 'OLD99', MAX(id), 'Old Wave' FROM payer_list_run",
    )
    assert renew_list(fetched) == 0
    spoil(fetched, "UPDATE payer_list_run SET at = at - INTERVAL 31 DAY")
    assert renew_list(fetched) == 1 and renew_list(fetched) == 0
    work(fetched, outside)
    with fetched.engine.connect() as connection:
        run = last_run(connection)
    assert run is not None and run.words.endswith("1 aren’t listed anymore")
    assert scalar(fetched, "SELECT COUNT(*) FROM listed_payer WHERE id = 'OLD99'") == 0
    assert run.at > fetched.clock.now() - timedelta(hours=1)


@pytest.mark.parametrize("nonsense", ["", "<html>no</html>", "id,name\nA,B\n"])
def test_an_answer_that_is_no_list_is_asked_for_again(
    desk: Desk, outside: Outside, monkeypatch: pytest.MonkeyPatch, nonsense: str
) -> None:
    monkeypatch.setattr("zax.standin.payer_list.page", lambda after, most: (nonsense, 0))
    fetch_list(desk, ODILE)
    work(desk, outside)
    assert scalar(desk, "SELECT state FROM payer_list_run") == "running"
    assert "can’t be read" in scalar(desk, "SELECT last_error FROM outbox WHERE kind = 'payer_list'")


def test_one_key_takes_a_payer_over_once(fetched: Desk) -> None:
    listed = found(fetched, "juniperstone dental")[0]
    made = adopt(fetched, ODILE, listed)
    assert adopt(fetched, ODILE, listed) == made
    payer = fetched.clinic.payers[made]
    assert (payer.name, payer.electronic_id) == ("Juniperstone Dental", listed)
    assert payer.eligibility == "auto"
    assert adopt(fetched, ODILE, "HGD01") == 1
    with pytest.raises(NotFound):
        adopt(fetched, ODILE, "NOBODY")
    with pytest.raises(NotAllowed):
        adopt(fetched, JUNO, listed)
    assert scalar(fetched, "SELECT COUNT(*) FROM payer WHERE electronic_id = :id", id=listed) == 1


def test_of_four_who_take_it_over_at_once_all_get_the_same(fetched: Desk) -> None:
    listed, together = found(fetched, "juniperstone mutual")[0], threading.Barrier(4)

    def one(_: int) -> int:
        together.wait()
        return adopt(fetched, ODILE, listed)

    with ThreadPoolExecutor(4) as pool:
        assert len(set(pool.map(one, range(4)))) == 1
    assert scalar(fetched, "SELECT COUNT(*) FROM payer WHERE electronic_id = :id", id=listed) == 1
