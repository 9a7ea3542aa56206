"""The stand-in instruments as something that can be plugged in and unplugged: a process, its ports, the set on the bench."""

import json
import logging
import subprocess
import sys
import threading
from collections.abc import Sequence
from pathlib import Path
from typing import Any

from calm_needle.bench.transport import USUAL_LINE, VisaTransport, Wire
from calm_needle.clock import SYSTEM
from calm_needle.core.description import Line
from calm_needle.errors import StoreUnusable
from calm_needle.work.whole_file import read_object, write_whole

START_S = 20.0
MOST_RESTARTS, WITHIN_S = 3, 60.0  # of a process that dies: one that dies again and again is left alone
log = logging.getLogger(__name__)


class StandIns:
    """Starts and ends the process of the stand-in bench. The ports stay the same, as a real instrument's address does."""

    def __init__(self, folder: Path, *, misalign: str = "moderate") -> None:
        self._folder, self._misalign = folder, misalign
        self._process: subprocess.Popen[str] | None = None
        self._lock = threading.RLock()
        self._set_id: int | None = None
        self._dossier = ""
        self._faults: tuple[str, ...] = ()
        self._built_as: int | None = None
        self._restarts: list[float] = []

    @property
    def plugged_in(self) -> bool:
        return self._process is not None and self._process.poll() is None

    @property
    def set_id(self) -> int | None:
        """The set whose twin is on the bench."""
        return self._set_id

    @property
    def ports(self) -> dict[str, int]:
        """Name to port, as they were last."""
        known = read_object(self._folder / "ports.json")
        return {k: p for k, p in known.items() if isinstance(p, int) and not isinstance(p, bool) and 0 < p < 65536}

    def resources(self) -> dict[str, str]:
        """Return the VISA resource name of each stand-in."""
        return {name: f"TCPIP::127.0.0.1::{port}::SOCKET" for name, port in self.ports.items()}

    def link(self, resource: str, *, name: str, line: Line = USUAL_LINE) -> Wire:
        """Return a link to an instrument by its resource name: to a stand-in as to any other."""
        return VisaTransport(resource, name=name, line=line)

    def holds(self, *, set_id: int, built_as: int | None) -> bool:
        """Whether that set is on the bench, built as its own dossier of that number has it (None: as its model's)."""
        return self._set_id == set_id and self._built_as == built_as

    def put_on_bench(self, *, set_id: int, dossier: str, faults: Sequence[str] = (), built_as: int | None = None) -> None:
        """Put the twin of a set on the bench, with the instruments plugged in; nothing happens when it is there already, as it is."""
        with self._lock:
            if self.plugged_in and self.holds(set_id=set_id, built_as=built_as):
                return
            self.unplug()
            self._set_id, self._dossier, self._faults, self._built_as = set_id, dossier, tuple(faults), built_as
            self.plug_in()

    def plug_in(self) -> None:
        """Start the process, with the set that was last on the bench."""
        with self._lock:
            if self.plugged_in or self._set_id is None:
                return
            dossier_file = self._folder / f"set-{self._set_id}-dossier.json"
            write_whole(dossier_file, self._dossier)
            command = [sys.executable, "-m", "calm_needle.sim.rig", str(dossier_file), "--seed", str(self._set_id)]
            command += ["--misalign", self._misalign, "--state", str(self._folder / f"set-{self._set_id}.json")]
            command += ["--ports", json.dumps(self.ports)]
            for fault in self._faults:
                command += ["--fault", fault]
            # Its standard input stays open as long as we live: when we end, however we end, so does it.
            self._process = subprocess.Popen(command, stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True)
            write_whole(self._folder / "ports.json", json.dumps(self._greeting()["ports"]))
            threading.Thread(target=self._watch, args=(self._process,), name="stand-ins", daemon=True).start()

    def _watch(self, process: "subprocess.Popen[str]") -> None:
        """Start the process again when it has died: instruments on a bench do not stay off by themselves."""
        process.wait()
        with self._lock:
            if self._process is not process:
                return  # it was unplugged
            while self._may_restart():
                self.unplug()
                try:
                    self.plug_in()
                except (StoreUnusable, OSError) as fault:
                    log.warning("The stand-in instruments ended, and could not be started again: %s", fault)
                else:
                    return
            log.warning("The stand-in instruments ended %d times within a minute, and are left off.", MOST_RESTARTS + 1)
            self.unplug()

    def _may_restart(self) -> bool:
        """Whether it may be started once more, which is then counted."""
        now_s = SYSTEM.monotonic()
        self._restarts = [t for t in self._restarts if now_s - t < WITHIN_S]
        if len(self._restarts) >= MOST_RESTARTS:
            return False
        self._restarts.append(now_s)
        return True

    def unplug(self) -> None:
        """End the process, as if the mains had gone."""
        with self._lock:
            process, self._process = self._process, None
            if process is None:
                return
            process.kill()
            process.wait()
            for pipe in (process.stdin, process.stdout):
                if pipe:
                    pipe.close()

    def _greeting(self) -> dict[str, Any]:
        assert self._process is not None and self._process.stdout is not None
        timer = threading.Timer(START_S, self._process.kill)
        timer.start()
        try:
            line = self._process.stdout.readline()
        finally:
            timer.cancel()
        if not line:
            raise StoreUnusable("The stand-in instruments did not start. Another program may hold their ports; start again.")
        return dict(json.loads(line))
