"""The tracer's seam to a cluster: parts of what is to be traced go to its workers, and come back in their order.

A sample depends on its pixel, its number and the seed alone, and every pixel's sum is made by one worker: so the
picture is the same whoever traces, however many they are, and in whatever order they answer.
"""

from __future__ import annotations

import logging
import time
import uuid
from collections import Counter
from concurrent.futures import ThreadPoolExecutor
from importlib.util import find_spec
from queue import Empty, SimpleQueue
from typing import Any
from urllib.parse import urlsplit

import numpy as np
from distributed import Client, Future
from distributed.security import Security
from numpy.typing import NDArray

from lithopos.cluster.address import Cluster, refuse_open
from lithopos.cluster.parcel import Parcel, packed
from lithopos.cluster.tasks import What, identity, lacking, taken, trace
from lithopos.cluster.told import WorkedOn
from lithopos.core.arrays import Array, Floats
from lithopos.core.render.scene import Scene
from lithopos.core.render.tracer import MitsubaTracer, Pixels, Place

PARTS_EACH = 6  # parts a worker, of each portion: fewer would leave some waiting at its end
CONNECT_S, AGAIN_S, LOOK_S = 5.0, 20.0, 2.0
SLOW = 3.0  # times what a part usually takes, after which the last ones are given to other workers, too
SENT_AT_ONCE, SENT_TO_AT_ONCE = 64 << 20, 8  # bytes of a message; workers
FETCH_S = 60.0
TRIES = 3  # of a portion, as long as there are workers for it

__all__ = ["ClusterTracer", "security_of"]

log = logging.getLogger(__name__)


def security_of(cluster: Cluster) -> Security | None:
    """The certificates of a cluster; None on this machine. Refuses what `refuse_open` does."""
    refuse_open(cluster)
    if not cluster.ca:
        return None
    told = {"tls_ca_file": cluster.ca, "tls_client_cert": cluster.cert, "tls_client_key": cluster.key}
    return Security(require_encryption=True, **told)


