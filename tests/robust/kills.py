"""A studio that is killed at random moments, and one whose disk fills.

    python -m tests.robust.kills [kills] [kills within the first start] [times the disk fills]

Nothing that was acknowledged may be lost, every start must succeed, and a full disk must be named
and forgiven once there is room. Filling a disk needs the right to mount one; without it that part
is left out, and said so.
"""

from __future__ import annotations

import contextlib
import io
import random
import shutil
import subprocess
import sys
import tempfile
import threading
import time
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import httpx
import numpy as np
import soundfile

from tests.browser.conftest import Server

DISK_MB = 64
"""Megabytes of the disk that is filled."""


class Page:
    """A page at work: edits one after the other, with uploads and exports between."""

    def __init__(self, server: Server) -> None:
        self.client = httpx.Client(base_url=server.url, timeout=30)
        self.client.get("/")
        self.headers = {"X-CSRFToken": self.client.cookies["csrftoken"], "Referer": server.url}
        productions = self.client.get("/api/productions").json()
        self.sound = productions[0]["cues"][0]["sounds"][0]["id"]

    def opened(self) -> dict[str, Any]:
        """The sound as it is kept."""
        found: dict[str, Any] = self.client.get(f"/api/sounds/{self.sound}").json()
        return found

    def rename(self, name: str) -> httpx.Response:
        """One edit."""
        patch = [{"op": "replace", "path": "/name", "value": name}]
        body = {"revision": self.opened()["revision"], "patch": patch}
        return self.client.patch(f"/api/sounds/{self.sound}", json=body, headers=self.headers)

    def export(self, seconds: float = 30.0) -> httpx.Response:
        """Begin an export."""
        path = f"/api/sounds/{self.sound}/renders"
        return self.client.post(path, json={"end": seconds}, headers=self.headers)

    def upload(self, seed: int, seconds: int = 2) -> httpx.Response:
        """Take in a recording."""
        noise = np.random.default_rng(seed).uniform(-0.1, 0.1, (seconds * 48_000, 2))
        out = io.BytesIO()
        soundfile.write(out, noise, 48_000, format="WAV", subtype="PCM_16")
        files = {"file": ("a.wav", out.getvalue())}
        return self.client.post("/api/material", files=files, headers=self.headers)

    def renders(self) -> list[dict[str, Any]]:
        """The sound's exports."""
        found: list[dict[str, Any]] = self.client.get(f"/api/sounds/{self.sound}/renders").json()
        return found


def under_load(server: Server, seconds: float, first: int) -> tuple[int, set[str]]:
    """Work until the server is killed: the last number acknowledged, and keys of recordings."""
    page = Page(server)
    threading.Timer(seconds, server.kill).start()
    number, keys = first, set()
    with contextlib.suppress(httpx.HTTPError, ValueError, KeyError):
        while True:
            answer = page.rename(str(number + 1))
            if answer.status_code == 200:
                number += 1
            if number % 5 == 1:
                page.export()
            if number % 7 == 2:
                taken = page.upload(number)
                if taken.status_code == 201:
                    keys.add(taken.json()["card"]["key"])
    return number, keys


def kill_under_load(times: int) -> list[str]:
    """Complaints of so many kills."""
    r, wrong = random.Random(1), []
    with tempfile.TemporaryDirectory() as folder:
        server = Server(Path(folder))
        number, keys = 0, set[str]()
        for turn in range(times):
            server.start()
            number, more = under_load(server, r.uniform(0.05, 2.0), number)
            keys |= more
            server.start()
            page = Page(server)
            kept = page.opened()["document"]["name"]
            # The edit that was on its way may have been saved without the answer being heard.
            if kept not in (str(number), str(number + 1)) and number:
                wrong.append(f"kill {turn}: {number} was acknowledged, {kept} is there")
            number = int(kept) if kept.isdigit() else number
            there = {piece["card"]["key"] for piece in page.client.get("/api/material").json()}
            if keys - there:
                wrong.append(f"kill {turn}: {len(keys - there)} recordings are gone")
            if any(render["state"] in ("waiting", "running") for render in page.renders()):
                wrong.append(f"kill {turn}: a render is still said to run")
            server.kill()
    print(f"{times} kills under load: {number} edits acknowledged, {len(keys)} recordings")
    return wrong


