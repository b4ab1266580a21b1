"""Serve the studio on the loopback interface: ``python -m studio.serve``."""

from __future__ import annotations

import argparse
import contextlib
import gc
import os
import shutil
import socket
import threading
import time
import warnings
from pathlib import Path

from studio.directory_lock import lock, sign
from studio.workers import come_first, get_ready, give_memory_back, take_short_turns

HOST = "127.0.0.1"
FIRST_PORT = 8460
PORTS = 40
BACKLOG = 128
"""Connections that may wait to be taken."""
LEAST_FREE = 16 << 20
"""Bytes that must be free on the disk to start."""


def bound(wanted: int | None) -> socket.socket:
    """A socket at the wanted port, or at the first free one from `FIRST_PORT` on.

    It is bound at once and stays so: another studio that starts meanwhile takes the next.
    """
    candidates = [wanted] if wanted else list(range(FIRST_PORT, FIRST_PORT + PORTS))
    for port in candidates:
        made = socket.socket()
        made.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            made.bind((HOST, port))
            made.listen(BACKLOG)
        except OSError:
            made.close()
            continue
        return made
    raise SystemExit(
        f"caligo: no free port among {candidates[0]} to {candidates[-1]}; "
        "stop what runs there or give another with --port"
    )


def data_directory() -> Path:
    """The folder of all data, as the settings say."""
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "studio.settings")
    from django.conf import settings

    return Path(settings.DATA_DIR)


def check_space(directory: Path) -> None:
    """Refuse to start where the disk is so full that the database could be left half made."""
    free = shutil.disk_usage(directory).free
    if free < LEAST_FREE:
        raise SystemExit(
            f"caligo: only {free >> 10} kB are free where {directory} lies; make room for at least "
            f"{LEAST_FREE >> 20} MB and start again. Nothing was changed"
        )


def prepare(demo: bool) -> None:
    """Bring the database up to date, mark renders that were cut off, and load the demo.

    What was deleted long ago is forgotten now.
    """
    import django

    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "studio.settings")
    django.setup()
    from django.conf import settings
    from django.core.management import call_command

    from caligo.material.store import current
    from studio.cleanup import sweep
    from studio.demo_production import load_demo
    from studio.library.removing import KEPT_FOR, forget_old
    from studio.renders.jobs import recover

    check_space(Path(settings.DATA_DIR))
    call_command("migrate", verbosity=0)
    recover()
    sweep()
    forget_old()
    current().evict(time.time() - KEPT_FOR.total_seconds())
    if demo:
        load_demo()


def keep_what_is_loaded() -> None:
    """Never look for garbage among what has been loaded so far, since it stays.

    Python stops all threads while it looks: for 130 ms among what is imported here, and for 35 ms
    among what the first sound loads; what plays has 107 ms.
    """
    gc.collect()
    gc.freeze()


def main() -> None:
    """Prepare and serve until stopped."""
    parser = argparse.ArgumentParser(description="Serve the studio on the loopback interface.")
    parser.add_argument("--port", type=int)
    parser.add_argument("--demo", action="store_true", help="load the demo production")
    parser.add_argument("--rest", action="store_true", help="draw only what is open")
    given = parser.parse_args()
    # The matrices here are small: more threads would only wait for each other, and for no one
    # else. Workers inherit this.
    os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
    # Static files come from a synchronous iterator; they are small, so that is no harm.
    warnings.filterwarnings("ignore", message="StreamingHttpResponse must consume")
    give_memory_back()
    get_ready()  # on another core, meanwhile
    directory = data_directory()
    taken = lock(directory)
    door = bound(given.port)
    address = f"http://{HOST}:{door.getsockname()[1]}/"
    sign(taken, address)
    # Workers import this module too, as Python wants it; what they need comes with `preloaded`.
    from caligo.kernels.kernel import Kernel
    from studio.preparation import compile_in_a_worker, preparation

    Kernel.compile_elsewhere = compile_in_a_worker
    compiling = preparation.begin()
    prepare(given.demo)
    # Not imported above, since workers import this module too, as Python wants it.
    import uvicorn
    from django.conf import settings

    from caligo.engine.precompile.precompile import warm_listening
    from studio.asgi import application
    from studio.live.idle_prerender import IdlePrerender

    come_first()
    take_short_turns()
    keep_what_is_loaded()

    def get_warm() -> None:
        compiling.join()
        warm_listening()
        keep_what_is_loaded()
        if not given.rest:
            IdlePrerender((settings.STEMS_DIR, settings.STEMS_LIMIT_BYTES))

    # Done in a second or two, while the page is being opened.
    threading.Thread(target=get_warm, daemon=True).start()
    print(f"Caligo is at {address}", flush=True)
    config = uvicorn.Config(
        application,
        log_level="warning",
        ws="websockets-sansio",
        ws_max_size=1 << 20,
        ws_per_message_deflate=False,
    )
    with contextlib.suppress(KeyboardInterrupt):  # how it is stopped
        uvicorn.Server(config).run(sockets=[door])


if __name__ == "__main__":
    main()
