"""People, what they may do, and their tokens."""

from __future__ import annotations

from django.contrib.auth.base_user import AbstractBaseUser, BaseUserManager
from django.db import models

from lentra.registry.models.fields import name_field
from lentra.registry.models.records import Record

ROLES = ("viewer", "requester", "planner", "admin")  # each may do what those before it may


class Person(Record, AbstractBaseUser):
    """Somebody, or some automation, that signs in."""

    KIND = "person"
    HIDDEN = ("password", "last_login")
    token: Token | None = None  # the one that signs the person in for this call, if one does

    name = name_field(unique=True)
    full_name = models.CharField(max_length=200, default="", blank=True)
    role = models.CharField(max_length=12, choices=[(r, r) for r in ROLES])
    active = models.BooleanField(default=True)
    projects = models.ManyToManyField("Project", through="Membership", related_name="members")
    last_login = None

    USERNAME_FIELD = "name"
    objects = BaseUserManager()

    @property
    def is_active(self) -> bool:
        return self.active

    @property
    def acting_role(self) -> str:
        """The role, as far as the token reaches that signs the person in."""
        if self.token is None:
            return self.role
        reaches = [self.role, self.token.role or self.role]
        if self.token.projects:
            reaches.append("requester")
        return min(reaches, key=ROLES.index)

    def may(self, role: str) -> bool:
        """True if the role that the person acts in includes `role`."""
        return ROLES.index(self.acting_role) >= ROLES.index(role)


class Membership(models.Model):
    """A person belongs to a project: its requests are the person's own."""

    person = models.ForeignKey(Person, on_delete=models.CASCADE)
    project = models.ForeignKey("Project", on_delete=models.CASCADE)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["person", "project"], name="membership_once")]


class Token(Record):
    """A key that signs a person in without a password. Only its SHA-256 is kept.

    It may reach less far than the person: no further than `role`, and with `projects` (numbers) no further than a requester
    of these. `made_by` is the token that made it, which it does not outlive.
    """

    KIND = "token"
    HIDDEN = ("hash",)

    person = models.ForeignKey(Person, on_delete=models.CASCADE, related_name="tokens")
    name = name_field()
    hash = models.CharField(max_length=64, unique=True)
    expires_at = models.DateTimeField(null=True)
    revoked_at = models.DateTimeField(null=True)
    role = models.CharField(max_length=12, choices=[(r, r) for r in ROLES], default="", blank=True)
    projects = models.JSONField(default=list)
    made_by = models.ForeignKey("self", null=True, on_delete=models.SET_NULL, related_name="made")


class SignInCount(models.Model):
    """Failed sign-ins with one name, or from one peer: how many, and until when the next is not looked at.

    `key` is ``name:`` and the name as given, or ``peer:`` and the address (of IPv6 its /64).
    """

    key = name_field(80, primary_key=True)
    failed = models.PositiveIntegerField(default=0)
    last_at = models.DateTimeField(db_index=True)
    until = models.DateTimeField(null=True)
