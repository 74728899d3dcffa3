"""Files handed over together as one ZIP, with a list of contents by which anybody can check that nothing is missing or altered."""

from __future__ import annotations

import hashlib
import io
import json
import zipfile
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

CONTENTS = "contents.json"
FORMAT = "rombel-bundle/1"
_EPOCH = (1980, 1, 1, 0, 0, 0)
"""The earliest time that a ZIP can state: the same content is to be the same bytes, whenever it is packed."""


@dataclass(frozen=True, slots=True)
class Packed:
    """A file of a bundle: its name, content, what it holds in words, and the command that reads or makes it again (empty: none)."""

    name: str
    content: bytes
    what: str
    command: str = ""


def write_bundle(
    files: Sequence[Packed], about: Mapping[str, str], left_out: Mapping[str, str], computed_at: datetime
) -> bytes:
    """Return a ZIP of files in the order of their names, with ``contents.json`` first.

    Parameters
    ----------
    files
        What is in it; names are used once.
    about
        Where it comes from, by part.
    left_out
        By the name of a file that is not in it: why.
    computed_at
        When what it holds was computed.

    """
    ordered = sorted(files, key=lambda each: each.name)
    contents = {
        "format": FORMAT,
        "about": dict(about),
        "computed_at": computed_at.isoformat(timespec="seconds"),
        "files": [_line(each) for each in ordered],
        "left_out": [{"name": name, "why": why} for name, why in sorted(left_out.items())],
    }
    head = json.dumps(contents, indent=1, ensure_ascii=False) + "\n"
    kept = io.BytesIO()
    with zipfile.ZipFile(kept, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, content in [(CONTENTS, head.encode()), *((each.name, each.content) for each in ordered)]:
            entry = zipfile.ZipInfo(name, _EPOCH)
            entry.compress_type = zipfile.ZIP_DEFLATED
            # Readable by whoever unpacks it, on every system.
            entry.external_attr = 0o644 << 16
            archive.writestr(entry, content)
    return kept.getvalue()


def _line(each: Packed) -> dict[str, Any]:
    digest = hashlib.sha256(each.content).hexdigest()
    return {"name": each.name, "bytes": len(each.content), "sha256": digest, "what": each.what, "command": each.command}
