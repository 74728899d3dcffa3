"""The build service as a WSGI application (PEP 3333)."""

from __future__ import annotations

import json
import re
from typing import Any
from urllib.parse import unquote

from stand_ins.build_service.account import Account, Refused
from stand_ins.manners import Answer, Mannered, Mood

STEER = ("pause", "resume", "retry", "take-back")
MOST_BYTES = 32 * 2**20


class BuildServiceStandIn(Mannered):
    """Answers ``/builds/KEY`` and what steers it, ``/clusters/NAME``, its ``listing``, and takes its ``workloads``."""

    def __init__(self, account: Account, mood: Mood | None = None) -> None:
        super().__init__(mood)
        self.account = account

    def answer(self, environ: dict[str, Any]) -> Answer:
        """Return the answer to one request."""
        method, path = environ["REQUEST_METHOD"], unquote(environ.get("PATH_INFO", ""))
        try:
            return self._routed(method, path, _body(environ) if method in ("PUT", "POST") else {})
        except Refused as refused:
            return refused.status, [], {"error": str(refused), "faults": list(refused.faults)}

    def _routed(self, method: str, path: str, body: dict[str, Any]) -> Answer:
        if found := re.fullmatch(r"/builds/([\w-]{1,64})", path):
            if method == "PUT":
                new, build = self.account.put_build(found[1], body)
                return "201 Created" if new else "200 OK", [], build
            return "200 OK", [], self.account.build(found[1])
        if (found := re.fullmatch(r"/builds/([\w-]{1,64})/([\w-]+)", path)) and method == "POST" and found[2] in STEER:
            return "200 OK", [], self.account.steer(found[1], found[2])
        if found := re.fullmatch(r"/clusters/([^/]{1,120})", path):
            return "200 OK", [], self.account.cluster(found[1])
        if found := re.fullmatch(r"/clusters/([^/]{1,120})/listing", path):
            return "200 OK", [], self.account.listing(found[1])
        if (found := re.fullmatch(r"/clusters/([^/]{1,120})/(workloads|disturb)", path)) and method in ("PUT", "POST"):
            if found[2] == "workloads":
                self.account.put_workloads(found[1], body)
            else:
                self.account.disturb(found[1])
            return "200 OK", [], {}
        return "404 Not Found", [], {"error": "there is nothing here"}


def _body(environ: dict[str, Any]) -> dict[str, Any]:
    length = int(environ.get("CONTENT_LENGTH") or 0)
    if length > MOST_BYTES:
        raise Refused("413 Content Too Large", "The body is too large.")
    try:
        found = json.loads(environ["wsgi.input"].read(length) or b"{}")
    except ValueError:
        raise Refused("400 Bad Request", "The body is no JSON.") from None
    if not isinstance(found, dict):
        raise Refused("400 Bad Request", "The body is no object.")
    return found
