"""An own MariaDB instance on loopback: own data folder, own user, generated password, certificate, socket and
port.

Started by `zax demo` and by the tests, never as a system service; it is stopped by whoever started it. Errors
are one sentence each.
"""

from __future__ import annotations

import ctypes
import os
import secrets
import select
import shutil
import signal
import socket
import subprocess
import time
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from sqlalchemy import URL

from zax.clock import system_now
from zax.logs import open_log
from zax.store.certificate import CERTIFICATE, KEY, keep_certificate

LEAST_FREE_BYTES = 600 * 1024 * 1024
START_SECONDS = 60
# Every commit is on disk in the log before it is answered; small files, so that one is soon closed.
_BINARY_LOG = (
    *("--log-bin=binlog", "--binlog-format=ROW", "--sync-binlog=1", "--server-id=1"),
    *("--max-binlog-size=16M", "--binlog-expire-logs-seconds=2592000"),
)
SOCKET = "mariadb.sock"  # relative to data/: socket paths may have about 100 signs only


class ServerTrouble(RuntimeError):
    """The database cannot run; the message says why and what to do."""


def port_is_free(port: int) -> bool:
    with socket.socket(socket.AF_INET, socket.SOCK_STREAM) as probe:
        probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            probe.bind(("127.0.0.1", port))
        except OSError:
            return False
    return True


def url_of(folder: Path, port: int) -> URL:
    """The address of the instance whose folder this is, for its owner: migrations and the command line;
    raises ServerTrouble before its first start.
    """
    return _url(folder, port, "zax", "password")


def daily_url_of(folder: Path, port: int) -> URL:
    """The same for the web and the worker, who may not change what only grows (`store.rights`)."""
    return _url(folder, port, "zax_daily", "password-daily")


def _url(folder: Path, port: int, user: str, secret: str) -> URL:
    path = folder / secret
    if not path.exists():
        raise ServerTrouble(f"There is no Zax database in {folder} yet. Run `make demo` first.")
    password = path.read_text().strip()
    how = {"local_infile": "1", "ssl_ca": str(folder / CERTIFICATE), "ssl_verify_cert": "1"}
    return URL.create("mysql+mariadbconnector", user, password, "127.0.0.1", port, "zax", query=how)


