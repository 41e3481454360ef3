"""How much memory there is for this process."""

import os
from functools import cache
from pathlib import Path

_CONTAINER = Path("/sys/fs/cgroup/memory.max")


def is_memory(error: Exception) -> bool:
    """Whether there was too little memory. A thread that cannot start lacks room for its stack."""
    return isinstance(error, MemoryError) or (isinstance(error, RuntimeError) and "start new thread" in str(error))


@cache
def memory_bytes() -> int:
    """The memory of this machine, or what a container or ``ulimit -v`` leaves of it."""
    limits = [os.sysconf("SC_PAGE_SIZE") * os.sysconf("SC_PHYS_PAGES")] if hasattr(os, "sysconf") else [1 << 33]
    try:
        import resource

        address_space, _ = resource.getrlimit(resource.RLIMIT_AS)
        if address_space != resource.RLIM_INFINITY:
            limits.append(address_space)
        limits.append(int(_CONTAINER.read_text()))
    except (ImportError, OSError, ValueError):  # another system, or no limit
        pass
    return min(limits)