class ClusterTracer:
    """Traces on a cluster, and here whatever no worker can.

    Attributes
    ----------
    refused : workers that are not used, by their names, with the reason.
    made : how many parts each worker has traced, this one as `here`.
    page : the address of the cluster's own dashboard, where it has one.
    """

    def __init__(self, cluster: Cluster, *, urgent: bool = False) -> None:
        self.cluster, self.urgent = cluster, urgent
        self.security = security_of(cluster)
        self.here = MitsubaTracer()
        self.refused: dict[str, str] = {}
        self.made: Counter[str] = Counter()
        self._client: Client | None = None
        self.page: str | None = None
        self._again_at = 0.0  # when a cluster that did not answer is asked again
        self._ready: dict[str, set[str]] = {}  # workers by their addresses, with the scenes that they were sent
        self._known: dict[str, str | None] = {}  # of every worker seen: why it is refused, or None
        self._looked_at = 0.0
        self._parcel: Parcel | None = None
        self._fine = False

    # What the cluster is not asked for

    def show(self, scene: Scene, fine: bool = False) -> None:
        """See `Tracer.show`."""
        self.here.show(scene, fine)
        self._parcel, self._fine, self._looked_at = packed(scene), fine, 0.0
        self.made.clear()

    @property
    def manner(self) -> str:
        """See `Tracer.manner`."""
        return self.here.manner

    def lit_places(self) -> Array:
        """See `Tracer.lit_places`."""
        return self.here.lit_places()

    def irradiance(self) -> Floats:
        """See `Tracer.irradiance`."""
        return self.here.irradiance()

    def things_at(self, pixels: Pixels) -> tuple[NDArray[np.int32], NDArray[np.int32]]:
        """See `Tracer.things_at`."""
        return self.here.things_at(pixels)

    def sunlit(self, pixels: Pixels) -> tuple[Floats, NDArray[np.int32]] | None:
        """See `Tracer.sunlit`."""
        return self.here.sunlit(pixels)

    # What it is asked for

    def batches(self, pixels: Pixels, count: int) -> list[Pixels]:
        """See `Tracer.batches`: as many portions together as keep all workers busy for some seconds."""
        few = self.here.batches(pixels, count)
        together = max(1, PARTS_EACH * len(self._workers()))
        return [np.concatenate(few[i : i + together]) for i in range(0, len(few), together)]

    def radiance(self, place: Place, pixels: Pixels, first: int, count: int, seed: int) -> Floats:
        """See `Tracer.radiance`."""
        sums: Floats = np.concatenate(self._parts("radiance", place, pixels, first, count, seed))
        return sums

    def first_hits(self, pixels: Pixels, first: int, count: int, seed: int) -> dict[str, Floats]:
        """See `Tracer.first_hits`."""
        found = self._parts("first hits", "with", pixels, first, count, seed)
        return {name: np.concatenate([one[name] for one in found]) for name in found[0]}

    def seen(self) -> list[str]:
        """Names of all workers that are there, used or not."""
        client = self._connected()
        return [str(one["name"]) for one in client.scheduler_info(n_workers=-1)["workers"].values()] if client else []

    def told(self) -> WorkedOn:
        """Who has worked on what is shown, and who was refused."""
        return WorkedOn(
            parts=dict(sorted(self.made.items())), refused=dict(sorted(self.refused.items())), page=self.page
        )

    def close(self) -> None:
        """Let go of the cluster."""
        if self._client is not None:
            self._client.close(timeout=2)
            self._client = None

    # Pieces of work

    def _parts(self, what: What, place: Place, pixels: Pixels, first: int, count: int, seed: int) -> list[Any]:
        """All parts in their order; those that no worker answers for are traced here."""
        workers = self._workers()
        size = max(1, -(-len(pixels) // max(1, PARTS_EACH * len(workers))))
        parts = [pixels[start : start + size] for start in range(0, len(pixels), size)]
        assert self._parcel is not None
        asked = (self._parcel.name, self._fine, what, place)
        found: dict[int, Any] = {}
        for _ in range(TRIES):
            if not workers:
                break
            try:
                self._gather(parts, workers, lambda part: (*asked, part, first, count, seed), found)
            except Exception as error:  # the scheduler is gone, in whichever of many ways
                log.warning("the cluster does not answer: %r", error)
            if len(found) == len(parts):
                break
            self._forgive()
            workers = self._workers()
        for number, part in enumerate(parts):
            if number not in found:
                found[number] = self._here(what, place, part, first, count, seed)
                self.made["here"] += 1
        return [found[number] for number in range(len(parts))]

    def _here(self, what: What, place: Place, part: Pixels, first: int, count: int, seed: int) -> Any:
        batches = self.here.batches(part, count)
        if what == "radiance":
            return np.concatenate([self.here.radiance(place, batch, first, count, seed) for batch in batches])
        hits = [self.here.first_hits(batch, first, count, seed) for batch in batches]
        return {name: np.concatenate([one[name] for one in hits]) for name in hits[0]}

    def _gather(self, parts: list[Pixels], workers: list[str], arguments: Any, found: dict[int, Any]) -> None:
        """Add what the workers answer to `found`, by the parts' numbers.

        Only what is not found yet is asked for; a slow one's part is given to another, too, at the end.
        """
        client = self._client
        assert client is not None
        begun = time.monotonic()
        numbers: dict[str, int] = {}
        asked: list[Future] = []
        answers: SimpleQueue[Future] = SimpleQueue()

        def ask(number: int) -> None:
            future = client.submit(
                trace,
                *arguments(parts[number]),
                key=f"trace-{uuid.uuid4().hex}",
                workers=workers,
                allow_other_workers=False,
                pure=False,
                priority=10 if self.urgent else 0,
            )
            numbers[future.key] = number
            asked.append(future)
            future.add_done_callback(answers.put)

        for number in range(len(parts)):
            if number not in found:
                ask(number)
        open_, twice = len(asked), set[int]()
        while len(found) < len(parts) and open_:
            try:
                future = answers.get(timeout=0.5)
            except Empty:
                if client.status != "running":
                    raise ConnectionError("the scheduler does not answer") from None
                if not set(workers) & set(client.scheduler_info(n_workers=-1)["workers"]):
                    break  # all that were asked are gone: nobody would ever answer
                for number in self._late(parts, workers, found, twice, begun):
                    ask(number)
                    open_ += 1
                continue
            open_ -= 1
            number = numbers[future.key]
            if number in found:
                continue
            if future.status != "finished":
                why = future.exception(timeout=FETCH_S) if future.status == "error" else future.status
                log.warning("a part was not traced: %r", why)
                continue
            try:
                found[number], name = future.result(timeout=FETCH_S)
            except Exception as error:  # its worker went with the answer: others are asked
                if client.status != "running":
                    raise
                log.warning("a part's answer was lost: %r", error)
                ask(number)
                open_ += 1
                continue
            self.made[name] += 1
        try:
            client.cancel(asked, force=True)  # what was asked for twice, and is not wanted any more
        except Exception as error:  # all is found: what is left of it harms nobody
            log.debug("calling off: %r", error)

    def _late(
        self, parts: list[Pixels], workers: list[str], found: dict[int, Any], twice: set[int], begun: float
    ) -> list[int]:
        """Parts to be given to another worker, too: the last few, where they take unusually long."""
        left = [number for number in range(len(parts)) if number not in found]
        usual = (time.monotonic() - begun) / max(len(found), 1) * len(workers)  # of one part
        slow = time.monotonic() - begun > SLOW * usual + 1
        late = [number for number in left if number not in twice] if found and len(left) < len(workers) and slow else []
        twice.update(late)
        return late

    # Who may work

    def _workers(self) -> list[str]:
        """Addresses of workers that are like this machine and have the scene; looked for every few seconds."""
        if time.monotonic() - self._looked_at < LOOK_S and self._client is not None:
            return self._with_scene()
        self._looked_at = time.monotonic()
        try:
            client = self._connected()
            if client is None:
                return []
            about = client.scheduler_info(n_workers=-1)
            self.page = _page(client.scheduler.address, about["services"])
            there = about["workers"]
            new = [address for address in there if address not in self._known]
            if new:
                self._judge(client, new, {address: str(there[address]["name"]) for address in new})
            self._ready = {
                address: self._ready.get(address, set()) for address in there if self._known[address] is None
            }
            self._send(client)
        except Exception as error:  # as above
            log.warning("the cluster does not answer: %r", error)
            self._forgive()
        return self._with_scene()

    def _with_scene(self) -> list[str]:
        name = self._parcel.name if self._parcel else ""
        return [address for address, scenes in self._ready.items() if name in scenes]

    def _connected(self) -> Client | None:
        if self._client is not None:
            if self._client.status == "running":
                return self._client
            self._lose()
        if time.monotonic() < self._again_at:
            return None
        self._client = Client(
            self.cluster.address, security=self.security, timeout=CONNECT_S, set_as_default=False, name="lithopos"
        )
        return self._client

    def _forgive(self) -> None:
        """After an error: let go of the cluster where its scheduler is gone; else who is there is looked for anew."""
        self._looked_at = 0.0
        if self._client is None or self._client.status != "running":
            self._lose()

    def _lose(self) -> None:
        """Go on alone: for a while, where it could not be reached at all; else it is tried again at once."""
        self._ready, self._known = {}, {}
        client, self._client = self._client, None
        self._again_at = time.monotonic() + (0 if client else AGAIN_S)
        if client is not None:
            try:
                client.close(timeout=1)
            except Exception as error:  # it is gone anyhow
                log.debug("closing: %s", error)

    def _judge(self, client: Client, new: list[str], names: dict[str, str]) -> None:
        """Who traces just as this machine does, and why others are refused."""
        told = client.run(identity, workers=new, on_error="return")
        ours = identity()
        for address in new:
            theirs = told.get(address)
            why: str | None = None
            if not isinstance(theirs, dict):
                why = "it has no Lithopos, or none that answers"
            elif theirs != ours:
                other = next(name for name in ours if theirs.get(name) != ours[name])
                why = f"its {other} is another one ({theirs.get(other)}, here {ours[other]})"
            self._known[address] = why
            if why:
                self.refused[names[address]] = why

    def _send(self, client: Client) -> None:
        """Send the scene to those that lack it, only what they don't have of it."""
        parcel = self._parcel
        if parcel is None:
            return
        waiting = [address for address, scenes in self._ready.items() if parcel.name not in scenes]
        if not waiting:
            return
        lacks = client.run(lacking, list(parcel.parts), workers=waiting, on_error="return")

        def send(address: str) -> None:
            names = lacks.get(address)
            if not isinstance(names, list):
                return
            try:
                for some in _portions(parcel, names):
                    client.run(taken, some, workers=[address])
            except Exception as error:  # it is going just now: the others need not wait for it
                log.warning("a worker could not be sent the scene: %s", error)
                return
            self._ready[address].add(parcel.name)

        with ThreadPoolExecutor(SENT_TO_AT_ONCE) as pool:
            list(pool.map(send, waiting))


def _page(address: str, services: dict[str, int]) -> str | None:
    """The dashboard of a scheduler; without what draws it, its plain list of workers."""
    port = services.get("dashboard")
    if not port:
        return None
    host = urlsplit(address).hostname
    return f"http://{host}:{port}/{'status' if find_spec('bokeh') else 'info/main/workers.html'}"


def _portions(parcel: Parcel, names: list[str]) -> list[dict[str, bytes]]:
    """Parts to be sent, in messages that are not too large."""
    portions: list[dict[str, bytes]] = [{}]
    size = 0
    for name in names:
        if portions[-1] and size + len(parcel.parts[name]) > SENT_AT_ONCE:
            portions.append({})
            size = 0
        portions[-1][name] = parcel.parts[name]
        size += len(parcel.parts[name])
    return [one for one in portions if one]
