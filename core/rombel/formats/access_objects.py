"""Who may do what in a cluster, as objects of the Kubernetes API, and the client configuration that names it without a secret.

The roles bound are those that every cluster has for people. Source: Kubernetes documentation, "Using RBAC Authorization", user-facing
roles; client configuration: "Organizing Cluster Access Using kubeconfig Files" (both from memory, checked in tests by the reference client).
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from datetime import date
from enum import StrEnum

from rombel.formats.objects import Object

UNTIL = "rombel.example/until"
"""Annotation of a binding that somebody has to take away: the API itself lets none end by a day."""
API_GROUP = "rbac.authorization.k8s.io"


class May(StrEnum):
    """What somebody may: look at everything but secrets, change what runs, or give rights to others too."""

    LOOK = "look"
    CHANGE = "change"
    OWN = "own"


_ROLES = {May.LOOK: "view", May.CHANGE: "edit", May.OWN: "admin"}


@dataclass(frozen=True, slots=True)
class Grant:
    """Who may do what in which namespace (empty: everywhere), and until when (None: until it is taken away).

    Who is written with an ``@`` is a person, everybody else a group.
    """

    who: str
    may: May
    namespace: str = ""
    until: date | None = None


def access_objects(grants: Sequence[Grant]) -> Iterator[Object]:
    """Yield the namespaces that are named, then a binding for each grant."""
    for namespace in sorted({grant.namespace for grant in grants if grant.namespace}):
        yield {"apiVersion": "v1", "kind": "Namespace", "metadata": {"name": namespace}}
    for grant in grants:
        role = "cluster-admin" if not grant.namespace and grant.may is May.OWN else _ROLES[grant.may]
        meta: Object = {"name": _name(grant)} | ({"namespace": grant.namespace} if grant.namespace else {})
        if grant.until is not None:
            meta["annotations"] = {UNTIL: grant.until.isoformat()}
        kind = "User" if "@" in grant.who else "Group"
        yield {
            "apiVersion": f"{API_GROUP}/v1",
            "kind": "RoleBinding" if grant.namespace else "ClusterRoleBinding",
            "metadata": meta,
            "roleRef": {"apiGroup": API_GROUP, "kind": "ClusterRole", "name": role},
            "subjects": [{"apiGroup": API_GROUP, "kind": kind, "name": grant.who}],
        }


def _name(grant: Grant) -> str:
    """Return a name that the API takes: small letters, digits, hyphens and points."""
    plain = re.sub(r"[^a-z0-9.]+", "-", grant.who.lower()).strip("-.")
    return f"{plain or 'somebody'}-{grant.may}"


def client_config(cluster: str, server: str, grants: Sequence[Grant]) -> Object:
    """Return a client configuration with a context for each namespace that is named; its user has no secret, and whoever uses it adds one."""
    namespaces = ["", *sorted({grant.namespace for grant in grants if grant.namespace})]
    contexts = [
        {
            "name": f"{cluster}/{namespace}" if namespace else cluster,
            "context": {"cluster": cluster, "user": cluster} | ({"namespace": namespace} if namespace else {}),
        }
        for namespace in namespaces
    ]
    return {
        "apiVersion": "v1",
        "kind": "Config",
        "clusters": [{"name": cluster, "cluster": {"server": server}}],
        "contexts": contexts,
        "users": [{"name": cluster, "user": {}}],
        "current-context": cluster,
    }
