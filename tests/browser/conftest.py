"""The whole of Zax on this machine for the browser: demo clinic, web, worker and stand-in, and headless
Chromium.
"""

from __future__ import annotations

import threading
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from datetime import datetime, timedelta
from pathlib import Path
from typing import Any

import httpx
import pytest
import uvicorn
from selenium import webdriver
from selenium.common.exceptions import StaleElementReferenceException, TimeoutException
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.remote.webelement import WebElement
from selenium.webdriver.support.ui import WebDriverWait
from sqlalchemy import text

from tests.browser.chromium import Chromium, as_new, chromium
from tests.browser.fresh import Kept
from tests.conftest import ODILE, TODAY, free_port, keep_passwords_cheaply, wait_until_up
from zax.clock import ShiftedClock, to_utc
from zax.demo.seed import seed
from zax.demo.today import OPENS_AT
from zax.demo.world import PASSWORD, ZONE
from zax.desk.acts.transaction import Desk
from zax.desk.claims.sending import send_ready
from zax.desk.clinic.clinic import load
from zax.desk.worker.beats import beat
from zax.desk.worker.worker import run_once
from zax.outside.adapters import real_outside
from zax.settings import Settings
from zax.standin.app import create_app as create_standin
from zax.store.engine import connect
from zax.store.files import FileStore
from zax.store.migrate import migrate
from zax.store.server import Server
from zax.web.app import create_app
from zax.web.money.documents import receipt_pdf, statement_pdfs

WAIT = 20
OPENING = to_utc(datetime(TODAY.year, TODAY.month, TODAY.day) + timedelta(minutes=OPENS_AT), ZONE)


HERE = Path(__file__).parent


def pytest_itemcollected(item: pytest.Item) -> None:
    """Everything here is a walk."""
    if HERE in item.path.parents:
        item.add_marker(pytest.mark.browser)


@dataclass(kw_only=True)
class Running:
    """A running Zax: its address, its desk, and the address of the stand-in."""

    url: str
    desk: Desk
    clock: ShiftedClock
    standin: str
    kept: Kept
    working: threading.Lock

    def came(self, what: str) -> list[dict[str, Any]]:
        """What the stand-in has received up to now: mail, texts, sales. Asked anew at each call, so that one
        can wait for what is on its way.
        """
        found: list[dict[str, Any]] = httpx.get(f"{self.standin}/{what}", trust_env=False).json()
        return found

    def reply(self, phone: str, words: str) -> None:
        """A patient's text from this phone."""
        httpx.post(f"{self.standin}/phones/{phone}", data={"words": words}, trust_env=False)

    def next_card(self, mode: str) -> None:
        """What the card terminal does with the next card."""
        httpx.post(f"{self.standin}/terminal/mode", data={"mode": mode}, trust_env=False)

    def begin_anew(self) -> None:
        """The demo clinic at its opening minute, whatever the walk before did."""
        with self.working:
            self.kept.put_back()
            self.clock.set_to(OPENING)
            with self.desk.engine.connect() as connection:
                self.desk.clinic = load(connection)


class _Thread(threading.Thread):
    """A uvicorn server in a thread, stopped at the end."""

    def __init__(self, app: Any, port: int) -> None:
        super().__init__(daemon=True)
        self.server = uvicorn.Server(
            uvicorn.Config(app, host="127.0.0.1", port=port, log_level="error", timeout_graceful_shutdown=1)
        )

    def run(self) -> None:
        self.server.run()

    def stop(self) -> None:
        self.server.should_exit = True
        self.join(10)


@pytest.fixture(scope="session")
def zax(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Running]:
    folder = tmp_path_factory.mktemp("demo")
    server = Server(folder / "db", free_port(), buffer_mb=256)
    engine = connect(server.start())
    migrate(engine)
    seed(engine, "demo", TODAY, folder)
    clock = ShiftedClock()
    clock.set_to(OPENING)
    with engine.begin() as connection:
        keep_passwords_cheaply(connection)
        desk = Desk(engine, clock, load(connection))
    settings = Settings(
        port=free_port(), standin_port=free_port(), smtp_port=free_port(), var=folder, terminal_seconds=1.5
    )
    outside = real_outside(settings.standin_url, settings.smtp_port, settings.terminal_seconds)
    threads = [
        _Thread(
            create_standin(
                folder / "standin",
                settings.smtp_port,
                0,
                callback=f"http://127.0.0.1:{settings.port}/callbacks/messages",
            ),
            settings.standin_port,
        ),
        _Thread(create_app(desk, outside, settings), settings.port),
    ]
    for thread in threads:
        thread.start()
    wait_until_up(f"{settings.standin_url}/healthz", threads[0])
    _answer_the_morning(desk, outside, folder)
    kept = Kept(engine, folder / "standin")
    kept.keep()
    stop = threading.Event()
    working = threading.Lock()
    worker = threading.Thread(
        target=_work, args=(desk, outside, stop, FileStore(folder), working), daemon=True
    )
    worker.start()
    running = Running(
        url=f"http://127.0.0.1:{settings.port}",
        desk=desk,
        clock=clock,
        standin=settings.standin_url,
        kept=kept,
        working=working,
    )
    wait_until_up(f"{running.url}/sign-in", threads[1])
    yield running
    stop.set()
    worker.join(30)
    for thread in threads:
        thread.stop()
    engine.dispose()
    server.stop()


