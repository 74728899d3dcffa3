"""Where requests go: the API, the health checks, and the page for everything else."""

from __future__ import annotations

from django.conf import settings
from django.db import connection
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import render
from django.urls import path, re_path
from django.views.decorators.csrf import ensure_csrf_cookie

from api import outside
from api.routers import api
from jobs.waiting import workers_alive


def healthz(_: HttpRequest) -> HttpResponse:
    """Answer that the process is alive."""
    return JsonResponse({"status": "alive"})


def readyz(_: HttpRequest) -> HttpResponse:
    """Answer whether the database can be reached and workers live: without one, what is asked waits."""
    try:
        workers = workers_alive()
    except Exception:
        # The broken connection is dropped, or the next check would fail with it.
        connection.close()
        return JsonResponse({"status": "no database", "workers": 0}, status=503)
    return JsonResponse(
        {"status": "ready" if workers else "no workers", "workers": workers}, status=200 if workers else 503
    )


@ensure_csrf_cookie
def page(request: HttpRequest) -> HttpResponse:
    """Return the one page; the front end decides what to show."""
    return render(
        request, "page.html", {"demo": settings.INSTALLATION.demo, "outside": settings.INSTALLATION.oidc_issuer}
    )


def unknown_api(_: HttpRequest) -> HttpResponse:
    """Answer an API path that does not exist, as a problem and not as a page."""
    body = {"type": "about:blank", "title": "No such address", "status": 404, "code": "address.unknown", "faults": []}
    return JsonResponse(body, status=404, content_type="application/problem+json")


urlpatterns = [
    path("healthz", healthz),
    path("readyz", readyz),
    path("outside/begin", outside.begin),
    path("outside/back", outside.back),
    # Everything else is the page, whose router knows the address.
    path("api/", api.urls),
    re_path(r"^api/.*$", unknown_api),
    re_path(r"^(?!static/).*$", page),
]
