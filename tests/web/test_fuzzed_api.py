"""Requests made of valid ones by putting odd values at every place: answered, never with a mistake of ours."""

import json
import random
from typing import Any

import numpy as np

from tests.fixtures import light, sampled, write_layers
from tests.web.test_api import WHOLE, ApiTest

ODD: list[Any] = [
    None, True, -1, 0, 10**19, 10**40, -(2**63), 1e39, 1e-320, "", "\x00", "x" * 5000, "../..", "灯\u202e", "~", "/",
    [], {}, [[]], {"": {}}, [None] * 50, {"op": "add"}, "NaN", "$HOME", "%s%n", ["\ud7ff"], {"kind": "cdl"},
    {"a": {"b": [{}]}},
]  # fmt: skip
PATCH = [{"op": "add", "path": "/balance/lights/key", "value": {"stops": 1.0, "tint": [1, 0.5, 1], "kelvin": 5000}}]
GRADE = [
    {"op": "add", "path": "/finish/corrections/-", "value": {"kind": "cdl", "slope": [1, 1, 1], "saturation": 1.0}},
    {"op": "add", "path": "/finish/corrections/-", "value": {"kind": "config", "name": "x", "inverse": False}},
]
TALLY = [
    {"op": "add", "path": "/tally/terms/key", "value": {"left_out": False, "operator": "add", "strength": 1.0}},
    {"op": "add", "path": "/source/roles/key", "value": {"role": "light_group", "light": "key"}},
    {"op": "add", "path": "/source/repairs/-", "value": {"pass_name": "key", "how": "scale", "factor": [1, 1, 1]}},
]
COLOUR = [
    {"op": "replace", "path": "/colour", "value": {"config": "ACES 2", "context": {}, "input_space": "ACEScg"}},
    {"op": "replace", "path": "/display", "value": {"display": None, "view": None, "look": ""}},
    {
        "op": "replace",
        "path": "/surface/changes",
        "value": [{"kind": "recolour", "hue": 3.0, "component": "diffuse", "matte": None}],
    },
]
REGION = {"x": 0, "y": 0, "width": 8, "height": 8}
FILES = [{"what": "result", "format": "png", "bits": 8, "space": "ACEScg", "size": 0.5, "names": "{shot}.{frame}"}]
OPERATIONS = (
    ("picture", {**WHOLE, "live": True, "aids": {"show": "stops", "exposure": 1.0}, "station": "finish"}),
    ("probe", {"x": 1, "y": 1, "size": 3}),
    ("edits", {"base": 0, "label": "x"}),
)
COMPARED = {"subject": {"station": "source"}, "gain": 2.0, "measure": "display"}
BODIES: list[tuple[str, Any]] = [
    *(
        (f"variants/1/{address}", {"patch": patch, **more})
        for patch in (PATCH, GRADE, TALLY, COLOUR)
        for address, more in OPERATIONS
    ),
    ("variants/1/picture", {**WHOLE, "against": COMPARED}),
    ("variants/1/picture", {**WHOLE, "pass_name": "key", "picture": "a/b.exr", "frame": 1}),
    ("variants/1/values", {"region": REGION, "station": "balance"}),
    ("variants/1/scope", {"kind": "waveform", "scale": "stops", "columns": 64, "rows": 32, "region": REGION}),
    ("variants/1/board", {"patch": PATCH, "frame": 1}),
    ("shots/1/variants", {"name": "x", "copy_of": 1}),
    ("shots", {"sources": ["grid.exr"], "name": "x", "fit": False}),
    ("variants/1/deliveries", {"files": FILES, "frames": [1], "workers": 1, "name": "x"}),
    ("variants/1/deliveries/check", {"files": FILES, "frames": [1]}),
    ("shots/1/files", {"gathered": True, "passes": ["key"], "rename": {"key": "k"}}),
]
QUERIES = [
    "events?after={}&shot={}", "colour?config={}&context={}", "media?folder={}", "uploads/capacity?bytes={}", "{}",
    "shots/1/pass?name={}&width=8&variant={}", "shots/1/pass/histogram?name={}&frame={}", "variants/1/tally?frame={}",
    "variants/1/difference?gain={}&width={}", "deliveries/{}/{}", "variants/{}", "variants/1/revisions/{}", "jobs/{}",
]  # fmt: skip


def places(value: Any, path: tuple[Any, ...] = ()) -> list[tuple[Any, ...]]:
    """Every place in a JSON value."""
    entries = value.items() if isinstance(value, dict) else enumerate(value) if isinstance(value, list) else ()
    return [path, *(place for key, inner in entries for place in places(inner, (*path, key)))]


def with_odd(value: Any, place: tuple[Any, ...], odd: Any) -> Any:
    """The value with another at one place."""
    if not place:
        return odd
    changed = dict(value) if isinstance(value, dict) else list(value)
    changed[place[0]] = with_odd(value[place[0]], place[1:], odd)
    return changed


class FuzzedApiTest(ApiTest):
    def setUp(self) -> None:
        super().setUp()
        key, fill = light(1, 48, 64), light(2, 48, 64)
        key[0, 2, 3], fill[1, 2, 3] = np.nan, np.inf
        write_layers(self.media / "grid.exr", {"": key + fill, "lg_key": key, "lg_fill": fill, "uv": key[:1][0]})
        self.finished(self.client.post("/api/shots", json={"sources": ["grid.exr"]}).get_json())

    def check(self, answer: Any, asked: Any) -> None:
        self.assertNotEqual(answer.status_code, 500, (asked, answer.data[:300]))
        if answer.mimetype.endswith("json"):
            json.loads(answer.data, parse_constant=lambda constant: self.fail(f"{constant} is no JSON: {asked}"))
        if answer.status_code == 202:
            self.assertNotIn("unexpected", self.finished(answer.get_json())["error"] or "", asked)
        answer.close()

    def test_odd_values_at_every_place_of_a_body(self) -> None:
        rng = random.Random(7)
        for address, body in BODIES:
            self.check(self.client.post(f"/api/{address}", json=body), body)
            for place in sampled(places(body), 3):
                for odd in rng.sample(ODD, 2):
                    asked = with_odd(body, place, odd)
                    if isinstance(asked, dict) and asked.get("base") == 0:
                        asked["base"] = self.client.get("/api/variants/1").json["head"]
                    self.check(self.client.post(f"/api/{address}", json=asked), (address, asked))
        self.assertEqual(self.client.get("/api/variants/1").status_code, 200)

    def test_odd_values_in_addresses(self) -> None:
        for address in QUERIES:
            for odd in ("", "%00", "-1", "1e999", "NaN", "..", "%2e%2e%2f", "1" + "0" * 19, "%ff%fe", "x" * 3000, "灯"):
                asked = address.replace("{}", odd)
                self.check(self.client.get(f"/api/{asked}"), asked)
