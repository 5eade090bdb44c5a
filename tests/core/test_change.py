"""Changes by what they mean: the merge patch, lists by identities, and that no order of two clients loses anything."""

from __future__ import annotations

import unittest
from typing import Any

from hypothesis import given
from hypothesis import strategies as st

from lithopos.core.shot.change import changed, met
from lithopos.core.shot.document import LISTS

IDS = st.sampled_from(["a", "b", "c", "d"])
THINGS = st.lists(IDS, unique=True).map(lambda ids: [{"id": name, "value": 0} for name in ids])
DOCUMENTS = st.fixed_dictionaries({"edges": THINGS, "models": THINGS, "sky": st.just({"strength": 1, "turbidity": 3})})
OF_THINGS = st.dictionaries(IDS, st.none() | st.fixed_dictionaries({"value": st.integers(1, 9)}), min_size=1)
PATCHES = st.one_of(
    st.fixed_dictionaries({"edges": OF_THINGS}),
    st.fixed_dictionaries({"models": OF_THINGS}),
    st.fixed_dictionaries({"sky": st.fixed_dictionaries({"strength": st.integers(2, 5)})}),
    st.fixed_dictionaries({"sky": st.fixed_dictionaries({"turbidity": st.integers(4, 8)})}),
)


def holds(document: dict[str, Any], patch: dict[str, Any]) -> bool:
    """Whether everything that a patch asks for is so in a document."""
    for name, value in patch.items():
        if name in LISTS:
            known = {thing["id"]: thing for thing in document[name]}
            for key, wanted in value.items():
                if wanted is None and key in known:
                    return False
                if wanted is not None and known.get(key, {}).get("value") != wanted["value"]:
                    return False
        elif any(document[name].get(key) != wanted for key, wanted in value.items()):
            return False
    return True


def _of_what_was_there(patch: dict[str, Any], seen: dict[str, Any]) -> dict[str, Any]:
    """A patch without striking out what is not there, which changes nothing and so can meet nothing."""
    return {
        name: {
            key: wanted
            for key, wanted in value.items()
            if name not in LISTS or wanted is not None or any(thing["id"] == key for thing in seen[name])
        }
        for name, value in patch.items()
    }


class Changes(unittest.TestCase):
    def test_merge_patch_by_the_rfc(self) -> None:
        # RFC 7396, appendix A.
        for target, patch, result in (
            ({"a": "b"}, {"a": "c"}, {"a": "c"}),
            ({"a": "b"}, {"a": None}, {}),
            ({"a": ["b"]}, {"a": "c"}, {"a": "c"}),
            ({"a": {"b": "c"}}, {"a": {"b": "d", "c": None}}, {"a": {"b": "d"}}),
            ({"a": {"b": "c"}}, {"a": [1]}, {"a": [1]}),
            ({}, {"a": {"bb": {"ccc": None}}}, {"a": {"bb": {}}}),
        ):
            self.assertEqual(changed(target, patch), result)

    def test_things_are_struck_out_changed_and_added_in_order(self) -> None:
        document = {"edges": [{"id": "a1", "run": "a"}, {"id": "a2", "run": "a"}, {"id": "b1", "run": "b"}]}
        patch = {"edges": {"a1": None, "c1": {"run": "plumb"}, "a2": {"run": "b"}, "gone": None}}
        self.assertEqual(
            changed(document, patch)["edges"],
            [{"id": "a2", "run": "b"}, {"id": "b1", "run": "b"}, {"id": "c1", "run": "plumb"}],
        )
        self.assertEqual(document["edges"][0]["id"], "a1", "the document itself is not touched")

    @given(DOCUMENTS, PATCHES, PATCHES)
    def test_of_two_clients_changes_in_any_order_nothing_is_lost(
        self, seen: dict[str, Any], one: dict[str, Any], two: dict[str, Any]
    ) -> None:
        for first, second in ((one, two), (two, one)):
            now = changed(seen, first)
            if met(second, seen, now) is not None:
                continue  # the second is told, and nothing of the first is overwritten
            both = changed(now, second)
            self.assertTrue(holds(both, second))
            self.assertTrue(holds(both, _of_what_was_there(first, seen)))

    @given(DOCUMENTS, PATCHES, PATCHES)
    def test_different_things_never_meet(self, seen: dict[str, Any], one: dict[str, Any], two: dict[str, Any]) -> None:
        keys = [{(name, key) for name, value in patch.items() for key in value} for patch in (one, two)]
        if keys[0].isdisjoint(keys[1]):
            self.assertIsNone(met(two, seen, changed(seen, one)))

    def test_a_list_given_whole_meets_any_change_within(self) -> None:
        seen = {"edges": [{"id": "a"}]}
        now = changed(seen, {"edges": {"b": {}}})
        self.assertEqual(met({"edges": []}, seen, now), "The edge 'b'")
        self.assertEqual(met({"camera": {"kind": "hand"}}, {"camera": {"a": 1}}, {"camera": {"a": 2}}), "The camera")


if __name__ == "__main__":
    unittest.main()