@dataclass(slots=True)
class Server:
    """`folder` holds everything of the instance: data/, password, log, pid, socket. `binary_log`: all that is
    written is noted a second time, so that a backup can be brought to any second.
    """

    folder: Path
    port: int
    buffer_mb: int = 512
    binary_log: bool = False
    process: subprocess.Popen[bytes] | None = None

    def start(self, meanwhile: Callable[[], None] = lambda: None) -> URL:
        """Make the instance on first use, start it, do something else `meanwhile`, wait until it answers."""
        self.folder.mkdir(parents=True, exist_ok=True)
        self._check_room()
        self.end_left_over()
        if not port_is_free(self.port):
            raise ServerTrouble(
                f"Port {self.port} is taken by another program. Set ZAX_DB_PORT to a free one and start"
                " again."
            )
        if not (self.folder / "ready").exists():
            self._install()
        keep_certificate(self.folder, system_now())
        self.process = self._launch()
        meanwhile()
        self._wait()
        if not (self.folder / "ready").exists():
            self._make_user()
            (self.folder / "ready").touch()
        if not (self.folder / "password-daily").exists():
            self._make_daily_user()
        return url_of(self.folder, self.port)

    def stop(self) -> None:
        if self.process is None:
            return
        self.process.terminate()
        try:
            self.process.wait(30)
        except subprocess.TimeoutExpired:
            self.process.kill()
            self.process.wait()
        self.process = None

    def _check_room(self) -> None:
        free = shutil.disk_usage(self.folder).free
        if free < LEAST_FREE_BYTES:
            raise ServerTrouble(
                f"The disk is almost full: {free // 2**20} MB free in {self.folder},"
                f" {LEAST_FREE_BYTES // 2**20} MB are needed. Make room, or set ZAX_VAR to another disk, and"
                " start again."
            )

    def end_left_over(self) -> None:
        """End a database of this folder that a killed run left behind."""
        pid_file = self.folder / "mariadb.pid"
        if not pid_file.exists():
            return
        pid = pid_file.read_text().strip()
        command = Path(f"/proc/{pid}/cmdline")
        if (
            pid.isdecimal()
            and command.exists()
            and str(self.folder / "data") in command.read_bytes().decode(errors="replace")
        ):
            ending = os.pidfd_open(int(pid))
            try:
                signal.pidfd_send_signal(ending, signal.SIGTERM)
                select.select([ending], [], [], 30)
            finally:
                os.close(ending)
        pid_file.unlink(missing_ok=True)

    def _install(self) -> None:
        """A fresh data folder; what a half-finished first run left is thrown away."""
        shutil.rmtree(self.folder / "data", ignore_errors=True)
        command = [
            "mariadb-install-db",
            "--no-defaults",
            f"--datadir={self.folder / 'data'}",
            "--skip-test-db",
            "--force",  # also where this machine's own name leads nowhere; we ask by address
            "--auth-root-authentication-method=normal",
            "--innodb-use-native-aio=0",
            self._own_tmp(),
            *self._as_user(),
        ]
        done = subprocess.run(command, capture_output=True, text=True, check=False, env=_own_environment())
        if done.returncode:
            raise ServerTrouble(
                f"The database folder could not be made: {_last_line(done.stderr or done.stdout)}"
            )

    def _as_user(self) -> list[str]:
        return ["--user=root"] if os.getuid() == 0 else []

    def _own_tmp(self) -> str:
        """Temporary files of its own: two instances that share a folder for them take each other's."""
        (self.folder / "tmp").mkdir(exist_ok=True)
        return f"--tmpdir={self.folder / 'tmp'}"

    def _launch(self) -> subprocess.Popen[bytes]:
        binary = shutil.which("mariadbd") or "/usr/sbin/mariadbd"
        command = [
            binary,
            "--no-defaults",
            f"--datadir={self.folder / 'data'}",
            f"--socket={SOCKET}",
            f"--port={self.port}",
            "--bind-address=127.0.0.1",
            f"--ssl-cert={self.folder / CERTIFICATE}",
            f"--ssl-key={self.folder / KEY}",
            "--tls-version=TLSv1.3",
            "--require-secure-transport=ON",  # by its port; the socket is this user's alone
            f"--pid-file={self.folder / 'mariadb.pid'}",
            f"--log-error={self.folder / 'mariadb.log'}",
            "--character-set-server=utf8mb4",
            "--collation-server=utf8mb4_general_ci",
            "--transaction-isolation=READ-COMMITTED",
            "--skip-name-resolve",
            f"--innodb-buffer-pool-size={self.buffer_mb}M",
            "--innodb-log-file-size=256M",
            "--max-connections=200",
            "--innodb-flush-log-at-trx-commit=1",
            "--innodb-use-native-aio=0",
            self._own_tmp(),
            "--local-infile=1",
            "--innodb-autoinc-lock-mode=2",
            "--max-allowed-packet=64M",
            "--innodb-lock-wait-timeout=10",
            *(_BINARY_LOG if self.binary_log else ()),
            *self._as_user(),
        ]
        with open_log(self.folder / "mariadb.out") as out:
            # An own session, so that Ctrl-C reaches the one who started it and the database is stopped last.
            return subprocess.Popen(
                command,
                cwd=self.folder / "data",
                stdout=out,
                stderr=out,
                start_new_session=True,
                env=_own_environment() | {"UMASK": "0600", "UMASK_DIR": "0700"},
                preexec_fn=end_with_parent,
            )

    def _wait(self) -> None:
        assert self.process
        deadline = time.monotonic() + START_SECONDS
        while time.monotonic() < deadline:
            if self.process.poll() is not None:
                break
            try:
                with socket.create_connection(("127.0.0.1", self.port), 1):
                    return
            except OSError:
                time.sleep(0.05)
        self.stop()
        log = self.folder / "mariadb.log"
        tail = _last_line(log.read_text(errors="replace")) if log.exists() else "no log was written"
        raise ServerTrouble(f"The database did not come up. Its log ({log}) ends: {tail}")

    def _make_user(self) -> None:
        password = self._new_secret("password")
        self._as_root(
            "CREATE DATABASE IF NOT EXISTS zax CHARACTER SET utf8mb4;"
            f"CREATE OR REPLACE USER 'zax'@'127.0.0.1' IDENTIFIED BY '{password}';"
            "GRANT ALL ON zax.* TO 'zax'@'127.0.0.1';"
            f"ALTER USER 'root'@'localhost' IDENTIFIED BY '{password}';"
        )

    def _make_daily_user(self) -> None:
        """The owner gives it its rights, table by table, once there are tables."""
        owner = (self.folder / "password").read_text().strip()
        password = self._new_secret("password-daily.part")
        self._as_root(
            f"CREATE OR REPLACE USER 'zax_daily'@'127.0.0.1' IDENTIFIED BY '{password}';"
            "GRANT ALL ON zax.* TO 'zax'@'127.0.0.1' WITH GRANT OPTION;",
            owner,
        )
        (self.folder / "password-daily.part").rename(self.folder / "password-daily")

    def _new_secret(self, name: str) -> str:
        password = secrets.token_urlsafe(24)
        secret = self.folder / name
        secret.touch(mode=0o600)
        secret.write_text(password)
        return password

    def _as_root(self, statements: str, password: str = "") -> None:
        command = ["mariadb", "--no-defaults", "-uroot", f"--socket={SOCKET}"]
        done = subprocess.run(
            command,
            input=statements,
            text=True,
            capture_output=True,
            check=False,
            cwd=self.folder / "data",
            env=os.environ | ({"MYSQL_PWD": password} if password else {}),
        )
        if done.returncode:
            raise ServerTrouble(f"The database user could not be made: {_last_line(done.stderr)}")


def end_with_parent() -> None:
    """Should the one who started this process be killed, the kernel asks it to stop."""
    ctypes.CDLL(None).prctl(1, signal.SIGTERM)  # PR_SET_PDEATHSIG


def _own_environment() -> dict[str, str]:
    """Ours without the service manager: the database would tell it that it is ready before its schema is."""
    return {name: value for name, value in os.environ.items() if name != "NOTIFY_SOCKET"}


def _last_line(text: str) -> str:
    """The line that says why: the last error that is more than “Aborting”, or simply the last line."""
    lines = [line for line in text.splitlines() if line.strip()]
    errors = [line for line in lines if "ERROR" in line and "Aborting" not in line]
    return (errors or lines or ["nothing"])[-1]
