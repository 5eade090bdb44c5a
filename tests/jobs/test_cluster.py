"""A cluster of processes on this machine: its pictures are those of one machine, whatever happens to its workers."""

from __future__ import annotations

import logging
import subprocess
import tempfile
import threading
import time
import unittest
from pathlib import Path
from typing import Any
from urllib.request import urlopen

import numpy as np
from distributed import Client
from proving.truth import SAMPLES, marked_shot

from lithopos.cluster.address import Cluster, refuse_open
from lithopos.cluster.local import start_scheduler, start_worker
from lithopos.cluster.parcel import Cache, packed
from lithopos.cluster.tracer import ClusterTracer
from lithopos.core.errors import InputError
from lithopos.core.exchange.decode import read_picture
from lithopos.core.exchange.picture import Codes, Picture
from lithopos.core.reading.ask import read_model
from lithopos.core.render.engine import SLOW
from lithopos.core.render.render import render_shot
from lithopos.core.render.session import Session
from lithopos.core.shot import Shot
from lithopos.jobs.queue import Queue
from lithopos.jobs.worker import Worker
from lithopos.library.store import Library

SCALE, SAMPLES_A_PIXEL = 0.1, 128


class Parcels(unittest.TestCase):
    def test_large_arrays_go_by_themselves_once_and_what_is_not_its_name_is_refused(self) -> None:
        rng = np.random.default_rng(1)
        large, small = rng.random((300, 300)), np.arange(5)
        first = packed({"mesh": large, "moved": 1, "small": small})
        second = packed({"mesh": large.copy(), "moved": 2, "small": small})
        self.assertEqual(len(first.parts), 2)
        self.assertEqual(len(first.parts.keys() & second.parts.keys()), 1)
        with tempfile.TemporaryDirectory() as name:
            cache = Cache(Path(name))
            cache.take(first.parts)
            self.assertEqual(cache.missing(list(second.parts)), [second.name])
            cache.take({second.name: second.parts[second.name]})
            found = cache.unpacked(second.name)
            np.testing.assert_array_equal(found["mesh"], large)
            self.assertEqual((found["moved"], found["small"].tolist()), (2, small.tolist()))
            with self.assertRaisesRegex(ValueError, "not what it is named by"):
                cache.take({"0" * 64: b"other"})

    def test_another_machine_is_spoken_to_only_with_certificates(self) -> None:
        refuse_open(Cluster("tcp://127.0.0.1:8786"))
        for cluster, words in (
            (Cluster("tcp://10.0.0.3:8786"), "is another machine"),
            (Cluster("tls://10.0.0.3:8786", ca="ca.pem"), "--tls-cert: is missing"),
            (Cluster("tls://10.0.0.3:8786", "a", "b", "c"), "is no file"),
            (Cluster("tcp://10.0.0.3:8786", *[__file__] * 3), "not secured"),
        ):
            with self.assertRaisesRegex(InputError, words):
                refuse_open(cluster)


class Handed(unittest.TestCase):
    def test_what_is_large_goes_to_the_cluster_and_small_pictures_are_made_here(self) -> None:
        with tempfile.TemporaryDirectory() as name:
            library = Library(Path(name))
            worker = Worker(library, Queue(Path(name)), Cluster("tcp://127.0.0.1:1"))
            for quality, there in {"proof": True, "master": True, "take": True, "piece": False, "card": False}.items():
                with self.subTest(quality):
                    self.assertEqual(isinstance(worker._session(quality).tracer, ClusterTracer), there)
            library.engine.dispose()


