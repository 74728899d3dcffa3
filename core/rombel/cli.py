"""The command line: ``python -m rombel fit | check | preflight | drill | rehearse | bill | warm``.

Exit status: 0 fit found (or the solution holds), 1 the solution breaks a rule, 2 infeasible (proved), 3 bad input, 4 nothing
found and nothing proved, 5 a defect of ours: an answer that breaks a rule, with a file to send.
``rehearse`` has its own: 0 little enough of the demand was late, 1 more was, 3 bad input.
``bill`` has its own: 0 told, 3 bad input, a solution that breaks a rule among it.
``preflight`` has its own: 0 clean or notes alone, 1 care, 2 stop, 3 bad input.
``drill`` has its own: 0 all drills held, 1 one was strained, 2 one was broken, 3 bad input.
Progress and errors go to standard error.
"""

from __future__ import annotations

import argparse
import ctypes
import json
import os
import sys
from collections.abc import Iterator, Sequence
from concurrent.futures import ProcessPoolExecutor
from contextlib import contextmanager
from dataclasses import asdict
from multiprocessing import get_context
from pathlib import Path
from typing import Any

from rombel import __version__
from rombel.errors import CheckFailed, InputRefused, refuse
from rombel.fit import FitParams, Progress, check, fit_knowing, proved_floor
from rombel.formats import (
    RehearsalSettings,
    read_drill_book,
    read_openmetrics,
    read_problem,
    read_range_query,
    read_rehearsal,
    read_solution,
    read_study_file,
    read_usage_csv,
    write_cost_data,
    write_problem,
    write_solution,
)
from rombel.formats.tables import BILL_COLUMNS, write_bill_csv
from rombel.inquiry.rehearsing import rehearsal_of_series
from rombel.ledger import (
    MONTH,
    Account,
    bill_of,
    bill_rows,
    cost_rows,
    hours_of_month,
    line_amounts,
    month_of,
    rounded,
    shared_out,
)
from rombel.model.drill import DrillBook, Mark
from rombel.model.fit_problem import FitProblem
from rombel.model.fit_solution import FitSolution, FitStatus
from rombel.plan import warm_fit, warm_rehearsal
from rombel.preflight import Finding, Grade, Situation, When, exported_variants, findings, gravest
from rombel.simulate.drilling import play_book
from rombel.simulate.implied import with_implied
from rombel.simulate.rehearsal import rehearse

FOUND, BROKEN, INFEASIBLE, BAD_INPUT, NOTHING_FOUND, DEFECT = range(6)
REPORT = Path("rombel-defect.txt")


def main(arguments: Sequence[str] | None = None) -> int:
    """Run one command and return its exit status."""
    options = _parser().parse_args(arguments)
    # What is wrong with the input is the user's matter, and is told in lines; anything else is ours, and may show its trace.
    try:
        return int(options.run(options))
    except InputRefused as refused:
        for fault in refused.faults:
            print(f"rombel: {fault}", file=sys.stderr)
        return BAD_INPUT


def entry() -> None:
    """Run the command line as a program of its own."""
    sys.exit(main())


def _parser() -> argparse.ArgumentParser:
    parser = _Parser(prog="rombel", description="Sizes node pools over availability zones at least cost.")
    parser.add_argument("--version", action="version", version=f"rombel {__version__}")
    commands = parser.add_subparsers(required=True, metavar="COMMAND")
    solve = commands.add_parser("fit", help="compute the fit of a problem file")
    solve.add_argument("problem", type=Path, help="problem file (JSON, rombel-fit-problem/1)")
    solve.add_argument("--out", type=Path, help="where the solution goes; standard output when left out")
    solve.add_argument("--seed", type=int, default=0, help="seed of the search (default 0)")
    solve.add_argument(
        "--seconds", type=_seconds, default=None, help="stop after so many seconds, keep the best so far"
    )
    solve.add_argument(
        "--known",
        type=Path,
        # Told several times it is several solutions, of which the best that holds here is begun with.
        action="append",
        default=[],
        metavar="SOLUTION",
        help="an earlier solution to start from; the answer is no dearer than it where it holds here (may be repeated)",
    )
    solve.add_argument("--quiet", action="store_true", help="no progress on standard error")
    solve.set_defaults(run=_fit)
    verify = commands.add_parser("check", help="check anybody's solution of a problem")
    verify.add_argument("problem", type=Path)
    verify.add_argument("solution", type=Path, help="solution file (JSON, rombel-fit-solution/1)")
    verify.set_defaults(run=_check)
    before = commands.add_parser("preflight", help="say what of a study or a solution would fail or is risky")
    before.add_argument("file", type=Path, help="a study's file (JSON, rombel-study/1), or a problem with its solution")
    before.add_argument("solution", type=Path, nargs="?", help="the solution, where the file is a problem")
    before.add_argument("--variant", help="name of the study's variant; left out, its reference")
    before.add_argument("--json", action="store_true", help="findings as JSON, rombel-preflight/1")
    before.set_defaults(run=_preflight)
    _add_questions(commands)
    warm = commands.add_parser("warm", help="compile what is compiled, ahead of the first use")
    warm.set_defaults(run=_warm)
    return parser


