"""A file as an answer."""

from __future__ import annotations

from django.http import HttpResponse


def download(text: str, kind: str, name: str) -> HttpResponse:
    """Return a text of a media type as a file to keep under a name."""
    return HttpResponse(text, content_type=kind, headers={"Content-Disposition": f'attachment; filename="{name}"'})
