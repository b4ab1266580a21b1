"""How smoothly a strip is dragged on a sound of eight layers: ``make bench-screen``.

Prints the frames a second and the longest frame while a cutoff is dragged up and down, in
headless Chromium without a graphics processor. A figure, not a test: machines differ.
"""

from __future__ import annotations

import json
import shutil
import tempfile
from pathlib import Path

import httpx
from playwright.sync_api import sync_playwright

from tests.browser.conftest import FLAGS, ROOT, SIZE, Server

WATCH = """
() => { window.frames_ = []; let last = performance.now(); window.watching_ = true;
  const next = (now) => { window.frames_.push(now - last); last = now;
    if (window.watching_) requestAnimationFrame(next); };
  requestAnimationFrame(next); }
"""


def eight_layers(server: Server) -> str:
    """The address of Dome Air with its layer eight times."""
    document = json.loads((ROOT / "demo/sounds/dome_air.json").read_text())
    first = document["layers"][0]
    document["layers"] = [first | {"id": f"layer{n}", "name": f"Layer {n}"} for n in range(8)]
    document["routes"] = [
        route | {"id": f"{route['id']}x{n}", "to": route["to"].replace("ground.", f"layer{n}.")}
        for route in document["routes"]
        for n in range(8)
    ]
    with httpx.Client(base_url=server.url) as client:
        client.get("/")
        headers = {"X-CSRFToken": client.cookies["csrftoken"], "Referer": server.url}
        cue = client.get("/api/productions").json()[0]["cues"][0]["id"]
        file = {"file": json.dumps(document).encode()}
        made = client.post(f"/api/cues/{cue}/sounds/import", files=file, headers=headers).json()
    return f"{server.url}sounds/{made['id']}"


def main() -> None:
    """Drag for some seconds and print what it was like."""
    with tempfile.TemporaryDirectory() as folder, sync_playwright() as playwright:
        server = Server(Path(folder))
        server.start()
        chromium = shutil.which("chromium")
        browser = playwright.chromium.launch(executable_path=chromium, args=FLAGS)
        page = browser.new_page(viewport=SIZE)
        page.goto(eight_layers(server))
        strip = page.locator("[data-address='layer0.filter1.cutoff']")
        strip.scroll_into_view_if_needed(timeout=60_000)
        page.wait_for_timeout(5_000)
        box = strip.bounding_box()
        assert box
        x, y = box["x"] + 40, box["y"] + 20
        page.mouse.move(x, y)
        page.mouse.down()
        page.evaluate(WATCH)
        for turn in range(6):
            page.mouse.move(x, y + (60 if turn % 2 else -60), steps=40)
        frames = page.evaluate("() => { window.watching_ = false; return window.frames_; }")
        page.mouse.up()
        browser.close()
        server.kill()
    late = sorted(frames)[-5:]
    rate = 1000.0 * len(frames) / sum(frames)
    over = sum(frame > 50 for frame in frames)
    print(
        f"{len(frames)} frames, {rate:.0f} a second; longest {late[-1]:.0f} ms; {over} over 50 ms"
    )


if __name__ == "__main__":
    main()
