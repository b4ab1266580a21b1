"""A real server with the demo, and Debian's Chromium to drive it."""

from __future__ import annotations

import json
import os
import re
import shutil
import subprocess
import sys
import time
from base64 import b64decode
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any, TypeVar

import httpx
import numpy as np
import pytest
from playwright.sync_api import (
    Browser,
    BrowserContext,
    Page,
    Playwright,
    expect,
    sync_playwright,
)
from websockets.sync.client import connect
from websockets.typing import Origin

ROOT = Path(__file__).parents[2]
FLAGS = [
    "--no-sandbox",
    "--disable-gpu",
    "--disable-quic",
    "--disable-background-networking",
    "--autoplay-policy=no-user-gesture-required",
]
# As text, since numbers are passed on one by one, which takes seconds.
CAPTURE = """
async () => {
  const samples = await window.caligo.player.capture();
  const url = await new Promise((done) => {
    const reader = new FileReader();
    reader.onload = () => done(reader.result);
    reader.readAsDataURL(new Blob([samples]));
  });
  return url.slice(url.indexOf(",") + 1);
}
"""
SOUNDING = """
() => Promise.race([
  window.caligo.player.sounding(),
  new Promise((_, fail) => setTimeout(() => fail(new Error("nothing sounds")), 20_000)),
])
"""
T = TypeVar("T")
SIZE = {"width": 1280, "height": 800}
SHORT, MINUTE = 15.0, 60.0
"""Lengths of what is opened, in seconds."""

# What is right on a quiet machine must not fail on a busy one; how quick it is, the bench tells.
expect.set_options(timeout=20_000)


class Server:
    """The studio in a process of its own, with its own data; can be killed and started again."""

    def __init__(self, data: Path) -> None:
        self.data = data
        self.url = ""
        self.drawn: set[float] = set()
        """Lengths of the first demo sound that have been drawn."""
        self._process: subprocess.Popen[str] | None = None

    def start(self, port: int | None = None) -> None:
        command = [sys.executable, "-m", "studio.serve", "--demo", "--rest"]
        if port:
            command += ["--port", str(port)]
        self._process = subprocess.Popen(
            command,
            cwd=ROOT,
            env=self.environment(),
            stdout=subprocess.PIPE,
            stderr=None,
            text=True,
        )
        assert self._process.stdout
        for line in self._process.stdout:
            found = re.search(r"http://\S+/", line)
            if found:
                self.url = found[0]
                break
        end = time.monotonic() + 20
        while time.monotonic() < end:
            try:
                httpx.get(self.url, timeout=2)
                return
            except httpx.TransportError:
                time.sleep(0.1)
        raise AssertionError("the server does not answer")

    def environment(self) -> dict[str, str]:
        """What the process is told of its data."""
        return os.environ | {
            "CALIGO_DATA": str(self.data),
            "CALIGO_MATERIAL": str(self.data / "material"),
        }

    @property
    def port(self) -> int:
        return int(self.url.rsplit(":", 1)[1].strip("/"))

    @property
    def process(self) -> int:
        """The number of its process."""
        assert self._process
        return self._process.pid

    def kill(self) -> None:
        """End the process at once, as a crash or a power cut would."""
        if self._process:
            self._process.kill()
            self._process.wait()


@pytest.fixture(scope="session")
def server(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Server]:
    """The server that most tests share."""
    made = Server(tmp_path_factory.mktemp("data"))
    made.start()
    yield made
    made.kill()


@pytest.fixture
def own_server(tmp_path: Path) -> Iterator[Server]:
    """A server that a test may kill."""
    made = Server(tmp_path / "data")
    made.data.mkdir()
    made.start()
    yield made
    made.kill()


def launched(playwright: Playwright) -> Browser:
    """Debian's Chromium, without a window."""
    chromium = shutil.which("chromium-headless-shell") or shutil.which("chromium")
    assert chromium, "Debian's Chromium is missing; run make test, which installs it"
    return playwright.chromium.launch(executable_path=chromium, args=FLAGS)


@pytest.fixture(scope="session")
def browser() -> Iterator[Browser]:
    with sync_playwright() as playwright:
        made = launched(playwright)
        yield made
        made.close()


@pytest.fixture(scope="session")
def context(browser: Browser) -> BrowserContext:
    """Where tests open their pages: scripts that it has compiled once it need not again."""
    return browser.new_context(viewport=SIZE, accept_downloads=True)


def dome_air(without: str = "") -> dict[str, Any]:
    """The first demo sound, from whose buses a kind of effect can be left out."""
    document: dict[str, Any] = json.loads((ROOT / "demo/sounds/dome_air.json").read_text())
    for bus in document["buses"]:
        bus["effects"] = [effect for effect in bus["effects"] if effect["kind"] != without]
    return document


