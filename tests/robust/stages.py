"""Stages opened and dropped, with messages that make no sense.

    python -m tests.robust.stages 200

Afterwards processes, memory and file descriptors are back where they were.
"""

from __future__ import annotations

import asyncio
import contextlib
import json
import random
import sys
import tempfile
from pathlib import Path
from typing import Any

import websockets

from tests.browser.conftest import Server
from tests.robust.listening import Studio

AT_ONCE, WARM = 20, 80
"""Stages at a time, and those that come before anything is measured."""
MOST_MORE_MB = 60
"""Megabytes that may be held more than before: what was compiled or imported meanwhile."""


def nonsense(r: random.Random) -> str:
    """A message that is nearly right, or nothing of the kind."""
    deep = "[" * r.choice([5, 900, 4_000])
    return r.choice(
        [
            "", "null", "{}", deep, '{"type": "listen"}', '{"type": "listen", "from": 1e999}',
            '{"type": "listen", "from": ' + "9" * 5_000 + "}", '{"type": "loop", "loop": [3, 1]}',
            '{"type": "press", "key": -1, "velocity": 9}', '{"type": "heard", "stream": "x"}',
            '{"type": "listen", "from": 10.0}', '{"type": "still", "still": true}', "x" * 5_000,
            json.dumps({"type": "seek", "to": 10**400}), '{"type": "ping"}',
        ]
    )  # fmt: skip


def held(pid: int) -> tuple[int, int, int]:
    """Processes that there are, megabytes of the one that plays, and its open descriptors."""
    waiting, found = [pid], []
    while waiting:
        one = waiting.pop()
        found.append(one)
        children = Path(f"/proc/{one}/task/{one}/children")
        if children.exists():
            waiting += [int(child) for child in children.read_text().split()]
    status = Path(f"/proc/{pid}/status").read_text()
    megabytes = int(status.split("VmRSS:")[1].split()[0]) // 1024
    return len(found), megabytes, len(list(Path(f"/proc/{pid}/fd").iterdir()))


async def come_and_go(studio: Studio, number: int, answers: list[int]) -> None:
    """One page: opened, talked nonsense to, and dropped."""
    r = random.Random(number)
    url = studio.url.replace("http", "ws", 1)
    sound = r.choice(sorted(studio.sounds.values()))
    try:
        async with websockets.connect(
            f"{url}ws/sounds/{sound}", origin=studio.url.rstrip("/"), max_size=None
        ) as socket:
            for _ in range(r.randrange(6)):
                await socket.send(nonsense(r))
            async with asyncio.timeout(r.uniform(0.1, 1.5)):
                async for data in socket:
                    if isinstance(data, str):
                        output: Any = json.loads(data)
                        if output["type"] == "problem":
                            answers.append(len(data))
    except (TimeoutError, websockets.ConnectionClosed):
        return


async def listen(studio: Studio, sound: int) -> None:
    """Listen to a sound for a moment: recordings that are played stay ready in memory."""
    url = studio.url.replace("http", "ws", 1)
    with contextlib.suppress(TimeoutError, websockets.ConnectionClosed):
        async with websockets.connect(
            f"{url}ws/sounds/{sound}", origin=studio.url.rstrip("/"), max_size=None
        ) as socket:
            await socket.send('{"type": "listen", "from": 10.0}')
            async with asyncio.timeout(2.0):
                async for _ in socket:
                    pass


async def measure(server: Server, count: int) -> bool:
    """Print what is held before and after."""
    studio = Studio(server)
    await studio.enter()
    answers: list[int] = []
    for first in range(0, WARM, AT_ONCE):
        await asyncio.gather(*(come_and_go(studio, first + n, answers) for n in range(AT_ONCE)))
    await asyncio.gather(*(listen(studio, sound) for sound in studio.sounds.values()))
    await asyncio.sleep(8)
    before = held(server.process)
    most = (0, 0, 0)
    for first in range(0, count, AT_ONCE):
        batch = asyncio.gather(
            *(come_and_go(studio, first + n, answers) for n in range(min(AT_ONCE, count - first)))
        )
        await asyncio.sleep(1.0)
        most = max(most, held(server.process))
        await batch
    after = held(server.process)
    for _ in range(60):
        if after[0] <= before[0] and after[2] <= before[2] + 3:
            break
        await asyncio.sleep(0.5)
        after = held(server.process)
    for name, what in (("before", before), ("at most", most), ("after", after)):
        print(f"{name:<8} {what[0]} processes, {what[1]} MB, {what[2]} descriptors")
    print(f"{count} stages; {len(answers)} messages refused, the longest in {max(answers)} bytes")
    grown = after[1] - before[1]
    return after[0] <= before[0] and after[2] <= before[2] + 3 and grown <= MOST_MORE_MB


def main() -> None:
    """Open and drop so many stages."""
    count = int(sys.argv[1]) if len(sys.argv) > 1 else 200
    with tempfile.TemporaryDirectory(ignore_cleanup_errors=True) as folder:
        server = Server(Path(folder))
        server.start()
        try:
            fine = asyncio.run(measure(server, count))
        finally:
            server.kill()
    raise SystemExit(0 if fine else 1)


if __name__ == "__main__":
    main()
