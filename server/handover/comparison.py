"""Plans beside each other as files: Markdown to be read, CSV to be computed with."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from decimal import Decimal

from django.utils.text import slugify

from handover.files import CSV
from rombel.formats.tables import write_comparison_csv
from rombel.ledger import PARTS, in_cents
from runs.comparing import Comparison, Figure

UNITS = {"percent": " %", "minutes": " min", "count": ""}


def comparison_markdown(found: Comparison) -> tuple[str, str, str]:
    """Return a comparison as Markdown, its media type and a file name."""
    lines = [f"# {_plain(found.study.name)}: {' beside '.join(_plain(column.name) for column in found.columns)}", ""]
    for each in found.against:
        lines += [f"## {_plain(each.column.name)}, beside {_plain(found.columns[0].name)}", ""]
        lines += [*(f"- {_plain(words)}" for words in each.sentences), ""]
        if each.bridge is not None:
            lines += ["What makes the difference, a month:", "", *_table(["", found.study.currency])]
            lines += [_row([name, f"{amount:,.2f}"]) for name, amount in in_cents(each.bridge).items()] + [""]
        if each.inputs:
            lines += ["Asked otherwise:", "", *_table(["what", found.columns[0].name, each.column.name])]
            lines += [_row([change.what, change.before, change.after]) for change in each.inputs] + [""]
    names = [column.name for column in found.columns]
    lines += ["## Figures", "", *_table(["", *names])]
    lines += [_row([line.name, *_marked(line, found.study.currency)]) for line in found.figures]
    if found.choices:
        lines += ["", "## Choices that differ", "", *_table(["", *names])]
        lines += [_row([name, *values]) for _, name, values in found.choices]
    return "\n".join(lines) + "\n", "text/markdown; charset=utf-8", f"{slugify(found.study.name)}-comparison.md"


def comparison_csv(found: Comparison) -> tuple[str, str, str]:
    """Return a comparison as CSV: figures first, then choices and what was asked otherwise; its media type and a file name."""
    rows: list[Sequence[object]] = []
    for line in found.figures:
        unit = found.study.currency if line.unit == "money" else line.unit
        rows.append(("figure", line.name, unit, *("" if value is None else value for value in line.values)))
    rows += [("choice", name, "", *values) for _, name, values in found.choices]
    for place, each in enumerate(found.against, 1):
        parts = {} if each.bridge is None else in_cents(each.bridge)
        for name in PARTS if parts else ():
            cells = [""] * len(found.columns)
            cells[place] = format(parts[name], "f")
            rows.append(("difference", name, found.study.currency, *cells))
        for change in each.inputs:
            cells = [change.before, *[""] * (len(found.columns) - 1)]
            cells[place] = change.after
            rows.append((f"asked: {change.group}", change.what, "", *cells))
    text = write_comparison_csv([column.name for column in found.columns], rows)
    return text, CSV, f"{slugify(found.study.name)}-comparison.csv"


def _marked(line: Figure, currency: str) -> Iterator[str]:
    """Yield figures with their unit; the best has a rhombus before it."""
    unit = f" {currency}" if line.unit == "money" else UNITS[line.unit]
    digits = {"money": 2, "percent": 2, "minutes": 2, "count": 0}[line.unit]
    for place, value in enumerate(line.values):
        text = "not known" if value is None else f"{Decimal(str(value)):,.{digits}f}{unit}"
        yield f"◆ {text}" if place in line.best else text


def _table(heads: Sequence[str]) -> list[str]:
    return [_row(heads), "|" + " --- |" * len(heads)]


def _row(cells: Sequence[str]) -> str:
    return (
        "| " + " | ".join(_plain(cell) or "none" if place else _plain(cell) for place, cell in enumerate(cells)) + " |"
    )


def _plain(text: str) -> str:
    """Return a text without what Markdown would read as its own."""
    return "".join(f"\\{sign}" if sign in "\\`*_[]<>|#" else sign for sign in text.replace("\n", " "))
