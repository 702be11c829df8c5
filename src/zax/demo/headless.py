"""How Debian's headless Chromium is started, for benches, pictures and walks alike: at 1280x800, one point a
pixel, asking nothing of any network but ours.
"""

from __future__ import annotations

from selenium import webdriver


def options() -> webdriver.ChromeOptions:
    """A caller may add to them."""
    found = webdriver.ChromeOptions()
    found.binary_location = "/usr/bin/chromium"
    for argument in (
        "--headless=new",
        "--no-sandbox",
        "--disable-gpu",
        "--disable-dev-shm-usage",
        "--no-first-run",
        "--disable-background-networking",
        "--disable-component-update",
        "--disable-sync",
        "--window-size=1280,800",
        "--force-device-scale-factor=1",
    ):
        found.add_argument(argument)
    return found


def service() -> webdriver.ChromeService:
    return webdriver.ChromeService("/usr/bin/chromedriver")
