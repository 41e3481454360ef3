"""Hashes keys with a secret, for traces that are given to others."""

import hashlib
from collections.abc import Callable

from vestigo.errors import TraceError


def hasher(secret: bytes | str) -> Callable[[object], str]:
    """A function that hashes a text with a secret (BLAKE2b). A text has the same hash in every trace. Raises TraceError
    for a short secret.

    >>> hasher("a long secret")("QAB123") == hasher(b"a long secret")("QAB123") != hasher("another one")("QAB123")
    True
    """
    given = secret.encode() if isinstance(secret, str) else secret
    if len(given) < 8:
        raise TraceError("a secret of less than 8 bytes can be guessed; give a longer one")
    return lambda text: hashlib.blake2b(str(text).encode(), digest_size=10, key=given[:64]).hexdigest()
