"""Routes: which universe goes to which Art-Net port-address at which host, and the nodes the rig should have."""

from isthmus.routes.edits import (
    add_output,
    change_output,
    port_of,
    ports,
    propose,
    remove_outputs,
    routed,
    universes_in_use,
    universes_known,
)
from isthmus.routes.ports import read_host, read_port_address, write_port_address

__all__ = [
    "add_output",
    "change_output",
    "port_of",
    "ports",
    "propose",
    "read_host",
    "read_port_address",
    "remove_outputs",
    "routed",
    "universes_in_use",
    "universes_known",
    "write_port_address",
]
