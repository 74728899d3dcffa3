"""YAML text to plain values that remember their line and column; safe by construction.

No tags but YAML's own, no key twice, and a bound on what aliases may expand to.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

import yaml

from rombel.errors import Fault, InputRefused

MOST_VALUES = 300_000
"""Most values one text may expand to."""

MOST_DEPTH = 60
"""Deepest nesting that is read."""


@dataclass(frozen=True, slots=True)
class Located:
    """A value and where it stood: a dict or list of ``Located``, or a scalar."""

    value: Any
    line: int
    column: int

    def get(self, *path: str) -> Located | None:
        """Return the value at a path of keys, or None when a step is missing, null, or no mapping."""
        here: Located | None = self
        for key in path:
            if here is None or not isinstance(here.value, dict):
                return None
            here = here.value.get(key)
        return None if here is None or here.value is None else here

    def items(self) -> list[Located]:
        """Return the entries of a list; anything else has none."""
        return self.value if isinstance(self.value, list) else []

    def fault(self, code: str, path: str, reason: str, mend: str) -> Fault:
        """Return a fault that points here."""
        return Fault(code, path, reason, mend, self.line, self.column)


def load_documents(text: str) -> tuple[list[Located], list[Fault]]:
    """Return the documents that could be read, and the faults of those that could not."""
    documents: list[Located] = []
    try:
        budget = [MOST_VALUES]
        for node in _compose(text):
            documents.append(_located(node, budget, 0))
    except yaml.MarkedYAMLError as error:
        mark = error.problem_mark or error.context_mark
        line, column = (mark.line + 1, mark.column + 1) if mark else (1, 1)
        reason = f"This is not YAML: {error.problem or error.context}."
        return documents, [Fault("yaml.text", "", reason, "Correct the text there.", line, column)]
    except yaml.YAMLError as error:
        return documents, [Fault("yaml.text", "", f"This is not YAML: {error}.", "Save it as plain UTF-8 text.", 1, 1)]
    except InputRefused as refused:
        return documents, list(refused.faults)
    except RecursionError:
        return documents, [Fault("yaml.deep", "", "The YAML text is nested too deeply.", "Flatten it.", 1, 1)]
    return documents, []


def _compose(text: str) -> Iterator[yaml.Node]:
    loader = yaml.SafeLoader(text)
    try:
        while loader.check_node():
            node = loader.get_node()
            if node is not None:
                yield node
    finally:
        loader.dispose()


def _located(node: yaml.Node, budget: list[int], depth: int) -> Located:
    line, column = node.start_mark.line + 1, node.start_mark.column + 1
    budget[0] -= 1
    if budget[0] < 0 or depth > MOST_DEPTH:
        reason = f"The text expands to more than {MOST_VALUES:,} values or {MOST_DEPTH} levels."
        raise InputRefused([Fault("yaml.large", "", reason, "Write out the aliases you need.", line, column)])
    if isinstance(node, yaml.MappingNode):
        return Located(_mapping(node, budget, depth), line, column)
    if isinstance(node, yaml.SequenceNode):
        return Located([_located(entry, budget, depth + 1) for entry in node.value], line, column)
    return Located(_scalar(node, line, column), line, column)


def _mapping(node: yaml.MappingNode, budget: list[int], depth: int) -> dict[str, Located]:
    result: dict[str, Located] = {}
    for key_node, value_node in node.value:
        key, value = _located(key_node, budget, depth + 1), _located(value_node, budget, depth + 1)
        if key_node.tag == "tag:yaml.org,2002:merge":
            for source in value.items() or [value]:
                merged = source.value if isinstance(source.value, dict) else {}
                result = {**merged, **result}
            continue
        name = str(key.value)
        if name in result:
            raise InputRefused([key.fault("yaml.twice", name, f"The key '{name}' stands twice.", "Keep one of them.")])
        result[name] = value
    return result


def _scalar(node: yaml.Node, line: int, column: int) -> Any:
    tag = node.tag.removeprefix("tag:yaml.org,2002:")
    if tag == node.tag or tag not in ("str", "int", "float", "bool", "null", "timestamp", "merge", "value"):
        reason = f"The tag '{node.tag}' is not read."
        raise InputRefused([Fault("yaml.tag", "", reason, "Write the value without a tag.", line, column)])
    if tag == "null":
        return None
    if tag == "bool":
        return node.value.lower() in ("true", "yes", "on")
    if tag == "int" and node.value.lstrip("+-").isdigit():
        return int(node.value[:4000])
    return node.value
