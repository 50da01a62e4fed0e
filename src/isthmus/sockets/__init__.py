"""UDP sockets: many datagrams in one system call, opening the right ones for an adapter, handing
them to a process.
"""

from isthmus.sockets.batch import Receiver, Sender
from isthmus.sockets.opening import Opened, join, open_receivers, open_sender, who_has
from isthmus.sockets.outlets import Outlets
from isthmus.sockets.passing import receive_message, send_message

__all__ = [
    "Opened",
    "Outlets",
    "Receiver",
    "Sender",
    "join",
    "open_receivers",
    "open_sender",
    "receive_message",
    "send_message",
    "who_has",
]