def _of_plan(commands: Any, name: str, words: str) -> argparse.ArgumentParser:
    """Return the parser of a command that is about a problem and its solution."""
    command: argparse.ArgumentParser = commands.add_parser(name, help=words)
    command.add_argument("problem", type=Path)
    command.add_argument("solution", type=Path)
    return command


def _add_questions(commands: Any) -> None:
    """Add what is asked of a plan that is there: drills, a rehearsal, its bill."""
    drill = _of_plan(commands, "drill", "play failures and changes on a solution")
    drill.add_argument(
        "--book",
        type=Path,
        help="drill book (JSON, rombel-drill-book/1); left out, the drills that the problem's promises imply",
    )
    drill.add_argument("--seed", type=int, default=0, help="seed of what is drawn by chance (default 0)")
    drill.add_argument("--json", action="store_true", help="everything that was seen, as JSON")
    drill.set_defaults(run=_drill)
    play = _of_plan(commands, "rehearse", "play demand through time against the limits of a solution")
    play.add_argument(
        "demand", type=Path, help="series of CPU or rates by workload (CSV, range-query JSON, OpenMetrics)"
    )
    play.add_argument("--settings", type=Path, help="how workloads and pools scale (JSON, rombel-rehearsal/1)")
    play.add_argument("--seed", type=int, default=0, help="seed of starts and interruptions (default 0)")
    play.add_argument("--late", type=float, default=0.1, metavar="PERCENT", help="how much may be late (default 0.1)")
    play.add_argument("--json", action="store_true", help="everything that was seen, as JSON")
    play.set_defaults(run=_rehearse)
    bill = _of_plan(commands, "bill", "say what a solution costs, line by line, and who pays for what")
    bill.add_argument("--month", metavar="YYYY-MM", help="a month of the calendar; left out, one of 730 hours")
    bill.add_argument(
        "--json", action="store_true", help="lines and who pays for what, as JSON; left out, lines as CSV"
    )
    bill.add_argument(
        "--cost-data", action="store_true", help="of --month by day, as CSV of the FinOps cost and usage format"
    )
    bill.set_defaults(run=_bill)


class _Parser(argparse.ArgumentParser):
    def error(self, message: str) -> None:  # type: ignore[override]
        """Print the usage and leave with the status of bad input."""
        # The library would leave with 2, which means that a problem is proved infeasible here.
        self.print_usage(sys.stderr)
        self.exit(BAD_INPUT, f"{self.prog}: {message}\n")


def _seconds(text: str) -> float:
    value = float(text)
    # Not written as `<= 0`: a value that is no number compares as false with everything.
    if not value > 0 or value > 86_400:
        raise argparse.ArgumentTypeError(f"'{text}' is not between 0 and 86400 seconds")
    return value


def _read(path: Path) -> str:
    try:
        # Editors of some systems begin a file with a mark of its encoding.
        return path.read_bytes().decode("utf-8-sig")
    except OSError as error:
        raise refuse("file.read", str(path), f"It cannot be read: {error.strerror}.", "Name a readable file.") from None
    except UnicodeDecodeError as error:
        raise refuse("file.text", str(path), f"Byte {error.start} is not UTF-8.", "Save it as UTF-8.") from None


class _Printer:
    """Prints progress, one line for each change of phase, cost or floor."""

    def __init__(self) -> None:
        self._last = ""

    def on_progress(self, progress: Progress) -> bool:
        """Print the line if it says something new; never stop."""
        line = f"{progress.phase}: cost {progress.cost_per_hour} an hour, floor {progress.floor_per_hour}"
        # Many moments of the search bring nothing new; a log of a pipeline should stay short.
        if line != self._last:
            print(f"{round(100 * progress.share):3d} % {line}", file=sys.stderr)
        self._last = line
        return False


