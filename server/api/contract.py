"""The contract as the server keeps it: every error is told of, and files are files."""

from __future__ import annotations

from typing import Any

from ninja import NinjaAPI

from api.field_words import field_words, parameter_words

PROBLEM = {"application/problem+json": {"schema": {"$ref": "#/components/schemas/ProblemOut"}}}
ERRORS = {
    400: "The request is cut off, or its address or key is none.",
    401: "Nobody is signed in, the token does not hold, or name and password do not belong together.",
    403: "The role, or what the token may do, does not allow it; or the page's own token is missing.",
    404: "There is no such thing.",
    405: "The address does not do that.",
    409: "Somebody else was quicker: nothing was changed.",
    411: "The length of the body is missing.",
    413: "The body is too large.",
    415: "The body is of another type.",
    422: "The input was refused: each fault with its place, and what would fix it.",
    429: "Too many tries to sign in.",
    500: "A defect of ours: nothing was changed.",
    503: "The database is down: the same request may be sent again.",
    504: "It would take too long to be answered at once: ask for less.",
}
FILES = {
    "getStudyFile": ("application/json",), "getStudyFileSchema": ("application/schema+json",), "getTrailFile": ("text/csv",), "getBrief": ("text/html",), "getDraftBrief": ("text/html",), "getComparisonText": ("text/markdown",),
    "getComparisonFile": ("text/csv",), "getListSchema": ("application/schema+json",),"getDemandCsv": ("text/csv",), "getListFile": ("application/json", "text/csv"), "getBundle": ("application/zip",), "getBundleFile": ("application/json", "application/yaml", "text/html", "text/csv", "text/calendar", "image/svg+xml", "image/png"), "getFile": (
    "application/json", "text/csv", "image/svg+xml", "application/schema+json")}  # fmt: skip
"""Operations that answer with files, and their types."""
KEYED = {
    "name": "Idempotency-Key",
    "in": "header",
    "required": False,
    "schema": {"type": "string", "minLength": 8, "maxLength": 80},
    "description": "The same request sent again with the same key within a day is done once.",
}


class RombelAPI(NinjaAPI):
    """The API, whose schema tells of what stands before and after its operations too."""

    def get_openapi_schema(self, *args: Any, **more: Any) -> Any:
        """Return the schema."""
        # The framework describes what the operations return; errors and file types are the same for many, and are added here.
        schema = super().get_openapi_schema(*args, **more)
        for path in schema["paths"].values():
            for method, operation in path.items():
                _complete(operation, method)
        for name, known in schema["components"]["schemas"].items():
            for field, told in known.get("properties", {}).items():
                _describe(told, field_words(name, field))
        return schema


def _describe(told: dict[str, Any], words: str | None) -> None:
    """Put words to a field or parameter that has none of its own."""
    if words is not None:
        told.setdefault("description", words)


def _complete(operation: dict[str, Any], method: str) -> None:
    answers = operation["responses"]
    # Any operation can end in any of these, and all of them are problem documents.
    for status, words in ERRORS.items():
        answers[status] = {"description": words, "content": PROBLEM}
    if operation["operationId"] in FILES:
        kinds = FILES[operation["operationId"]]
        answers[200]["content"] = {kind: {"schema": {"type": _shape(kind)}} for kind in kinds}
    for parameter in operation.get("parameters", ()):
        _describe(parameter, parameter_words(parameter["name"]))
    # Only what changes something may be sent again under a key.
    if method == "post":
        operation.setdefault("parameters", []).append(KEYED)


def _shape(kind: str) -> str:
    return "object" if kind.endswith("json") else "string"
