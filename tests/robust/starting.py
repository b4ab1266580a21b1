"""How long a new machine waits for the first sound: a clean clone, and `make demo` in it.

    python -m tests.robust.starting          with an empty cache of kernels
    python -m tests.robust.starting kept     with the user's own

Prints seconds until the page is served, until the first demo sound is heard, and until every kernel
is compiled. Packages come from the registries, so their speed is part of it.
"""

from __future__ import annotations

import asyncio
import json
import os
import re
import signal
import struct
import subprocess
import sys
import tempfile
import time
from pathlib import Path

import httpx
import websockets

from caligo.kernels.cache import VARIABLE
from studio.live.packets import AUDIO

ROOT = Path(__file__).parents[2]
LONGEST = 600.0
"""Seconds after which a start has failed."""


async def heard(url: str, sound: int) -> None:
    """Listen to a sound until its first samples come."""
    address = f"{url.replace('http', 'ws', 1)}ws/sounds/{sound}"
    async with websockets.connect(address, origin=url.rstrip("/"), max_size=None) as page:  # type: ignore[arg-type]
        await page.send(json.dumps({"type": "listen", "from": 0.0}))
        async for message in page:
            if isinstance(message, bytes) and struct.unpack("<I", message[:4])[0] == AUDIO:
                return


def served(log: Path, process: subprocess.Popen[bytes]) -> str:
    """The address that is printed once the page is served."""
    while process.poll() is None:
        found = re.search(r"http://127\.0\.0\.1:\d+/", log.read_text())
        if found:
            return found[0]
        time.sleep(0.1)
    raise SystemExit(log.read_text())


def main() -> None:
    """Make a clean clone, start it, and tell the times."""
    with tempfile.TemporaryDirectory() as folder:
        clone, log = Path(folder) / "clone", Path(folder) / "log"
        subprocess.run(["git", "clone", "--quiet", ROOT, clone], check=True)
        environment = dict(os.environ)
        if "kept" not in sys.argv:
            environment[VARIABLE] = str(Path(folder) / "cache")
        began = time.monotonic()

        def tell(what: str) -> None:
            print(f"{what} after {time.monotonic() - began:.1f} s", flush=True)

        with log.open("wb") as out:
            process = subprocess.Popen(
                ["make", "demo"], cwd=clone, env=environment, stdout=out, stderr=out,
                start_new_session=True,
            )  # fmt: skip
        try:
            url = served(log, process)
            tell("the page is served")
            first = httpx.get(f"{url}api/productions").json()[0]["cues"][0]["sounds"][0]["id"]
            asyncio.run(heard(url, first))
            tell("the first sound is heard")
            while time.monotonic() - began < LONGEST:
                state = httpx.get(f"{url}api/engine").json()
                if 0 < state["total"] <= state["done"]:
                    break
                time.sleep(0.5)
            tell("everything is compiled")
        finally:
            os.killpg(process.pid, signal.SIGTERM)
            process.wait()


if __name__ == "__main__":
    main()
