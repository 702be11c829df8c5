"""Takes docs/screenshots from a running demo clinic of its own, at 1280x800, one picture a main view."""

from __future__ import annotations

import io
import os
import re
import signal
import subprocess
import sys
import tempfile
from collections.abc import Callable
from datetime import datetime
from pathlib import Path

import httpx
from PIL import Image
from selenium import webdriver
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.support.ui import WebDriverWait

from zax.demo import headless

ROOT = Path(__file__).parents[1]
TO = ROOT / "docs" / "screenshots"
PORTS = {
    "ZAX_PORT": "8460",
    "ZAX_DB_PORT": "8461",
    "ZAX_STANDIN_PORT": "8462",
    "ZAX_SMTP_PORT": "8463",
    "ZAX_POP_PORT": "8464",
}
URL = f"http://127.0.0.1:{PORTS['ZAX_PORT']}"


def chromium() -> webdriver.Chrome:
    options = headless.options()
    options.add_argument("--hide-scrollbars")
    driver = webdriver.Chrome(options=options, service=headless.service())
    Camera(driver).size(1280, 800)
    return driver


class Camera:
    def __init__(self, driver: webdriver.Chrome) -> None:
        self.driver = driver

    def until(self, condition: Callable[[webdriver.Chrome], object]) -> None:
        WebDriverWait(self.driver, 20).until(condition)

    def open(self, path: str) -> None:
        self.driver.get(URL + path)
        self.until(
            lambda d: d.execute_script(
                "return document.readyState === 'complete' && document.fonts.status === 'loaded'"
            )
        )

    def href(self, css: str) -> str:
        """Where the first link of that kind goes; asked in one step, since a live page may redraw between
        two.
        """
        asked = "return document.querySelector(arguments[0])?.href"
        self.until(lambda d: d.execute_script(asked, css))
        return str(self.driver.execute_script(asked, css)).removeprefix(URL)

    def id_of(self, css: str) -> str:
        """The id of the first such element, asked in one step as well."""
        asked = "return document.querySelector(arguments[0])?.id"
        self.until(lambda d: d.execute_script(asked, css))
        return str(self.driver.execute_script(asked, css))

    def press(self, css: str, brings: str) -> None:
        """Press a button until what it brings is there; a headless browser loses a press now and then."""

        def pressed(driver: webdriver.Chrome) -> bool:
            if driver.find_elements(By.CSS_SELECTOR, brings):
                return True
            for button in driver.find_elements(By.CSS_SELECTOR, css):
                driver.execute_script("arguments[0].click()", button)
            return False

        WebDriverWait(self.driver, 20, poll_frequency=2).until(pressed)

    def size(self, width: int, height: int) -> None:
        metrics = {"width": width, "height": height, "deviceScaleFactor": 1, "mobile": False}
        self.driver.execute_cdp_cmd("Emulation.setDeviceMetricsOverride", metrics)

    def take(self, name: str) -> None:
        self.driver.save_screenshot(str(TO / f"{name}.png"))
        print(f"took {name}.png")


def take_all(camera: Camera) -> None:
    camera.open("/sign-in")
    camera.driver.find_element(By.ID, "name").send_keys("sam", Keys.TAB, "ferry-bell-7", Keys.ENTER)
    camera.until(lambda d: "/day" in d.current_url)
    camera.open("/day")
    camera.take("day")
    ito = camera.driver.execute_script(
        "return [...document.querySelectorAll('.a .who a')]"
        ".find((a) => a.textContent.includes('Hana Ito')).href"
    )

    camera.open("/book")
    camera.take("book")
    camera.open("/book?" + str(ito).split("?")[1])
    camera.take("visit-sheet")
    dental = camera.id_of("[data-provider='1'] .v.room")
    fern = camera.driver.execute_script(
        "return [...document.querySelectorAll('a.v')].find((a) => a.textContent.includes('Fern Whitaker')).id"
    )
    vasquez = camera.id_of("[data-provider='2'] .v.checkout")
    camera.open(f"/visits/{vasquez.removeprefix('bar-')}/checkout")
    camera.take("checkout")
    take_visit(camera, dental.removeprefix("bar-"))
    camera.open(f"/visits/{vasquez.removeprefix('bar-')}/sheet")
    account = camera.href("a[href^='/accounts/']")
    take_money(camera, account)
    take_record(camera, str(fern).removeprefix("bar-"))
    take_claims(camera)
    camera.open("/followup/calls")
    camera.open(camera.href("tr[data-row]:nth-child(3) a[data-act]"))
    camera.until(lambda d: "yours" in d.find_element(By.CSS_SELECTOR, ".dn-s .crumb").text)
    camera.take("call-sheet")
    take_messages(camera)
    camera.open("/setup/people?who=3&leave=1")
    camera.take("users")
    take_patients_side(camera)
    take_first_run(camera)


