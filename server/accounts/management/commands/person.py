"""``manage.py person``: the first accounts, and what is done to one when nobody can sign in to do it."""

import getpass
import secrets
import sys
from typing import Any

from django.core.exceptions import ValidationError
from django.core.management.base import BaseCommand, CommandError, CommandParser
from django.db import transaction

from accounts.models import AuditEntry, Role, User
from accounts.passwords import choose
from rombel.errors import InputRefused


class Command(BaseCommand):
    """Add a person, give another role, lock or open an account, set a password; each leaves its line in the trail."""

    help = "Add a person, change the role, lock an account, set a password."

    def add_arguments(self, parser: CommandParser) -> None:
        """Take what is done, and to whom."""
        doing = parser.add_subparsers(dest="doing", required=True)
        add = doing.add_parser("add", help="add a person; the password is asked for, or read from standard input")
        add.add_argument("name")
        add.add_argument("--role", choices=Role.values, default=Role.PLANNER)
        add.add_argument("--full-name", default="")
        password = doing.add_parser("password", help="set a password; asked for, or read from standard input")
        password.add_argument("name")
        for each in (add, password):
            each.add_argument("--make", action="store_true", help="make a password and print it once")
        role = doing.add_parser("role", help="give another role")
        role.add_argument("name")
        role.add_argument("role", choices=Role.values)
        lock = doing.add_parser("lock", help="let nobody sign in under a name; whoever is signed in no longer is")
        lock.add_argument("name")
        lock.add_argument("--open", action="store_true", help="let the person in again")
        doing.add_parser("list", help="list everybody with role and whether the account is locked")

    def handle(self, *args: Any, doing: str, **options: Any) -> None:
        """Do it."""
        if doing == "list":
            for user in User.objects.order_by("username"):
                self.stdout.write(
                    f"{user.username}\t{user.role}\t{'open' if user.is_active else 'locked'}\t{user.shown_name}"
                )
            return
        with transaction.atomic():
            user, said = getattr(self, f"_{doing}")(**options)
            # Whoever sits at the machine has no name here: the line says so, and stands under the person it is about.
            detail: dict[str, Any] = {key: options[key] for key in ("role", "open") if key in options}
            AuditEntry.objects.create(
                actor=user,
                action=f"person_{doing}",
                subject=f"person:{user.pk}",
                detail={**detail, "from": "command line"},
            )
        self.stdout.write(said)

    def _add(self, *, name: str, role: str, full_name: str, make: bool, **_: Any) -> tuple[User, str]:
        if User.objects.filter(username=name).exists():
            raise CommandError(
                f"There is somebody named '{name}' already. To set the password: ./rombel person password {name}"
            )
        first, _between, last = full_name.partition(" ")
        user = User(username=name, role=role, first_name=first, last_name=last)
        try:
            user.clean_fields(exclude=["password"])
        except ValidationError as error:
            raise CommandError(" ".join(error.messages)) from None
        told = _set_password(user, make=make)
        return user, f"{name} may sign in as {role}.{told}"

    def _password(self, *, name: str, make: bool, **_: Any) -> tuple[User, str]:
        user = _named(name)
        told = _set_password(user, make=make)
        return user, f"{name} has another password; whoever was signed in under the old one no longer is.{told}"

    def _role(self, *, name: str, role: str, **_: Any) -> tuple[User, str]:
        user = _named(name)
        user.role = role
        user.save(update_fields=["role"])
        return user, f"{name} is {role} from now on."

    def _lock(self, *, name: str, open: bool, **_: Any) -> tuple[User, str]:
        user = _named(name)
        user.is_active = open
        user.save(update_fields=["is_active"])
        return user, f"{name} may sign in again." if open else f"{name} is locked out."


def _named(name: str) -> User:
    user = User.objects.select_for_update().filter(username=name).first()
    if user is None:
        raise CommandError(f"There is nobody named '{name}'. ./rombel person list says who there is.")
    return user


def _set_password(user: User, *, make: bool) -> str:
    """Set a password that is asked for, read or made; return what is told of it."""
    password = secrets.token_urlsafe(12) if make else _asked()
    try:
        choose(user, password, "password")
    except InputRefused as refused:
        reasons = " ".join(fault.reason for fault in refused.faults)
        raise CommandError(f"This password is not taken: {reasons}") from None
    user.save()
    return f" The password, shown this once: {password}" if make else ""


def _asked() -> str:
    if not sys.stdin.isatty():
        return sys.stdin.readline().rstrip("\r\n")
    password = getpass.getpass("Password: ")
    if getpass.getpass("Again: ") != password:
        raise CommandError("The two are not the same. Nothing was changed.")
    return password
