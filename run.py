"""The one door: sets up, starts the demo, tests, measures. Standard library only, so that it runs on any Python 3.11.

run.py setup                    make .venv and install what is pinned, with hashes
run.py demo [--port N] …        the Tern Rock benches with demo data; sets up first if need be
run.py serve [--port N] …       the same on your own data
run.py compute NAME key=value   a calculator
run.py watch [FILE.csv]         judge a recorded needle
run.py rehearse DOSSIER.json    a whole phase on a practice set, by the program's advice or by the book
run.py backup | verify FILE | restore FILE           copies of the store
run.py export JOB FILE | import FILE                 a job out and in
run.py check-certificate FILE.pdf                    whether it still agrees with the store
run.py test [--quick]           tests, format, lint, types, pages, styles; quick: without the browser
run.py bench [NAME …]           the figures
run.py shots                    refresh docs/screenshots
run.py format | assets | lock   for developers: format code and pages; build styles and fonts; make the requirement files anew
"""

import hashlib
import json
import os
import shutil
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from functools import partial
from pathlib import Path

HERE = Path(__file__).resolve().parent
VENV = HERE / ".venv"
PYTHON = VENV / ("Scripts/python.exe" if os.name == "nt" else "bin/python")
OLDEST = (3, 11)
PAGES = "calm_needle/web/screens/**/*.html"
AT_ONCE = (os.cpu_count() or 2) + 1  # tests: those that wait for a browser leave a processor to another
MOST_PASSES = 4  # the formatter of the pages settles after two or three
TOOLS = ("/usr/bin/chromium-headless-shell", "/usr/bin/chromium")
QUIET = {**os.environ, "PIP_DISABLE_PIP_VERSION_CHECK": "1", "PIP_NO_INPUT": "1"}
# What is imported is compiled once, whatever the machine wants elsewhere: the tests start some thirty programs.
COMPILES = {name: value for name, value in os.environ.items() if name != "PYTHONDONTWRITEBYTECODE"}


def main() -> int:
    if sys.version_info < OLDEST:
        print(
            f"Calm Needle needs Python 3.11 or newer; this is {sys.version.split()[0]}. Start it as: python3.11 run.py …", file=sys.stderr
        )
        return 2
    os.chdir(HERE)
    command, rest = (sys.argv[1] if len(sys.argv) > 1 else "help"), sys.argv[2:]
    match command:
        case "setup":
            return set_up(developers="--dev" in rest, say=True)
        case (
            "demo"
            | "serve"
            | "compute"
            | "watch"
            | "rehearse"
            | "backup"
            | "verify"
            | "restore"
            | "export"
            | "import"
            | "check-certificate"
        ):
            return set_up() or become(["-m", "calm_needle.cli", command, *rest])
        case "test":
            return set_up(developers=True) or test(quick="--quick" in rest)
        case "bench":
            return set_up(developers=True) or find_browser() or call(["-m", "benchmarks", *rest])
        case "shots":
            return set_up(developers=True) or find_browser() or call(["-m", "tools.shots", *rest])
        case "format":
            return set_up(developers=True) or format_all()
        case "assets":
            return set_up(developers=True) or assets()
        case "lock":
            return set_up(developers=True) or lock()
    print(__doc__)
    return 0 if command in ("help", "-h", "--help") else 2


