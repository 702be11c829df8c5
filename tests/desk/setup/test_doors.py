"""The doors a clinic tells us of: kept, sealed, used at once by every process, and tried without sending
anything. Real servers answer here: SMTP with STARTTLS is spoken to a server with a certificate of its own.
"""

from __future__ import annotations

import http.server
import threading
from collections.abc import Iterator
from dataclasses import dataclass, field
from email.message import EmailMessage
from pathlib import Path
from typing import Any

import asyncssh
import pytest

from tests.conftest import JUNO, SAM, free_port, scalar
from zax.core.errors import NotAllowed, Problems
from zax.core.setup.doors import read_address
from zax.desk.acts.transaction import Desk
from zax.desk.setup.changes import undo_change
from zax.desk.setup.doors import (
    Doors,
    DoorsForm,
    addresses_of,
    has_secret,
    own_key,
    public_key,
    save_doors,
    try_door,
)
from zax.desk.setup.keys import rotate_keys
from zax.outside.doors import Outside, OutsideTrouble
from zax.outside.measured import measured
from zax.outside.smtp import SmtpMail
from zax.store.vault import Vault

TOKEN = "a token of the gateway"


@dataclass
class Heard:
    """An HTTP service that answers everything with 404, and remembers who asked for what."""

    port: int
    asked: list[tuple[str, str]] = field(default_factory=list)


@pytest.fixture
def service() -> Iterator[Heard]:
    heard = Heard(free_port())

    class Handler(http.server.BaseHTTPRequestHandler):
        def do_GET(self) -> None:  # noqa: N802 - the name is http.server's
            heard.asked.append((self.path, self.headers.get("Authorization", "")))
            self.send_response(404)
            self.send_header("Content-Length", "0")
            self.end_headers()

        def log_message(self, *_: Any) -> None:
            """Quiet."""

    server = http.server.ThreadingHTTPServer(("127.0.0.1", heard.port), Handler)
    thread = threading.Thread(target=server.serve_forever, daemon=True)
    thread.start()
    yield heard
    server.shutdown()
    server.server_close()
    thread.join()


def form(**addresses: str) -> DoorsForm:
    return DoorsForm(addresses, {})


def test_a_door_is_used_from_the_next_call_on_and_says_so_when_there_is_none(
    desk: Desk, tmp_path: Path, service: Heard
) -> None:
    vault = Vault(tmp_path)
    doors = Doors(desk, vault, tmp_path)
    outside = measured(doors.now)
    assert "Texts aren’t set up" in try_door(outside, "texts")
    assert outside.terminal.sell("k", 100).state == "declined"
    assert outside.texts.replies() == [] and outside.clearinghouse.collect() == []
    at = f"http://127.0.0.1:{service.port}/gate"
    save_doors(desk, SAM, vault, DoorsForm({"texts": at}, {"texts": TOKEN}))
    assert try_door(outside, "texts") == ""
    ((path, said),) = service.asked
    assert path.startswith("/gate/texts/") and said == f"Bearer {TOKEN}"
    save_doors(desk, SAM, vault, form(texts=f"http://127.0.0.1:{free_port()}"))
    assert "can’t be reached" in try_door(outside, "texts")
    save_doors(desk, SAM, vault, form())
    assert "Texts aren’t set up" in try_door(outside, "texts")


def test_every_door_says_in_words_that_it_is_not_set_up(desk: Desk, tmp_path: Path) -> None:
    outside = measured(Doors(desk, Vault(tmp_path), tmp_path).now)
    for door in ("clearinghouse", "terminal", "pay_page", "texts", "calls", "mail"):
        assert "set up" in try_door(outside, door), door
    assert try_door(outside, "mailbox") == ""  # nothing comes back, and nothing is wrong with that


def test_until_the_clinic_says_otherwise_the_usual_doors_are_used(
    desk: Desk, outside: Outside, tmp_path: Path
) -> None:
    doors = Doors(desk, Vault(tmp_path), tmp_path, usual=outside)
    assert doors.now() is outside
    save_doors(desk, SAM, Vault(tmp_path), form())
    assert doors.now() is not outside


def test_what_opens_a_door_is_sealed_kept_when_left_empty_and_forgotten_with_it(
    desk: Desk, tmp_path: Path, service: Heard
) -> None:
    vault, at = Vault(tmp_path), f"http://127.0.0.1:{service.port}"
    save_doors(desk, SAM, vault, DoorsForm({"texts": at}, {"texts": TOKEN}))
    kept = scalar(desk, "SELECT GROUP_CONCAT(value) FROM setting")
    told = scalar(desk, "SELECT GROUP_CONCAT(CONCAT(words, changes)) FROM setup_change")
    assert TOKEN not in kept + told + str(scalar(desk, "SELECT GROUP_CONCAT(detail) FROM audit"))
    save_doors(desk, SAM, vault, form(texts=at))
    rotate_keys(desk, SAM, tmp_path)
    desk.read_setup()
    assert try_door(measured(Doors(desk, vault, tmp_path).now), "texts") == ""
    assert service.asked[-1][1] == f"Bearer {TOKEN}"
    save_doors(desk, SAM, vault, form())
    save_doors(desk, SAM, vault, form(texts=at))
    assert try_door(measured(Doors(desk, vault, tmp_path).now), "texts") == ""
    assert service.asked[-1][1] == ""


