"""`make mutants`: small changes to the rules of the core, one at a time; which of them no test notices.

Cosmic Ray makes the changes (another comparison, another number, plus for minus, a condition turned round) in a
copy of the tree.  Of all that it finds in a module some are drawn from a seed; each is given to the tests of that
module, which stop at the first that fails.  What survives is listed in build/mutants, and counted in
docs/benchmarks.md.
"""

from __future__ import annotations

import argparse
import ast
import os
import random
import shutil
import subprocess
import sys
import uuid
from concurrent.futures import ThreadPoolExecutor
from datetime import UTC, datetime
from pathlib import Path
from queue import SimpleQueue

ROOT = Path(__file__).parents[1]
OUT = ROOT / "build" / "mutants"
REPORT = ROOT / "docs" / "benchmarks.md"
TITLE = "## Small changes to the rules"
#: At most this share may survive [1].
ASKED = 0.15
#: A mutant that takes longer is stuck [s].
_TIMEOUT_S = 120.0
#: Small changes: one comparison for its neighbour or its opposite, one sign, one number, one condition.
_OPERATORS = (
    "NumberReplacer", "ReplaceComparisonOperator", "AddNot", "ReplaceAndWithOr", "ReplaceOrWithAnd", "ReplaceTrue",
    "ReplaceFalse", "ReplaceUnaryOperator_Delete", "BinaryOperator_Add_Sub", "BinaryOperator_Sub_Add",
    "BinaryOperator_Mul_Div", "BinaryOperator_Div_Mul", "ReplaceContinueWithBreak", "ZeroIterationForLoop",
)  # fmt: skip
#: Every module, and the tests that are there to notice.
MODULES = {
    "asked/landing": "flight/test_flight.py answer/test_forecast.py",
    "parts/craft": "parts/test_craft.py parts/test_estimates.py answer/test_forecast.py",
    "parts/craft_load": "parts/test_craft.py parts/test_propulsion.py parts/test_estimates.py "
    "answer/test_forecast.py",
    "parts/pack": "parts/test_pack.py parts/test_measured.py parts/test_layout.py parts/test_pack_of_cells.py "
    "discharge/test_discharge.py trials/test_lessons.py",
    "parts/pack_figures": "parts/test_pack_figures_rules.py parts/test_pack.py parts/test_measured.py",
    "answer/checks": "answer/test_forecast.py answer/test_any_sheet.py",
    "answer/current_checks": "answer/test_forecast.py answer/test_any_sheet.py",
    "asked/changes": "asked/test_changes.py choose/test_buys.py",
    "answer/plausibility": "answer/test_plausibility.py",
    "learn/plausibility": "answer/test_plausibility.py learn/test_calibration_doubts.py",
    "answer/thresholds": "answer/test_forecast.py callouts/test_schools.py callouts/test_tune.py",
    "answer/lead": "answer/test_lead.py answer/test_forecast.py callouts/test_schools.py callouts/test_any_plan.py",
    "callouts/score": "callouts/test_score.py",
    "choose/search": "choose/test_search.py",
    "choose/compare": "choose/test_compare.py",
    "learn/correction": "learn/test_correction.py asked/test_learned_factors.py",
    "learn/learned": "learn/test_correction.py asked/test_learned_factors.py",
    "learn/observation": "learn/test_correction.py",
    "learn/timer": "learn/test_timer.py",
    "learn/threshold": "learn/test_threshold.py",
    "learn/health": "learn/test_health.py",
    "trials/verdict": "trials/test_trials.py",
    "trials/looks": "trials/test_trials.py",
    "trials/spoiled": "trials/test_trials.py",
    "trials/adjust": "trials/test_trials.py",
    "learn/calibration": "learn/test_calibration.py learn/test_scales.py learn/test_measured_points.py",
    "learn/log_fit": "learn/test_log_fit.py",
    "learn/log_told": "learn/test_log_fit.py learn/test_correction.py",
    "faults/reckoned": "faults/test_reckoned.py",
    "faults/next_check": "faults/test_reckoned.py faults/test_case.py",
    "faults/told": "faults/test_case.py faults/test_part.py",
    "faults/part": "faults/test_part.py",
    "practice/course": "practice/test_drills.py",
    "practice/score": "practice/test_drills.py",
    "practice/asked": "practice/test_drills.py",
}


def _tests(module: str) -> list[str]:
    # What entities accept first: it is the quickest; then all answers.
    return [
        f"tests/core/{name}"
        for name in ("test_bounds.py", "test_edges.py", "test_answers.py", *MODULES[module].split())
    ]


def _unnoticeable(source: str) -> set[int]:
    """Lines whose changes mean nothing to a run: decorators and their arguments."""
    lines: set[int] = set()
    for node in ast.walk(ast.parse(source)):
        if isinstance(node, ast.FunctionDef | ast.ClassDef):
            for decorator in node.decorator_list:
                lines.update(range(decorator.lineno, (decorator.end_lineno or decorator.lineno) + 1))
    return lines


def _only_names(source: str, place: tuple[int, int]) -> bool:
    """Whether a star is that of a signature, after which arguments go by their names: no sum to be changed."""
    return source.splitlines()[place[0] - 1][place[1] :].startswith(("*,", "*\n"))


def _config(module: str, tree: Path) -> Path:
    command = " ".join([sys.executable, "-m", "pytest", "-x", "-q", "-p", "no:cacheprovider", *_tests(module)])
    path = tree / f"{module.replace('/', '-')}.toml"
    path.write_text(
        f'[cosmic-ray]\nmodule-path = "src/zesty_cell/core/{module}.py"\ntimeout = {_TIMEOUT_S}\n'
        f'excluded-modules = []\ntest-command = "{command}"\n\n[cosmic-ray.distributor]\nname = "local"\n'
    )
    return path


