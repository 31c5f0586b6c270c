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

    def may(self, role: str) -> bool:
        """True if the person's role includes `role`."""
        return ROLES.index(self.role) >= ROLES.index(role)


class Membership(models.Model):
    """A person belongs to a project: its requests are the person's own."""

    person = models.ForeignKey(Person, on_delete=models.CASCADE)
    project = models.ForeignKey("Project", on_delete=models.CASCADE)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["person", "project"], name="membership_once")]


class Token(Record):
    """A key that signs a person in without a password. Only its SHA-256 is kept."""

    KIND = "token"
    HIDDEN = ("hash",)

    person = models.ForeignKey(Person, on_delete=models.CASCADE, related_name="tokens")
    name = name_field()
    hash = models.CharField(max_length=64, unique=True)
    expires_at = models.DateTimeField(null=True)
    revoked_at = models.DateTimeField(null=True)
