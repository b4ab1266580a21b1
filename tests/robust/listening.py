"""Whether listening ever runs dry, with a client that reads in real time.

    python -m tests.robust.listening [seconds each] [sound] [part of a case's name]

Alone, while another page draws, while it is edited every two seconds, while it loops, while
exports run, while recordings are taken in, and while the studio is stopped for 1.2 s in every ten.
How long an edit and a key take until they are heard is told too, and the greatest step of what is
heard (its third difference), which a click would raise. A client plays what it is sent at the rate
of a sound card, from the moment that it has what a browser buffers, and counts when it has nothing.
Where this is a virtual machine whose host gave its processors to others just then (steal time,
proc(5)), that is said: nobody can play while he is not there.
"""

from __future__ import annotations

import asyncio
import contextlib
import json
import os
import signal
import struct
import subprocess
import sys
import tempfile
import time
from collections import deque
from collections.abc import AsyncIterator, Awaitable, Callable
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import httpx
import numpy as np
import soundfile
import websockets
from numpy.typing import NDArray

from studio.live.packets import AUDIO
from tests.browser.conftest import Server
from tests.robust.ring import FIRST, Ring

RATE = 48_000
STEP = 0.02
"""Seconds between the client's reports of what it has played."""
FROM = 20.0
"""Seconds from which it is listened to."""
LATELY = 0.4
"""Seconds before it ran dry in which the machine may have been away."""
MUCH = 40.0
"""Milliseconds that were taken from it then, of all its processors, that explain it."""
SOUND = "Gelatin Choir"
UPLOAD = """
import sys, httpx
name, url, token = sys.argv[1:]
headers = {"X-CSRFToken": token, "Referer": url, "Cookie": "csrftoken=" + token}
with open(name, "rb") as file:
    answer = httpx.post(url + "api/material", files={"file": file}, headers=headers, timeout=60)
print(answer.text)
"""


@dataclass
class Heard:
    """What a client has received and played, in frames, and how often it ran dry."""

    stream: int = 0
    ring: Ring = field(default_factory=Ring)
    delays: list[float] = field(default_factory=list)
    """Milliseconds from each change until it was heard."""
    dry: int = 0
    robbed: int = 0
    """How often of these the machine's processors had been given to others."""
    least: float = 1e9
    """The least that was left to play once it was going, in milliseconds."""

    @property
    def step(self) -> float:
        """The greatest third difference of what was played, in dB of full scale."""
        heard = self.ring.heard[RATE : self.ring.played]
        pieces = (np.abs(np.diff(one, 3, axis=0)).max() for one in np.array_split(heard, 64))
        return float(20.0 * np.log10(max(pieces) + 1e-9))


def stolen() -> float:
    """Milliseconds for which others had this machine's processors, since it started."""
    with contextlib.suppress(OSError, IndexError):
        fields = Path("/proc/stat").read_text().split("\n", 1)[0].split()
        return 1e3 * int(fields[8]) / os.sysconf("SC_CLK_TCK")
    return 0.0


def first_moved(samples: NDArray[np.float32], frame: int) -> int | None:
    """Frames after `frame` until the level has moved by 6 dB and more; None if it does not."""
    size = 240
    levels = [
        float(np.abs(samples[at : at + size]).max()) + 1e-6
        for at in range(max(0, frame - 20 * size), len(samples) - size, size)
    ]
    before = float(np.median(levels[:20]))
    for i, level in enumerate(levels[20:]):
        if not 0.5 < level / before < 2.0:
            return i * size
    return None


def said_of(delays: list[float]) -> str:
    """What a line tells of the changes that were heard."""
    if not delays:
        return ""
    middle, late = np.percentile(delays, [50, 95])
    return f"; {len(delays)} changes heard after {middle:.0f} ms, {late:.0f} ms at the 95th of 100"


class Player:
    """A browser's end of the stage that plays in real time."""

    def __init__(self, url: str, origin: str) -> None:
        self.heard = Heard()
        self.socket: Any = None
        self._url, self._origin = url, origin

    async def play(self, seconds: float, loop: list[float] | None) -> Heard:
        """Listen for a while."""
        heard = self.heard
        async with websockets.connect(self._url, origin=self._origin, max_size=None) as socket:
            await socket.send(json.dumps({"type": "listen", "from": FROM, "loop": loop}))
            reading = asyncio.create_task(self._read(socket))
            self.socket = socket
            while heard.ring.received < FIRST:
                await asyncio.sleep(0.005)
            began, told = time.perf_counter(), 0
            empty = False
            lately = deque([stolen()], maxlen=round(LATELY / STEP))
            while (now := time.perf_counter() - began) < seconds:
                await asyncio.sleep(STEP)
                lately.append(stolen())
                missing = heard.ring.play(round(now * RATE) - told)
                told = round(now * RATE)
                if missing and not empty:
                    heard.dry += 1
                    heard.robbed += lately[-1] - lately[0] >= MUCH
                if reading.done():
                    raise RuntimeError(f"listening ended after {now:.0f} s")
                empty = missing > 0
                if now > 1.0:
                    heard.least = min(heard.least, 1e3 * heard.ring.left / RATE)
                report = {"type": "heard", "stream": heard.stream, "frames": heard.ring.played}
                await socket.send(json.dumps(report))
            reading.cancel()
        return heard

    async def _read(self, socket: Any) -> None:
        async for data in socket:
            if isinstance(data, bytes):
                kind, length = struct.unpack("<II", data[:8])
                if kind == AUDIO:
                    header = json.loads(data[8 : 8 + length])
                    self.heard.stream = header["stream"]
                    samples = np.frombuffer(data[8 + length :], "<f4").reshape(-1, 2)
                    self.heard.ring.take(header, samples)
            elif json.loads(data)["type"] == "stopped":
                return


