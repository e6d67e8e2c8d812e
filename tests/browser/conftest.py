"""Headless Chromium in front of a real server, a worker and the stand-in."""

import re
import socket
import time
from collections.abc import Iterator
from pathlib import Path

import httpx
import pytest
from selenium import webdriver
from selenium.common.exceptions import StaleElementReferenceException
from selenium.webdriver.chrome.service import Service
from selenium.webdriver.common.by import By
from selenium.webdriver.support.ui import WebDriverWait

from graupel.context import Context
from graupel.core.roles import Role
from tests import forks
from tests.conftest import PASSWORD, person

AXE = (Path(__file__).parent.parent / "vendor" / "axe.js").read_text()
FLAGS = [
    "--headless=new",
    "--no-sandbox",
    "--disable-gpu",
    "--disable-dev-shm-usage",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
    "--no-first-run",
    "--hide-scrollbars",
]

#: The elements that may hold a text, whatever its spaces and case. What of each is shown, the driver is asked: that
#: takes some hundredths of a second, and a page has hundreds.
LIKELY = """
    const bare = text => text.replace(/\\s+/g, '').toLowerCase();
    const wanted = bare(arguments[1]);
    return [...document.querySelectorAll(arguments[0])].filter(
        one => [one.textContent, `${one.value ?? ''}`].some(text => bare(text).includes(wanted)));
"""


def pytest_collection_modifyitems(items):
    for item in items:
        if "tests/browser" in str(item.path):
            item.add_marker(pytest.mark.browser)


@pytest.fixture(scope="session")
def chromium() -> Iterator[webdriver.Chrome]:
    options = webdriver.ChromeOptions()
    for flag in FLAGS:
        options.add_argument(flag)
    options.set_capability("goog:loggingPrefs", {"browser": "ALL"})
    driver = webdriver.Chrome(options=options, service=Service("/usr/bin/chromedriver"))
    driver.set_script_timeout(120)  # a busy machine takes its time over axe
    yield driver
    driver.quit()


@pytest.fixture
def site(ctx: Context, tmp_path: Path) -> Iterator[str]:
    """The address of a running Graupel: web server and worker, each in its own process."""
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        port = probe.getsockname()[1]
    address = f"http://127.0.0.1:{port}"
    env = {
        "GRAUPEL_DATABASE_URL": ctx.settings.database_url,
        "GRAUPEL_DATA_FOLDER": str(tmp_path),
        "GRAUPEL_ADDRESS": address,
        "GRAUPEL_LOG_LEVEL": "ERROR",
        "GRAUPEL_TILL_ADDRESS": ctx.settings.till_address,
        "GRAUPEL_TILL_KEY": ctx.settings.till_key,
    }
    commands = (["serve", "--port", str(port)], ["worker"])
    running = [forks.start(env, command) for command in commands]
    try:
        wait_until(lambda: _answers(f"{address}/healthz"), 120)
        yield address
    finally:
        for process in running:
            process.terminate()
        for process in running:
            process.join(20)


def _answers(address: str) -> bool:
    try:
        return httpx.get(address, trust_env=False).is_success
    except httpx.HTTPError:
        return False


def wait_until(condition, seconds: float = 45):
    """What the condition gives, as soon as that is true."""
    deadline = time.monotonic() + seconds
    while True:
        found = condition()
        if found:
            return found
        assert time.monotonic() < deadline, "waited in vain"
        time.sleep(0.03)


class Person:
    """Somebody at the screen: reads, clicks, types."""

    def __init__(self, driver: webdriver.Chrome, address: str) -> None:
        self.driver, self.address = driver, address
        self.size(1280, 800)

    def size(self, width: int, height: int) -> None:
        self.driver.execute_cdp_cmd(
            "Emulation.setDeviceMetricsOverride",
            {"width": width, "height": height, "deviceScaleFactor": 1, "mobile": False},
        )

    def open(self, path: str) -> None:
        self.driver.get(self.address + path)

    def sees(self, css: str, text: str = ""):
        """Waits until an element is shown that holds the text; returns it."""

        def look(driver):
            for element in driver.execute_script(LIKELY, css, text):
                if element.is_displayed() and text in (element.text or element.get_attribute("value") or ""):
                    return element
            return False

        return WebDriverWait(self.driver, 45, 0.03, [Exception]).until(look, f"{css} with “{text}”")

    def gone(self, css: str) -> None:
        WebDriverWait(self.driver, 45, 0.03, [StaleElementReferenceException]).until(
            lambda d: not any(e.is_displayed() for e in d.find_elements(By.CSS_SELECTOR, css)), f"{css} to go"
        )

    def press(self, label: str):
        """Presses the button or link with these words."""

        def look(driver):
            for element in driver.find_elements(By.CSS_SELECTOR, "a, button, summary, label"):
                if element.is_displayed() and element.text.split("\n")[0].strip().startswith(label):
                    return element
            return False

        element = WebDriverWait(self.driver, 45, 0.03, [Exception]).until(look, f"“{label}” to press")
        self.driver.execute_script("arguments[0].scrollIntoView({block: 'center'})", element)
        element.click()

    def go(self, section: str, page: str) -> None:
        """Goes to a page by the top bar and the strip below it."""
        self.press(section)
        self.sees(".sections [aria-current]", section)
        self.sees(".strip nav")
        self.driver.find_element(By.XPATH, f"//section[@class='strip']/nav/a[text()='{page}']").click()
        self.sees(".strip [aria-current]", page)

    def fill(self, css: str, text: str) -> None:
        field = self.sees(css)
        field.clear()
        field.send_keys(text)

    def sign_in(self, role: Role, password: str = PASSWORD) -> None:
        self.driver.delete_all_cookies()
        self.open("/sign-in?next=/products")
        self.fill("#email", f"{role}@skeinwright.example")
        self.fill("#password", password)
        self.press("Sign in")

    def axe(self) -> None:
        """axe-core finds nothing on this page."""
        self.driver.execute_script(AXE)
        found = self.driver.execute_async_script(
            "axe.run(document, {resultTypes: ['violations']}).then(r => arguments[0](r.violations.map("
            "v => v.id + ': ' + v.nodes.map(n => n.html).join(' | '))))"
        )
        assert found == [], f"{self.driver.current_url}: {found}"

    def no_complaints(self) -> None:
        """The browser's console has nothing to say against our pages: no script fault, no broken policy."""
        serious = [
            entry["message"]
            for entry in self.driver.get_log("browser")
            if entry["level"] == "SEVERE"
            and "htmx:afterRequest" not in entry["message"]  # an answer that a newer request made needless
            and "htmx:sendAbort" not in entry["message"]
            and not re.search(r"(status of|Status Error Code) (401|403|404|409|422)", entry["message"])
        ]
        assert serious == []


@pytest.fixture
def at_screen(chromium: webdriver.Chrome, site: str, ctx: Context) -> Iterator[Person]:
    """An editor at the screen, signed in."""
    person(ctx, Role.EDITOR)
    somebody = Person(chromium, site)
    somebody.sign_in(Role.EDITOR)
    somebody.sees(".list-head h1")
    yield somebody
    somebody.no_complaints()
    chromium.get("about:blank")
