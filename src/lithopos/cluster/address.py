"""Where a cluster is, and whether it may be spoken to."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from urllib.parse import urlsplit

from lithopos.core.errors import InputError

__all__ = ["Cluster", "refuse_open"]


@dataclass(frozen=True)
class Cluster:
    """Where a cluster's scheduler is, and by which certificates it is known."""

    address: str
    ca: str | None = None
    cert: str | None = None
    key: str | None = None

    @staticmethod
    def of(words: Sequence[str]) -> Cluster:
        """The same from such words."""
        address, ca, cert, key = words
        return Cluster(address, ca or None, cert or None, key or None)

    def words(self) -> tuple[str, ...]:
        """As words of a command line."""
        return (self.address, self.ca or "", self.cert or "", self.key or "")


def refuse_open(cluster: Cluster) -> None:
    """Refuse a cluster on another machine whose connection is not secured, and certificates that are not there.

    Raises
    ------
    InputError
        Naming what is missing.
    """
    given = {"--tls-ca": cluster.ca, "--tls-cert": cluster.cert, "--tls-key": cluster.key}
    missing = [name for name, place in given.items() if not place]
    parts = urlsplit(cluster.address if "://" in cluster.address else f"tcp://{cluster.address}")
    if len(missing) == len(given):
        if parts.hostname not in ("127.0.0.1", "localhost", "::1"):
            told = f"{cluster.address} is another machine: give {', '.join(missing)}; see docs/cluster.md"
            raise InputError("--cluster", told)
        return
    if missing:
        raise InputError(missing[0], "is missing: all three certificates are needed")
    if lost := next((name for name, place in given.items() if not Path(str(place)).is_file()), None):
        raise InputError(lost, f"{given[lost]} is no file")
    if parts.scheme != "tls":
        raise InputError("--cluster", f"{cluster.address} is not secured: its address has to begin with tls://")
