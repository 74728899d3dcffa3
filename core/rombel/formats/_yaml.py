"""YAML and JSON text to plain values that remember their line and column, and whether anybody read them.

Safe by construction: no tags but YAML's own, no key twice, and a bound on what aliases may expand to.
"""

from __future__ import annotations

import json
import re
from collections.abc import Iterator
from dataclasses import dataclass, field
from typing import Any

import numpy as np
import yaml

from rombel.errors import Fault, InputRefused
from rombel.formats.reading import Watch, unwatched

MOST_VALUES = 300_000
"""Most values that aliases may add; what is written out counts by the size of the text."""

MOST_DEPTH = 60
"""Deepest nesting that is read."""

LARGE = 2**20
"""JSON texts of more characters are read without places first; with a fault they are read again."""

_FAST: Any = getattr(yaml, "CSafeLoader", yaml.SafeLoader)
# In one line ``- - - x`` nests lists without a bracket; five hundred of them are no list that anybody wrote.
_NESTED_DASHES = re.compile(r"(?:[-?:] +){500}")


@dataclass(slots=True)
class Located:
    """A value and where it stood: a dict or list of ``Located``, or a scalar.

    ``read`` tells whether somebody took the value; what stays unread is what a reader ignored.
    """

    value: Any
    line: int
    column: int
    read: bool = field(default=False, compare=False)

    def get(self, *path: str) -> Located | None:
        """Return the value at a path of keys, or None when a step is missing, null, or no mapping."""
        here: Located | None = self
        for key in path:
            if here is None or not isinstance(here.value, dict):
                return None
            here = here.value.get(key)
        # A key that is there and empty is as if it were not: manifests leave many so.
        if here is None or here.value is None:
            return None
        here.read = True
        return here

    def text(self, *path: str) -> str:
        """Return the scalar at a path as text; empty where there is none."""
        found = self.get(*path)
        return "" if found is None or isinstance(found.value, (dict, list)) else str(found.value)

    def __str__(self) -> str:
        """Return a scalar as text, or what kind of thing stands there: what readers take and messages name."""
        if isinstance(self.value, (dict, list)):
            return "a list" if isinstance(self.value, list) else "a mapping"
        return str(self.value)

    def items(self) -> list[Located]:
        """Return the entries of a list; anything else has none."""
        return self.value if isinstance(self.value, list) else []

    def mapping(self, *path: str) -> dict[str, str]:
        """Return the scalars of the mapping at a path, by key; nothing where there is none.

        Lists and mappings within it stay unread, so that the reader tells of them.
        """
        found = self.get(*path)
        if found is None or not isinstance(found.value, dict):
            return {}
        scalars = {key: entry for key, entry in found.value.items() if not isinstance(entry.value, (dict, list))}
        for entry in scalars.values():
            entry.read = True
        return {key: str(entry.value) for key, entry in scalars.items() if entry.value is not None}

    def unread(self, path: str = "") -> list[tuple[str, int]]:
        """Return the path and line of every value nobody took, the whole rather than its parts."""
        if self.value is None:
            return []
        if not isinstance(self.value, (dict, list)):
            return [] if self.read else [(path, self.line)]
        if isinstance(self.value, dict):
            parts = [(f"{path}.{key}" if path else key, entry) for key, entry in self.value.items()]
        else:
            parts = [(f"{path}[]", entry) for entry in self.value]
        # Where no part was taken the whole is told, and not each of its leaves.
        rest = [(name, entry, entry.unread(name)) for name, entry in parts]
        taken = any(left != [(name, entry.line)] for name, entry, left in rest) or (self.read and not parts)
        return [line for _, _, left in rest for line in left] if taken else [(path, self.line)]

    def taken(self, path: str = "") -> Iterator[str]:
        """Yield the path of every scalar somebody took."""
        if isinstance(self.value, dict):
            for key, entry in self.value.items():
                yield from entry.taken(f"{path}.{key}" if path else key)
        elif isinstance(self.value, list):
            for entry in self.value:
                yield from entry.taken(f"{path}[]")
        elif self.read and self.value is not None:
            yield path

    def fault(self, code: str, path: str, reason: str, fix: str) -> Fault:
        """Return a fault that points here."""
        return Fault(code, path, reason, fix, self.line, self.column)


