"""Papers show what patients typed, and reach out for nothing."""

from __future__ import annotations

from pathlib import Path

import pytest

from zax.web.shell import pdf
from zax.web.shell.pdf import FONTS


def test_a_paper_fetches_its_fonts_and_nothing_else(tmp_path: Path) -> None:
    fetcher = pdf._shipped_fonts()
    font = next(each for each in FONTS.iterdir() if each.suffix == ".woff2")
    assert fetcher.fetch(font.as_uri()).read(4) == b"wOF2"
    secret = tmp_path / "a.ttf"
    secret.write_bytes(b"x")
    for url in (
        "http://127.0.0.1:1/a.ttf",
        "https://evil.example/a.woff2",
        "ftp://evil.example/a.ttf",
        "data:text/plain,x",
        "file:///etc/passwd",
        secret.as_uri(),
        f"{FONTS.as_uri()}/../app.css",
        f"{FONTS.as_uri()}/%2e%2e/%2e%2e/a.ttf",
        f"{FONTS.as_uri()}/../fonts/{font.name}",
        "file://evil.example" + font.as_uri().removeprefix("file://"),
    ):
        with pytest.raises(ValueError, match="nothing but its fonts"):
            fetcher.fetch(url)
