"""The server: loopback only, one process, as many threads as a bench with several pages needs."""

import contextlib
import logging
import os
import signal
import socket
import sys
import threading
import webbrowser
from functools import partial
from pathlib import Path
from types import FrameType

from waitress.server import create_server

from calm_needle.clock import Event
from calm_needle.errors import StoreUnusable
from calm_needle.web.app import create_app
from calm_needle.work import backup, demo_world
from calm_needle.work.workshop import Workshop, default_folder

log = logging.getLogger(__name__)
HOST = "127.0.0.1"
USUAL_PORT = 8123
FIRST_COPY_S, LOOKED_AT_S = 60.0, 3600.0  # after the start, so that nobody waits for it; then every hour whether a new day has begun
THREADS = 32  # a live page holds one for as long as it is open


def run(*, data_dir: Path | None, port: int | None, demo: bool, open_browser: bool) -> int:
    """Serve until interrupted; return the exit status. Leaves the generator off and the database closed."""
    workshop = Workshop(data_dir or default_folder(demo=demo))
    ended = workshop.clock.event()
    try:
        if demo:
            with workshop.store() as conn:
                if demo_world.is_empty(conn):
                    demo_world.put_on_shelf(conn)
        logging.getLogger("waitress").setLevel(logging.ERROR)  # a closed page is no event
        listener = _listen(port)
        server = create_server(create_app(workshop, port=listener.getsockname()[1]), sockets=[listener], threads=THREADS)
        address = f"http://{HOST}:{listener.getsockname()[1]}/"
        signal.signal(signal.SIGTERM, _end)  # waitress would die of it without a word, and leave the generator on
        # What takes a moment is made ready while the first page is read.
        threading.Thread(target=_warm_up, args=(workshop, demo), daemon=True).start()
        workshop.clock.start(partial(_copy_every_day, workshop, ended), name="copies")
        workshop.lock.say(f"the one at {address} (process {os.getpid()})")
        print(f"Calm Needle is ready: {address}   (data in {workshop.folder}; Ctrl-C ends it)", flush=True)
        if open_browser:
            webbrowser.open(address)
        with contextlib.suppress(KeyboardInterrupt, SystemExit):
            server.run()
    finally:
        ended.set()
        workshop.close()
    return 0


def _listen(port: int | None) -> socket.socket:
    """A socket on loopback: at the port asked for, or at the usual one or the next that is free."""
    wanted = [port] if port is not None else [*range(USUAL_PORT, USUAL_PORT + 20), 0]
    for candidate in wanted:
        listener = socket.socket(socket.AF_INET, socket.SOCK_STREAM)
        if sys.platform != "win32":
            listener.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            listener.bind((HOST, candidate))
        except OSError:
            listener.close()
            continue
        return listener
    raise StoreUnusable(f"Port {port} is taken by another program. Choose another with --port, or leave it out.")


def _copy_every_day(workshop: Workshop, ended: Event) -> None:
    """Make the copy of the day, today's and those of the days to come, as long as the program runs."""
    while not ended.wait(FIRST_COPY_S):
        try:
            backup.daily(workshop.folder, clock=workshop.clock)
        except StoreUnusable as fault:
            log.warning("The copy of the day was not made. %s", fault)
        if ended.wait(LOOKED_AT_S):
            return


def _warm_up(workshop: Workshop, demo: bool) -> None:
    if demo:
        with workshop.store() as conn:
            demo_world.rehearse_older_job(conn)
    import pyvisa  # noqa: F401  a third of a second that the first reading need not wait for

    workshop.uses_stand_ins()


def _end(_number: int, _frame: FrameType | None) -> None:
    raise SystemExit(0)
