"""The calm-needle command: the same use cases as the pages, from a shell."""

import argparse
import json
import os
import sys
from collections.abc import Iterable
from pathlib import Path
from typing import IO, Any

from calm_needle.core.reckon import answers as calculators
from calm_needle.errors import CalmNeedleError, FieldsRefused, NoAnswer, NotUnderstood, OutOfRange, UnknownName
from calm_needle.files.wav import read_wav

ANSWERED, NO_ANSWER, MISUSED = 0, 1, 2
SKETCHED = ("name", "technology", "safety_class", "if_hz", "bands", "transformers", "cores", "low_end", "trimmers")


def main(argv: list[str] | None = None) -> int:
    """Run one command and return its exit status: 0 done, 1 no answer or not possible, 2 not understood."""
    # Many small sums, many times a second: threads of the linear algebra that wait for each other cost more than they do.
    os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
    arguments = build_parser().parse_args(argv)
    try:
        return int(arguments.act(arguments))
    except CalmNeedleError as fault:
        print(fault, file=sys.stderr)
        return NO_ANSWER
    except FileNotFoundError as fault:
        print(f"There is no file {fault.filename}.", file=sys.stderr)
        return NO_ANSWER
    except BrokenPipeError:
        return NO_ANSWER


def build_parser() -> argparse.ArgumentParser:
    parser = argparse.ArgumentParser(prog="calm-needle", description=__doc__)
    commands = parser.add_subparsers(required=True, metavar="COMMAND")
    for name, act, says in (
        ("demo", run_demo, "the Tern Rock benches: demo data, stand-in instruments, a practice set"),
        ("serve", run_serve, "the same on your own data"),
    ):
        command = commands.add_parser(name, help=says, description=says)
        command.add_argument("--port", type=_port, default=None, help="port on this machine (default 8123, or the next free one)")
        command.add_argument("--data", type=Path, default=None, metavar="DIR", help="data folder (default: the platform's own)")
        command.add_argument("--no-browser", action="store_true", help="do not open a browser")
        command.set_defaults(act=act)
    compute = commands.add_parser("compute", help="a calculator: compute NAME key=value …", description="a calculator of the job")
    compute.add_argument("name", nargs="?", help="which calculator; without one, the list")
    compute.add_argument("inputs", nargs="*", metavar="key=value", help="engineering notation, with or without the unit")
    compute.add_argument("--lines", action="store_true", help="one JSON question a line on stdin, one answer a line on stdout")
    compute.set_defaults(act=run_compute)
    says = "judge a recorded needle: each change of verdict with its time"
    watch = commands.add_parser("watch", help=says, description=says)
    watch.add_argument(
        "file", nargs="?", type=Path, metavar="FILE.csv", help="t_s, and level_db or v; turns, way, at_stop (default: standard input)"
    )
    watch.add_argument("--goal", choices=("maximum", "minimum"), default="maximum")
    watch.add_argument("--typed", action="store_true", help="each reading was read and typed by a person")
    watch.add_argument("--lines", action="store_true", help="one JSON stream a line on stdin, one summary a line on stdout")
    watch.set_defaults(act=run_watch)
    says = "a whole phase on a practice receiver, by the program's advice or by the book: what it cost, how close it came"
    rehearse = commands.add_parser("rehearse", help=says, description=says)
    rehearse.add_argument("dossier", type=Path, metavar="DOSSIER.json")
    rehearse.add_argument("--phase", choices=("if", "dial", "front-end", "all"), default="if")
    rehearse.add_argument("--band", action="append", default=[], metavar="B", help="only this band (dial and front end)")
    rehearse.add_argument("--seed", type=_seed, default=1, metavar="N")
    rehearse.add_argument("--seeds", type=_seeds, default=None, metavar="A-B", help="several, both included; one JSON object a line")
    rehearse.add_argument("--misalign", choices=("none", "light", "moderate", "severe"), default="moderate")
    rehearse.add_argument("--fault", action="append", default=[], metavar="ID", help="a fault of the dossier's simulation")
    rehearse.add_argument("--method", choices=("guided", "book"), default="guided")
    rehearse.add_argument("--technician", choices=("steady", "average", "shaky"), default="average")
    rehearse.add_argument("--turns", choices=("known", "unknown"), default="known", help="by the program; else the key is used")
    rehearse.add_argument("--unrest", type=_share, default=None, metavar="PERCENT", help="of the needle, instead of the receiver's own")
    rehearse.add_argument("--memory", type=float, default=0.4, metavar="S", help="of that unrest (default 0.4 s)")
    rehearse.add_argument("--truth", type=Path, default=None, metavar="FILE.json", help="what the set really is: gang, parts, pointer")
    rehearse.add_argument("--pointer-mm", type=_millimetres, default=None, metavar="MM", help="scatter of the pointer (standard deviation)")
    rehearse.add_argument("--json", action="store_true", help="one JSON object a line for a single seed too")
    rehearse.set_defaults(act=run_rehearse)
    says = "verification of practice sets by the program, each figure with its uncertainty beside the truth, one JSON object a line"
    verified = commands.add_parser("verify-rehearsal", help=says, description=says)
    verified.add_argument("dossier", type=Path, metavar="MODEL.json")
    verified.add_argument("--seeds", type=_seeds, default=range(1, 2), metavar="A-B", help="of the instruments' errors, and of the sets")
    verified.add_argument("--set-seed", type=_seed, default=None, metavar="N", help="the same set again and again")
    verified.add_argument("--misalign", choices=("none", "light", "moderate", "severe"), default="light")
    verified.add_argument("--json", action="store_true", help="taken as given: the output is always JSON lines")
    verified.set_defaults(act=run_verify_rehearsal)
    says = "make a model as the page does, of what can be said of a set without papers: " + ", ".join(SKETCHED)
    sketch = commands.add_parser("sketch", help="make a model of a set without papers: sketch key=value … > MODEL.json", description=says)
    sketch.add_argument("fields", nargs="+", metavar="key=value", help="bands may be given several times, a band each")
    sketch.set_defaults(act=run_sketch)
    for name, act, says in (
        ("facts", run_facts, "every fact of a job, with whether it counts now and why not"),
        ("open", run_open, "what a job leaves to be done, the worst first"),
    ):
        command = commands.add_parser(name, help=says, description=says)
        command.add_argument("job", type=int, metavar="JOB", help="its number")
        command.add_argument("--json", action="store_true", help="one JSON object a line")
        command.add_argument("--data", type=Path, default=None, metavar="DIR", help="data folder (default: the platform's own)")
        command.add_argument("--demo", action="store_true", help="the data folder of the demo")
        command.set_defaults(act=act)
    for name, act, file, says in (
        ("backup", run_backup, "the copy to be made (default: among the copies of the data folder)", "copy the whole store, in use or not"),
        ("verify", run_verify, "the copy", "look at a copy from end to end"),
        ("restore", run_restore, "the copy", "put a copy back; the store that is there is kept beside it"),
        ("check-certificate", run_check_certificate, "the certificate’s PDF", "whether a certificate still agrees with the store"),
        ("import", run_import, "the job’s file", "take in a job"),
        ("export", run_export, "the file to be written", "write a job into a file"),
    ):
        command = commands.add_parser(name, help=says, description=says)
        if name == "export":
            command.add_argument("job", type=int, metavar="JOB", help="its number")
        command.add_argument("file", type=Path, nargs="?" if name == "backup" else None, metavar="FILE", help=file)
        command.add_argument("--data", type=Path, default=None, metavar="DIR", help="data folder (default: the platform's own)")
        command.add_argument("--demo", action="store_true", help="the data folder of the demo")
        command.set_defaults(act=act)
    return parser