def _answer_the_morning(desk: Desk, outside: Any, folder: Path) -> None:
    """The claims of the morning are sent, answered and posted, and the night's questions asked, so that no
    walk meets them halfway, nor waits while they are done anew.
    """
    send_ready(desk, ODILE)
    due, mailbox, files = 1, folder / "standin" / "mailbox", FileStore(folder)
    while due or any(mailbox.glob("*.json")):
        run_once(desk, outside, receipt_pdf, files, limit=200, statement_pdfs=statement_pdfs)
        due = of_desk(
            desk,
            "SELECT COUNT(*) FROM outbox WHERE state = 'waiting' AND due_at <= :now",
            now=desk.clock.now(),
        )
    assert of_desk(desk, "SELECT COUNT(*) FROM remit_claim WHERE outcome = 'posted'") > 5


def _work(desk: Desk, outside: Any, stop: threading.Event, files: FileStore, working: threading.Lock) -> None:
    while not stop.is_set():
        with working:
            beat(desk)
            run_once(desk, outside, receipt_pdf, files, statement_pdfs=statement_pdfs)
        stop.wait(0.3)


class Person:
    """Somebody at a browser. Every look waits for a condition; nothing sleeps."""

    def __init__(self, driver: Chromium, zax: Running) -> None:
        self.driver, self.zax = driver, zax

    def until(self, condition: Callable[[], Any], what: str = "") -> Any:
        def tried(_: Any) -> Any:
            try:
                return condition()
            except StaleElementReferenceException:
                return False

        try:
            return WebDriverWait(self.driver, WAIT, poll_frequency=0.05).until(tried, what)
        except TimeoutException:
            shown = self.driver.find_element(By.TAG_NAME, "body").text
            raise AssertionError(
                f"Waited in vain: {what}\n{self.driver.current_url}\n{shown[-1500:]}"
            ) from None

    def open(self, path: str) -> None:
        self.driver.get(self.zax.url + path)
        self.ready()

    def ready(self) -> None:
        """The page's scripts are loaded, so keys and hits work."""
        script = "return document.readyState === 'complete' && !!window.htmx"
        self.until(lambda: self.driver.execute_script(script), "the page is ready")

    def sign_in(self, name: str) -> None:
        self.driver.get(self.zax.url + "/sign-in")
        self.find("#name").send_keys(name, Keys.TAB, PASSWORD, Keys.ENTER)
        self.until(lambda: "sign-in" not in self.driver.current_url, "signed in")
        self.ready()

    def all(self, css: str) -> list[WebElement]:
        return self.driver.find_elements(By.CSS_SELECTOR, css)

    def find(self, css: str) -> WebElement:
        return self._first(css, lambda each: each.is_displayed(), f"{css} is shown")

    def one(self, css: str, words: str) -> WebElement:
        """The element whose text or title says the words."""

        def says(each: WebElement) -> bool:
            return words in self.words_of(each) or words in (each.get_attribute("title") or "")

        return self._first(css, says, f"{css} says “{words}”")

    def _first(self, css: str, fits: Callable[[WebElement], bool], what: str) -> WebElement:
        def look() -> list[WebElement]:
            return next(([each] for each in self.all(css) if fits(each)), [])

        (found,) = self.until(look, what)
        self.driver.looks[found.id] = look
        return found  # type: ignore[no-any-return]

    def quiet(self) -> bool:
        """No answer is on its way: what stands on the page is the last word. A live screen may show what was
        saved before the answer to the saving is there; nobody presses within those milliseconds.
        """
        busy = "return !!document.querySelector('.htmx-request, .htmx-swapping, .htmx-settling')"
        return not self.driver.execute_script(busy)

    def click(self, css: str) -> None:
        def pressed() -> bool:
            if not self.quiet():
                return False
            self.find(css).click()
            return True

        self.until(pressed, f"{css} is pressed")

    def type(self, css: str, words: str, clear: bool = False) -> None:
        """Type into a field, again if the page was replaced under the hand."""

        def typed() -> bool:
            field = self.find(css)
            if clear:
                field.clear()
            field.send_keys(words)
            return True

        self.until(typed, f"{css} is typed into")

    def click_words(self, words: str, within: str = "body") -> None:
        xpath = (
            ".//*[self::a or self::button or self::summary or self::label][contains(normalize-space(.),"
            f" '{words}')]"
        )

        def pressed() -> bool:
            if not self.quiet():
                return False
            for each in self.find(within).find_elements(By.XPATH, xpath):
                if each.is_displayed():
                    each.click()
                    return True
            return False

        self.until(pressed, f"“{words}” is pressed")

    def press(self, *keys: str) -> None:
        """Keys to whatever has the focus."""
        chain = webdriver.ActionChains(self.driver)
        for key in keys:
            chain.send_keys(key)
        chain.perform()

    def control_enter(self) -> None:
        webdriver.ActionChains(self.driver).key_down(Keys.CONTROL).send_keys(Keys.ENTER).key_up(
            Keys.CONTROL
        ).perform()

    def see(self, words: str, within: str = "body") -> None:
        self.until(lambda: words in self.words_of(self.find(within)), f"“{words}” is seen in {within}")

    def words_of(self, element: WebElement) -> str:
        """What stands there, as the browser itself says it: asking for `text` looks at every part of a page
        by itself, half a second each time.
        """
        said = self.driver.execute_script("return arguments[0].innerText", element)
        return element.text if said is None else said.replace("\t", " ").replace("\xa0", " ")

    def gone(self, css: str) -> None:
        self.until(lambda: not any(each.is_displayed() for each in self.all(css)), f"{css} is gone")

    def at(self, part: str) -> None:
        self.until(lambda: part in self.driver.current_url, f"the address has {part}")

    def focus(self) -> WebElement:
        return self.driver.switch_to.active_element