class Studio:
    """The running studio, and what else may be asked of it."""

    def __init__(self, server: Server) -> None:
        self.url = server.url
        self.process = server.process
        self.client = httpx.AsyncClient(base_url=server.url, timeout=60)
        self.headers: dict[str, str] = {}
        self.sounds: dict[str, int] = {}
        self.cues: dict[str, int] = {}

    async def enter(self) -> None:
        """Fetch the page's token and the sounds."""
        await self.client.get("/")
        self.headers = {"X-CSRFToken": self.client.cookies["csrftoken"], "Referer": self.url}
        productions = (await self.client.get("/api/productions")).json()
        for cue in productions[0]["cues"]:
            self.sounds |= {sound["name"]: sound["id"] for sound in cue["sounds"]}
            self.cues |= {sound["name"]: cue["id"] for sound in cue["sounds"]}

    def player(self, name: str) -> Player:
        """A client that listens to a sound."""
        ws = self.url.replace("http", "ws", 1)
        return Player(f"{ws}ws/sounds/{self.sounds[name]}", self.url.rstrip("/"))

    async def stretch(self, name: str, seconds: float) -> None:
        """Make a sound's cue last longer than it is listened to: its notes are held for longer."""
        opened = (await self.client.get(f"/api/sounds/{self.sounds[name]}")).json()
        score = opened["score"]
        times = max(1.0, (seconds + FROM + 30.0) / score["length"])
        patch = [{"op": "replace", "path": "/length", "value": score["length"] * times}]
        for i, note in enumerate(score["notes"]):
            for key in ("start", "length"):
                value = note[key] * times
                patch.append({"op": "replace", "path": f"/notes/{i}/{key}", "value": value})
        body = {"revision": opened["score_revision"], "patch": patch}
        path = f"/api/cues/{self.cues[name]}/score"
        (await self.client.patch(path, json=body, headers=self.headers)).raise_for_status()

    async def draw(self, name: str, _: Player) -> None:
        """Another page on another sound, which is drawn again and again."""
        ws = self.url.replace("http", "ws", 1)
        number = self.sounds[next(other for other in self.sounds if other != name)]
        while True:
            url = f"{ws}ws/sounds/{number}"
            async with websockets.connect(
                url, origin=self.url.rstrip("/"), max_size=None
            ) as socket:
                async for data in socket:
                    if isinstance(data, str) and json.loads(data)["type"] == "summary":
                        break

    async def fade(self, name: str, player: Player) -> None:
        """The master's fader down and up in turn; how long each takes to be heard."""
        path, heard = f"/api/sounds/{self.sounds[name]}", player.heard
        for turn in range(10**6):
            await asyncio.sleep(2.3)
            opened = (await self.client.get(path)).json()
            level = -40.0 if turn % 2 == 0 else 0.0
            patch = [{"op": "replace", "path": "/master/params/level", "value": level}]
            body = {"revision": opened["revision"], "patch": patch}
            began, frame = time.perf_counter(), heard.ring.played
            (await self.client.patch(path, json=body, headers=self.headers)).raise_for_status()
            await asyncio.sleep(1.0)
            moved = first_moved(heard.ring.heard[: heard.ring.played], frame)
            if moved is not None and time.perf_counter() - began < 1.6:
                heard.delays.append(1e3 * moved / RATE)

    async def play_keys(self, name: str, player: Player) -> None:
        """Keys after silence; how long each takes to be heard."""
        path = f"/api/cues/{self.cues[name]}/score"
        opened = (await self.client.get(f"/api/sounds/{self.sounds[name]}")).json()
        patch = [{"op": "replace", "path": "/notes", "value": []}]
        body = {"revision": opened["score_revision"], "patch": patch}
        (await self.client.patch(path, json=body, headers=self.headers)).raise_for_status()
        ring = player.heard.ring
        while player.socket is None or not ring.played:
            await asyncio.sleep(0.1)
        for turn in range(10**6):
            ring.panic()
            await player.socket.send(json.dumps({"type": "panic"}))
            await asyncio.sleep(1.0 if turn % 2 else 0.3)
            frame = ring.played
            await player.socket.send(json.dumps({"type": "press", "key": 60, "velocity": 100}))
            await asyncio.sleep(1.0)
            sounding = np.flatnonzero(ring.heard[frame : ring.played].any(axis=1))
            if len(sounding):
                player.heard.delays.append(1e3 * sounding[0] / RATE)

    async def stop(self, name: str, player: Player) -> None:
        """The process that plays stopped for 1.2 s in every ten, and the fader moved in between."""
        fading = asyncio.ensure_future(self.fade(name, player))
        try:
            while True:
                await asyncio.sleep(8.8)
                os.kill(self.process, signal.SIGSTOP)
                try:
                    await asyncio.sleep(1.2)
                finally:
                    os.kill(self.process, signal.SIGCONT)
        finally:
            fading.cancel()

    async def edit(self, name: str, _: Player) -> None:
        """A structure and a number changed in turn, every two seconds."""
        path = f"/api/sounds/{self.sounds[name]}"
        for turn in range(10**6):
            await asyncio.sleep(2.0)
            opened = (await self.client.get(path)).json()
            patch = [{"op": "replace", "path": "/layers/0/params/level", "value": -3.0 - turn % 5}]
            if turn % 2:
                bypass = not opened["document"]["layers"][0]["filters"][0]["bypass"]
                patch = [{"op": "replace", "path": "/layers/0/filters/0/bypass", "value": bypass}]
            body = {"revision": opened["revision"], "patch": patch}
            (await self.client.patch(path, json=body, headers=self.headers)).raise_for_status()

    async def export(self, name: str, _: Player) -> None:
        """One export after the other."""
        path = f"/api/sounds/{self.sounds[name]}/renders"
        while True:
            made = await self.client.post(path, json={"end": 60.0}, headers=self.headers)
            state = made.json()
            while state["state"] in ("waiting", "running"):
                await asyncio.sleep(0.5)
                state = (await self.client.get(f"/api/renders/{state['id']}")).json()

    async def take_in(self, _: str, __: Player) -> None:
        """One recording after the other, two minutes each."""
        for number in range(10**6):
            key = await asyncio.to_thread(self._take_in_one, number)
            await self.client.get(f"/api/material/{key}/loops")

    def _take_in_one(self, number: int) -> str:
        """Away from the client that plays, which must not wait for it."""
        noise = np.random.default_rng(number).uniform(-0.1, 0.1, (120 * RATE, 2))
        with tempfile.NamedTemporaryFile(suffix=".wav") as file:
            soundfile.write(file.name, noise, RATE, subtype="PCM_16")
            command = [
                sys.executable,
                "-c",
                UPLOAD,
                file.name,
                self.url,
                self.headers["X-CSRFToken"],
            ]
            answer = subprocess.run(command, capture_output=True, check=True)
        found: str = json.loads(answer.stdout)["card"]["key"]
        return found


