"""The real adapters against the real stand-in, over HTTP and SMTP on loopback."""

from __future__ import annotations

import threading
from collections.abc import Iterator
from email.message import EmailMessage
from pathlib import Path

import httpx
import pytest
import uvicorn

from tests.conftest import free_port, wait_until_up
from tests.x12_samples import ENVELOPE, claim
from zax.core.messages.bounce import bounce_in
from zax.core.messages.mail_answer import answer_in, is_report
from zax.core.x12.claim_file import claim_file
from zax.outside.adapters import HttpClearinghouse, real_outside
from zax.outside.doors import DoorRefused, NoAnswer, Outside, OutsideTrouble
from zax.outside.mailbox import PopMailbox
from zax.standin.app import create_app


@pytest.fixture
def world(tmp_path: Path) -> Iterator[tuple[str, Outside]]:
    """The stand-in's address and our doors to it; the terminal is given one second."""
    port, smtp, pop = free_port(), free_port(), free_port()
    app = create_app(tmp_path, smtp, pay_seconds=0, pop_port=pop)
    server = uvicorn.Server(
        uvicorn.Config(app, host="127.0.0.1", port=port, log_level="error", timeout_graceful_shutdown=1)
    )
    thread = threading.Thread(target=server.run, daemon=True)
    thread.start()
    url = f"http://127.0.0.1:{port}"
    wait_until_up(f"{url}/healthz", thread)
    box = PopMailbox("127.0.0.1", pop, "desk", tmp_path / "mailbox_secret")
    yield url, real_outside(url, smtp, 1.0, mailbox=box)
    server.should_exit = True
    thread.join(10)


def steer(url: str, mode: str) -> None:
    httpx.post(
        f"{url}/terminal/mode", data={"mode": mode}, trust_env=False, follow_redirects=True
    ).raise_for_status()


@pytest.fixture
def nobody() -> Outside:
    """Doors that lead to ports where nobody is."""
    return real_outside(f"http://127.0.0.1:{free_port()}", free_port(), 1.0)


def test_an_approved_card_brings_its_ending_and_reference(world: tuple[str, Outside]) -> None:
    sale = world[1].terminal.sell("a", 4260)
    assert (sale.state, sale.card_ending) == ("approved", "4417")
    assert sale.reference.startswith("T")
    assert world[1].terminal.look_up("a") == sale


def test_a_declined_card_brings_its_reason(world: tuple[str, Outside]) -> None:
    steer(world[0], "decline")
    assert world[1].terminal.sell("b", 4260).words == "the bank refuses this card"


@pytest.mark.slow
def test_a_silent_terminal_is_unknown_and_known_later(world: tuple[str, Outside]) -> None:
    steer(world[0], "silent")
    assert world[1].terminal.sell("c", 4260).state == "unknown"
    assert world[1].terminal.look_up("c").state == "approved"
    steer(world[0], "lost")
    assert world[1].terminal.sell("d", 4260).state == "unknown"
    assert world[1].terminal.look_up("d").state == "absent"


def test_an_unreachable_terminal_is_unknown_not_declined(nobody: Outside) -> None:
    assert nobody.terminal.sell("e", 1).state == "unknown"
    with pytest.raises(OutsideTrouble, match=r"The terminal can’t be reached"):
        nobody.terminal.look_up("e")


def test_claim_files_go_out_once_and_answers_wait_until_confirmed(world: tuple[str, Outside]) -> None:
    house = world[1].clearinghouse
    for _ in range(2):
        house.deliver("file-1", "c.837p", claim_file([claim()], ENVELOPE))
    waiting = house.collect()
    assert sorted(file.name.split("-")[0] for file in waiting) == ["277", "835", "999"]
    assert house.collect() == waiting
    for file in waiting:
        assert file.text.startswith("ISA")
        house.confirm(file.id)
    assert house.collect() == []


def test_an_unreachable_clearinghouse_is_trouble_for_later(nobody: Outside) -> None:
    for call in (
        lambda: nobody.clearinghouse.deliver("k", "n", "t"),
        nobody.clearinghouse.collect,
        lambda: nobody.clearinghouse.confirm("x"),
    ):
        with pytest.raises(OutsideTrouble, match="clearinghouse can’t be reached"):
            call()


def letter(number: str) -> EmailMessage:
    message = EmailMessage()
    message["From"], message["To"], message["Subject"], message["Message-ID"] = (
        "a@example.org",
        "b@example.org",
        "Your receipt",
        number,
    )
    message.set_content("Thank you!")
    message.add_attachment(b"%PDF-1.7", maintype="application", subtype="pdf", filename="receipt.pdf")
    return message


