"""The eviction policies in plain Python: one class a file, as each paper has it."""

from vestigo.engine.reference.policies.arc import Arc
from vestigo.engine.reference.policies.belady import Belady
from vestigo.engine.reference.policies.clock import Clock
from vestigo.engine.reference.policies.gdsf import Gdsf
from vestigo.engine.reference.policies.lfu import Lfu, LfuDa
from vestigo.engine.reference.policies.lirs import Lirs
from vestigo.engine.reference.policies.lru_k import LruK
from vestigo.engine.reference.policies.orders import Fifo, Lru, Mru
from vestigo.engine.reference.policies.random import Random
from vestigo.engine.reference.policies.s3_fifo import S3Fifo
from vestigo.engine.reference.policies.sieve import Sieve
from vestigo.engine.reference.policies.slru import Slru
from vestigo.engine.reference.policies.two_q import TwoQ
from vestigo.engine.reference.policies.w_tiny_lfu import WTinyLfu
from vestigo.rules.policy import Policy

POLICIES: dict[str, type[Policy]] = {
    "lru": Lru,
    "fifo": Fifo,
    "mru": Mru,
    "random": Random,
    "clock": Clock,
    "sieve": Sieve,
    "lfu": Lfu,
    "lfu-da": LfuDa,
    "lru-k": LruK,
    "slru": Slru,
    "2q": TwoQ,
    "arc": Arc,
    "lirs": Lirs,
    "s3-fifo": S3Fifo,
    "w-tinylfu": WTinyLfu,
    "gdsf": Gdsf,
    "belady": Belady,
}

__all__ = ["POLICIES"]
