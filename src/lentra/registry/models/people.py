"""People, what they may do, and their tokens."""

from __future__ import annotations

from django.contrib.auth.base_user import AbstractBaseUser, BaseUserManager
from django.db import models

from lentra.registry.models.fields import name_field
from lentra.registry.models.records import Record

MAILED = ("at once", "daily", "never")  # how somebody is told by mail
ROLES = ("viewer", "requester", "planner", "admin")  # each may do what those before it may
SCOPES = ("read", "ask", "give-back", "plan", "set-up")  # what a token may be limited to; each reads as well


class Person(Record, AbstractBaseUser):
    """Somebody that signs in; or a service account of the project `service_of`, which signs in by tokens alone."""

    KIND = "person"
    HIDDEN = ("password", "last_login")
    token: Token | None = None  # the one that signs the person in for this call, if one does

    name = name_field(unique=True)
    full_name = models.CharField(max_length=200, default="", blank=True)
    role = models.CharField(max_length=12, choices=[(r, r) for r in ROLES])
    active = models.BooleanField(default=True)
    email = models.EmailField(default="", blank=True)
    needs_second_factor = models.BooleanField(default=False)
    mail = models.CharField(max_length=8, choices=[(m, m) for m in MAILED], default="at once")
    projects = models.ManyToManyField("Project", through="Membership", related_name="members")
    service_of = models.ForeignKey("Project", null=True, on_delete=models.PROTECT, related_name="service_accounts")
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
        if self.token.is_limited:
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

    It may reach less far than the person: no further than `role`, to calls of `scopes`, from `networks` (CIDR texts); and
    with `projects`, `realms` or `pools` (numbers) no further than a requester of these. `made_by` is the token that made
    it, which it does not outlive; `replaces` the one whose successor it is, and both live for a while.
    """

    KIND = "token"
    HIDDEN = ("hash", "last_used_on")

    person = models.ForeignKey(Person, on_delete=models.CASCADE, related_name="tokens")
    name = name_field()
    hash = models.CharField(max_length=64, unique=True)
    expires_at = models.DateTimeField(null=True)
    revoked_at = models.DateTimeField(null=True)
    role = models.CharField(max_length=12, choices=[(r, r) for r in ROLES], default="", blank=True)
    scopes = models.JSONField(default=list)
    projects = models.JSONField(default=list)
    realms = models.JSONField(default=list)
    pools = models.JSONField(default=list)
    networks = models.JSONField(default=list)
    made_at = models.DateTimeField()
    made_by = models.ForeignKey("self", null=True, on_delete=models.SET_NULL, related_name="made")
    replaces = models.OneToOneField("self", null=True, on_delete=models.SET_NULL, related_name="successor")
    last_used_on = models.DateField(null=True)

    @property
    def is_limited(self) -> bool:
        """Whether it reaches only some projects, realms or pools."""
        return bool(self.projects or self.realms or self.pools)


class SignInCount(models.Model):
    """Failed sign-ins with one name, or from one peer: how many, and until when the next is not looked at.

    `key` is ``name:`` and the name as given, or ``peer:`` and the address (of IPv6 its /64).
    """

    key = name_field(80, primary_key=True)
    failed = models.PositiveIntegerField(default=0)
    last_at = models.DateTimeField(db_index=True)
    until = models.DateTimeField(null=True)


class SecondFactor(models.Model):
    """What somebody signs in with beside the password: one-time codes by time (RFC 6238), and recovery codes.

    `secret` is encrypted by a key that is not in the database; it counts from `confirmed_at` on. `last_step` is the step of
    the last code that was taken, so that none is taken twice. Of the recovery codes that are left, hashes are kept.
    """

    person = models.OneToOneField(Person, on_delete=models.CASCADE, primary_key=True, related_name="second_factor")
    secret = models.CharField(max_length=300)
    confirmed_at = models.DateTimeField(null=True)
    last_step = models.BigIntegerField(default=0)
    recovery = models.JSONField(default=list)


class OpenSession(models.Model):
    """A session of the console: whose, since when, from where, with what. `key` is the one that the browser has."""

    key = models.CharField(max_length=40, unique=True, db_collation="ascii_bin")
    person = models.ForeignKey(Person, on_delete=models.CASCADE, related_name="sessions")
    begun_at = models.DateTimeField(db_index=True)
    peer = models.CharField(max_length=64)
    agent = models.CharField(max_length=200, default="")


class SignOn(models.Model):
    """Whose person somebody is at the single sign-on: issuer and subject (OpenID Connect Core, section 2).

    Without an issuer it is awaited: whoever is called `subject` there.
    """

    person = models.OneToOneField(Person, on_delete=models.CASCADE, primary_key=True, related_name="sign_on")
    issuer = name_field(200)
    subject = name_field(255)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["issuer", "subject"], name="sign_on_once")]


class GroupMapping(Record):
    """What belonging to a group of the single sign-on gives: a role, and perhaps a project. The group ``*`` is everybody."""

    KIND = "group mapping"

    group = name_field(200)
    role = models.CharField(max_length=12, choices=[(r, r) for r in ROLES])
    project = models.ForeignKey(
        "Project", null=True, blank=True, on_delete=models.PROTECT, related_name="group_mappings"
    )
    about = models.CharField(max_length=500, default="", blank=True)

    @property
    def label_text(self) -> str:
        return f"{self.group}: {self.role}" + (f" in {self.project.name}" if self.project else "")


class SpentCode(models.Model):
    """What signs somebody in once and was used: a hash of it, for as long as it could come again."""

    hash = name_field(64, primary_key=True)
    at = models.DateTimeField(db_index=True)
