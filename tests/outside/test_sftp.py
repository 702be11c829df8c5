"""Claim files by folders over SFTP: our client against a real server, what goes wrong on the way, and a claim
from the batch to its acknowledgment.
"""

from __future__ import annotations

import threading
from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path

import asyncssh
import pytest
import uvicorn

from tests.conftest import ODILE, free_port, wait_until_up
from tests.desk.claims.test_working_claims import finished, state
from tests.x12_samples import ENVELOPE, claim
from zax.core.x12.claim_file import claim_file
from zax.desk.acts.transaction import Desk
from zax.desk.claims.sending import send_ready
from zax.desk.worker.worker import run_once
from zax.outside.adapters import real_outside
from zax.outside.doors import NoAnswer, Outside, OutsideTrouble
from zax.outside.sftp import SftpClearinghouse, SftpPlace
from zax.standin.app import create_app
from zax.web.money.documents import receipt_pdf

TEXT = claim_file([claim()], ENVELOPE)


@pytest.fixture
def house(tmp_path: Path) -> Iterator[tuple[Path, Outside]]:
    """The stand-in's folders on the disk, and our doors to it: claim files go by SFTP."""
    port, sftp = free_port(), free_port()
    app = create_app(tmp_path, free_port(), pay_seconds=0, sftp_port=sftp)
    server = uvicorn.Server(
        uvicorn.Config(app, host="127.0.0.1", port=port, log_level="error", timeout_graceful_shutdown=1)
    )
    thread = threading.Thread(target=server.run, daemon=True)
    thread.start()
    url = f"http://127.0.0.1:{port}"
    wait_until_up(f"{url}/healthz", thread)
    place = SftpPlace("zax", "127.0.0.1", sftp, tmp_path / "client_key", tmp_path / "known_hosts", 5)
    yield tmp_path / "sftp", real_outside(url, free_port(), 1.0, place)
    server.should_exit = True
    thread.join(10)


def clearinghouse(outside: Outside) -> SftpClearinghouse:
    assert isinstance(outside.clearinghouse, SftpClearinghouse)
    return outside.clearinghouse


def until(there: Path, pattern: str) -> list[Path]:
    """What lies in a folder, once something does."""
    for _ in range(100):
        found = sorted(there.glob(pattern))
        if found:
            return found
        threading.Event().wait(0.05)
    raise AssertionError(f"nothing came to {there}")


def test_a_file_goes_whole_is_taken_once_and_answered_by_the_same_door(house: tuple[Path, Outside]) -> None:
    root, outside = house
    door = clearinghouse(outside)
    door.deliver("file-7", "C000017-7.837d", TEXT)
    (taken,) = until(root / "done", "*")
    assert taken.name == "file-7__C000017-7.837d" and taken.read_text() == TEXT
    until(root / "out", "999*")
    # The worker died before it noted that the file went: the same key again changes nothing.
    door.deliver("file-7", "C000017-7.837d", TEXT)
    assert [each.name for each in (root / "in").iterdir()] == []
    kinds = {each.name.partition("-")[0] for each in door.collect()}
    assert kinds >= {"999", "277"}
    first = door.collect()[0]
    assert first.text.startswith("ISA*")
    door.confirm(first.id)
    door.confirm(first.id)
    assert first.id not in {each.id for each in door.collect()}


def test_half_a_file_is_never_taken(house: tuple[Path, Outside]) -> None:
    """A sender that dies in between leaves a name that nobody takes; the whole file goes over it."""
    root, outside = house
    (root / "in" / ".file-8__C8.837d.part").write_text(TEXT[:200])
    clearinghouse(outside).deliver("file-8", "C8.837d", TEXT)
    assert [each.read_text() for each in until(root / "done", "*")] == [TEXT]


def test_what_goes_wrong_is_told_apart(house: tuple[Path, Outside], tmp_path: Path) -> None:
    door = clearinghouse(house[1])
    asyncssh.generate_private_key("ssh-ed25519").write_private_key(str(tmp_path / "other_key"))
    other = asyncssh.generate_private_key("ssh-ed25519").export_public_key().decode()
    (tmp_path / "other_known").write_text(f"[127.0.0.1]:{door.place.port} {other}")
    for change, words in (
        ({"key": tmp_path / "other_key"}, "didn’t accept our sign-in"),
        ({"user": "guest"}, "didn’t accept our sign-in"),
        ({"known_hosts": tmp_path / "other_known"}, "isn’t the one we know"),
        ({"known_hosts": tmp_path / "none"}, "can’t be reached"),
        ({"port": free_port()}, "can’t be reached"),
    ):
        wrong = SftpClearinghouse(replace(door.place, **change), door.online)
        with pytest.raises(OutsideTrouble, match=words):
            wrong.deliver("file-9", "C9.837d", TEXT)
    assert not list((house[0] / "in").iterdir()) and not list((house[0] / "done").iterdir())


def test_a_server_that_does_not_answer_is_left_in_time(house: tuple[Path, Outside]) -> None:
    door = clearinghouse(house[1])
    slow = SftpClearinghouse(replace(door.place, seconds=0.001), door.online)
    with pytest.raises(NoAnswer, match="didn’t answer in time"):
        slow.collect()


def test_a_claim_goes_from_the_batch_to_its_acknowledgment(house: tuple[Path, Outside], desk: Desk) -> None:
    root, outside = house
    number = finished(desk)
    send_ready(desk, ODILE)
    run_once(desk, outside, receipt_pdf)
    assert state(desk, number) == "sent"
    until(root / "out", "277*")
    run_once(desk, outside, receipt_pdf)
    assert state(desk, number) in {"accepted", "closed"}
    assert door_is_online(outside)


def door_is_online(outside: Outside) -> bool:
    """Questions still go over HTTP."""
    return outside.clearinghouse.payers("").total > 3_000
