"""The files of a server fit each other and the command line: what a unit starts is there, and what it is told
is listened to.
"""

from __future__ import annotations

import re
import subprocess
from pathlib import Path

import pytest

from zax.cli.main import app
from zax.settings import ROOT

DEPLOY = ROOT / "deploy"
UNITS = sorted(DEPLOY.glob("*.service"))
GUIDE = (ROOT / "docs" / "deploy.md").read_text()


def commands() -> set[str]:
    return {
        each.name or (each.callback.__name__ if each.callback else "") for each in app.registered_commands
    }


def test_there_is_a_unit_for_every_part() -> None:
    assert [each.stem for each in UNITS] == ["zax-database", "zax-web@", "zax-worker@"]


@pytest.mark.parametrize("unit", UNITS, ids=lambda each: each.stem)
def test_a_unit_starts_a_command_that_there_is_as_a_user_of_its_own(unit: Path) -> None:
    text = unit.read_text()
    (command,) = re.findall(r"^ExecStart=/opt/zax/current/bin/zax (\w+)", text, re.M)
    assert command in commands()
    assert "\nUser=zax\n" in text and "EnvironmentFile=/etc/zax/zax.env" in text
    assert "ReadWritePaths=/var/lib/zax" in text and "Restart=" in text


def test_every_setting_is_one_that_zax_reads() -> None:
    source = "".join(path.read_text() for path in (ROOT / "src" / "zax").glob("*.py"))
    named = {
        name for path in DEPLOY.iterdir() for name in re.findall(r"\b(ZAX_[A-Z_]+)[=\b]", path.read_text())
    }
    assert {"ZAX_TLS", "ZAX_PROXY", "ZAX_HOSTS", "ZAX_BACKUP"} <= named
    assert {name for name in named if f'"{name}"' not in source} == set()


def test_nginx_hands_on_to_the_ports_of_the_web_units() -> None:
    nginx = (DEPLOY / "nginx.conf").read_text()
    (port,) = re.findall(r"ZAX_PORT=(\d+)%i", (DEPLOY / "zax-web@.service").read_text())
    assert re.findall(r"server 127\.0\.0\.1:(\d+) ", nginx) == [f"{port}1", f"{port}2"]
    # A form handed on twice is done once, so it may be; and addresses, which name people, are in no log.
    assert "non_idempotent" in nginx and "access_log off" in nginx


def test_the_update_is_a_script_that_can_be_read_and_the_guide_names_every_file() -> None:
    subprocess.run(["bash", "-n", DEPLOY / "update.sh"], check=True)
    for path in DEPLOY.iterdir():
        assert path.name in GUIDE, path.name


def test_an_update_tells_of_every_file_that_has_a_copy_outside() -> None:
    told = set(re.findall(r"^([\w@.-]+) /etc/", (DEPLOY / "update.sh").read_text(), flags=re.M))
    assert told == {path.name for path in DEPLOY.iterdir()} - {"update.sh"}