def _run(tree: Path, *arguments: str) -> None:
    env = os.environ | {"PYTHONPATH": f"{tree / 'src'}:{tree}"}
    ray = str(Path(sys.executable).with_name("cosmic-ray"))
    subprocess.run([ray, *arguments], cwd=tree, env=env, check=True, stdout=subprocess.DEVNULL)


def _draw(session: Path, module: str, count: int) -> None:
    """Leave some of the changes found, the same for the same code."""
    from cosmic_ray.work_db import WorkDB
    from cosmic_ray.work_item import WorkItem

    source = (ROOT / "src" / "zesty_cell" / "core" / f"{module}.py").read_text()
    skipped = _unnoticeable(source)
    database = WorkDB(session, WorkDB.Mode.open)
    small = [
        item.mutations[0]
        for item in database.work_items
        if any(name in item.mutations[0].operator_name for name in _OPERATORS)
        and item.mutations[0].start_pos[0] not in skipped
        and not _only_names(source, item.mutations[0].start_pos)
    ]
    small.sort(key=lambda m: (m.start_pos, m.end_pos, m.operator_name, m.occurrence))
    # One change a place: a number has two neighbours, a comparison five others.
    random.Random(module).shuffle(small)
    places = {m.start_pos: m for m in small}
    drawn = sorted(places.values(), key=lambda m: (_rank(module, m.start_pos), m.start_pos))[:count]
    database.clear()
    database.add_work_items([WorkItem.single(uuid.uuid4().hex, m) for m in drawn])
    database.close()


def _rank(module: str, place: tuple[int, int]) -> float:
    """A number drawn for a place, the same in every run."""
    return random.Random(f"{module}:{place}").random()


def _copy(number: int) -> Path:
    """A tree of its own to change; compiled files come along, so that the kernel need not be compiled again."""
    tree = OUT / f"tree-{number}"
    shutil.rmtree(tree, ignore_errors=True)
    tree.mkdir(parents=True)
    for part in ("src", "tests", "benchmarks", "docs"):
        shutil.copytree(ROOT / part, tree / part, copy_function=shutil.copy2)
    shutil.copy2(ROOT / "pyproject.toml", tree)
    shutil.copy2(ROOT / "README.md", tree)
    return tree


def mutate(module: str, count: int, trees: SimpleQueue[Path]) -> tuple[str, int, list[str]]:
    """Changes of a module that were tried, and those that survived as differences."""
    tree = trees.get()
    try:
        session = _session(module)
        session.unlink(missing_ok=True)
        config = _config(module, tree)
        _run(tree, "init", str(config), str(session))
        _draw(session, module, count)
        _run(tree, "exec", str(config), str(session))
    finally:
        trees.put(tree)
    found = outcome(module)
    print(f"{module}: {found[1] - len(found[2])} of {found[1]} noticed", flush=True)
    return found


def _session(module: str) -> Path:
    return OUT / f"{module.replace('/', '-')}.sqlite"


def outcome(module: str) -> tuple[str, int, list[str]]:
    """Changes of a module that were tried last, and those that survived."""
    # Only `make mutants` has it.
    from cosmic_ray.work_db import WorkDB
    from cosmic_ray.work_item import TestOutcome

    database = WorkDB(_session(module), WorkDB.Mode.open)
    done = list(database.completed_work_items)
    database.close()
    alive = [r.diff or "" for _, r in done if r.test_outcome is TestOutcome.SURVIVED]
    return module, len(done), alive


def _write(found: list[tuple[str, int, list[str]]]) -> float:
    tried, alive = sum(n for _, n, _ in found), sum(len(a) for _, _, a in found)
    lines = [
        TITLE,
        "",
        f"Written by `make mutants` on {datetime.now(UTC):%Y-%m-%d}: Cosmic Ray changes one comparison, sign,",
        "number or condition at a time, drawn from a seed, and the tests of that module are run until one fails.",
        f"{tried - alive} of {tried} are noticed; {100 * alive / max(tried, 1):.0f} % survive, at most "
        f"{100 * ASKED:.0f} % may.",
        "",
        "| module | changes | noticed | survive |",
        "| --- | --- | --- | --- |",
    ]
    lines += [f"| core/{m}.py | {n} | {n - len(a)} | {100 * len(a) / max(n, 1):.0f} % |" for m, n, a in found]
    text = REPORT.read_text()
    before = text.split(TITLE)[0].rstrip()
    REPORT.write_text(before + "\n\n" + "\n".join(lines) + "\n")
    (OUT / "survivors.txt").write_text("\n".join(f"{m}\n{d}\n" for m, _, a in found for d in a))
    return alive / max(tried, 1)


def main() -> int:
    """Returns 1 when more survive than may."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--count", type=int, default=24, help="changes tried in each module")
    parser.add_argument("modules", nargs="*", help="all of them without")
    asked = parser.parse_args()
    OUT.mkdir(parents=True, exist_ok=True)
    trees: SimpleQueue[Path] = SimpleQueue()
    workers = os.cpu_count() or 1
    for k in range(workers):
        trees.put(_copy(k))
    modules = asked.modules or list(MODULES)
    with ThreadPoolExecutor(workers) as pool:
        found = list(pool.map(lambda m: mutate(m, asked.count, trees), modules))
    for module, _, alive in found:
        for diff in alive:
            print(f"--- survived in {module}\n{diff}")
    # Of those not asked for, as they were tried last.
    every = [outcome(m) for m in MODULES if _session(m).exists()]
    return 0 if _write(every) <= ASKED else 1


if __name__ == "__main__":
    raise SystemExit(main())