def take_patients_side(camera: Camera) -> None:
    """What somebody typed beside what is on file; the tablet; and three phones in one picture."""
    camera.open("/compare")
    camera.open(camera.href("a[href^='/compare/']:not([aria-current])"))
    camera.until(lambda d: "Yusuf" in d.page_source)
    camera.driver.find_element(By.LINK_TEXT, "Yusuf Haddad").click()
    camera.until(lambda d: "Yusuf Haddad registration" in d.title)
    camera.take("compare")
    birth = birth_of(camera, "Helen", "Vasquez")
    take_tablet(camera)
    take_phones(camera, birth)


OWN = {"ZAX_PORT": "8470", "ZAX_DB_PORT": "8471"}
OPENED = {
    "clinic_name": "Kestrel Bay Family Care",
    "email": "desk@kestrelbay.example.org",
    "npi": "1234567893",
    "taxonomy": "261QM1300X",
    "tax_id": "91-7654321",
    "name-1": "Bay Street",
    "phone-1": "360 555 0177",
    "street-1": "12 Bay Street",
    "city-1": "Kestrel Bay",
    "state-1": "WA",
    "zip-1": "98201",
    "chairs-1": "3",
    "exam_rooms-1": "2",
    "name": "Mara Quince",
    "sign_in": "mara",
    "password": "seven gulls in fog",
}


def take_first_run(camera: Camera) -> None:
    """A clinic of one’s own, opened by the link that its first start prints."""
    camera.size(1280, 800)
    with tempfile.TemporaryDirectory() as var:
        own = subprocess.Popen(
            [ROOT / "bin" / "zax", "run"],
            env=os.environ | OWN | {"ZAX_VAR": var},
            stdout=subprocess.PIPE,
            text=True,
        )
        try:
            assert own.stdout
            link = next(line.strip() for line in own.stdout if "/open/" in line)
            driver = camera.driver
            driver.get(link)
            for name, words in OPENED.items():
                field = driver.find_element(By.NAME, name)
                field.clear()
                field.send_keys(words)
            driver.execute_script("document.querySelector('input[name=kind][value=both]').click()")
            driver.execute_script("document.querySelector('.op-end button').click()")
            camera.until(lambda d: "/setup/first-days" in d.current_url)
            driver.get(driver.current_url)
            camera.take("first-run")
        finally:
            own.send_signal(signal.SIGTERM)
            own.wait(30)


def birth_of(camera: Camera, first: str, last: str) -> str:
    """As the search shows it: the demo’s people are born so many days before its own today."""
    camera.open(f"/find?q={last}")
    words = camera.driver.find_element(By.TAG_NAME, "body").text
    found = re.search(rf"{last}, {first} ?([A-Z][a-z]{{2}} \d+, \d{{4}})", words)
    assert found, words
    return f"{datetime.strptime(found[1], '%b %d, %Y'):%m/%d/%Y}"


def take_tablet(camera: Camera) -> None:
    birth = birth_of(camera, "Joan", "Petrakis")
    camera.open("/setup/tablets")
    camera.driver.find_element(By.NAME, "name").send_keys("Front door", Keys.ENTER)
    camera.until(lambda d: d.find_elements(By.CSS_SELECTOR, ".tb-link"))
    link = camera.driver.find_element(By.CSS_SELECTOR, ".tb-link b").text
    camera.size(1024, 768)
    camera.driver.get(link)
    camera.driver.find_element(By.NAME, "birth").send_keys(birth)
    camera.driver.find_element(By.NAME, "letters").send_keys("pet", Keys.ENTER)
    camera.until(lambda d: "Joan" in d.page_source)
    camera.take("tablet")


def take_phones(camera: Camera, birth: str) -> None:
    """A time asked for, a page of a registration, the own page of somebody born that day."""
    driver = camera.driver
    driver.delete_all_cookies()
    camera.size(390, 800)
    camera.open("/ask")
    driver.find_element(By.CSS_SELECTOR, ".ol-pick input").click()
    driver.find_element(By.CSS_SELECTOR, "main form button").click()
    camera.until(lambda d: "/ask/times" in d.current_url)
    phones = [driver.get_screenshot_as_png()]
    camera.open("/register")
    type_in(camera, first="Nora", last="Finch", birth="3/14/1988", phone="360 555 0161")
    type_code(camera, "3605550161")
    camera.until(lambda d: d.current_url.endswith("/you"))
    camera.open(driver.current_url.removeprefix(URL).replace("/you", "/dental"))
    type_in(camera, payer="Harbour Gild dental", member="HG-40772")
    phones.append(driver.get_screenshot_as_png())
    camera.open("/my/sign-in")
    type_in(camera, phone="360 555 0111", birth=birth)
    type_code(camera, "3605550111")
    camera.until(lambda d: d.current_url.endswith("/my"))
    phones.append(driver.get_screenshot_as_png())
    beside(phones, TO / "phones.png")


def type_in(camera: Camera, **typed: str) -> None:
    for name, words in typed.items():
        camera.driver.find_element(By.NAME, name).send_keys(words)