class Together(unittest.TestCase):
    """Each test has a scheduler and workers of its own."""

    shot: Shot
    photograph: Picture
    alone: Codes

    @classmethod
    def setUpClass(cls) -> None:
        cls.shot = marked_shot("cloister-yard")
        cls.photograph = read_picture(SAMPLES / "cloister-yard.jpg")
        cls.alone = cls.picture(Session())

    def setUp(self) -> None:
        self.scheduler, self.address = start_scheduler()
        self.children: list[subprocess.Popen[bytes]] = [self.scheduler]
        self.addCleanup(self.end)
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        self.cache = holder.name

    def end(self) -> None:
        for child in self.children:
            child.kill()
            child.wait()

    def worker(self, name: str, **environment: str) -> subprocess.Popen[bytes]:
        folder = str(Path(self.cache) / name)
        child = start_worker(self.address, name, threads=1, LITHOPOS_CLUSTER_CACHE=folder, **environment)
        self.children.append(child)
        return child

    def tracer(self, workers: int) -> ClusterTracer:
        tracer = ClusterTracer(Cluster(self.address))
        self.addCleanup(tracer.close)
        deadline = time.monotonic() + 300
        while len(tracer.seen()) < workers and time.monotonic() < deadline:
            time.sleep(0.3)
        self.assertEqual(len(tracer.seen()), workers)
        return tracer

    def wait_for(self, tracer: ClusterTracer, name: str) -> None:
        deadline = time.monotonic() + 300
        while name not in tracer.seen() and time.monotonic() < deadline:
            time.sleep(0.3)

    def wait_until_free(self, name: str) -> None:
        with Client(self.address, set_as_default=False) as client:
            client.submit(abs, -1, workers=[name], pure=False).result(timeout=300)

    @classmethod
    def picture(cls, session: Session, meanwhile: Any = None) -> Any:
        told: Any = {"scale": SCALE, "samples": SAMPLES_A_PIXEL, "seed": 3, "quality": "master", "session": session}
        made: Any = None
        for number, step in enumerate(render_shot(cls.shot, cls.photograph, cls.model, **told)):
            made = step.picture
            if meanwhile:
                meanwhile(number)
        return made.codes

    @staticmethod
    def model(name: str) -> Any:
        return read_model(SAMPLES / name)

    def test_a_worker_killed_and_one_that_joins_late_change_nothing(self) -> None:
        victim = self.worker("first")
        for name in ("second", "third"):
            self.worker(name)
        tracer = self.tracer(3)

        def meanwhile(number: int) -> None:
            if number == 0:
                self.worker("late")
                self.wait_for(tracer, "late")
                threading.Timer(0.3, victim.kill).start()  # in the middle of the next portion
            else:
                self.wait_until_free("late")  # its first part is still being compiled when others have done the rest

        with self.assertLogs("lithopos.cluster", "DEBUG") as said:
            logging.getLogger("lithopos.cluster").debug("begun")
            made = self.picture(Session(tracer=tracer), meanwhile)
        np.testing.assert_array_equal(made, self.alone)
        self.assertGreaterEqual(set(tracer.made), {"second", "third", "late"})
        self.assertNotIn("here", tracer.made, said.output)
        told = tracer.told()
        self.assertGreater(told.parts["late"], 0)
        assert told.page
        with urlopen(told.page, timeout=30) as page:
            self.assertIn("late", page.read().decode())

    def test_another_renderer_is_refused_by_name_and_without_workers_or_scheduler_it_goes_on_here(self) -> None:
        only = self.worker("only")
        self.worker("other", LITHOPOS_VARIANT=SLOW)
        tracer = self.tracer(2)

        def ending(child: subprocess.Popen[bytes]) -> Any:
            return lambda number: threading.Timer(0.3, child.kill).start() if number == 0 else None

        made = self.picture(Session(tracer=tracer), ending(only))
        np.testing.assert_array_equal(made, self.alone)
        self.assertEqual(set(tracer.made), {"only", "here"})
        self.worker("like")
        self.wait_for(tracer, "like")
        made = self.picture(Session(tracer=tracer), ending(self.scheduler))
        np.testing.assert_array_equal(made, self.alone)
        self.assertEqual(list(tracer.refused), ["other"])
        self.assertIn("renderer", tracer.refused["other"])
        self.assertEqual(set(tracer.made), {"like", "here"})


if __name__ == "__main__":
    unittest.main()