def load_documents(text: str, watch: Watch = unwatched) -> tuple[list[Located], list[Fault]]:
    """Return the documents that could be read, and the faults of those that could not.

    JSON is YAML too, but for tabs between its parts: they count as one space each.
    """
    documents: list[Located] = []
    try:
        # What is written out costs at least a character a value; only aliases can cost more than the text is long.
        budget = [MOST_VALUES + len(text)]
        for node in _compose(_without_tabs(text)):
            documents.append(_located(node, budget, 0))
            watch(node.end_mark.index / len(text))
    except yaml.MarkedYAMLError as error:
        # Marks count from nothing, editors from one.
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
    except UnicodeError:
        reason = "The text has characters that are no Unicode."
        return documents, [Fault("yaml.text", "", reason, "Save it as plain UTF-8 text.", 1, 1)]
    return documents, []


def load_quickly(text: str) -> list[Located] | None:
    """Return a large JSON text's values without their places, in a fifth of the time; None where it is none."""
    if len(text) < LARGE or not text.lstrip().startswith("{"):
        return None
    try:
        # Whatever is wrong, the reader with places finds it too and says where; this one need not.
        return [_unplaced(json.loads(text, object_pairs_hook=_once), 0)]
    except (ValueError, RecursionError, InputRefused):
        return None


def _once(pairs: list[tuple[str, Any]]) -> dict[str, Any]:
    """Return the pairs as a mapping; a key twice is left to the reader that can say where."""
    result = dict(pairs)
    if len(result) < len(pairs):
        raise ValueError
    return result


def _unplaced(value: Any, depth: int) -> Located:
    if depth > MOST_DEPTH:
        # Told by nobody: it only sends the text to the reader that names the place.
        raise InputRefused([])
    if isinstance(value, dict):
        return Located({key: _unplaced(entry, depth + 1) for key, entry in value.items()}, 0, 0)
    if isinstance(value, list):
        return Located([_unplaced(entry, depth + 1) for entry in value], 0, 0)
    return Located(value, 0, 0)


def _without_tabs(text: str) -> str:
    """Return JSON text with its tabs as spaces; any other text as it is."""
    if "\t" not in text or not text.lstrip().startswith(("{", "[")):
        return text
    try:
        json.loads(text)
    except (ValueError, RecursionError):
        return text
    return text.replace("\t", " ")


def _deep(text: str) -> bool:
    """Return whether brackets or dashes may nest a thousand deep; brackets inside quotes count too, to be safe."""
    characters = np.frombuffer(text.encode("ascii", "replace"), np.uint8)
    # By whole arrays: a text may have millions of characters.
    opening = np.isin(characters, np.frombuffer(b"[{", np.uint8)).astype(np.int32)
    closing = np.isin(characters, np.frombuffer(b"]}", np.uint8))
    depth = np.cumsum(opening - closing)
    return bool(depth.max(initial=0) - depth.min(initial=0) >= 1000 or _NESTED_DASHES.search(text))


def _compose(text: str) -> Iterator[yaml.Node]:
    # The fast loader's compiled recursion would overflow the stack where this one's ends in an error.
    loader = yaml.SafeLoader(text) if _deep(text) else _FAST(text)
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
        reason = f"The text expands to far more values than it writes out, or has over {MOST_DEPTH} levels."
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
            # ``<<`` names one mapping or a list of them; what is written out, and what came earlier, wins.
            for source in value.items() or [value]:
                merged = source.value if isinstance(source.value, dict) else {}
                result = {**merged, **result}
            continue
        if isinstance(key.value, (dict, list)):
            raise InputRefused([key.fault("yaml.key", "", f"Here {key} stands as a key.", "Write a plain key.")])
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
        # YAML 1.1 reads yes and on as true, and so do the tools that read manifests.
        return node.value.lower() in ("true", "yes", "on")
    if tag == "int" and node.value.lstrip("+-").isdigit():
        # Longer texts of digits Python refuses to read; no amount has so many, and the bound on it says so later.
        return int(node.value[:4000])
    return node.value
