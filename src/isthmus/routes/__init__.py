"""Routes: which universe goes where by which protocol, and the nodes the rig should have."""

from isthmus.routes.edits import add_output, change_output, remove_outputs
from isthmus.routes.ports import (
    WORDS,
    notations,
    read_host,
    read_hosts,
    read_number,
    read_port_address,
    read_universe,
    write_number,
    write_output,
    write_port_address,
)
from isthmus.routes.propose import propose
from isthmus.routes.reach import (
    Port,
    Reach,
    goes_to,
    ports,
    routed,
    universes_in_use,
    universes_known,
    way_key,
)

__all__ = [
    "WORDS",
    "Port",
    "Reach",
    "add_output",
    "change_output",
    "goes_to",
    "notations",
    "ports",
    "propose",
    "read_host",
    "read_hosts",
    "read_number",
    "read_port_address",
    "read_universe",
    "remove_outputs",
    "routed",
    "universes_in_use",
    "universes_known",
    "way_key",
    "write_number",
    "write_output",
    "write_port_address",
]
