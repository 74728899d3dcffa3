"""What would fail, is risky or is good to know, before anybody builds."""

from collections.abc import Iterable
from importlib import import_module
from pkgutil import iter_modules

from rombel.preflight import rules as _rules
from rombel.preflight.exported import ExportedVariant, exported_variants, situation_value
from rombel.preflight.prerequisites import Prerequisite, prerequisites
from rombel.preflight.rule import RULES, Finding, Grade, Mend, Rule, When
from rombel.preflight.situation import Money, Plane, Situation

for _module in iter_modules(_rules.__path__):
    import_module(f"{_rules.__name__}.{_module.name}")

__all__ = [
    "RULES",
    "ExportedVariant",
    "Finding",
    "Grade",
    "Mend",
    "Money",
    "Plane",
    "Prerequisite",
    "Rule",
    "Situation",
    "When",
    "exported_variants",
    "findings",
    "gravest",
    "prerequisites",
    "situation_value",
]


def findings(at: Situation) -> list[Finding]:
    """Return everything that any rule finds, the gravest first, then by when it would have struck."""
    grades, times = list(Grade), list(When)
    found = [finding for rule in RULES.values() for finding in rule.findings(at)]
    return sorted(found, key=lambda each: (grades.index(each.grade), times.index(each.when), each.place, each.text))


def gravest(found: Iterable[Finding]) -> Grade | None:
    """Return the gravest grade; None: nothing was found."""
    grades = {finding.grade for finding in found}
    return next((grade for grade in Grade if grade in grades), None)
