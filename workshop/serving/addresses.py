"""Under which addresses this computer is reached on its own network."""

import ipaddress
import socket
from contextlib import suppress


def own_addresses() -> list[str]:
    """The one that others most likely reach it by first, then its further addresses and names; nothing is sent to find
    out."""
    found: list[str] = []
    with suppress(OSError), socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as probe:
        # which of its addresses would speak to the network: a datagram socket that is connected sends nothing
        probe.connect(("192.0.2.1", 9))
        found.append(probe.getsockname()[0])
    name = socket.gethostname()
    with suppress(OSError):
        found += [str(address[0]) for *_, address in socket.getaddrinfo(name, None, socket.AF_INET)]
    found = [one for one in found if not ipaddress.ip_address(one).is_loopback]
    names = [name, name if name.endswith(".local") else f"{name}.local"]
    return list(dict.fromkeys([*found, *(one for one in names if one.strip("."))]))
