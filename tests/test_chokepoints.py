"""Each rule that must hold everywhere stands at one door; here nobody may go around it."""

import ast
import unittest
from collections.abc import Callable, Iterator
from pathlib import Path

import escala

SOURCE = Path(escala.__file__).parent


def called(node: ast.AST, *names: str) -> bool:
    """Whether a node calls one of these, as `module.function`, or as `.method` of anything."""
    if not isinstance(node, ast.Call):
        return False
    text = ast.unparse(node.func)
    return any(text == name or (name.startswith(".") and text.endswith(name)) for name in names)


def opens_to_write(node: ast.AST) -> bool:
    if not isinstance(node, ast.Call) or not called(node, "open", ".open", "os.fdopen"):
        return False
    modes = [arg.value for arg in node.args if isinstance(arg, ast.Constant)]
    return any(isinstance(mode, str) and set(mode) & set("wxa+") and len(mode) <= 3 for mode in modes)


def writes_exr(node: ast.AST) -> bool:
    return called(node, "file.write", ".File.write") and "str(" in ast.unparse(node)


def writes(node: ast.AST) -> bool:
    names = (".write_bytes", ".write_text", ".mkdtemp", "os.replace", "os.rename", ".rename", "shutil.move")
    return called(node, *names) or opens_to_write(node)


# What is done, where alone it may be done, and what else is meant for.
CHOKEPOINTS: dict[str, tuple[Callable[[ast.AST], bool], set[str]]] = {
    "files are written by media/atomic_write.py": (
        writes,
        {
            "media/atomic_write.py", "media/store.py", "media/decode.py", "media/soft_config.py",
            "web/colour/routes.py", "cli/guard.py", "media/video_writer.py",
        },
    ),
    "EXR files are written by media/exr.py": (writes_exr, {"media/exr.py"}),
    "sessions are made by database/connection.py": (
        lambda node: called(node, "sessionmaker", "Session", "create_engine"),
        {"database/connection.py"},
    ),
    "colour tables are handed to the library by core/colour/config.py": (
        lambda node: called(node, "ocio.FileTransform", "ocio.Config.CreateFromFile", "ocio.Config.CreateFromEnv"),
        {"core/colour/config.py", "media/soft_config.py"},
    ),
    "JSON that is answered, told or kept is made by model/strict_json.py": (
        lambda node: called(node, "json.dumps", "json.dump"),
        {
            "model/strict_json.py", "engine/source/reading.py", "media/intake.py", "media/sources.py", "media/store.py",
            "media/decode.py", "stage/passes.py", "bench/browser.py", "bench/server.py", "web/openapi.py",
            "database/migrations/versions/0003_colour_of_files.py",
        },
    ),
    "names become files by media/path_safety.py": (
        lambda node: called(node, ".joinpath", "os.path.join"),
        {"media/path_safety.py", "media/naming_table.py"},
    ),
    "errors that say too little are caught nowhere": (
        lambda node: isinstance(node, ast.ExceptHandler) and node.type is None,
        set(),
    ),
}  # fmt: skip


def modules() -> Iterator[tuple[str, ast.AST]]:
    for file in sorted(SOURCE.rglob("*.py")):
        yield file.relative_to(SOURCE).as_posix(), ast.parse(file.read_text())


class DoorsTest(unittest.TestCase):
    def test_nobody_goes_around_a_door(self) -> None:
        used: dict[str, set[str]] = {rule: set() for rule in CHOKEPOINTS}
        for name, tree in modules():
            for node in ast.walk(tree):
                for rule, (goes_around, allowed) in CHOKEPOINTS.items():
                    if goes_around(node):
                        used[rule].add(name)
                        self.assertIn(name, allowed, f"{rule}: line {getattr(node, 'lineno', '?')} of {name} does not")
        for rule, (_, allowed) in CHOKEPOINTS.items():
            self.assertEqual(used[rule], allowed, f"{rule}: what is allowed but not used any more can go")

    def test_the_rules_know_what_they_look_for(self) -> None:
        seen = [
            ("path.write_bytes(b'')", writes), ("path.open('wb')", writes), ("open(path, mode, 'w')", writes),
            ("folder.rename(other)", writes), ("os.replace(a, b)", writes),
        ]  # fmt: skip
        for text, rule in seen:
            self.assertTrue(any(rule(node) for node in ast.walk(ast.parse(text))), text)
        for text in ("path.open('rb')", "open(path)", "text.replace('a', 'w')"):
            self.assertFalse(any(writes(node) for node in ast.walk(ast.parse(text))), text)
