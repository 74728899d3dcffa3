"""What an installation states in its environment: every setting with its default, checked once at the start.

``python -m config.environment`` says what is wrong, a sentence each, and ends with 2; with ``--table`` it prints the table of the manual.
"""

from __future__ import annotations

import os
import sys
from functools import cache
from typing import Any, Literal

from pydantic import Field, SecretStr, ValidationError, field_validator, model_validator
from pydantic_settings import BaseSettings, SettingsConfigDict

PREFIX = "ROMBEL_"
SHORTEST_KEY = 50
"""Letters of a secret key; shorter ones could be guessed."""
LEAST_MEMORY_MIB = 600


class Environment(BaseSettings):
    """The settings of one installation. Whoever runs it states what differs from the defaults, and nothing else.

    Raises
    ------
    ValidationError
        With every setting that is wrong.

    """

    model_config = SettingsConfigDict(env_prefix=PREFIX, extra="ignore", frozen=True)

    production: bool = Field(
        False,
        description="Whether people sign in over TLS at a proxy. `serve` and `worker` set it to 1; 0 is for trying it out.",
    )
    secret_key: SecretStr = Field(
        SecretStr(""), description="Signs sessions: 50 letters or more, the same on every machine, kept secret."
    )
    hosts: str = Field(
        "127.0.0.1,localhost", description="Names under which people reach it, with commas between them."
    )
    bind: str = Field("127.0.0.1:8060", description="Address and port on which `serve` listens.")
    web_processes: int = Field(0, ge=0, le=64, description="Web processes of `serve`; 0: one a core.")
    web_threads: int = Field(8, ge=1, le=64, description="Threads of each of them.")
    metrics_bind: str = Field("127.0.0.1:9060", description="Address and port on which `metrics` listens.")
    proxies: int = Field(
        0,
        ge=0,
        le=5,
        description="Proxies in front that each append to X-Forwarded-For; 0: the header is not believed.",
    )
    db_host: str = Field(
        "127.0.0.1", description="Where PostgreSQL listens: a name, an address, or the folder of a socket."
    )
    db_port: int = Field(5432, ge=1, le=65535, description="Its port.")
    db_name: str = Field("rombel", min_length=1, description="The database.")
    db_user: str = Field("rombel", min_length=1, description="Who signs in there.")
    db_password: SecretStr = Field(SecretStr(""), description="The password; empty where the server asks for none.")
    db_sslmode: Literal["disable", "allow", "prefer", "require", "verify-ca", "verify-full"] = Field(
        "prefer", description="How the connection is encrypted; over a network: verify-full."
    )
    db_connect_s: int = Field(
        5, ge=1, le=120, description="How long a connection to the database is waited for, in seconds."
    )
    job_memory_mib: int = Field(
        0,
        ge=0,
        description="Most memory of a worker, in MiB, 600 at least; what needs more fails, and says so. 0: no limit.",
    )
    oidc_issuer: str = Field(
        "",
        description="The organisation's identity provider (OpenID Connect), such as https://id.example.org; empty: none.",
    )
    oidc_client_id: str = Field("", description="Under which name the provider knows this installation.")
    oidc_client_secret: SecretStr = Field(SecretStr(""), description="The secret that goes with it.")
    oidc_role: Literal["", "owner", "viewer", "planner"] = Field(
        "",
        description="Role of whoever comes from there for the first time; empty: only accounts that were connected sign in.",
    )
    log_level: Literal["DEBUG", "INFO", "WARNING", "ERROR"] = Field(
        "INFO", description="From which level Rombel's own lines are written."
    )
    demo: bool = Field(False, description="Whether this is the demo, which tells its people at the sign-in.")
    offers_url: str = Field("", description="Where the demo's made-up provider answers; only the demo needs it.")
    builds_file: str = Field(
        ":memory:", description="Where the made-up provider keeps what it built; only the demo needs it."
    )

    @field_validator("hosts")
    @classmethod
    def _names(cls, value: str) -> str:
        if not all(name.strip() for name in value.split(",")):
            raise ValueError("name at least one, and nothing empty between commas")
        return value

    @field_validator("bind", "metrics_bind")
    @classmethod
    def _address(cls, value: str) -> str:
        host, _, port = value.rpartition(":")
        if not host or not port.isdigit() or not 0 < int(port) < 65536:
            raise ValueError("write an address and a port, such as 127.0.0.1:8060")
        return value

    @field_validator("job_memory_mib")
    @classmethod
    def _memory(cls, value: int) -> int:
        # Compiled code and solvers alone take some 420 MiB: under a bound near to that no job would ever be done.
        if 0 < value < LEAST_MEMORY_MIB:
            raise ValueError(f"a worker needs {LEAST_MEMORY_MIB} MiB at least, or 0 for no limit")
        return value

    @model_validator(mode="after")
    def _fit_for_people(self) -> Environment:
        if self.production and len(self.secret_key.get_secret_value()) < SHORTEST_KEY:
            raise ValueError(
                f"{PREFIX}SECRET_KEY has less than {SHORTEST_KEY} letters. Make one: python3 -c 'import secrets; print(secrets.token_urlsafe(48))'"
            )
        if self.oidc_issuer:
            if self.production and not self.oidc_issuer.startswith("https://"):
                raise ValueError(
                    f"{PREFIX}OIDC_ISSUER does not begin with https://, so anybody could answer in its place."
                )
            if not self.oidc_client_id or not self.oidc_client_secret.get_secret_value():
                raise ValueError(
                    f"{PREFIX}OIDC_ISSUER is stated without {PREFIX}OIDC_CLIENT_ID and {PREFIX}OIDC_CLIENT_SECRET."
                )
        return self

    @property
    def host_names(self) -> list[str]:
        """Return the names under which people reach it."""
        return [name.strip() for name in self.hosts.split(",")]

    @property
    def processes(self) -> int:
        """Return how many web processes there are."""
        return self.web_processes or os.cpu_count() or 1


def sentences(error: ValidationError) -> list[str]:
    """Return what is wrong with an environment, one sentence for each setting."""
    return [_sentence(each) for each in error.errors(include_url=False)]


def _sentence(fault: Any) -> str:
    said = str(fault["msg"]).removeprefix("Value error, ")
    if not fault["loc"]:
        return said
    shown = "" if {"db_password", "secret_key", "oidc_client_secret"} & set(fault["loc"]) else f"={fault['input']!r}"
    return f"{PREFIX}{str(fault['loc'][0]).upper()}{shown} is not usable: {said[:1].lower()}{said[1:]}."


@cache
def environment() -> Environment:
    """Return what this installation states; where that is wrong the process ends, saying every fault."""
    try:
        return Environment()
    except ValidationError as error:
        lines = "\n".join(f"rombel: {line}" for line in sentences(error))
        raise SystemExit(lines) from None


def table() -> str:
    """Return every setting with its default and what it is, as the manual has it."""
    lines = ["| setting | default | what it is |", "| --- | --- | --- |"]
    for name, field in Environment.model_fields.items():
        default = field.default.get_secret_value() if isinstance(field.default, SecretStr) else field.default
        shown = str(int(default)) if isinstance(default, bool) else str(default)
        lines.append(f"| `{PREFIX}{name.upper()}` | {f'`{shown}`' if shown else '(empty)'} | {field.description} |")
    return "\n".join(lines)


if __name__ == "__main__":
    if "--table" in sys.argv:
        sys.stdout.write(table() + "\n")
    else:
        environment()