def _folder(arguments: argparse.Namespace) -> Path:
    from calm_needle.work.workshop import default_folder

    return arguments.data or default_folder(demo=arguments.demo)


def run_facts(arguments: argparse.Namespace) -> int:
    from calm_needle.work.jobs import journal
    from calm_needle.work.workshop import reading_store

    with reading_store(_folder(arguments)) as conn:
        kept = journal.of_job(conn, arguments.job)
    for line, fact in zip(kept.lines, journal.as_json(kept), strict=True):
        why = f" ({line.status}: {line.why})" if line.why else ""
        print(json.dumps(fact, ensure_ascii=False) if arguments.json else f"{line.happened_utc[:16]}  {line.title}: {line.words}{why}")
    return ANSWERED


def run_open(arguments: argparse.Namespace) -> int:
    from calm_needle.work.jobs import open_list
    from calm_needle.work.jobs.shelf import job_of
    from calm_needle.work.workshop import reading_store

    with reading_store(_folder(arguments)) as conn:
        rows = open_list.open_list(conn, job_of(conn, arguments.job))
    for row in rows:
        print(json.dumps(row._asdict(), ensure_ascii=False) if arguments.json else f"{row.words} {row.act}.")
    return ANSWERED


def run_backup(arguments: argparse.Namespace) -> int:
    from calm_needle.work import backup

    made = backup.make(_folder(arguments), arguments.file)
    print(f"Copied to {made} ({made.stat().st_size} bytes).")
    return ANSWERED