def type_code(camera: Camera, phone: str) -> None:
    """Send the form, and type what is texted to the phone."""
    camera.driver.find_element(By.CSS_SELECTOR, ".ol-foot button").click()
    camera.until(lambda d: d.find_elements(By.NAME, "code"))
    texts = f"http://127.0.0.1:{PORTS['ZAX_STANDIN_PORT']}/texts"

    def code() -> str:
        found = [each["words"] for each in httpx.get(texts, trust_env=False).json() if each["to"] == phone]
        return next((words[:7] for words in reversed(found) if "is your code" in words), "")

    camera.until(lambda _: code())
    camera.driver.find_element(By.NAME, "code").send_keys(code(), Keys.ENTER)


def beside(phones: list[bytes], to: Path) -> None:
    """The pictures beside each other, with a little room between."""
    pictures = [Image.open(io.BytesIO(each)).convert("RGB") for each in phones]
    wide, high, room = pictures[0].width, pictures[0].height, 24
    made = Image.new("RGB", (len(pictures) * (wide + room) + room, high + 2 * room), "#e4dac4")
    for at, each in enumerate(pictures):
        made.paste(each, (room + at * (wide + room), room))
    made.save(to)
    print(f"took {to.name}")


def take_messages(camera: Camera) -> None:
    """A text that asks for another time, and the words of a reminder."""
    camera.open("/inbox")
    asks = camera.driver.find_element(By.XPATH, "//tr[contains(., 'can we do 4')]//a[@data-act]")
    camera.open(str(asks.get_attribute("href")).removeprefix(URL))
    camera.until(lambda d: "yours" in d.find_element(By.CSS_SELECTOR, ".dn-s .crumb").text)
    camera.take("inbox")
    camera.open("/setup/messages?event=reminder&channel=text")
    camera.until(lambda d: "of 160" in d.find_element(By.ID, "preview").text)
    camera.take("messages")


def take_claims(camera: Camera) -> None:
    """What each claim needs next, and what insurers paid."""
    camera.open("/claims")
    camera.take("claims")
    camera.open("/claims/payments")
    camera.driver.find_element(By.PARTIAL_LINK_TEXT, "Northmoor").click()
    camera.until(lambda d: d.find_elements(By.CSS_SELECTOR, ".pd-list a[href*='claim=']"))
    camera.open(camera.href(".pd-list a[href*='claim=']"))
    camera.take("posting-desk")


def take_money(camera: Camera, account: str) -> None:
    """A household's account, and the evening's count."""
    camera.open(account)
    camera.take("account")
    camera.open("/close")
    count_drawer(camera)
    camera.take("close-the-day")


def count_drawer(camera: Camera) -> None:
    """The drawer as it should be, in as few pieces as can be: the float and the cash of the day."""
    form = camera.driver.find_element(By.CSS_SELECTOR, "[data-float]")
    cash = camera.driver.find_element(By.CSS_SELECTOR, "[data-tender-count=cash]")
    left = int(form.get_attribute("data-float") or 0) + int(cash.get_attribute("data-expected") or 0)
    fields = camera.driver.find_elements(By.CSS_SELECTOR, "[name^='piece-']")
    for field in sorted(fields, key=lambda each: -int(str(each.get_attribute("name"))[6:])):
        pieces, left = divmod(left, int(str(field.get_attribute("name"))[6:]))
        if pieces:
            field.send_keys(str(pieces))


def take_record(camera: Camera, visit: str) -> None:
    """A record with two coverages, the payer's answer, the estimate, and a plan."""
    camera.open(f"/visits/{visit}/sheet")
    record = camera.href("h1 a[href^='/patients/']")
    camera.open(record)
    camera.driver.find_element(By.CSS_SELECTOR, ".covacts [data-key=q]").click()
    camera.until(lambda d: "/answer" in d.current_url)
    camera.open(record)
    camera.take("record")


def take_visit(camera: Camera, dental: str) -> None:
    """Arrival with its steps, the mouth with a tooth chosen, options of planned work, the corridor screen."""
    camera.open("/day")
    rows = camera.driver.find_elements(By.CSS_SELECTOR, ".b .row")
    reed = next(row for row in rows if "Cy Reed" in row.text)
    camera.open(
        str(reed.find_element(By.CSS_SELECTOR, "a[href$='/arrival']").get_attribute("href")).removeprefix(URL)
    )
    camera.take("arrival")
    camera.open(f"/visits/{dental}/charges")
    camera.driver.execute_script(
        "document.querySelector(\"[data-tooth='14']\").dispatchEvent(new MouseEvent('click', {bubbles:"
        " true}))"
    )
    camera.take("charges")


def main() -> int:
    TO.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory(prefix="zax-shots-") as folder:
        environment = (
            os.environ | PORTS | {"ZAX_VAR": folder, "ZAX_STANDIN_PAY_SECONDS": "0", "PYTHONUNBUFFERED": "1"}
        )
        demo = subprocess.Popen(
            [ROOT / "bin" / "zax", "demo"], env=environment, stdout=subprocess.PIPE, text=True
        )
        try:
            assert demo.stdout
            if not any("Ctrl-C" in line for line in demo.stdout):
                print("the demo did not start")
                return 1
            driver = chromium()
            try:
                take_all(Camera(driver))
            finally:
                driver.quit()
        finally:
            demo.send_signal(signal.SIGINT)
            demo.wait(60)
    return 0


if __name__ == "__main__":
    sys.exit(main())