def set_up(*, developers: bool = False, say: bool = False) -> int:
    """Make the environment, or leave it alone when it is as the requirement files want it."""
    wanted = HERE / ("requirements-dev.txt" if developers else "requirements.txt")
    stamps = {name: VENV / f".{name}" for name in ("requirements.txt", "requirements-dev.txt")}
    known = [s.read_text() for s in stamps.values() if s.exists()]
    # What the developers have holds all that runs, so it serves for both.
    sums = [digest(HERE / "requirements-dev.txt")] if developers else [digest(HERE / n) for n in stamps]
    if PYTHON.exists() and any(s in known for s in sums):
        if say:
            print("Set up already.")
        return 0
    print("Setting up in .venv; this takes a minute the first time.", flush=True)
    if not PYTHON.exists():
        made = subprocess.run([sys.executable, "-m", "venv", str(VENV)], check=False).returncode
        if made:
            print("Python could not make .venv. On Debian: apt-get install python3-venv; then again.", file=sys.stderr)
            return made
    # Compiling everything that is installed takes a third of the time; for tests, what is imported is compiled as it is.
    pip = [str(PYTHON), "-m", "pip", "install", "--quiet", *(["--no-compile"] if developers else [])]
    for arguments in (["--require-hashes", "-r", str(wanted)], ["--no-build-isolation", "--no-deps", "--editable", "."]):
        code = subprocess.run([*pip, *arguments], env=QUIET, check=False).returncode
        if code:
            print(
                "The packages could not be installed; what pip said stands above. Nothing else was changed; mend it and start again.",
                file=sys.stderr,
            )
            return code
    for stamp in stamps.values():
        stamp.unlink(missing_ok=True)
    stamps[wanted.name].write_text(digest(wanted))
    if say:
        print("Set up. Start it with: ./run demo")
    return 0


def test(*, quick: bool) -> int:
    """The tests; and beside them format, lint, types, the format of the pages, the committed styles. Says all that failed."""
    if not quick and (code := find_browser()):
        return code
    began = time.monotonic()
    checks: dict[str, Callable[[], tuple[int, str]]] = {
        "format": partial(said_by, ["-m", "ruff", "format", "--check", "--quiet", "."]),
        "lint": partial(said_by, ["-m", "ruff", "check", "--quiet", "."]),
        "types": partial(said_by, ["-m", "mypy"]),
        "format of the pages, styles": pages_and_styles,
    }
    with ThreadPoolExecutor(1) as beside:  # one after the other: the processors are busy with the tests
        pending = {name: beside.submit(check) for name, check in checks.items()}
        code = call(["-W", "error", "-m", "pytest", f"--numprocesses={AT_ONCE}", *(["--ignore=tests/browser"] if quick else [])])
        failed = ["tests"] if code else []
        for name, outcome in pending.items():
            found, said = outcome.result()
            if found:
                failed.append(name)
            print(
                f"— {name}: {'failed' if found else 'good'}{f'{chr(10)}{said}' if said.strip() and (found or 'not seen' in said) else ''}"
            )
    print(f"{time.monotonic() - began:.0f} s. {'Failed: ' + ', '.join(failed) if failed else 'All good.'}", flush=True)
    return 1 if failed else 0


def said_by(arguments: list[str]) -> tuple[int, str]:
    """The exit status of a command of the environment's Python, and what it said."""
    done = subprocess.run([str(PYTHON), *arguments], check=False, stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True, env=COMPILES)
    return done.returncode, done.stdout


def pages_and_styles() -> tuple[int, str]:
    """See that the pages are formatted and the committed styles are what they build; without npm this cannot be seen, and it is said."""
    npm = shutil.which("npm")
    if npm is None:
        return 0, "not seen: there is no npm here. What is committed is what runs."
    if code := fetch_modules(npm):
        return code, "npm could not fetch what pages and styles are made with."
    formatted = prettier(npm, "--check")
    if formatted.returncode:
        return formatted.returncode, f"{formatted.stderr}The pages are not formatted. Run: ./run format"
    committed = HERE / "calm_needle/web/static/app.css"
    with tempfile.TemporaryDirectory() as folder:
        built = Path(folder) / "app.css"
        cli = ["exec", "--offline", "--", "tailwindcss", "-i", "calm_needle/web/assets/app.css", "-o", str(built), "--minify"]
        if code := subprocess.run([npm, *cli], check=False, stderr=subprocess.DEVNULL).returncode:
            return code, "The styles could not be built."
        if built.read_bytes() != committed.read_bytes():
            return 1, "The committed styles are not what the pages build. Run: ./run assets"
    return 0, ""