@pytest.fixture(scope="session")
def browsers() -> Iterator[list[Chromium]]:
    """Those that were started: starting one takes longer than many a walk."""
    started: list[Chromium] = []
    yield started
    for driver in started:
        driver.quit()


@pytest.fixture
def person(zax: Running, browsers: list[Chromium]) -> Iterator[Callable[[str], Person]]:
    """`person("juno")` is somebody signed in at a browser of their own, on a day that nobody touched yet."""
    zax.begin_anew()
    idle, taken = list(browsers), list[Chromium]()

    def make(name: str) -> Person:
        if idle:
            taken.append(idle.pop(0))
            as_new(taken[-1], zax.url)
        else:
            taken.append(chromium())
            browsers.append(taken[-1])
        someone = Person(taken[-1], zax)
        someone.sign_in(name)
        return someone

    yield make
    severe = [
        entry["message"]
        for driver in taken
        for entry in driver.get_log("browser")
        if "Content Security Policy" in entry["message"]
    ]
    for driver in taken:
        driver.get("about:blank")  # nobody's page goes on asking while the next one works
    assert severe == []


def arrive(desk: Person) -> None:
    """Through the arrival page by keyboard as quickly as the demo's list allows: the two needed steps, then
    in.
    """
    desk.at("/arrival")
    desk.ready()
    confirmed = desk.find("#step-1 form[action$='/done'] button")
    desk.driver.execute_script("arguments[0].focus()", confirmed)
    desk.press(Keys.ENTER)
    desk.see("done,", "#step-1")
    sign = desk.find(".steps a[href*='/sign/1']")
    desk.driver.execute_script("arguments[0].focus()", sign)
    desk.press(Keys.ENTER)
    desk.at("/sign/1")
    desk.ready()
    write_and_keep(desk)
    desk.at("/arrival")
    desk.see("Ready to check in", ".fin")
    desk.control_enter()
    desk.until(lambda: desk.driver.current_url.endswith("/day"), "back on Day")
    desk.ready()


def write_and_keep(desk: Person) -> None:
    """Sign by keyboard: the answer, then the typed name is written into the field."""
    for field in desk.all("input[name='answer-3'][value='Yes']"):
        field.send_keys(Keys.SPACE)
    desk.find("[data-pad-type]").send_keys(Keys.ENTER)
    desk.until(
        lambda: len(desk.driver.find_element(By.NAME, "strokes").get_attribute("value") or "") > 200,
        "the name is written",
    )
    desk.control_enter()


def of(zax: Running, statement: str, **values: Any) -> Any:
    """One value from the database of the running Zax."""
    return of_desk(zax.desk, statement, **values)


def rows(zax: Running, statement: str, **values: Any) -> list[tuple[Any, ...]]:
    """The rows of a statement."""
    with zax.desk.engine.connect() as connection:
        return [tuple(row) for row in connection.execute(text(statement), values)]


def of_desk(desk: Desk, statement: str, **values: Any) -> Any:
    with desk.engine.connect() as connection:
        return connection.execute(text(statement), values).scalar()


AXE = Path(__file__).parents[1] / "vendor" / "axe.min.js"