def run_verify(arguments: argparse.Namespace) -> int:
    from calm_needle.work import backup

    print(_holds(backup.verify(arguments.file)))
    return ANSWERED


def run_restore(arguments: argparse.Namespace) -> int:
    from calm_needle.work import backup

    found = backup.restore(_folder(arguments), arguments.file)
    print(f"Put back. {_holds(found)} What was there before is kept beside it, in a folder named before-….")
    return ANSWERED


def _holds(found: Any) -> str:
    return f"Made {found.made_utc}: {found.jobs} jobs, {found.readings} readings, {found.photographs} photographs."


def run_check_certificate(arguments: argparse.Namespace) -> int:
    from calm_needle.work.record import certificate
    from calm_needle.work.workshop import reading_store

    with reading_store(_folder(arguments)) as conn:
        said = certificate.check(conn, arguments.file.read_bytes(), name=arguments.file.name)
    print("\n".join((said.sentence, *said.differences)))
    return ANSWERED if said.agreement == "agrees" else NO_ANSWER


def run_export(arguments: argparse.Namespace) -> int:
    from calm_needle.work.jobs import job_files
    from calm_needle.work.workshop import reading_store

    folder = _folder(arguments)
    with reading_store(folder) as conn:
        content = job_files.write(conn, folder / "photographs", arguments.job)
    arguments.file.write_bytes(content)
    print(f"Job {arguments.job} is in {arguments.file} ({len(content)} bytes).")
    return ANSWERED


def run_import(arguments: argparse.Namespace) -> int:
    from calm_needle.work.jobs import job_files
    from calm_needle.work.workshop import Workshop

    workshop = Workshop(_folder(arguments))
    try:
        with workshop.store() as conn:
            job_id = job_files.take_in(conn, workshop.photographs, arguments.file.read_bytes(), name=arguments.file.name)
    finally:
        workshop.close()
    print(f"Taken in as job {job_id}.")
    return ANSWERED


def run_demo(arguments: argparse.Namespace) -> int:
    from calm_needle.web.server import run  # Flask is not needed to compute

    return run(data_dir=arguments.data, port=arguments.port, demo=True, open_browser=not arguments.no_browser)


def run_serve(arguments: argparse.Namespace) -> int:
    from calm_needle.web.server import run

    return run(data_dir=arguments.data, port=arguments.port, demo=False, open_browser=not arguments.no_browser)


