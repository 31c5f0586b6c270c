"""What signs in once does so once: a hash of it is kept for as long as it could come again."""

from __future__ import annotations

import hashlib

from lentra.registry.errors import WrongState
from lentra.registry.models import SpentCode
from lentra.registry.transactions.change import Change


def spend(change: Change, code: str, words: str) -> None:
    """Use up what signs in once, in the same transaction as what comes of it.

    Raises:
        WrongState: it was used before; `words` say so.
    """
    hashed = hashlib.sha256(code.encode()).hexdigest()
    if SpentCode.objects.filter(pk=hashed).exists():
        raise WrongState(words, rule="each is good for one sign-in")
    SpentCode.objects.create(hash=hashed, at=change.now)
