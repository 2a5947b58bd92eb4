"""Entries of lists and their ids."""

import unittest

from pydantic import ValidationError

from escala.model.corrections import CdlCorrection, ExposureCorrection
from escala.model.entries import ListIndex
from escala.model.finish import Finish


class EntryTest(unittest.TestCase):
    def test_an_id_is_given_when_missing_and_says_the_kind(self) -> None:
        mine = ExposureCorrection(id="exposure1", stops=1)
        finish = Finish(corrections=(ExposureCorrection(), mine, CdlCorrection(), ExposureCorrection()))
        self.assertEqual([c.id for c in finish.corrections], ["exposure2", "exposure1", "cdl1", "exposure3"])
        self.assertEqual(Finish.model_validate(finish.model_dump()), finish)

    def test_an_id_given_twice_is_refused(self) -> None:
        with self.assertRaisesRegex(ValidationError, "two entries of one list have the id 'a'"):
            Finish(corrections=(ExposureCorrection(id="a"), CdlCorrection(id="a")))

    def test_pointers_name_entries_by_id_or_place(self) -> None:
        document = {"list": [{"id": "x"}, {"id": "a/b~", "deep": [{"id": "0"}, {"id": "7"}]}], "plain": {"x/y": 1}}
        for pointer, wanted in (
            ("/list/x", "/list/0"), ("/list/a~1b~0/deep/7/stops", "/list/1/deep/1/stops"), ("/list/1", "/list/1"),
            ("/list/-", "/list/-"), ("/list/1/deep/0", "/list/1/deep/0"), ("/plain/x~1y", "/plain/x~1y"), ("", ""),
            ("/list/9", "/list/9"), ("/nowhere/else", "/nowhere/else"),
        ):  # fmt: skip
            with self.subTest(pointer=pointer):
                self.assertEqual(ListIndex().by_index(document, pointer), wanted)
        with self.assertRaisesRegex(KeyError, "/list has no entry with the id gone"):
            ListIndex().by_index(document, "/list/gone/stops")