def test_the_same_mail_twice_is_one_mail(world: tuple[str, Outside], nobody: Outside) -> None:
    for number in ("<1@x>", "<1@x>", "<2@x>"):
        world[1].mail.send(letter(number))
    kept = httpx.get(f"{world[0]}/mail", trust_env=False).json()
    assert [(mail["id"], mail["files"]) for mail in kept] == [
        ("<1@x>", ["receipt.pdf"]),
        ("<2@x>", ["receipt.pdf"]),
    ]
    with pytest.raises(OutsideTrouble, match="mail server"):
        nobody.mail.send(letter("<3@x>"))


def test_the_outside_can_be_looked_at(world: tuple[str, Outside]) -> None:
    world[1].clearinghouse.deliver("file-2", "c.837p", claim_file([claim()], ENVELOPE))
    page = httpx.get(world[0], trust_env=False).text
    assert "gives no answer in time" in page
    assert "c.837p" in page


@pytest.mark.parametrize(
    ("status", "kind", "words"),
    [
        (401, OutsideTrouble, "didn’t accept our sign-in"),
        (403, OutsideTrouble, "didn’t accept our sign-in"),
        (413, DoorRefused, "too large"),
        (422, DoorRefused, "doesn’t take the file as it is"),
        (503, OutsideTrouble, "returned an error"),
    ],
)
def test_what_the_clearinghouse_refuses_is_told_apart(
    status: int, kind: type[OutsideTrouble], words: str
) -> None:
    """Kills: a file that is too large, tried again for ever as if the house were away."""
    house = HttpClearinghouse("http://127.0.0.1:1")
    house.client = httpx.Client(
        transport=httpx.MockTransport(lambda request: httpx.Response(status)), base_url="http://house"
    )
    with pytest.raises(OutsideTrouble, match=words) as wrong:
        house.deliver("file-1", "C1.837d", "ISA*")
    assert type(wrong.value) is kind


def test_a_time_out_is_said_as_one() -> None:
    def slow(request: httpx.Request) -> httpx.Response:
        raise httpx.ReadTimeout("slow", request=request)

    house = HttpClearinghouse("http://127.0.0.1:1")
    house.client = httpx.Client(transport=httpx.MockTransport(slow), base_url="http://house")
    with pytest.raises(OutsideTrouble, match="in time"):
        house.deliver("file-1", "C1.837d", "ISA*")


def test_texts_come_and_go_by_the_gateway(world: tuple[str, Outside]) -> None:
    url, outside = world
    texts = outside.texts
    for _ in range(2):
        texts.send("offer-1", "3605550101", "Hi Ada")
    with pytest.raises(DoorRefused, match="12"):
        texts.send("offer-2", "12", "Hi")
    assert [each["words"] for each in httpx.get(f"{url}/texts", trust_env=False).json()] == ["Hi Ada"]
    for words in ("YES", "  ", "<script>alert(1)</script>", "sí 👍"):
        httpx.post(f"{url}/phones/3605550101", data={"words": words}, trust_env=False)
    first, second, third = texts.replies()
    assert (first.sender, first.words, third.words) == ("3605550101", "YES", "sí 👍")
    texts.taken(first.number)
    texts.taken(first.number)
    assert texts.replies() == [second, third]
    page = httpx.get(f"{url}/phones", trust_env=False).text
    assert "&lt;script&gt;" in page and "<script>" not in page
    with pytest.raises(OutsideTrouble):
        texts.taken(999)
    httpx.post(f"{url}/phones/3605550101", data={"words": "x" * 3000}, trust_env=False)
    assert len(texts.replies()[-1].words) == 3000


def events(url: str) -> list[dict[str, str]]:
    """What the gateways would tell the clinic."""
    found: list[dict[str, str]] = httpx.get(f"{url}/events", trust_env=False).json()
    return found


def behaves(url: str, phone: str, mode: str) -> None:
    done = httpx.post(f"{url}/phones/{phone}", data={"mode": mode}, trust_env=False)
    assert done.status_code == 303


def test_a_text_goes_once_and_is_known_by_its_key(world: tuple[str, Outside]) -> None:
    url, outside = world
    for _ in range(3):
        outside.texts.send("t-1+2", "3605550111", "Hi {first}")
    assert outside.texts.knows("t-1+2") and not outside.texts.knows("t/2")
    assert [each["words"] for each in httpx.get(f"{url}/texts", trust_env=False).json()] == ["Hi {first}"]
    assert [each["what"] for each in events(url)] == ["delivered"]


