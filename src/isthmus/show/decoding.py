"""JSON from files that may hold anything."""

from __future__ import annotations

from typing import Any, TypeVar

import msgspec

T = TypeVar("T")


def decoded(data: bytes | str, kind: type[T] | Any = Any) -> T | Any:
    """As msgspec reads it. Raises MsgspecError and nothing else: what is not UTF-8 and what nests
    thousands deep leave msgspec as errors of other kinds.
    """
    try:
        return msgspec.json.decode(data, type=kind)
    except UnicodeDecodeError as error:
        raise msgspec.DecodeError(f"it is not UTF-8 ({error.reason})") from error
    except RecursionError as error:
        raise msgspec.DecodeError("it nests too deep") from error