def copied(server: Server, document: dict[str, Any], length: float | None = None) -> str:
    """The address of a sound of its own, in a cue that plays the demo's score.

    The score can be cut to a length in seconds.
    """
    score = json.loads((ROOT / "demo/scores/1m1.json").read_text())
    if length is not None:
        score["length"] = length
        score["notes"] = [note for note in score["notes"] if note["start"] < length]
        for note in score["notes"]:
            note["length"] = min(note["length"], length - note["start"])
    with httpx.Client(base_url=server.url) as client:
        client.get("/")
        headers = {"X-CSRFToken": client.cookies["csrftoken"], "Referer": server.url}
        made = client.post("/api/productions", json={"name": "Copies"}, headers=headers).json()
        cue = made["cues"][0]["id"]
        change = {"revision": 1, "patch": [{"op": "replace", "path": "", "value": score}]}
        client.patch(f"/api/cues/{cue}/score", json=change, headers=headers).raise_for_status()
        file = {"file": json.dumps(document).encode()}
        sound = client.post(f"/api/cues/{cue}/sounds/import", files=file, headers=headers)
        return f"{server.url}sounds/{sound.raise_for_status().json()['id']}"


def wait_until_drawn(server: Server, url: str) -> None:
    """Open a sound as a page does until it is drawn: a copy then shows its picture at once."""
    address = f"{server.url.replace('http', 'ws', 1)}ws/sounds/{url.rsplit('/', 1)[1]}"
    with connect(address, origin=Origin(server.url.rstrip("/")), max_size=None) as socket:
        for message in socket:
            if isinstance(message, str) and json.loads(message)["type"] == "summary":
                return


def drawn_copy(server: Server, length: float) -> str:
    """The address of a copy of the first demo sound that has been drawn.

    Nothing is rendered in the background beside what is tested, then.
    """
    if length not in server.drawn:
        wait_until_drawn(server, copied(server, dome_air(), length))
        server.drawn.add(length)
    return copied(server, dome_air(), length)


@pytest.fixture
def page(request: pytest.FixtureRequest, context: BrowserContext, server: Server) -> Iterator[Page]:
    """The first demo sound in a fresh page, which most tests need; fails on any error in it.

    It is as short as may be, since every edit has it drawn again; what is heard needs longer. A
    module whose tests need another has a fixture of its own.
    """
    length = MINUTE if request.node.get_closest_marker("hears") else SHORT
    yield from opened(context, drawn_copy(server, length))


@pytest.fixture
def minute_page(context: BrowserContext, server: Server) -> Iterator[Page]:
    """The same over a minute."""
    yield from opened(context, drawn_copy(server, MINUTE))


@pytest.fixture
def long_page(context: BrowserContext, server: Server) -> Iterator[Page]:
    """The same over four minutes, as in the demo."""
    yield from opened(context, copied(server, dome_air()))


@pytest.fixture
def page_without_chorus(context: BrowserContext, server: Server) -> Iterator[Page]:
    """The same over a few minutes, without what goes on changing when movement is held still."""
    yield from opened(context, copied(server, dome_air(without="chorus"), 150.0))


def open_all_stations(page: Page) -> None:
    """Show every strip of the chain; one station alone is open at first."""
    page.get_by_role("button", name="All stations").click()


def opened(context: BrowserContext, url: str) -> Iterator[Page]:
    """A page with a sound, and at its end nothing left of what it kept in the browser."""
    made = context.new_page()
    errors: list[str] = []
    made.on("pageerror", lambda e: errors.append(str(e)))
    made.goto(url)
    made.get_by_role("button", name="Listen").wait_for(timeout=20_000)
    made.get_by_role("list", name="Chain").wait_for()
    open_all_stations(made)
    yield made
    made.close()
    forgetting = context.new_page()
    origin = url[: url.index("/", 8)]
    kept = {"origin": origin, "storageTypes": "all"}
    context.new_cdp_session(forgetting).send("Storage.clearDataForOrigin", kept)
    forgetting.close()
    assert errors == []


def read_until(
    page: Page, read: Callable[[], T], wanted: Callable[[T], bool], seconds: float = 60.0
) -> T:
    """Read again and again until it is as wanted or the time is over; what was read last."""
    end = time.monotonic() + seconds
    found = read()
    while not wanted(found) and time.monotonic() < end:
        page.wait_for_timeout(200)
        found = read()
    return found


def captured(page: Page) -> np.ndarray:
    """The last samples that the audio worklet played ``[2, samples]``."""
    assert "PYTEST_XDIST_WORKER" not in os.environ, "what hears sound is marked so, to run alone"
    return np.frombuffer(b64decode(page.evaluate(CAPTURE)), np.float32).reshape(-1, 2).T


def listened(page: Page, seconds: float = 1.2) -> np.ndarray:
    """Start to listen, and return what the worklet played."""
    page.get_by_role("button", name="Listen", exact=True).click()
    page.get_by_role("button", name="Stop", exact=True).wait_for()
    page.evaluate(SOUNDING)
    page.wait_for_timeout(int(seconds * 1000))
    return captured(page)


def underruns(page: Page) -> int:
    """How often what plays ran dry."""
    found: int = page.evaluate("window.caligo.player.underruns")
    return found


def heard_until(page: Page, wanted: Callable[[np.ndarray], bool]) -> np.ndarray:
    """What is played, once it is as wanted ``[2, samples]``; the last of it if it never is."""
    return read_until(page, lambda: captured(page), wanted)
