"""Does what a test says, in place of tasks."""

import os
import signal
import time
from threading import Event

CANCEL = Event()
KEPT: list[bytearray] = []


def run(name: str, words: dict[str, str]) -> None:
    """Do what `words` say."""
    what = words["do"]
    if what == "fault":
        raise ZeroDivisionError("no")
    if what == "die":
        os.kill(os.getpid(), signal.SIGKILL)
    if what == "memory":
        KEPT.append(bytearray(3 * 2**30))
    if what == "keep":
        KEPT.append(bytearray(b"x" * (350 * 2**20)))
    while what == "wait":
        time.sleep(0.02)
        if CANCEL.is_set():
            raise InterruptedError("Cancelled")
    if what == "deaf":
        end = time.monotonic() + 60
        while time.monotonic() < end:
            time.sleep(1)