def run_compute(arguments: argparse.Namespace) -> int:
    if arguments.lines:
        return compute_lines(sys.stdin, sys.stdout)
    if arguments.name is None:
        for calculator in calculators.CALCULATORS.values():
            print(f"{calculator.name:22}{calculator.purpose}\n{'':22}{' '.join(calculator.key_names)}")
        return ANSWERED
    try:
        typed = _split_pairs(arguments.inputs)
        print(json.dumps(calculators.answer_text(arguments.name, typed, read_file=read_wav).as_dict(), ensure_ascii=False))
    except (UnknownName, NotUnderstood) as fault:
        print(fault, file=sys.stderr)
        return MISUSED
    except (OutOfRange, NoAnswer) as fault:
        print(fault, file=sys.stderr)
        return NO_ANSWER
    return ANSWERED


def run_watch(arguments: argparse.Namespace) -> int:
    from calm_needle.files.needle_csv import read_needle_csv
    from calm_needle.work import watching

    if arguments.lines:
        for line in sys.stdin:
            if line.strip():
                print(json.dumps(next(watching.summaries([_json_or_none(line)])), ensure_ascii=False), flush=True)
        return ANSWERED
    try:
        with arguments.file.open(encoding="utf-8", newline="") if arguments.file else sys.stdin as lines:
            readings = read_needle_csv(lines)
    except (OSError, UnicodeDecodeError) as fault:
        print(f"{arguments.file} cannot be read: {fault}", file=sys.stderr)
        return NO_ANSWER
    except FieldsRefused as fault:
        print(watching.faults_in_words(fault), file=sys.stderr)
        return MISUSED
    stream = watching.read_stream({"goal": arguments.goal, "typed": arguments.typed, "readings": readings})
    for t_s, verdict, sentence, evidence in watching.changes(stream):
        print(f"{t_s:9.2f} s  {verdict:16}  {sentence} {evidence}")
    return ANSWERED


def run_rehearse(arguments: argparse.Namespace) -> int:
    from calm_needle.work import rehearsals

    try:
        content = arguments.dossier.read_bytes()
        truth = json.loads(arguments.truth.read_text(encoding="utf-8")) if arguments.truth else None
    except OSError as fault:
        print(f"{fault.filename} cannot be read: {fault.strerror}", file=sys.stderr)
        return NO_ANSWER
    except (ValueError, RecursionError):
        print(f"{arguments.truth} is not JSON.", file=sys.stderr)
        return NO_ANSWER
    try:
        for seed in arguments.seeds or (arguments.seed,):
            result = rehearsals.score(
                content,
                name=arguments.dossier.name,
                seed=seed,
                phase=arguments.phase,
                bands=arguments.band,
                misalign=arguments.misalign,
                faults=arguments.fault,
                method=arguments.method,
                technician=arguments.technician,
                turns_known=arguments.turns == "known",
                unrest=None if arguments.unrest is None else (arguments.unrest, arguments.memory),
                truth=truth,
                pointer_mm=arguments.pointer_mm,
            )
            line = arguments.json or arguments.seeds
            print(json.dumps(result, ensure_ascii=False, indent=None if line else 2), flush=True)
    except FieldsRefused as fault:
        print("\n".join(f"{name}: {said}" for name, said in fault.faults.items()), file=sys.stderr)
        return MISUSED
    return ANSWERED


def run_verify_rehearsal(arguments: argparse.Namespace) -> int:
    from calm_needle.work.verify_rehearsals import verify

    try:
        content = arguments.dossier.read_bytes()
    except OSError as fault:
        print(f"{arguments.dossier} cannot be read: {fault.strerror}", file=sys.stderr)
        return NO_ANSWER
    for seed in arguments.seeds:
        for figure in verify(content, name=arguments.dossier.name, seed=seed, set_seed=arguments.set_seed, misalign=arguments.misalign):
            print(json.dumps(figure, ensure_ascii=False), flush=True)
    return ANSWERED