Work = Callable[[str, Player], Awaitable[None]]


@contextlib.asynccontextmanager
async def beside(work: Awaitable[None] | None) -> AsyncIterator[None]:
    """Something that goes on meanwhile."""
    task = asyncio.ensure_future(work) if work is not None else None
    try:
        yield
    finally:
        if task is not None:
            if task.done() and not task.cancelled() and task.exception():
                print(f"   what went on beside it failed: {task.exception()!r}")
            task.cancel()


async def measure(server: Server, seconds: float, name: str, only: str) -> int:
    """Print a line for each; the number of times that it ran dry."""
    studio = Studio(server)
    await studio.enter()
    await studio.stretch(name, seconds)
    cases: list[tuple[str, Work | None, list[float] | None]] = [
        ("alone", None, None),
        ("looping over four seconds", None, [20.0, 24.0]),
        ("while another page draws", studio.draw, None),
        ("edited every two seconds", studio.edit, None),
        ("while exports run", studio.export, None),
        ("while recordings are taken in", studio.take_in, None),
        ("while a fader is moved", studio.fade, None),
        ("stopped for 1.2 s in every ten", studio.stop, None),
        ("while keys are played", studio.play_keys, None),
    ]
    dry = 0
    for what, work, loop in (case for case in cases if only in case[0]):
        player = studio.player(name)
        async with beside(work(name, player) if work else None):
            heard = await player.play(seconds, loop)
        dry += heard.dry
        print(
            f"{name}, {what:<30} ran dry {heard.dry} times in {heard.ring.played / RATE:.0f} s, "
            f"{heard.robbed} of them while the machine was away; least left {heard.least:.0f} ms; "
            f"{heard.ring.late} too late for their place, {heard.ring.fell_back} filled by what "
            f"had been replaced; greatest step {heard.step:.0f} dB"
            f"{said_of(heard.delays)}",
            flush=True,
        )
    return dry


def main() -> None:
    """Listen in every company."""
    seconds = float(sys.argv[1]) if len(sys.argv) > 1 else 600.0
    name = sys.argv[2] if len(sys.argv) > 2 else SOUND
    only = sys.argv[3] if len(sys.argv) > 3 else ""
    with tempfile.TemporaryDirectory() as folder:
        server = Server(Path(folder))
        server.start()
        try:
            dry = asyncio.run(measure(server, seconds, name, only))
        finally:
            server.kill()
    raise SystemExit(1 if dry else 0)


if __name__ == "__main__":
    main()