@contextmanager
def _libraries_on_standard_error() -> Iterator[None]:
    """Keep the answer clean: the linear solver prints a line of its own at times, whatever it is told."""
    sys.stdout.flush()
    kept = os.dup(1)
    os.dup2(2, 1)
    try:
        yield
    finally:
        # The solver writes by the C library, whose buffer is emptied while it still goes to standard error.
        ctypes.CDLL(None).fflush(None)
        os.dup2(kept, 1)
        os.close(kept)


def _fit(options: argparse.Namespace) -> int:
    problem = read_problem(_read(options.problem))
    known = [read_solution(_read(path)) for path in options.known]
    params, observer = FitParams(seconds=options.seconds), None if options.quiet else _Printer()
    with _libraries_on_standard_error():
        try:
            solution = fit_knowing(problem, known, seed=options.seed, params=params, observer=observer)
        except CheckFailed as failed:
            return _report(failed, write_problem(problem), options.seed)
    text = write_solution(solution) + "\n"
    if options.out is None:
        sys.stdout.write(text)
    else:
        try:
            options.out.write_text(text, "utf-8")
        except OSError as error:
            reason = f"It cannot be written: {error.strerror}."
            raise refuse("file.write", str(options.out), reason, "Name a file in a folder you may write to.") from None
    for reason in solution.reasons:
        print(f"rombel: {reason}", file=sys.stderr)
    # Both hold no plan, and only the first is a proof that there is none.
    without = {FitStatus.INFEASIBLE: INFEASIBLE, FitStatus.UNKNOWN: NOTHING_FOUND}
    return without.get(solution.status, FOUND)


def _report(failed: CheckFailed, problem: str, seed: int) -> int:
    """Write down what somebody must know to fix a defect of ours, and return the exit status of one."""
    lines = [f"rombel {__version__}, seed {seed}", *failed.violations, problem, ""]
    print("rombel: the answer found breaks a rule. That is a defect of ours; no answer is given.", file=sys.stderr)
    try:
        REPORT.write_text("\n".join(lines), "utf-8")
        print(f"rombel: please send the file {REPORT}.", file=sys.stderr)
    except OSError as error:
        print(f"rombel: {REPORT} cannot be written: {error.strerror}.", file=sys.stderr)
    return DEFECT


def _check(options: argparse.Namespace) -> int:
    problem, solution = read_problem(_read(options.problem)), read_solution(_read(options.solution))
    report = check(problem, solution)
    for line in report.violations:
        print(line)
    print(f"landing: {report.landing}")
    # Worked out anew from the prices in the file: what the file states is shown beside it, and not believed.
    if solution.certificate is not None:
        proved = proved_floor(problem, solution.certificate)
        print(f"floor: {proved:.6f} an hour proved by the prices in the file, {solution.floor_per_hour} stated")
    print(
        f"{'holds' if report.holds else 'broken'}: cost {report.cost_per_hour} an hour, {len(report.violations)} violations"
    )
    return FOUND if report.holds else BROKEN


def _sound(options: argparse.Namespace, code: str, use: str) -> tuple[FitProblem, FitSolution]:
    """Return the problem and a solution that breaks none of its rules; ``use`` says what it is wanted for."""
    problem, solution = read_problem(_read(options.problem)), read_solution(_read(options.solution))
    if violations := check(problem, solution).violations:
        reason = f"The solution breaks a rule of the problem: {violations[0]}"
        raise refuse(code, str(options.solution), reason, f"{use} a solution that 'check' finds sound.")
    return problem, solution


def _drill(options: argparse.Namespace) -> int:
    problem, solution = _sound(options, "drill.solution", "Play drills on")
    book = read_drill_book(_read(options.book)) if options.book else with_implied(problem, solution, DrillBook())
    results = play_book(problem, solution, book, seed=options.seed)
    if options.json:
        print(json.dumps({"drills": [asdict(result) for result in results]}, indent=2, ensure_ascii=False))
    else:
        for result in results:
            print(f"{result.mark}: {result.drill.name}" + (f" - {result.reason}" if result.reason else ""))
    # The worst mark is the exit status, so that a delivery pipeline can gate on it.
    return max((list(Mark).index(result.mark) for result in results), default=0)