def run_sketch(arguments: argparse.Namespace) -> int:
    from calm_needle.work.jobs.sketches import sketched_file

    fields: dict[str, str] = {}
    for pair in arguments.fields:
        name, equals, value = pair.partition("=")
        if not equals or name not in SKETCHED:
            print(f"“{pair[:40]}” is not key=value with one of: {', '.join(SKETCHED)}", file=sys.stderr)
            return MISUSED
        fields[name] = f"{fields[name]}\n{value}" if name in fields and name == "bands" else value
    try:
        sys.stdout.write(sketched_file(fields))
    except FieldsRefused as fault:
        print("\n".join(f"{name}: {said}" for name, said in fault.faults.items()), file=sys.stderr)
        return MISUSED
    return ANSWERED


def _json_or_none(line: str) -> Any:
    try:
        return json.loads(line)
    except (ValueError, RecursionError):
        return None


def compute_lines(questions: Iterable[str], out: IO[str]) -> int:
    """Answer one JSON question a line: {"name", "inputs"} in, results or an "error" out; never stops at a bad one."""
    for line in questions:
        if line.strip():
            out.write(json.dumps(_answer_line(line), ensure_ascii=False) + "\n")
    out.flush()
    return ANSWERED


def _answer_line(line: str) -> dict[str, Any]:
    try:
        question = json.loads(line)
    except (ValueError, RecursionError):
        return {"error": 'This line is not JSON. Write {"name": …, "inputs": {…}}.'}
    if not isinstance(question, dict) or not isinstance(question.get("inputs"), dict):
        return {"error": 'A question is {"name": …, "inputs": {…}}.'}
    asked = {"name": question.get("name"), "inputs": question["inputs"]}
    try:
        return calculators.answer_values(str(asked["name"]), asked["inputs"], read_file=read_wav).as_dict()
    except CalmNeedleError as fault:
        return {**asked, "error": str(fault)}


def _port(text: str) -> int:
    if not text.isascii() or not text.isdigit() or len(text) > 5 or int(text) > 65535:
        raise argparse.ArgumentTypeError(f"“{text[:20]}” is no port: a number up to 65535, 0 for any that is free")
    return int(text)


def _seed(text: str) -> int:
    if not text.isascii() or not text.isdigit() or len(text) > 9:
        raise argparse.ArgumentTypeError(f"“{text[:20]}” is no seed: a whole number")
    return int(text)


def _seeds(text: str) -> range:
    first, dash, last = text.partition("-")
    if not dash or _seed(last) < _seed(first):
        raise argparse.ArgumentTypeError(f"“{text[:20]}” are no seeds: the first and the last, as in 1-20")
    return range(int(first), int(last) + 1)


def _millimetres(text: str) -> float:
    try:
        mm = float(text)
    except ValueError:
        mm = -1.0
    if not 0.0 <= mm <= 5.0:
        raise argparse.ArgumentTypeError(f"“{text[:20]}” is no width of a pointer: millimetres, 0 to 5")
    return mm


def _share(text: str) -> float:
    try:
        percent = float(text)
    except ValueError:
        percent = -1.0
    if not 0.0 <= percent <= 50.0:
        raise argparse.ArgumentTypeError(f"“{text[:20]}” is no unrest: per cent of the reading, up to 50")
    return percent / 100.0


def _split_pairs(pairs: list[str]) -> dict[str, str]:
    typed: dict[str, str] = {}
    for pair in pairs:
        name, equals, value = pair.partition("=")
        if not equals:
            raise NotUnderstood(pair, why="is no key with a value", example="if_hz=455k")
        if name in typed:
            raise NotUnderstood(pair, why=f"gives {name} a second time", example=f"{name}={value} once")
        typed[name] = value
    return typed


if __name__ == "__main__":
    sys.exit(main())
