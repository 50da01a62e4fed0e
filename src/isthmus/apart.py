"""Foreign files read by a process apart, which a file may bring down, fill or hold up without harm.

Such a process reads the file from standard input, and writes `ok` and what it made of it (of a
drawing a PNG, of a spreadsheet its cells), or `no` and why not.
"""

from __future__ import annotations

import json
import os
import resource
import subprocess
import sys
import time
from collections.abc import Callable

from isthmus.errors import FileFault, os_reason

SECONDS = 15
MEMORY = 1 << 30  # bytes it may hold for its own
AS_PICTURE = "Export it as PNG."


def run_apart(
    module: str,
    data: bytes,
    where: str,
    *more: str,
    told: Callable[[], object] = lambda: None,
    verb: str = "drawn",
    do: str = AS_PICTURE,
) -> bytes:
    """What the process makes of a file. Raises FileFault, also where it dies or takes too long.
    `told` is called meanwhile: what it raises ends the process. `verb` and `do` word its failure.
    """
    command = [sys.executable, "-m", module, *more]
    end = time.monotonic() + SECONDS
    try:
        with open(os.memfd_create("foreign"), "w+b") as handed:  # a pipe is full before it is read
            handed.write(data)
            handed.seek(0)
            process = subprocess.Popen(
                command, stdin=handed, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL
            )
    except OSError as error:
        raise FileFault(f"it cannot be {verb}. {os_reason(error)}", where=where) from error
    with process:
        try:
            while True:
                try:
                    answered, _ = process.communicate(timeout=0.1)
                    break
                except subprocess.TimeoutExpired as error:
                    told()
                    if time.monotonic() > end:
                        raise FileFault(
                            f"it is not {verb} within {SECONDS} s.", where=where, do=do
                        ) from error
        finally:
            process.kill()
    kind, _, rest = answered.partition(b"\n")
    if kind == b"no":
        what, act = json.loads(rest)
        raise FileFault(what, where=where, do=act)
    if kind != b"ok":
        raise FileFault(f"it cannot be {verb}.", where=where, do=do)
    return rest


def answer(make: Callable[[bytes], bytes]) -> int:
    """What such a process does, within its bounds."""
    resource.setrlimit(resource.RLIMIT_DATA, (MEMORY, MEMORY))
    resource.setrlimit(resource.RLIMIT_CPU, (SECONDS, SECONDS))
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    try:
        told = b"ok\n" + make(sys.stdin.buffer.read())
    except FileFault as fault:
        told = b"no\n" + json.dumps([fault.what, fault.do]).encode()
    sys.stdout.buffer.write(told)
    return 0