def _rehearse(options: argparse.Namespace) -> int:
    problem, solution = read_problem(_read(options.problem)), read_solution(_read(options.solution))
    settings = read_rehearsal(_read(options.settings)) if options.settings else RehearsalSettings()
    text = _read(options.demand)
    # A range query is JSON, and OpenMetrics ends as nothing else does.
    read = (
        read_range_query
        if text.lstrip().startswith("{")
        else read_openmetrics
        if "# EOF" in text[-20:]
        else read_usage_csv
    )
    reading = read(text)
    if reading.faults:
        raise InputRefused(reading.faults)
    found = rehearse(
        problem, solution, rehearsal_of_series(problem, solution, reading.series, settings), seed=options.seed
    )
    late = 100 * found.share("late")
    if options.json:
        print(json.dumps(asdict(found), indent=2, ensure_ascii=False, default=str))
    else:
        print(f"late: {late:.3f} % of the demand, lost {100 * found.share('lost'):.3f} %")
        print(f"waiting: {found.waited_min:.1f} pod-minutes, {found.started} nodes started, {found.stopped} stopped")
        print(
            f"cost: {found.total:.2f} {problem.currency}, {found.planned:.2f} for the nodes of the solution all the time"
        )
        if found.bottleneck:
            print(found.bottleneck)
    return FOUND if late <= options.late else BROKEN


def _bill(options: argparse.Namespace) -> int:
    problem, solution = _sound(options, "ledger.solution", "Bill")
    month = month_of(options.month or "")
    if options.month and not month:
        raise refuse("ledger.period", "--month", f"'{options.month}' is no month.", "Write a month such as 2028-02.")
    bill = bill_of(problem, solution, hours=hours_of_month(*month) if month else MONTH)
    if options.cost_data:
        if not month:
            raise refuse("ledger.period", "--month", "Cost data is of a month.", "Add such as --month 2028-02.")
        print(write_cost_data(cost_rows(bill, *month, Account("plan", "not stated", ""))), end="")
        return FOUND
    amounts = line_amounts(bill)
    rows = bill_rows(bill, amounts)
    if options.json:
        lines = [dict(zip(BILL_COLUMNS, row, strict=True)) for row in rows]
        shares = rounded(shared_out(bill, problem, solution))
        value = {"currency": bill.currency, "total": sum(amounts), "charges": lines, "shares": shares}
        print(json.dumps(value, indent=2, ensure_ascii=False, default=str))
    else:
        print(write_bill_csv(rows, {}), end="")
    return FOUND


def _preflight(options: argparse.Namespace) -> int:
    at = _situation(options)
    found = findings(at)
    # What a rule of the fit forbids is no matter of opinion.
    violations = () if at.problem is None or at.solution is None else check(at.problem, at.solution).violations
    broken = [
        Finding("fit.rule", Grade.STOP, When.JOINING, "fit", violation.rstrip("."), "Fit again.")
        for violation in violations
    ]
    found = [*broken, *found]
    if options.json:
        value = {"format": "rombel-preflight/1", "findings": [_plain(each) for each in found]}
        print(json.dumps(value, indent=2, ensure_ascii=False))
    else:
        for each in found:
            print(f"{each.grade}: {each.text}, {each.when}. {each.fix}")
    return {Grade.STOP: 2, Grade.CARE: 1}.get(gravest(found) or Grade.NOTE, 0)


def _situation(options: argparse.Namespace) -> Situation:
    """Return what rules look at: of a variant of a study's file, or of a problem and its solution."""
    if options.solution is not None:
        problem, solution = read_problem(_read(options.file)), read_solution(_read(options.solution))
        return Situation(survive=problem.survive_zone, zones=problem.zones, problem=problem, solution=solution)
    variants = exported_variants(read_study_file(_read(options.file)))
    wanted = [each for each in variants if (options.variant == each.name if options.variant else each.is_reference)]
    if not wanted:
        names = ", ".join(each.name for each in variants) or "none that can be judged"
        raise refuse("study.variant", "--variant", "The study has no such variant.", f"It has {names}.")
    if not wanted[0].planned:
        print(f"{wanted[0].name} has no plan: rules that look at one are silent.", file=sys.stderr)
    return wanted[0].situation


def _plain(found: Finding) -> dict[str, str]:
    """Return a finding as it is written; an edit that mends it is for whoever has the study."""
    return {name: str(getattr(found, name)) for name in ("code", "grade", "when", "place", "text", "fix")}


def _warm(_: argparse.Namespace) -> int:
    with ProcessPoolExecutor(1, get_context("spawn")) as beside:
        rehearsals = beside.submit(warm_rehearsal)
        warm_fit()
        rehearsals.result()
    return FOUND
