"""Hashes keys with a secret, for traces that are given to others."""

import hashlib
from collections.abc import Callable
from functools import lru_cache

from vestigo.errors import RulesError

_KEPT = 4096
"""Hashes that are remembered: nodes, scopes and popular keys come again and again."""
HASHED = "keys, versions, scopes and nodes are hashed; look-ups keep their names"
"""What is said where a secret is given."""


def hasher(secret: bytes | str) -> Callable[[object], str]:
    """A function that hashes a text with a secret (BLAKE2b). A text has the same hash in every trace. Raises RulesError
    for a short secret.

    >>> hasher("a long secret")("QAB123") == hasher(b"a long secret")("QAB123") != hasher("another one")("QAB123")
    True
    """
    if not isinstance(secret, (str, bytes)):
        raise RulesError(f"a secret is text or bytes, and not of the type {type(secret).__name__}")
    given = secret.encode("utf-8", "surrogatepass") if isinstance(secret, str) else secret
    if len(given) < 8:
        raise RulesError("a secret of less than 8 bytes can be guessed; give a longer one")

    @lru_cache(_KEPT)
    def hashed(text: str) -> str:
        return hashlib.blake2b(text.encode(), digest_size=10, key=given[:64]).hexdigest()

    return lambda text: hashed(str(text))
