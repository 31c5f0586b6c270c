"""Characters that free text may not have: they do nothing for a reader and much for whoever wants to mislead one."""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Mapping, Sequence

# Control characters but for tab and the ends of lines, lone surrogates, separators that end lines unseen, and what turns the
# direction of what follows (Unicode Standard Annex #9, section 2).
_MISLEADING = re.compile(
    r"\r(?!\n)|[\x00-\x08\x0b\x0c\x0e-\x1f\x7f-\x9f\ud800-\udfff\u061c\u2028\u2029\u202a-\u202e\u2066-\u2069]"
)


def misleading(text: str) -> str | None:
    """The first character of a text that none may have, in words; None if there is none."""
    found = _MISLEADING.search(text)
    if found is None:
        return None
    character = found.group()
    name = unicodedata.name(character, "a control character").lower()
    return f"U+{ord(character):04X} ({name})"


def harmless(text: str) -> str:
    """A text with such characters written out, so that a terminal shows them instead of obeying them."""
    return _MISLEADING.sub(lambda found: f"\\u{ord(found.group()):04x}", text)


def first_misleading(value: object, path: str = "") -> tuple[str, str] | None:
    """Where in a JSON document the first such character stands, and which it is: ``("labels.site", "U+001B (…)")``."""
    if isinstance(value, str):
        found = misleading(value)
        return (path, found) if found else None
    if isinstance(value, Mapping):
        for key, inner in value.items():
            step = f"{path}.{key}" if path else str(key)
            if found_there := first_misleading(str(key), path) or first_misleading(inner, step):
                return found_there
    elif isinstance(value, Sequence):
        for n, inner in enumerate(value):
            if found_there := first_misleading(inner, f"{path}[{n}]"):
                return found_there
    return None