def kill_first_starts(times: int) -> list[str]:
    """Complaints of kills within the first start of a new installation."""
    r, wrong = random.Random(2), []
    for turn in range(times):
        with tempfile.TemporaryDirectory() as folder:
            command = [sys.executable, "-m", "studio.serve", "--demo"]
            begun = subprocess.Popen(
                command, env=Server(Path(folder)).environment(), stdout=subprocess.DEVNULL
            )
            time.sleep(r.uniform(0.2, 4.0))
            begun.kill()
            begun.wait()
            server = Server(Path(folder))
            try:
                server.start()
                if Page(server).rename("after").status_code != 200:
                    wrong.append(f"first start {turn}: an edit is not saved afterwards")
            except (AssertionError, httpx.HTTPError, IndexError) as error:
                wrong.append(f"first start {turn}: {error!r}")
            finally:
                server.kill()
    print(f"{times} kills within the first start")
    return wrong


@contextlib.contextmanager
def small_disk() -> Iterator[Path | None]:
    """A disk of `DISK_MB` of its own, or none where that may not be made."""
    with tempfile.TemporaryDirectory() as folder:
        mount = ["mount", "-t", "tmpfs", "-o", f"size={DISK_MB}m", "tmpfs", folder]
        try:
            subprocess.run(mount, check=True, capture_output=True)
        except (OSError, subprocess.CalledProcessError):
            yield None
            return
        try:
            yield Path(folder)
        finally:
            subprocess.run(["umount", "-l", folder], check=True)


def fill(disk: Path, left: int) -> Path:
    """Fill a disk but for some bytes."""
    filler = disk / "filler"
    with filler.open("ab") as file, contextlib.suppress(OSError):
        while (free := _free(disk)) > left:
            file.write(bytes(min(1 << 20, free - left)))
            file.flush()
    return filler


def _free(disk: Path) -> int:
    return shutil.disk_usage(disk).free


def fill_the_disk(times: int) -> list[str]:
    """Complaints of work on a disk that fills."""
    r, wrong = random.Random(3), []
    with small_disk() as disk:
        if disk is None:
            print("a disk cannot be mounted here, so none was filled")
            return []
        server = Server(disk / "data")
        server.data.mkdir()
        server.start()
        page = Page(server)
        page.rename("0")
        for turn in range(times):
            kept = page.opened()["document"]["name"]
            time.sleep(r.uniform(0.0, 0.5))
            page.export(60.0)
            filler = fill(disk, r.choice([0, 2_000, 30_000, 300_000]))
            for what, answer in (
                ("edit", page.rename(f"{turn + 1}")),
                ("version", page.client.post(
                    f"/api/sounds/{page.sound}/versions", json={}, headers=page.headers)),
                ("upload", page.upload(turn, 20)),
            ):  # fmt: skip
                if answer.status_code < 300:
                    kept = f"{turn + 1}" if what == "edit" else kept
                elif answer.status_code == 500 or "full" not in answer.text.lower():
                    wrong.append(
                        f"full disk {turn}: {what}: {answer.status_code} {answer.text:.120}"
                    )
            filler.unlink()
            there = page.opened()["document"]["name"]
            if there != kept:
                wrong.append(f"full disk {turn}: {kept} was acknowledged, {there} is there")
            if page.rename(f"{turn + 1}").status_code != 200:
                wrong.append(f"full disk {turn}: no edit is saved though there is room again")
            until = time.monotonic() + 60
            while any(x["state"] in ("waiting", "running") for x in page.renders()):
                if time.monotonic() > until:
                    wrong.append(f"full disk {turn}: an export never ends")
                    break
                time.sleep(0.3)
            for render in (disk / "data" / "renders").glob("*"):
                render.unlink(missing_ok=True)
        server.kill()
    print(f"a disk filled at {times} moments")
    return wrong


def main() -> None:
    """Print the tally."""
    given = sys.argv[1:4]
    kills, starts, fills = (int(x) for x in [*given, *["100", "30", "20"][len(given) :]])
    wrong = kill_under_load(kills) + kill_first_starts(starts) + fill_the_disk(fills)
    print("\n".join(wrong) or "nothing acknowledged was lost, every start succeeded")
    raise SystemExit(1 if wrong else 0)


if __name__ == "__main__":
    main()
