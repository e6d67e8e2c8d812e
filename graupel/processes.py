"""Child processes that end with the one that started them."""

import ctypes
import signal

_PR_SET_PDEATHSIG = 1  # linux/prctl.h


def end_with_parent() -> None:
    """For ``preexec_fn``: the kernel ends this process when its parent dies, also when that was killed."""
    ctypes.CDLL(None).prctl(_PR_SET_PDEATHSIG, signal.SIGTERM)
