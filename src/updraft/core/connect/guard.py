"""Which addresses may be asked: those of the public internet, and others only where the configuration allows
them.

The name is resolved here and the connection made to the very address that was checked, so that a name which
answers differently a moment later gains nothing.
"""

from __future__ import annotations

import ipaddress
import socket
import ssl
from collections.abc import Iterable
from functools import cache
from typing import Any

import httpcore
import httpx

from updraft.core.problems import Problem


class GuardedBackend(httpcore.NetworkBackend):
    """Opens connections to allowed addresses only.

    Args:
        allow: `host` or `host:port` that may be asked although their address is not public.
    """

    def __init__(self, allow: frozenset[str]) -> None:
        self._allow, self._plain = allow, httpcore.SyncBackend()

    def connect_tcp(
        self,
        host: str,
        port: int,
        timeout: float | None = None,
        local_address: str | None = None,
        socket_options: Iterable[Any] | None = None,
    ) -> httpcore.NetworkStream:
        try:
            found = socket.getaddrinfo(host, port, type=socket.SOCK_STREAM)
        except OSError as error:
            if isinstance(error, socket.gaierror) and error.errno == socket.EAI_NONAME:
                raise Problem(  # for good, so nothing is tried again
                    host,
                    "there is no machine of this name.",
                    "See that the address is right.",
                    field="connection",
                    code="unreachable",
                ) from None
            raise httpcore.ConnectError(f"{host} is not known ({error.strerror})") from None
        addresses = list(dict.fromkeys(str(entry[4][0]) for entry in found))
        if host not in self._allow and f"{host}:{port}" not in self._allow:
            for address in addresses:
                if not is_public(address):
                    raise Problem(
                        f"{host}:{port}",
                        "it is an address of this machine or of a private network, and those are "
                        "not allowed here.",
                        f"Start Updraft with --allow {host}:{port} if it should be.",
                        code="not_allowed",
                    )
        last: Exception | None = None
        for address in addresses:
            try:
                return self._plain.connect_tcp(address, port, timeout, local_address, socket_options)
            except (httpcore.ConnectError, httpcore.ConnectTimeout) as failed:
                last = failed
        raise last or httpcore.ConnectError(f"{host} has no address")

    def sleep(self, seconds: float) -> None:
        self._plain.sleep(seconds)


# IPv6 addresses that stand for IPv4 ones elsewhere, or that only a site uses: what they reach cannot be told.
_NEVER = [
    ipaddress.ip_network(network)
    for network in ("64:ff9b::/96", "64:ff9b:1::/48", "::/96", "::ffff:0:0:0/96", "fec0::/10")
]


def is_public(address: str) -> bool:
    """Whether an IP address belongs to the public internet; an IPv4 address inside an IPv6 one counts as
    itself.
    """
    ip = ipaddress.ip_address(address.split("%")[0])
    if any(ip in network for network in _NEVER if network.version == ip.version):
        return False
    inside = getattr(ip, "ipv4_mapped", None) or getattr(ip, "sixtofour", None)
    return all(part.is_global and not part.is_multicast for part in (ip, inside) if part is not None)


def guarded_transport(allow: frozenset[str]) -> httpx.HTTPTransport:
    """A transport of httpx that connects through a GuardedBackend."""
    trusted = _trusted()
    transport = httpx.HTTPTransport(trust_env=False, verify=trusted)
    transport._pool = httpcore.ConnectionPool(ssl_context=trusted, network_backend=GuardedBackend(allow))
    return transport


@cache
def _trusted() -> ssl.SSLContext:
    """Whom connections trust; read once: a loop may open many, and reading it takes a tenth of a second."""
    return ssl.create_default_context()
