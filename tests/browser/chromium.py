"""The browser of the walks: Chromium that looks again where a page redrew itself, started seldom and as
good as new for each walk.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from selenium import webdriver
from selenium.common.exceptions import StaleElementReferenceException, WebDriverException
from selenium.webdriver.remote.command import Command
from selenium.webdriver.remote.webelement import WebElement

from zax.demo import headless

FINDS = {
    Command.FIND_ELEMENT,
    Command.FIND_ELEMENTS,
    Command.FIND_CHILD_ELEMENT,
    Command.FIND_CHILD_ELEMENTS,
}
Look = Callable[[], list[WebElement]]


class Chromium(webdriver.Chrome):
    """Chromium for pages that redraw themselves: an element that a live redraw replaced between two looks of
    a walk is looked up again the way it was found, as a person's eye would.
    """

    looks: dict[str, Look]

    def start_session(self, capabilities: Any) -> None:
        self.looks = {}
        super().start_session(capabilities)

    def execute(self, driver_command: str, params: Any = None) -> Any:
        answer = self._executed(driver_command, params)
        if driver_command in FINDS:
            for place, each in enumerate(_elements(answer)):
                self.looks[each.id] = lambda place=place: _elements(self._executed(driver_command, params))[
                    place:
                ]
        return answer

    def _executed(self, command: str, params: Any) -> Any:
        try:
            return super().execute(command, params)
        except StaleElementReferenceException:
            renewed = self._renewed(params)
            if renewed == params:
                raise
            return super().execute(command, renewed)
        except WebDriverException as error:
            # How an element is called stale whose page goes away at this very moment.
            if "does not belong to the document" in str(error.msg):
                raise StaleElementReferenceException(error.msg) from error
            raise

    def _renewed(self, part: Any) -> Any:
        if isinstance(part, dict):
            return {name: self._renewed(each) for name, each in part.items()}
        if isinstance(part, list):
            return [self._renewed(each) for each in part]
        look = self.looks.get(part.id if isinstance(part, WebElement) else str(part))
        found = look() if look else []
        if not look or not found:
            return part
        self.looks[found[0].id] = look
        return found[0] if isinstance(part, WebElement) else found[0].id


def _elements(answer: Any) -> list[WebElement]:
    value = answer["value"]
    return value if isinstance(value, list) else [value]


def chromium() -> Chromium:
    options = headless.options()
    options.set_capability("goog:loggingPrefs", {"browser": "ALL"})
    driver = Chromium(options=options, service=headless.service())
    plain(driver)
    return driver


def plain(driver: Chromium) -> None:
    """A window as most desks have it, and the one that is looked at: a window in the background gets neither
    focus nor what a live screen brings.
    """
    driver.execute_cdp_cmd("Emulation.setFocusEmulationEnabled", {"enabled": True})
    driver.execute_cdp_cmd(
        "Emulation.setDeviceMetricsOverride",
        {"width": 1280, "height": 800, "deviceScaleFactor": 1, "mobile": False},
    )


def as_new(driver: Chromium, url: str) -> None:
    """A browser that somebody used, as one that nobody did: a window of its own, in which nothing of the
    last one's emulation or session is left, and neither cookies nor anything kept for our address.
    """
    used = driver.window_handles
    driver.switch_to.new_window("window")
    fresh = driver.current_window_handle
    for handle in used:
        driver.switch_to.window(handle)
        driver.close()
    driver.switch_to.window(fresh)
    driver.looks = {}
    driver.execute_cdp_cmd("Network.clearBrowserCookies", {})
    driver.execute_cdp_cmd("Storage.clearDataForOrigin", {"origin": url, "storageTypes": "all"})
    plain(driver)
