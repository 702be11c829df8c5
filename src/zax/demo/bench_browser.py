"""What a person at a browser waits for, on the data of `make bench`: from address to first paint, and from a
key to what it shows being painted, in headless Chromium beside an empty page of the same server and a key
that asks nobody; with the bytes and requests of each page, first and again.

Times are milliseconds as the browser counts them (Paint Timing; performance.now around an animation
frame), so the loopback and the drawing are in them.
"""

from __future__ import annotations

import json
import statistics
import threading
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from typing import Any

import uvicorn
from rich.table import Table
from selenium import webdriver
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.support.ui import WebDriverWait
from sqlalchemy import Engine, text

from zax.core.json import Json
from zax.demo import headless
from zax.demo.bench import console
from zax.demo.bench_data import bench_settings, desk_at_opening
from zax.demo.world import PASSWORD
from zax.logs import configure
from zax.outside.adapters import real_outside
from zax.settings import Settings
from zax.store.engine import connect
from zax.store.migrate import migrate
from zax.store.server import Server, port_is_free
from zax.web.app import create_app

ROUNDS = 40
AIM_MS = 150  # from a key to paint, p95
_PAINT = """
const paint = performance.getEntriesByName('first-contentful-paint')[0];
const page = performance.getEntriesByType('navigation')[0];
const parts = performance.getEntriesByType('resource');
return paint ? {
  paint: paint.startTime, requests: parts.filter((each) => each.transferSize > 0).length + 1,
  bytes: page.transferSize + parts.reduce((sum, each) => sum + each.transferSize, 0), page: page.transferSize,
} : null;"""
# The next key is the beginning; the frame after the change is the end.
_WATCH = """
const [css, fresh] = arguments;
window.took = null;
let began = null;
document.addEventListener('keydown', () => { began = performance.now(); }, { capture: true, once: true });
if (fresh) document.querySelectorAll(css).forEach((each) => each.remove());
const watch = new MutationObserver(() => {
  if (began === null || !document.querySelector(css)) return;
  watch.disconnect();
  requestAnimationFrame(() => setTimeout(() => { window.took = performance.now() - began; }));
});
watch.observe(document.documentElement, { childList: true, subtree: true, attributes: true });"""


@contextmanager
def browser() -> Iterator[webdriver.Chrome]:
    driver = webdriver.Chrome(options=headless.options(), service=headless.service())
    try:
        yield driver
    finally:
        driver.quit()


@contextmanager
def served(engine: Engine, settings: Settings) -> Iterator[str]:
    """Zax on the loopback at the opening minute of the data."""
    desk, _, _ = desk_at_opening(engine)
    outside = real_outside(settings.standin_url, settings.smtp_port, settings.terminal_seconds)
    port = next(each for each in range(settings.port + 20, settings.port + 60) if port_is_free(each))
    server = uvicorn.Server(
        uvicorn.Config(
            create_app(desk, outside, settings),
            host="127.0.0.1",
            port=port,
            log_level="error",
            timeout_graceful_shutdown=1,
        )
    )
    thread = threading.Thread(target=server.run, daemon=True)
    thread.start()
    while not server.started:
        thread.join(0.05)
        assert thread.is_alive(), "the server went down while it started"
    try:
        yield f"http://127.0.0.1:{port}"
    finally:
        server.should_exit = True
        thread.join(10)


def sign_in(driver: webdriver.Chrome, url: str) -> None:
    driver.get(f"{url}/sign-in")
    driver.find_element(By.ID, "name").send_keys("sam", Keys.TAB, PASSWORD, Keys.ENTER)
    WebDriverWait(driver, 20).until(lambda _: "sign-in" not in driver.current_url)


def until(driver: webdriver.Chrome, script: str) -> Any:
    """What the script gives once it gives something."""
    return WebDriverWait(driver, 20, poll_frequency=0.02).until(lambda _: driver.execute_script(script))


