"""Who may import whom: rooms stand on floors, and no file comes back to itself."""

import ast
import re
import unittest
from itertools import pairwise
from pathlib import Path

BASE = Path(__file__).parent.parent / "src" / "pale_ember"

EFFECT, GEOMETRY, TEXTURE, SIMULATE = "core.effect", "core.geometry", "core.texture", "core.simulate"
CELLAR = ("core.kernel", "core.worker_pool", "core.preloading")
CORE = (
    *CELLAR,
    EFFECT,
    "core.view",
    GEOMETRY,
    TEXTURE,
    SIMULATE,
    "core.gas",
    "core.insight",
    "core.words",
    "core.variation",
    "core.reference",
)
FLOOR = ("studio.kit", "studio.document", "studio.controls", "studio.fields")
PAGES = ("studio.story", "studio.layers", "studio.stage", "studio.bake", "studio.bench", "studio.handover", "studio.insight")
GROUND = (*CORE, "formats", "draw", "machine")
UPPER = (*GROUND, "folder")
BELOW = {
    **dict.fromkeys(CELLAR, ()),
    EFFECT: (),
    "core.view": (EFFECT,),
    GEOMETRY: (EFFECT,),
    TEXTURE: (EFFECT, GEOMETRY, *CELLAR),
    SIMULATE: (EFFECT, GEOMETRY, *CELLAR),
    "core.gas": (EFFECT, TEXTURE, SIMULATE, *CELLAR),
    "core.insight": (EFFECT, "core.view", GEOMETRY, TEXTURE, SIMULATE),
    "core.variation": (EFFECT, "core.view", GEOMETRY, SIMULATE, "core.insight"),
    "core.reference": (EFFECT, GEOMETRY, TEXTURE, SIMULATE, "core.insight", "core.variation"),
    "core.words": (EFFECT, GEOMETRY, TEXTURE, SIMULATE, "core.insight"),
    "formats": CORE,
    "draw": CORE,
    "machine": (),
    "rehearsal": (*CORE, "formats", "draw"),
    "folder": GROUND,
    "analysis": UPPER,
    "building": UPPER,
    "studio.kit": UPPER,
    "studio.document": (*GROUND, "studio.kit"),
    "studio.controls": (*GROUND, "studio.kit"),
    "studio.fields": (*GROUND, *FLOOR[:3]),
    **dict.fromkeys(PAGES, (*UPPER, *FLOOR)),
    "studio.handover": (*GROUND, *FLOOR, "rehearsal"),
    "studio.insight": (*UPPER, *FLOOR, "analysis"),
    "studio.effects": (*UPPER, *FLOOR, "analysis", "studio.insight"),
    "studio.shell": (*UPPER, *FLOOR, *PAGES, "studio.effects"),
}
"""What each room may import besides itself. All else, the doors, may import everything."""

WITHOUT = {
    "core": ("PyQt6", "moderngl"),
    "formats": ("PyQt6", "moderngl"),
    "draw": ("PyQt6",),
    "analysis": ("PyQt6",),
    "building": ("PyQt6",),
    "folder": ("PyQt6",),
    "studio.document": (),
}
"""Packages that a room gets along without."""


def module_of(path):
    parts = ("pale_ember", *path.relative_to(BASE).with_suffix("").parts)
    return ".".join(parts[:-1] if parts[-1] == "__init__" else parts)


MODULES = {module_of(path): path for path in BASE.rglob("*.py")}


def imported(path):
    """Every module a file imports, wherever in it that stands: inside functions and for type checkers alone as well."""
    for node in ast.walk(ast.parse(path.read_text())):
        if isinstance(node, ast.Import):
            yield from (alias.name for alias in node.names)
        elif isinstance(node, ast.ImportFrom) and node.module:
            for alias in node.names:
                inner = f"{node.module}.{alias.name}"
                yield inner if inner in MODULES else node.module


def room_of(module):
    """The room a module stands in; nothing for the doors."""
    inner = module.removeprefix("pale_ember").lstrip(".")
    return next((room for room in sorted(BELOW, key=len, reverse=True) if inner == room or inner.startswith(room + ".")), "")


