"""Sites as they are kept: one change in one shot is one in all, undone as what it was; two people at once."""

from __future__ import annotations

import atexit
import shutil
import tempfile
import unittest
from functools import cache
from pathlib import Path
from typing import Any

import numpy as np
from PIL import Image

from lithopos.core.errors import InputError
from lithopos.library.database import Stale
from lithopos.library.sites import change_site, redo_site, site_of, undo_site
from lithopos.library.store import Library
from tests.core.sites import SIZE, MadeSite, made_site

BOX = {"id": "w", "kind": "box", "points": [[800, 1100], [1000, 1120], [1000, 1050]], "height_m": 1.0}


@cache
def _filled() -> tuple[Path, MadeSite, str, dict[str, str], list[dict[str, Any]]]:
    """A library with three photographs of a made-up site, marked but not tied; made once."""
    folder = Path(tempfile.mkdtemp(prefix="lithopos-sites-"))
    atexit.register(shutil.rmtree, folder, ignore_errors=True)
    library = Library(folder / "data")
    project, names = library.add_project("Tidewater yard").id, dict[str, str]()
    made = made_site(1, 3)
    site, shots = made.noted(0.3, 1)
    for number, (name, shot) in enumerate(shots.items()):
        picture = folder / f"{name}.png"
        Image.fromarray(np.full((SIZE[1], SIZE[0], 3), 90 + number, np.uint8)).save(picture)
        state = library.add_shot(project, name, library.import_file(project, picture).sha256)
        told = shot.model_dump(mode="json", by_alias=True)
        height = {"kind": "solved", "height": {"metres": float(made.cameras[number].centre[2])}}
        patch = {"edges": told["edges"], "lengths": told["lengths"], "camera": height}
        names[name] = library.change(state.id, 1, patch, "edges").id
    library.engine.dispose()
    document = site.model_dump(mode="json", by_alias=True)
    ties = [{**tie, "seen": {names[name]: at for name, at in tie["seen"].items()}} for tie in document["ties"]]
    return folder / "data", made, project, names, ties


class Sites(unittest.TestCase):
    def setUp(self) -> None:
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        data, self.made, self.project, self.names, self.ties = _filled()
        shutil.copytree(data, Path(holder.name) / "data")
        self.library = Library(Path(holder.name) / "data")
        self.addCleanup(self.library.engine.dispose)
        self.members = [{"id": name} for name in self.names.values()]

    def tie(self) -> None:
        change_site(self.library, self.project, 0, {"members": self.members, "ties": self.ties}, "ties")

    def change(self, name: str, patch: dict[str, Any], label: str = "change") -> None:
        self.library.change(self.names[name], self.state(name).revision, patch, label)

    def state(self, name: str) -> Any:
        return self.library.shot(self.names[name])

    def undo(self, name: str) -> Any:
        return self.library.undo(self.names[name], self.state(name).revision)

    def redo(self, name: str) -> Any:
        return self.library.redo(self.names[name], self.state(name).revision)

    def test_ties_give_the_shots_their_cameras_and_undoing_them_takes_them_away(self) -> None:
        self.tie()
        for name, camera in zip(self.names, self.made.cameras, strict=True):
            told = self.state(name).shot.site
            np.testing.assert_allclose(told.camera.camera_position, camera.centre, atol=0.15)
            self.assertEqual(self.state(name).undo, "edges")
        state = undo_site(self.library, self.project, 1)
        self.assertEqual((state.revision, state.site.ties, state.redo), (0, [], "ties"))
        self.assertIsNone(self.state("s1").shot.site)
        redo_site(self.library, self.project, 0)
        self.assertIsNotNone(self.state("s1").shot.site)

    def test_a_change_shows_in_all_and_each_undo_is_about_what_was_done_there(self) -> None:
        self.tie()
        self.change("s0", {"proxies": {"w": BOX}}, "box")
        self.assertEqual([one.kind for one in self.state("s1").shot.proxies], ["mesh"])
        self.undo("s0")
        self.assertEqual(self.state("s1").shot.proxies, [])
        self.redo("s0")
        self.change("s1", {"name": "Other side"}, "named")
        self.change("s0", {"proxies": {"w": {"height_m": 2.0}}}, "higher")
        self.assertEqual((self.state("s1").undo, self.state("s1").shot.name), ("named", "Other side"))
        undone = self.undo("s1")
        self.assertEqual((undone.shot.name, undone.redo, len(undone.shot.proxies)), ("s1", "named", 1))
        tall = max(corner[2] for side in undone.shot.proxies[0].sides for corner in side)
        self.assertAlmostEqual(tall, 2.0, places=6)
        self.assertEqual(self.redo("s1").shot.name, "Other side")
        self.assertEqual(self.undo("s0").shot.proxies[0].height_m, 1.0)

    def test_what_was_moved_elsewhere_since_is_not_moved_back_by_an_undo(self) -> None:
        self.tie()
        for name, turn in (("s0", 10.0), ("s1", 20.0)):
            lamp = {"id": "l1", "photographed": False, "position_m": [0, 3, 2], "azimuth_deg": turn}
            self.change(name, {"lamps": {"l1": lamp}}, f"lamp to {turn}")
        self.assertEqual(self.state("s0").shot.lamps[0].azimuth_deg, 20.0)
        with self.assertRaisesRegex(InputError, "changed since, in another photograph"):
            self.undo("s0")
        self.undo("s1")
        self.assertEqual(self.state("s0").shot.lamps[0].azimuth_deg, 10.0)
        self.undo("s0")
        self.assertEqual(self.state("s1").shot.lamps, [])

    def test_what_follows_from_the_site_is_changed_there_alone_and_strangers_are_refused(self) -> None:
        self.tie()
        with self.assertRaisesRegex(InputError, "site"):
            self.change("s0", {"site": None})
        with self.assertRaisesRegex(InputError, "no shot of this project"):
            change_site(self.library, self.project, 1, {"members": [{"id": "beef"}], "ties": []}, "x")

    def test_two_people_tie_at_once_and_the_same_tie_is_told(self) -> None:
        self.tie()
        first, second = self.ties[0]["id"], self.ties[1]["id"]
        change_site(self.library, self.project, 1, {"ties": {first: {"name": "Step"}}}, "named")
        change_site(self.library, self.project, 1, {"ties": {second: {"name": "Lamp"}}}, "named")
        with self.assertRaises(Stale):
            change_site(self.library, self.project, 1, {"ties": {first: {"name": "Sill"}}}, "named")
        names = [tie.name for tie in site_of(self.library, self.project).site.ties[:2]]
        self.assertEqual(names, ["Step", "Lamp"])


if __name__ == "__main__":
    unittest.main()