def paints(driver: webdriver.Chrome, url: str, path: str) -> Json:
    """First paint of a page over the rounds, and its bytes and requests the first time and again."""
    driver.execute_cdp_cmd("Network.clearBrowserCache", {})
    driver.get(url + path)
    first = until(driver, _PAINT)
    found = []
    for _ in range(ROUNDS):
        driver.get(url + path)
        found.append(until(driver, _PAINT))
    row = summed([float(each["paint"]) for each in found])
    again = found[-1]
    return row | {
        "requests_first": first["requests"],
        "kb_first": round(first["bytes"] / 1024),
        "requests_again": again["requests"],
        "kb_again": round(again["bytes"] / 1024),
    }


def summed(times: list[float]) -> Json:
    ordered = sorted(times)
    return {
        "p50_ms": round(statistics.median(ordered), 1),
        "p95_ms": round(ordered[int(len(ordered) * 0.95)], 1),
    }


def keys(
    driver: webdriver.Chrome, before: Callable[[], None], press: str, css: str, fresh: bool = False
) -> Json:
    """From the key to the paint of what it shows, over the rounds."""
    times = []
    for _ in range(ROUNDS):
        before()
        driver.execute_script(_WATCH, css, fresh)
        webdriver.ActionChains(driver).send_keys(press).perform()
        times.append(float(until(driver, "return window.took")))
    return summed(times)


def measured(engine: Engine, url: str, driver: webdriver.Chrome) -> list[Json]:
    sign_in(driver, url)
    visit = "SELECT id, patient_id, day FROM visit WHERE site_id = 1 AND state = 'checkout' ORDER BY day DESC"
    with engine.connect() as connection:
        row = connection.execute(text(f"{visit} LIMIT 1")).one()
    rows = [{"what": "an empty page"} | paints(driver, url, "/healthz")]
    for what, path in (
        ("Day", "/day"),
        ("Book", "/book"),
        ("checkout", f"/visits/{row.id}/checkout"),
        ("record", f"/patients/{row.patient_id}"),
    ):
        rows.append({"what": what} | paints(driver, url, path))
        console.print(f"measured {what}")

    def page(path: str) -> Callable[[], None]:
        def go() -> None:
            driver.get(url + path)
            until(driver, "return document.readyState === 'complete' && !!window.htmx")
            driver.execute_script("document.activeElement.blur()")

        return go

    def at_a_bar() -> None:
        page("/book")()
        driver.execute_script("document.querySelector('#grid .v[data-id]').focus()")

    def in_the_box() -> None:
        driver.execute_script(
            "document.getElementById('find').value = ''; document.getElementById('find').focus()"
        )
        webdriver.ActionChains(driver).send_keys("v").perform()
        until(driver, "return !document.querySelector('.htmx-request')")

    page("/day")()
    rows.append({"what": "a key that asks nobody: G"} | keys(driver, page("/day"), "g", "body.going"))
    rows.append({"what": "visit sheet, Enter on its bar"} | keys(driver, at_a_bar, Keys.ENTER, "#sheet"))
    rows.append(
        {"what": "find box, second letter"} | keys(driver, in_the_box, "a", "#found [role=option]", True)
    )
    rows.append({"what": "openings, O"} | keys(driver, page("/book"), "o", ".finder"))
    return rows


def show(rows: list[Json]) -> None:
    table = Table("what", "p50 ms", "p95 ms", "first: requests", "KB", "again: requests", "KB")
    for row in rows:
        sizes = ("requests_first", "kb_first", "requests_again", "kb_again")
        table.add_row(
            str(row["what"]),
            str(row["p50_ms"]),
            str(row["p95_ms"]),
            *(str(row.get(each, "")) for each in sizes),
        )
    console.print(table)


def main() -> None:
    """Needs the data that `make bench` made; rows go to var/bench-browser.json."""
    configure()
    base = Settings()
    settings = bench_settings(base)
    server = Server(settings.var / "db", settings.db_port, buffer_mb=2048)
    engine = connect(server.start())
    try:
        migrate(engine)
        with served(engine, settings) as url, browser() as driver:
            rows = measured(engine, url, driver)
        (base.var / "bench-browser.json").write_text(json.dumps(rows, indent=1))
        show(rows)
        console.print(f"From a key to paint the aim is {AIM_MS} ms at p95.")
    finally:
        engine.dispose()
        server.stop()


if __name__ == "__main__":
    main()
