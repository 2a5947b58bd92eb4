"""What one variant has otherwise than another: its words, and that all patches together make one of the other."""

import unittest
from typing import Any

import jsonpatch

from escala.model.differences import differences
from escala.model.entries import ListIndex
from escala.model.variant import Variant


def variant(**parts: Any) -> Variant:
    return Variant.model_validate(parts)


def patched(base: Variant, steps: list[dict[str, Any]]) -> Variant:
    document = base.model_dump(mode="json", by_alias=True)
    for step in steps:
        path = step["path"] if step["path"].endswith("/-") else ListIndex().by_index(document, step["path"])
        document = jsonpatch.apply_patch(document, [{**step, "path": path}])
    return Variant.model_validate(document)


PLAIN = variant(balance={"lights": {"moon": {"stops": 0.5}}}, finish={"corrections": [{"id": "c", "kind": "contrast"}]})
OTHER = variant(
    mattes={"hull": {"kind": "object", "names": ["hull"]}, "soft": {"kind": "join", "how": "any", "of": ["hull"]}},
    balance={
        "lights": {"cabin": {"stops": 0.7, "kelvin": 3000, "matte": "soft"}, "beacon": {"mute": True}},
        "added": [{"id": "w", "kind": "side", "name": "window", "direction": [0, 0, 1]}],
    },
    depth={"haze": {"on": True, "density": 0.04}},
    lens={"glow": {"on": True, "amount": 0.3}},
    finish={"corrections": [{"id": "e", "kind": "exposure", "stops": -1, "matte": "hull"}]},
    curves={"balance/lights/beacon/stops": {"kind": "sweep", "amount": 1, "period": 24}},
)


class DifferencesTest(unittest.TestCase):
    def test_words(self) -> None:
        words = {found.words for found in differences(PLAIN, OTHER)}
        self.assertEqual(
            words,
            {"Cabin +0.7 stops, 3000 K, in soft", "Beacon muted", "Moon neutral", "Window", "exposure -1",
             "no contrast 1", "matte hull", "matte soft", "Beacon stops over time (sweep)", "haze 0.04", "glow 0.3"},
        )  # fmt: skip
        back = {found.words for found in differences(OTHER, PLAIN)}
        self.assertTrue({"no haze", "no glow", "Cabin neutral", "Moon +0.5 stops", "no Window"} <= back, back)
        self.assertEqual(differences(OTHER, OTHER), [])

    def test_all_of_them_together_make_the_other(self) -> None:
        for base, other in ((PLAIN, OTHER), (Variant(), OTHER), (Variant(), PLAIN)):
            made = base
            for found in differences(base, other):
                made = patched(made, found.patch)
            self.assertEqual(made, other.model_copy(update={"balance": made.balance}))
            self.assertEqual(differences(made, other), [])

    def test_another_order_is_a_difference(self) -> None:
        entries = [{"id": "a", "kind": "exposure"}, {"id": "b", "kind": "contrast"}]
        base, other = (variant(finish={"corrections": each}) for each in (entries, entries[::-1]))
        found = differences(base, other)
        self.assertEqual([one.words for one in found], ["order of corrections"])
        self.assertEqual(patched(base, found[0].patch), other)

    def test_one_alone_brings_the_mattes_that_it_needs(self) -> None:
        cabin = next(found for found in differences(PLAIN, OTHER) if found.words.startswith("Cabin"))
        made = patched(PLAIN, cabin.patch)
        self.assertEqual(set(made.mattes), {"hull", "soft"})
        self.assertEqual(made.balance.lights["cabin"], OTHER.balance.lights["cabin"])
        self.assertEqual(made.balance.lights["moon"].stops, 0.5)
