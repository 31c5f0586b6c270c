"""Sessions of the console: noted as they begin, listed, ended."""

from __future__ import annotations

from datetime import datetime

from django.contrib.sessions.models import Session

from lentra.registry.errors import NotAllowed
from lentra.registry.models import OpenSession, Person
from lentra.registry.transactions.change import Change

_LONGEST = 200


def note_session(person: Person, key: str, peer: str, agent: str, now: datetime) -> None:
    """Note that a session has begun."""
    OpenSession.objects.create(key=key, person=person, begun_at=now, peer=peer, agent=agent[:_LONGEST])


def end_session(change: Change, session: OpenSession) -> OpenSession:
    """End a session: whoever has it must sign in again.

    Raises:
        NotAllowed: it is somebody else's, and the actor is no admin.
    """
    actor = change.actor
    if actor and session.person_id != actor.pk and not actor.may("admin"):
        raise NotAllowed("that session is somebody else's", rule="one's own sessions, or anybody's by an admin")
    Session.objects.filter(session_key=session.key).delete()
    change.told(
        "end session", "sign-in", session.person.name, {"peer": session.peer, "begun_at": session.begun_at}
    )
    OpenSession.objects.filter(pk=session.pk).delete()
    return session
