"""Make a study of a starter that was filled in."""

from __future__ import annotations

from dataclasses import asdict, dataclass
from typing import Any, ClassVar

from accounts.models import User
from catalogue.models import RateSheet, Region
from catalogue.queries import newest_rates, newest_regions
from handover.actions.import_study import ImportStudy, Place
from rombel.errors import refuse
from rombel.formats import STUDY_FORMAT
from rombel.starters import Answers, fill
from starters.models import StarterUse, StarterVersion
from studies.models import Study


@dataclass(frozen=True, slots=True)
class Asked:
    """What was filled in: what the study is called, where it runs (no zones: in all of the region), and what the shape asks for."""

    title: str
    region_id: int
    zones: tuple[str, ...]
    answers: Answers


def fill_starter(version: StarterVersion, asked: Asked) -> dict[str, Any]:
    """Return the study that a version makes of answers, as the values of a study's file.

    Raises
    ------
    InputRefused
        With every fault of the answers.

    """
    filled = fill(version.read(), asked.answers)
    zones = {"zones": list(asked.zones)} if asked.zones else {}
    variant = {
        "name": "reference",
        "is_reference": True,
        "choices": {**filled.choices, **zones},
        "region": {"price_list": 0, "name": str(asked.region_id)},
    }
    study = {**filled.study, "name": asked.title}
    return {"format": STUDY_FORMAT, "study": study, "workloads": list(filled.rows), "variants": [variant]}


@dataclass(kw_only=True)
class MakeOfStarter(ImportStudy):
    """Make the study of a starter that was filled in; it is checked like one that is brought with a file, whole or not at all."""

    version: StarterVersion
    asked: Asked
    name: ClassVar[str] = "starter.use"

    def execute(self) -> Study:
        """Return the study, which knows what it was made from."""
        # By the way of a study's file, so that what is filled in is checked as strictly as what is brought.
        study = super().execute()
        said = asdict(self.asked.answers)
        StarterUse.objects.create(study=study, version=self.version, answers=said, used_by=self.actor)
        return study

    def _regions(self) -> dict[Place, Region]:
        """Return the region that was chosen: of the newest price lists, as everywhere a region is chosen anew."""
        region = next((each for each in newest_regions() if each.pk == self.asked.region_id), None)
        if region is None:
            fix = "Choose one of those that are sold now."
            raise refuse("starter.region", "region_id", "That region is no longer in a newest price list.", fix)
        return {(0, str(region.pk)): region}

    def _rates(self) -> RateSheet | None:
        """Return the newest rates, as of every new study."""
        return newest_rates()

    def detail(self) -> dict[str, Any]:
        """Return the starter, its version and what was filled in."""
        return {
            "name": self.study.name,
            "starter": self.version.starter.name,
            "version": self.version.number,
            **self.value["variants"][0]["choices"],
        }


def make_of(actor: User, version: StarterVersion, asked: Asked) -> MakeOfStarter:
    """Return the action that makes the study."""
    if not asked.title.strip():
        raise refuse("study.name", "name", "The study has no name.", "Type a name.")
    return MakeOfStarter(actor, fill_starter(version, asked), asked.title, version=version, asked=asked)