def fetch_modules(npm: str) -> int:
    """Bring in what pages, styles and fonts are made with, where it is not there yet."""
    wanted = json.loads((HERE / "package.json").read_text(encoding="utf-8"))["devDependencies"]
    if all((HERE / "node_modules" / name).exists() for name in wanted):
        return 0
    return subprocess.run([npm, "ci", "--ignore-scripts", "--no-audit", "--no-fund", "--silent"], check=False).returncode


def find_browser() -> int:
    """See that there is a Chromium; install Debian's where that is possible, or say exactly what to install."""
    if os.environ.get("CHROMIUM") or any(Path(p).exists() for p in TOOLS):
        return 0
    apt = shutil.which("apt-get")
    if apt and hasattr(os, "geteuid") and os.geteuid() == 0:
        print("Installing Debian’s Chromium for the tests of the pages.", flush=True)
        quiet = {**os.environ, "DEBIAN_FRONTEND": "noninteractive"}
        subprocess.run([apt, "update", "-qq"], check=False, env=quiet, stdout=subprocess.DEVNULL)
        subprocess.run(
            [apt, "install", "-y", "-qq", "--no-install-recommends", "chromium-headless-shell"],
            check=False,
            env=quiet,
            stdout=subprocess.DEVNULL,
        )
        if any(Path(p).exists() for p in TOOLS):
            return 0
    print(
        "The tests drive the pages in Chromium, and there is none. Install it: sudo apt-get install chromium-headless-shell\n"
        "(or chromium), or set CHROMIUM to the path of one; then run this again.",
        file=sys.stderr,
    )
    return 1


def format_all() -> int:
    """Format the code and the pages. Needs node for the pages."""
    npm = shutil.which("npm")
    if code := call(["-m", "ruff", "format", "--quiet", "."]):
        return code
    if npm is None:
        print("Formatting the pages needs node and npm; the code is formatted.", file=sys.stderr)
        return 1
    if code := fetch_modules(npm):
        return code
    for _ in range(MOST_PASSES):
        if prettier(npm, "--check").returncode == 0:
            return 0
        prettier(npm, "--write")
    print(prettier(npm, "--check").stderr, file=sys.stderr)
    return 1


def prettier(npm: str, what: str) -> subprocess.CompletedProcess[str]:
    return subprocess.run([npm, "exec", "--offline", "--", "prettier", what, PAGES], check=False, capture_output=True, text=True)


def assets() -> int:
    """Build the styles and fonts that are committed. Needs node."""
    npm = shutil.which("npm")
    if npm is None:
        print("Building the styles needs node and npm. What is committed is enough to run and test.", file=sys.stderr)
        return 1
    fonts = HERE / "calm_needle/web/static/fonts"
    modules = HERE / "node_modules"
    if code := fetch_modules(npm):
        return code
    shutil.copy(modules / "@alpinejs/csp/dist/cdn.min.js", fonts.parent / "alpine-csp.min.js")
    shutil.copy(modules / "idiomorph/dist/idiomorph.min.js", fonts.parent / "idiomorph.min.js")
    if code := call(["tools/make_fonts.py", str(modules), str(fonts)]):
        return code
    return subprocess.run([npm, "run", "--silent", "css"], check=False).returncode


def lock() -> int:
    """Make requirements.txt and requirements-dev.txt anew from their .in files."""
    for name in ("requirements", "requirements-dev"):
        arguments = ["--universal", "--python-version", "3.11", "--generate-hashes", "--no-emit-index-url", "--no-header", "--quiet"]
        if code := call(["-m", "uv", "pip", "compile", *arguments, f"{name}.in", "-o", f"{name}.txt"]):
            return code
    return 0


def call(arguments: list[str]) -> int:
    return subprocess.run([str(PYTHON), *arguments], check=False, env=COMPILES).returncode


def become(arguments: list[str]) -> int:
    """Hand over to the environment's Python, so that Ctrl-C and signals reach it and nothing stands between."""
    if os.name == "nt":
        return call(arguments)
    os.execv(str(PYTHON), [str(PYTHON), *arguments])


def digest(file: Path) -> str:
    return hashlib.sha256(file.read_bytes()).hexdigest()


if __name__ == "__main__":
    sys.exit(main())
