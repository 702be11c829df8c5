"""Turning HTML into PDF through WeasyPrint: one at once here, many on every core.

The helpers are processes of their own, started when first needed and kept; they read nothing but the HTML and
end with the process that started them.
"""

from __future__ import annotations

import io
import os
from collections.abc import Mapping, Sequence
from concurrent.futures import ProcessPoolExecutor
from concurrent.futures.process import BrokenProcessPool
from functools import cache
from multiprocessing import get_context
from pathlib import Path
from typing import TYPE_CHECKING
from urllib.parse import unquote, urlsplit

import pikepdf

from zax.store.server import end_with_parent
from zax.web.shell.rendering import template_environment

if TYPE_CHECKING:
    from weasyprint.urls import URLFetcher, URLFetcherResponse

FONTS = Path(__file__).parent / "static" / "vendor"
FONT_KINDS = frozenset({".ttf", ".woff2"})
FEW = 3  # so many are made faster here than handed round


def write(html: str) -> bytes:
    """One paper; its fonts lie beside the page's."""
    from weasyprint import HTML

    return bytes(HTML(string=html, base_url=str(FONTS), url_fetcher=_shipped_fonts()).write_pdf())


def _shipped_fonts() -> URLFetcher:
    """Fetches the fonts that ship with us and nothing else: a paper shows what patients typed, and must not
    reach out for it, neither on this machine nor beyond.
    """
    from weasyprint.urls import URLFetcher

    class ShippedFonts(URLFetcher):  # type: ignore[misc]
        def fetch(self, url: str, headers: Mapping[str, str] | None = None) -> URLFetcherResponse:
            asked = urlsplit(url)
            path = Path(unquote(asked.path))
            ours = (asked.scheme, asked.netloc, path.parent) == ("file", "", FONTS)
            if not ours or path.suffix not in FONT_KINDS:
                raise ValueError("A paper fetches nothing but its fonts.")
            return super().fetch(url, headers)

    return ShippedFonts()


def write_all(pages: Sequence[str]) -> list[bytes]:
    """Many papers in their order, on every core; here, one by one, should a helper die."""
    if len(pages) <= FEW:
        return [write(html) for html in pages]
    try:
        return list(_helpers().map(write, pages))
    except BrokenProcessPool:
        _helpers.cache_clear()
        return [write(html) for html in pages]


@cache
def _helpers() -> ProcessPoolExecutor:
    return ProcessPoolExecutor(os.cpu_count() or 1, get_context("spawn"), end_with_parent)


def paper_html(template: str, **values: object) -> str:
    """A paper's template filled in."""
    return str(template_environment().get_template(template).render(**values))


def paper(template: str, **values: object) -> bytes:
    """A paper's template filled in, as PDF."""
    return write(paper_html(template, **values))


def joined_pdf(papers: Sequence[bytes]) -> bytes:
    """Several papers in one file, for the printer."""
    out = io.BytesIO()
    with pikepdf.new() as together:
        for each in papers:
            with pikepdf.open(io.BytesIO(each)) as one:
                together.pages.extend(one.pages)
        together.save(out)
    return out.getvalue()
