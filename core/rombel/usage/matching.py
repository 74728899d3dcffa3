"""Which workload a measured series belongs to, and which resource it measures."""

from __future__ import annotations

from collections.abc import Collection, Mapping

WORKLOAD_LABELS = ("workload", "deployment", "statefulset", "daemonset", "service", "app", "container")
POD_LABELS = ("pod", "pod_name", "replica", "instance")
NAMESPACE_LABELS = ("namespace", "project", "kubernetes_namespace")

CORES, BYTES, A_SECOND = "cpu", "memory", "rate"
"""Resources measured: cores busy, bytes in use, arrivals a second."""

NANO, MILLI = 1e-9, 1e-3


def resource_of(metric: str) -> tuple[str, float]:
    """Return the resource that a metric's name tells, and the factor to its unit; an empty resource: it does not.

    The words are common practice, no source: ``cpu`` with seconds or cores, ``memory`` in bytes, ``requests``.
    """
    words = metric.lower()
    if words in (CORES, BYTES, A_SECOND):
        return words, 1.0
    # Names of metrics differ from system to system; units in them are honoured.
    if "cpu" in words:
        return CORES, MILLI if "milli" in words else NANO if "nano" in words else 1.0
    if "memory" in words or "rss" in words or "working_set" in words:
        return BYTES, 2.0**20 if words.endswith(("_mib", "_mebibytes")) else 1.0
    if "requests" in words or "arrivals" in words or "messages" in words:
        return A_SECOND, 1.0
    return "", 1.0


def workload_of(labels: Mapping[str, str], known: Collection[str]) -> tuple[str, str]:
    """Return the workload that labels name and the replica, empty where they name none.

    Parameters
    ----------
    labels
        Of one series.
    known
        Workloads of the study as ``namespace/name``. A pod belongs to the longest name that its own begins with, followed
        by a dash (common practice, no source).

    """
    namespace = _first(labels, NAMESPACE_LABELS)
    pod = _first(labels, POD_LABELS)
    for label in WORKLOAD_LABELS:
        full = f"{namespace or 'default'}/{labels.get(label, '')}"
        if full in known:
            return full, pod
    if pod:
        prefix = f"{namespace or 'default'}/"
        # A pod is named after its workload with a suffix of its own.
        names = [name for name in known if name.startswith(prefix) and f"{prefix}{pod}".startswith(f"{name}-")]
        if names:
            # The longest of them: ``cart-api`` before ``cart``.
            return max(names, key=len), pod
    return "", pod


def _first(labels: Mapping[str, str], names: Collection[str]) -> str:
    return next((labels[name] for name in names if labels.get(name)), "")