def test_what_opens_one_address_is_never_sent_to_another(desk: Desk, tmp_path: Path, service: Heard) -> None:
    vault, at = Vault(tmp_path), f"http://127.0.0.1:{service.port}"
    outside = measured(Doors(desk, vault, tmp_path).now)
    save_doors(desk, SAM, vault, DoorsForm({"texts": "https://texts.example.com"}, {"texts": TOKEN}))
    save_doors(desk, SAM, vault, form(texts=at))
    assert not has_secret(desk.clinic, "texts") and try_door(outside, "texts") == ""
    save_doors(desk, SAM, vault, DoorsForm({"texts": "https://texts.example.com"}, {"texts": TOKEN}))
    undo_change(desk, SAM, scalar(desk, "SELECT MAX(id) FROM setup_change"))
    assert try_door(outside, "texts") == ""
    assert [said for _, said in service.asked] == ["", ""]


def test_wrong_addresses_are_told_all_at_once_and_nothing_is_kept(desk: Desk, tmp_path: Path) -> None:
    typed = form(texts="http://elsewhere.example.com", mail="mail", claim_files="sftp://a@b.example.com")
    with pytest.raises(Problems) as wrong:
        save_doors(desk, SAM, Vault(tmp_path), typed)
    assert set(wrong.value.problems) == {"texts", "mail", "host_key"} and addresses_of(desk.clinic) == {}
    with pytest.raises(NotAllowed):
        save_doors(desk, JUNO, Vault(tmp_path), form())


def test_a_change_of_the_doors_can_be_turned_back(desk: Desk, tmp_path: Path) -> None:
    save_doors(desk, SAM, Vault(tmp_path), form(texts="https://one.example.com"))
    save_doors(desk, SAM, Vault(tmp_path), form(texts="https://two.example.com"))
    undo_change(desk, SAM, scalar(desk, "SELECT MAX(id) FROM setup_change"))
    assert addresses_of(desk.clinic)["texts"] == "https://one.example.com"


def test_claim_files_have_a_key_of_our_own_and_the_houses(desk: Desk, tmp_path: Path) -> None:
    house = asyncssh.generate_private_key("ssh-ed25519").export_public_key().decode()
    at = {"claim_files": f"sftp://clinic@127.0.0.1:{free_port()}"}
    save_doors(desk, SAM, Vault(tmp_path), DoorsForm(at, {}, house))
    assert public_key(tmp_path).startswith("ssh-ed25519 ") and public_key(tmp_path) == public_key(tmp_path)
    assert own_key(tmp_path).stat().st_mode & 0o777 == 0o600
    outside = Doors(desk, Vault(tmp_path), tmp_path).now()
    with pytest.raises(OutsideTrouble, match="can’t be reached"):
        outside.clearinghouse.deliver("k", "a.x12", "ISA*")
    with pytest.raises(Problems):
        save_doors(desk, SAM, Vault(tmp_path), DoorsForm(at, {}, "ssh-ed25519 AAAAnonsense"))


def test_mail_is_never_sent_in_clear_to_another_machine() -> None:
    """A server that offers no TLS gets neither our password nor a mail."""
    import socketserver

    heard: list[bytes] = []

    class Plain(socketserver.StreamRequestHandler):
        def handle(self) -> None:
            self.wfile.write(b"220 plain\r\n")
            for line in self.rfile:
                heard.append(line)
                self.wfile.write(b"221 bye\r\n" if line.startswith(b"QUIT") else b"250 plain\r\n")

    with socketserver.ThreadingTCPServer(("127.0.0.1", 0), Plain) as server:
        threading.Thread(target=server.serve_forever, daemon=True).start()
        away = read_address("mail", "smtp://desk@mail.example.com")
        door = SmtpMail("127.0.0.1", server.server_address[1], away, "the password")
        message = EmailMessage()
        message["To"] = "ada@example.com"
        for call in (door.check, lambda: door.send(message)):
            with pytest.raises(OutsideTrouble):
                call()
        server.shutdown()
    assert heard and not [line for line in heard if b"AUTH" in line or b"ada" in line or b"MAIL" in line]
