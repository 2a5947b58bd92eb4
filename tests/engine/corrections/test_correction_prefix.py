"""Dragging one correction of a list: those before it are applied once, and the picture is what it would be anew."""

from typing import Any
from unittest import mock

import numpy as np

from escala.engine.corrections import correction_prefix
from escala.engine.corrections.registry import apply_corrections
from escala.engine.request import Quality
from escala.engine.viewer.viewport import full_viewport
from escala.model.variant import Variant
from tests.engine.fixture_shot import grid_engine
from tests.fixtures import FolderTest

WHOLE = full_viewport(0, 0, 64, 48)
FIRST: list[dict[str, Any]] = [
    {"kind": "exposure", "stops": 0.5},
    {"kind": "contrast", "amount": 1.2, "matte": "oval"},
    {"kind": "blur", "radius_px": [1.5, 1.5]},
    {"kind": "tint", "colour": [1, 0.6, 0.3], "amount": 0.3},
]


def variant(last: float, second: float = 1.2, radius: float = 12) -> Variant:
    corrections = [dict(c, amount=second) if c["kind"] == "contrast" else c for c in FIRST]
    oval = {"kind": "ellipse", "centre": [30, 24], "radii": [radius, 9]}
    finish = {"corrections": [*corrections, {"kind": "contrast", "amount": last}]}
    return Variant.model_validate({"mattes": {"oval": oval}, "finish": finish})


class BegunTest(FolderTest):
    def setUp(self) -> None:
        super().setUp()
        self.evaluator = grid_engine(self.folder)
        self.applied: list[int] = []

    def shown(self, document: Variant, viewer: str = "hand") -> np.ndarray:
        def counted(picture: Any, corrections: Any, *more: Any) -> Any:
            self.applied.append(len(corrections))
            return apply_corrections(picture, corrections, *more)

        with mock.patch.object(correction_prefix, "apply_corrections", counted):
            return self.evaluator.at("finish", self.evaluator.make_request(document, WHOLE, Quality.PREVIEW, viewer))

    def anew(self, document: Variant) -> np.ndarray:
        """As nobody's hand sees it: nothing is kept for it."""
        return self.evaluator.at("finish", self.evaluator.make_request(document, WHOLE, Quality.PREVIEW))

    def test_the_last_is_applied_alone_while_it_is_dragged(self) -> None:
        for amount in (1.0, 1.1, 1.2, 1.3):
            document = variant(amount)
            np.testing.assert_allclose(self.shown(document), self.anew(document), rtol=2e-5, atol=1e-6)
        # All five, then the four before the dragged one are kept, then that one alone.
        self.assertEqual(self.applied, [5, 4, 1, 1, 1])

    def test_another_one_is_taken_up(self) -> None:
        for document in (variant(1.0), variant(1.1), variant(1.1, 1.3), variant(1.1, 1.4), variant(1.2, 1.4)):
            np.testing.assert_allclose(self.shown(document), self.anew(document), rtol=2e-5, atol=1e-6)

    def test_a_changed_matte_or_picture_before_is_seen(self) -> None:
        self.shown(variant(1.0))
        self.shown(variant(1.1))
        moved = variant(1.1, radius=25)
        np.testing.assert_allclose(self.shown(moved), self.anew(moved), rtol=2e-5, atol=1e-6)
        brighter = moved.model_dump(mode="json") | {"balance": {"lights": {"key": {"stops": 1}}}}
        document = Variant.model_validate(brighter)
        np.testing.assert_allclose(self.shown(document), self.anew(document), rtol=2e-5, atol=1e-6)

    def test_each_viewer_has_a_memory_of_its_own(self) -> None:
        for amount in (1.0, 1.1):
            self.shown(variant(amount), "one")
        self.applied.clear()
        self.shown(variant(1.2), "other")
        self.assertEqual(self.applied, [5])
