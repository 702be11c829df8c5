"""The command line as people and scripts use it: reading files, and the demo's whole life from first start to
last stop.
"""

from __future__ import annotations

import json
import os
import signal
import socket
import subprocess
import time
from collections.abc import Iterator
from pathlib import Path

import httpx
import pytest

from tests.conftest import free_port
from tests.x12_samples import acknowledgement, remittance

ROOT = Path(__file__).parents[2]
ZAX = ROOT / "bin" / "zax"


def read(path: Path) -> tuple[int, dict[str, object], str]:
    done = subprocess.run([ZAX, "x12", "read", path], capture_output=True, text=True, check=False, cwd="/")
    return done.returncode, json.loads(done.stdout), done.stderr


def test_reading_a_payment_needs_no_database(tmp_path: Path) -> None:
    file = tmp_path / "a.835"
    file.write_text(remittance().replace("~", "\n").replace("*", "|"))
    code, found, errors = read(file)
    assert (code, errors, found["problems"]) == (0, "", [])
    assert found["transactions"][0]["claims"][0]["number"] == "C000017"  # type: ignore[index]


@pytest.mark.parametrize(
    "content", [b"", b"hello", b"\xff\xfe\x00", remittance()[:600].encode(), b"ISA*" + b"\x00" * 200]
)
def test_a_damaged_file_exits_1_with_json_and_no_traceback(tmp_path: Path, content: bytes) -> None:
    file = tmp_path / "bad"
    file.write_bytes(content)
    code, found, errors = read(file)
    assert code == 1
    assert found["problems"]
    assert "Traceback" not in errors


def test_a_missing_file_and_an_acknowledgement(tmp_path: Path) -> None:
    assert read(tmp_path / "nowhere")[0] == 1
    file = tmp_path / "a.999"
    file.write_text(acknowledgement("17", "R"))
    code, found, _ = read(file)
    assert (code, found["transactions"][0]["verdict"]) == (0, "rejected")  # type: ignore[index]


@pytest.fixture
def places(tmp_path: Path) -> dict[str, str]:
    names = ("ZAX_PORT", "ZAX_DB_PORT", "ZAX_STANDIN_PORT", "ZAX_SMTP_PORT")
    return {name: str(free_port()) for name in names} | {
        "ZAX_VAR": str(tmp_path / "var"),
        "ZAX_DEMO_SIZE": "short",
        "PYTHONUNBUFFERED": "1",
    }


class Demo:
    """A running `zax demo` and what it prints."""

    def __init__(self, places: dict[str, str], *arguments: str) -> None:
        self.began = time.monotonic()
        self.process = subprocess.Popen(
            [ZAX, "demo", *arguments],
            env=os.environ | places,
            stdout=subprocess.PIPE,
            stderr=subprocess.STDOUT,
            text=True,
        )
        self.said = ""

    def until(self, words: str) -> None:
        assert self.process.stdout
        for line in self.process.stdout:
            self.said += line
            if words in line:
                return
        raise AssertionError(f"it ended without saying “{words}”:\n{self.said}")

    def stop(self) -> int:
        self.process.send_signal(signal.SIGINT)
        rest, _ = self.process.communicate(timeout=60)
        self.said += rest
        return self.process.returncode


@pytest.fixture
def demo(places: dict[str, str]) -> Iterator[list[Demo]]:
    started: list[Demo] = []
    yield started
    for each in started:
        if each.process.poll() is None:
            each.stop()


def busy(places: dict[str, str]) -> list[str]:
    """The ports somebody still answers on."""
    found = []
    for name, port in places.items():
        if name.endswith("PORT"):
            with socket.socket() as probe:
                if probe.connect_ex(("127.0.0.1", int(port))) == 0:
                    found.append(name)
    return found


@pytest.mark.slow
def test_the_demo_from_first_start_to_last_stop(places: dict[str, str], demo: list[Demo]) -> None:
    """A first run killed in the middle, one that works, a second start that keeps the data, and nothing left
    running.
    """
    demo.append(Demo(places))
    demo[-1].until("Making the demo clinic")
    demo[-1].process.kill()
    demo[-1].process.wait()

    demo.append(Demo(places))
    demo[-1].until("Ctrl-C stops everything")
    assert all(
        words in demo[-1].said for words in ("http://127.0.0.1:" + places["ZAX_PORT"], "juno", "password")
    )
    health = httpx.get(f"http://127.0.0.1:{places['ZAX_PORT']}/healthz", trust_env=False)
    assert (health.status_code, health.json()["database"], health.json()["worker"]) == (200, "up", "up")

    clash = Demo(places)
    rest, _ = clash.process.communicate(timeout=60)
    assert clash.process.returncode == 1
    assert f"Port {places['ZAX_PORT']} is taken by another program. Set ZAX_PORT" in rest
    assert "Traceback" not in rest

    assert demo[-1].stop() == 0
    assert busy(places) == []

    demo.append(Demo(places))
    demo[-1].until("Ctrl-C stops everything")
    assert "Making the demo clinic" not in demo[-1].said
    demo[-1].process.kill()  # even then nothing stays
    demo[-1].process.wait()
    deadline = time.monotonic() + 20
    while busy(places) and time.monotonic() < deadline:
        continue
    assert busy(places) == []


@pytest.mark.slow
def test_troubles_are_one_sentence(places: dict[str, str], tmp_path: Path) -> None:
    with socket.socket() as taken:
        taken.bind(("127.0.0.1", int(places["ZAX_DB_PORT"])))
        taken.listen()
        ended = subprocess.run(
            [ZAX, "demo"], env=os.environ | places, capture_output=True, text=True, check=False
        )
    assert ended.returncode == 1
    assert "Set ZAX_DB_PORT to a free one" in ended.stdout
    wrong = subprocess.run(
        [ZAX, "demo"],
        env=os.environ | places | {"ZAX_PORT": "many"},
        capture_output=True,
        text=True,
        check=False,
    )
    assert "it must be a port from 1 to 65535" in wrong.stderr
    blocked = tmp_path / "file"
    blocked.write_text("")
    no_room = subprocess.run(
        [ZAX, "demo"],
        env=os.environ | places | {"ZAX_VAR": str(blocked)},
        capture_output=True,
        text=True,
        check=False,
    )
    assert no_room.returncode == 1
    for each in (ended, wrong, no_room):
        assert "Traceback" not in each.stdout + each.stderr


@pytest.mark.slow
def test_seeding_twice_is_refused_in_words(places: dict[str, str]) -> None:
    ended = subprocess.run(
        [ZAX, "seed", "--size", "moon"], env=os.environ | places, capture_output=True, text=True, check=False
    )
    assert ended.returncode == 1 and "There is no size “moon”" in ended.stdout
