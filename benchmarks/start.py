"""`./run demo` on a set-up machine: until the first page is served, and what it keeps in memory."""

import re
import statistics
import subprocess
import tempfile
import time
import urllib.request
from http.cookiejar import CookieJar
from pathlib import Path

ROOT = Path(__file__).parent.parent
TIMES = 5


def run() -> list[str]:
    """Return the time to the first page over several starts, each into an empty folder, and the memory at work."""
    starts, memory = [], 0.0
    for _ in range(TIMES):
        with tempfile.TemporaryDirectory() as folder:
            began = time.perf_counter()
            command = ["./run", "demo", "--no-browser", "--port", "0", "--data", folder]
            process = subprocess.Popen(command, cwd=ROOT, stdout=subprocess.PIPE, text=True)
            assert process.stdout is not None
            address = re.search(r"http://[\d.:]+/", process.stdout.readline())
            assert address is not None
            urllib.request.urlopen(address[0]).read()
            starts.append(time.perf_counter() - began)
            _begin_a_run(address[0])
            time.sleep(3.0)  # at work: readings come, pages are served
            memory = max(memory, _resident_mb(process.pid))
            process.terminate()
            process.wait()
            process.stdout.close()
    return [
        f"./run demo into an empty folder, {TIMES} starts: first page after {statistics.median(starts):.2f} s (median); wanted ≤ 1.5 s",
        f"resident memory of server and instruments together, readings coming: {memory:.0f} MB; wanted ≤ 250 MB",
    ]


def _begin_a_run(address: str) -> None:
    opener = urllib.request.build_opener(urllib.request.HTTPCookieProcessor(CookieJar()))
    page = opener.open(address).read().decode()
    token = re.search(r'name="csrf-token" content="([^"]+)"', page)
    assert token is not None
    data = f"csrf_token={token[1]}&phase=intermediate+frequency".encode()
    opener.open(f"{address}jobs/2/runs", data).read()


def _resident_mb(pid: int) -> float:
    """The resident memory of a process and its children, from /proc."""
    total = float(re.search(r"VmRSS:\s+(\d+)", Path(f"/proc/{pid}/status").read_text())[1]) / 1024.0  # type: ignore[index]
    for child in Path(f"/proc/{pid}/task/{pid}/children").read_text().split():
        total += _resident_mb(int(child))
    for task in Path(f"/proc/{pid}/task").iterdir():
        if task.name != str(pid):
            for child in (task / "children").read_text().split():
                total += _resident_mb(int(child))
    return total
