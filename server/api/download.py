"""A file as an answer."""

from __future__ import annotations

from django.http import HttpRequest, HttpResponse


def download(text: str | bytes, kind: str, name: str) -> HttpResponse:
    """Return the content of a media type as a file to keep under a name."""
    return HttpResponse(text, content_type=kind, headers={"Content-Disposition": f'attachment; filename="{name}"'})


def shown_page(text: str, kind: str, name: str) -> HttpResponse:
    """Return a page that a browser shows, and keeps under a name where it is asked to."""
    return HttpResponse(text, content_type=kind, headers={"Content-Disposition": f'inline; filename="{name}"'})


def nonce_of(request: HttpRequest) -> str:
    """Return what lets a page's own style count under the policy of this server."""
    return str(getattr(request, "csp_nonce", ""))
