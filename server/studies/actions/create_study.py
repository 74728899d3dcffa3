"""Create a study with its reference variant."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, ClassVar

from accounts.action import Action
from catalogue.queries import newest_rates
from house.models import present_rules
from rombel.errors import refuse
from studies.models import Study, Variant


@dataclass
class CreateStudy(Action[Study]):
    """Make an empty study with one variant, the reference, which starts inside the house rules."""

    study_name: str
    organisation: str = ""
    name: ClassVar[str] = "study.create"

    def execute(self) -> Study:
        """Return the new study; a name in use is refused."""
        title = self.study_name.strip()
        if not title:
            raise refuse("study.name", "name", "The study has no name.", "Type a name.")
        if Study.objects.filter(name=title).exists():
            raise refuse("study.twice", "name", f"There is already a study '{title}'.", "Choose another name.")
        # A study starts inside the house rules, with what they prefer.
        rules = present_rules()
        self.study = Study.objects.create(
            name=title,
            organisation=self.organisation,
            currency=rules.currency,
            rates=newest_rates(),
            created_by=self.actor,
        )
        Variant.objects.create(
            study=self.study,
            name="reference",
            position=0,
            is_reference=True,
            survive_zone=rules.survive_zone,
            most_pools=rules.most_pools,
            fewest_nodes_per_pool=rules.fewest_nodes_per_pool,
            most_pods_per_node=rules.most_pods_per_node,
            control_plane_members=rules.control_plane_members or 1,
            families=rules.families,
        )
        return self.study

    def subject(self) -> str:
        """Return the study."""
        return f"study:{self.study.pk}"

    def detail(self) -> dict[str, Any]:
        """Return the name given."""
        return {"name": self.study.name}