@pytest.mark.parametrize(
    ("mode", "found"), [("dead", ["failed"]), ("landline", ["landline"]), ("twice", ["delivered"] * 2)]
)
def test_a_phone_behaves_as_the_page_says(world: tuple[str, Outside], mode: str, found: list[str]) -> None:
    url, outside = world
    behaves(url, "3605550111", mode)
    outside.texts.send("t1", "3605550111", "Hi")
    assert [each["what"] for each in events(url)] == found


def test_a_call_is_picked_up_or_rings_out(world: tuple[str, Outside]) -> None:
    url, outside = world
    for key in ("c1", "c2", "c3"):
        outside.calls.place(key, "3605550111", "Hello", "en")
    assert outside.calls.knows("c1") and not outside.calls.knows("c4")
    assert "Pick up, press 1" in httpx.get(f"{url}/phones", trust_env=False).text
    for key, outcome in (("c1", "1"), ("c1", "out"), ("c2", "machine"), ("c3", "out")):
        httpx.post(f"{url}/phones/calls/{key}", data={"outcome": outcome}, trust_env=False)
    assert [(each["key"], each["what"]) for each in events(url)] == [
        ("c1", "pressed"),
        ("c2", "machine"),
        ("c3", "no_answer"),
    ]


def test_a_number_that_is_none_and_a_gateway_that_is_away(
    world: tuple[str, Outside], nobody: Outside
) -> None:
    with pytest.raises(DoorRefused, match="doesn’t take 12"):
        world[1].texts.send("t1", "12", "Hi")
    with pytest.raises(DoorRefused, match="voice gateway"):
        world[1].calls.place("c1", "12", "Hi", "en")
    for ask in (nobody.texts.knows, nobody.calls.knows):
        with pytest.raises(OutsideTrouble, match="can’t be reached"):
            ask("t1")


def test_mail_to_a_mailbox_that_is_gone_comes_back_and_is_read_and_deleted_once(
    world: tuple[str, Outside], tmp_path: Path
) -> None:
    for to, number in (("gone.wanda@example.org", "statement-1"), ("here@example.org", "statement-2")):
        mail = EmailMessage()
        mail["From"], mail["To"], mail["Subject"] = "desk@example.org", to, "A new statement"
        mail["Message-ID"] = f"<{number}@example.org>"
        mail.set_content("There is a new statement for you.\n.\n..dots\n")
        world[1].mail.send(mail)
    (returned,) = world[1].mailbox.received(is_report)
    bounce = bounce_in(returned.content)
    assert bounce is not None and bounce.message_id == "statement-1@example.org"
    assert bounce.words == "550 5.1.1 no such mailbox"
    world[1].mailbox.delete("somebody else's")
    assert len(world[1].mailbox.received(is_report)) == 1
    world[1].mailbox.delete(returned.id)
    assert world[1].mailbox.received(is_report) == []


def test_an_answer_to_a_mail_lies_in_the_mailbox_and_stays_there(world: tuple[str, Outside]) -> None:
    mail = EmailMessage()
    mail["From"], mail["To"], mail["Subject"] = "desk@example.org", "helen@example.org", "See you on Tue"
    mail["Message-ID"] = "<reminder-9@example.org>"
    mail.set_content("See you on Tue.")
    world[1].mail.send(mail)
    said = {"number": "<reminder-9@example.org>", "words": "Yes, see you then"}
    httpx.post(f"{world[0]}/mailboxes/answer", data=said, trust_env=False)
    wanted = lambda head: answer_in(head, "example.org") is not None  # noqa: E731
    for _ in range(2):
        (received,) = world[1].mailbox.received(wanted)
    found = answer_in(received.content, "example.org")
    assert found is not None
    assert (found.words, found.sender, found.answers) == (
        "Yes, see you then",
        "helen@example.org",
        ("reminder-9",),
    )


def test_a_mailbox_that_is_away_or_wants_another_password_is_trouble(
    world: tuple[str, Outside], tmp_path: Path
) -> None:
    away = PopMailbox("127.0.0.1", free_port(), "desk", tmp_path / "mailbox_secret")
    (tmp_path / "other").write_text("wrong")
    box = world[1].mailbox
    assert isinstance(box, PopMailbox)
    with pytest.raises(NoAnswer, match="The mailbox can’t be reached"):
        away.received(is_report)
    stranger = PopMailbox(box.host, box.port, "desk", tmp_path / "other")
    with pytest.raises(OutsideTrouble, match="The mailbox didn’t let us sign in") as caught:
        stranger.received(is_report)
    assert not isinstance(caught.value, NoAnswer)
