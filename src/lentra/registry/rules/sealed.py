"""Secrets that are kept, and needed as they are: encrypted by a key that is not in the database."""

from __future__ import annotations

from base64 import urlsafe_b64encode
from functools import cache

from cryptography.fernet import Fernet, InvalidToken
from cryptography.hazmat.primitives.hashes import SHA256
from cryptography.hazmat.primitives.kdf.hkdf import HKDF
from django.conf import settings


def sealed(secret: str) -> str:
    """A secret as it is kept."""
    return _box().encrypt(secret.encode()).decode()


def unsealed(text: str) -> str:
    """A secret as it was.

    Raises:
        ValueError: it was kept under another key.
    """
    try:
        return _box().decrypt(text.encode()).decode()
    except InvalidToken:
        raise ValueError("it was kept under another LENTRA_SECRET_KEY")


@cache
def _box() -> Fernet:
    key = HKDF(SHA256(), 32, salt=None, info=b"lentra.sealed").derive(settings.SECRET_KEY.encode())
    return Fernet(urlsafe_b64encode(key))
