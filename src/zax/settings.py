"""Where Zax runs: ports, data folder and limits, from the environment, with defaults that fit one machine."""

from __future__ import annotations

import os
from dataclasses import dataclass, field
from pathlib import Path

ROOT = Path(__file__).resolve().parents[2]


def _port(name: str, default: int) -> int:
    text = os.environ.get(name, str(default))
    if not text.isdecimal() or not 1 <= int(text) <= 65535:
        raise SystemExit(f"{name} is {text!r}; it must be a port from 1 to 65535.")
    return int(text)


def _path(name: str, default: str) -> Path:
    """A file; where nothing is said, the one the stand-in makes beside its memory."""
    var = Path(os.environ.get("ZAX_VAR", ROOT / "var"))
    return Path(os.environ.get(name, var / "standin" / default)).resolve()


@dataclass(frozen=True, slots=True, kw_only=True)
class Settings:
    """Ports are on loopback. `demo_size` is one of `demo.seed.SIZES`; `idle_minutes` ends a session that
    nobody used.
    """

    port: int = field(default_factory=lambda: _port("ZAX_PORT", 8400))
    db_port: int = field(default_factory=lambda: _port("ZAX_DB_PORT", 8401))
    standin_port: int = field(default_factory=lambda: _port("ZAX_STANDIN_PORT", 8402))
    smtp_port: int = field(default_factory=lambda: _port("ZAX_SMTP_PORT", 8403))
    pop_port: int = field(default_factory=lambda: _port("ZAX_POP_PORT", 8404))
    var: Path = field(default_factory=lambda: Path(os.environ.get("ZAX_VAR", ROOT / "var")).resolve())
    demo_size: str = field(default_factory=lambda: os.environ.get("ZAX_DEMO_SIZE", "demo"))
    # Whether the stand-in is behind the doors of which the clinic has not told us.
    standin: bool = field(default_factory=lambda: os.environ.get("ZAX_STANDIN", "") == "1")
    idle_minutes: int = 30
    # Behind TLS cookies are for TLS alone; a forwarded address counts only from the proxy that is named here.
    tls: bool = field(default_factory=lambda: os.environ.get("ZAX_TLS", "") == "1")
    proxy: str = field(default_factory=lambda: os.environ.get("ZAX_PROXY", ""))
    hosts: tuple[str, ...] = field(
        default_factory=lambda: tuple(os.environ.get("ZAX_HOSTS", "127.0.0.1,localhost").split(","))
    )
    terminal_seconds: float = field(
        default_factory=lambda: float(os.environ.get("ZAX_TERMINAL_SECONDS", "8"))
    )

    # Where claim files go by SFTP instead of HTTP: user@host:port; our key, and the file with the house's.
    claims_sftp: str = field(default_factory=lambda: os.environ.get("ZAX_CLAIMS_SFTP", ""))
    claims_key: Path = field(default_factory=lambda: _path("ZAX_CLAIMS_KEY", "client_key"))
    claims_known: Path = field(default_factory=lambda: _path("ZAX_CLAIMS_KNOWN", "known_hosts"))
    # The clinic's own mailbox, where mail comes back; its password stands in a file.
    mailbox_user: str = field(default_factory=lambda: os.environ.get("ZAX_MAILBOX_USER", "desk"))
    mailbox_secret: Path = field(default_factory=lambda: _path("ZAX_MAILBOX_SECRET", "mailbox_secret"))
    # Where backups go; none are made by themselves where nothing is said.
    backups: Path | None = field(
        default_factory=lambda: (
            Path(os.environ["ZAX_BACKUP"]).resolve() if os.environ.get("ZAX_BACKUP") else None
        )
    )
    # Where the numbers for Prometheus are fetched: the web's here, the workers' on the next two. None:
    # nowhere.
    metrics_port: int | None = field(
        default_factory=lambda: _port("ZAX_METRICS_PORT", 0) if "ZAX_METRICS_PORT" in os.environ else None
    )
    # The stand-in offers its folders on this port; on none unless it is asked to.
    sftp_port: int | None = field(
        default_factory=lambda: _port("ZAX_SFTP_PORT", 0) if "ZAX_SFTP_PORT" in os.environ else None
    )

    @property
    def standin_url(self) -> str:
        return f"http://127.0.0.1:{self.standin_port}"
