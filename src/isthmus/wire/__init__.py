"""Byte codecs of the network protocols: bytes in, records out. No sockets, no state, never an
exception on foreign bytes.
"""
