"""Save a study as a starter, and a starter's next version."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any, ClassVar

from django.utils import timezone

from accounts.action import Action, Overtaken
from accounts.models import Role
from inbox.models import tell
from rombel.errors import refuse
from rombel.starters import read_shape, shape_value
from starters.models import Starter, StarterVersion
from starters.queries import newest, starter_by_id
from starters.shapes import first_shape, taken_of, with_blanks
from studies.models import Variant


@dataclass
class SaveStarter(Action[Starter]):
    """Save a variant and its study as a starter of the house, with replicas that follow a size; leads may."""

    variant: Variant
    title: str
    note: str = ""
    name: ClassVar[str] = "starter.save"
    roles: ClassVar[tuple[Role, ...]] = (Role.LEAD,)

    def execute(self) -> Starter:
        """Return the starter with its first version; a name in use and a study without workloads are refused."""
        title = self.title.strip()
        if not title or Starter.objects.filter(name=title).exists():
            raise refuse("starter.twice", "name", f"'{title}' is empty or in use.", "Choose another name.")
        if not self.variant.study.workloads.exists():
            raise refuse("starter.empty", "variant_id", "The study has no workloads.", "Fill in its demand first.")
        shape = shape_value(read_shape(first_shape(self.variant)))
        self.made = Starter.objects.create(name=title, note=self.note.strip())
        self.made.versions.create(number=1, shape=shape, made_by=self.actor, why="first version")
        return starter_by_id(self.made.pk)

    def subject(self) -> str:
        """Return the starter."""
        return f"starter:{self.made.pk}"

    def detail(self) -> dict[str, Any]:
        """Return what it was made of."""
        return {"name": self.made.name, "variant": self.variant.pk}


@dataclass
class OfStarter(Action[Starter]):
    """An action of a lead on a starter."""

    starter: Starter
    roles: ClassVar[tuple[Role, ...]] = (Role.LEAD,)

    def lock(self) -> None:
        """Hold it and read it anew: of two who save at once the second sees the first one's version."""
        Starter.objects.select_for_update().filter(pk=self.starter.pk).first()
        self.starter = starter_by_id(self.starter.pk)

    def subject(self) -> str:
        """Return the starter."""
        return f"starter:{self.starter.pk}"


@dataclass
class SaveVersion(OfStarter):
    """Keep a next version of a starter; whoever used an older one is told.

    Parameters
    ----------
    after
        Number of the version that was looked at: where there is a newer one by now, nothing is kept.
    blanks
        Inputs, sizes and formulas.
    why
        What is otherwise, in words.
    variant
        Whose rows, promises and choices are taken anew; None: they stay.

    """

    after: int
    blanks: Mapping[str, Any]
    why: str
    variant: Variant | None = None
    name: ClassVar[str] = "starter.version"

    def execute(self) -> Starter:
        """Return the starter with its new version.

        Raises
        ------
        Overtaken
            When somebody else saved a version meanwhile.
        InputRefused
            With every fault of inputs, sizes and formulas; nothing changed is refused too.

        """
        last = newest(self.starter)
        if last.number != self.after:
            words = f"{last.made_by.shown_name} saved version {last.number} of {self.starter.name} meanwhile."
            raise Overtaken(f"{words} Nothing was changed; load the page again, and look.")
        taken = {} if self.variant is None else taken_of(self.variant)
        # Read and written once, so that two ways to say the same shape are one, and count as no change.
        shape = shape_value(read_shape(with_blanks({**last.shape, **taken}, self.blanks)))
        if shape == last.shape:
            raise refuse(
                "starter.same", "", "Nothing is otherwise than in the last version.", "Change something first."
            )
        if not self.why.strip():
            raise refuse("starter.why", "why", "It is not said what is otherwise.", "Say it in a few words.")
        self.made = self.starter.versions.create(
            number=last.number + 1, shape=shape, why=self.why.strip(), made_by=self.actor
        )
        self._tell()
        return starter_by_id(self.starter.pk)

    def _tell(self) -> None:
        for version in StarterVersion.objects.filter(starter=self.starter).prefetch_related("uses__used_by"):
            # Everybody who used any version: a newer one may fix what an older one had wrong all along.
            for use in version.uses.all():
                words = f"saved version {self.made.number} of the starter {self.starter.name}: {self.made.why}"
                tell([use.used_by], self.actor, words, f"/studies/{use.study_id}/variants")

    def detail(self) -> dict[str, Any]:
        """Return the version and what was said of it."""
        return {"version": self.made.number, "why": self.made.why}


@dataclass
class ArrangeStarter(OfStarter):
    """Set name or note of a starter, or put it away; its versions stay."""

    fields: Mapping[str, Any]
    name: ClassVar[str] = "starter.arrange"

    def execute(self) -> Starter:
        """Return it as it then stands; a name in use is refused."""
        row = self.starter
        if "name" in self.fields:
            row.name = self.fields["name"].strip()
            if not row.name or Starter.objects.filter(name=row.name).exclude(pk=row.pk).exists():
                raise refuse("starter.twice", "name", f"'{row.name}' is empty or in use.", "Choose another name.")
        if "note" in self.fields:
            row.note = self.fields["note"].strip()
        if "put_away" in self.fields:
            row.put_away_at = timezone.now() if self.fields["put_away"] else None
        row.save()
        return starter_by_id(row.pk)

    def detail(self) -> dict[str, Any]:
        """Return the fields set."""
        return dict(self.fields)
