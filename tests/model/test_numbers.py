import importlib
import json
import math
import unittest
from typing import Any, get_args

from hypothesis import given
from hypothesis import strategies as st
from pydantic import BaseModel, ValidationError

from escala.model import render
from escala.model.balance import Level
from escala.model.numbers import LARGEST, Number
from escala.model.render import Document
from escala.model.strict_json import NotPlain, from_json, to_json


def bare_floats(annotation: Any) -> bool:
    """Whether a field's type holds a float that is not the one number of documents."""
    if Number.__metadata__[0] in getattr(annotation, "__metadata__", ()):
        return False
    if annotation is float:
        return True
    return any(bare_floats(inner) for inner in get_args(annotation))


def subclasses(model: type) -> list[type]:
    """All classes below one."""
    return [found for child in model.__subclasses__() for found in (child, *subclasses(child))]


class NumbersTest(unittest.TestCase):
    def test_every_number_of_a_document_is_of_the_one_kind(self) -> None:
        importlib.import_module("escala.model.variant")
        classes = [found for found in subclasses(Document) if found.__module__ != render.__name__]
        self.assertGreater(len(classes), 15)
        for model in classes:
            for name, hint in model.__annotations__.items():
                with self.subTest(model=model.__name__, field=name):
                    self.assertFalse(bare_floats(hint), f"{hint} lets infinities in: take Number")

    def test_limits_of_a_field_come_beside_those_of_every_number(self) -> None:
        class Wish(BaseModel):
            plain: Number = 0.0

        for value in (math.nan, math.inf, -math.inf, 2 * LARGEST, 1e39):
            with self.subTest(value=value), self.assertRaises(ValidationError):
                Wish(plain=value)
            with self.subTest(value=value), self.assertRaises(ValidationError):
                Level(stops=value)
        self.assertEqual(Wish(plain=-LARGEST).plain, -LARGEST)
        with self.assertRaises(ValidationError):
            Level(stops=17)


VALUES = st.recursive(
    st.none() | st.booleans() | st.integers() | st.floats() | st.text(max_size=8),
    lambda inner: st.lists(inner, max_size=3) | st.dictionaries(st.text(max_size=4), inner, max_size=3),
    max_leaves=12,
)


class StrictJsonTest(unittest.TestCase):
    @given(VALUES)
    def test_whatever_is_reported_every_reader_can_read(self, value: Any) -> None:
        def refuse(constant: str) -> Any:
            self.fail(f"{constant} is no JSON")

        again = json.loads(to_json(value), parse_constant=refuse)
        self.assertEqual(to_json(again), to_json(value))

    def test_only_what_is_no_number_becomes_null(self) -> None:
        self.assertEqual(
            to_json({"a": [1.5, math.nan, (math.inf,)], "b": -0.0}), '{"a": [1.5, null, [null]], "b": -0.0}'
        )

    def test_texts_that_nobody_means_are_refused_in_words(self) -> None:
        for text in ("NaN", "[Infinity]", "-Infinity", "[" * 100_000, "{", "", b"\xff\xfe"):
            with self.subTest(text=text[:8]), self.assertRaises(NotPlain):
                from_json(text)
        self.assertEqual(from_json('{"a": 1e300}'), {"a": 1e300})