class Names(unittest.TestCase):
    def test_no_two_classes_have_one_name(self):
        names = [
            node.name for path in MODULES.values() for node in ast.walk(ast.parse(path.read_text())) if isinstance(node, ast.ClassDef)
        ]
        public = sorted(name for name in names if not name.startswith("_"))
        self.assertEqual([one for one, other in pairwise(public) if one == other], [])

    def test_nine_of_ten_public_functions_say_what_they_do(self):
        classes = {
            node.name: node
            for path in MODULES.values()
            for node in ast.walk(ast.parse(path.read_text()))
            if isinstance(node, ast.ClassDef)
        }

        def said(name, owner):
            """Whether a method is explained where it is written, or in what it stands for."""
            above = [classes[base.id] for base in owner.bases if isinstance(base, ast.Name) and base.id in classes]
            own = [one for one in owner.body if isinstance(one, ast.FunctionDef) and one.name == name]
            return any(ast.get_docstring(one) for one in own) or any(said(name, one) for one in above)

        told = []
        for path in MODULES.values():
            tree = ast.parse(path.read_text())
            told += [bool(ast.get_docstring(one)) for one in tree.body if isinstance(one, ast.FunctionDef) and one.name[0] != "_"]
            for owner in tree.body:
                if isinstance(owner, ast.ClassDef) and owner.name[0] != "_":
                    names = {one.name for one in owner.body if isinstance(one, ast.FunctionDef) and one.name[0] != "_"}
                    # Qt's own are called as Qt calls them.
                    told += [said(name, owner) for name in names if name == name.lower()]
        self.assertGreater(len(told), 1500)
        self.assertGreaterEqual(sum(told) / len(told), 0.9)

    def test_what_the_pages_say_of_the_code_is_there(self):
        root = BASE.parent.parent
        kept = [path for place in ("src", "tests", "benchmarks", "docs", "player", "tools") for path in (root / place).rglob("*.*")]
        files = {f"/{path.relative_to(root)}" for path in kept} | {f"/{path.parent.relative_to(root)}" for path in kept}
        files |= {f"/{path.name}" for path in root.iterdir()}
        words = {word for path in kept if path.suffix == ".py" for word in re.findall(r"\w+", path.read_text())}
        for page in ("docs/architecture.md", "CONTRIBUTING.md"):
            for name in re.findall(r"`([^`\n]+)`", (root / page).read_text()):
                if re.fullmatch(r"[\w/]+\.(py|glsl|md)|[\w/]+/", name):
                    self.assertTrue(any(file.endswith(f"/{name.rstrip('/')}") for file in files), (page, name))
                elif re.fullmatch(r"@?[A-Z]\w*(\.\w+)*", name):
                    self.assertLessEqual(set(re.findall(r"\w+", name)), words, (page, name))


class Rooms(unittest.TestCase):
    def test_no_file_imports_a_room_above_it(self):
        for module, path in MODULES.items():
            room = room_of(module)
            for name in imported(path) if room else ():
                if name.startswith("pale_ember"):
                    free = name == "pale_ember"
                    self.assertTrue(free or room_of(name) in (room, *BELOW[room]), f"{module} imports {name}")
                for whole, packages in WITHOUT.items():
                    if room.startswith(whole):
                        self.assertNotIn(name.split(".")[0], packages, module)

    def test_every_file_stands_in_a_room_or_is_a_door(self):
        doors = {"pale_ember", "pale_ember.arguments", "pale_ember.cli", "pale_ember.app", "pale_ember.core", "pale_ember.studio"}
        left = {one for one in MODULES if not room_of(one) and not one.startswith("pale_ember.commands")}
        self.assertEqual(left, doors)

    def test_no_file_comes_back_to_itself(self):
        arrows = {module: {one for one in imported(path) if one in MODULES} for module, path in MODULES.items()}

        def reached(module):
            found, ahead = set(), [module]
            while ahead:
                new = arrows[ahead.pop()] - found
                found |= new
                ahead += new
            return found

        self.assertEqual([module for module in arrows if module in reached(module)], [])


if __name__ == "__main__":
    unittest.main()
