"""How smoothly values are dragged on a sound of eight layers: ``make bench-screen``.

Prints the frames a second and the longest frame while a cutoff and a depth are dragged, in
headless Chromium without a graphics processor. A figure, not a test: machines differ.
"""

from __future__ import annotations

import json
import tempfile
from pathlib import Path

import httpx
from playwright.sync_api import Browser, Locator, Page, sync_playwright

from tests.browser.conftest import ROOT, SIZE, Server, launched

WATCH = """
([row, x, y, sideways, upwards]) => {
  window.frames_ = []; window.drawn_ = 0; let last = performance.now(); let before = "";
  window.watching_ = true;
  const under = document.elementFromPoint(x, y);
  const next = (now) => { window.frames_.push(now - last); last = now;
    // Playwright's own moves come at some twenty a second; here is one for each frame.
    const turn = Math.sin(window.frames_.length / 25);
    under.dispatchEvent(new PointerEvent("pointermove", { bubbles: true, pointerId: 1, buttons: 1,
      isPrimary: true, clientX: x + turn * sideways, clientY: y + turn * upwards }));
    const path = document.querySelector(row)?.getAttribute("d") ?? "";
    if (path !== before) window.drawn_++;
    before = path;
    if (window.watching_) requestAnimationFrame(next); };
  requestAnimationFrame(next); }
"""
ROW = "[data-path='layer0.source.position']"


def eight_layers(server: Server) -> str:
    """The address of Dome Air with its layer eight times."""
    document = json.loads((ROOT / "demo/sounds/dome_air.json").read_text())
    first = document["layers"][0]
    document["layers"] = [first | {"id": f"layer{n}", "name": f"Layer {n}"} for n in range(8)]
    for movers in (document["routes"], document["lanes"]):
        own = [mover for mover in movers if mover["to"].startswith("ground.")]
        movers[:] = [mover for mover in movers if mover not in own] + [
            mover | {"id": f"{mover['id']}x{n}", "to": mover["to"].replace("ground.", f"layer{n}.")}
            for mover in own
            for n in range(8)
        ]
    with httpx.Client(base_url=server.url) as client:
        client.get("/")
        headers = {"X-CSRFToken": client.cookies["csrftoken"], "Referer": server.url}
        cue = client.get("/api/productions").json()[0]["cues"][0]["id"]
        file = {"file": json.dumps(document).encode()}
        made = client.post(f"/api/cues/{cue}/sounds/import", files=file, headers=headers).json()
        assert "id" in made, made
    return f"{server.url}sounds/{made['id']}"


def drag(page: Page, handle: Locator, way: tuple[int, int]) -> list[float]:
    """Drag to and fro and return how long each frame took, in milliseconds."""
    handle.scroll_into_view_if_needed(timeout=60_000)
    page.wait_for_timeout(5_000)
    box = handle.bounding_box()
    assert box
    x, y = box["x"] + min(40, box["width"] / 2), box["y"] + box["height"] / 2
    page.mouse.move(x, y)
    page.mouse.down()
    page.evaluate(WATCH, [ROW, x, y, *way])
    page.wait_for_timeout(10_000)
    frames: list[float] = page.evaluate(
        "() => { window.watching_ = false; return window.frames_; }"
    )
    page.mouse.up()
    return frames


def tell(what: str, frames: list[float]) -> None:
    """Print how smooth it was."""
    rate = 1000.0 * len(frames) / sum(frames)
    over = sum(frame > 50 for frame in frames)
    print(
        f"{what}: {len(frames)} frames, {rate:.0f} a second; "
        f"longest {max(frames):.0f} ms; {over} over 50 ms"
    )


def main() -> None:
    """Drag for some seconds and print what it was like."""
    with tempfile.TemporaryDirectory() as folder, sync_playwright() as playwright:
        server = Server(Path(folder))
        server.start()
        try:
            watch(launched(playwright), eight_layers(server))
        finally:
            server.kill()


def watch(browser: Browser, url: str) -> None:
    """Drag a cutoff, and a depth whose row is drawn meanwhile."""
    page = browser.new_page(viewport=SIZE)
    page.goto(url)
    page.wait_for_timeout(20_000)
    page.get_by_role("button", name="All stations").click()
    strip = page.locator("[data-address='layer0.filter1.cutoff']")
    tell("a cutoff", drag(page, strip, (0, 60)))
    page.get_by_role("button", name="Modulator: Slow swell").click()
    page.locator("summary").filter(has_text="Position").first.click()
    depth = page.locator("[data-route='layer0.source.position'] label").filter(has_text="Depth")
    tell("a depth", drag(page, depth, (0, 60)))
    print(f"its row was drawn {page.evaluate('window.drawn_')} times meanwhile")
    browser.close()


if __name__ == "__main__":
    main()
