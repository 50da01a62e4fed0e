"""The one expected failure: something a person can act on.

IsthmusError
├── FileFault      a file that cannot be read or written
├── EntryFault     something typed or listed that cannot be taken
└── NetworkFault   an address, port or process that does not answer

`Cancelled` is not a failure: long work raises it where it stops because the person wished so.
Anything else that is raised is a defect and goes to the crash path.
"""

from __future__ import annotations


class IsthmusError(Exception):
    """What is wrong, where, and what to do: three short sentences or fragments."""

    def __init__(self, what: str, *, where: str = "", do: str = "") -> None:
        super().__init__(what)
        self.what, self.where, self.do = what, where, do

    def __str__(self) -> str:
        head = f"{self.where}: {self.what}" if self.where else self.what
        return f"{head} {self.do}" if self.do else head


class Cancelled(Exception):
    """Long work was cancelled; raised inside it by whatever reports its progress."""


class FileFault(IsthmusError):
    """A file cannot be read or written."""


class EntryFault(IsthmusError):
    """A typed value or a row of a list cannot be taken."""


class NetworkFault(IsthmusError):
    """An address, a port or a process does not do what was asked."""


def os_reason(error: OSError) -> str:
    """A plain sentence for an operating system error."""
    import errno

    known = {
        errno.ENOSPC: "The disk is full.",
        errno.EACCES: "You may not write or read there.",
        errno.EPERM: "You may not do that there.",
        errno.ENOENT: "There is no such file or folder.",
        errno.EISDIR: "That is a folder.",
        errno.EROFS: "That drive is read-only.",
        errno.ENOTDIR: "A part of that path is not a folder.",
        errno.ENAMETOOLONG: "The name is too long.",
        errno.EADDRINUSE: "Another program already uses that port.",
        errno.EADDRNOTAVAIL: "This computer does not have that address.",
        errno.ECONNREFUSED: "Nothing listens there.",
        errno.EHOSTUNREACH: "Nothing with that address answers.",
        errno.ENETUNREACH: "No adapter leads to that network.",
    }
    return known.get(error.errno or 0, (error.strerror or str(error)).rstrip(".") + ".")
