"""How much address space this process may have."""

from __future__ import annotations


def limited() -> bool:
    """Whether it is limited: then gigabytes must not be reserved for memories of megabytes."""
    try:
        import resource
    except ImportError:
        return False
    return resource.getrlimit(resource.RLIMIT_AS)[0] != resource.RLIM_INFINITY
