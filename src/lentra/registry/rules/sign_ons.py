"""What the groups of somebody at the single sign-on give: a role, and projects."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import datetime

from lentra.registry.errors import Invalid, NameTaken, NotAllowed
from lentra.registry.models import ROLES, GroupMapping, Project

EVERYBODY = "*"  # the group that everybody belongs to


@dataclass(frozen=True)
class Granted:
    """What somebody's groups come to."""

    role: str
    projects: list[Project]


def granted_to(groups: Iterable[str]) -> Granted:
    """The farthest role that one of the groups gives, and the projects of all of them.

    Raises:
        NotAllowed: none of them gives anything; names them, and says what an admin does.
    """
    mappings = list(GroupMapping.objects.filter(group__in=[*groups, EVERYBODY]).select_related("project"))
    if not mappings:
        named = ", ".join(sorted(groups)[:10]) or "none at all"
        raise NotAllowed(
            f"none of your groups gives a role here (they are: {named}): an admin maps one of them to a role",
            rule="a role comes from a group",
            suggestions=["lentra group-mapping add --group GROUP --role requester"],
        )
    projects = {mapping.project.pk: mapping.project for mapping in mappings if mapping.project}
    role = max((mapping.role for mapping in mappings), key=ROLES.index)
    return Granted(role, sorted(projects.values(), key=lambda project: project.name))


def check_mapping(mapping: GroupMapping, now: datetime) -> None:
    """A group that is named, and no other mapping that gives the same."""
    if not mapping.group.strip() or mapping.group != mapping.group.strip():
        raise Invalid(
            "a group is named as the single sign-on names it, without spaces around it; * is everybody",
            field="group",
            received=mapping.group,
            suggestions=[mapping.group.strip() or EVERYBODY],
        )
    same = GroupMapping.objects.filter(group=mapping.group, role=mapping.role, project=mapping.project)
    if other := same.exclude(pk=mapping.pk).first():
        raise NameTaken(
            f"group {mapping.group} is mapped so already",
            field="group",
            received=mapping.group,
            conflicts=[{"range": other.label_text, "kind": "group mapping", "id": other.pk}],
        )
