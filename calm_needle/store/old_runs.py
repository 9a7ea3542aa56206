"""Migration 17: the plan and the step of each act, for runs recorded before runs kept a plan.

Everything here is as the program was when those runs were recorded, frozen: the step kinds it could lead, how it went from step
to step, the titles it gave. It must never follow a later version, for then an old act would belong to another step.
"""

import json
import sqlite3
from typing import Any

NUMBER = 17
PHASE = "intermediate frequency"
KINDS = ("peak", "null", "check")
VERBS = {"peak": "Peak", "null": "Null", "check": "Check"}


def name_steps(conn: sqlite3.Connection) -> None:
    """Give every run its plan and every act its step, all or nothing, and set the database's version to 17."""
    conn.execute("BEGIN IMMEDIATE")
    try:
        runs = conn.execute("""
            SELECT r.id, r.phase, d.content FROM run r JOIN dossier d ON d.id = r.dossier_id
            WHERE r.id NOT IN (SELECT run_id FROM run_plan)""").fetchall()
        for run_id, phase, dossier in runs:
            groups = _groups(json.loads(dossier), phase)
            plan = json.dumps({"version": 1, "groups": groups, "left_out": []}, ensure_ascii=False)
            conn.execute("INSERT INTO run_plan (run_id, content) VALUES (:run_id, :plan)", {"run_id": run_id, "plan": plan})
            acts = conn.execute("SELECT id, kind, detail FROM act WHERE run_id = :run_id ORDER BY id", {"run_id": run_id}).fetchall()
            for act_id, named in _named(groups, [(a, kind, json.loads(detail)) for a, kind, detail in acts]):
                conn.execute(
                    "UPDATE act SET detail = json_patch(detail, :named) WHERE id = :id", {"id": act_id, "named": json.dumps(named)}
                )
        conn.execute("""
            UPDATE reading SET quantity =
                (SELECT json_extract(detail, '$.indicator.quantity') FROM set_up WHERE set_up.id = reading.set_up_id)
            WHERE quantity IS NULL""")
        conn.execute("PRAGMA user_version = 17")
    except BaseException:
        conn.execute("ROLLBACK")
        raise
    conn.execute("COMMIT")


def _groups(dossier: dict[str, Any], phase: str) -> list[dict[str, Any]]:
    """The groups that were led through, each step whole."""
    if phase != PHASE:
        return []
    adjusters = {a["id"]: a for a in dossier["adjusters"]}
    out = []
    for g in dossier["procedure"]:
        if g["phase"] == phase and all(s["kind"] in KINDS for s in g["steps"]):
            steps = [
                {**s, "title": s.get("title") or _title(s, adjusters), "set": {**g.get("set", {}), **s.get("set", {})}} for s in g["steps"]
            ]
            out.append({**{k: v for k, v in g.items() if k != "set"}, "steps": steps})
    return out


def _title(step: dict[str, Any], adjusters: dict[str, dict[str, Any]]) -> str:
    return f"{VERBS[step['kind']]} {' and '.join(_phrase(adjusters[a]) for a in step['adjusters'])}".strip()


def _phrase(a: dict[str, Any]) -> str:
    transformer = a["tunes"].get("transformer")
    if transformer and a["name"].startswith(transformer + " "):
        return f"the {a['name'][len(transformer) + 1 :]} {a['kind']} of {transformer}"
    return f"the {a['name']}"


def _named(groups: list[dict[str, Any]], acts: list[tuple[int, str, dict[str, Any]]]) -> list[tuple[int, dict[str, Any]]]:
    """What each act names: its step and round, its group and round, or the visit it reopened. A walk through the old places."""
    group, step, number = 0, 0, 1
    open_visit: tuple[int, int, int, int] | None = None  # id, group, step, round
    done: list[tuple[int, int, int, int]] = []  # visits with an outcome that counts, in the order in which they were closed
    out: list[tuple[int, dict[str, Any]]] = []
    for act_id, kind, detail in acts:
        here = groups[group] if group < len(groups) else None
        if kind in ("set", "begin", "take", "no_peak", "skip") and here:
            out.append((act_id, {"step_id": here["steps"][step]["id"], "round": number}))
        if kind == "begin":
            open_visit = (act_id, group, step, number)
        elif kind in ("take", "no_peak", "skip") and here and open_visit:
            done.append(open_visit)
            open_visit = None
            if step + 1 < len(here["steps"]):
                step += 1
            elif here.get("repeat_until", {}).get("gain_below_db") is None:
                group, step, number = group + 1, 0, 1
        elif kind == "back" and done:
            visit_id, group, step, number = done.pop()
            open_visit = None
            out.append((act_id, {"visit": visit_id}))
        elif kind == "decide" and here:
            out.append((act_id, {"group_id": here["id"], "round": number}))
            group, step, number = (group, 0, number + 1) if detail["go_on"] else (group + 1, 0, 1)
    return out
